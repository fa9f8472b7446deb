using Assignum.Core.Access;
using Assignum.Storage;

namespace Assignum.Desk.Access;

/// <summary>What came of checking the seals of one entity.</summary>
/// <param name="Entity">Its code; empty: what belongs to none.</param>
/// <param name="Entries">Of its entries; null: it has none.</param>
/// <param name="Audit">Of its audit.</param>
public sealed record SealsOf(string Entity, SealCheck? Entries, SealCheck Audit)
{
    /// <summary>Where it breaks first; null: nowhere.</summary>
    public SealBreak? Break => Entries?.Break ?? Audit.Break;
}

/// <summary>Reads who did what and when, and checks that neither that nor the books were changed behind our back.</summary>
public sealed class Evidence(DeskContext desk)
{
    /// <summary>How many lines a page shows.</summary>
    public const int Page = 200;

    /// <summary>How many lines are taken out at once.</summary>
    public const int MostTakenOut = 100_000;

    /// <summary>Whose audit an actor may read: null of everything, else of these entities.</summary>
    public static IReadOnlyList<string>? MayRead(Actor actor) =>
        actor.MayEverywhere(Role.Administrator)
            ? null
            :
            [
                .. actor
                    .In.Where(r => actor.May(Role.Reviewer, r.Key))
                    .Select(r => r.Key)
                    .Order(StringComparer.Ordinal),
            ];

    /// <summary>The lines asked for, the latest first, with all kinds of acts that there are.</summary>
    public async Task<Outcome<(IReadOnlyList<AuditRow> Lines, IReadOnlyList<string> Kinds)>> ReadAsync(
        Actor actor,
        string? entity,
        AuditAsked asked,
        CancellationToken stop
    )
    {
        if (Narrowed(actor, entity, asked) is not { } narrowed)
            return No<(IReadOnlyList<AuditRow>, IReadOnlyList<string>)>();
        await using var db = await desk.Database.OpenAsync(stop);
        var lines = new List<AuditRow>();
        await foreach (var line in AuditStore.ReadAsync(db, narrowed, Page, stop))
            lines.Add(line);
        return (lines, await AuditStore.KindsAsync(db, stop));
    }

    /// <summary>The lines asked for, to be taken out.</summary>
    public async Task<Outcome<IReadOnlyList<AuditRow>>> TakeOutAsync(
        Actor actor,
        string? entity,
        AuditAsked asked,
        CancellationToken stop
    )
    {
        if (Narrowed(actor, entity, asked) is not { } narrowed)
            return No<IReadOnlyList<AuditRow>>();
        await using var db = await desk.Database.OpenAsync(stop);
        var lines = new List<AuditRow>();
        await foreach (var line in AuditStore.ReadAsync(db, narrowed, MostTakenOut, stop))
            lines.Add(line);
        return lines;
    }

    /// <summary>Notes what somebody took out, or was refused for want of a role.</summary>
    /// <param name="entity">Where; null, or one that there is not: in none.</param>
    public async Task NoteAsync(string who, string what, string? entity, string subject, CancellationToken stop)
    {
        await using var db = await desk.Database.OpenAsync(stop);
        var id = entity is null ? null : await EntityStore.IdAsync(db, entity, stop);
        await EntityStore.AuditAsync(db, id, who, what, subject, null, null, stop);
    }

    /// <summary>Checks all seals; for administrators of everything.</summary>
    public async Task<Outcome<IReadOnlyList<SealsOf>>> VerifyAsync(Actor actor, CancellationToken stop)
    {
        if (!actor.MayEverywhere(Role.Administrator))
            return No<IReadOnlyList<SealsOf>>();
        await using var db = await desk.Database.OpenAsync(stop);
        await using var one = await db.BeginTransactionAsync(System.Data.IsolationLevel.RepeatableRead, stop);
        var all = new List<SealsOf>();
        foreach (var (id, code) in await AuditStore.ChainsAsync(db, stop))
            all.Add(
                new(
                    code,
                    id == 0 ? null : await EntrySeal.VerifyAsync(db, id, stop),
                    await AuditStore.VerifyAsync(db, id, stop)
                )
            );
        return all;
    }

    private static AuditAsked? Narrowed(Actor actor, string? entity, AuditAsked asked)
    {
        var may = MayRead(actor);
        if (may is { Count: 0 } || entity is not null && may?.Contains(entity) == false)
            return null;
        return asked with { Entities = entity is null ? may : [entity] };
    }

    private static Outcome<T> No<T>() =>
        Outcome<T>.No(
            Refusal.Forbidden,
            "role-needed",
            "This needs the role reviewer in the entity, or administrator for all of them."
        );
}
