using Assignum.Core.Editions;
using Assignum.Core.Entries;
using Assignum.Core.Work;
using Assignum.Desk.Access;
using Assignum.Formats.Json;
using Assignum.Storage;

namespace Assignum.Desk.Posting;

/// <summary>Somebody's documents in order with what each would do, the earlier ones seen by the later.</summary>
public sealed record Bench(WorkbenchRow Kept, IReadOnlyList<Rehearsed> Steps, IReadOnlyList<TAccount> Accounts);

/// <summary>The documents that a person rehearses as a life cycle: kept for that person, run in order.</summary>
public sealed class Workbench(DeskContext desk, Rehearse rehearse)
{
    /// <summary>Most documents kept.</summary>
    public const int Most = 200;

    /// <summary>The documents kept, run in an edition (null: by each one's date).</summary>
    public async Task<Outcome<Bench>> RunAsync(Actor actor, string entity, string? edition, CancellationToken stop)
    {
        var kept = await KeptAsync(actor, entity, stop);
        if (kept.Result is not { } bench)
            return kept.Pass<Bench>();
        var events = bench.Documents.Select(EventReader.Parse).ToList();
        var run = await rehearse.RunAsync(actor, entity, events, edition, stop, inOrder: true);
        return run.Result is { } steps
            ? new Bench(bench, steps, LifeCycle.Of(steps.Select(s => s.Result.Entry)))
            : run.Pass<Bench>();
    }

    /// <summary>Changes the documents kept; refused when another window changed them since <paramref
    /// name="revision"/>.</summary>
    public async Task<Outcome<WorkbenchRow>> ChangeAsync(
        Actor actor,
        string entity,
        long? revision,
        Func<WorkbenchRow, List<string>> change,
        CancellationToken stop
    )
    {
        var outcome = await WithAsync(
            actor,
            entity,
            async (db, state) =>
            {
                var now = await WorkbenchStore.LoadAsync(db, state.Id, actor.Name, stop);
                if (revision is { } seen && seen != now.Revision)
                    return null;
                var documents = change(now);
                return
                    documents.Count <= Most
                    && await WorkbenchStore.SaveAsync(db, state.Id, actor.Name, documents, now.Revision, stop)
                    ? now with
                    {
                        Documents = documents,
                    }
                    : null;
            },
            stop
        );
        if (outcome.Refused is null && outcome.Result is null)
            return Outcome<WorkbenchRow>.No(
                Refusal.Conflict,
                "changed-meanwhile",
                $"The chain was changed in another window, or would have more than {Most} documents. Look at it "
                    + "as it is now."
            );
        return outcome;
    }

    /// <summary>What somebody keeps here.</summary>
    public Task<Outcome<WorkbenchRow>> KeptAsync(Actor actor, string entity, CancellationToken stop) =>
        WithAsync(
            actor,
            entity,
            async (db, state) => await WorkbenchStore.LoadAsync(db, state.Id, actor.Name, stop),
            stop
        );

    /// <summary>Keeps the document that was rehearsed last, so that it is there after the mend it leads to.</summary>
    public Task<Outcome<WorkbenchRow>> NoteAsync(Actor actor, string entity, string document, CancellationToken stop) =>
        WithAsync(
            actor,
            entity,
            async (db, state) =>
            {
                await WorkbenchStore.NoteAsync(db, state.Id, actor.Name, document, stop);
                return null;
            },
            stop
        );

    private async Task<Outcome<WorkbenchRow>> WithAsync(
        Actor actor,
        string entity,
        Func<Npgsql.NpgsqlConnection, EntityState, Task<WorkbenchRow?>> what,
        CancellationToken stop
    )
    {
        await using var db = await desk.Database.OpenAsync(stop);
        var entered = await desk.EnterAsync(db, actor, entity, Role.Viewer, false, stop);
        if (entered.Result is not { State: var state } visit)
            return entered.Pass<WorkbenchRow>();
        return new Outcome<WorkbenchRow>(await what(db, state), null, []);
    }
}
