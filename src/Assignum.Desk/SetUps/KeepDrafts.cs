using Assignum.Desk.Access;
using Assignum.Storage;

namespace Assignum.Desk.SetUps;

/// <summary>What people do with a draft beside editing and publishing it: approve it, throw it away, take it back.</summary>
public sealed class KeepDrafts(DeskContext desk)
{
    /// <summary>Approves the draft as it is; refused to somebody who changed it, or where it is no longer as it was seen.</summary>
    /// <param name="revision">The draft's revision as it was looked at.</param>
    public async Task<Outcome<EditionRow>> ApproveAsync(Actor actor, string entity, long revision, CancellationToken stop)
    {
        await using var db = await desk.Database.OpenAsync(stop);
        await using var transaction = await db.BeginTransactionAsync(stop);
        var entered = await desk.EnterAsync(db, actor, entity, Role.Reviewer, true, stop);
        if (entered.Result is not { } state) return entered.Pass<EditionRow>();
        if (state.Draft is not { } draft) return Outcome<EditionRow>.No(Refusal.Conflict, "no-draft", "There is no draft to approve.");
        if (draft.Revision != revision) return Outcome<EditionRow>.No(Refusal.Conflict, "changed-meanwhile", "The draft was changed since you looked at it: look at the difference again, then approve it.");
        if (await EditedAsync(db, state, draft, actor.Name, stop)) return Outcome<EditionRow>.No(Refusal.Conflict, "four-eyes", "You changed this draft: somebody who did not must approve it.");
        await EditionStore.ApproveAsync(db, state.Id, draft, actor.Name, stop);
        await EntityStore.AuditAsync(db, state.Id, actor.Name, "draft approved", EntityStore.ApprovalOf(state.Code), null, new { draft = draft.Id, revision }, stop);
        await transaction.CommitAsync(stop);
        return draft;
    }

    /// <summary>Throws the draft away. What it held is kept, so that it can be taken back while no other draft is open.</summary>
    public Task<Outcome<EditionRow>> ThrowAwayAsync(Actor actor, string entity, CancellationToken stop) => TurnAsync(actor, entity, state => state.Draft is { } draft
        ? (draft, "discarded", "draft thrown away", null) : (null, "", "", "There is no draft to throw away."), stop);

    /// <summary>Takes a draft back that was thrown away last, while none is open and nothing was published since.</summary>
    public Task<Outcome<EditionRow>> TakeBackAsync(Actor actor, string entity, CancellationToken stop) => TurnAsync(actor, entity, state =>
        state.Draft is not null ? (null, "", "", "Another draft is open: publish it or throw it away first.")
        : state.Editions.LastOrDefault(e => e.Status == "discarded") is not { } last || last.BasedOn != (state.Latest?.Number ?? 0) ? (null, "", "", "There is no draft that was thrown away since the last edition.")
        : (last, "draft", "draft taken back", null), stop);

    /// <summary>Whether somebody opened or changed a draft.</summary>
    internal static async Task<bool> EditedAsync(Npgsql.NpgsqlConnection db, EntityState state, EditionRow draft, string who, CancellationToken stop) =>
        draft.OpenedBy == who || await EntityStore.EditedDraftAsync(db, state.Id, state.Code, who, draft.OpenedAt, stop);

    private async Task<Outcome<EditionRow>> TurnAsync(Actor actor, string entity, Func<EntityState, (EditionRow? Draft, string Status, string What, string? Why)> which, CancellationToken stop)
    {
        await using var db = await desk.Database.OpenAsync(stop);
        await using var transaction = await db.BeginTransactionAsync(stop);
        var entered = await desk.EnterAsync(db, actor, entity, Role.Preparer, true, stop);
        if (entered.Result is not { } state) return entered.Pass<EditionRow>();
        var (draft, status, what, why) = which(state);
        if (draft is null) return Outcome<EditionRow>.No(Refusal.Conflict, "no-draft", why!);
        await EditionStore.TurnAsync(db, state.Id, draft.Id, status, stop);
        await EditionStore.TouchAsync(db, state.Id, draft.Id, stop);
        await EntityStore.AuditAsync(db, state.Id, actor.Name, what, EntityStore.DraftOf(state.Code), new { draft.Id, draft.Status }, new { draft.Id, status }, stop);
        await transaction.CommitAsync(stop);
        return draft with { Status = status };
    }
}
