using Assignum.Core;
using Assignum.Core.Editions;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Desk.Access;
using Assignum.Storage;

namespace Assignum.Desk.SetUps;

/// <summary>What merging a what-if, or bringing a draft onto the latest edition, would do or did.</summary>
/// <param name="Change">The change made, by which a merge can be undone; null in a preview and where nothing was
/// different.</param>
/// <param name="Faults">What the result would be faulty in; then nothing is done.</param>
public sealed record MergeResult(EditionRow Draft, MergePlan Plan, long? Change, IReadOnlyList<Fault> Faults);

/// <summary>Merges what-ifs into the draft, and brings drafts onto an edition that was published after they were
/// opened. Conflicts are shown and decided first.</summary>
public sealed class MergeDrafts(DeskContext desk, ViewSetUp view, EditSetUp edit)
{
    /// <summary>What would happen; nothing does.</summary>
    /// <param name="id">The what-if; null: the draft.</param>
    /// <param name="onto">Bring it onto the latest edition, instead of into the draft.</param>
    public async Task<Outcome<MergeResult>> LookAsync(
        Actor actor,
        string entity,
        int? id,
        bool onto,
        IReadOnlyDictionary<string, bool> takes,
        CancellationToken stop
    )
    {
        EntityState state;
        await using (var db = await desk.Database.OpenAsync(stop))
        {
            var entered = await desk.EnterAsync(db, actor.InDraft, entity, Role.Viewer, false, stop);
            if (entered.Result is null)
                return entered.Pass<MergeResult>();
            state = entered.Result.State;
        }
        if (Find(state, id, onto, out var draft) is { } refused)
            return refused;
        var (plan, now) = await PlanAsync(state, draft!, onto, takes, stop);
        return new MergeResult(draft!, plan, null, SetUpEdit.Plan(now, plan.Edits, (_, _) => false).Faults);
    }

    /// <summary>Merges a what-if into the draft as one change; refused while a conflict is not decided. The what-if is
    /// done with then, and can be taken back.</summary>
    /// <param name="revision">The what-if's revision as it was looked at.</param>
    public async Task<Outcome<MergeResult>> MergeAsync(
        Actor actor,
        string entity,
        int whatIf,
        long revision,
        IReadOnlyDictionary<string, bool> takes,
        CancellationToken stop
    )
    {
        EditionRow? merged = null;
        MergePlan? plan = null;
        var made = await edit.ChangeAsync(
            actor.InDraft,
            entity,
            "what-if merged",
            null,
            async (_, state, _) =>
            {
                if (Find(state, whatIf, false, out merged) is { } refused)
                    return refused.Pass<IReadOnlyList<RowChange>>();
                if (Seen(merged!, revision) is { } changed)
                    return changed.Pass<IReadOnlyList<RowChange>>();
                plan = (await PlanAsync(state, merged!, false, takes, stop)).Plan;
                return plan.Open.Count > 0
                    ? Undecided(plan).Pass<IReadOnlyList<RowChange>>()
                    : new Outcome<IReadOnlyList<RowChange>>(plan.Edits, null, []);
            },
            null,
            stop,
            async (db, state) =>
            {
                // The draft may have been opened by this very change.
                var into = (await EditionStore.StateAsync(db, state.Code, false, stop))!.MainDraft;
                await EditionStore.MergedAsync(db, state.Id, merged!.Id, into?.Id ?? 0, stop);
                await EntityStore.AuditAsync(
                    db,
                    state.Id,
                    actor.Name,
                    "what-if merged",
                    EntityStore.DraftOf(state.Code, merged.Id),
                    new { merged.Id, merged.Name },
                    new { into = into?.Id },
                    stop
                );
            },
            state => Needs(state, whatIf, false),
            writtenBefore: true
        );
        return made.Refused is null ? new MergeResult(merged!, plan!, made.Result!.Id, []) : made.Pass<MergeResult>();
    }

    /// <summary>Brings the draft, or a what-if, onto the latest edition: what it changes is the same, over what was
    /// published since.</summary>
    public Task<Outcome<MergeResult>> BringOntoLatestAsync(
        Actor actor,
        string entity,
        int? id,
        long revision,
        IReadOnlyDictionary<string, bool> takes,
        CancellationToken stop
    ) =>
        desk.HoldAsync(
            actor.InDraft,
            entity,
            Role.Preparer,
            state => Needs(state, id, true),
            held => BroughtAsync(held, id, revision, takes, stop),
            stop
        );

    private async Task<Outcome<MergeResult>> BroughtAsync(
        Held held,
        int? id,
        long revision,
        IReadOnlyDictionary<string, bool> takes,
        CancellationToken stop
    )
    {
        var (db, state, actor) = (held.Db, held.State, held.Actor);
        if (Find(state, id, true, out var draft) is { } refused)
            return refused;
        if (Seen(draft!, revision) is { } changed)
            return changed;
        var (plan, now) = await PlanAsync(state, draft!, true, takes, stop);
        if (plan.Open.Count > 0)
            return Undecided(plan);
        var planned = SetUpEdit.Plan(now, plan.Edits, (_, _) => false);
        if (planned.Faults.Count > 0)
            return Outcome<MergeResult>.No(
                Refusal.Invalid,
                [.. planned.Faults.Select(f => new Fault(f.Code, f.Message, f.Column))]
            );
        var latest = state.Latest!.Number!.Value;
        await EditionStore.PutOnAsync(db, state.Id, draft!.Id, latest, stop);
        await SetUpStore.ApplyAsync(
            db,
            state.Id,
            new EditionView(latest, draft.Id),
            SetUpWriter.InForce(state),
            planned.Changes,
            _ => true,
            actor.Name,
            stop
        );
        await EditionStore.TouchAsync(
            db,
            state.Id,
            draft.Id,
            stop,
            planned.Changes.Any(c => c.Part.HeldBy == HeldBy.Records)
        );
        await EntityStore.AuditAsync(
            db,
            state.Id,
            actor.Name,
            "draft brought onto the latest edition",
            EntityStore.DraftOf(state.Code, draft.Name is null ? null : draft.Id),
            new { draft.Id, basedOn = draft.BasedOn },
            new
            {
                basedOn = latest,
                rows = planned.Changes.Count,
                kept = takes.Where(t => !t.Value).Select(t => t.Key),
                took = takes.Where(t => t.Value).Select(t => t.Key),
            },
            stop
        );
        return new MergeResult(draft with { BasedOn = latest }, plan, null, []);
    }

    // What a merge is worked out from: what the draft was made on, the draft, and what it comes to.
    private static IEnumerable<(int, EditionRow?)> Needs(EntityState state, int? id, bool onto)
    {
        if (Find(state, id, onto, out var draft) is not null || draft is null)
            yield break;
        yield return (draft.BasedOn, null);
        yield return (draft.BasedOn, draft);
        if (onto)
            yield return (state.Latest!.Number!.Value, null);
        else
            yield return (state.MainDraft?.BasedOn ?? state.Latest?.Number ?? 0, state.MainDraft);
    }

    private async Task<(MergePlan Plan, SetUp Now)> PlanAsync(
        EntityState state,
        EditionRow draft,
        bool onto,
        IReadOnlyDictionary<string, bool> takes,
        CancellationToken stop
    )
    {
        var was = (await desk.Shelf.GetAsync(desk.Database, state, draft.BasedOn, null, stop)).SetUp;
        var theirs = (await desk.Shelf.GetAsync(desk.Database, state, draft.BasedOn, draft, stop)).SetUp;
        var now = (await view.OfAsync(state, onto ? state.Latest!.Number.ToString() : "main", null, stop))
            .Result!
            .SetUp
            .SetUp;
        return (Merging.Of(was, theirs, now, takes), now);
    }

    private static Outcome<MergeResult>? Find(EntityState state, int? id, bool onto, out EditionRow? draft)
    {
        draft = id is null ? state.MainDraft : state.WhatIf(id.Value);
        if (draft is null)
            return Outcome<MergeResult>.No(
                Refusal.NotFound,
                "no-draft",
                id is null ? "There is no draft." : "There is no such what-if: it was merged or discarded."
            );
        return onto && draft.BasedOn == (state.Latest?.Number ?? 0)
            ? Outcome<MergeResult>.No(Refusal.Conflict, "on-latest", "It is on the latest edition already.")
            : null;
    }

    private static Outcome<MergeResult>? Seen(EditionRow draft, long revision) =>
        draft.Revision == revision
            ? null
            : Outcome<MergeResult>.No(
                Refusal.Conflict,
                "changed-meanwhile",
                "It was changed since you looked at it: look at it again, then go on."
            );

    private static Outcome<MergeResult> Undecided(MergePlan plan) =>
        Outcome<MergeResult>.No(
            Refusal.Conflict,
            [
                .. plan.Open.Select(c => new Fault(
                    "conflict",
                    $"{c.Label}{(c.Column.Length > 0 ? ", " + c.Column.Replace('_', ' ') : "")}: "
                        + $"{c.Here ?? "nothing"} here, {c.Theirs ?? "nothing"} there. Choose one of the two.",
                    c.Id
                )),
            ]
        );
}
