using System.Runtime.CompilerServices;

namespace Assignum.Core.Landing;

/// <summary>"For this purpose, with these key values, use this account."</summary>
/// <param name="Key">One value for each dimension filled, in the order of <see cref="Dimension"/>; empty is the
/// default.</param>
public sealed record Assignment(string Purpose, string Account, IReadOnlyList<KeyPart> Key, string? Note = null)
{
    /// <summary>The filled dimensions as bits; compare with <see cref="Rung.Set"/>.</summary>
    public int Set => Key.Aggregate(0, (set, part) => set | 1 << (int)part.Dimension);

    /// <summary>The filled dimensions' names joined by <c>+</c>, or <c>default</c>.</summary>
    public string RungName => Key.Count == 0 ? "default" : string.Join('+', Key.Select(p => Words.Of(p.Dimension)));

    /// <summary>The value for a dimension, or null when it is not filled.</summary>
    public string? Value(Dimension dimension)
    {
        foreach (var part in Key)
            if (part.Dimension == dimension)
                return part.Value;
        return null;
    }

    /// <summary>Purpose and keys as one text, unique in a set-up.</summary>
    public string Identity => IdentityOf(Purpose, Key);

    /// <summary>The identity of a purpose and keys in any order.</summary>
    public static string IdentityOf(string purpose, IReadOnlyList<KeyPart> key)
    {
        if (key.Count == 0)
            return purpose + "|";
        // Told for each of many thousand assignments: a handful of parts is put in order by looking for the next.
        var said = new DefaultInterpolatedStringHandler(2 * key.Count, 0, null, stackalloc char[128]);
        said.AppendLiteral(purpose);
        var before = (Dimension: -1, At: -1);
        for (var told = 0; told < key.Count; told++)
        {
            var next = (Dimension: int.MaxValue, At: 0);
            for (var at = 0; at < key.Count; at++)
            {
                var here = ((int)key[at].Dimension, at);
                if (here.CompareTo(before) > 0 && here.CompareTo(next) < 0)
                    next = here;
            }
            said.AppendLiteral("|");
            said.AppendLiteral(Words.Of(key[next.At].Dimension));
            said.AppendLiteral("=");
            said.AppendLiteral(key[next.At].Value);
            before = next;
        }
        return said.ToStringAndClear();
    }
}

/// <summary>One filled key column of an assignment.</summary>
public readonly record struct KeyPart(Dimension Dimension, string Value);

/// <summary>One row of <c>ladders.csv</c>.</summary>
/// <param name="Position">Counts from 1, the top rung.</param>
public sealed record LadderRow(string Purpose, int Position, Rung Rung);

/// <summary>"When this purpose's whole ladder misses, look where that other one lands."</summary>
public sealed record Borrow(string Purpose, string From);
