using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Core.Upkeep;
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

    [BindProperty(SupportsGet = true), FromRoute(Name = "of")]
    public string Of
    {
        get => of;
        set => of = value ?? "";
    }
    private string of = "item-groups";

    [BindProperty(SupportsGet = true)]
    public string? Q { get; set; }

    /// <summary>A group: its records and those of the groups below it.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Group { get; set; }

    /// <summary><c>no-group</c>, <c>active</c> or <c>archived</c>; of groups <c>empty</c>.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Only { get; set; }

    public (string Of, string Title, Part Part, GroupKind? Kind, string Noun) List =>
        Lists.FirstOrDefault(l => l.Of == Of) is { Of: not null } found ? found : Lists[0];
    public override Part Part => List.Part;
    protected override string What => $"{List.Title.ToLowerInvariant()} changed";
    public IReadOnlyList<RecordLine> Lines { get; private set; } = [];
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

    private IReadOnlyList<RecordLine> Fitting(SetUp setUp)
    {
        var narrowing = new RecordNarrowing(Q, Group, Only);
        return List.Kind is { } kind ? RecordList.Of(setUp, kind, narrowing) : RecordList.Of(setUp, Part, narrowing);
    }

    private async Task LoadAsync(int skip, int take)
    {
        var setUp = (await SetUpAsync()).SetUp;
        All = List.Kind is { } kind ? setUp.Groups.Count(g => g.Kind == kind) : Part.Write(setUp).Count;
        if (List.Kind is { } of)
            Default = DefaultGroup.Of(setUp, of);
        else
            Ungrouped = RecordList.Ungrouped(setUp, Part);
        var rows = Fitting(setUp);
        Total = rows.Count;
        Lines = [.. rows.Skip(skip).Take(take)];
        if (HasGroups)
            Waiting = await Desk.WaitingAsync(Visit, Part, HttpContext.RequestAborted);
    }
}
