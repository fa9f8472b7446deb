using System.Text.Json;
using Assignum.Core.Editions;
using Assignum.Core.Work;
using Assignum.Desk.Access;
using Assignum.Storage;

namespace Assignum.Desk.Work;

/// <summary>What people do with work: give it, look at it, stop it, try it again.</summary>
public sealed class WorkDesk(DeskContext desk)
{
    /// <summary>How many of the newest are listed.</summary>
    public const int Listed = 50;

    /// <summary>Raised when work was given, so that a worker of this process need not wait to look.</summary>
    public event Action? Given;

    /// <summary>How much work there is of each status, over all entities.</summary>
    public async Task<IReadOnlyDictionary<string, long>> CountsAsync(CancellationToken stop)
    {
        await using var db = await desk.Database.OpenAsync(stop);
        return await WorkStore.CountsAsync(db, stop);
    }

    /// <summary>Gives work; it is done with the rights that the actor has now.</summary>
    /// <param name="role">The role that it needs.</param>
    /// <param name="subject">What it is about, for people.</param>
    public async Task<Outcome<WorkRow>> StartAsync(
        Actor actor,
        string entity,
        Role role,
        string kind,
        string subject,
        object input,
        byte[]? file,
        CancellationToken stop
    )
    {
        await using var db = await desk.Database.OpenAsync(stop);
        var entered = await desk.EnterAsync(db, actor, entity, role, false, stop);
        if (entered.Result is not { State: var state } visit)
            return entered.Pass<WorkRow>();
        var order = JsonSerializer.Serialize(
            new Order(ActorOrder.Of(actor, entity), JsonSerializer.SerializeToElement(input))
        );
        var id = await WorkStore.AddAsync(db, state.Id, kind, subject, actor.Name, order, file, stop);
        await EntityStore.AuditAsync(
            db,
            state.Id,
            actor.Name,
            "work given",
            $"work {id}",
            null,
            new { kind, subject },
            stop
        );
        Given?.Invoke();
        return (await WorkStore.FindAsync(db, state.Id, id, stop))!;
    }

    /// <summary>The newest work of an entity.</summary>
    public Task<Outcome<IReadOnlyList<WorkRow>>> ListAsync(Actor actor, string entity, CancellationToken stop) =>
        WithAsync(
            actor,
            entity,
            Role.Viewer,
            async (db, state) =>
                new Outcome<IReadOnlyList<WorkRow>>(await WorkStore.ListAsync(db, state.Id, Listed, stop), null, []),
            stop
        );

    /// <summary>One piece of work.</summary>
    public Task<Outcome<WorkRow>> FindAsync(Actor actor, string entity, long id, CancellationToken stop) =>
        WithAsync(
            actor,
            entity,
            Role.Viewer,
            async (db, state) => await WorkStore.FindAsync(db, state.Id, id, stop) is { } row ? row : None,
            stop
        );

    /// <summary>Stops work that waits or runs.</summary>
    public Task<Outcome<WorkRow>> CancelAsync(Actor actor, string entity, long id, CancellationToken stop) =>
        TurnAsync(actor, entity, id, "work cancelled", WorkStore.CancelAsync, "It is over already.", stop);

    /// <summary>Tries work again that failed or was cancelled.</summary>
    public Task<Outcome<WorkRow>> AgainAsync(Actor actor, string entity, long id, CancellationToken stop) =>
        TurnAsync(actor, entity, id, "work tried again", WorkStore.AgainAsync, "It waits, runs or is done.", stop);

    private Task<Outcome<WorkRow>> TurnAsync(
        Actor actor,
        string entity,
        long id,
        string what,
        Func<Npgsql.NpgsqlConnection, int, long, CancellationToken, Task<bool>> turn,
        string why,
        CancellationToken stop
    ) =>
        WithAsync(
            actor,
            entity,
            Role.Preparer,
            async (db, state) =>
            {
                if (await WorkStore.FindAsync(db, state.Id, id, stop) is not { } before)
                    return None;
                if (!await turn(db, state.Id, id, stop))
                    return Outcome<WorkRow>.No(Refusal.Conflict, "work-over", why);
                var after = (await WorkStore.FindAsync(db, state.Id, id, stop))!;
                await EntityStore.AuditAsync(
                    db,
                    state.Id,
                    actor.Name,
                    what,
                    $"work {id}",
                    new { before.Status },
                    new { after.Status, after.Cancel },
                    stop
                );
                Given?.Invoke();
                return after;
            },
            stop
        );

    private static Outcome<WorkRow> None => Outcome<WorkRow>.No(Refusal.NotFound, "no-work", "There is no such work.");

    private async Task<Outcome<T>> WithAsync<T>(
        Actor actor,
        string entity,
        Role role,
        Func<Npgsql.NpgsqlConnection, EntityState, Task<Outcome<T>>> what,
        CancellationToken stop
    )
    {
        await using var db = await desk.Database.OpenAsync(stop);
        var entered = await desk.EnterAsync(db, actor, entity, role, false, stop);
        return entered.Result is { State: var state } ? await what(db, state) : entered.Pass<T>();
    }
}

/// <summary>What is kept of work: for whom, and what it works on.</summary>
internal sealed record Order(ActorOrder Actor, JsonElement Input);

/// <summary>Whose rights work is done with: those held in its entity when it was given.</summary>
internal sealed record ActorOrder(
    string Name,
    Role Role,
    int? WorksIn,
    bool Strong = true,
    IReadOnlyList<string>? Sources = null
)
{
    public static ActorOrder Of(Actor actor, string entity) =>
        new(
            actor.Name,
            Enum.GetValues<Role>().Last(r => actor.May(r, entity)),
            actor.WorksIn.TryGetValue(entity, out var whatIf) ? whatIf : null,
            actor.Strong,
            actor.Sources
        );

    public Actor In(string entity) =>
        new(Name, null, new Dictionary<string, Role> { [entity] = Role })
        {
            Strong = Strong,
            Sources = Sources,
            WorksIn = WorksIn is { } whatIf
                ? new Dictionary<string, int> { [entity] = whatIf }
                : new Dictionary<string, int>(),
        };
}
