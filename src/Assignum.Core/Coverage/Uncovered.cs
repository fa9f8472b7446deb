using Assignum.Core.Landing;
using Assignum.Core.SetUps;

namespace Assignum.Core.Coverage;

/// <summary>Combinations of one group (or of one record without a group) that fall to a purpose's default, to a
/// tripwire or to nothing.</summary>
/// <param name="Dimension">What an assignment that covers them fills; <see cref="Dimension.Line"/>: no rung above the
/// default could.</param>
/// <param name="Key">Its value; null: there is none, these have no value there.</param>
/// <param name="To"><c>default</c>, <c>tripwire</c> or <c>none</c>.</param>
public sealed record Uncovered(Dimension Dimension, string? Key, string To, Int128 Combinations)
{
    /// <summary>Records on a rung of their own up to which they are offered one by one.</summary>
    public const int MostSingles = 5000;

    private static readonly string[] Falls = ["none", "tripwire", "default"];

    /// <summary>
    /// What falls through a purpose's rungs, as the smallest set of assignments on rungs of one side of the
    /// combinations that would
    /// cover it: a group stands for those below it where all of them fall through alike, a record without a group for
    /// itself.
    /// </summary>
    public static IReadOnlyList<Uncovered> Of(CompiledSetUp setUp, Purpose purpose)
    {
        var by = PurposeCoverage.Of(setUp, purpose).By;
        if (Falls.All(f => by[f] == 0))
            return [];
        var single = setUp
            .Landings.LadderOf(purpose)
            .Rungs.Where(r => r != Rung.Line && r.Dimensions.Count == 1)
            .Select(r => r.Dimensions[0])
            .ToHashSet();
        var offers = Enumerable
            .Range(0, Axis.Kinds.Count)
            .Where(k => single.Contains(Axis.Kinds[k].Single) || Axis.Kinds[k].Group is { } g && single.Contains(g))
            .Select(k => Of(setUp, purpose, k, single))
            .OfType<List<Uncovered>>()
            .ToList();
        // The fewest assignments, and rather those that can all be made.
        return offers.OrderBy(u => u.Any(x => x.Key is null)).ThenBy(u => u.Count).FirstOrDefault()
            ?? [.. Falls.Where(f => by[f] > 0).Select(f => new Uncovered(Dimension.Line, null, f, by[f]))];
    }

    // What falls through, by the groups or records of one axis; null where there are too many to be told one by one.
    private static List<Uncovered>? Of(CompiledSetUp setUp, Purpose purpose, int kind, HashSet<Dimension> rungs)
    {
        var axes = setUp.Memory.TakingPart.Of(purpose);
        var axis = axes[kind];
        var byGroup = Axis.Kinds[kind].Group is { } of && rungs.Contains(of);
        var bySingle = rungs.Contains(Axis.Kinds[kind].Single);
        // By groups where there is a rung for them; records without a group one by one where there is a rung for that.
        IReadOnlyList<int> alone = byGroup ? axis.In(0) : [.. Enumerable.Range(0, axis.Leaves.Count)];
        if (bySingle && alone.Count > MostSingles)
            return null;
        var falls = new List<Uncovered>();
        void Add(Dimension dimension, string? key, IEnumerable<KeyValuePair<string, Int128>> counts) =>
            falls.AddRange(counts.Where(c => c.Value > 0).Select(c => new Uncovered(dimension, key, c.Key, c.Value)));
        IEnumerable<KeyValuePair<string, Int128>> Fall(IEnumerable<int> leaves, Ask ask)
        {
            var boxes =
                ask == default ? setUp.Memory.Boxes(purpose).Boxes : setUp.Memory.Boxes(purpose).Meeting([ask], axes);
            return PurposeCoverage
                .Tally(setUp, purpose, [.. axes.Select(a => a.Kind == kind ? a.Only(leaves) : a)], boxes)
                .By.Where(b => Array.IndexOf(Falls, b.Key) >= 0);
        }
        if (bySingle)
            foreach (var leaf in alone)
                Add(
                    axis.Single,
                    axis.Leaves[leaf].Single == 0 ? null : setUp.Index.Key(axis.Single, axis.Leaves[leaf].Single),
                    Fall([leaf], axis.Leaves[leaf].Single == 0 ? default : new Ask(kind, axis.Leaves[leaf].Single, 0))
                );
        else if (alone.Count > 0)
            Add(Axis.Kinds[kind].Group ?? axis.Single, null, Fall(alone, default));
        if (byGroup)
            falls.AddRange(ByGroup(setUp.Index, axis, group => Fall(axis.In(group), new Ask(kind, 0, group))));
        return
        [
            .. falls
                .OrderBy(u => Array.IndexOf(Falls, u.To))
                .ThenByDescending(u => u.Combinations)
                .ThenBy(u => u.Key, StringComparer.Ordinal),
        ];
    }

    private static IEnumerable<Uncovered> ByGroup(
        LandingIndex index,
        Axis axis,
        Func<int, IEnumerable<KeyValuePair<string, Int128>>> fall
    )
    {
        var dimension = Axis.Kinds[axis.Kind].Group!.Value;
        var counts = axis
            .Direct.Keys.Where(g => g != 0)
            .ToDictionary(g => g, g => fall(g).Where(f => f.Value > 0).ToDictionary());
        var peopled = counts.Keys.SelectMany(axis.Chain).ToHashSet();
        var below = peopled.ToLookup(n => index.Parent(dimension, n));
        // From the deepest up: where all that stands in a group and below it falls alike, the group stands for it.
        foreach (var to in Falls)
        foreach (
            var node in peopled.Where(n => below[n].Any()).OrderByDescending(n => index.Depth(dimension, n)).ToList()
        )
        {
            if (axis.Direct.ContainsKey(node) && counts[node].GetValueOrDefault(to) == 0)
                continue;
            if (!below[node].All(n => counts.TryGetValue(n, out var c) && c.GetValueOrDefault(to) > 0))
                continue;
            if (!counts.TryGetValue(node, out var own))
                counts[node] = own = [];
            foreach (var n in below[node])
            {
                own[to] = own.GetValueOrDefault(to) + counts[n][to];
                counts[n].Remove(to);
            }
        }
        return counts.SelectMany(c =>
            c.Value.Select(v => new Uncovered(dimension, index.Key(dimension, c.Key), v.Key, v.Value))
        );
    }
}
