using Assignum.Core.Checks;
using Assignum.Core.Ledger;
using Assignum.Core.Upkeep;
using Assignum.Desk;
using Assignum.Desk.Checks;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>What checks find, by code; each opened to its places, its consequence and what would mend it.</summary>
public sealed class FindingsModel(
    DeskContext desk,
    EditSetUp edit,
    ReadFindings read,
    HandleFindings handle,
    ReadJournal journal,
    CompareSetUps compare
) : ActingPage(desk, edit)
{
    /// <summary>Findings of one code that are listed at once.</summary>
    public const int PageRows = 50;

    public override string Place => "findings";

    [BindProperty(SupportsGet = true)]
    public string? Q { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Severity { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Code { get; set; }

    /// <summary><c>accepted</c>, <c>mine</c>; empty: what is open.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Show { get; set; }

    /// <summary>The one that is opened, by identity.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Finding { get; set; }

    [BindProperty(SupportsGet = true)]
    public int Skip { get; set; }

    public FindingsView All { get; private set; } = null!;

    /// <summary>Findings of one code, the gravest code first.</summary>
    public sealed record Group(Check Check, FindingSeverity Severity, decimal Amount, IReadOnlyList<FindingRow> Rows);

    public IReadOnlyList<Group> Groups { get; private set; } = [];

    /// <summary>One finding with all that is known of it.</summary>
    /// <param name="Passed">The newest entries on its account.</param>
    public sealed record Opened(FindingRow Row, Mend? Mend, IReadOnlyList<EntryHead> Passed);

    public async Task<IActionResult> OnGetAsync() => await ShowAsync();

    /// <summary>How many are open, for the rail.</summary>
    public async Task<IActionResult> OnGetCountAsync()
    {
        var found = await LookAsync();
        var (errors, warnings) = (found.Count(FindingSeverity.Error), found.Count(FindingSeverity.Warning));
        return Content(
            errors + warnings == 0
                ? ""
                : $"<span class=\"tag {(errors > 0 ? "bad" : "watch")}\">{Pages.Show.Count(errors + warnings)}"
                    + $"<span class=\"visually-hidden\"> errors and warnings</span></span>",
            "text/html"
        );
    }

    /// <summary>Places that are marked at once, at most.</summary>
    private const int MostMarks = 4000;

    /// <summary>What stands at which place, the gravest of each: pages mark their rows with it.</summary>
    public async Task<IActionResult> OnGetMarksAsync()
    {
        var found = await LookAsync();
        var marks = new Dictionary<string, object>(StringComparer.Ordinal);
        foreach (var finding in found.Open.Select(f => f.Finding))
        foreach (var place in finding.Places)
            if (marks.Count < MostMarks)
                marks.TryAdd(
                    place.Identity,
                    new
                    {
                        severity = Core.Words.Of(finding.Severity),
                        says = finding.Message,
                        finding = finding.Identity,
                    }
                );
        return new JsonResult(marks);
    }

    /// <summary>One finding opened.</summary>
    public async Task<IActionResult> OnGetOneAsync()
    {
        All = await LookAsync();
        return All.Open.Concat(All.Accepted).FirstOrDefault(f => f.Finding.Identity == Finding) is { } row
            ? Partial("_Finding", (this, await OpenAsync(row)))
            : Content("<p class=\"good mb-0\">It is gone already.</p>", "text/html");
    }

    /// <summary>What mending it would make of the newest events.</summary>
    public async Task<IActionResult> OnGetMendAsync()
    {
        All = await LookAsync();
        if (All.Open.Concat(All.Accepted).FirstOrDefault(f => f.Finding.Identity == Finding) is not { } row)
            return NotFound();
        var mend = ReadFindings.Mends(All, State.Today, [row.Finding]).Values.FirstOrDefault();
        var foreseen = await compare.OfEditsAsync(Visit, (_, _) => mend?.Rows ?? [], HttpContext.RequestAborted);
        return foreseen.Result is { } found
            ? Partial("_Consequences", (found, EntityCode, State.Currency))
            : NotFound();
    }

    public async Task<IActionResult> OnGetListAsync(string format)
    {
        All = await LookAsync();
        return ListFile.Of(
            EntityCode + "-findings",
            format,
            [
                "severity",
                "code",
                "of",
                "places",
                "account",
                "purpose",
                "count",
                "amount",
                "message",
                "consequence",
                "accepted_until",
                "given_to",
            ],
            Chosen()
                .Select(r =>
                    new object?[]
                    {
                        Core.Words.Of(r.Finding.Severity),
                        r.Finding.Code,
                        r.Finding.Of,
                        string.Join("; ", r.Finding.Places.Select(p => $"{p.Part}: {p.Label}")),
                        r.Finding.Account,
                        r.Finding.Purpose,
                        (decimal)r.Finding.Count,
                        r.Finding.Amount,
                        r.Finding.Message,
                        r.Finding.Consequence,
                        r.Accepted?.Until,
                        r.Given?.To,
                    }
                )
        );
    }

    public async Task<IActionResult> OnPostMendAsync(string[]? finding)
    {
        var made = await handle.MendAsync(Visit, finding ?? [], HttpContext.RequestAborted);
        return await AfterAsync(
            made,
            n => $"{Pages.Show.Some(n, "row")} changed in the draft. What is mended is gone from the list.",
            Here
        );
    }

    public async Task<IActionResult> OnPostAcceptAsync(string? finding, string? reason, DateOnly? until)
    {
        Finding = finding;
        var done = await handle.AcceptAsync(Visit, finding, reason, until, HttpContext.RequestAborted);
        return done.Refused is null
            ? Went($"Accepted until {Pages.Show.Day(until)}. It is shown among the accepted.")
            : await RefusedAsync(done);
    }

    public async Task<IActionResult> OnPostGiveAsync(string? finding, string? to, DateOnly? day, string? note)
    {
        Finding = finding;
        if (BadDay("day") is { } bad)
            return await RefusedAsync(bad);
        var done = await handle.GiveAsync(Visit, finding, to, day, note, HttpContext.RequestAborted);
        return done.Refused is null ? Went($"Given to {to?.Trim()}.") : await RefusedAsync(done);
    }

    public async Task<IActionResult> OnPostForgetAsync(string? finding, bool accepted)
    {
        var done = await handle.ForgetAsync(Visit, finding ?? "", accepted, HttpContext.RequestAborted);
        return done.Refused is null
            ? Went(accepted ? "It is no longer accepted." : "It is given to nobody any more.")
            : await RefusedAsync(done);
    }

    /// <summary>The address of a place; null: it has no page.</summary>
    public string? At(FindingPlace place)
    {
        string? Key(string column) => place.Key.FirstOrDefault(k => k.Key == column).Value;
        var home = $"/e/{Uri.EscapeDataString(EntityCode)}";
        return place.Part switch
        {
            "assignments" => $"{home}/assignments?purpose={Key("purpose")}&q="
                + Uri.EscapeDataString(place.Key.Skip(1).Select(k => k.Value).FirstOrDefault() ?? ""),
            "purposes" => LinkTo.Address(EntityCode, "purpose", Key("purpose")!),
            "accounts" => LinkTo.Address(EntityCode, "account", Key("number")!),
            "relief-accounts" => LinkTo.Address(EntityCode, "account", Key("account")!),
            "groups" => LinkTo.Address(EntityCode, Key("kind") + "-group", Key("code")!),
            "tax-matrix" => $"{home}/tax",
            "tax-codes" => LinkTo.Address(EntityCode, "tax-code", Key("code")!),
            "events" => $"{home}/journal?q={Uri.EscapeDataString(Key("id")!)}",
            "pairings" =>
                $"{home}/connections/{Uri.EscapeDataString(Key("connection")!)}/pair/{Key("record")}?show=all&q="
                    + Uri.EscapeDataString(Key("theirs")!),
            "items" or "parties" or "projects" => LinkTo.Address(
                EntityCode,
                place.Part == "parties" ? "party" : place.Part[..^1],
                Key("code")!
            ),
            _ => null,
        };
    }

    /// <summary>What a finding's sentence names.</summary>
    public static IEnumerable<Core.Mention> Mentions(Finding finding)
    {
        if (finding.Account is not null)
            yield return new(finding.Account, "account", finding.Account);
        if (finding.Purpose is not null)
            yield return new(Pages.Show.Purpose(finding.Purpose), "purpose", finding.Purpose);
    }

    /// <summary>This address with the filters, and something more.</summary>
    public string With(string more) =>
        "?"
        + string.Join(
            '&',
            new[] { ("q", Q), ("severity", Severity), ("code", Code), ("show", Show) }
                .Where(p => !string.IsNullOrEmpty(p.Item2))
                .Select(p => $"{p.Item1}={Uri.EscapeDataString(p.Item2!)}")
                .Append(more)
        );

    private protected override string Here => $"/e/{EntityCode}/findings{With("")}".TrimEnd('?', '&');

    private async Task<FindingsView> LookAsync() =>
        (await read.RunAsync(Visit, "draft", HttpContext.RequestAborted)).Result!;

    private IEnumerable<FindingRow> Chosen()
    {
        var among =
            Show == "accepted" ? All.Accepted
            : Show == "mine" ? All.Open.Concat(All.Accepted).Where(f => f.Given?.To == Actor.Name)
            : All.Open;
        var text = Q?.Trim() ?? "";
        return among
            .Where(f => string.IsNullOrEmpty(Severity) || Core.Words.Of(f.Finding.Severity) == Severity)
            .Where(f => string.IsNullOrEmpty(Code) || f.Finding.Code == Code)
            .Where(f =>
                text.Length == 0
                || f.Finding.Message.Contains(text, StringComparison.OrdinalIgnoreCase)
                || f.Finding.Places.Any(p => p.Label.Contains(text, StringComparison.OrdinalIgnoreCase))
            );
    }

    /// <summary>A place as a person reads it.</summary>
    public string Said(FindingPlace place) =>
        place.Part switch
        {
            "purposes" => Pages.Show.Purpose(place.Label),
            "assignments" => Pages.Show.Purpose(place.Key[0].Value)
                + (place.Key.Count == 1 ? ", default" : "")
                + string.Concat(place.Key.Skip(1).Select(k => " \u00b7 " + k.Value)),
            "groups" => place.Key[^1].Value,
            _ => place.Label,
        };

    private async Task<Opened> OpenAsync(FindingRow row)
    {
        var mends = ReadFindings.Mends(All, State.Today, [row.Finding]);
        var passed = row.Finding.Account is { } account
            ? (
                await journal.HeadsAsync(
                    Actor,
                    EntityCode,
                    new EntryQuery(Account: account, Limit: 5, NewestFirst: true),
                    HttpContext.RequestAborted
                )
            ).Result
                ?? []
            : [];
        return new Opened(row, mends.GetValueOrDefault(row.Finding.Identity), passed);
    }

    /// <summary>The one that the page opens with; null: none.</summary>
    public Opened? First { get; private set; }

    private protected override async Task<IActionResult> ShowAsync()
    {
        All = await LookAsync();
        Skip = Math.Max(0, Skip);
        Groups =
        [
            .. Chosen()
                .GroupBy(f => (f.Finding.Code, f.Finding.Severity))
                .Select(g => new Group(
                    Core.Checks.Findings.Find(g.Key.Code)!,
                    g.Key.Severity,
                    g.Sum(f => f.Finding.Amount),
                    [.. g]
                ))
                .OrderBy(g => g.Severity)
                .ThenByDescending(g => g.Amount)
                .ThenBy(g => g.Check.Code, StringComparer.Ordinal),
        ];
        if (
            Finding is not null
            && All.Open.Concat(All.Accepted).FirstOrDefault(f => f.Finding.Identity == Finding) is { } row
        )
            First = await OpenAsync(row);
        return Page();
    }
}
