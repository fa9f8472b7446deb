using System.Globalization;
using System.Text.Json;
using System.Text.Json.Nodes;
using Assignum.Core.Ledger;
using Assignum.Desk.Access;
using Assignum.Desk.Posting;
using Assignum.Storage;

namespace Assignum.Desk.Books;

/// <summary>Turns posted entries back, each by a new event.</summary>
public sealed class TurnBack(DeskContext desk, OwnEvents own)
{
    /// <summary>Shows or posts what turns an entry back: everything that its event did, in this entity and in the one it
    /// charged.</summary>
    /// <param name="on">Null: the day of the entry.</param>
    /// <param name="reason">Why; kept as the text of the new event.</param>
    public async Task<Outcome<OwnEntry>> RunAsync(
        Visit visit,
        string number,
        DateOnly? on,
        string? reason,
        bool apply,
        CancellationToken stop
    )
    {
        var (actor, state) = visit;
        if (apply && DeskContext.Refused(actor, state.Code, Role.Reviewer) is { } refused)
            return Outcome<OwnEntry>.No(refused.Why, [refused.Fault]);
        if (apply && string.IsNullOrWhiteSpace(reason))
            return Outcome<OwnEntry>.No(
                Refusal.Invalid,
                "missing-field",
                "Say why the entry is turned back: it is kept with it.",
                "reason"
            );
        EntryHead head;
        DateOnly? turns;
        JsonObject body;
        await using (var db = await desk.Database.OpenAsync(stop))
        {
            if (
                await JournalStore.EntriesAsync(db, state.Id, new EntryQuery(Number: number, Limit: 1), stop)
                is not [var found]
            )
                return Outcome<OwnEntry>.No(Refusal.NotFound, "unknown-entry", $"There is no entry {number}.");
            head = found;
            if (head.Role == "mirror")
                return Outcome<OwnEntry>.No(
                    Refusal.Invalid,
                    "mirror",
                    $"Entry {number} is the other side of a charge: turn it back in the entity that charged, and both are "
                        + "turned back.",
                    "number"
                );
            var all = await JournalStore.EntriesAsync(
                db,
                state.Id,
                new EntryQuery(Source: head.Source, ExternalId: head.ExternalId, Limit: 10),
                stop
            );
            turns = all.FirstOrDefault(e => e.Role == "reversal")?.Date;
            head = all.FirstOrDefault(e => e.Role == "entry") ?? head;
            body =
                await JournalStore.EventBodyAsync(db, state.Id, head.Id, stop) is { } text
                && JsonNode.Parse(text) is JsonObject of
                    ? of
                    : [];
        }
        static string Iso(DateOnly day) => day.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);
        var made = new JsonObject
        {
            ["id"] = $"turned-back-{head.Number}",
            ["kind"] = "reversed",
            ["date"] = Iso(on ?? head.Date),
            ["reverses"] = $"{head.Source}/{head.ExternalId}",
            ["text"] = string.IsNullOrWhiteSpace(reason) ? "turned back" : reason.Trim(),
        };
        foreach (var (name, value) in new[] { ("party", head.Party), ("reference", head.Reference) })
            if (value is not null)
                made[name] = value;
        if (body["counterparty"] is JsonValue other && other.GetValueKind() == JsonValueKind.String)
            made["counterparty"] = other.ToString();
        if (turns is { } day)
            made["reverseOn"] = Iso(day);
        return await own.RunAsync(actor, state.Code, made, apply, stop);
    }

    /// <summary>The entry by which an entry was turned back, and the one that it turns back; null: none.</summary>
    public async Task<(string? By, string? Of)> OfAsync(Visit visit, long entry, CancellationToken stop)
    {
        await using var db = await desk.Database.OpenAsync(stop);
        return await HandStore.TurnedAsync(db, visit.State.Id, entry, stop);
    }
}
