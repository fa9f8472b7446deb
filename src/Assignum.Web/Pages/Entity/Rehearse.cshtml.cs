using System.Text;
using System.Text.Json.Nodes;
using Assignum.Core;
using Assignum.Core.Entries;
using Assignum.Core.Ledger;
using Assignum.Desk;
using Assignum.Desk.Posting;
using Assignum.Formats.Json;
using Assignum.Web.Api;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>Fill in a document of any kind, or paste one as JSON, and see the entry it would make and why; then post
/// it.</summary>
public sealed class RehearseModel(
    DeskContext desk,
    Rehearse rehearse,
    PostEvents post,
    Workbench workbench,
    ReadJournal journal,
    Doubts doubts
) : EntityPage(desk)
{
    public override string Place => "rehearse";

    /// <summary>The kind filled in; null when JSON is pasted.</summary>
    public EventKind? Kind { get; private set; }
    public JsonObject Document { get; private set; } = [];
    public string Json { get; private set; } = "";
    public string Id { get; private set; } = "";
    public string? Edition { get; private set; }
    public Rehearsed? Rehearsed { get; private set; }

    /// <summary>What is to be thought of, though nothing refuses it.</summary>
    public IReadOnlyList<Fault> Doubted { get; private set; } = [];

    /// <summary>The same document for another party or in another edition, where asked for.</summary>
    public Rehearsed? Other { get; private set; }
    public string? OtherParty { get; private set; }
    public string? OtherEdition { get; private set; }

    /// <summary>Which document of the life cycle this is, from 1; null when it is none.</summary>
    public int? Step { get; private set; }

    /// <summary>The number of the entry that is rehearsed again; null: none.</summary>
    public string? Entry { get; private set; }

    /// <summary>Number of the entry just posted.</summary>
    [TempData]
    public string? Posted { get; set; }

    /// <summary>What else was done.</summary>
    [TempData]
    public string? Said { get; set; }

    /// <param name="entry">The number of an entry to fill in, or <c>last</c>: what was rehearsed last.</param>
    /// <param name="party">In place of the entry's party.</param>
    /// <param name="go">Rehearse it at once.</param>
    public async Task<IActionResult> OnGetAsync(
        string? kind,
        string? item,
        int? step,
        string? entry,
        string? edition,
        string? party,
        bool go
    )
    {
        Edition = string.IsNullOrEmpty(edition) ? Followed : edition;
        if (entry is { Length: > 0 })
            return await AgainAsync(entry, party, go);
        await FillAsync(kind, item, step);
        return Page();
    }

    // The draft where one is open: it is what somebody at work wants to see.
    private string? Followed => State.Draft is not null || State.Latest is null ? "draft" : null;

    private async Task<IActionResult> AgainAsync(string entry, string? party, bool go)
    {
        var stop = HttpContext.RequestAborted;
        string? text;
        if (entry == "last")
        {
            var kept = (await workbench.KeptAsync(Actor, EntityCode, stop)).Result;
            text = kept?.Last;
        }
        else if ((await journal.EntryAsync(Visit, entry, stop)).Result is { } stored)
            (text, Entry, before) = (stored.EventJson, stored.Head.Number, stored.Head.Id);
        else
            text = null;
        Take("sales-invoice");
        Id = NewId();
        if (text is null)
        {
            Document = new JsonObject { ["date"] = Today };
            Faults =
            [
                new Fault(
                    "unknown-entry",
                    entry == "last"
                        ? "Nothing was rehearsed yet that could be rehearsed again."
                        : $"There is no entry {entry} here: take one from the journal."
                ),
            ];
            Response.StatusCode = StatusCodes.Status404NotFound;
            return Page();
        }
        Fill(text);
        if (!string.IsNullOrEmpty(party))
            Document["party"] = party;
        // It is another document from here on, whatever becomes of it.
        Document["source"] = "own";
        Document["id"] = Id = NewId();
        Json = Document.ToJsonString(Readable);
        if (go && Parsed() is { } read)
            await RehearseAsync(read);
        return Page();
    }

    // The entry that is rehearsed again: what was posted from it on does not count.
    private long before = long.MaxValue;

    private static readonly System.Text.Json.JsonSerializerOptions Readable = new() { WriteIndented = true };

    // A document that is no object, or of no known kind, is mended as text.
    private void Fill(string text)
    {
        Json = text;
        Document = JsonNode.Parse(text) as JsonObject ?? [];
        Take(Document["kind"]?.ToString() is { } known && EventKinds.Find(known) is not null ? known : "json");
    }

    private async Task FillAsync(string? kind, string? item, int? step)
    {
        Take(kind ?? "sales-invoice");
        Id = NewId();
        if (
            step is { } n
            && (
                await workbench.RunAsync(Actor, EntityCode, null, HttpContext.RequestAborted)
            ).Result?.Kept.Documents.ElementAtOrDefault(n - 1)
                is { } kept
        )
        {
            Step = n;
            Fill(kept);
            Id = Document["id"]?.ToString() ?? Id;
            return;
        }
        Document = new JsonObject { ["date"] = Today };
        if (item is not null)
            Document["lines"] = new JsonArray(new JsonObject { ["item"] = item, ["quantity"] = 1 });
        if (Kind is null)
            Json = $$"""
                {
                  "source": "own", "id": "{{Id}}", "kind": "sales-invoice", "date": "{{Today}}",
                  "reference": "", "party": "",
                  "lines": [ { "item": "", "quantity": 1, "unitPrice": 0 } ]
                }
                """;
    }

    /// <summary>Shows a document that another page proposes, as text; nothing is rehearsed yet.</summary>
    public void OnPostTake() => Read();

    public async Task<IActionResult> OnPostRehearseAsync()
    {
        if (Read() is not { } read)
            return Page();
        await RehearseAsync(read);
        return Page();
    }

    /// <summary>Puts the document into the life cycle: as its next one, or in place of the one it was taken
    /// from.</summary>
    public async Task<IActionResult> OnPostKeepAsync()
    {
        if (Read() is not { } read)
            return Page();
        var text = Text;
        var changed = await workbench.ChangeAsync(
            Actor,
            EntityCode,
            null,
            now =>
            {
                var documents = now.Documents.ToList();
                if (Step is { } n && n <= documents.Count)
                    documents[n - 1] = text;
                else
                    documents.Add(text);
                return documents;
            },
            HttpContext.RequestAborted
        );
        if (changed.Refused is null)
            return LocalRedirect($"/e/{EntityCode}/rehearse/cycle");
        await RehearseAsync(read);
        Faults = changed.Faults;
        Response.StatusCode = 422;
        return Page();
    }

    public async Task<IActionResult> OnPostPostAsync()
    {
        if (Read() is not { } read)
            return Page();
        var outcome = await post.RunAsync(Actor, EntityCode, [read], 1, HttpContext.RequestAborted);
        var answer = outcome.Result?[0];
        if (answer is { Outcome: "posted" or "nothing" or "duplicate" })
        {
            Posted = answer.Number;
            Said = answer.Outcome switch
            {
                "nothing" => "The event was kept; it makes no entry.",
                "duplicate" => "This document was posted before; nothing was posted again.",
                _ => null,
            };
            return LocalRedirect($"/e/{EntityCode}/rehearse?kind={Kind?.Name ?? "json"}");
        }
        await RehearseAsync(read);
        Faults = answer?.Errors ?? outcome.Faults;
        Response.StatusCode = 422;
        return Page();
    }

    /// <summary>What is wrong with a field; null: nothing.</summary>
    public string? WrongOf(string name) =>
        Faults
            .FirstOrDefault(f => f.Path == (name.StartsWith("f.", StringComparison.Ordinal) ? name[2..] : name))
            ?.Message;

    /// <summary>The id of the field that a path leads to; null: the form has none.</summary>
    public string? IdOf(string path)
    {
        var name = path.Contains('[') ? path : "f." + path;
        return
            DocumentForm.Fields(Kind!, Document).Any(f => f.Name == name)
            || Core.Events.EventFields.Lists.Any(l =>
                path.StartsWith(l + "[", StringComparison.Ordinal)
                && DocumentForm.Rows(Kind!, l, Document).Any(r => r.Any(f => f.Name == name))
            )
            ? FormField.IdOf(name)
            : null;
    }

    /// <summary>The document in a line: what it is, of when, whose, how much of it.</summary>
    public string InOneLine
    {
        get
        {
            var e = Rehearsed?.Source.Event;
            var lines = e?.Lines.Count ?? (Document["lines"] as JsonArray)?.Count ?? 0;
            string?[] said =
            [
                Kind?.Title ?? (e is null ? "One event as JSON" : Show.Kind(e.Kind)),
                e is not null ? Show.Day(e.Date)
                : DateOnly.TryParseExact(Document["date"]?.ToString(), "yyyy-MM-dd", out var day) ? Show.Day(day)
                : null,
                e?.Party ?? Document["party"]?.ToString(),
                e?.Reference ?? Document["reference"]?.ToString(),
                lines > 0 ? Show.Some(lines, "line") : null,
            ];
            return string.Join(" · ", said.Where(s => !string.IsNullOrEmpty(s)));
        }
    }

    private string Today => State.Today.ToString("yyyy-MM-dd", System.Globalization.CultureInfo.InvariantCulture);

    private static string NewId() => Guid.NewGuid().ToString("N")[..12];

    private void Take(string kind) =>
        Kind = kind == "json" ? null : EventKinds.Find(kind) ?? EventKinds.Find("sales-invoice");

    private ReadEvent? Read()
    {
        var form = Request.Form;
        Edition = form["edition"].ToString() is { Length: > 0 } edition ? edition : null;
        OtherParty = form["otherParty"].ToString() is { Length: > 0 } party ? party : null;
        OtherEdition = form["otherEdition"].ToString() is { Length: > 0 } other ? other : null;
        Step = int.TryParse(form["step"], out var step) ? step : null;
        Entry = form["entry"].ToString() is { Length: > 0 } entry ? entry : null;
        Json = form["json"].ToString();
        Take(form.ContainsKey("json") ? "json" : form["kind"].ToString());
        Id = form["id"].ToString() is { Length: > 0 } id ? id : NewId();
        if (Kind is not null)
        {
            Document = DocumentForm.Read(form, Kind.Name);
            Document["id"] = Id;
        }
        return Parsed();
    }

    private string Text => Kind is null ? Json : Document.ToJsonString();

    private ReadEvent? Parsed()
    {
        var text = Text;
        var (events, _, fault) = BodyReader.Events(Encoding.UTF8.GetBytes(text));
        if (events is [var read])
            return read;
        Faults = [fault ?? new Fault("one-event", "Paste one event; send several over the HTTP interface.", "json")];
        Response.StatusCode = 422;
        return null;
    }

    private async Task RehearseAsync(ReadEvent read)
    {
        var stop = HttpContext.RequestAborted;
        await workbench.NoteAsync(Actor, EntityCode, Text, stop);
        if (
            Entry is not null
            && before == long.MaxValue
            && (await journal.HeadsAsync(Actor, EntityCode, new EntryQuery(Number: Entry, Limit: 1), stop)).Result
                is [var head]
        )
            before = head.Id;
        var outcome = await rehearse.RunAsync(Actor, EntityCode, [read], Edition, stop, before: before);
        if (outcome.Result is null)
        {
            Faults = outcome.Faults;
            return;
        }
        Rehearsed = outcome.Result[0];
        Faults = Rehearsed.Result.Errors;
        if (read.Faults.Count == 0)
            Doubted = await doubts.OfAsync(Visit, read.Event, Rehearsed.Result.Entry, Edition, before, stop);
        if (OtherParty is null && OtherEdition is null)
            return;
        var (events, _, _) = BodyReader.Events(Encoding.UTF8.GetBytes(Text));
        if (OtherParty is not null)
            events![0].Event.Party = OtherParty;
        var second = await rehearse.RunAsync(Actor, EntityCode, events!, OtherEdition ?? Edition, stop, before: before);
        if (second.Result is null)
            Faults = second.Faults;
        else
            Other = second.Result[0];
    }
}
