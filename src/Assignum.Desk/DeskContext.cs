using Assignum.Core.Tables.Foreign;
using Assignum.Core.SetUps;
using Assignum.Desk.Access;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk;

/// <summary>What every task needs: the database, the set-ups remembered from it, and the checks that all tasks
/// share.</summary>
public sealed class DeskContext(Database database)
{
    public Database Database { get; } = database;

    /// <summary>Compiled set-ups, shared by all requests of this process.</summary>
    public SetUpShelf Shelf { get; } = new();

    /// <summary>
    /// Opens a connection and the entity's state, or refuses: an entity that is not there and one that the actor has no
    /// role in look the same.
    /// </summary>
    public async Task<Outcome<EntityState>> EnterAsync(
        NpgsqlConnection db,
        Actor actor,
        string entity,
        Role role,
        bool @lock,
        CancellationToken stop
    )
    {
        if (!actor.May(Role.Viewer, entity))
            return Outcome<EntityState>.No(
                Refusal.NotFound,
                "unknown-entity",
                $"There is no entity {entity} that you may see."
            );
        if (!actor.May(role, entity))
            return Outcome<EntityState>.No(
                Refusal.Forbidden,
                "role-needed",
                $"This needs the role {Core.Words.Of(role)} in {entity}."
            );
        if (await EditionStore.StateAsync(db, entity, @lock, stop) is not { } state)
            return Outcome<EntityState>.No(
                Refusal.NotFound,
                "unknown-entity",
                $"There is no entity {entity} that you may see."
            );
        if (!actor.WorksIn.TryGetValue(entity, out var whatIf))
            return state;
        if (whatIf < 0 && state.Editions.FirstOrDefault(e => e.Number == -whatIf) is { } past)
            return @lock
                ? Outcome<EntityState>.No(
                    Refusal.Conflict,
                    "looking",
                    $"You look at edition {past.Number} as it is: go back to the draft, then make the change there."
                )
                : state with
                {
                    LookedAt = past,
                };
        if (state.WhatIf(whatIf) is { } open)
            return state with { WorkedIn = open };
        // What was meant for a what-if never ends in the draft.
        return @lock
            ? Outcome<EntityState>.No(
                Refusal.Conflict,
                "what-if-closed",
                "The what-if you work in was merged or thrown away meanwhile: nothing was changed. Look at the page "
                    + "again, then make the change where you want it."
            )
            : state;
    }
}

/// <summary>Remembers compiled set-ups by what they were made of, so that events do not compile anew. A change makes a
/// new key.</summary>
public sealed class SetUpShelf
{
    private const int Room = 24;
    private readonly Lock gate = new();
    private readonly Dictionary<Key, (Task<CompiledSetUp> SetUp, long Used)> shelf = [];
    private long clock;

    private readonly record struct Key(int Entity, long Records, int Number, int? Draft, long DraftRevision);

    /// <summary>The set-up of a published edition, or of the draft when <paramref name="draft"/> is given.</summary>
    /// <param name="number">The published edition, or the draft's base.</param>
    public async Task<CompiledSetUp> GetAsync(
        Database database,
        EntityState entity,
        int number,
        EditionRow? draft,
        CancellationToken stop
    )
    {
        var key = new Key(entity.Id, entity.RecordsRevision, number, draft?.Id, draft?.Revision ?? 0);
        Task<CompiledSetUp> task;
        lock (gate)
        {
            if (!shelf.TryGetValue(key, out var known) || known.SetUp.IsFaulted || known.SetUp.IsCanceled)
                // Others may wait for the same set-up: one caller going away must not take it from them.
                known = (LoadAsync(database, entity.Id, new EditionView(number, draft?.Id)), 0);
            shelf[key] = (known.SetUp, ++clock);
            while (shelf.Count > Room)
                shelf.Remove(shelf.MinBy(s => s.Value.Used).Key);
            task = known.SetUp;
        }
        return await task.WaitAsync(stop);
    }

    /// <summary>Puts what a change made of a set-up on the shelf, so that nobody reads and compiles all of it
    /// anew.</summary>
    /// <param name="entity">The state after the change.</param>
    /// <param name="next">The set-up of its draft, or of its latest edition where no draft is open.</param>
    /// <param name="from">What it was changed from.</param>
    public void Put(EntityState entity, SetUp next, CompiledSetUp from)
    {
        var key = new Key(
            entity.Id,
            entity.RecordsRevision,
            entity.Draft?.BasedOn ?? entity.Latest?.Number ?? 0,
            entity.Draft?.Id,
            entity.Draft?.Revision ?? 0
        );
        lock (gate)
            if (!shelf.ContainsKey(key))
                shelf[key] = (Task.Run(() => new CompiledSetUp(next, from)), ++clock);
    }

    private static async Task<CompiledSetUp> LoadAsync(Database database, int entity, EditionView view)
    {
        await using var db = await database.OpenAsync(CancellationToken.None);
        await using var snapshot = await db.BeginTransactionAsync(
            System.Data.IsolationLevel.RepeatableRead,
            CancellationToken.None
        );
        return new CompiledSetUp(await SetUpStore.LoadAsync(db, entity, view, CancellationToken.None));
    }
}
