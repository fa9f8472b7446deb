namespace Assignum.Core.Landing;

/// <summary>A purpose's rungs, most specific first, and whether and where <c>line</c> stands among them.</summary>
public sealed class Ladder
{
    /// <summary>A ladder of the given rungs; <c>default</c> is implied and need not be named.</summary>
    public Ladder(Purpose purpose, IEnumerable<Rung> rungs)
    {
        Purpose = purpose;
        Rungs = [.. rungs.Where(r => r != Rung.Default)];
        LinePosition = Rungs.ToList().IndexOf(Rung.Line);
    }

    private static readonly Ladder[] AsShipped = [.. Purposes.All.Select(p => new Ladder(p, p.Shipped))];

    /// <summary>The ladders in force, by the index of their purposes: those that rows give, of the other purposes the
    /// shipped ones.</summary>
    public static Ladder[] InForce(IReadOnlyList<LadderRow> rows)
    {
        var all = AsShipped.ToArray();
        foreach (var of in rows.GroupBy(r => r.Purpose, StringComparer.Ordinal))
            if (Purposes.Find(of.Key) is { } purpose)
                all[purpose.Index] = new Ladder(purpose, of.OrderBy(r => r.Position).Select(r => r.Rung));
        return all;
    }

    public Purpose Purpose { get; }

    /// <summary>Without the closing default.</summary>
    public IReadOnlyList<Rung> Rungs { get; }

    /// <summary>Where <c>line</c> stands, or −1.</summary>
    public int LinePosition { get; }

    /// <summary>The rung that holds assignments of this set of dimensions, or null.</summary>
    public Rung? Holding(int set) =>
        set == 0 ? Rung.Default : Rungs.FirstOrDefault(r => r.Set == set && r != Rung.Line);

    /// <summary>The rung that shares most dimensions with a set, for error messages.</summary>
    public Rung Nearest(int set) =>
        Rungs
            .Where(r => r != Rung.Line)
            .Append(Rung.Default)
            .MaxBy(r => 4 * BitCount(r.Set & set) - BitCount(r.Set ^ set))!;

    private static int BitCount(int bits) => System.Numerics.BitOperations.PopCount((uint)bits);
}
