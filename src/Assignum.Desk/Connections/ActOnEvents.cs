using System.Text.Json.Nodes;
using Assignum.Core;
using Assignum.Core.Events;
using Assignum.Core.Feeding;
using Assignum.Desk.Access;
using Assignum.Desk.Posting;
using Assignum.Formats.Json;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk.Connections;

/// <summary>What is done to events that wait or are dead.</summary>
/// <param name="Do"><c>retry</c>, <c>set-aside</c> or <c>replace</c>.</param>
/// <param name="Why">Said by whoever does it.</param>
/// <param name="Event">What is posted in its place, as JSON; its source is own.</param>
public sealed record EventAct(EventChoice Of, string? Do, string? Why, JsonObject? Event);

/// <summary>What came of it.</summary>
/// <param name="Changed">How many events.</param>
/// <param name="Freed">How many waited behind them.</param>
/// <param name="Number">The entry that was posted instead.</param>
public sealed record EventActed(int Changed, long Freed, string? Number);

/// <summary>Tries events again, sets them aside or replaces them.</summary>
public sealed class ActOnEvents(LinkDesk links, PostEvents post)
{
    private const int MostNamed = 1_000,
        LongestWhy = 1_000;

    /// <summary>Does it, to all that are chosen.</summary>
    public async Task<Outcome<EventActed>> RunAsync(
        Actor actor,
        string entity,
        string code,
        EventAct act,
        CancellationToken stop
    )
    {
        if (act.Do is not ("retry" or "set-aside" or "replace"))
            return No("unknown-word", "'do' is retry, set-aside or replace.", "do");
        if (act.Of.Rows is null == (act.Of.State is null || act.Of.Reason is null))
            return No("missing-field", "Name rows, or a state and a reason.", "rows");
        if (act.Why is { Length: > LongestWhy })
            return No("too-long", $"A reason has at most {LongestWhy} characters.", "why");
        if (act.Do != "retry" && string.IsNullOrWhiteSpace(act.Why))
            return No("reason-needed", "Say why: it is kept with the event.", "why");
        if (act.Do == "replace")
            return await ReplaceAsync(actor, entity, code, act, stop);
        return await links.ActAsync<EventActed>(
            actor,
            entity,
            Role.Preparer,
            code,
            async at =>
            {
                var (waiting, dead) = await WorklistStore.CountAsync(at.Db, at.At, act.Of, stop);
                if (waiting + dead == 0)
                    return None();
                if ((dead > 0 || act.Do == "set-aside") && !actor.May(Role.Reviewer, entity))
                    return Outcome<EventActed>.No(
                        Refusal.Forbidden,
                        "role-needed",
                        act.Do == "set-aside"
                            ? "What a system told is set aside by a reviewer."
                            : "What is dead is tried again by a reviewer."
                    );
                var chosen = await WorklistStore.ChosenAsync(at.Db, at.At, act.Of, MostNamed, stop);
                var freed = await FreedAsync(at, chosen, stop);
                var changed =
                    act.Do == "retry"
                        ? await WorklistStore.RetryAsync(at.Db, at.At, act.Of, stop)
                        : await WorklistStore.SetAsideAsync(
                            at.Db,
                            at.At,
                            act.Of,
                            "set-aside",
                            FeedJson.Reason("set-aside", $"{act.Why!.Trim()} ({actor.Name})"),
                            null,
                            null,
                            stop
                        );
                await at.AuditAsync(
                    act.Do == "retry" ? "events tried again" : "events set aside",
                    new
                    {
                        waiting,
                        dead,
                        first = chosen.Take(20).Select(c => c.Id),
                    },
                    new { changed, act.Why },
                    stop
                );
                await LeaseStore.WakeAsync(at.Db, at.At, stop);
                await LeaseStore.WakeOthersAsync(at.Db, at.State.Id, at.Link.Id, stop);
                return new EventActed(changed, freed, null);
            },
            stop
        );
    }

    private static async Task<long> FreedAsync(
        AtLink at,
        IReadOnlyList<(long Row, string Id, string State)> chosen,
        CancellationToken stop
    ) => (await FeedStore.BehindAsync(at.Db, at.State.Id, [.. chosen.Select(c => c.Row)], stop)).Values.Sum();

    private async Task<Outcome<EventActed>> ReplaceAsync(
        Actor actor,
        string entity,
        string code,
        EventAct act,
        CancellationToken stop
    )
    {
        if (!actor.May(Role.Reviewer, entity))
            return Outcome<EventActed>.No(
                Refusal.Forbidden,
                "role-needed",
                "What a system told is replaced by a reviewer."
            );
        if (act.Of.Rows is not { Count: 1 } || act.Event is not { } json)
            return No("missing-field", "Give one row, and the event that takes its place.", "event");
        var of = await links.LookAsync<(AtLink At, long Row, string Id, long Freed)>(
            actor,
            entity,
            code,
            async at =>
            {
                var chosen = await WorklistStore.ChosenAsync(at.Db, at.At, act.Of, 1, stop);
                return chosen is [var one]
                    ? (at, one.Row, one.Id, await FreedAsync(at, chosen, stop))
                    : Outcome<(AtLink, long, string, long)>.No(
                        Refusal.Conflict,
                        "changed-meanwhile",
                        "None of them waits or is dead any more."
                    );
            },
            stop
        );
        if (of.Refused is not null)
            return of.Pass<EventActed>();
        var (where, row, id, freed) = of.Result;
        var name = $"{code}/{id}";
        if (json["replaces"] is { } said && (said as JsonValue)?.ToString() != name)
            return No("wrong-value", $"The event that is replaced is {name}.", "event.replaces");
        json = (JsonObject)json.DeepClone();
        json.Remove("replaces");
        json["source"] = "own";
        json["id"] ??= $"for-{code}-{id}";
        var read = EventReader.Parse(json.ToJsonString());
        var order = new Replacing(where, act.Of, name, $"{act.Why!.Trim()} ({actor.Name})", stop);
        var posted = await post.RunAsync(actor, entity, [read], order, stop);
        if (posted.Result is not [var answer])
            return posted.Pass<EventActed>();
        if (answer.Outcome is not ("posted" or "nothing"))
            return Outcome<EventActed>.No(
                answer.Outcome is "conflict" or "duplicate" ? Refusal.Conflict : Refusal.Invalid,
                answer.Errors.Count > 0
                    ? answer.Errors
                    :
                    [
                        new Fault(
                            "duplicate",
                            $"An event own/{read.Event.Id} was posted before: give another id.",
                            "id"
                        ),
                    ]
            );
        return new EventActed(1, freed, answer.Number);
    }

    /// <summary>Sets aside what is replaced, in the transaction that posts what replaces it.</summary>
    private sealed class Replacing(AtLink of, EventChoice choice, string name, string why, CancellationToken stop)
        : IPostsInOrder
    {
        public void Begin() { }

        public Fault? Before(BusinessEvent source) => null;

        public void Refused(BusinessEvent source) { }

        public async Task WrittenAsync(
            NpgsqlConnection db,
            IReadOnlyList<PostedEvent> answers,
            CancellationToken within
        )
        {
            if (answers is not [{ Outcome: "posted" or "nothing" } answer])
                return;
            var changed = await WorklistStore.SetAsideAsync(
                db,
                of.At,
                choice,
                FeedReasons.Replaced,
                FeedJson.Reason(FeedReasons.Replaced, why, null, $"own/{answer.Event.Id}"),
                $"own/{answer.Event.Id}",
                answer.Number,
                stop
            );
            if (changed != 1)
                throw new OperationCanceledException($"{name} was changed meanwhile.");
            await EntityStore.AuditAsync(
                db,
                of.State.Id,
                of.Actor.Name,
                "event replaced",
                $"connection {of.Link.Code}",
                new { Event = name },
                new
                {
                    By = $"own/{answer.Event.Id}",
                    answer.Number,
                    why,
                },
                within
            );
            await LeaseStore.WakeAsync(db, of.At, within);
            await LeaseStore.WakeOthersAsync(db, of.State.Id, of.Link.Id, within);
        }
    }

    private static Outcome<EventActed> None() =>
        Outcome<EventActed>.No(
            Refusal.Conflict,
            "changed-meanwhile",
            "None of them waits or is dead any more: look again."
        );

    private static Outcome<EventActed> No(string code, string message, string path) =>
        Outcome<EventActed>.No(Refusal.Invalid, code, message, path);
}
