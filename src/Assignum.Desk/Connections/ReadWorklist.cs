using Assignum.Core.Feeding;
using Assignum.Core.Pairing;
using Assignum.Desk.Access;
using Assignum.Storage;

namespace Assignum.Desk.Connections;

/// <summary>Events or journals that one act frees.</summary>
/// <param name="Says">Why they wait, in words.</param>
/// <param name="Act">What frees them: pair, word, purpose, assign, open, account, look, wait, send, confirm.</param>
/// <param name="Behind">How many wait behind the first of them.</param>
public sealed record WorkGroup(
    string Code,
    string Name,
    string Currency,
    string State,
    string Reason,
    string Subject,
    string Says,
    string Act,
    Waits Waits,
    long First,
    DateTime? Since,
    long Behind,
    bool Journals
);

/// <summary>What waits and what is dead.</summary>
public sealed record Worklist(IReadOnlyList<WorkGroup> Groups, long Waiting, long Dead);

/// <summary>Reads what waits and what is dead over all connections of an entity.</summary>
public sealed class ReadWorklist(LinkDesk links)
{
    /// <summary>The groups, the most money first.</summary>
    /// <param name="code">Of one connection; null: of all.</param>
    public async Task<Outcome<Worklist>> RunAsync(
        Actor actor,
        string entity,
        string? code,
        int limit,
        CancellationToken stop
    )
    {
        await using var db = await links.Desk.Database.OpenAsync(stop);
        var entered = await links.Desk.EnterAsync(db, actor, entity, Role.Viewer, false, stop);
        if (entered.Result is not { State: var state })
            return entered.Pass<Worklist>();
        var all = await ConnectionStore.ListAsync(db, state.Id, stop);
        var one = code is null ? null : all.FirstOrDefault(c => c.Code == code);
        var groups = await WorklistStore.GroupsAsync(db, state.Id, one?.Id ?? 0, limit, stop);
        var behind = await FeedStore.BehindAsync(
            db,
            state.Id,
            [.. groups.Where(g => g.Reason != FeedReasons.Behind).Select(g => g.First)],
            stop
        );
        var work = groups
            .Select(g => new WorkGroup(
                g.Code,
                g.ConnectionName,
                g.Currency,
                g.State,
                g.Reason,
                g.Subject,
                Says(g.Reason, g.Subject),
                ActOf(g.State, g.Reason),
                g.Waits,
                g.First,
                g.Since,
                behind.GetValueOrDefault(g.First),
                false
            ))
            .ToList();
        foreach (var ledger in all.Where(c => c.Of.TakesEntries && (one is null || c.Id == one.Id)))
        foreach (var g in await LinkJournalStore.GroupsAsync(db, (state.Id, ledger.Id), limit, stop))
            work.Add(
                new WorkGroup(
                    ledger.Code,
                    ledger.Name,
                    state.Currency,
                    g.State,
                    g.Reason,
                    g.Subject,
                    Says(g.Reason, g.Subject),
                    g.Reason switch
                    {
                        FeedReasons.Unpaired => "pair",
                        WriteRuns.InFile => "confirm",
                        _ => "send",
                    },
                    g.Waits,
                    g.First,
                    null,
                    0,
                    true
                )
            );
        return new Worklist(
            [.. work.OrderByDescending(g => g.Waits.Amount).ThenByDescending(g => g.Waits.Events).Take(limit)],
            work.Where(g => g.State == "waiting").Sum(g => g.Waits.Events),
            work.Where(g => g.State == "dead").Sum(g => g.Waits.Events)
        );
    }

    private static string Says(string reason, string subject) =>
        reason switch
        {
            FeedReasons.Unpaired => subject.StartsWith(Named.WordPrefix, StringComparison.Ordinal)
                ? $"Their word {subject[(subject.IndexOf(' ', StringComparison.Ordinal) + 1)..]} is not settled."
                : $"Their {subject} is not paired.",
            FeedReasons.Gap => $"Number {subject} did not come yet.",
            FeedReasons.Behind => "One before them about the same document or order waits.",
            FeedReasons.Awaits => "The document that they settle or correct was not posted yet.",
            FeedReasons.Unsettled => $"Nobody said on what it lands: {subject}.",
            FeedReasons.Late => "They came after their number was given up, and their documents went on meanwhile.",
            FeedReasons.OtherContent => "Known ids came again with other content.",
            FeedReasons.SameSequence => "Their numbers are those of others.",
            WriteRuns.InFile => $"They are in file {subject}, and what became of them was not confirmed yet.",
            "closed-there" => $"The month {subject} is closed there.",
            _ => subject,
        };

    private static string ActOf(string state, string reason) =>
        state == "dead"
            ? "look"
            : reason switch
            {
                FeedReasons.Unpaired => "pair",
                FeedReasons.Unsettled => "purpose",
                FeedReasons.Gap or FeedReasons.Behind or FeedReasons.Awaits => "wait",
                "period-closed" => "open",
                "no-tax-code" or "no-tax-rate" or "tax-direction" => "tax",
                "unknown-record" or "archived-record" or "no-cost" => "record",
                "account-missing"
                or "account-archived"
                or "account-heading"
                or "class"
                or "control-account"
                or "control-needed"
                or "party-kind"
                or "hand-entries"
                or "currency"
                or "tax-use"
                or "dimension-required"
                or "dimension-forbidden" => "account",
                _ => "assign",
            };
}
