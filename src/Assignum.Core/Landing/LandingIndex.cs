using System.Collections.Concurrent;
using Assignum.Core.Money;
using Assignum.Core.Records;
using Assignum.Core.Tax;

namespace Assignum.Core.Landing;

/// <summary>What the dimensions of one set-up can hold.</summary>
/// <param name="OtherEntities">Codes of the entities beside this one.</param>
/// <param name="Assignments">Name entities too that are not there yet.</param>
public sealed record LandingValues(
    IReadOnlyList<LandingGroup> Groups,
    IReadOnlyList<Item> Items,
    IReadOnlyList<Party> Parties,
    IReadOnlyList<Project> Projects,
    IReadOnlyList<PlainRecord> Locations,
    IReadOnlyList<PlainRecord> Channels,
    IReadOnlyList<PlainRecord> Methods,
    IReadOnlyList<PlainRecord> Reasons,
    IReadOnlyList<TaxCode> TaxCodes,
    IReadOnlyList<string> OtherEntities,
    IReadOnlyList<Assignment> Assignments
);

/// <summary>
/// Gives every value of every dimension of one set-up a small number, and every nested value its parent's number.
/// </summary>
/// <remarks>
/// Customer and supplier groups live side by side in the dimension party-group: a group node is (kind, code), its key
/// is its code, so an assignment that names a code is meant for every kind that has it. An index that is made from
/// another one adds to it: values that were there keep their numbers.
/// </remarks>
public sealed class LandingIndex
{
    private readonly Space[] spaces = new Space[LegValues.Count];
    private readonly LandingValues values;
    private readonly ConcurrentDictionary<(Dimension, int), string[]> chains = new();

    /// <summary>Numbers the values of a set-up.</summary>
    /// <param name="from">The index of the set-up that this one was changed from, where it was.</param>
    public LandingIndex(LandingValues values, LandingIndex? from = null)
    {
        this.values = values;
        var was = from?.values;
        spaces[(int)Dimension.Line] = new NodeSpace();
        (Items, Parties) = (
            RecordSpace<Item>.Of(values.Items, i => i.Code, was?.Items),
            RecordSpace<Party>.Of(values.Parties, p => p.Code, was?.Parties)
        );
        (spaces[(int)Dimension.Item], spaces[(int)Dimension.Party]) = (Items, Parties);
        bool Kept(bool same, params Dimension[] dimensions)
        {
            if (!same)
                return false;
            foreach (var dimension in dimensions)
                spaces[(int)dimension] = from!.spaces[(int)dimension];
            return true;
        }
        var groups = (Dimension[])[Dimension.ItemGroup, Dimension.PartyGroup, Dimension.ProjectGroup];
        if (!Kept(ReferenceEquals(was?.Groups, values.Groups), groups))
            Groups(groups);
        if (!Kept(ReferenceEquals(was?.Projects, values.Projects), Dimension.Project))
            spaces[(int)Dimension.Project] = Projects(values.Projects);
        foreach (
            var (dimension, before, records) in new[]
            {
                (Dimension.Location, was?.Locations, values.Locations),
                (Dimension.Channel, was?.Channels, values.Channels),
                (Dimension.Method, was?.Methods, values.Methods),
                (Dimension.Reason, was?.Reasons, values.Reasons),
            }
        )
            if (!Kept(ReferenceEquals(before, records), dimension))
                spaces[(int)dimension] = Plain(records.Select(r => r.Code));
        if (!Kept(ReferenceEquals(was?.TaxCodes, values.TaxCodes), Dimension.TaxCode))
            spaces[(int)Dimension.TaxCode] = Plain(values.TaxCodes.Select(c => c.Code));
        spaces[(int)Dimension.Currency] = AllCurrencies;
        if (
            !Kept(
                ReferenceEquals(was?.Assignments, values.Assignments)
                    && was!.OtherEntities.SequenceEqual(values.OtherEntities),
                Dimension.Counterparty
            )
        )
            spaces[(int)Dimension.Counterparty] = Plain(
                values
                    .OtherEntities.Concat(
                        values.Assignments.Select(a => a.Value(Dimension.Counterparty)).OfType<string>()
                    )
                    .Distinct(StringComparer.Ordinal)
                    .Order(StringComparer.Ordinal)
            );
    }

    /// <summary>The items by code.</summary>
    internal RecordSpace<Item> Items { get; }

    /// <summary>The parties by code.</summary>
    internal RecordSpace<Party> Parties { get; }

    /// <summary>
    /// Whether every number of another index means the same here, under the same parents. Values of dimensions that do
    /// not nest may have come after them: what was compiled over the other one serves, and knows nothing of those.
    /// </summary>
    internal bool Extends(LandingIndex other)
    {
        for (var d = 0; d < spaces.Length; d++)
            if (!spaces[d].Extends(other.spaces[d], IsNested((Dimension)d)))
                return false;
        return true;
    }

    /// <summary>Whether it has the very numbers of another index, no more.</summary>
    internal bool Same(LandingIndex other)
    {
        for (var d = 0; d < spaces.Length; d++)
            if (!ReferenceEquals(spaces[d], other.spaces[d]) && spaces[d].Count != other.spaces[d].Count)
                return false;
        return Extends(other);
    }

    /// <summary>The dimensions whose values have parents.</summary>
    public static bool IsNested(Dimension dimension) =>
        dimension is Dimension.ItemGroup or Dimension.PartyGroup or Dimension.ProjectGroup or Dimension.Project;

    /// <summary>The number of a value, or 0 when it is null or unknown.</summary>
    public int Of(Dimension dimension, string? value) => value is null ? 0 : At(dimension).Find(value);

    /// <summary>The number of a group, or 0.</summary>
    public int OfGroup(GroupKind kind, string? code) =>
        code is null ? 0 : At(DimensionOf(kind)).Find(NodeName(kind, code));

    /// <summary>The code behind a number, as an assignment names it.</summary>
    public string Key(Dimension dimension, int number) => At(dimension).Key(number);

    /// <summary>The parent's number, or 0 at the top or where nothing nests.</summary>
    public int Parent(Dimension dimension, int number) => At(dimension).Parent(number);

    /// <summary>The code behind a number of a nested dimension with all that it is in, outward; empty for 0.</summary>
    public IReadOnlyList<string> Chain(Dimension dimension, int number)
    {
        if (number == 0)
            return [];
        if (chains.TryGetValue((dimension, number), out var known))
            return known;
        var codes = new List<string>();
        for (var at = number; at != 0; at = Parent(dimension, at))
            codes.Add(Key(dimension, at));
        return chains.GetOrAdd((dimension, number), [.. codes]);
    }

    /// <summary>How deep a value stands: 1 at the top.</summary>
    public int Depth(Dimension dimension, int number)
    {
        var depth = 0;
        for (var at = number; at != 0; at = Parent(dimension, at))
            depth++;
        return depth;
    }

    /// <summary>How many numbers a dimension has, "absent" included.</summary>
    public int Size(Dimension dimension) => At(dimension).Count;

    /// <summary>Every number whose key is that code (two, where customers and suppliers have a group of one
    /// code).</summary>
    internal IEnumerable<int> Nodes(Dimension dimension, string key)
    {
        if (dimension != Dimension.PartyGroup)
        {
            if (At(dimension).Find(key) is var number and > 0)
                yield return number;
            yield break;
        }
        foreach (var kind in new[] { GroupKind.Customer, GroupKind.Supplier })
            if (OfGroup(kind, key) is var node and > 0)
                yield return node;
    }

    private Space At(Dimension dimension) => spaces[(int)dimension];

    private static Dimension DimensionOf(GroupKind kind) =>
        kind switch
        {
            GroupKind.Item => Dimension.ItemGroup,
            GroupKind.Project => Dimension.ProjectGroup,
            _ => Dimension.PartyGroup,
        };

    private static string NodeName(GroupKind kind, string code) =>
        kind switch
        {
            GroupKind.Customer => "c\u001f" + code,
            GroupKind.Supplier => "s\u001f" + code,
            _ => code,
        };

    private static readonly NodeSpace AllCurrencies = Plain(Currencies.All);

    private static NodeSpace Plain(IEnumerable<string> codes)
    {
        var space = new NodeSpace();
        foreach (var code in codes)
            space.Add(code, code);
        return space;
    }

    private static NodeSpace Projects(IReadOnlyList<Project> projects)
    {
        var space = Plain(projects.Select(p => p.Code));
        foreach (var project in projects)
            if (project.Parent is not null)
                space.SetParent(project.Code, project.Parent);
        return space;
    }

    private void Groups(Dimension[] dimensions)
    {
        foreach (var dimension in dimensions)
            spaces[(int)dimension] = new NodeSpace();
        NodeSpace Of(GroupKind kind) => (NodeSpace)At(DimensionOf(kind));
        foreach (var group in values.Groups)
            Of(group.Kind).Add(NodeName(group.Kind, group.Code), group.Code);
        foreach (var group in values.Groups)
            if (group.Parent is not null)
                Of(group.Kind).SetParent(NodeName(group.Kind, group.Code), NodeName(group.Kind, group.Parent));
    }
}
