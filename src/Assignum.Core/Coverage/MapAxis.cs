using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;

namespace Assignum.Core.Coverage;

/// <summary>What a line of a landing map stands for.</summary>
public enum MapLineKind
{
    /// <summary>A group with all that is in it and below it; opened, with what is in itself; its records listed, what comes
    /// new into it.</summary>
    Group,

    /// <summary>One record.</summary>
    Record,

    /// <summary>No record at all.</summary>
    None,

    /// <summary>The records that are in no group.</summary>
    Ungrouped,

    /// <summary>Records of one group that no assignment names, where there are too many to be listed.</summary>
    Others,

    /// <summary>Everything: the ladder asks for nothing more.</summary>
    All,
}

/// <summary>A row or a column of a landing map.</summary>
/// <param name="Key">Names it in addresses: <c>g:</c>, <c>c:</c>, <c>s:</c> and a group's code, <c>r:</c> and a record's,
/// or a word.</param>
/// <param name="Depth">How deep it stands; 0 at the top.</param>
/// <param name="Opens">Whether something stands below it.</param>
/// <param name="Records">How many records it stands for.</param>
public sealed record MapLine(
    string Key,
    MapLineKind Kind,
    string? Code,
    string Name,
    int Depth,
    bool Opens,
    bool Open,
    int Records
)
{
    /// <summary>Its own records are listed; else they stand together on one line.</summary>
    public bool Listed { get; init; }

    /// <summary>The values that an explanation asks with, by dimension.</summary>
    public IReadOnlyDictionary<string, string> Values { get; init; } = new Dictionary<string, string>();
}

/// <summary>One side of a landing map: the records of one kind, alone where an assignment names them or another edition
/// has them elsewhere, else as their group; and the lines that are shown of them.</summary>
internal sealed class MapAxis
{
    /// <summary>Records of one group are listed one by one up to this many.</summary>
    public const int MostListed = 300;

    /// <summary>Records that land alike: one that is named, or all of a group that are not.</summary>
    public readonly record struct Atom(int Single, int Group, int Records);

    /// <summary>A line with what it covers.</summary>
    public sealed record Covering(MapLine Line, IReadOnlyList<(int Atom, int Records)> Atoms);

    private readonly CompiledSetUp setUp;
    private readonly Axis? axis;
    private readonly PartySide side;
    private readonly HashSet<string> open;
    private readonly List<Atom> atoms = [];
    private readonly Dictionary<(int Single, int Group), int> numbers = [];
    private readonly List<Covering> lines = [];
    private readonly ILookup<int, Leaf>? direct;
    private readonly HashSet<int> twice;

    /// <param name="axis">Null: the ladder asks for no such thing.</param>
    /// <param name="alone">Records that are told by themselves.</param>
    /// <param name="open">Keys of the lines that are open with their records listed, after <c>=</c> those whose records
    /// stand together; <c>*</c>: all groups, so.</param>
    public MapAxis(CompiledSetUp setUp, Purpose purpose, Axis? axis, IReadOnlySet<int> alone, HashSet<string> open)
    {
        (this.setUp, this.axis, this.open) = (setUp, axis, open);
        side = PartySides.Of(purpose);
        twice = [];
        if (axis is null)
        {
            lines.Add(
                new Covering(new MapLine("all", MapLineKind.All, null, "Everything", 0, false, false, 1), [(0, 1)])
            );
            atoms.Add(new Atom(0, 0, 1));
            return;
        }
        foreach (var group in axis.Leaves.GroupBy(l => (Single: IsAlone(l.Single) ? l.Single : 0, l.Group)))
            Number(group.Key.Single, group.Key.Group, group.Count());
        twice =
        [
            .. axis
                .Leaves.Where(l => l.Single != 0)
                .GroupBy(l => l.Single)
                .Where(g => g.Count() > 1)
                .Select(g => g.Key),
        ];
        direct = axis.Leaves.Where(l => l.Single != 0).ToLookup(l => l.Group);
        var none = axis.Leaves.Count(l => l is { Single: 0, Group: 0 });
        if (none > 0)
            Add(
                new MapLine("none", MapLineKind.None, null, "None given", 0, false, false, none),
                [(Number(0, 0, 0), none)]
            );
        if (Nested)
        {
            below = Enumerable
                .Range(0, atoms.Count)
                .SelectMany(a => axis.Chain(atoms[a].Group).Select(g => (Group: g, Atom: a)))
                .ToLookup(p => p.Group, p => p.Atom);
            var groups = Groups().ToLookup(g => g.Parent ?? "", g => g);
            foreach (var kind in Groups().Select(g => g.Kind).Distinct())
                Walk(groups, kind, "", 0);
            if (direct[0].Any())
                Ungrouped();
        }
        else
            Records(0, 0);

        bool IsAlone(int single) =>
            axis.Single == Dimension.Project ? single != 0 : axis.Up(single).Any(alone.Contains);
    }

    private bool Nested => Axis.Kinds[axis!.Kind].Group is not null;
    private Dimension GroupDimension => Axis.Kinds[axis!.Kind].Group!.Value;

    public IReadOnlyList<Atom> Atoms => atoms;
    public IReadOnlyList<Covering> Lines => lines;

    /// <summary>The axis of records; null: there is none.</summary>
    public Axis? Of => axis;

    /// <summary>Groups that nothing stands in.</summary>
    public IEnumerable<Leaf> Empty =>
        axis is null || !Nested
            ? []
            : Groups().Select(NumberOf).Where(n => !axis.Direct.ContainsKey(n)).Select(n => new Leaf(0, n));

    /// <summary>Tells of a record, or of a group in which nothing stands, whether some lines cover it.</summary>
    public Func<Leaf, bool> Covered(IReadOnlySet<string> chosen)
    {
        var (closed, opened, singles) = (new HashSet<int>(), new HashSet<int>(), new HashSet<Leaf>());
        var (none, ungrouped) = (false, false);
        if (axis is null)
            return _ => chosen.Contains("all");
        foreach (var (line, i) in lines.Select((l, i) => (l.Line, i)).Where(l => chosen.Contains(l.Line.Key)))
        {
            singles.UnionWith(of[i].Leaves);
            if (line.Kind == MapLineKind.Group)
                (line.Open ? opened : closed).Add(of[i].Group);
            if (line is { Kind: MapLineKind.Group, Open: true, Listed: false })
                singles.UnionWith(direct![of[i].Group]);
            none |= line.Kind == MapLineKind.None;
            ungrouped |= line.Kind == MapLineKind.Ungrouped && !line.Open;
        }
        return leaf =>
            leaf is { Single: 0, Group: 0 } ? none
            : singles.Contains(leaf) ? true
            : leaf.Single != 0 && leaf.Group == 0 ? ungrouped
            : leaf.Single == 0 && opened.Contains(leaf.Group) ? true
            : axis.Chain(leaf.Group).Any(closed.Contains);
    }

    // The group that each line is of, and the records that it is of where it is of some alone.
    private readonly List<(int Group, IReadOnlyList<Leaf> Leaves)> of = [];
    private ILookup<int, int>? below;
    private readonly Dictionary<int, string> groupKeys = [];

    /// <summary>The line that shows a record; −1: none does.</summary>
    /// <param name="code">Null: no record.</param>
    public int LineOf(string? code)
    {
        if (axis is null)
            return 0;
        if (lineOf is null)
        {
            lineOf = new(StringComparer.Ordinal);
            (byLeaf, byGroup) = ([], []);
            for (var i = 0; i < lines.Count; i++)
            {
                foreach (var leaf in of[i].Leaves)
                    byLeaf.TryAdd(leaf, i);
                if (lines[i].Line is { Kind: MapLineKind.Group, Open: true, Listed: false })
                    foreach (var leaf in direct![of[i].Group])
                        byLeaf.TryAdd(leaf, i);
                if (lines[i].Line is { Kind: MapLineKind.Group, Open: false })
                    byGroup[of[i].Group] = i;
            }
        }
        return code is null ? lines.FindIndex(l => l.Line.Kind == MapLineKind.None)
            : lineOf.TryGetValue(code, out var known) ? known
            : lineOf[code] = Find(axis.Of(setUp.Index.Of(axis.Single, code)));

        int Find(ArraySegment<int> leaves)
        {
            foreach (var leaf in leaves.Select(l => axis.Leaves[l]))
            {
                if (byLeaf!.TryGetValue(leaf, out var own))
                    return own;
                foreach (var group in axis.Chain(leaf.Group))
                    if (byGroup!.TryGetValue(group, out var line))
                        return line;
                if (leaf.Group == 0)
                    return lines.FindIndex(l => l.Line.Kind == MapLineKind.Ungrouped);
            }
            return -1;
        }
    }

    private Dictionary<string, int>? lineOf;
    private Dictionary<Leaf, int>? byLeaf;
    private Dictionary<int, int>? byGroup;

    private IEnumerable<LandingGroup> Groups() =>
        setUp.SetUp.Groups.Where(g =>
            axis!.Single switch
            {
                Dimension.Item => g.Kind == GroupKind.Item,
                Dimension.Project => g.Kind == GroupKind.Project,
                _ => g.Kind == GroupKind.Customer && side != PartySide.Suppliers
                    || g.Kind == GroupKind.Supplier && side != PartySide.Customers,
            }
        );

    private int NumberOf(LandingGroup group) => setUp.Index.OfGroup(group.Kind, group.Code);

    private string KeyOf(LandingGroup group) =>
        (
            side != PartySide.Any ? "g:"
            : group.Kind == GroupKind.Customer ? "c:"
            : group.Kind == GroupKind.Supplier ? "s:"
            : "g:"
        ) + group.Code;

    private int Number(int single, int group, int records)
    {
        if (numbers.TryGetValue((single, group), out var known))
            return known;
        atoms.Add(new Atom(single, group, records));
        return numbers[(single, group)] = atoms.Count - 1;
    }

    private void Add(MapLine line, IReadOnlyList<(int, int)> covers, int group = 0, IReadOnlyList<Leaf>? leaves = null)
    {
        lines.Add(new Covering(line, covers));
        of.Add((group, leaves ?? []));
    }

    private void Walk(ILookup<string, LandingGroup> groups, GroupKind kind, string under, int depth)
    {
        foreach (var group in groups[under].Where(g => g.Kind == kind))
        {
            var (number, key) = (NumberOf(group), KeyOf(group));
            groupKeys[number] = key;
            var inIt = below![number].Select(a => (Atom: a, atoms[a].Records)).ToList();
            var nests = groups[group.Code].Any(g => g.Kind == kind);
            var opens = nests || direct![number].Any();
            var listed = opens && open.Contains(key);
            var isOpen = listed || nests && (open.Contains("*") || open.Contains("=" + key));
            var own = Number(0, number, 0);
            Add(
                new MapLine(
                    key,
                    MapLineKind.Group,
                    group.Code,
                    group.Name,
                    depth,
                    opens,
                    isOpen,
                    inIt.Sum(b => b.Records)
                )
                {
                    Listed = listed || !direct![number].Any(),
                    Values = new Dictionary<string, string> { [Words.Of(GroupDimension)] = group.Code },
                },
                    // Open, it stands for what is in itself, listed or empty for what comes into it.
                    !isOpen && inIt.Count > 0
                        ? inIt
                    : isOpen && !listed && direct![number].Any() ? [.. Covers(direct[number])]
                    : [(own, 1)],
                number
            );
            if (!isOpen)
                continue;
            Walk(groups, kind, group.Code, depth + 1);
            if (listed)
                Records(number, depth + 1);
        }
    }

    private void Ungrouped()
    {
        var isOpen = open.Contains("ungrouped");
        Add(
            new MapLine("ungrouped", MapLineKind.Ungrouped, null, "In no group", 0, true, isOpen, direct![0].Count())
            {
                Listed = true,
            },
            isOpen ? [(Number(0, 0, 0), 1)] : [.. Covers(direct[0])]
        );
        if (isOpen)
            Records(0, 1);
    }

    private IEnumerable<(int Atom, int Records)> Covers(IEnumerable<Leaf> leaves) =>
        leaves
            .GroupBy(l => numbers.TryGetValue((l.Single, l.Group), out var own) ? own : Number(0, l.Group, 0))
            .Select(g => (g.Key, g.Count()));

    private void Records(int group, int depth)
    {
        var all = direct![group].ToList();
        var listed = all.Count <= MostListed ? all : all.FindAll(l => numbers.ContainsKey((l.Single, group)));
        foreach (var leaf in listed.Take(MostListed))
        {
            var code = setUp.Index.Key(axis!.Single, leaf.Single);
            Add(
                new MapLine(
                    "r:" + code + (twice.Contains(leaf.Single) ? "@" + groupKeys.GetValueOrDefault(group, "none") : ""),
                    MapLineKind.Record,
                    code,
                    Name(code),
                    depth,
                    false,
                    false,
                    1
                )
                {
                    Values = twice.Contains(leaf.Single)
                        ? new Dictionary<string, string>
                        {
                            [Words.Of(axis.Single)] = code,
                            [Words.Of(GroupDimension)] = setUp.Index.Key(GroupDimension, group),
                        }
                        : new Dictionary<string, string> { [Words.Of(axis.Single)] = code },
                },
                [.. Covers([leaf])],
                group,
                [leaf]
            );
        }
        var rest = all.Except(listed).ToList();
        if (rest.Count > 0)
            Others(group, depth, rest);
        if (listed.Count > MostListed)
            Others(group, depth, listed[MostListed..], "more");
    }

    private void Others(int group, int depth, IEnumerable<Leaf> leaves, string word = "others")
    {
        var all = leaves.ToList();
        var code = group == 0 ? null : setUp.Index.Key(GroupDimension, group);
        Add(
            new MapLine(
                $"{word}:{code}",
                MapLineKind.Others,
                null,
                $"{all.Count} more{(code is null ? "" : $" of {code}")}",
                depth,
                false,
                false,
                all.Count
            )
            {
                Values = code is null
                    ? new Dictionary<string, string>()
                    : new Dictionary<string, string> { [Words.Of(GroupDimension)] = code },
            },
            [.. Covers(all)],
            group,
            all
        );
    }

    private Dictionary<string, string>? names;

    private string Name(string code) =>
        (names ??= Names()).GetValueOrDefault(code) ?? (axis!.Single == Dimension.Currency ? code : "");

    private Dictionary<string, string> Names()
    {
        var of = setUp.SetUp;
        IEnumerable<(string Code, string Name)> all = axis!.Single switch
        {
            Dimension.Item => of.Items.Select(i => (i.Code, i.Name)),
            Dimension.Party => of.Parties.Select(p => (p.Code, p.Name)),
            Dimension.Project => of.Projects.Select(p => (p.Code, p.Name)),
            Dimension.TaxCode => of.TaxCodes.Select(t => (t.Code, t.Name)),
            Dimension.Location => of.Locations.Select(l => (l.Code, l.Name)),
            Dimension.Channel => of.Channels.Select(l => (l.Code, l.Name)),
            Dimension.Method => of.Methods.Select(l => (l.Code, l.Name)),
            Dimension.Reason => of.Reasons.Select(l => (l.Code, l.Name)),
            _ => [],
        };
        return all.DistinctBy(a => a.Code).ToDictionary(a => a.Code, a => a.Name, StringComparer.Ordinal);
    }
}
