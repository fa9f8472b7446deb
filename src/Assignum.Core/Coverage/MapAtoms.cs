using Assignum.Core.Landing;

namespace Assignum.Core.Coverage;

/// <summary>The records of one side of a landing map: one alone where an assignment names it, all others of a group
/// together, and of each group what comes new into it.</summary>
internal sealed class MapAtoms
{
    /// <summary>Records that land alike: one that is named, or all of a group that are not.</summary>
    public readonly record struct Atom(int Single, int Group, int Records);

    private readonly List<Atom> all = [];
    private readonly Dictionary<(int Single, int Group), int> numbers = [];
    private readonly Lazy<ILookup<int, int>> below;

    /// <param name="axis">Null: the ladder asks for no such thing.</param>
    /// <param name="alone">Records that are told by themselves.</param>
    public MapAtoms(Axis? axis, IReadOnlySet<int> alone)
    {
        Of = axis;
        below = new(() =>
            Enumerable
                .Range(0, all.Count)
                .Where(a => all[a].Records > 0)
                .SelectMany(a => axis!.Chain(all[a].Group).Select(g => (Group: g, Atom: a)))
                .ToLookup(p => p.Group, p => p.Atom)
        );
        if (axis is null)
        {
            Add(0, 0, 1);
            return;
        }
        // 200,000 records: one pass, without an object for each.
        var together = new int[axis.Groups];
        foreach (var leaf in axis.Leaves)
            if (leaf.Single != 0 && (axis.Single == Dimension.Project || alone.Contains(leaf.Single)))
                Add(leaf.Single, leaf.Group, 1);
            else
            {
                together[leaf.Group]++;
                None += leaf is { Single: 0, Group: 0 } ? 1 : 0;
            }
        for (var group = 0; group < together.Length; group++)
            Add(0, group, together[group]);
        if (axis.Single == Dimension.Party)
            Twice = axis
                .Leaves.Where(l => l.Single != 0)
                .CountBy(l => l.Single)
                .Where(g => g.Value > 1)
                .Select(g => g.Key)
                .ToHashSet();
    }

    /// <summary>The axis of records; null: there is none.</summary>
    public Axis? Of { get; }

    public IReadOnlyList<Atom> All => all;

    /// <summary>How many stand for no record at all.</summary>
    public int None { get; }

    /// <summary>Records that stand in two groups.</summary>
    public IReadOnlySet<int> Twice { get; } = new HashSet<int>();

    /// <summary>By group: those with records in it and below it.</summary>
    public ILookup<int, int> Below => below.Value;

    /// <summary>Whether a record is told by itself.</summary>
    public bool IsAlone(Leaf leaf) => leaf.Single != 0 && numbers.ContainsKey((leaf.Single, leaf.Group));

    /// <summary>The number of a record told by itself, or of those of a group that are not.</summary>
    public int Number(int single, int group) => numbers[(single, group)];

    private void Add(int single, int group, int records)
    {
        if (!numbers.TryAdd((single, group), all.Count))
            return;
        all.Add(new Atom(single, group, records));
    }
}
