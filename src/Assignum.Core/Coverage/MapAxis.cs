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

    /// <summary>A line with what it covers.</summary>
    public sealed record Covering(MapLine Line, IReadOnlyList<(int Atom, int Records)> Atoms);

    private readonly CompiledSetUp setUp;
    private readonly Axis? axis;
    private readonly PartySide side;
    private readonly HashSet<string> open;
    private readonly MapAtoms atoms;
    private readonly List<Covering> lines = [];

    /// <param name="open">Keys of the lines that are open with their records listed, after <c>=</c> those whose records
    /// stand together; <c>*</c>: all groups, so.</param>
    public MapAxis(CompiledSetUp setUp, Purpose purpose, MapAtoms atoms, HashSet<string> open)
    {
        (this.setUp, this.atoms, this.open) = (setUp, atoms, open);
        axis = atoms.Of;
        side = PartySides.Of(purpose);
        if (axis is null)
        {
            lines.Add(
                new Covering(new MapLine("all", MapLineKind.All, null, "Everything", 0, false, false, 1), [(0, 1)])
            );
            return;
        }
        var none = atoms.None;
        if (none > 0)
            Add(
                new MapLine("none", MapLineKind.None, null, "None given", 0, false, false, none),
                [(atoms.Number(0, 0), none)]
            );
        if (Nested)
        {
            var groups = Groups().ToLookup(g => g.Parent ?? "", g => g);
            foreach (var kind in Groups().Select(g => g.Kind).Distinct())
                Walk(groups, kind, "", 0);
            if (Direct(0).Any())
                Ungrouped();
        }
        else
            Records(0, 0);
    }

    // The records of a group itself.
    private IEnumerable<Leaf> Direct(int group) =>
        axis!.In(group).Select(i => axis.Leaves[i]).Where(l => l.Single != 0);

    private bool Nested => Axis.Kinds[axis!.Kind].Group is not null;
    private Dimension GroupDimension => Axis.Kinds[axis!.Kind].Group!.Value;

    public MapAtoms Atoms => atoms;
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
                singles.UnionWith(Direct(of[i].Group));
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
                    foreach (var leaf in Direct(of[i].Group))
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
            var inIt = atoms.Below[number].Select(a => (Atom: a, atoms.All[a].Records)).ToList();
            var nests = groups[group.Code].Any(g => g.Kind == kind);
            var opens = nests || Direct(number).Any();
            var listed = opens && open.Contains(key);
            var isOpen = listed || nests && (open.Contains("*") || open.Contains("=" + key));
            var own = atoms.Number(0, number);
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
                    Listed = listed || !Direct(number).Any(),
                    Values = new Dictionary<string, string> { [Words.Of(GroupDimension)] = group.Code },
                },
                    // Open, it stands for what is in itself, listed or empty for what comes into it.
                    !isOpen && inIt.Count > 0
                        ? inIt
                    : isOpen && !listed && Direct(number).Any() ? [.. Covers(Direct(number))]
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
            new MapLine("ungrouped", MapLineKind.Ungrouped, null, "In no group", 0, true, isOpen, Direct(0).Count())
            {
                Listed = true,
            },
            isOpen ? [(atoms.Number(0, 0), 1)] : [.. Covers(Direct(0))]
        );
        if (isOpen)
            Records(0, 1);
    }

    private IEnumerable<(int Atom, int Records)> Covers(IEnumerable<Leaf> leaves) =>
        leaves.GroupBy(l => atoms.Number(atoms.IsAlone(l) ? l.Single : 0, l.Group)).Select(g => (g.Key, g.Count()));

    private void Records(int group, int depth)
    {
        var all = Direct(group).ToList();
        var listed = all.Count <= MostListed ? all : all.FindAll(l => atoms.IsAlone(l));
        foreach (var leaf in listed.Take(MostListed))
        {
            var code = setUp.Index.Key(axis!.Single, leaf.Single);
            Add(
                new MapLine(
                    "r:"
                        + code
                        + (atoms.Twice.Contains(leaf.Single) ? "@" + groupKeys.GetValueOrDefault(group, "none") : ""),
                    MapLineKind.Record,
                    code,
                    Name(code),
                    depth,
                    false,
                    false,
                    1
                )
                {
                    Values = atoms.Twice.Contains(leaf.Single)
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
