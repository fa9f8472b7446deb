using Assignum.Core;
using Assignum.Core.Feeding;
using Assignum.Desk.Access;
using Assignum.Storage;

namespace Assignum.Desk.Connections;

/// <summary>What goes on to a ledger and what comes back, looked at and acted on.</summary>
public sealed class ReadJournals(LinkDesk links)
{
    /// <summary>A page of journals.</summary>
    /// <param name="state">Null or empty: of any.</param>
    public Task<Outcome<IReadOnlyList<LinkJournal>>> PageAsync(
        Actor actor,
        string entity,
        string code,
        string? state,
        long after,
        int limit,
        CancellationToken stop
    ) =>
        links.LookAsync(
            actor,
            entity,
            code,
            async at => new Outcome<IReadOnlyList<LinkJournal>>(
                await LinkJournalStore.PageAsync(
                    at.Db,
                    at.At,
                    string.IsNullOrEmpty(state) ? null : state,
                    after,
                    limit,
                    stop
                ),
                null,
                []
            ),
            stop
        );

    /// <summary>A page of journals there that are none of ours.</summary>
    public Task<Outcome<IReadOnlyList<ForeignJournal>>> ForeignAsync(
        Actor actor,
        string entity,
        string code,
        string after,
        int limit,
        CancellationToken stop
    ) =>
        links.LookAsync(
            actor,
            entity,
            code,
            async at => new Outcome<IReadOnlyList<ForeignJournal>>(
                await ForeignJournalStore.PageAsync(at.Db, at.At, after, limit, stop),
                null,
                []
            ),
            stop
        );

    /// <summary>Tries journals again, as they were (<c>retry</c>) or written anew with today's pairings (<c>anew</c>), or
    /// sets them aside.</summary>
    public Task<Outcome<int>> ActAsync(
        Actor actor,
        string entity,
        string code,
        IReadOnlyCollection<long> rows,
        string? what,
        string? why,
        CancellationToken stop
    ) =>
        links.ActAsync<int>(
            actor,
            entity,
            Role.Reviewer,
            code,
            async at =>
            {
                if (what is not ("retry" or "anew" or "set-aside"))
                    return Outcome<int>.No(Refusal.Invalid, "unknown-word", "'do' is retry, anew or set-aside.", "do");
                if (what != "retry" && string.IsNullOrWhiteSpace(why))
                    return Outcome<int>.No(
                        Refusal.Invalid,
                        "reason-needed",
                        "Say why: it is kept with the journal.",
                        "why"
                    );
                var changed = await LinkJournalStore.ActAsync(
                    at.Db,
                    at.At,
                    rows,
                    what == "set-aside" ? "set-aside" : "received",
                    what == "set-aside" ? FeedJson.Reason("set-aside", $"{why!.Trim()} ({actor.Name})") : null,
                    what == "anew",
                    stop
                );
                if (changed == 0)
                    return Outcome<int>.No(
                        Refusal.Conflict,
                        "changed-meanwhile",
                        "None of them waits or is dead: look again."
                    );
                await at.AuditAsync(
                    $"journals {what}",
                    null,
                    new
                    {
                        rows = rows.Take(100),
                        changed,
                        why,
                    },
                    stop
                );
                await LeaseStore.AskNowAsync(at.Db, at.At, stop);
                return changed;
            },
            stop
        );

    /// <summary>Has the journals of a day read back by their keys; what is not there is sent again.</summary>
    public Task<Outcome<int>> ResendAsync(
        Actor actor,
        string entity,
        string code,
        DateOnly day,
        CancellationToken stop
    ) =>
        links.ActAsync<int>(
            actor,
            entity,
            Role.Reviewer,
            code,
            async at =>
            {
                if (!at.Link.Of.TakesEntries)
                    return Outcome<int>.No(Refusal.Conflict, "no-ledger", $"Nothing goes on to {at.Link.Name}.");
                var count = await LinkJournalStore.ResendAsync(at.Db, at.At, day, stop);
                await at.AuditAsync("journals sent again", null, new { day, count }, stop);
                await LeaseStore.AskNowAsync(at.Db, at.At, stop);
                return count;
            },
            stop
        );
}
