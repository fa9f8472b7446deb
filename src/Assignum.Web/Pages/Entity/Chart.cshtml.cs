using System.Text.Json;
using Assignum.Core.Chart;
using Assignum.Core.SetUps;
using Assignum.Core.Statements;
using Assignum.Core.Tables;
using Assignum.Core.Upkeep;
using Assignum.Desk;
using Assignum.Desk.Chart;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using Assignum.Formats.Bundles;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>The chart in the order of the statements, with balances: a tree that is read, and a grid that is
/// edited.</summary>
public sealed class ChartModel(
    DeskContext desk,
    ViewSetUp view,
    ReadJournal journal,
    EditSetUp edit,
    BringChart bring,
    KeepOpenings openings,
    CompareSetUps compare
) : ActingPage(desk, edit)
{
    /// <summary>Rows sent at once; the next follow as they are scrolled to.</summary>
    public const int PageRows = 250;

    public override string Place => "chart";

    [BindProperty(SupportsGet = true)]
    public string? Q { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Class { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Control { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Lacking { get; set; }

    /// <summary>With it, what moved from that day on; without, what stands.</summary>
    [BindProperty(SupportsGet = true)]
    public DateOnly? From { get; set; }

    /// <summary>The day up to which; none: all days.</summary>
    [BindProperty(SupportsGet = true)]
    public DateOnly? To { get; set; }

    /// <summary>Of which days the amounts are.</summary>
    public string OfDays =>
        (From, To) switch
        {
            (null, null) => $"balances in {State.Currency} to date",
            (null, _) => $"balances in {State.Currency} as at {Show.Day(To)}",
            (_, null) => $"what moved in {State.Currency} since {Show.Day(From)}",
            _ => $"what moved in {State.Currency} from {Show.Day(From)} to {Show.Day(To)}",
        };

    [BindProperty(SupportsGet = true)]
    public string Fields { get; set; } = "statement";

    /// <summary>What a list can be narrowed to.</summary>
    public static readonly IReadOnlyList<(string Value, string Title)> Narrow =
    [
        ("active", "active"),
        ("archived", "archived"),
        ("unused", "unused"),
        ("no-tax", "no tax default"),
        ("no-report", "no report code"),
        ("off-band", "number off its band"),
    ];

    /// <summary>The fields that stand beside number and name, by what they decide.</summary>
    public static readonly IReadOnlyList<(string Value, string Title, IReadOnlyList<string> Columns)> FieldSets =
    [
        ("statement", "statement", ["class", "control", "tax_code"]),
        ("place", "place", ["short_code", "class", "kind", "parent", "usual_side", "family"]),
        (
            "posting",
            "who may post",
            ["status", "control", "hand_entries", "party_kinds", "currency", "revalue", "tripwire"]
        ),
        ("tax", "tax", ["class", "tax_admits", "tax_code", "capital"]),
        ("report", "reporting", ["report_codes", "dimension_rules", "note"]),
    ];

    /// <summary>A row with the cells of the fields shown.</summary>
    public sealed record Line(StatementRow Row, IReadOnlyList<(Column Column, string? Cell)> Cells);

    public IReadOnlyList<Line> Lines { get; private set; } = [];
    public int Count { get; private set; }
    public int Shown { get; private set; }
    public int? Next { get; private set; }

    /// <summary>Balances that came with a chart and that no opening was made of yet.</summary>
    public IReadOnlyList<OpeningRow> Openings { get; private set; } = [];
    public decimal Debits { get; private set; }
    public decimal Credits { get; private set; }
    public IReadOnlyList<Column> Columns { get; private set; } = [];

    /// <summary>The columns that a field can be set on for many.</summary>
    public IReadOnlyList<Column> Editable => [.. Parts.Accounts.Columns.Where(c => !c.Key)];

    /// <summary>Whether anything narrows the list.</summary>
    public bool Narrowed => Narrowing.Narrows;

    private ChartNarrowing Narrowing => new(Q, Class, Control, Lacking);

    /// <summary>Where choices for a column come from.</summary>
    public string? PickOf(Column column) => new RowForm(Parts.Accounts, null, EntityCode).Pick(column);

    /// <summary>The address of the same list for another handler.</summary>
    public string QueryString(string more)
    {
        var pairs = new[]
        {
            ("q", Q),
            ("class", Class),
            ("control", Control),
            ("lacking", Lacking),
            ("fields", Fields),
            ("from", From?.ToString("yyyy-MM-dd", System.Globalization.CultureInfo.InvariantCulture)),
            ("to", To?.ToString("yyyy-MM-dd", System.Globalization.CultureInfo.InvariantCulture)),
        }
            .Where(p => !string.IsNullOrEmpty(p.Item2))
            .Select(p => $"{p.Item1}={Uri.EscapeDataString(p.Item2!)}");
        return "?" + string.Join('&', pairs.Append(more));
    }

    public async Task OnGetAsync()
    {
        await LoadAsync(0, PageRows);
        Openings = await openings.ListAsync(Visit, HttpContext.RequestAborted);
    }

    /// <summary>The rows of the table from one on: the next as they are scrolled to, or all that are shown
    /// anew.</summary>
    public async Task<IActionResult> OnGetRowsAsync(int skip, int take = PageRows)
    {
        await LoadAsync(Math.Max(0, skip), Math.Clamp(take, PageRows, 20_000));
        return Partial("_ChartRows", this);
    }

    public async Task<IActionResult> OnGetListAsync(string format)
    {
        var rows = await RowsAsync();
        return ListFile.Of(
            "accounts",
            format,
            ["number", "name", "class", "kind", "control", "tax_code", "status", "balance"],
            rows.Where(r => r.Account is not null)
                .Select(r => (r, Account: r.Account!))
                .Select(x =>
                    new object?[]
                    {
                        x.Account.Number,
                        x.Account.Name,
                        Core.Words.Of(x.Account.Class),
                        Core.Words.Of(x.Account.Kind),
                        x.Account.Control == Core.Chart.Control.None ? null : Core.Words.Of(x.Account.Control),
                        x.Account.TaxCode,
                        Core.Words.Of(x.Account.Status),
                        x.r.Balance,
                    }
                )
        );
    }

    /// <summary>The chart with every field, to edit elsewhere and bring back.</summary>
    public async Task<IActionResult> OnGetOutAsync(string format)
    {
        var accounts = (await RowsAsync())
            .Where(r => r.Account is not null)
            .Select(r => r.Account!)
            .DistinctBy(a => a.Number)
            .ToList();
        var setUp = (await SetUpAsync()) with { Accounts = accounts };
        var columns = Parts.Accounts.Columns.Select(c => c.Name).ToList();
        if (format == "csv")
            return ListFile.Of($"{EntityCode}-accounts", format, columns, Parts.Accounts.Write(setUp));
        if (format == "json")
            return File(
                JsonSerializer.SerializeToUtf8Bytes(
                    Parts
                        .Accounts.Write(setUp)
                        .Select(r => columns.Select((c, i) => (c, r[i])).ToDictionary(x => x.c, x => x.Item2)),
                    ListJson
                ),
                "application/json",
                $"{EntityCode}-accounts.json"
            );
        using var bytes = new MemoryStream();
        Workbook.Write(setUp, bytes, [Parts.Accounts, Parts.TaxCodes]);
        return File(bytes.ToArray(), Workbook.MediaType, $"{EntityCode}-accounts.xlsx");
    }

    private static readonly JsonSerializerOptions ListJson = new()
    {
        WriteIndented = true,
        Encoder = System.Text.Encodings.Web.JavaScriptEncoder.UnsafeRelaxedJsonEscaping,
    };

    public async Task<IActionResult> OnPostStartAsync(string? template)
    {
        var started = await bring.StartAsync(Actor, EntityCode, template ?? "", HttpContext.RequestAborted);
        return started.Refused is null
            ? Went(
                $"{started.Result!.Plan.Changes.Count(c => c.Part == Parts.Accounts)} accounts were made. Change "
                    + "what does not suit you.",
                started.Result.Change
            )
            : await RefusedAsync(started);
    }

    /// <summary>Makes an opening of the balances that came with a chart, in the life cycle of whoever asks.</summary>
    public async Task<IActionResult> OnPostOpeningAsync(DateOnly? day)
    {
        if (BadDay("day") is { } bad)
            return await RefusedAsync(bad);
        var made = await openings.RehearseAsync(Actor, EntityCode, day ?? State.Today, HttpContext.RequestAborted);
        return made.Refused is null ? LocalRedirect($"/e/{EntityCode}/rehearse/cycle") : await RefusedAsync(made);
    }

    /// <summary>Forgets them.</summary>
    public async Task<IActionResult> OnPostForgetOpeningsAsync()
    {
        var forgotten = await openings.ForgetAsync(Actor, EntityCode, HttpContext.RequestAborted);
        return forgotten.Refused is null
            ? Went($"{forgotten.Result} opening amounts are forgotten.", null)
            : await RefusedAsync(forgotten);
    }

    private protected override string Here => $"/e/{EntityCode}/chart";

    private protected override async Task<IActionResult> ShowAsync()
    {
        await OnGetAsync();
        return Page();
    }

    /// <summary>Changes cells: all of them, or none with what is wrong by cell.</summary>
    public Task<IActionResult> OnPostEditAsync([FromBody] CellEdits? sent) =>
        GridEdits.SaveAsync(
            Edit,
            Actor,
            EntityCode,
            Parts.Accounts,
            sent,
            "accounts changed in the grid",
            HttpContext.RequestAborted
        );

    /// <summary>What the changed terms of accounts would make of the newest events; nothing is changed.</summary>
    public Task<IActionResult> OnPostForeseeAsync([FromBody] CellEdits? sent) =>
        GridEdits.ForeseeAsync(this, compare, Parts.Accounts, sent);

    /// <summary>Undoes what the grid did.</summary>
    public Task<IActionResult> OnPostUndoEditAsync(long change) =>
        GridEdits.UndoAsync(Edit, Actor, EntityCode, change, HttpContext.RequestAborted);

    // The draft where there is one: what is being worked on is what is looked at.
    private async Task<SetUp> SetUpAsync() =>
        (await view.OfAsync(Visit, "draft", null, HttpContext.RequestAborted)).Result!.SetUp.SetUp;

    private async Task<Dictionary<string, decimal>> BalancesAsync(DateOnly? at) =>
        (await journal.BalancesAsync(Actor, EntityCode, at, HttpContext.RequestAborted)).Result!.ToDictionary(
            b => b.Account,
            b => b.Debit - b.Credit
        );

    private async Task<List<StatementRow>> RowsAsync()
    {
        var setUp = await SetUpAsync();
        var balances = await BalancesAsync(To);
        if (From is { } from)
            foreach (var (account, before) in await BalancesAsync(from.AddDays(-1)))
                balances[account] = balances.GetValueOrDefault(account) - before;
        Count = setUp.Accounts.Count;
        var rows = StatementTree.Lay(setUp.Accounts, balances);
        Debits = rows.Where(r => r.Account?.Kind == AccountKind.Posting && r.Balance > 0).Sum(r => r.Balance);
        Credits = -rows.Where(r => r.Account?.Kind == AccountKind.Posting && r.Balance < 0).Sum(r => r.Balance);
        if (!Narrowed)
            return [.. rows];
        var live =
            Lacking == "unused" && State.Latest is { } latest
                ? (await view.OfAsync(Visit, latest.Number.ToString(), null, HttpContext.RequestAborted))
                    .Result!
                    .SetUp
                    .SetUp
                : null;
        var fits = Narrowing.In(setUp, live, balances.ContainsKey);
        return [.. rows.Where(r => r.Account is { } account && fits(account))];
    }

    private async Task LoadAsync(int skip, int take)
    {
        var part = Parts.Accounts;
        if (!FieldSets.Any(f => f.Value == Fields))
            Fields = FieldSets[0].Value;
        var shown = FieldSets
            .First(f => f.Value == Fields)
            .Columns.Select(n => part.Columns.ToList().FindIndex(c => c.Name == n))
            .ToList();
        Columns = [.. shown.Select(i => part.Columns[i])];
        var rows = await RowsAsync();
        Shown = rows.Count(r => r.Account is not null);
        if (Narrowed)
            (Debits, Credits) = (
                rows.Where(r => r.Account?.Kind == AccountKind.Posting && r.Balance > 0).Sum(r => r.Balance),
                -rows.Where(r => r.Account?.Kind == AccountKind.Posting && r.Balance < 0).Sum(r => r.Balance)
            );
        var page = rows.Skip(skip).Take(take).ToList();
        var cells = part.Write(
                new SetUp
                {
                    Entity = new Core.SetUps.Entity("", "", ""),
                    Accounts =
                    [
                        .. page.Where(r => r.Account is not null).Select(r => r.Account!).DistinctBy(a => a.Number),
                    ],
                }
            )
            .ToDictionary(part.KeyOf, StringComparer.Ordinal);
        Lines =
        [
            .. page.Select(r => new Line(
                r,
                r.Account is null ? [] : [.. shown.Select(i => (part.Columns[i], cells[r.Number][i]))]
            )),
        ];
        Next = skip + take < rows.Count ? skip + take : null;
    }
}
