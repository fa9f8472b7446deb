using Assignum.Core.Editions;
using Assignum.Core.SetUps;
using Assignum.Desk.Access;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk;

/// <summary>What every task needs: the database, the set-ups remembered from it, and the checks that all tasks
/// share.</summary>
/// <param name="clock">Says what time it is; null: the machine's clock.</param>
/// <param name="shelf">Where compiled set-ups are kept; null: one of its own.</param>
public sealed class DeskContext(Database database, TimeProvider? clock = null, SetUpShelf? shelf = null)
{
    public Database Database { get; } = database;

    /// <summary>Compiled set-ups, shared by all requests of this process.</summary>
    public SetUpShelf Shelf { get; } = shelf ?? new SetUpShelf();

    /// <summary>The one clock: what day it is for an entity follows from it and the entity's time zone.</summary>
    public TimeProvider Clock { get; } = clock ?? TimeProvider.System;

    /// <summary>Hears of faults of the program that were kept from others' work.</summary>
    public Action<Exception>? Unforeseen { get; set; }

    private readonly System.Collections.Concurrent.ConcurrentDictionary<int, JournalIds> ids = new();

    /// <summary>The ids of an entity's patterns and chains.</summary>
    internal JournalIds IdsOf(int entity) => ids.GetOrAdd(entity, _ => new JournalIds());

    /// <summary>Why an actor may not act in an entity, as far as roles say; null: it may, where there is one. Asked
    /// before anything large is read.</summary>
    public static (Refusal Why, Core.Fault Fault)? Refused(Actor actor, string entity, Role role) =>
        !actor.May(Role.Viewer, entity)
            ? (Refusal.NotFound, new Core.Fault("unknown-entity", $"There is no entity {entity} that you may see."))
        : !actor.May(role, entity)
            ? (
                Refusal.Forbidden,
                new Core.Fault("role-needed", $"This needs the role {Core.Words.Of(role)} in {entity}.")
            )
        : null;

    /// <summary>
    /// Opens a connection and the entity's state, or refuses: an entity that is not there and one that the actor has no
    /// role in look the same.
    /// </summary>
    public async Task<Outcome<Visit>> EnterAsync(
        NpgsqlConnection db,
        Actor actor,
        string entity,
        Role role,
        bool @lock,
        CancellationToken stop
    )
    {
        if (Refused(actor, entity, role) is { } refused)
            return Outcome<Visit>.No(refused.Why, [refused.Fault]);
        if (await EditionStore.StateAsync(db, entity, @lock, stop) is not { } state)
            return Outcome<Visit>.No(
                Refusal.NotFound,
                "unknown-entity",
                $"There is no entity {entity} that you may see."
            );
        if (role >= Role.Reviewer && !actor.Strong && await EntityStore.IsOnAsync(db, state.Id, "second-factor", stop))
            return Outcome<Visit>.No(
                Refusal.Forbidden,
                "second-factor-needed",
                $"In {entity} reviewers and administrators act with a second factor: set yours up on your own page (/me), "
                    + "then sign in again."
            );
        state = state with { Today = state.Calendar.Today(Clock) };
        Visit Of(EntityState entered) => new(actor, entered, role);
        if (!actor.WorksIn.TryGetValue(entity, out var whatIf))
            return Of(state);
        if (whatIf < 0 && state.Editions.FirstOrDefault(e => e.Number == -whatIf) is { } past)
            return @lock
                ? Outcome<Visit>.No(
                    Refusal.Conflict,
                    "looking",
                    $"You look at edition {past.Number} as it is: go back to the draft, then make the change there."
                )
                : Of(state with { LookedAt = past });
        if (state.WhatIf(whatIf) is { } open)
            return Of(state with { WorkedIn = open });
        // What was meant for a what-if never ends in the draft.
        return @lock
            ? Outcome<Visit>.No(
                Refusal.Conflict,
                "what-if-closed",
                "The what-if you work in was merged or discarded meanwhile: nothing was changed. Look at the page "
                    + "again, then make the change where you want it."
            )
            : Of(state);
    }

    /// <summary>
    /// Does what changes an entity, in one transaction that holds it. Set-ups that are needed are made before, while
    /// nothing is held; where somebody changed the entity meanwhile, they are made again. Inside, no second connection
    /// is opened and nothing is compiled. What is refused is rolled back.
    /// </summary>
    /// <param name="needs">The set-ups that are needed, given the state.</param>
    /// <param name="what">Does it; the transaction ends after it.</param>
    /// <param name="hold">False: to look only, in one transaction all the same.</param>
    internal async Task<Outcome<T>> HoldAsync<T>(
        Actor actor,
        string entity,
        Role role,
        Func<EntityState, IEnumerable<(int Number, EditionRow? Draft)>> needs,
        Func<Held, Task<Outcome<T>>> what,
        CancellationToken stop,
        bool hold = true
    )
    {
        for (var turn = 0; ; turn++)
        {
            EntityState before;
            await using (var look = await Database.OpenAsync(stop))
            {
                var entered = await EnterAsync(look, actor, entity, role, false, stop);
                if (entered.Result is null)
                    return entered.Pass<T>();
                before = entered.Result.State;
            }
            foreach (var (number, draft) in needs(before))
                await Shelf.GetAsync(Database, before, number, draft, stop);
            await using var db = await Database.OpenAsync(stop);
            await using var transaction = await db.BeginTransactionAsync(stop);
            var held = await EnterAsync(db, actor, entity, role, hold, stop);
            if (held.Result is not { State: var state } proved)
                return held.Pass<T>();
            // Somebody was quicker: look again. After many turns it waits no more, whatever that costs.
            if (turn < MostTurns && !needs(state).All(n => Shelf.Has(state, n.Number, n.Draft)))
                continue;
            var visit = new Held(this, db, transaction, proved);
            var outcome = await what(visit);
            if (outcome.Refused is null)
                await visit.CommitAsync(stop);
            return outcome;
        }
    }

    private const int MostTurns = 50;
}

/// <summary>
/// An actor in an entity: that it is there, that the actor may be there, and with which right. Only the desk makes one,
/// so a task that is given one need not ask again.
/// </summary>
public sealed class Visit
{
    internal Visit(Actor actor, EntityState state, Role right) => (Actor, State, Right) = (actor, state, right);

    /// <summary>Who acts.</summary>
    public Actor Actor { get; }

    /// <summary>The entity as it was entered.</summary>
    public EntityState State { get; }

    /// <summary>The right that was proved; the actor may hold more.</summary>
    public Role Right { get; }

    /// <summary>Takes it apart.</summary>
    public void Deconstruct(out Actor actor, out EntityState state) => (actor, state) = (Actor, State);

    /// <summary>The same visit, looking at the entity in another way: at the draft itself, or at what an edit is based
    /// on.</summary>
    internal Visit Looking(EntityState state) => new(Actor, state, Right);
}

/// <summary>An entity that an actor has entered and holds until a transaction ends: nobody else changes it. Only the
/// desk makes one, so who has it has proved the right.</summary>
internal sealed class Held
{
    private readonly DeskContext desk;
    private readonly NpgsqlTransaction transaction;
    private readonly List<Action> after = [];
    private bool ended;

    internal Held(DeskContext desk, NpgsqlConnection db, NpgsqlTransaction transaction, Visit visit) =>
        (this.desk, Db, this.transaction, Visit) = (desk, db, transaction, visit);

    /// <summary>The one connection.</summary>
    public NpgsqlConnection Db { get; }

    /// <summary>Who holds it, by which right.</summary>
    public Visit Visit { get; }

    /// <summary>Who acts.</summary>
    public Actor Actor => Visit.Actor;

    /// <summary>The entity as it is held.</summary>
    public EntityState State => Visit.State;

    /// <summary>A set-up that was named as needed.</summary>
    public Task<CompiledSetUp> SetUpAsync(int number, EditionRow? draft, CancellationToken stop) =>
        desk.Shelf.GetAsync(desk.Database, State, number, draft, stop);

    /// <summary>To be done once it is durable.</summary>
    public void Afterwards(Action what) => after.Add(what);

    /// <summary>Ends the transaction; what was said to be done afterwards is done. Once.</summary>
    public async Task CommitAsync(CancellationToken stop)
    {
        if (ended)
            return;
        ended = true;
        await transaction.CommitAsync(stop);
        foreach (var action in after)
            action();
    }
}
