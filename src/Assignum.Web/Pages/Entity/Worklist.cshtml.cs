using System.Text.Json;
using System.Text.Json.Nodes;
using Assignum.Core;
using Assignum.Core.Feeding;
using Assignum.Desk;
using Assignum.Desk.Connections;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>What waits and what is dead over all connections: by reason, with the money in it and one act that frees all of
/// it; one of them beside what it would do.</summary>
public sealed class WorklistModel(
    DeskContext desk,
    EditSetUp edit,
    ReadWorklist read,
    ReadEvents events,
    ActOnEvents act,
    ActOnNeeds needs,
    ReadJournals journals
) : ActingPage(desk, edit)
{
    /// <summary>Most groups that are shown.</summary>
    public const int Most = 200;

    private const int MostOfGroup = 25;

    public override string Place => "connections";

    /// <summary>The group that is looked at: its connection, state, reason and what of.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Of { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? In { get; set; }

    [BindProperty(SupportsGet = true, Name = "reason")]
    public string? For { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? What { get; set; }

    /// <summary>The event that is looked at; null: the first of the group.</summary>
    [BindProperty(SupportsGet = true)]
    public long? Row { get; set; }

    public Worklist Work { get; private set; } = null!;

    /// <summary>The group that is looked at; null: none waits.</summary>
    public WorkGroup? Group { get; private set; }

    /// <summary>Its first events.</summary>
    public IReadOnlyList<LinkEventShown> Events { get; private set; } = [];

    /// <summary>One of them beside what it would do.</summary>
    public EventBeside? Beside { get; private set; }

    /// <summary>Journals of the group, where it is of those.</summary>
    public IReadOnlyList<LinkJournal> Journals { get; private set; } = [];

    /// <summary>What was filled in and refused.</summary>
    public string? Why { get; private set; }
    public string? Instead { get; private set; }

    private protected override string Here =>
        $"/e/{EntityCode}/worklist" + (Of is null ? "" : Address(Of, In ?? "", For ?? "", What ?? "", null));

    /// <summary>The query of a group.</summary>
    public static string Address(string code, string state, string reason, string subject, long? row) =>
        $"?of={Uri.EscapeDataString(code)}&in={state}&reason={Uri.EscapeDataString(reason)}&what={Uri.EscapeDataString(subject)}"
        + (row is null ? "" : $"&row={row}");

    /// <summary>Where a group is mended; null: it frees itself, or is looked at here.</summary>
    public string? Mend(WorkGroup g) =>
        g.Act switch
        {
            "pair" => g.Journals ? $"{Home(g)}/pair/account"
            : g.Subject.StartsWith("word:", StringComparison.Ordinal) ? $"{Home(g)}/needs?only=word"
            : $"{Home(g)}/pair/{g.Subject.Split(' ')[0]}",
            "purpose" => $"{Home(g)}/purposes",
            "open" => $"/e/{EntityCode}/month-end",
            "tax" => $"/e/{EntityCode}/tax",
            "record" => $"/e/{EntityCode}/groups",
            "account" => $"/e/{EntityCode}/chart",
            "assign" => $"/e/{EntityCode}/assignments",
            "confirm" => Home(g),
            _ => null,
        };

    /// <summary>What an act is called.</summary>
    public static string Says(string act) =>
        act switch
        {
            "pair" => "pair it",
            "purpose" => "settle it",
            "open" => "open the month",
            "tax" => "to the tax rules",
            "record" => "to the records",
            "account" => "to the account",
            "assign" => "give it an account",
            "send" => "try again",
            "confirm" => "say what became of them",
            "wait" => "frees itself",
            _ => "look at them",
        };

    private string Home(WorkGroup g) => $"/e/{EntityCode}/connections/{Uri.EscapeDataString(g.Code)}";

    public Task<IActionResult> OnGetAsync() => ShowAsync();

    public Task<IActionResult> OnPostRetryAsync(bool all) =>
        ActAsync(all, "retry", null, null, "They are tried again.");

    public Task<IActionResult> OnPostAsideAsync(bool all, string? why) =>
        ActAsync(all, "set-aside", why, null, "Set aside; nothing waits behind them any more.");

    public Task<IActionResult> OnPostReplaceAsync(string? why, string? instead)
    {
        Instead = instead;
        JsonObject? json = null;
        try
        {
            json = JsonNode.Parse(instead ?? "", null, Formats.Json.EventReader.Options) as JsonObject;
        }
        catch (JsonException) { }
        return json is null
            ? RefusedAsync(new Fault("bad-json", "The event that takes its place is not JSON.", "instead"))
            : ActAsync(false, "replace", why, json, "Posted in its place; both are kept.");
    }

    public async Task<IActionResult> OnPostPairAsync(string? ours)
    {
        if (What?.Split(' ', 2) is not [var record, var theirs] || Of is null)
            return await RefusedAsync(new Fault("unknown-record", "Choose what is paired.", "ours"));
        var word = record.StartsWith("word:", StringComparison.Ordinal);
        var done = await needs.RunAsync(
            Actor,
            EntityCode,
            Of,
            [
                word
                    ? new NeedAct(ReadNeeds.IdOf("word", record[5..], theirs), "word", null, null, ours?.Trim(), null)
                    : new NeedAct(ReadNeeds.IdOf("record", record, theirs), "pair", ours?.Trim(), null, null, null),
            ],
            HttpContext.RequestAborted
        );
        return done.Refused is null
            ? Went(
                "Paired: what waited for it is tried again by itself.",
                done.Result!.Changes is [var change, ..] ? change : null,
                $"/e/{EntityCode}/worklist"
            )
            : await RefusedAsync(
                new Outcome<Decided>(null, done.Refused, [.. done.Faults.Select(f => f with { Path = "ours" })])
            );
    }

    public async Task<IActionResult> OnPostSendAsync(string? how, string? why)
    {
        Why = why;
        await ShowAsync();
        var done = await journals.ActAsync(
            Actor,
            EntityCode,
            Of ?? "",
            [.. Journals.Select(j => j.Id)],
            how,
            why,
            HttpContext.RequestAborted
        );
        return done.Refused is null
            ? Went("Done; what is sent is sent once.", null, $"/e/{EntityCode}/worklist")
            : await RefusedAsync(done);
    }

    private async Task<IActionResult> ActAsync(bool all, string what, string? why, JsonObject? instead, string said)
    {
        Why = why;
        if (Of is null || In is null || For is null || !all && Row is null)
            return await RefusedAsync(new Fault("missing-field", "Choose an event first.", "row"));
        var choice = all
            ? new EventChoice(null, In, For, Grouped(For) ? "" : What ?? "")
            : new EventChoice([Row!.Value]);
        var done = await act.RunAsync(
            Actor,
            EntityCode,
            Of,
            new EventAct(choice, what, why, instead),
            HttpContext.RequestAborted
        );
        return done.Result is { } acted
            ? Went(
                $"{said} {Show.Some(acted.Changed, "event")}"
                    + (acted.Freed > 0 ? $", and {JoinedPage.Many(acted.Freed)} behind." : ".")
                    + (acted.Number is null ? "" : $" Entry {acted.Number}."),
                null,
                $"/e/{EntityCode}/worklist"
            )
            : await RefusedAsync(done);
    }

    // Those whose events have a subject of their own.
    private static bool Grouped(string reason) =>
        reason
            is FeedReasons.Behind
                or FeedReasons.Awaits
                or FeedReasons.Late
                or FeedReasons.Voided
                or FeedReasons.SameSequence
                or FeedReasons.OtherContent;

    private protected override async Task<IActionResult> ShowAsync()
    {
        var stop = HttpContext.RequestAborted;
        var found = await read.RunAsync(Actor, EntityCode, null, Most, stop);
        if (found.Result is null)
            return NotFound();
        Work = found.Result;
        Group = Work.Groups.FirstOrDefault(g =>
            g.Code == Of && g.State == In && g.Reason == (For ?? "") && g.Subject == (What ?? "")
        ) ?? (Work.Groups.Count > 0 ? Work.Groups[0] : null);
        if (Group is null)
            return Page();
        (Of, In, For, What) = (Group.Code, Group.State, Group.Reason, Group.Subject);
        if (Group.Journals)
        {
            var all = await journals.PageAsync(Actor, EntityCode, Of, In, 0, 1000, stop);
            Journals = [.. (all.Result ?? []).Where(j => j.Reason == For).Take(MostOfGroup)];
            return Page();
        }
        var of = await events.OfAsync(Actor, EntityCode, Of, new EventChoice(null, In, For, What), MostOfGroup, stop);
        Events =
        [
            .. (of.Result ?? []).Select(e => new LinkEventShown(e.Row, e.Id, e.Kind, e.Date, e.Amount, e.Received)),
        ];
        if (Events.All(e => e.Row != Row))
            Row = Events.Count > 0 ? Events[0].Row : null;
        if (Row is { } row)
            Beside = (await events.OneAsync(Actor, EntityCode, Of, row, stop)).Result;
        return Page();
    }
}

/// <summary>An event in a list.</summary>
public sealed record LinkEventShown(
    long Row,
    string Id,
    string Kind,
    DateOnly? Date,
    decimal Amount,
    DateTime Received
);
