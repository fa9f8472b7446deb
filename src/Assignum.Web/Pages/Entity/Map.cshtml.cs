using Assignum.Core;
using Assignum.Core.Checks;
using Assignum.Core.Coverage;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.Checks;
using Assignum.Desk.SetUps;
using Assignum.Formats.Json;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>The landing map: a purpose's records of one kind with those of another, cell by cell where they land and
/// what decides it; blocks of it are given an account.</summary>
/// <remarks>What is drawn is sent as numbers (<c>?handler=Cells</c>); the table behind it says the same in words, a page of
/// rows at a time.</remarks>
public sealed class MapModel(DeskContext desk, ViewSetUp view, EditSetUp edit, ReadMaps maps, CompareSetUps compare)
    : ActingPage(desk, edit)
{
    /// <summary>Rows of the table behind the map, a page.</summary>
    public const int PageRows = 40;

    public override string Place => "assignments";

    [BindProperty(SupportsGet = true, Name = "purpose")]
    public string? Asked { get; set; }

    /// <summary>What its rows are, as a word; null: chosen.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Down { get; set; }

    /// <summary>What its columns are, as a word; null: chosen.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Across { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Edition { get; set; }

    /// <summary>The edition that is laid over it.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Over { get; set; }

    /// <summary>Keys of the open rows; none where they were never said, one empty where all are shut.</summary>
    [BindProperty(SupportsGet = true)]
    public string[]? Open { get; set; }

    /// <summary>Keys of the open columns.</summary>
    [BindProperty(SupportsGet = true)]
    public string[]? Wide { get; set; }

    /// <summary>The line that is gone to first.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Row { get; set; }

    /// <inheritdoc cref="Row"/>
    [BindProperty(SupportsGet = true)]
    public string? Column { get; set; }

    /// <summary>Where the page of the table begins.</summary>
    [BindProperty(SupportsGet = true)]
    public int From { get; set; }

    public Purpose Purpose { get; private set; } = Purposes.SalesRevenue;
    public MapView? Shown { get; private set; }

    /// <summary>A block that was refused, to be marked again.</summary>
    public MapBlock? Block { get; private set; }

    public string Why { get; private set; } = "";

    /// <summary>The edition that is looked at.</summary>
    public string Looked => string.IsNullOrEmpty(Edition) ? "draft" : Edition;

    /// <summary>Whether a block may be painted: on the draft, by a preparer.</summary>
    public bool MayPaint => Looked == "draft" && May(Role.Preparer);

    public Task<IActionResult> OnGetAsync() => ShowAsync();

    /// <summary>What is drawn, as numbers: of each cell the account, the assignment that decides, how many other accounts,
    /// the share, the gravest finding and the account in the edition laid over it.</summary>
    public async Task<IActionResult> OnGetCellsAsync(bool signs)
    {
        var shown = await LookAsync(signs);
        if (shown.Result is not { Map: var map } of)
            return new JsonResult(new { faults = shown.Faults.Select(f => f.Message) }) { StatusCode = 422 };
        var cells = new int[map.Cells.Length * 6];
        for (var i = 0; i < map.Cells.Length; i++)
        {
            var (account, decider, others, share, sign, then) = map.Cells[i];
            (cells[6 * i], cells[6 * i + 1], cells[6 * i + 2]) = (account, decider, others);
            (cells[6 * i + 3], cells[6 * i + 4], cells[6 * i + 5]) = (share, sign, then);
        }
        object Line(MapLine line, Dimension? side) =>
            new
            {
                key = line.Key,
                code = line.Code,
                name = line.Name,
                depth = line.Depth,
                opens = line.Opens,
                open = line.Open,
                listed = line.Listed,
                records = line.Records,
                sign = of.Grave?.GetValueOrDefault(PlaceOf(line, side) ?? ""),
            };
        return new JsonResult(
            new
            {
                purpose = Purpose.Title,
                stamp = of.Stamp,
                down = map.Question.Down == Dimension.Party ? "parties" : Show.Words(Words.Of(map.Question.Down)),
                rows = map.Rows.Select(r => Line(r, map.Question.Down)),
                columns = map.Columns.Select(c => Line(c, map.Question.Across)),
                accounts = map.Accounts.Select(a => new
                {
                    number = a,
                    name = of.SetUp.Account(a)?.Name ?? "",
                    tripwire = of.SetUp.Account(a)?.Tripwire ?? false,
                }),
                deciders = map.Deciders.Select(d => new
                {
                    rung = Show.Rung(d.Assignment.RungName),
                    key = string.Join(" · ", d.Assignment.Key.Select(k => k.Value)),
                    height = Math.Round(d.Height, 3),
                    borrowed = d.Borrowed,
                }),
                cells,
                volumes = of
                    .Volumes.Select((v, i) => (v, i))
                    .Where(v => v.v != 0)
                    .Select(v => new object[] { v.i, Show.Amount(v.v, State.Currency), (double)v.v }),
                cut = map.Cut,
                coarse = map.Coarse,
                signed = signs,
            }
        );
    }

    /// <summary>The table behind it.</summary>
    public async Task<IActionResult> OnGetTableAsync()
    {
        var shown = await LookAsync(false);
        Shown = shown.Result;
        Faults = shown.Faults;
        return Partial("_MapTable", this);
    }

    /// <summary>What a cell explains of a line and a column.</summary>
    /// <param name="Parts">What it is made of; one where all of it lands alike.</param>
    public sealed record Cell(
        MapLine Row,
        MapLine Column,
        IReadOnlyList<MapPart> Parts,
        LineDocument Line,
        Fault? Wrong,
        IReadOnlyDictionary<string, string> Given
    );

    /// <summary>Why a cell lands where it does.</summary>
    public async Task<IActionResult> OnGetCellAsync()
    {
        var shown = await LookAsync(false);
        if (shown.Result is not { Map: var map } of)
            return NotFound();
        var (row, column) = (Find(map.Rows, Row), Find(map.Columns, Column));
        if (row < 0 || column < 0)
            return Content("<p class=\"watch mb-0\">That line is not shown any more.</p>", "text/html");
        Shown = of;
        var given = map.Rows[row].Values.Concat(map.Columns[column].Values).ToDictionary(v => v.Key, v => v.Value);
        var (line, wrong) = ExplainModel.LineOf(of.SetUp, Purpose, given, []);
        return Partial(
            "_MapCell",
            (this, new Cell(map.Rows[row], map.Columns[column], map.PartsOf(of.SetUp, row, column), line, wrong, given))
        );
    }

    /// <summary>What the newest events would do elsewhere if the block were painted.</summary>
    public async Task<IActionResult> OnPostConsequencesAsync(
        string[]? line,
        string[]? column,
        string? account,
        string? stamp
    )
    {
        Choose();
        var plan = await maps.PlanAsync(Visit, Ask(), Marked(line, column, account, stamp), HttpContext.RequestAborted);
        var foreseen = await compare.OfEditsAsync(
            Visit,
            (_, faults) =>
            {
                faults.AddRange(plan.Faults);
                return plan.Result?.Rows ?? [];
            },
            HttpContext.RequestAborted
        );
        return foreseen.Result is { } found ? Partial("_MapPlan", (this, plan.Result, found)) : NotFound();
    }

    public async Task<IActionResult> OnPostPaintAsync(
        string[]? line,
        string[]? column,
        string? account,
        string? stamp,
        string? reason
    )
    {
        Choose();
        Block = Marked(line, column, account, stamp);
        Why = reason ?? "";
        var made = await maps.PaintAsync(Visit, Ask(), Block, Reason(reason), HttpContext.RequestAborted);
        if (made.Refused is not null)
            return await RefusedAsync(made);
        var (done, plan) = made.Result;
        var stays =
            plan.Left > 0
                ? $" {Show.Count(plan.Left)} combinations stay: the ladder has no rung that tells them apart."
                : "";
        return Went(
            done.Plan.Changes.Count == 0
                ? $"All of the block lands on {Block.Account} already.{stays}"
                : $"{Show.Count(plan.Moved)} combinations land on {Block.Account} now, by "
                    + $"{(done.Plan.Changes.Count == 1 ? "1 row" : $"{done.Plan.Changes.Count} rows")}.{stays}",
            done.Id
        );
    }

    /// <inheritdoc/>
    public override IReadOnlyDictionary<string, string> Kept =>
        new Dictionary<string, string>
        {
            ["purpose"] = Purpose.Name,
            ["down"] = Down ?? "",
            ["across"] = Across ?? "",
        };

    private protected override string Here => $"/e/{EntityCode}/map{Query()}";

    /// <summary>The question in an address.</summary>
    public string Query(string? handler = null, int? from = null)
    {
        var said = new List<string> { $"purpose={Purpose.Name}" };
        void Say(string name, string? value)
        {
            if (!string.IsNullOrEmpty(value))
                said.Add($"{name}={Uri.EscapeDataString(value)}");
        }
        Say("down", Down);
        Say("across", Across);
        Say("edition", Edition);
        Say("over", Over);
        foreach (var (name, keys) in new[] { ("open", Open), ("wide", Wide) })
        foreach (var key in keys ?? [])
            said.Add($"{name}={Uri.EscapeDataString(key ?? "")}");
        Say("from", from?.ToString(System.Globalization.CultureInfo.InvariantCulture));
        Say("handler", handler);
        return "?" + string.Join('&', said);
    }

    /// <summary>The purposes that have a map.</summary>
    public IReadOnlyList<Purpose> Mapped { get; private set; } = [];

    private protected override async Task<IActionResult> ShowAsync()
    {
        var looked = await view.OfAsync(Visit, Looked, null, HttpContext.RequestAborted);
        if (looked.Result is not { SetUp: var setUp })
        {
            Edition = null;
            Faults = looked.Faults;
            return await ShowAsync();
        }
        Mapped =
        [
            .. Core.SetUps.Reach.Needed(setUp).Where(p => LandingMap.Sides(setUp, p).Count > 0).OrderBy(p => p.Index),
        ];
        if (string.IsNullOrEmpty(Asked) && !Mapped.Contains(Purpose) && Mapped.Count > 0)
            Asked = Mapped[0].Name;
        // A record that is asked for is shown: what it is in is opened.
        if (Row is not null && Open is not { Length: > 0 } && Above(setUp, Row) is { Count: > 0 } above)
            Open = [.. above];
        var shown = await LookAsync(false);
        Shown = shown.Result;
        if (shown.Refused is not null)
            Faults = [.. Faults, .. shown.Faults];
        return Page();
    }

    private Task<Outcome<MapView>> LookAsync(bool signs)
    {
        var faults = Choose();
        return faults.Count > 0
            ? Task.FromResult(Outcome<MapView>.No(Refusal.Invalid, faults))
            : maps.RunAsync(
                Visit,
                Ask(),
                Looked,
                string.IsNullOrEmpty(Over) ? null : Over,
                signs,
                HttpContext.RequestAborted
            );
    }

    // Reads the purpose and the sides out of the address.
    private List<Fault> Choose()
    {
        var faults = new List<Fault>();
        if (!string.IsNullOrEmpty(Asked))
        {
            if (Purposes.Find(Asked) is { } purpose)
                Purpose = purpose;
            else
                faults.Add(
                    new Fault("unknown-purpose", "There is no such purpose: choose one of the list.", "purpose")
                );
        }
        foreach (var (word, field) in new[] { (Down, "down"), (Across, "across") })
            if (!string.IsNullOrEmpty(word) && !Words.TryParse<Dimension>(word, out _))
                faults.Add(new Fault("no-side", "There is no such side: choose one of the list.", field));
        return faults;
    }

    private MapAsk Ask()
    {
        static Dimension? Of(string? word) =>
            !string.IsNullOrEmpty(word) && Words.TryParse<Dimension>(word, out var side) ? side : null;
        // None said is not none open: the binder makes both an empty list.
        string[]? Keys(string name, string?[]? keys) =>
            Request.Query.ContainsKey(name) || keys is { Length: > 0 }
                ? [.. (keys ?? []).Where(k => !string.IsNullOrEmpty(k)).Select(k => k!).Take(2000)]
                : null;
        return new MapAsk(Purpose, Of(Down), Of(Across), Keys("open", Open), Keys("wide", Wide));
    }

    private static MapBlock Marked(string[]? line, string[]? column, string? account, string? stamp)
    {
        static HashSet<string> Set(string[]? keys) => [.. (keys ?? []).Where(k => !string.IsNullOrEmpty(k))];
        return new MapBlock(Set(line), Set(column), (account ?? "").Trim(), stamp ?? "");
    }

    private static int Find(IReadOnlyList<MapLine> lines, string? key) =>
        Enumerable.Range(0, lines.Count).FirstOrDefault(i => lines[i].Key == key, -1);

    // The place of a line's record or group in findings.
    private static string? PlaceOf(MapLine line, Dimension? side) =>
        (line.Kind, side) switch
        {
            (MapLineKind.Record, Dimension.Item) => CheckInput
                .Place(Core.Tables.Parts.Items, ("code", line.Code!))
                .Identity,
            (MapLineKind.Record, Dimension.Party) => CheckInput
                .Place(Core.Tables.Parts.Parties, ("code", line.Code!))
                .Identity,
            (MapLineKind.Record, Dimension.Project) => CheckInput
                .Place(Core.Tables.Parts.Projects, ("code", line.Code!))
                .Identity,
            (MapLineKind.Group, _) => CheckInput
                .Place(
                    Core.Tables.Parts.Groups,
                    (
                        "kind",
                        side == Dimension.Item ? "item"
                        : side == Dimension.Project ? "project"
                        : line.Key[0] == 's' ? "supplier"
                        : "customer"
                    ),
                    ("code", line.Code!)
                )
                .Identity,
            _ => null,
        };

    // The groups that a record is in, as keys of lines.
    private static List<string> Above(Core.SetUps.CompiledSetUp setUp, string key) =>
        key is ['r', ':', .. var code]
            ? setUp.Item(code) is { } item
                ? Chain(setUp, Dimension.ItemGroup, item.Group)
                : setUp.Project(code) is { } project
                    ? Chain(setUp, Dimension.ProjectGroup, project.Group)
                    : setUp.Party(code) is { } party
                        ? Chain(
                            setUp,
                            Dimension.PartyGroup,
                            party.CustomerGroup == 0 ? party.SupplierGroup : party.CustomerGroup
                        )
                        : []
            : key is ['g', ':', .. var group]
                ? Chain(setUp, Dimension.ItemGroup, setUp.Index.OfGroup(GroupKind.Item, group))
                : [];

    private static List<string> Chain(Core.SetUps.CompiledSetUp setUp, Dimension of, int number) =>
        number == 0 ? ["ungrouped"] : [.. setUp.Index.Chain(of, number).Select(c => "g:" + c)];

    /// <summary>The map that shows what a finding is about; null: none does.</summary>
    public static string? LinkOf(string entity, Finding finding)
    {
        if (finding.Places is not [var place, ..])
            return null;
        var key = place.Key.ToDictionary(k => k.Key, k => k.Value);
        var row = place.Part switch
        {
            "items" => "r:" + key["code"],
            "groups" when key["kind"] == "item" => "g:" + key["code"],
            "assignments" when key.TryGetValue("item", out var item) => "r:" + item,
            "assignments" when key.TryGetValue("item_group", out var group) => "g:" + group,
            _ => null,
        };
        return finding.Purpose is null && row is null
            ? null
            : $"/e/{entity}/map?purpose={finding.Purpose ?? "sales-revenue"}"
                + (row is null ? "" : $"&row={Uri.EscapeDataString(row)}");
    }
}
