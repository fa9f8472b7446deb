using Assignum.Core;
using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Core.Upkeep;
using Assignum.Desk;
using Assignum.Desk.SetUps;
using Assignum.Formats.Bundles;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>Where groups or records land for every purpose of their life: the account that results in each cell, and
/// typing in a cell makes the assignment there.</summary>
public sealed class LifeCycleModel(DeskContext desk, ViewSetUp view, EditSetUp edit, CompareSetUps compare)
    : GridPage(desk, view, edit, compare)
{
    /// <summary>Groups or records side by side.</summary>
    public const int MostColumns = 12;

    private readonly EditSetUp edit = edit;
    private readonly CompareSetUps compare = compare;

    /// <summary>What can stand across: address, title, the dimension an assignment for it fills, and whose life it
    /// is.</summary>
    public static readonly IReadOnlyList<(string Of, string Title, Dimension Dimension, LifeOf Life)> Kinds =
    [
        ("item-groups", "Item groups", Dimension.ItemGroup, LifeOf.Item),
        ("items", "Items", Dimension.Item, LifeOf.Item),
        ("customer-groups", "Customer groups", Dimension.PartyGroup, LifeOf.Customer),
        ("customers", "Customers", Dimension.Party, LifeOf.Customer),
        ("supplier-groups", "Supplier groups", Dimension.PartyGroup, LifeOf.Supplier),
        ("suppliers", "Suppliers", Dimension.Party, LifeOf.Supplier),
        ("project-groups", "Project groups", Dimension.ProjectGroup, LifeOf.Project),
        ("projects", "Projects", Dimension.Project, LifeOf.Project),
        ("locations", "Locations", Dimension.Location, LifeOf.Location),
    ];

    /// <summary>What can be crossed with what stands across, each giving a purpose another row: customer groups,
    /// locations, channels.</summary>
    private static readonly (string Field, Dimension Dimension)[] Crossings =
    [
        ("groups", Dimension.PartyGroup),
        ("places", Dimension.Location),
        ("channels", Dimension.Channel),
    ];

    public override string Place => "assignments";
    public override Part Part => Parts.Assignments;
    protected override string What => "assignments changed by stage";

    [BindProperty(SupportsGet = true), FromRoute(Name = "of")]
    public string Of
    {
        get => of;
        set => of = value ?? "";
    }
    private string of = "item-groups";

    /// <summary>A group: those below it, or its items. Empty: the groups at the top.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Under { get; set; }

    /// <summary>Codes that were chosen to stand across, separated by spaces; empty: all of the group.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Chosen { get; set; }

    /// <summary>Customer groups, locations and channels that rows are crossed with, separated by spaces.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Groups { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Places { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Channels { get; set; }

    public (string Of, string Title, Dimension Dimension, LifeOf Life) Kind =>
        Kinds.FirstOrDefault(k => k.Of == Of) is { Of: not null } found ? found : Kinds[0];

    /// <summary>A cell: the account that results, whether it is its own, and where it comes from.</summary>
    /// <param name="Rung">The rung that decides; null: nothing does.</param>
    public sealed record Cell(
        string? Account,
        string Name,
        bool Own,
        string? Rung,
        string From,
        bool May,
        Fault? Wrong,
        bool Borrowed
    );

    /// <summary>A row: a purpose, alone or for one value of another dimension beside what stands across.</summary>
    /// <param name="With">That value; null: nothing else is said.</param>
    public sealed record Row(Purpose Purpose, KeyPart? With, IReadOnlyList<Cell> Cells)
    {
        /// <summary>Names the row where it is edited.</summary>
        public string Id => With is { } w ? $"{Purpose.Name}~{Words.Of(w.Dimension)}~{w.Value}" : Purpose.Name;
    }

    public IReadOnlyList<(string Code, string Name)> Across { get; private set; } = [];
    public IReadOnlyList<(string Band, IReadOnlyList<Row> Rows)> Bands { get; private set; } = [];
    public int More { get; private set; }

    /// <summary>The field of the explanation that a column's code fills.</summary>
    public string Asks => Words.Of(Kind.Dimension);
    public string Home => $"/e/{EntityCode}/life-cycle/{Kind.Of}";

    public string QueryString(string more) =>
        QueryOf(
            more,
            ("under", Under),
            ("chosen", Chosen),
            ("groups", Groups),
            ("places", Places),
            ("channels", Channels)
        );

    public async Task OnGetAsync() => await LoadAsync();

    public async Task<IActionResult> OnGetRowsAsync()
    {
        await LoadAsync();
        return Partial("_LifeCycleRows", this);
    }

    /// <summary>What is shown as a file: purposes down, groups or records across.</summary>
    public async Task<IActionResult> OnGetListAsync(string? format)
    {
        await LoadAsync();
        return ListFile.Of(
            $"{EntityCode}-life-cycle-{Kind.Of}",
            format ?? "csv",
            ["band", "purpose", "with", .. Across.Select(a => a.Code)],
            Bands
                .SelectMany(b =>
                    b.Rows.Select(r =>
                        (IReadOnlyList<object?>)
                            [b.Band, r.Purpose.Name, r.With?.Value, .. r.Cells.Select(c => (object?)c.Account)]
                    )
                )
                .Select(r => r.ToArray())
        );
    }

    /// <inheritdoc/>
    public override async Task<IActionResult> OnGetSheetAsync()
    {
        await LoadAsync();
        var bytes = new MemoryStream();
        LandingBook.Write(
            (await SetUpAsync()).SetUp,
            Kind.Dimension,
            Across,
            [
                .. Bands.SelectMany(b =>
                    b.Rows.Select(r => new LandingLine(
                        b.Band,
                        r.Purpose.Name,
                        r.With,
                        [.. r.Cells.Select(c => (c.Account, c.Own))]
                    ))
                ),
            ],
            bytes
        );
        return Book(bytes, $"life-cycle-{Kind.Of}");
    }

    /// <inheritdoc/>
    public override async Task<IActionResult> OnPostEditAsync([FromBody] CellEdits? sent)
    {
        // What is wrong with an assignment stands in the cell that asked for it.
        var shown = new Dictionary<string, (string, string)>(StringComparer.Ordinal);
        return await GridEdits.SaveAsync(
            edit,
            Actor,
            EntityCode,
            Part,
            sent is null ? null : LifeCells.AsAssignments(Kind.Dimension, sent, (await SetUpAsync()).SetUp, shown),
            What,
            HttpContext.RequestAborted,
            at => shown.GetValueOrDefault(at.Number, at)
        );
    }

    /// <inheritdoc/>
    public override async Task<IActionResult> OnPostForeseeAsync([FromBody] CellEdits? sent) =>
        await GridEdits.ForeseeAsync(
            this,
            compare,
            Part,
            sent is null ? null : LifeCells.AsAssignments(Kind.Dimension, sent, (await SetUpAsync()).SetUp, [])
        );

    private async Task LoadAsync()
    {
        var compiled = await SetUpAsync();
        var setUp = compiled.SetUp;
        var groupKind = Kind.Of switch
        {
            "customer-groups" => GroupKind.Customer,
            "supplier-groups" => GroupKind.Supplier,
            "project-groups" => GroupKind.Project,
            "suppliers" => GroupKind.Supplier,
            "customers" => GroupKind.Customer,
            _ => GroupKind.Item,
        };
        var all = Kind.Of switch
        {
            "items" =>
            [
                .. setUp
                    .Items.Where(i =>
                        i.Status == RecordStatus.Active && (string.IsNullOrEmpty(Under) || i.Group == Under)
                    )
                    .Select(i => (i.Code, i.Name)),
            ],
            "customers" =>
            [
                .. setUp
                    .Parties.Where(p =>
                        p.Status == RecordStatus.Active
                        && p.Kind is PartyKind.Customer or PartyKind.Both
                        && (string.IsNullOrEmpty(Under) || p.CustomerGroup == Under)
                    )
                    .Select(p => (p.Code, p.Name)),
            ],
            "suppliers" =>
            [
                .. setUp
                    .Parties.Where(p =>
                        p.Status == RecordStatus.Active
                        && p.Kind is PartyKind.Supplier or PartyKind.Both
                        && (string.IsNullOrEmpty(Under) || p.SupplierGroup == Under)
                    )
                    .Select(p => (p.Code, p.Name)),
            ],
            "projects" =>
            [
                .. setUp
                    .Projects.Where(p =>
                        p.Status == RecordStatus.Active
                        && (string.IsNullOrEmpty(Under) || p.Group == Under || p.Parent == Under)
                    )
                    .Select(p => (p.Code, p.Name)),
            ],
            "locations" => [.. setUp.Locations.Select(l => (l.Code, l.Name))],
            _ => setUp
                .Groups.Where(g =>
                    g.Kind == groupKind && (Chosen is { Length: > 0 } || (g.Parent ?? "") == (Under ?? ""))
                )
                .Select(g => (g.Code, g.Name))
                .ToList(),
        };
        if (Codes(Chosen) is { Count: > 0 } chosen)
            all = [.. all.Where(a => chosen.Contains(a.Code))];
        // A group without any below it stands for itself.
        if (all.Count == 0 && !string.IsNullOrEmpty(Under) && Kind.Of.EndsWith("-groups", StringComparison.Ordinal))
            all = [.. setUp.Groups.Where(g => g.Kind == groupKind && g.Code == Under).Select(g => (g.Code, g.Name))];
        Across = [.. all.OrderBy(a => a.Code, StringComparer.Ordinal).Take(MostColumns)];
        More = all.Count - Across.Count;
        var (stock, other) = Kind.Life == LifeOf.Item ? Natures(setUp) : (true, true);
        var crossings =
            Kind.Life == LifeOf.Item
                ? Crossings
                    .SelectMany(c =>
                        Codes(
                                c.Field switch
                                {
                                    "groups" => Groups,
                                    "places" => Places,
                                    _ => Channels,
                                }
                            )
                            .Select(code => new KeyPart(c.Dimension, code))
                    )
                    .Where(k =>
                        compiled.Index.Of(k.Dimension, k.Value) > 0
                        || k.Dimension == Dimension.PartyGroup
                            && compiled.Index.OfGroup(GroupKind.Customer, k.Value) > 0
                    )
                    .ToList()
                : [];
        Bands =
        [
            .. LifeBands
                .Of(Kind.Life, compiled, stock, other)
                .Select(b =>
                    (
                        b.Band,
                        (IReadOnlyList<Row>)
                            [
                                .. b.Purposes.SelectMany(p =>
                                    crossings
                                        .Where(c =>
                                            compiled
                                                .Landings.LadderOf(p)
                                                .Holding(1 << (int)c.Dimension | 1 << (int)Kind.Dimension)
                                                is not null
                                        )
                                        .Select(c => (KeyPart?)c)
                                        .Prepend(null)
                                        .Select(with => new Row(
                                            p,
                                            with,
                                            [.. Across.Select(a => CellOf(compiled, p, a.Code, groupKind, with))]
                                        ))
                                ),
                            ]
                    )
                ),
        ];
        Total = Bands.Sum(b => b.Rows.Count);
    }

    private static HashSet<string> Codes(string? text) =>
        [.. (text ?? "").Split([' ', ','], StringSplitOptions.RemoveEmptyEntries).Take(50)];

    // Whether there are stock items among what is shown, and others.
    private (bool Stock, bool Other) Natures(SetUp setUp)
    {
        var codes = Across.Select(a => a.Code).ToHashSet(StringComparer.Ordinal);
        var parents = setUp
            .Groups.Where(g => g.Kind == GroupKind.Item)
            .ToDictionary(g => g.Code, g => g.Parent, StringComparer.Ordinal);
        bool Within(string? group)
        {
            for (var at = group; at is not null; at = parents.GetValueOrDefault(at))
                if (codes.Contains(at))
                    return true;
            return false;
        }
        var items = setUp
            .Items.Where(i =>
                i.Status == RecordStatus.Active && (Kind.Of == "items" ? codes.Contains(i.Code) : Within(i.Group))
            )
            .ToList();
        return items.Count == 0 ? (true, true) : (items.Any(i => i.IsStockItem), items.Any(i => !i.IsStockItem));
    }

    private Cell CellOf(CompiledSetUp compiled, Purpose purpose, string code, GroupKind kind, KeyPart? with)
    {
        KeyPart[] key0 = with is { } w ? [new KeyPart(Kind.Dimension, code), w] : [new KeyPart(Kind.Dimension, code)];
        var values = LegValuesOf.Key(compiled, new Assignment(purpose.Name, "", key0));
        if (Kind.Dimension == Dimension.PartyGroup)
            values[Dimension.PartyGroup] = compiled.Index.OfGroup(kind, code);
        if (Kind.Dimension == Dimension.Party && compiled.Party(code) is { } party)
            values[Dimension.PartyGroup] = kind == GroupKind.Supplier ? party.SupplierGroup : party.CustomerGroup;
        var trace = compiled.Landings.TraceOf(purpose, values);
        var set = key0.Aggregate(0, (bits, k) => bits | 1 << (int)k.Dimension);
        var may = compiled.Landings.LadderOf(purpose).Holding(set) is not null;
        var account = trace.Account is null ? null : compiled.Account(trace.Account);
        var own = trace.BorrowedFrom is null && trace.Key.Count == key0.Length && key0.All(trace.Key.Contains);
        var from =
            trace.Account is null ? "nothing decides"
            : own ? "its own"
            : $"{(trace.BorrowedFrom is null ? "" : $"borrowed from {trace.BorrowedFrom.Replace('-', ' ')}, ")}"
                + $"{trace.Rung!.Replace('-', ' ').Replace("+", " + ")}"
                + $"{(trace.Key.Count > 0 ? " " + string.Join(" · ", trace.Key.Select(k => k.Value)) : "")}";
        return new Cell(
            trace.Account,
            account?.Name ?? "",
            own,
            trace.Rung,
            from,
            may,
            account is null ? null : Fitness.Of(account, purpose, trace.Rung == "default"),
            trace.BorrowedFrom is not null
        );
    }
}
