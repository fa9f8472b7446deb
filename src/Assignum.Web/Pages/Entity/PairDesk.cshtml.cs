using System.Globalization;
using Assignum.Core;
using Assignum.Core.Pairing;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.Connections;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>The pairing desk: two lists and the proposals between them, a key a pair.</summary>
public sealed class PairDeskModel(
    DeskContext desk,
    EditSetUp edit,
    KeepConnections keep,
    ReadPairs pairs,
    PairRecords pair,
    CreateThere there,
    ActOnNeeds needs
) : JoinedPage(desk, edit, keep)
{
    /// <summary>Records on a page.</summary>
    public const int Listed = 50;

    private const int MostMade = 2_000;

    /// <summary>The ways of showing them, with their titles.</summary>
    public static readonly IReadOnlyList<(string Show, string Title)> Ways =
    [
        ("open", "open"),
        ("needed", "documents wait"),
        ("doubts", "held back"),
        ("doubles", "doubles"),
        ("settled", "settled"),
        ("changed", "changed there"),
        ("all", "all"),
    ];

    /// <summary>The kind of record; empty: the first that has any.</summary>
    [BindProperty(SupportsGet = true), FromRoute(Name = "record")]
    public string? Record { get; set; }

    [BindProperty(SupportsGet = true, Name = "show")]
    public string? Way { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Q { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? After { get; set; }

    /// <summary>What stays as it is though a pairing was taken back, in words.</summary>
    public IReadOnlyList<string> Effects { get; private set; } = [];

    public PairDesk Laid { get; private set; } = null!;

    /// <summary>The kinds of record that there is anything to pair of.</summary>
    public IReadOnlyList<RecordKind> Kinds =>
        // What a journal names: its accounts, and of its lines parties and tax codes; projects where it keeps them.
        Link.Of.TakesEntries
            ? [.. RecordKind.All.Where(k => k.Name is "account" or "tax-code" or "party" or "project")]
            : [.. RecordKind.All.Where(k => k.Ours is not null && (k.Name != "account" || Link.Kind == "warehouse"))];

    public override IReadOnlyDictionary<string, string> Kept =>
        new Dictionary<string, string> { ["show"] = Shown, ["Q"] = Q ?? "" };

    /// <summary>The way in which they are shown.</summary>
    public string Shown => Ways.Any(w => w.Show == Way) ? Way! : "open";

    private protected override string Here => $"{Home}/pair/{Record}?show={Shown}&q={Uri.EscapeDataString(Q ?? "")}";

    public Task<IActionResult> OnGetAsync() => ShowAsync();

    /// <summary>Decides one record: the row as it is then, for a page that swaps rows; else the page again.</summary>
    public async Task<IActionResult> OnPostOneAsync(string? subject, string? @do, string? ours, string? reason)
    {
        if (!await FoundAsync())
            return NotFound();
        Record ??= "";
        var act = await ActAsync(subject ?? "", @do ?? "", ours?.Trim(), reason);
        var alone = Request.Headers.ContainsKey("X-Row");
        if (!alone)
            return act.Refused is null
                ? Went(string.Join(' ', ["Decided.", .. Effects]), act.Change)
                : await RefusedAsync(new Outcome<object>(null, act.Refused, act.Faults));
        Faults = act.Faults;
        await LaidAsync(subject);
        Response.Headers["X-Ready"] = string.Create(
            CultureInfo.InvariantCulture,
            $"{Laid.Open.Ready}/{Laid.Open.Events}"
        );
        Response.StatusCode = act.Refused is null ? 200 : 422;
        return Partial("_PairRow", this);
    }

    private async Task<(Refusal? Refused, IReadOnlyList<Fault> Faults, long? Change)> ActAsync(
        string subject,
        string what,
        string? other,
        string? reason
    )
    {
        var ledger = Link.Of.TakesEntries;
        if (what == "create" && ledger)
        {
            var made = await there.RunAsync(
                Actor,
                EntityCode,
                LinkCode,
                [(Record!, subject)],
                HttpContext.RequestAborted
            );
            return (made.Refused, made.Faults, made.Result?.Change);
        }
        if (what == "open")
        {
            var back = await needs.RunAsync(
                Actor,
                EntityCode,
                LinkCode,
                [new NeedAct(ReadNeeds.IdOf("record", Record!, subject), "open")],
                HttpContext.RequestAborted
            );
            Effects = back.Result?.Effects ?? [];
            return (back.Refused, back.Faults, back.Result is { Changes: [var one, ..] } ? one : null);
        }
        var act = ledger
            ? new PairAct(
                Record!,
                what is "pair" or "accept" ? other ?? "" : PairAct.NoCounterpart,
                subject,
                what,
                Reason(reason)
            )
            : new PairAct(Record!, subject, string.IsNullOrEmpty(other) ? null : other, what, Reason(reason));
        var done = await pair.SettleAsync(Actor, EntityCode, LinkCode, [act], HttpContext.RequestAborted);
        return (done.Refused, done.Faults, done.Result?.Id);
    }

    /// <summary>Pairs at once all that is sure.</summary>
    public async Task<IActionResult> OnPostSureAsync(string? above)
    {
        if (!await FoundAsync())
            return NotFound();
        var score = decimal.TryParse(
            above?.Replace(',', '.'),
            NumberStyles.Float,
            CultureInfo.InvariantCulture,
            out var given
        )
            ? (double)(given > 1 ? given / 100 : given)
            : 0.9;
        var done = await pair.AcceptAsync(Actor, EntityCode, LinkCode, Record ?? "", score, HttpContext.RequestAborted);
        return done.Result is { } of
            ? Went(
                $"{Show.Some(of.Paired, "record")} paired"
                    + (
                        of.HeldBack > 0
                            ? $"; {of.HeldBack} as sure held back: doubles, no lead, or a tax code that differs."
                            : "."
                    ),
                of.Change
            )
            : await RefusedAsync(done);
    }

    /// <summary>Pairs all doubles of one of ours with it.</summary>
    public async Task<IActionResult> OnPostDoublesAsync(string[]? subjects, string? ours)
    {
        if (!await FoundAsync())
            return NotFound();
        var done = await pair.SettleAsync(
            Actor,
            EntityCode,
            LinkCode,
            [.. (subjects ?? []).Select(s => new PairAct(Record ?? "", s, ours, "pair", "doubles of one another"))],
            HttpContext.RequestAborted
        );
        return done.Refused is null
            ? Went($"{Show.Some(subjects?.Length ?? 0, "double")} of {ours} paired.", done.Result!.Id)
            : await RefusedAsync(done);
    }

    /// <summary>Makes here what is shown and open, like a sibling.</summary>
    public async Task<IActionResult> OnPostRestAsync(string? like)
    {
        if (!await FoundAsync())
            return NotFound();
        var all = await pairs.DeskAsync(
            Actor,
            EntityCode,
            LinkCode,
            new PairsAsked(Record ?? "", Shown, Q, null, MostMade),
            HttpContext.RequestAborted
        );
        if (all.Result is null)
            return await RefusedAsync(all);
        var open = all.Result.Lines.Where(l => l.Pairing is null).Select(l => l.Subject).ToList();
        if (open.Count == 0)
            return await RefusedAsync(new Fault("nothing-open", "Nothing that is shown is open."));
        if (Link.Of.TakesEntries)
        {
            var made = await there.RunAsync(
                Actor,
                EntityCode,
                LinkCode,
                [.. open.Select(o => (Record!, o))],
                HttpContext.RequestAborted
            );
            return made.Refused is null
                ? Went($"{made.Result!.Made} made there and paired.", made.Result.Change)
                : await RefusedAsync(made);
        }
        var done = await pair.SettleAsync(
            Actor,
            EntityCode,
            LinkCode,
            [
                .. open.Select(o => new PairAct(
                    Record ?? "",
                    o,
                    string.IsNullOrWhiteSpace(like) ? null : like.Trim(),
                    "create",
                    null
                )),
            ],
            HttpContext.RequestAborted
        );
        return done.Refused is null
            ? Went($"{Show.Some(open.Count, "record")} made here and paired.", done.Result!.Id)
            : await RefusedAsync(done);
    }

    /// <summary>Makes one of ours there.</summary>
    public async Task<IActionResult> OnPostThereAsync(string? ours)
    {
        if (!await FoundAsync())
            return NotFound();
        var codes = (ours ?? "").Split(
            [' ', ',', ';', '\n'],
            StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries
        );
        if (codes.Length is 0 or > 500)
            return await RefusedAsync(new Fault("missing-value", "Say which of ours, at most 500 codes.", "ours"));
        var made = await there.RunAsync(
            Actor,
            EntityCode,
            LinkCode,
            [.. codes.Select(c => (Record ?? "", c))],
            HttpContext.RequestAborted
        );
        return made.Refused is null
            ? Went($"{made.Result!.Made} made there and paired.", made.Result.Change)
            : await RefusedAsync(made);
    }

    /// <summary>Looks anew which are which.</summary>
    public async Task<IActionResult> OnPostAgainAsync()
    {
        if (!await FoundAsync())
            return NotFound();
        var done = await pairs.ProposeAsync(
            Actor,
            EntityCode,
            LinkCode,
            Record ?? "",
            null,
            1,
            HttpContext.RequestAborted
        );
        return done.Refused is null ? Went("Looked at anew.") : await RefusedAsync(done);
    }

    private async Task LaidAsync(string? one)
    {
        var laid = await pairs.DeskAsync(
            Actor,
            EntityCode,
            LinkCode,
            one is null
                ? new PairsAsked(Record!, Shown, Q, After, Listed)
                : new PairsAsked(Record!, "all", one, null, Listed),
            HttpContext.RequestAborted
        );
        Laid = laid.Result!;
        if (one is not null)
            Laid = Laid with { Lines = [.. Laid.Lines.Where(l => l.Subject == one)] };
    }

    private protected override async Task<IActionResult> ShowAsync()
    {
        if (!await FoundAsync())
            return NotFound();
        if (string.IsNullOrEmpty(Record))
            Record = Kinds
                .First(k => k.Name is "account" && Link.Of.TakesEntries || k.Name is "item" or "channel")
                .Name;
        if (RecordKind.Find(Record) is not { Ours: not null })
            return NotFound();
        await LaidAsync(null);
        return Page();
    }
}
