using Assignum.Core;
using Assignum.Core.Editions;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Desk.Access;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk.SetUps;

/// <summary>A change that was made.</summary>
/// <param name="Id">Its number, by which it can be undone; null where nothing was different.</param>
public sealed record EditResult(long? Id, ImportPlan Plan);

/// <summary>Changes rows of the draft and the records: whole or not at all, against what their author saw.</summary>
public sealed class EditSetUp(DeskContext desk)
{
    /// <summary>Makes edits. Refused as a conflict, cell by cell, where somebody else changed what was seen.</summary>
    /// <param name="what">What is done, in words for the history: "tax rate added".</param>
    public Task<Outcome<EditResult>> RunAsync(
        Actor actor,
        string entity,
        string what,
        string? reason,
        IReadOnlyList<RowChange> edits,
        CancellationToken stop
    ) => MakeAsync(actor, entity, what, reason, (_, _) => edits, stop);

    /// <summary>Makes the edits that are worked out from what is there now; refused where working them out names a
    /// fault.</summary>
    /// <param name="writtenBefore">The rows were written before and are only put back: accounts that do not suit are no
    /// reason to refuse them, they become findings.</param>
    public Task<Outcome<EditResult>> MakeAsync(
        Actor actor,
        string entity,
        string what,
        string? reason,
        Func<SetUp, List<Fault>, IReadOnlyList<RowChange>> make,
        CancellationToken stop,
        bool writtenBefore = false
    ) =>
        ChangeAsync(
            actor,
            entity,
            what,
            reason,
            (_, _, current) =>
            {
                var faults = new List<Fault>();
                var edits = make(current, faults);
                return Task.FromResult(
                    faults.Count > 0
                        ? Outcome<IReadOnlyList<RowChange>>.No(
                            faults.Any(f => f.Code == "changed-meanwhile") ? Refusal.Conflict : Refusal.Invalid,
                            faults
                        )
                        : new Outcome<IReadOnlyList<RowChange>>(edits, null, [])
                );
            },
            null,
            stop,
            writtenBefore: writtenBefore
        );

    /// <summary>
    /// Undoes a change, while nothing has used it: its rows are as it left them, nothing posted or live refers to what
    /// it
    /// added, and the draft it was made in is not published. Undoing can be undone.
    /// </summary>
    public Task<Outcome<EditResult>> UndoAsync(Actor actor, string entity, long change, CancellationToken stop) =>
        ChangeAsync(actor, entity, "", null, (db, state, _) => TurnedAsync(db, state, change, stop), change, stop);

    /// <summary>Most changes that one undoing reaches.</summary>
    public const int MostReached = 50;

    /// <summary>The changes made after this one to the same rows, and to rows of those, the newest first: what has to be
    /// undone before it.</summary>
    public async Task<IReadOnlyList<ChangeHead>> ReachAsync(Visit visit, long change, CancellationToken stop)
    {
        await using var db = await desk.Database.OpenAsync(stop);
        var reached = new SortedDictionary<long, ChangeHead>(Comparer<long>.Create((a, b) => b.CompareTo(a)));
        var open = new Queue<long>([change]);
        while (open.TryDequeue(out var at) && reached.Count <= MostReached)
            foreach (var later in await ChangeStore.BuiltOnAsync(db, visit.State.Id, at, stop))
                if (reached.TryAdd(later.Id, later))
                    open.Enqueue(later.Id);
        return [.. reached.Values];
    }

    /// <summary>Undoes a change and, before it, those built on it, the newest first. Each is undone by itself: what is
    /// refused ends it, and what was undone until then stays undone.</summary>
    /// <param name="expected">How many others its author was shown; refused where there are more by now.</param>
    public async Task<Outcome<EditResult>> UndoWithReachAsync(
        Visit visit,
        long change,
        int expected,
        CancellationToken stop
    )
    {
        var reached = await ReachAsync(visit, change, stop);
        if (reached.Count > Math.Min(expected, MostReached))
            return Outcome<EditResult>.No(
                Refusal.Conflict,
                "built-on",
                reached.Count > MostReached
                    ? $"More than {MostReached} later changes are built on it: make the opposite change instead."
                    : $"By now {reached.Count} later changes are built on it: look again before you undo them."
            );
        foreach (var later in reached)
            if (await UndoAsync(visit.Actor, visit.State.Code, later.Id, stop) is { Refused: not null } refused)
                return refused;
        return await UndoAsync(visit.Actor, visit.State.Code, change, stop);
    }

    /// <summary>Makes the edits that are asked for while the entity is held, and whatever goes with them, in one
    /// transaction.</summary>
    internal async Task<Outcome<EditResult>> ChangeAsync(
        Actor actor,
        string entity,
        string what,
        string? reason,
        Func<NpgsqlConnection, EntityState, SetUp, Task<Outcome<IReadOnlyList<RowChange>>>> asked,
        long? undoes,
        CancellationToken stop,
        Func<NpgsqlConnection, EntityState, Task>? then = null,
        Func<EntityState, IEnumerable<(int Number, EditionRow? Draft)>>? needs = null,
        bool writtenBefore = false
    )
    {
        if (reason?.Length > 2000)
            return Outcome<EditResult>.No(
                Refusal.Invalid,
                "too-long",
                "The reason has more than 2000 characters.",
                "reason"
            );
        return await desk.HoldAsync(
            actor,
            entity,
            Role.Preparer,
            state => SetUpWriter.Needs(state).Concat(needs?.Invoke(state) ?? []),
            held => MadeAsync(held, what, reason, asked, undoes, writtenBefore, then, stop),
            stop
        );
    }

    private async Task<Outcome<EditResult>> MadeAsync(
        Held held,
        string what,
        string? reason,
        Func<NpgsqlConnection, EntityState, SetUp, Task<Outcome<IReadOnlyList<RowChange>>>> asked,
        long? undoes,
        bool writtenBefore,
        Func<NpgsqlConnection, EntityState, Task>? then,
        CancellationToken stop
    )
    {
        var (db, state, actor) = (held.Db, held.State, held.Actor);
        var compiled = await SetUpWriter.CurrentAsync(held, stop);
        var current = compiled.SetUp;
        var edits = await asked(db, state, current);
        if (edits.Result is null)
            return edits.Pass<EditResult>();
        // Who takes an account away, gives it another number or closes a period waits for postings that go on, and they
        // for it.
        if (edits.Result.Any(SetUpWriter.HoldsPostings))
            await PostingNumbers.HoldAsync(db, state.Id, stop);
        var uses = await SetUpWriter.UsesAsync(
            held,
            edits.Result.Where(e => e.After is null || e.Part == Parts.Accounts).Select(e => e.Part),
            stop
        );
        var plan = SetUpEdit.Plan(current, edits.Result, uses);
        // What people write by hand suits its purpose; what is merged, brought or turned back was written before.
        if (
            undoes is null
            && !writtenBefore
            && UnfitEdits.Refused(current, edits.Result).ToList() is { Count: > 0 } unfit
        )
            plan = plan with
            {
                Changes = [],
                Faults =
                [
                    .. plan.Faults,
                    .. unfit.Select(u => new Fault(
                        edits.Result[u.Edit].Part.Name,
                        u.Edit + 1,
                        u.Column,
                        "unfit",
                        u.Message
                    )),
                ],
            };
        foreach (var ((kind, from), to) in GroupRenaming.In(plan.Changes))
            if (await GroupStore.KnownAsync(db, state.Id, kind, to, stop))
                plan = plan with
                {
                    Changes = [],
                    Faults =
                    [
                        .. plan.Faults,
                        new Fault(
                            Parts.Groups.Name,
                            0,
                            "code",
                            "exists",
                            $"{to} was the code of another group in an edition before this one: choose another for "
                                + $"{from}."
                        ),
                    ],
                };
        if (await SetUpWriter.RefusedAsync(db, state, actor, plan.Changes, stop) is { Count: > 0 } refused)
            plan = plan with { Changes = [], Faults = [.. plan.Faults, .. refused] };
        // A person archives an account when all that names it names another; a file may, and an undoing puts back what
        // was.
        if (undoes is null && Archived(plan) is { Count: > 0 } named)
            plan = plan with { Changes = [], Faults = [.. plan.Faults, .. named] };
        if (plan.Faults.Count > 0)
            return new Outcome<EditResult>(
                new EditResult(null, plan),
                plan.Faults.Any(f => f.Code == SetUpWriter.NotYours) ? Refusal.Forbidden
                    : plan.Faults.Any(f => f.Code is "changed-meanwhile" or "exists") ? Refusal.Conflict
                    : Refusal.Invalid,
                [
                    .. plan.Faults.Select(f => new Fault(
                        f.Code,
                        f.Message,
                        f.Row > 0 ? $"{f.Part}[{f.Row}].{f.Column}" : f.Column
                    )),
                ]
            );
        if (plan.Changes.Count == 0 && then is null)
            return new EditResult(null, plan);
        if (undoes is not null)
            what = "undone: " + (await ChangeStore.FindAsync(db, state.Id, undoes.Value, stop))!.What;
        var (id, plain) = await SetUpWriter.ApplyAsync(
            db,
            state,
            actor,
            plan.Changes,
            uses,
            what,
            reason,
            undoes,
            stop
        );
        if (undoes is not null)
            await OpeningStore.ForgetAsync(db, state.Id, undoes, stop);
        if (then is not null)
            await then(db, state);
        await SetUpWriter.RememberAsync(desk, held, plan.Next, compiled, plain, stop);
        return new EditResult(id, plan);
    }

    private static List<Fault> Archived(ImportPlan plan)
    {
        var faults = new List<Fault>();
        foreach (
            var change in plan.Changes.Where(c =>
                c.Part == Parts.Accounts
                && (
                    c.Kind == ChangeKind.Archived
                    || c.Cells.Any(x => x is { Column: "kind", Before: not null, After: "heading" })
                )
            )
        )
            if (ChartReferences.Holding(plan.Next, change.Key) is { Count: > 0 } references)
                faults.Add(
                    new Fault(
                        change.Part.Name,
                        0,
                        change.Kind == ChangeKind.Archived ? "status" : "kind",
                        "still-named",
                        $"Account {change.Key} is named by {references.Count} other "
                            + $"{(references.Count == 1 ? "row" : "rows")}, the first of them {references[0].What} "
                            + $"({references[0].Where}): put another account in its place first."
                    )
                );
        return faults;
    }

    private static async Task<Outcome<IReadOnlyList<RowChange>>> TurnedAsync(
        NpgsqlConnection db,
        EntityState state,
        long change,
        CancellationToken stop
    )
    {
        static Outcome<IReadOnlyList<RowChange>> No(string code, string message) =>
            Outcome<IReadOnlyList<RowChange>>.No(Refusal.Conflict, code, message);
        if (await ChangeStore.FindAsync(db, state.Id, change, stop) is not { } head)
            return Outcome<IReadOnlyList<RowChange>>.No(Refusal.NotFound, "unknown-change", "There is no such change.");
        if (head.UndoneBy is not null)
            return No("undone-already", "This change was undone already.");
        if (head is { Draft: not null, DraftOpen: false })
            return No("published", "This change is published: make the opposite change in a new draft instead.");
        if (await ChangeStore.BuiltOnAsync(db, state.Id, change, stop) is [var later, ..])
            return No(
                "built-on",
                $"\u201c{later.What}\u201d by {later.Who} changed the same rows after it: undo that first."
            );
        return new Outcome<IReadOnlyList<RowChange>>(
            SetUpEdit.Reverse(await ChangeStore.RowsAsync(db, state.Id, change, stop)),
            null,
            []
        );
    }
}
