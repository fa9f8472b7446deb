namespace Assignum.Core.Coverage;

/// <summary>
/// Counts exactly which slot decides how many combinations, by classes of records that behave alike: records that no
/// box names are
/// taken together by the groups that boxes name; those that boxes name alone are taken one by one, as what they change
/// of the others.
/// </summary>
/// <remarks>
/// The boxes stand in layers: sorted lists that are shared by many sub-problems, so that what is known of a long one
/// (who is named in
/// it, on which axis) is worked out once. The combinations themselves are never walked through: there can be more than
/// 10^12.
/// </remarks>
/// <param name="slots">How many slots there are; what nothing decides is counted behind them.</param>
internal sealed class BoxCounter(IReadOnlyList<Axis> axes, int slots)
{
    /// <summary>Boxes in the order they are tried.</summary>
    public sealed class Layer(IReadOnlyList<Box> boxes)
    {
        private readonly Dictionary<(int Axis, int Left), Split> splits = [];

        public IReadOnlyList<Box> Boxes { get; } = boxes;

        /// <summary>This layer by what its boxes ask of an axis.</summary>
        public Split On(int axis, int rest, Axis of)
        {
            if (!splits.TryGetValue((axis, rest), out var split))
                splits[(axis, rest)] = split = new Split(Boxes, axis, rest, of);
            return split;
        }
    }

    /// <summary>A layer taken apart by an axis.</summary>
    public sealed class Split
    {
        public Split(IReadOnlyList<Box> boxes, int axis, int rest, Axis of)
        {
            var none = new List<Box>();
            var groups = new Dictionary<int, List<Box>>();
            var leaves = new Dictionary<int, List<Box>>();
            foreach (var box in boxes)
            {
                var (single, group) = (box.Single(axis), box.Group(axis));
                if (single != 0)
                {
                    foreach (var leaf in of.Of(single))
                        if (group == 0 || of.Holds(single, group, leaf))
                            Put(leaves, leaf, box);
                }
                else if (group != 0)
                    Put(groups, group, box);
                else
                    none.Add(box);
            }
            None = new Layer(none);
            Groups = groups.ToDictionary(g => g.Key, g => new Layer(g.Value));
            Named = leaves.ToDictionary(l => l.Key, l => new Layer(l.Value));
            // Leaves whose own boxes ask nothing more: only the first of them counts, and those of one group and rank
            // are alike.
            var alike = new Dictionary<(int, long, int), int>();
            var apart = new List<int>();
            foreach (var (leaf, own) in leaves)
                if ((own[0].Mask & rest) == 0)
                    alike[(of.Leaves[leaf].Group, own[0].Rank, own[0].Slot)] =
                        alike.GetValueOrDefault((of.Leaves[leaf].Group, own[0].Rank, own[0].Slot)) + 1;
                else
                    apart.Add(leaf);
            Alike = [.. alike.Select(a => (a.Key.Item1, a.Key.Item2, a.Key.Item3, a.Value))];
            Apart = apart;
            NamedIn = leaves.Keys.CountBy(l => of.Leaves[l].Group).ToDictionary();
        }

        /// <summary>Boxes that ask nothing of the axis.</summary>
        public Layer None { get; }
        public IReadOnlyDictionary<int, Layer> Groups { get; }

        /// <summary>The boxes that name a leaf, alone or by what it is a part of.</summary>
        public IReadOnlyDictionary<int, Layer> Named { get; }
        public IReadOnlyList<(int Group, long Rank, int Slot, int Count)> Alike { get; }

        /// <summary>Named leaves that have to be looked at one by one.</summary>
        public IReadOnlyList<int> Apart { get; }
        public IReadOnlyDictionary<int, int> NamedIn { get; }

        private static void Put(Dictionary<int, List<Box>> lists, int key, Box box)
        {
            if (!lists.TryGetValue(key, out var list))
                lists[key] = list = [];
            list.Add(box);
        }
    }

    // What decides whatever is left: a box before it comes first.
    private readonly record struct Cap(long Rank, int Slot);

    private readonly int[] order = [.. Enumerable.Range(0, axes.Count)];

    /// <summary>How many combinations each slot decides; the last entry is what nothing decides.</summary>
    /// <param name="dims">The axes that combinations are made of, as bits.</param>
    public Int128[] Count(IReadOnlyList<Box> boxes, int dims)
    {
        // The axis on which most records are named goes first: what is named there is then few beside the rest.
        Array.Sort(
            [
                .. Enumerable
                    .Range(0, axes.Count)
                    .Select(a => -boxes.Where(b => b.Single(a) != 0).Select(b => b.Single(a)).Distinct().Count()),
            ],
            order
        );
        return Count([new Layer(boxes)], dims, new Cap(long.MaxValue, slots));
    }

    private Int128[] Count(List<Layer> layers, int dims, Cap cap)
    {
        var used = 0;
        foreach (var layer in layers)
        foreach (var box in layer.Boxes)
        {
            if (box.Rank >= cap.Rank)
                break;
            if ((box.Mask & dims) == 0)
            {
                cap = new Cap(box.Rank, box.Slot);
                break;
            }
        }
        foreach (var layer in layers)
        foreach (var box in layer.Boxes)
        {
            if (box.Rank >= cap.Rank)
                break;
            used |= box.Mask;
        }
        used &= dims;
        Int128 factor = 1;
        for (var a = 0; a < axes.Count; a++)
            if ((dims & ~used & 1 << a) != 0)
                factor *= axes[a].Leaves.Count;
        var tally = new Int128[slots + 1];
        if (used == 0 || factor == 0)
        {
            tally[cap.Slot] = factor;
            return tally;
        }
        var axis = order.First(a => (used & 1 << a) != 0);
        Add(tally, OnAxis(layers, axis, used & ~(1 << axis), cap), factor);
        return tally;
    }

    private Int128[] OnAxis(List<Layer> layers, int axis, int rest, Cap cap)
    {
        var of = axes[axis];
        // One layer names leaves; where several do they are one.
        if (layers.Count(l => l.On(axis, rest, of).Named.Count > 0) > 1)
            layers =
            [
                new Layer([.. layers.SelectMany(l => l.Boxes).Where(b => b.Rank < cap.Rank).OrderBy(b => b.Rank)]),
            ];
        List<Split> splits = [.. layers.Select(l => l.On(axis, rest, of))];
        var naming = splits.FirstOrDefault(s => s.Named.Count > 0);
        var tally = new Int128[slots + 1];
        var bases = new Dictionary<int, List<Layer>>();
        var counts = new Dictionary<(int Near, Cap Cap), Int128[]>();
        // Groups that no box asks for stand for the nearest above them that one does.
        int Near(int group) => of.Chain(group).FirstOrDefault(g => splits.Any(s => s.Groups.ContainsKey(g)));
        List<Layer> Base(int near)
        {
            if (bases.TryGetValue(near, out var known))
                return known;
            known = [.. splits.Select(s => s.None).Where(l => l.Boxes.Count > 0)];
            foreach (var group in of.Chain(near))
                known.AddRange(splits.Select(s => s.Groups.GetValueOrDefault(group)).OfType<Layer>());
            return bases[near] = known;
        }
        Int128[] Counted(int near, Cap under) =>
            counts.TryGetValue((near, under), out var known)
                ? known
                : counts[(near, under)] = Count(Base(near), rest, under);

        foreach (var class_ in of.Direct.GroupBy(d => Near(d.Key)))
        {
            var unnamed = class_.Sum(d => d.Value - (naming?.NamedIn.GetValueOrDefault(d.Key) ?? 0));
            if (unnamed > 0)
                Add(tally, Counted(class_.Key, cap), unnamed);
        }
        if (naming is null)
            return tally;
        foreach (var (group, rank, slot, count) in naming.Alike)
            Add(tally, Counted(Near(group), rank < cap.Rank ? new Cap(rank, slot) : cap), count);
        foreach (var leaf in naming.Apart)
        {
            var near = Near(of.Leaves[leaf].Group);
            var own = naming.Named[leaf].Boxes;
            var under = cap;
            foreach (var box in own)
                if (box.Rank < under.Rank && (box.Mask & rest) == 0)
                {
                    under = new Cap(box.Rank, box.Slot);
                    break;
                }
            List<Box> more = [.. own.TakeWhile(b => b.Rank < under.Rank)];
            var next = order.FirstOrDefault(
                a => more.Count > 0 && more.All(b => b.Single(a) != 0 && b.Group(a) == 0 && (rest & 1 << a) != 0),
                -1
            );
            if (more.Count > 0 && next < 0)
            {
                Add(tally, Count([.. Base(near), new Layer(more)], rest, under), 1);
                continue;
            }
            Add(tally, Counted(near, under), 1);
            if (more.Count == 0)
                continue;
            // What its own boxes change lies where they name leaves of the next axis: those points are counted with and
            // without them.
            var beyond = rest & ~(1 << next);
            foreach (var point in more.SelectMany(b => axes[next].Of(b.Single(next))).Distinct())
            {
                var at = At(Base(near), next, beyond, point);
                Add(tally, Count(at, beyond, under), -1);
                Add(
                    tally,
                    Count(
                        [.. at, new Layer([.. more.Where(b => axes[next].Holds(b.Single(next), 0, point))])],
                        beyond,
                        under
                    ),
                    1
                );
            }
        }
        return tally;
    }

    // The layers as they are for one leaf of an axis.
    private List<Layer> At(List<Layer> layers, int axis, int rest, int leaf)
    {
        var at = new List<Layer>();
        foreach (var layer in layers)
        {
            var split = layer.On(axis, rest, axes[axis]);
            if (split.None.Boxes.Count > 0)
                at.Add(split.None);
            if (split.Named.TryGetValue(leaf, out var named))
                at.Add(named);
            if (split.Groups.Count > 0)
                at.AddRange(
                    axes[axis]
                        .Chain(axes[axis].Leaves[leaf].Group)
                        .Select(g => split.Groups.GetValueOrDefault(g))
                        .OfType<Layer>()
                );
        }
        return at;
    }

    private static void Add(Int128[] tally, Int128[] more, Int128 times)
    {
        for (var i = 0; i < tally.Length; i++)
            if (more[i] != 0)
                tally[i] += more[i] * times;
    }
}
