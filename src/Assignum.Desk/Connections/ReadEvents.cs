using System.Text.Json;
using Assignum.Core;
using Assignum.Core.Editions;
using Assignum.Core.Feeding;
using Assignum.Core.Pairing;
using Assignum.Desk.Access;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using Assignum.Formats.Json;
using Assignum.Storage;

namespace Assignum.Desk.Connections;

/// <summary>An event of theirs beside what it would do here as things stand.</summary>
/// <param name="Ours">In our codes, as JSON; where something is not settled, theirs stands there.</param>
/// <param name="Missing">What is not settled.</param>
/// <param name="Would">What it would do; null: that cannot be told yet.</param>
/// <param name="Behind">How many wait behind it.</param>
public sealed record EventBeside(
    Connection Link,
    LinkEvent Event,
    string Ours,
    IReadOnlyCollection<Named> Missing,
    Rehearsed? Would,
    IReadOnlyList<Fault> Faults,
    long Behind
);

/// <summary>Shows events of connections beside their rehearsal.</summary>
public sealed class ReadEvents(LinkDesk links, Rehearse rehearse)
{
    /// <summary>Some events of a choice that wait or are dead, the first first.</summary>
    public Task<Outcome<IReadOnlyList<LinkEvent>>> OfAsync(
        Actor actor,
        string entity,
        string code,
        EventChoice choice,
        int limit,
        CancellationToken stop
    ) =>
        links.LookAsync(
            actor,
            entity,
            code,
            async at =>
            {
                var rows = await WorklistStore.ChosenAsync(at.Db, at.At, choice, limit, stop);
                return new Outcome<IReadOnlyList<LinkEvent>>(
                    await LinkEventStore.PageAsync(at.Db, at.At, null, 0, limit, stop, [.. rows.Select(r => r.Row)]),
                    null,
                    []
                );
            },
            stop
        );

    /// <summary>One event beside its rehearsal.</summary>
    public async Task<Outcome<EventBeside>> OneAsync(
        Actor actor,
        string entity,
        string code,
        long row,
        CancellationToken stop
    )
    {
        var found = await links.LookAsync<(
            Connection Link,
            LinkEvent Event,
            TheirEvent Read,
            IReadOnlyCollection<Named> Missing,
            long Behind
        )>(
            actor,
            entity,
            code,
            async at =>
            {
                if (await LinkEventStore.PageAsync(at.Db, at.At, null, 0, 1, stop, [row]) is not [var one])
                    return Outcome<(Connection, LinkEvent, TheirEvent, IReadOnlyCollection<Named>, long)>.No(
                        Refusal.NotFound,
                        "unknown-event",
                        "There is no such event here."
                    );
                using var json = JsonDocument.Parse(one.Body);
                var read = LinkJson.Event(code, json.RootElement);
                var missing = (IReadOnlyCollection<Named>)[];
                if (
                    read is { Faults.Count: 0, Voids: null }
                    && (await new ViewSetUp(links.Desk).OfAsync(at.State, "main", null, stop)).Result
                        is { SetUp.SetUp: var setUp }
                )
                    missing = new Translator(
                        (kind, id) => Pairs.Of(setUp, code, kind.Name).OursOf(id),
                        LinkWords.Of(await LinkSettleStore.WordsAsync(at.Db, at.At, stop), setUp)
                    ).Translate(read.Event);
                var behind = await FeedStore.BehindAsync(at.Db, at.State.Id, [row], stop);
                return (at.Link, one, read, missing, behind.GetValueOrDefault(row));
            },
            stop
        );
        if (found.Refused is not null)
            return found.Pass<EventBeside>();
        var (link, of, their, lacks, held) = found.Result;
        var ours = EventJson.Of(their.Event).ToJsonString(Indented);
        Rehearsed? would = null;
        IReadOnlyList<Fault> faults = their.Faults;
        if (faults.Count == 0 && lacks.Count == 0 && their.Voids is null)
        {
            var shown = await rehearse.RunAsync(actor, entity, [EventReader.Parse(ours)], null, stop);
            if (shown.Result is [var one])
                (would, faults) = (one, Core.Ledger.PostingRules.Errors(their.Event, one.Result));
        }
        return new EventBeside(link, of, ours, lacks, would, faults, held);
    }

    private static readonly JsonSerializerOptions Indented = new()
    {
        WriteIndented = true,
        Encoder = System.Text.Encodings.Web.JavaScriptEncoder.UnsafeRelaxedJsonEscaping,
    };
}
