using Assignum.Core.Landing;
using Assignum.Core.SetUps;

namespace Assignum.Core.Coverage;

/// <summary>What makes combinations land elsewhere.</summary>
/// <param name="Set">Assignments to be there, new or with another account.</param>
/// <param name="Gone">Assignments to go.</param>
/// <param name="Moved">How many combinations land elsewhere by it.</param>
/// <param name="Left">How many should and cannot: the ladder has no rung that tells them from others.</param>
public sealed record Painted(IReadOnlyList<Assignment> Set, IReadOnlyList<Assignment> Gone, Int128 Moved, Int128 Left);

/// <summary>
/// Finds few assignments that make some combinations of a purpose land on other accounts, and change the landing of no
/// other one.
/// </summary>
/// <remarks>
/// Combinations that behave alike are one cell: records that are in one group, that no assignment names and that are
/// told alike. Every cell lists the keys that could decide for it in the order in which they are tried, so what a set
/// of assignments does is found by walking, and nothing is assumed. Chosen is, again and again, the key that mends most
/// cells and under which no cell would land wrong; what turns out not to be needed goes again. So what is done is exact;
/// that it is the fewest is not proved.
/// </remarks>
public sealed class Painting
{
    /// <summary>Cells with their keys, up to which it is tried; beyond, nothing is proposed.</summary>
    public const int MostKeys = 30_000_000;

    // Cells with their keys, up to which fewer are looked for.
    private const long MostLifted = 8_000_000;

    private readonly CellField field;
    private readonly Purpose purpose;

    private Painting(CellField field, Purpose purpose) => (this.field, this.purpose) = (field, purpose);

    /// <summary>Finds them.</summary>
    /// <param name="tagOf">What a record of an axis (see <see cref="Dimension"/>, its own and not its group's) is told
    /// apart by, given its code; null: nothing.</param>
    /// <param name="wanted">Where combinations are to land, by the tags of their records and the account they land on
    /// now; null: where they do.</param>
    /// <returns>Null where there are too many to be looked through.</returns>
    public static Painted? Of(
        CompiledSetUp setUp,
        Purpose purpose,
        Func<Dimension, string, string?> tagOf,
        Func<IReadOnlyDictionary<Dimension, string?>, string?, string?> wanted
    ) => Of(setUp, purpose, new CellField.Tags(ByCode(setUp, tagOf)), wanted);

    internal static Painted? Of(
        CompiledSetUp setUp,
        Purpose purpose,
        CellField.Tags tags,
        Func<IReadOnlyDictionary<Dimension, string?>, string?, string?> wanted
    )
    {
        Painted? Tried(bool oneByOne) =>
            CellField.Of(setUp, purpose, tags, oneByOne, MostKeys) is { } field
                ? new Painting(field, purpose).Paint(wanted)
                : null;
        var done = Tried(false);
        // A rung may ask for a record where the group alone does not tell: then every record is told by itself.
        return done is not null && done.Left > 0 && Tried(true) is { } more && more.Left < done.Left ? more : done;
    }

    /// <summary>Tells of all combinations where they land, those together that are alike.</summary>
    /// <param name="each">Is given the tags of the records, the account, and how many there are.</param>
    /// <returns>False where there are too many to be looked through.</returns>
    public static bool Visit(
        CompiledSetUp setUp,
        Purpose purpose,
        Func<Dimension, string, string?> tagOf,
        Action<IReadOnlyDictionary<Dimension, string?>, string?, Int128> each
    )
    {
        var tags = new CellField.Tags(ByCode(setUp, tagOf));
        if (CellField.Of(setUp, purpose, tags, false, MostKeys) is not { } field)
            return false;
        foreach (var cell in field.Cells)
            each(field.TagsOf(cell), field.Landed(cell), cell.Size);
        return true;
    }

    private static Func<Axis, Leaf, string?> ByCode(CompiledSetUp setUp, Func<Dimension, string, string?> tagOf) =>
        (axis, leaf) => leaf.Single == 0 ? null : tagOf(axis.Single, setUp.Index.Key(axis.Single, leaf.Single));

    private Painted Paint(Func<IReadOnlyDictionary<Dimension, string?>, string?, string?> wanted)
    {
        var moved = Int128.Zero;
        foreach (var cell in field.Cells)
        {
            var lands = field.Landed(cell);
            cell.Wanted = wanted(field.TagsOf(cell), lands) ?? lands;
            if (cell.Wanted != lands)
                moved += cell.Size;
        }
        var was = field.Accounts.ToArray();
        var touched = new HashSet<int>();
        while (Step(touched)) { }
        Prune(touched);
        var left = field.Cells.Where(c => field.Landed(c) != c.Wanted).Aggregate(Int128.Zero, (n, c) => n + c.Size);
        // Where many are set, one above them with exceptions may be fewer. The default is for what comes later.
        if (
            touched.Count(k => field.Accounts[k] != was[k]) > 1
            && field.Cells.Sum(c => (long)c.Keys.Length) <= MostLifted
        )
        {
            foreach (var cell in field.Cells)
                cell.Wanted = field.Landed(cell);
            new Fewer(
                field,
                new HashSet<Cell>(),
                (key, account) => account != was[key],
                key => was[key],
                -1,
                key => field[key].Parts.Count > 0
            ).Run();
        }
        var (set, gone) = field.Changes(was);
        return new Painted(set, gone, moved - left, left);
    }

    // Sets every key that mends something and under which nothing lands wrong, those that mend most first; whether
    // anything was set.
    private bool Step(HashSet<int> touched)
    {
        var only = new Dictionary<int, string?>();
        var mends = new Dictionary<int, int>();
        var mixed = new HashSet<int>();
        foreach (var cell in field.Cells)
        {
            var wrong = field.Landed(cell) != cell.Wanted;
            for (var i = 0; i <= cell.At && i < cell.Keys.Length; i++)
            {
                var key = cell.Keys[i];
                if (field[key].At != purpose)
                    break;
                if (!only.TryAdd(key, cell.Wanted) && only[key] != cell.Wanted)
                    mixed.Add(key);
                if (wrong)
                    mends[key] = mends.GetValueOrDefault(key) + 1;
            }
        }
        var safe = mends.Keys.Where(k => !mixed.Contains(k) && only[k] is not null).ToHashSet();
        if (safe.Count == 0)
            return false;
        var holders = new Dictionary<int, List<Cell>>();
        foreach (var cell in field.Cells)
            for (var i = 0; i <= cell.At && i < cell.Keys.Length; i++)
                if (safe.Contains(cell.Keys[i]))
                    (holders.TryGetValue(cell.Keys[i], out var list) ? list : holders[cell.Keys[i]] = []).Add(cell);
        // Of keys that mend as much, one that is there already, then one that asks for less.
        foreach (
            var key in safe.OrderByDescending(k => mends[k])
                .ThenBy(k => field.Accounts[k] is null)
                .ThenBy(k => field[k].Parts.Count)
                .ThenBy(k => k)
        )
        {
            if (!holders[key].Exists(c => field.Landed(c) != c.Wanted))
                continue;
            field.Accounts[key] = only[key];
            touched.Add(key);
            foreach (var cell in holders[key])
                cell.At = field.Place(cell);
        }
        return true;
    }

    // What was set and is not needed goes again, the narrowest first.
    private void Prune(HashSet<int> touched)
    {
        var holders = new Dictionary<int, List<Cell>>();
        foreach (var cell in field.Cells)
        foreach (var key in cell.Keys)
            if (touched.Contains(key))
                (holders.TryGetValue(key, out var list) ? list : holders[key] = []).Add(cell);
        foreach (var key in touched.OrderByDescending(k => field[k].Parts.Count).ThenBy(k => k))
        {
            if (field[key].Parts.Count == 0)
                continue;
            var account = field.Accounts[key];
            var before = holders[key].ConvertAll(c => field.Landed(c) == c.Wanted);
            field.Accounts[key] = null;
            holders[key].ForEach(c => c.At = field.Place(c));
            var same = true;
            for (var i = 0; same && i < before.Count; i++)
                same = (field.Landed(holders[key][i]) == holders[key][i].Wanted) == before[i];
            if (same)
                continue;
            field.Accounts[key] = account;
            holders[key].ForEach(c => c.At = field.Place(c));
        }
    }
}
