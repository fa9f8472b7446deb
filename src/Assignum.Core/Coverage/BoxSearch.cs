using Assignum.Core.Landing;

namespace Assignum.Core.Coverage;

/// <summary>Looks for a combination in a box that none before it has, or that would land elsewhere without it. Exact:
/// where there is one, it is found.</summary>
internal sealed class BoxSearch(IReadOnlyList<Axis> axes, BoxList boxes)
{
    /// <summary>Whether boxes before it take all of its combinations.</summary>
    /// <param name="proof">Takes those that do.</param>
    public bool Covered(Box box, HashSet<Assignment> proof) =>
        Empty(box) || !Any(box, Before(box), null, [], int.MaxValue, proof);

    /// <summary>Whether everything it decides would land on the same account if some assignments, its own among them,
    /// were not there.</summary>
    /// <param name="proof">Takes those that then decide; null where nobody asks.</param>
    public bool SameAfter(Box box, IReadOnlySet<Assignment> without, HashSet<Assignment>? proof)
    {
        if (Empty(box))
            return true;
        var met = boxes.Meeting(box, axes);
        return !Any(
            box,
            met.FindAll(b => b.Rank < box.Rank),
            box.Assignment.Account,
            met.FindAll(b => b.Rank >= box.Rank && !without.Contains(b.Assignment)),
            int.MaxValue,
            proof
        );
    }

    private List<Box> Before(Box box) => boxes.Meeting(box, axes).FindAll(b => b.Rank < box.Rank);

    // Whether it asks for what no record has: a record and a group that it is not in.
    private bool Empty(Box box)
    {
        foreach (var ask in box.Asks)
            if (!axes[ask.Axis].Holding(ask.Single, ask.Group).Any())
                return true;
        return false;
    }

    // Whether a combination is left: one that no box before has and, where an account is given, that the first box
    // after has another one for.
    private bool Any(Box box, List<Box> before, string? account, List<Box> after, int dims, HashSet<Assignment>? proof)
    {
        // What is before with nothing more asked takes all; what is after with nothing more asked ends the list.
        foreach (var b in before)
            if ((b.Mask & dims) == 0)
            {
                if (account is null)
                    proof?.Add(b.Assignment);
                return false;
            }
        var end = after.FindIndex(b => (b.Mask & dims) == 0);
        if (end >= 0)
            after = after[..(end + 1)];
        if (account is not null && end >= 0 && after.TrueForAll(b => b.Assignment.Account == account))
        {
            proof?.UnionWith(after.Select(b => b.Assignment));
            return false;
        }
        var used = 0;
        foreach (var b in before)
            used |= b.Mask & dims;
        foreach (var b in after)
            used |= b.Mask & dims;
        if (used == 0)
            return account is null || after.Count == 0 || after[0].Assignment.Account != account;
        var axis = System.Numerics.BitOperations.TrailingZeroCount(used);
        foreach (var leaf in Classes(box, before, after, axis))
            if (Any(box, At(before, axis, leaf), account, At(after, axis, leaf), dims & ~(1 << axis), proof))
                return true;
        return false;
    }

    private List<Box> At(List<Box> list, int axis, int leaf) =>
        list.FindAll(b => (b.Mask & 1 << axis) == 0 || axes[axis].Holds(b.Single(axis), b.Group(axis), leaf));

    // One leaf of each class that behaves alike, of those that the box itself has: leaves nobody names by what groups
    // are asked for, then the named ones.
    private IEnumerable<int> Classes(Box box, List<Box> before, List<Box> after, int axis)
    {
        var of = axes[axis];
        if (box.Single(axis) != 0)
        {
            foreach (var leaf in of.Holding(box.Single(axis), box.Group(axis)))
                yield return leaf;
            yield break;
        }
        var asking = before.Concat(after).Where(b => (b.Mask & 1 << axis) != 0).ToList();
        var named = new HashSet<int>(asking.Where(b => b.Single(axis) != 0).SelectMany(b => of.Of(b.Single(axis))));
        var groups = asking.Where(b => b.Group(axis) != 0).Select(b => b.Group(axis)).ToHashSet();
        bool Within(int group) => box.Group(axis) == 0 || of.Below(group, box.Group(axis));
        foreach (var near in of.Direct.Keys.Where(Within).GroupBy(g => of.Chain(g).FirstOrDefault(groups.Contains)))
        {
            foreach (var leaf in near.SelectMany(g => of.In(g)).Where(l => !named.Contains(l)).Take(1))
                yield return leaf;
        }
        foreach (var leaf in named)
            if (Within(of.Leaves[leaf].Group))
                yield return leaf;
    }
}
