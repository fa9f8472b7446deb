using Assignum.Core.Landing;

namespace Assignum.Core.Coverage;

/// <summary>What a combination can have on one of its sides: an item or none, a party or none, and so on.</summary>
/// <param name="Single">The record's number in the landing index; 0: none.</param>
/// <param name="Group">The number of its own group; 0: none.</param>
internal readonly record struct Leaf(int Single, int Group);

/// <summary>One side of the combinations: the records that take part, with their groups, and what lies above
/// what.</summary>
internal sealed class Axis
{
    private readonly LandingIndex index;
    private readonly Dimension? group;
    private readonly Lazy<Listed> bySingle;
    private readonly Lazy<Listed> byGroup;
    private readonly Lazy<int[]?> groupOf;

    /// <summary>The dimensions that an axis answers for: the record's own, and its group's.</summary>
    public static readonly IReadOnlyList<(Dimension Single, Dimension? Group)> Kinds =
    [
        (Dimension.Item, Dimension.ItemGroup),
        (Dimension.Party, Dimension.PartyGroup),
        (Dimension.Project, Dimension.ProjectGroup),
        (Dimension.Location, null),
        (Dimension.Channel, null),
        (Dimension.Method, null),
        (Dimension.Reason, null),
        (Dimension.TaxCode, null),
        (Dimension.Currency, null),
        (Dimension.Counterparty, null),
    ];

    public Axis(LandingIndex index, int kind, IEnumerable<Leaf> leaves)
    {
        this.index = index;
        Kind = kind;
        (Single, group) = Kinds[kind];
        Leaves = [.. leaves];
        bySingle = new(() =>
            new Listed(
                index.Size(Single),
                Enumerable
                    .Range(0, Leaves.Count)
                    .Where(i => Leaves[i].Single != 0)
                    .SelectMany(i => Up(Leaves[i].Single).Select(p => (p, i)))
            )
        );
        byGroup = new(() => new Listed(Groups, Enumerable.Range(0, Leaves.Count).Select(i => (Leaves[i].Group, i))));
        groupOf = new(() =>
        {
            if (
                Single == Dimension.Project
                || Leaves.Count(l => l.Single != 0)
                    != Leaves.Where(l => l.Single != 0).Select(l => l.Single).Distinct().Count()
            )
                return null;
            var of = new int[index.Size(Single)];
            foreach (var leaf in Leaves)
                of[leaf.Single] = leaf.Single == 0 ? 0 : leaf.Group;
            return of;
        });
        Direct = Leaves.CountBy(l => l.Group).ToDictionary();
    }

    public int Kind { get; }
    public Dimension Single { get; }
    public IReadOnlyList<Leaf> Leaves { get; }

    /// <summary>How many leaves stand in each group directly; 0: in none.</summary>
    public IReadOnlyDictionary<int, int> Direct { get; }

    /// <summary>How many numbers groups have here; 1 where there are none.</summary>
    public int Groups => group is { } g ? index.Size(g) : 1;

    /// <summary>The group of each record by its number, where each stands for one leaf (0: in none, or not here); null
    /// where one can stand for several.</summary>
    public int[]? GroupOf => groupOf.Value;

    /// <summary>The leaves that a record's number stands for: itself (as customer and as supplier, where both take
    /// part), and of a project its tasks.</summary>
    public ArraySegment<int> Of(int single) => bySingle.Value[single];

    /// <summary>The leaves that stand in a group directly.</summary>
    public ArraySegment<int> In(int inGroup) => byGroup.Value[inGroup];

    /// <summary>A group and those above it.</summary>
    public IEnumerable<int> Chain(int of)
    {
        for (var at = of; at != 0; at = group is { } g ? index.Parent(g, at) : 0)
            yield return at;
    }

    /// <summary>Whether a group is another one, or stands below it.</summary>
    public bool Below(int of, int above)
    {
        for (var at = of; at != 0; at = group is { } g ? index.Parent(g, at) : 0)
            if (at == above)
                return true;
        return false;
    }

    /// <summary>Whether what a box asks of this axis holds for a leaf.</summary>
    public bool Holds(int single, int inGroup, int leaf) =>
        (single == 0 || IsOf(Leaves[leaf].Single, single)) && (inGroup == 0 || Below(Leaves[leaf].Group, inGroup));

    /// <summary>The leaves that hold what a box asks of this axis.</summary>
    public IEnumerable<int> Holding(int single, int inGroup) =>
        single != 0
            ? Of(single).Where(l => inGroup == 0 || Below(Leaves[l].Group, inGroup))
            : Direct.Keys.Where(g => Below(g, inGroup)).SelectMany(g => In(g));

    /// <summary>This axis with some of its leaves only.</summary>
    public Axis Only(IEnumerable<int> leaves) => new(index, Kind, leaves.Select(l => Leaves[l]));

    /// <summary>A record's number and, of a task, its project's.</summary>
    public IEnumerable<int> Up(int single)
    {
        for (var at = single; at != 0; at = LandingIndex.IsNested(Single) ? index.Parent(Single, at) : 0)
            yield return at;
    }

    private bool IsOf(int single, int wanted)
    {
        for (var at = single; at != 0; at = LandingIndex.IsNested(Single) ? index.Parent(Single, at) : 0)
            if (at == wanted)
                return true;
        return false;
    }

    // Leaves by a small number, in one array: 200,000 of them are looked up without an object for each. Few of them are
    // in a table.
    private sealed class Listed
    {
        private readonly int[] start = [];
        private readonly int[] leaves = [];
        private readonly ILookup<int, int>? few;

        public Listed(int keys, IEnumerable<(int Key, int Leaf)> pairs)
        {
            var all = pairs.ToArray();
            if (all.Length < keys / 8)
            {
                few = all.ToLookup(p => p.Key, p => p.Leaf);
                return;
            }
            start = new int[keys + 1];
            foreach (var (key, _) in all)
                start[key + 1]++;
            for (var k = 0; k < keys; k++)
                start[k + 1] += start[k];
            leaves = new int[all.Length];
            var at = start[..keys];
            foreach (var (key, leaf) in all)
                leaves[at[key]++] = leaf;
        }

        public ArraySegment<int> this[int key] =>
            few is not null
                ? new ArraySegment<int>([.. few[key]])
                : new ArraySegment<int>(leaves, start[key], start[key + 1] - start[key]);
    }
}
