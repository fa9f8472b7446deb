using Assignum.Core;
using Assignum.Core.Feeding;
using Assignum.Core.Pairing;
using Assignum.Desk.Access;
using Assignum.Desk.SetUps;
using Assignum.Storage;

namespace Assignum.Desk.Connections;

/// <summary>How many needs of a sort there are, and what waits for them.</summary>
public sealed record NeedSum(string What, int Count, Waits Waits);

/// <summary>How a connection stands.</summary>
/// <param name="Open">Events that are not posted, and of them those that name nothing open.</param>
/// <param name="Gaps">Numbers that are missing in what it told.</param>
/// <param name="Differences">What differs or was changed there since it was paired.</param>
/// <param name="Hours">The last 24 hours that had anything.</param>
/// <param name="Journals">Of a ledger, what goes on to it by state.</param>
/// <param name="Totals">Days that it counted otherwise than they came; the newest first.</param>
/// <param name="Waiting">What waits or is dead, by reason.</param>
/// <param name="Oldest">Since when the oldest waits that is not posted.</param>
public sealed record LinkBoard(
    Connection Link,
    IReadOnlyList<(string State, Waits Waits)> Counts,
    (long Events, long Ready) Open,
    IReadOnlyList<NeedSum> Needs,
    IReadOnlyList<(long From, long To)> Gaps,
    IReadOnlyList<Need> Differences,
    IReadOnlyList<(string Kind, int Count, int Unknown)> Records,
    IReadOnlyList<LinkHour> Hours,
    IReadOnlyList<(string State, Waits Waits)> Journals,
    IReadOnlyList<DayTotals> Totals,
    IReadOnlyList<WaitingGroup> Waiting,
    DateTime? Oldest
)
{
    /// <summary>How many of a state, of what it told or of what goes on to it.</summary>
    public long Of(string state) =>
        (Link.Of.TakesEntries ? Journals : Counts).Where(c => c.State == state).Sum(c => c.Waits.Events);
}

/// <summary>Reads how a connection stands.</summary>
public sealed class ReadBoard(LinkDesk links)
{
    private const int MostGaps = 50,
        MostGroups = 20,
        MostDays = 14;

    // Days on which it counted others than came.
    private static async Task<IReadOnlyList<DayTotals>> DiffersAsync(AtLink at, CancellationToken stop)
    {
        var differs = new List<DayTotals>();
        foreach (var (day, said) in await TotalStore.KeptAsync(at.Db, at.At, MostDays, stop))
        {
            using var json = System.Text.Json.JsonDocument.Parse(said);
            if (
                CompareTotals.Read(json.RootElement) is { } theirs
                && CompareTotals.Compared(day, theirs, await TotalStore.OursAsync(at.Db, at.At, day, stop))
                    is { Differs.Count: > 0 } found
            )
                differs.Add(found);
        }
        return differs;
    }

    /// <summary>The board.</summary>
    public Task<Outcome<LinkBoard>> RunAsync(Actor actor, string entity, string code, CancellationToken stop) =>
        links.LookAsync(
            actor,
            entity,
            code,
            async at =>
            {
                var set = await new ViewSetUp(links.Desk).OfAsync(at.State, "draft", null, stop);
                if (set.Result is not { SetUp: var setUp })
                    return set.Pass<LinkBoard>();
                var needs = await ReadNeeds.OfAsync(at.Db, at.State, at.Link, setUp, stop);
                var waits = await LinkEventStore.RecordWaitsAsync(at.Db, at.At, at.Link.Code, stop);
                return new LinkBoard(
                    at.Link,
                    await LinkEventStore.CountsAsync(at.Db, at.At, stop),
                    needs.Open,
                    [
                        .. needs
                            .Needs.GroupBy(n => n.What == "record" ? n.Record : n.What)
                            .Select(g => new NeedSum(
                                g.Key,
                                g.Count(),
                                waits.TryGetValue(g.Key, out var of)
                                    ? of
                                    : new Waits(g.Max(n => n.Waits.Events), g.Max(n => n.Waits.Amount))
                            ))
                            .OrderByDescending(g => g.Waits.Amount),
                    ],
                    await LinkEventStore.GapsAsync(at.Db, at.At, MostGaps, stop),
                    [.. needs.Needs.Where(n => n.What == "difference")],
                    await LinkRecordStore.CountsAsync(at.Db, at.At, stop),
                    await ConnectionStore.HoursAsync(at.Db, at.State.Id, at.Link.Id, stop),
                    at.Link.Of.TakesEntries ? await LinkJournalStore.CountsAsync(at.Db, at.At, stop) : [],
                    await DiffersAsync(at, stop),
                    await WorklistStore.GroupsAsync(at.Db, at.State.Id, at.Link.Id, MostGroups, stop),
                    await TotalStore.OldestAsync(at.Db, at.At, stop)
                );
            },
            stop
        );

    /// <summary>A page of what it told.</summary>
    /// <param name="state">Null: of any state.</param>
    public Task<Outcome<IReadOnlyList<LinkEvent>>> EventsAsync(
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
            async at => new Outcome<IReadOnlyList<LinkEvent>>(
                await LinkEventStore.PageAsync(
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
}

/// <summary>Lets the events of a connection post from a day on, once nothing is left to decide.</summary>
public sealed class GoLive(LinkDesk links)
{
    /// <summary>Most needs that a refusal names.</summary>
    private const int MostNamed = 20;

    /// <summary>Goes live.</summary>
    public Task<Outcome<Connection>> RunAsync(
        Actor actor,
        string entity,
        string code,
        DateOnly from,
        CancellationToken stop
    ) =>
        links.ActAsync<Connection>(
            actor,
            entity,
            Role.Reviewer,
            code,
            async at =>
            {
                if (at.Link.State != "joining")
                    return Outcome<Connection>.No(
                        Refusal.Conflict,
                        "wrong-state",
                        at.Link.State == "draft"
                            ? $"{at.Link.Name} was not asked yet: fetch what it has first."
                            : $"{at.Link.Name} is {at.Link.State}."
                    );
                // What is dated before is part of the opening: nothing is needed for it.
                var aside = await LinkEventStore.SetAsideBeforeAsync(at.Db, at.At, from, stop);
                if (aside > 0)
                    await at.AuditAsync("events set aside", null, new { before = from, events = aside }, stop);
                // What posts is what is published on that day, not the draft.
                var set = await new ViewSetUp(links.Desk).OfAsync(at.State, null, from, stop);
                if (set.Result is not { SetUp: var setUp })
                    return Outcome<Connection>.No(
                        Refusal.Conflict,
                        "not-published",
                        $"No edition is published for {from:yyyy-MM-dd}: publish the draft first, from that day or earlier."
                    );
                var needs = (await ReadNeeds.OfAsync(at.Db, at.State, at.Link, setUp, stop))
                    .Needs.Where(n =>
                        n.What == "purpose" || n.Waits.Events > 0 || at.Link.Of.TakesEntries && n.Waits.Amount != 0
                    )
                    .ToList();
                if (needs.Count > 0)
                    return Outcome<Connection>.No(
                        Refusal.Conflict,
                        [
                            .. needs
                                .Take(MostNamed)
                                .Select(n => new Fault(
                                    "still-needed",
                                    $"{n.Record} {n.Theirs} {n.Name}".Trim() + $": {n.Says}",
                                    n.Id
                                )),
                        ]
                    );
                return await KeepConnections.TurnedAsync(
                    at,
                    at.Link with
                    {
                        State = "live",
                        LiveFrom = from,
                        ParallelFrom = null,
                        Why = null,
                    },
                    "connection live",
                    stop
                );
            },
            stop
        );
}
