using System.Runtime.CompilerServices;
using Assignum.Core.SetUps;

namespace Assignum.Core.Pairing;

/// <summary>The pairings of one kind of record with one connection.</summary>
public sealed class Pairs
{
    private readonly Dictionary<string, PairingRow> byTheirs = new(StringComparer.Ordinal);
    private readonly Dictionary<string, PairingRow> byOurs = new(StringComparer.Ordinal);

    // The list of a set-up never changes; it is looked through once.
    private static readonly ConditionalWeakTable<
        IReadOnlyList<PairingRow>,
        Dictionary<(string Connection, string Record), Pairs>
    > Remembered = [];

    private static readonly Pairs None = new();

    /// <summary>Those of a connection.</summary>
    public static Pairs Of(SetUp setUp, string connection, string record) =>
        Remembered
            .GetValue(setUp.Pairings, rows =>
            {
                var all = new Dictionary<(string, string), Pairs>();
                foreach (var row in rows)
                {
                    if (!all.TryGetValue((row.Connection, row.Record), out var of))
                        all[(row.Connection, row.Record)] = of = new Pairs();
                    of.byTheirs.TryAdd(row.Theirs, row);
                    if (row.Ours is not null)
                        of.byOurs.TryAdd(row.Ours, row);
                }
                return all;
            })
            .GetValueOrDefault((connection, record), None);

    /// <summary>Those that say something of theirs: the first of each.</summary>
    public IReadOnlyCollection<PairingRow> All => byTheirs.Values;

    /// <summary>How many of theirs are settled, and how many of ours are paired.</summary>
    public (int Theirs, int Ours) Count => (byTheirs.Count, byOurs.Count);

    /// <summary>The row of one of theirs.</summary>
    public PairingRow? OfTheirs(string id) => byTheirs.GetValueOrDefault(id);

    /// <summary>The row of one of ours.</summary>
    public PairingRow? OfOurs(string code) => byOurs.GetValueOrDefault(code);

    /// <summary>Ours of one of theirs; empty: it is not needed; null: nothing is said.</summary>
    public string? OursOf(string theirs) => byTheirs.TryGetValue(theirs, out var row) ? row.Ours ?? "" : null;
}

/// <summary>What words of theirs are here.</summary>
public static class LinkWords
{
    /// <summary>By what somebody said, else by what is sure.</summary>
    public static Func<string, string, string?> Of(IReadOnlyList<LinkWord> said, SetUp setUp)
    {
        var known = said.ToDictionary(w => (w.Field, w.Theirs), w => w.Ours);
        return (field, theirs) =>
        {
            if (!known.TryGetValue((field, theirs), out var ours))
                known[(field, theirs)] = ours = WordList.Propose(field, theirs, setUp) is { Sure: true } sure
                    ? sure.Ours
                    : null;
            return ours;
        };
    }
}
