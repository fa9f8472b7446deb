using System.Text.Json.Nodes;
using Assignum.Core.Ledger;
using Assignum.Desk.Access;
using Assignum.Formats.Json;

namespace Assignum.Desk.Posting;

/// <summary>What became of an event that was made here.</summary>
/// <param name="Entry">Null: it makes no entry.</param>
/// <param name="Number">The entry's number; null: it was only rehearsed, or makes no entry.</param>
/// <param name="Before">It was posted before: nothing was posted now.</param>
public sealed record OwnEntry(EntryDocument? Entry, string? Number, bool Before);

/// <summary>Shows or posts an event that is made here: a cut-off, a year's close, an entry that is turned back.</summary>
public sealed class OwnEvents(DeskContext desk, Rehearse rehearse, PostEvents post)
{
    /// <summary>Rehearses or posts it, as source <c>own</c>.</summary>
    public async Task<Outcome<OwnEntry>> RunAsync(
        Actor actor,
        string entity,
        JsonObject document,
        bool apply,
        CancellationToken stop
    )
    {
        document["source"] = "own";
        var read = EventReader.Parse(document.ToJsonString());
        if (!apply)
        {
            var shown = await rehearse.RunAsync(actor, entity, [read], null, stop);
            if (shown.Result is not [var one])
                return shown.Pass<OwnEntry>();
            var errors = PostingRules.Errors(read.Event, one.Result);
            return read.Faults.Count + errors.Count > 0
                ? Outcome<OwnEntry>.No(Refusal.Invalid, [.. read.Faults.Concat(errors).Distinct()])
                : new OwnEntry(one.Document, null, false);
        }
        var posted = await post.RunAsync(actor, entity, [read], 1, stop);
        if (posted.Result is not [var answer])
            return posted.Pass<OwnEntry>();
        if (answer.Errors.Count > 0)
            return Outcome<OwnEntry>.No(
                answer.Outcome == "conflict" ? Refusal.Conflict : Refusal.Invalid,
                answer.Errors
            );
        if (answer.Number is null)
            return new OwnEntry(null, null, answer.Outcome == "duplicate");
        var entries = await new ReadJournal(desk).EntriesAsync(
            actor,
            entity,
            new EntryQuery(Number: answer.Number, Limit: 1),
            stop
        );
        return new OwnEntry(
            entries.Result is [var entry, ..] ? entry.Document : null,
            answer.Number,
            answer.Outcome == "duplicate"
        );
    }
}
