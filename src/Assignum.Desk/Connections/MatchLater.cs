using System.Text.Json;
using System.Text.Json.Nodes;
using Assignum.Core.Chart;
using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.Ledger;
using Assignum.Core.Pairing;
using Assignum.Desk.Access;
using Assignum.Desk.Posting;
using Assignum.Formats.Json;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk.Connections;

/// <summary>An event that was posted without a document that it names.</summary>
/// <param name="Came">Whether the document was posted since.</param>
/// <param name="Allocated">The own event that applied the one to the other.</param>
/// <param name="Proposal">The allocation that the document proposes; null: there is nothing to apply.</param>
public sealed record UnmatchedEvent(
    long Row,
    string Id,
    string? Number,
    string Party,
    string Document,
    bool Came,
    string? Allocated,
    string Says,
    BusinessEvent? Proposal
);

/// <summary>Proposes, once a document came after all, how what was posted without it is applied to it.</summary>
public sealed class MatchLater(LinkDesk links, PostEvents post)
{
    /// <summary>What was posted without a document, in the order in which it came.</summary>
    public Task<Outcome<IReadOnlyList<UnmatchedEvent>>> ListAsync(
        Actor actor,
        string entity,
        string code,
        long after,
        int limit,
        CancellationToken stop
    ) =>
        links.LookAsync(
            actor,
            entity,
            code,
            async at => new Outcome<IReadOnlyList<UnmatchedEvent>>(
                await OfAsync(at.Db, at, await UnmatchedStore.ListAsync(at.Db, at.At, after, limit, null, stop), stop),
                null,
                []
            ),
            stop
        );

    /// <summary>Posts what is proposed for some of them.</summary>
    public async Task<Outcome<IReadOnlyList<PostedEvent>>> AllocateAsync(
        Actor actor,
        string entity,
        string code,
        IReadOnlyList<long> rows,
        CancellationToken stop
    )
    {
        var found = await links.LookAsync<(AtLink At, IReadOnlyList<UnmatchedEvent> Proposed)>(
            actor,
            entity,
            code,
            async at =>
            {
                var all = await OfAsync(
                    at.Db,
                    at,
                    await UnmatchedStore.ListAsync(at.Db, at.At, 0, 10_000, rows, stop),
                    stop
                );
                return (at, (IReadOnlyList<UnmatchedEvent>)[.. all.Where(u => u.Proposal is not null)]);
            },
            stop
        );
        if (found.Refused is not null)
            return found.Pass<IReadOnlyList<PostedEvent>>();
        var (at, proposed) = found.Result;
        if (proposed.Count == 0)
            return Outcome<IReadOnlyList<PostedEvent>>.No(
                Refusal.Conflict,
                "nothing-proposed",
                "Of these nothing is to be applied: the document did not come, or nothing is open."
            );
        var events = proposed.Select(p => EventReader.Parse(EventJson.Of(p.Proposal!).ToJsonString())).ToList();
        var done = await post.RunAsync(actor, entity, events, new Noting(at, proposed), stop);
        return done.Result is null ? done
            : done.Result.FirstOrDefault(p => p.Errors.Count > 0) is { } wrong
                ? Outcome<IReadOnlyList<PostedEvent>>.No(Refusal.Invalid, wrong.Errors)
            : done;
    }

    // Notes it in the transaction that posts.
    private sealed class Noting(AtLink of, IReadOnlyList<UnmatchedEvent> proposed) : IPostsInOrder
    {
        public void Begin() { }

        public Core.Fault? Before(BusinessEvent source) => null;

        public void Refused(BusinessEvent source) { }

        public Task WrittenAsync(NpgsqlConnection db, IReadOnlyList<PostedEvent> answers, CancellationToken within) =>
            UnmatchedStore.AllocatedAsync(
                db,
                of.At,
                [
                    .. proposed
                        .Zip(answers)
                        .Where(p => p.Second.Outcome is "posted" or "nothing" or "duplicate")
                        .Select(p => (p.First.Row, p.First.Party, p.First.Document, $"own/{p.Second.Event.Id}")),
                ],
                within
            );
    }

    private static async Task<IReadOnlyList<UnmatchedEvent>> OfAsync(
        NpgsqlConnection db,
        AtLink at,
        IReadOnlyList<UnmatchedRow> rows,
        CancellationToken stop
    )
    {
        var came = await FeedStore.PostedAsync(
            db,
            at.State.Id,
            [.. rows.Select(r => (r.Party, r.Name)).Distinct()],
            stop
        );
        var asked = rows.Select(r =>
            {
                using var json = JsonDocument.Parse(r.Body);
                var told = LinkJson.Event(at.Link.Code, json.RootElement).Event;
                var kind = EventKinds.Find(r.Kind);
                var subledger =
                    kind is { FromSupplier: true } || kind?.SubledgerOf(told) == Control.Payables
                        ? Control.Payables
                        : Control.Receivables;
                var own = told.Reference ?? $"{at.Link.Code}/{r.Id}";
                var both = new BusinessEvent
                {
                    Kind = "allocation",
                    Source = "own",
                    Id = $"allocation-{at.Link.Code}-{r.Row}",
                    Date = at.State.Today,
                    Party = r.Party,
                    Side = subledger == Control.Payables ? "supplier" : "customer",
                    Settles = [new Settlement { Reference = r.Name }, new Settlement { Reference = own }],
                };
                return (Row: r, Subledger: subledger, Own: own, Both: both);
            })
            .ToList();
        var register = await PostingDocuments.ForAsync(
            db,
            at.State.Id,
            asked.Where(a => a.Row.Party.Length > 0).Select(a => a.Both),
            stop
        );
        return [.. asked.Select(a => Of(a.Row, a.Subledger, a.Own, a.Both, came, register))];
    }

    private static UnmatchedEvent Of(
        UnmatchedRow row,
        Control subledger,
        string own,
        BusinessEvent both,
        IReadOnlySet<(string Party, string Name)> came,
        DocumentRegister register
    )
    {
        UnmatchedEvent Said(bool there, string says, BusinessEvent? proposal = null) =>
            new(row.Row, row.Id, row.Number, row.Party, row.Name, there, row.AllocatedBy, says, proposal);
        if (!came.Contains((row.Party, row.Name)))
            return Said(false, $"{row.Name} did not come yet.");
        if (row.AllocatedBy is { } by)
            return Said(true, $"It was applied to {row.Name} by {by}.");
        var (there, mine) =
            row.Party.Length == 0
                ? (null, null)
                : (register.Find(subledger, row.Party, row.Name), register.Find(subledger, row.Party, own));
        if (there is not { Open: not 0 })
            return Said(true, $"{row.Name} came, and nothing of it is open: it is settled.");
        if (mine is not { Open: not 0 } || Math.Sign(mine.Open) == Math.Sign(there.Open))
            return Said(true, $"{row.Name} came; nothing of {own} is left to apply to it.");
        if (mine.Currency != there.Currency)
            return Said(
                true,
                $"{row.Name} is in {there.Currency} and {own} in {mine.Currency}: a person applies them."
            );
        var amount = Math.Min(Math.Abs(there.Open), Math.Abs(mine.Open)) * Math.Sign(there.Open);
        both.Currency = there.Currency;
        both.Reference = both.Id;
        both.Settles =
        [
            new Settlement { Reference = row.Name, Amount = amount },
            new Settlement { Reference = own, Amount = -amount },
        ];
        return Said(true, $"{row.Name} came: apply {own} to it.", both);
    }
}
