using Assignum.Core.Editions;
using Assignum.Core.Money;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Desk.Access;
using Assignum.Storage;

namespace Assignum.Desk.SetUps;

/// <summary>Creates an entity with an open draft that holds the shipped borrowing.</summary>
public sealed class CreateEntity(DeskContext desk)
{
    /// <summary>Creates it.</summary>
    public async Task<Outcome<EntityRow>> RunAsync(
        Actor actor,
        string? code,
        string? name,
        string? currency,
        CancellationToken stop
    )
    {
        if (!actor.MayEverywhere(Role.Administrator))
            return Outcome<EntityRow>.No(
                Refusal.Forbidden,
                "role-needed",
                "Only an administrator of all entities creates one."
            );
        var faults = new List<Core.Fault>();
        if (Codes.Wrong(code ?? "") is { } why)
            faults.Add(new("bad-code", $"The code {why}.", "code"));
        if (string.IsNullOrWhiteSpace(name) || name.Length > 200)
            faults.Add(new("bad-name", "The name is 1 to 200 characters.", "name"));
        if (currency is null || !Currencies.Exists(currency))
            faults.Add(new("unknown-currency", $"'{currency}' is no currency of ISO 4217, such as EUR.", "currency"));
        if (faults.Count > 0)
            return Outcome<EntityRow>.No(Refusal.Invalid, faults);

        await using var db = await desk.Database.OpenAsync(stop);
        await using var transaction = await db.BeginTransactionAsync(stop);
        if (await EntityStore.CreateAsync(db, code!, name!, currency!, stop) is not { } id)
            return Outcome<EntityRow>.No(
                Refusal.Conflict,
                "entity-exists",
                $"There is an entity {code} already.",
                "code"
            );
        var state = (await EditionStore.StateAsync(db, code!, true, stop))!;
        var draft = await EditionStore.OpenDraftAsync(db, state, actor.Name, stop);
        var empty = new SetUp { Entity = new Entity(code!, name!, currency!) };
        await SetUpStore.ApplyAsync(
            db,
            id,
            new EditionView(0, draft.Id),
            null,
            SetUpImport.Difference(empty, SetUpDefaults.Empty(empty.Entity)),
            _ => false,
            actor.Name,
            stop
        );
        await EntityStore.AuditAsync(
            db,
            id,
            actor.Name,
            "entity created",
            code!,
            null,
            new
            {
                code,
                name,
                currency,
            },
            stop
        );
        await transaction.CommitAsync(stop);
        return new EntityRow(id, code!, name!, currency!);
    }
}
