using Assignum.Core.Chart;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Desk;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>Groups, and the records that are in them: one grid a kind. Groups wait in the draft; records change at
/// once, and what that would do is shown before.</summary>
public sealed class RecordsModel(DeskContext desk, ViewSetUp view, EditSetUp edit, CompareSetUps compare)
    : GridPage(desk, view, edit, compare)
{
    /// <summary>The lists: address, title, part and, of groups, the kind.</summary>
    public static readonly IReadOnlyList<(string Of, string Title, Part Part, GroupKind? Kind, string Noun)> Lists =
    [
        ("item-groups", "Item groups", Parts.Groups, GroupKind.Item, "group"),
        ("customer-groups", "Customer groups", Parts.Groups, GroupKind.Customer, "group"),
        ("supplier-groups", "Supplier groups", Parts.Groups, GroupKind.Supplier, "group"),
        ("project-groups", "Project groups", Parts.Groups, GroupKind.Project, "group"),
        ("items", "Items", Parts.Items, null, "item"),
        ("parties", "Parties", Parts.Parties, null, "party"),
        ("projects", "Projects", Parts.Projects, null, "project"),
        ("locations", "Locations", Parts.Locations, null, "location"),
        ("channels", "Channels", Parts.Channels, null, "channel"),
        ("methods", "Methods", Parts.Methods, null, "method"),
        ("reasons", "Reasons", Parts.Reasons, null, "reason"),
    ];

    public override string Place => "groups";

    [BindProperty(SupportsGet = true)]
    public string Of { get; set; } = "item-groups";

    [BindProperty(SupportsGet = true)]
    public string? Q { get; set; }

    /// <summary>A group: its records and those of the groups below it.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Group { get; set; }

    /// <summary><c>no-group</c>, <c>active</c> or <c>archived</c>; of groups <c>empty</c>.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Only { get; set; }

    /// <summary>A row with what is said of it beside its cells.</summary>
    /// <param name="Depth">Of groups: how deep it stands.</param>
    /// <param name="Members">Of groups: its own records, and those of all below it.</param>
    public sealed record Line(string?[] Cells, int Depth, (int Own, int All)? Members);

    public (string Of, string Title, Part Part, GroupKind? Kind, string Noun) List =>
        Lists.FirstOrDefault(l => l.Of == Of) is { Of: not null } found ? found : Lists[0];
    public override Part Part => List.Part;
    protected override string What => $"{List.Title.ToLowerInvariant()} changed";
    public IReadOnlyList<Line> Lines { get; private set; } = [];
    public int All { get; private set; }

    /// <summary>How many records have no group, of those that groups are for; null where groups are for none.</summary>
    public int? Ungrouped { get; private set; }

    /// <summary>Positions of the columns shown.</summary>
    public IReadOnlyList<int> Shown =>
        [.. Enumerable.Range(0, Part.Columns.Count).Where(i => List.Kind is null || Part.Columns[i].Name != "kind")];
    public IReadOnlyList<Column> Settable => [.. Part.Columns.Where(c => !c.Key)];
    public bool HasGroups =>
        List.Kind is null && (Part == Parts.Items || Part == Parts.Parties || Part == Parts.Projects);

    /// <summary>What the explanation is asked for a row.</summary>
    public string Explains(string?[] cells) =>
        List.Kind is { } kind
            ? $"{(kind == GroupKind.Item ? "item-group" : kind == GroupKind.Project ? "project-group" : "party-group")}"
                + $"={Uri.EscapeDataString(cells[1]!)}"
            : $"{List.Noun}={Uri.EscapeDataString(cells[0]!)}";

    public string Home => $"/e/{EntityCode}/groups/{List.Of}";

    public string QueryString(string more) => QueryOf(more, ("q", Q), ("group", Group), ("only", Only));

    /// <inheritdoc/>
    public override string PickOf(Column column) =>
        (Part.Name, column.Name) switch
        {
            ("groups", "parent") => $"/e/{EntityCode}/pick?type=group&kind={Core.Words.Of(List.Kind!.Value)}",
            ("items", "group") => $"/e/{EntityCode}/pick?type=group&kind=item",
            ("parties", "customer_group") => $"/e/{EntityCode}/pick?type=group&kind=customer",
            ("parties", "supplier_group") => $"/e/{EntityCode}/pick?type=group&kind=supplier",
            ("projects", "group") => $"/e/{EntityCode}/pick?type=group&kind=project",
            ("items", "tax_category") => $"/e/{EntityCode}/pick?type=tax-category",
            ("parties", "tax_standing") => $"/e/{EntityCode}/pick?type=tax-standing",
            ("parties", "currency") => $"/e/{EntityCode}/pick?type=currency",
            _ => base.PickOf(column),
        };

    public async Task<IActionResult> OnGetAsync()
    {
        if (!Lists.Any(l => l.Of == Of))
            return NotFound();
        await LoadAsync(0, PageRows);
        return Page();
    }

    public async Task<IActionResult> OnGetRowsAsync(int skip, int take = PageRows)
    {
        await LoadAsync(Math.Max(0, skip), Math.Clamp(take, 1, PageRows));
        return Rows("_RecordRows");
    }

    /// <summary>The rows that fit as a file, which can be brought back under Files.</summary>
    public async Task<IActionResult> OnGetListAsync(string? format) =>
        ListFile.Of(
            $"{EntityCode}-{List.Of}",
            format ?? "csv",
            [.. Part.Columns.Select(c => c.Name)],
            Fitting((await SetUpAsync()).SetUp).Select(l => l.Cells.Cast<object?>().ToArray())
        );

    /// <inheritdoc/>
    protected override IEnumerable<string?[]> Cells(CompiledSetUp setUp) => Fitting(setUp.SetUp).Select(l => l.Cells);

    /// <inheritdoc/>
    protected override async Task<IEnumerable<string?[]>> KeysAsync(int skip, int take) =>
        Fitting((await SetUpAsync()).SetUp).Skip(skip).Take(take).Select(l => l.Cells);

    /// <summary>Groups of records that wait with the draft: by the record's code and the column.</summary>
    public IReadOnlySet<(string Key, string Column)> Waiting { get; private set; } = new HashSet<(string, string)>();

    /// <summary>Of groups: the code of the one that new records get.</summary>
    public string? Default { get; private set; }

    private List<Line> Fitting(SetUp setUp)
    {
        bool Has(string?[] cells) =>
            string.IsNullOrWhiteSpace(Q)
            || cells.Any(c => c?.Contains(Q.Trim(), StringComparison.OrdinalIgnoreCase) == true);
        if (List.Kind is { } kind)
            return [.. Groups(setUp, kind).Where(l => Has(l.Cells) && (Only != "empty" || l.Members!.Value.All == 0))];
        int Column(string name) => Part.Columns.ToList().FindIndex(c => c.Name == name);
        int[] groups = [.. new[] { "group", "customer_group", "supplier_group" }.Select(Column).Where(i => i >= 0)];
        var (status, kindAt) = (Column("status"), Column("kind"));
        var below = string.IsNullOrEmpty(Group)
            ? null
            : Enum.GetValues<GroupKind>()
                .SelectMany(k => GroupMembers.Below(setUp, k, Group))
                .ToHashSet(StringComparer.Ordinal);
        // A task has its project's group; a party needs one of each kind that it is.
        bool Lacks(string?[] cells) =>
            Part == Parts.Parties
                ? cells[groups[0]] is null && cells[kindAt] is "customer" or "both"
                    || cells[groups[1]] is null && cells[kindAt] is "supplier" or "both"
                : cells[groups[0]] is null && (Part != Parts.Projects || cells[Column("parent")] is null);
        var rows = Part.Write(setUp);
        bool Active(string?[] cells) => status < 0 || cells[status] == "active";
        if (groups.Length > 0)
            Ungrouped = rows.Count(r => Active(r) && Lacks(r));
        return
        [
            .. rows.Where(r =>
                    Has(r)
                    && (below is null || groups.Any(g => r[g] is { } of && below.Contains(of)))
                    && (Only ?? "") switch
                    {
                        // Records no longer traded leave the list of those that wait for a group.
                        "no-group" => groups.Length > 0 && Active(r) && Lacks(r),
                        "active" => Active(r),
                        "archived" => !Active(r),
                        _ => true,
                    }
                )
                .Select(r => new Line(r, 0, null)),
        ];
    }

    // In the order of the tree, with how many records each has.
    private static IEnumerable<Line> Groups(SetUp setUp, GroupKind kind)
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
        IEnumerable<Line> Under(string parent, int depth) =>
            children[parent]
                .SelectMany(g =>
                    Under(g.Code, depth + 1)
                        .Prepend(
                            new Line(
                                Parts.Groups.Row(setUp, Core.Words.Of(kind) + "\u001f" + g.Code)!,
                                depth,
                                (own.GetValueOrDefault(g.Code), All(g))
                            )
                        )
                );
        return Under("", 0);
    }

    private async Task LoadAsync(int skip, int take)
    {
        var setUp = (await SetUpAsync()).SetUp;
        All = List.Kind is { } kind ? setUp.Groups.Count(g => g.Kind == kind) : Part.Write(setUp).Count;
        if (List.Kind is { } of)
            Default = DefaultGroup.Of(setUp, of);
        var rows = Fitting(setUp);
        Total = rows.Count;
        Lines = [.. rows.Skip(skip).Take(take)];
        if (HasGroups)
            Waiting = await Desk.WaitingAsync(Visit, Part, HttpContext.RequestAborted);
    }
}
