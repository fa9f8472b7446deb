using Assignum.Core.Groups;
using Assignum.Core.Money;
using Assignum.Core.SetUps;

namespace Assignum.Core.Landing;

/// <summary>
/// Gives every value of every dimension of one set-up a small number, and every nested value its parent's number.
/// </summary>
/// <remarks>
/// Customer and supplier groups live side by side in the dimension party-group: a group node is (kind, code), its key
/// is
/// its code, so an assignment that names a code is meant for every kind that has it.
/// </remarks>
public sealed class LandingIndex
{
    private readonly Space[] spaces = new Space[LegValues.Count];

    /// <summary>Numbers the values of a set-up.</summary>
    public LandingIndex(SetUp setUp)
    {
        for (var i = 0; i < spaces.Length; i++)
            spaces[i] = new Space();
        foreach (var group in setUp.Groups)
            At(DimensionOf(group.Kind)).Add(NodeName(group.Kind, group.Code), group.Code);
        foreach (var group in setUp.Groups)
            if (group.Parent is not null)
                At(DimensionOf(group.Kind))
                    .SetParent(NodeName(group.Kind, group.Code), NodeName(group.Kind, group.Parent));
        foreach (var item in setUp.Items)
            At(Dimension.Item).Add(item.Code, item.Code);
        foreach (var party in setUp.Parties)
            At(Dimension.Party).Add(party.Code, party.Code);
        foreach (var project in setUp.Projects)
            At(Dimension.Project).Add(project.Code, project.Code);
        foreach (var project in setUp.Projects)
            if (project.Parent is not null)
                At(Dimension.Project).SetParent(project.Code, project.Parent);
        foreach (
            var (dimension, records) in new[]
            {
                (Dimension.Location, setUp.Locations),
                (Dimension.Channel, setUp.Channels),
                (Dimension.Method, setUp.Methods),
                (Dimension.Reason, setUp.Reasons),
            }
        )
        foreach (var record in records)
            At(dimension).Add(record.Code, record.Code);
        foreach (var code in setUp.TaxCodes)
            At(Dimension.TaxCode).Add(code.Code, code.Code);
        foreach (var currency in Currencies.All)
            At(Dimension.Currency).Add(currency, currency);
        foreach (var entity in setUp.OtherEntities)
            At(Dimension.Counterparty).Add(entity, entity);
        foreach (var assignment in setUp.Assignments)
            if (assignment.Value(Dimension.Counterparty) is { } entity)
                At(Dimension.Counterparty).Add(entity, entity);
    }

    /// <summary>Whether the numbers of one set-up are those of another that was changed from it: the same codes in the
    /// same places, under the same parents.</summary>
    public bool Serves(SetUp own, SetUp other)
    {
        static bool Same<T>(IReadOnlyList<T> was, IReadOnlyList<T> now, Func<T, T, bool> same)
        {
            if (ReferenceEquals(was, now))
                return true;
            if (was.Count != now.Count)
                return false;
            for (var i = 0; i < was.Count; i++)
                if (!ReferenceEquals(was[i], now[i]) && !same(was[i], now[i]))
                    return false;
            return true;
        }
        return Same(own.Groups, other.Groups, (a, b) => (a.Kind, a.Code, a.Parent) == (b.Kind, b.Code, b.Parent))
            && Same(own.Items, other.Items, (a, b) => a.Code == b.Code)
            && Same(own.Parties, other.Parties, (a, b) => a.Code == b.Code)
            && Same(own.Projects, other.Projects, (a, b) => (a.Code, a.Parent) == (b.Code, b.Parent))
            && Same(own.Locations, other.Locations, (a, b) => a.Code == b.Code)
            && Same(own.Channels, other.Channels, (a, b) => a.Code == b.Code)
            && Same(own.Methods, other.Methods, (a, b) => a.Code == b.Code)
            && Same(own.Reasons, other.Reasons, (a, b) => a.Code == b.Code)
            && Same(own.TaxCodes, other.TaxCodes, (a, b) => a.Code == b.Code)
            && Same(own.OtherEntities, other.OtherEntities, (a, b) => a == b)
            && other.Assignments.All(a =>
                a.Value(Dimension.Counterparty) is not { } entity || Of(Dimension.Counterparty, entity) > 0
            );
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
    public string Key(Dimension dimension, int number) => At(dimension).Keys[number];

    /// <summary>The parent's number, or 0 at the top or where nothing nests.</summary>
    public int Parent(Dimension dimension, int number) => At(dimension).Parents[number];

    /// <summary>How deep a value stands: 1 at the top.</summary>
    public int Depth(Dimension dimension, int number)
    {
        var depth = 0;
        for (var at = number; at != 0; at = Parent(dimension, at))
            depth++;
        return depth;
    }

    /// <summary>How many numbers a dimension has, "absent" included.</summary>
    public int Size(Dimension dimension) => At(dimension).Keys.Count;

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

    private sealed class Space
    {
        private readonly Dictionary<string, int> numbers = new(StringComparer.Ordinal);
        public readonly List<string> Keys = [""];
        public readonly List<int> Parents = [0];

        public int Find(string name) => numbers.GetValueOrDefault(name);

        public void Add(string name, string key)
        {
            if (!numbers.TryAdd(name, Keys.Count))
                return;
            Keys.Add(key);
            Parents.Add(0);
        }

        public void SetParent(string name, string parent) => Parents[numbers[name]] = Find(parent);
    }
}
