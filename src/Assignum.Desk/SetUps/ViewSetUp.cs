using Assignum.Core.Calendar;
using Assignum.Core.Editions;
using Assignum.Core.SetUps;
using Assignum.Desk.Access;

namespace Assignum.Desk.SetUps;

/// <summary>A compiled set-up with the entity's state it was read in.</summary>
/// <param name="Edition">The published number, or null for the draft.</param>
public sealed record SetUpView(EntityState Entity, CompiledSetUp SetUp, int? Edition)
{
    /// <summary>The visit that it was looked at in; null inside of a task.</summary>
    public Visit? Visit { get; init; }
}

/// <summary>Looks at one edition of an entity: the draft, a number, or the one in force on a day.</summary>
public sealed class ViewSetUp(DeskContext desk)
{
    /// <summary>
    /// <paramref name="edition"/> is <c>draft</c> (where a what-if is worked in or an edition looked at, that),
    /// <c>main</c> (the draft in any case),
    /// <c>w</c> and the id of a what-if, a number, or null: the one in force on <paramref name="day"/>, or,
    /// where that is null, the newest published, or the draft where nothing is published yet. Asking for the draft
    /// where
    /// none is open gives the edition a draft would be opened on.
    /// </summary>
    public async Task<Outcome<SetUpView>> RunAsync(
        Actor actor,
        string entity,
        string? edition,
        DateOnly? day,
        CancellationToken stop
    )
    {
        Visit visit;
        await using (var db = await desk.Database.OpenAsync(stop))
        {
            var entered = await desk.EnterAsync(db, actor, entity, Role.Viewer, false, stop);
            if (entered.Result is null)
                return entered.Pass<SetUpView>();
            visit = entered.Result;
        }
        return await OfAsync(visit, edition, day, stop);
    }

    /// <summary>The same for an entity already entered.</summary>
    public async Task<Outcome<SetUpView>> OfAsync(Visit visit, string? edition, DateOnly? day, CancellationToken stop)
    {
        var looked = await OfAsync(visit.State, edition, day, stop);
        return looked.Result is { } found ? found with { Visit = visit } : looked;
    }

    /// <summary>The set-up in force on a day; before any was, the newest.</summary>
    public Task<Outcome<SetUpView>> OnAsync(Visit visit, DateOnly day, CancellationToken stop) =>
        OfAsync(visit, null, visit.State.InForce(day) is null ? null : day, stop);

    /// <summary>The same inside of a task, which was given a visit.</summary>
    internal async Task<Outcome<SetUpView>> OfAsync(
        EntityState state,
        string? edition,
        DateOnly? day,
        CancellationToken stop
    )
    {
        if (edition == "draft" && state.LookedAt is { } past)
            edition = past.Number.ToString();
        if (edition == "draft" || edition is null && day is null && state.Latest is null)
            return new SetUpView(
                state,
                await desk.Shelf.GetAsync(
                    desk.Database,
                    state,
                    state.Draft?.BasedOn ?? state.Latest?.Number ?? 0,
                    state.Draft,
                    stop
                ),
                null
            );
        if (edition == "main")
            return await OfAsync(state with { WorkedIn = null, LookedAt = null }, "draft", null, stop);
        if (edition is ['w', .. var id] && int.TryParse(id, out var asked))
            return state.WhatIf(asked) is { } whatIf
                ? new SetUpView(
                    state,
                    await desk.Shelf.GetAsync(desk.Database, state, whatIf.BasedOn, whatIf, stop),
                    null
                )
                : Outcome<SetUpView>.No(
                    Refusal.NotFound,
                    "no-edition",
                    "That what-if was merged or discarded.",
                    "edition"
                );
        EditionRow? row;
        if (edition is null)
            row = day is { } d ? state.InForce(d) : state.Latest;
        else if (int.TryParse(edition, out var number))
            row = state.Editions.FirstOrDefault(e => e.Number == number);
        else
            return Outcome<SetUpView>.No(
                Refusal.Invalid,
                "bad-edition",
                $"'{(edition.Length > 40 ? edition[..40] : edition)}' is no edition: send a number or 'draft'.",
                "edition"
            );
        if (row is null)
            return Outcome<SetUpView>.No(
                edition is null ? Refusal.Invalid : Refusal.NotFound,
                "no-edition",
                edition is null
                    ? $"No edition of {state.Code} is in force on {WrittenDay.Say(day)}: publish one that begins on or "
                        + "before that day."
                    : $"{state.Code} has no edition {edition}.",
                edition is null ? "date" : "edition"
            );
        return new SetUpView(
            state,
            await desk.Shelf.GetAsync(desk.Database, state, row.Number!.Value, null, stop),
            row.Number
        );
    }
}
