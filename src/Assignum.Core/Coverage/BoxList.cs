using Assignum.Core.Landing;

namespace Assignum.Core.Coverage;

/// <summary>The boxes of a purpose in the order in which they are tried, so kept that those that have something in
/// common with one are found fast.</summary>
internal sealed class BoxList
{
    private readonly Box[] boxes;

    // Three to a box, side by side: looking through 60,000 boxes reads 2 MB in a row.
    private readonly Ask[] asks;
    private readonly long[] ranks;
    private readonly int[] masks;

    private BoxList(Box[] sorted)
    {
        boxes = sorted;
        ranks = [.. sorted.Select(b => b.Rank)];
        masks = [.. sorted.Select(b => b.Mask)];
        asks = new Ask[boxes.Length * 3];
        for (var i = 0; i < boxes.Length; i++)
            Fill(i);
    }

    public IReadOnlyList<Box> Boxes => boxes;

    /// <summary>All boxes of a purpose and of the one it borrows from.</summary>
    public static BoxList Of(Slots slots, IReadOnlyList<Assignment> own, IReadOnlyList<Assignment> borrowed)
    {
        Box[] all =
        [
            .. own.SelectMany(a => Box.Of(slots, slots.Purpose, a)),
            .. borrowed.SelectMany(a => Box.Of(slots, slots.Borrowing!, a)),
        ];
        Array.Sort([.. all.Select(b => b.Rank)], all);
        return new BoxList(all);
    }

    /// <summary>The same with some boxes gone and others there.</summary>
    public BoxList With(Predicate<Box> gone, IEnumerable<Box> come)
    {
        var more = come.OrderBy(b => b.Rank).ToList();
        var now = new List<Box>(boxes.Length + more.Count);
        var next = 0;
        foreach (var box in boxes)
        {
            while (next < more.Count && more[next].Rank < box.Rank)
                now.Add(more[next++]);
            if (!gone(box))
                now.Add(box);
        }
        now.AddRange(more.Skip(next));
        return new BoxList([.. now]);
    }

    /// <summary>The boxes that may have a combination in common with a box, in order; the box itself among
    /// them.</summary>
    /// <param name="axes">The records that combinations are made of.</param>
    public List<Box> Meeting(Box box, IReadOnlyList<Axis> axes) => Meeting(box.Asks, axes);

    /// <summary>The boxes that may have a combination in common with what is asked.</summary>
    /// <param name="mask">Only those that ask for nothing beside these axes.</param>
    /// <param name="before">Only those that are tried before this rank.</param>
    public List<Box> Meeting(ReadOnlySpan<Ask> of, IReadOnlyList<Axis> axes, int mask = -1, long before = long.MaxValue)
    {
        var sieves = new Sieve?[Axis.Kinds.Count];
        foreach (var ask in of)
            sieves[ask.Axis] = new Sieve(axes[ask.Axis], ask);
        var met = new List<Box>();
        for (var i = 0; i < boxes.Length && ranks[i] < before; i++)
        {
            var meets = (masks[i] & ~mask) == 0;
            for (var a = i * 3; meets && a < i * 3 + 3 && asks[a] is { Axis: >= 0 } ask; a++)
                meets = sieves[ask.Axis]?.Passes(ask) ?? true;
            if (meets)
                met.Add(boxes[i]);
        }
        return met;
    }

    private void Fill(int i)
    {
        var own = boxes[i].Asks;
        for (var a = 0; a < 3; a++)
            asks[i * 3 + a] = a < own.Length ? own[a] : new Ask(-1, 0, 0);
    }

    // What of an axis a box has: the records and groups that others may ask for and still meet it.
    private sealed class Sieve
    {
        private readonly Axis axis;
        private readonly bool[] groups;
        private readonly bool[]? inside;
        private readonly HashSet<int>? singles;

        public Sieve(Axis axis, Ask ask)
        {
            this.axis = axis;
            groups = new bool[axis.Groups];
            if (ask.Single != 0)
            {
                singles = [];
                foreach (var leaf in axis.Holding(ask.Single, ask.Group))
                {
                    singles.UnionWith(axis.Up(axis.Leaves[leaf].Single));
                    foreach (var group in axis.Chain(axis.Leaves[leaf].Group))
                        groups[group] = true;
                }
                return;
            }
            inside = new bool[axis.Groups];
            for (var g = 1; g < inside.Length; g++)
                inside[g] = axis.Below(g, ask.Group);
            for (var g = 1; g < groups.Length; g++)
                groups[g] = inside[g];
            foreach (var group in axis.Chain(ask.Group))
                groups[group] = true;
        }

        public bool Passes(Ask ask)
        {
            if (ask.Group != 0 && !groups[ask.Group])
                return false;
            if (ask.Single == 0)
                return true;
            if (singles is not null)
                return singles.Contains(ask.Single);
            if (axis.GroupOf is { } groupOf)
                return inside![groupOf[ask.Single]];
            foreach (var leaf in axis.Of(ask.Single))
                if (inside![axis.Leaves[leaf].Group])
                    return true;
            return false;
        }
    }
}
