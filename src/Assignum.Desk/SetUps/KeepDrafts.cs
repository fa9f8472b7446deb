using Assignum.Core.Calendar;
using Assignum.Core.Editions;
using Assignum.Desk.Access;
using Assignum.Storage;

namespace Assignum.Desk.SetUps;

/// <summary>What people do with drafts beside editing and publishing: approve, discard, take back, and what-ifs
/// beside the draft.</summary>
public sealed class KeepDrafts(DeskContext desk)
{
    /// <summary>Approves the draft as it is; refused to somebody who changed it, or where it is no longer as it was
    /// seen.</summary>
    /// <param name="revision">The draft's revision as it was looked at.</param>
    public async Task<Outcome<EditionRow>> ApproveAsync(
        Actor actor,
        string entity,
        long revision,
        CancellationToken stop
    )
    {
        return await desk.HoldAsync(
            actor.InDraft,
            entity,
            Role.Reviewer,
            _ => [],
            async Task<Outcome<EditionRow>> (held) =>
            {
                var (db, state) = (held.Db, held.State);
                if (state.Draft is not { } draft)
                    return Outcome<EditionRow>.No(Refusal.Conflict, "no-draft", "There is no draft to approve.");
                if (draft.Revision != revision)
                    return Outcome<EditionRow>.No(
                        Refusal.Conflict,
                        "changed-meanwhile",
                        "The draft was changed since you looked at it: look at the difference again, then approve it."
                    );
                if (await EditedAsync(db, state, draft, actor.Name, stop))
                    return Outcome<EditionRow>.No(
                        Refusal.Conflict,
                        "four-eyes",
                        "You changed this draft: somebody who did not must approve it."
                    );
                await EditionStore.ApproveAsync(db, state.Id, draft, actor.Name, stop);
                await EntityStore.AuditAsync(
                    db,
                    state.Id,
                    actor.Name,
                    "draft approved",
                    EntityStore.ApprovalOf(state.Code),
                    null,
                    new { draft = draft.Id, revision },
                    stop
                );
                return draft;
            },
            stop
        );
    }

    /// <summary>Throws the draft away, or the what-if that is worked in. What it held is kept, so that it can be taken
    /// back.</summary>
    public Task<Outcome<EditionRow>> ThrowAwayAsync(Actor actor, string entity, CancellationToken stop) =>
        TurnAsync(
            actor,
            entity,
            state =>
                state.Draft is { } draft
                    ? (draft, "discarded", draft.Name is null ? "draft discarded" : "what-if discarded", null)
                    : (null, "", "", "There is no draft to discard."),
            stop
        );

    /// <summary>Takes the draft back that was discarded last, while none is open. On an edition that is not the
    /// latest it must be brought onto it before it is published.</summary>
    public Task<Outcome<EditionRow>> TakeBackAsync(Actor actor, string entity, CancellationToken stop) =>
        TurnAsync(
            actor.InDraft,
            entity,
            state =>
                state.Draft is not null ? (null, "", "", "Another draft is open: publish it or throw it away first.")
                : state.Editions.LastOrDefault(e => e.Status == "discarded") is not { } last
                    ? (null, "", "", "There is no draft that was discarded.")
                : Baseless(state, last) is { } why ? (null, "", "", why)
                : (last, "draft", "draft taken back", null),
            stop
        );

    /// <summary>Takes back a what-if that was discarded or merged.</summary>
    public Task<Outcome<EditionRow>> TakeBackWhatIfAsync(
        Actor actor,
        string entity,
        int whatIf,
        CancellationToken stop
    ) =>
        TurnAsync(
            actor.InDraft,
            entity,
            state =>
                state.WhatIfs.FirstOrDefault(w => w.Id == whatIf && w.Status == "discarded") is not { } thrown
                    ? (null, "", "", "There is no such what-if that was discarded.")
                : Baseless(state, thrown) is { } why ? (null, "", "", why)
                : Named(state, thrown.Name!) ? (null, "", "", $"Another what-if is called {thrown.Name}.")
                : (thrown, "draft", "what-if taken back", null),
            stop
        );

    /// <summary>
    /// Withdraws the newest edition before its first day, where nothing was posted by it: it becomes a what-if, and
    /// another can be published
    /// before it.
    /// </summary>
    public async Task<Outcome<EditionRow>> WithdrawAsync(Actor actor, string entity, int number, CancellationToken stop)
    {
        static Outcome<EditionRow> No(string code, string message) =>
            Outcome<EditionRow>.No(Refusal.Conflict, code, message);
        return await desk.HoldAsync(
            actor.InDraft,
            entity,
            Role.Reviewer,
            _ => [],
            async Task<Outcome<EditionRow>> (held) =>
            {
                var (db, state) = (held.Db, held.State);
                if (state.Editions.FirstOrDefault(e => e.Number == number) is not { } edition)
                    return Outcome<EditionRow>.No(Refusal.NotFound, "no-edition", $"{entity} has no edition {number}.");
                if (edition.Number != state.Latest!.Number)
                    return No(
                        "not-latest",
                        $"Edition {state.Latest.Number} was published after it: withdraw that first."
                    );
                if (edition.ValidFrom <= state.Today)
                    return No(
                        "in-force",
                        $"Edition {number} is in force since {WrittenDay.Say(edition.ValidFrom)}: publish another over it instead."
                    );
                await PostingNumbers.HoldAsync(db, state.Id, stop);
                if (await EditionStore.PostedUnderAsync(db, state.Id, number, edition.ValidFrom!.Value, stop))
                    return No("posted", $"Something was posted by edition {number}: publish another over it instead.");
                foreach (
                    var draft in state
                        .Editions.Concat(state.WhatIfs)
                        .Where(d => d.Status == "draft" && d.BasedOn == number)
                )
                {
                    if (await EditionStore.DraftSizeAsync(db, state.Id, draft.Id, stop) > 0)
                        return No(
                            "based-on",
                            $"{(draft.Name is null ? "The draft" : $"The what-if {draft.Name}")} is made on edition "
                                + $"{number}: publish it, set it aside or throw it away first."
                        );
                    await EditionStore.PutOnAsync(db, state.Id, draft.Id, edition.BasedOn, stop);
                }
                var name = $"edition {number}, withdrawn";
                for (var n = 2; Named(state, name); n++)
                    name = $"edition {number}, withdrawn {n}";
                await SetUpStore.WithdrawAsync(db, state.Id, edition.Id, number, stop);
                await EditionStore.MarkWithdrawnAsync(db, state.Id, edition.Id, name, stop);
                await EditionStore.TouchAsync(db, state.Id, edition.Id, stop);
                await EntityStore.AuditAsync(
                    db,
                    state.Id,
                    actor.Name,
                    "edition withdrawn",
                    $"edition {number}",
                    new { number, from = edition.ValidFrom.Value.ToString("yyyy-MM-dd") },
                    new { whatIf = name },
                    stop
                );
                return edition with
                {
                    Number = null,
                    Status = "draft",
                    ValidFrom = null,
                    Name = name,
                    FormerNumber = number,
                };
            },
            stop
        );
    }

    // A draft of an edition that was withdrawn since has nothing to stand on.
    private static string? Baseless(EntityState state, EditionRow draft) =>
        draft.BasedOn == 0 || state.Editions.Any(e => e.Number == draft.BasedOn)
            ? null
            : $"It was made on edition {draft.BasedOn}, which was withdrawn since.";

    /// <summary>Opens a what-if on the latest edition; it holds nothing yet, so one row is written.</summary>
    public Task<Outcome<EditionRow>> OpenWhatIfAsync(
        Actor actor,
        string entity,
        string? name,
        CancellationToken stop
    ) => NameAsync(actor, entity, name, false, stop);

    /// <summary>Makes the draft a what-if: what it holds stands beside the draft, and another can be opened.</summary>
    public Task<Outcome<EditionRow>> SetAsideAsync(Actor actor, string entity, string? name, CancellationToken stop) =>
        NameAsync(actor, entity, name, true, stop);

    /// <summary>Whether publishing would be refused to this person until somebody else has looked: four eyes are asked
    /// for in what is live, and the person changed the draft.</summary>
    public async Task<bool> NeedsOtherEyesAsync(Visit visit, CancellationToken stop)
    {
        var state = visit.State;
        if (state.MainDraft is not { } draft || state.Latest?.Number is not { } latest)
            return false;
        var live = await new ViewSetUp(desk).OfAsync(
            visit,
            latest.ToString(System.Globalization.CultureInfo.InvariantCulture),
            null,
            stop
        );
        if (live.Result is not { SetUp.Policies.FourEyes: true })
            return false;
        await using var db = await desk.Database.OpenAsync(stop);
        return await EditedAsync(db, state, draft, visit.Actor.Name, stop)
            && (await EditionStore.ApprovalsAsync(db, state.Id, draft, stop)).Count == 0;
    }

    /// <summary>Whether somebody opened or changed a draft, or a what-if that was merged into it.</summary>
    internal static async Task<bool> EditedAsync(
        Npgsql.NpgsqlConnection db,
        EntityState state,
        EditionRow draft,
        string who,
        CancellationToken stop
    ) =>
        await EntityStore.EditedDraftAsync(
            db,
            state.Id,
            state.Code,
            draft.Id,
            who,
            draft.OpenedBy,
            draft.OpenedAt,
            stop
        );

    private static bool Named(EntityState state, string name) =>
        state.WhatIfs.Any(w => w.Status == "draft" && string.Equals(w.Name, name, StringComparison.OrdinalIgnoreCase));

    private async Task<Outcome<EditionRow>> NameAsync(
        Actor actor,
        string entity,
        string? name,
        bool aside,
        CancellationToken stop
    )
    {
        name = name?.Trim();
        if (string.IsNullOrEmpty(name) || name.Length > 80)
            return Outcome<EditionRow>.No(
                Refusal.Invalid,
                "bad-name",
                "Give the what-if a name of 1 to 80 characters.",
                "name"
            );
        return await desk.HoldAsync(
            actor.InDraft,
            entity,
            Role.Preparer,
            _ => [],
            async Task<Outcome<EditionRow>> (held) =>
            {
                var (db, state) = (held.Db, held.State);
                if (Named(state, name))
                    return Outcome<EditionRow>.No(
                        Refusal.Conflict,
                        "exists",
                        $"There is a what-if called {name} already: choose another name.",
                        "name"
                    );
                EditionRow? made;
                if (!aside)
                    made = await EditionStore.OpenDraftAsync(db, state, actor.Name, stop, name);
                else if ((made = state.Draft) is null)
                    return Outcome<EditionRow>.No(Refusal.Conflict, "no-draft", "There is no draft to set aside.");
                else
                    await EditionStore.SetAsideAsync(db, state.Id, made.Id, name, stop);
                await EntityStore.AuditAsync(
                    db,
                    state.Id,
                    actor.Name,
                    aside ? "draft set aside" : "what-if opened",
                    EntityStore.DraftOf(state.Code, made.Id),
                    null,
                    new { made.Id, name },
                    stop
                );
                return made with { Name = name };
            },
            stop
        );
    }

    private async Task<Outcome<EditionRow>> TurnAsync(
        Actor actor,
        string entity,
        Func<EntityState, (EditionRow? Draft, string Status, string What, string? Why)> which,
        CancellationToken stop
    )
    {
        return await desk.HoldAsync(
            actor,
            entity,
            Role.Preparer,
            _ => [],
            async Task<Outcome<EditionRow>> (held) =>
            {
                var (db, state) = (held.Db, held.State);
                var (draft, status, what, why) = which(state);
                if (draft is null)
                    return Outcome<EditionRow>.No(Refusal.Conflict, "no-draft", why!);
                await EditionStore.TurnAsync(db, state.Id, draft.Id, status, stop);
                await EditionStore.TouchAsync(db, state.Id, draft.Id, stop, records: false);
                await EntityStore.AuditAsync(
                    db,
                    state.Id,
                    actor.Name,
                    what,
                    EntityStore.DraftOf(state.Code, draft.Name is null ? null : draft.Id),
                    new { draft.Id, draft.Status },
                    new { draft.Id, status },
                    stop
                );
                return draft with { Status = status };
            },
            stop
        );
    }
}
