using Assignum.Core.Chart;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;

namespace Assignum.Core.Upkeep;

/// <summary>What a list of records or groups is narrowed to.</summary>
/// <param name="Text">Somewhere in a cell; null: anything.</param>
/// <param name="Group">A group: its records and those of the groups below it.</param>
/// <param name="Only"><c>no-group</c>, <c>active</c> or <c>archived</c>; of groups <c>empty</c>; null: all.</param>
public sealed record RecordNarrowing(string? Text = null, string? Group = null, string? Only = null);

/// <summary>A row with what is said of it beside its cells.</summary>
/// <param name="Depth">Of groups: how deep it stands.</param>
/// <param name="Members">Of groups: its own active records, and those of all below it.</param>
public sealed record RecordLine(string?[] Cells, int Depth, (int Own, int All)? Members);

/// <summary>Records of a part, or groups of a kind in the order of their tree, with what a list of them shows.</summary>
public static class RecordList
{
    private static readonly string[] GroupColumns = ["group", "customer_group", "supplier_group"];

    /// <summary>The records that fit, as they stand.</summary>
    public static IReadOnlyList<RecordLine> Of(SetUp setUp, Part part, RecordNarrowing narrowing)
    {
        var groups = PositionsOfGroups(part);
        var below = string.IsNullOrEmpty(narrowing.Group)
            ? null
            : Enum.GetValues<GroupKind>()
                .SelectMany(k => GroupMembers.Below(setUp, k, narrowing.Group))
                .ToHashSet(StringComparer.Ordinal);
        return
        [
            .. part.Write(setUp)
                .Where(r =>
                    Has(r, narrowing.Text)
                    && (below is null || groups.Any(g => r[g] is { } of && below.Contains(of)))
                    && (narrowing.Only ?? "") switch
                    {
                        "no-group" => WaitsForGroup(part, r),
                        "active" => IsActive(part, r),
                        "archived" => !IsActive(part, r),
                        _ => true,
                    }
                )
                .Select(r => new RecordLine(r, 0, null)),
        ];
    }

    /// <summary>The groups of a kind that fit, in the order of the tree.</summary>
    public static IReadOnlyList<RecordLine> Of(SetUp setUp, GroupKind kind, RecordNarrowing narrowing) =>
        [
            .. Tree(setUp, kind)
                .Where(l => Has(l.Cells, narrowing.Text) && (narrowing.Only != "empty" || l.Members is { All: 0 })),
        ];

    /// <summary>How many active records wait for a group; null where groups are for none of them.</summary>
    public static int? Ungrouped(SetUp setUp, Part part) =>
        PositionsOfGroups(part).Count == 0 ? null : part.Write(setUp).Count(r => WaitsForGroup(part, r));

    /// <summary>Whether a record should have a group and has none: a party needs one of each kind that it is, a task has
    /// its project's, and records no longer traded wait for nothing.</summary>
    public static bool WaitsForGroup(Part part, string?[] cells)
    {
        if (PositionsOfGroups(part).Count == 0 || !IsActive(part, cells))
            return false;
        string? At(string column) => cells[part.At(column)];
        return part == Parts.Parties
            ? At("customer_group") is null && At("kind") is "customer" or "both"
                || At("supplier_group") is null && At("kind") is "supplier" or "both"
            : At("group") is null && (part != Parts.Projects || At("parent") is null);
    }

    private static bool IsActive(Part part, string?[] cells) =>
        !part.Columns.Any(c => c.Name == "status") || cells[part.At("status")] == "active";

    private static List<int> PositionsOfGroups(Part part) =>
        [.. GroupColumns.Where(n => part.Columns.Any(c => c.Name == n)).Select(part.At)];

    private static bool Has(string?[] cells, string? text) =>
        string.IsNullOrWhiteSpace(text)
        || cells.Any(c => c?.Contains(text.Trim(), StringComparison.OrdinalIgnoreCase) == true);

    private static IEnumerable<RecordLine> Tree(SetUp setUp, GroupKind kind)
    {
        var own = (
            kind switch
            {
                GroupKind.Item => setUp.Items.Where(i => i.Status == RecordStatus.Active).Select(i => i.Group),
                GroupKind.Customer => setUp
                    .Parties.Where(p => p.Status == RecordStatus.Active)
                    .Select(p => p.CustomerGroup),
                GroupKind.Supplier => setUp
                    .Parties.Where(p => p.Status == RecordStatus.Active)
                    .Select(p => p.SupplierGroup),
                _ => setUp.Projects.Where(p => p.Status == RecordStatus.Active).Select(p => p.Group),
            }
        )
            .OfType<string>()
            .CountBy(g => g)
            .ToDictionary(StringComparer.Ordinal);
        var groups = setUp.Groups.Where(g => g.Kind == kind).OrderBy(g => g.Code, StringComparer.Ordinal).ToList();
        var children = groups.ToLookup(g => g.Parent ?? "");
        int All(LandingGroup group) => own.GetValueOrDefault(group.Code) + children[group.Code].Sum(All);
        IEnumerable<RecordLine> Under(string parent, int depth) =>
            children[parent]
                .SelectMany(g =>
                    Under(g.Code, depth + 1)
                        .Prepend(
                            new RecordLine(
                                Parts.Groups.Row(setUp, Words.Of(kind) + "\u001f" + g.Code)!,
                                depth,
                                (own.GetValueOrDefault(g.Code), All(g))
                            )
                        )
                );
        return Under("", 0);
    }
}
