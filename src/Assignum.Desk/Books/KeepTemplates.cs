using Assignum.Core.Books;
using Assignum.Desk.Access;
using Assignum.Storage;

namespace Assignum.Desk.Books;

/// <summary>Keeps the templates of entries that are written again and again.</summary>
public sealed class KeepTemplates(DeskContext desk)
{
    /// <summary>Those in use, or those that were deleted.</summary>
    public async Task<IReadOnlyList<EntryTemplate>> ListAsync(Visit visit, bool deleted, CancellationToken stop)
    {
        await using var db = await desk.Database.OpenAsync(stop);
        return await HandStore.TemplatesAsync(db, visit.State.Id, deleted, stop);
    }

    /// <summary>Keeps a template; it names the version that it was seen in, 0 where it is new.</summary>
    public Task<Outcome<EntryTemplate>> SaveAsync(Visit visit, EntryTemplate template, CancellationToken stop) =>
        KeepAsync(visit, template with { Name = template.Name.Trim() }, false, "template kept", stop);

    /// <summary>Deletes one; it can be brought back.</summary>
    public async Task<Outcome<EntryTemplate>> DeleteAsync(
        Visit visit,
        string name,
        int version,
        CancellationToken stop
    ) => await MarkAsync(visit, name, version, true, stop);

    /// <summary>Brings a deleted one back.</summary>
    public async Task<Outcome<EntryTemplate>> BringBackAsync(Visit visit, string name, CancellationToken stop) =>
        await MarkAsync(visit, name, null, false, stop);

    private async Task<Outcome<EntryTemplate>> MarkAsync(
        Visit visit,
        string name,
        int? version,
        bool deleted,
        CancellationToken stop
    )
    {
        var there = (await ListAsync(visit, !deleted, stop)).FirstOrDefault(t => t.Name == name);
        return there is null
            ? Outcome<EntryTemplate>.No(
                Refusal.NotFound,
                "unknown-template",
                $"There is no template {name}: somebody else may have deleted it.",
                "template"
            )
            : await KeepAsync(
                visit,
                there with
                {
                    Version = version ?? there.Version,
                },
                deleted,
                deleted ? "template deleted" : "template brought back",
                stop
            );
    }

    private async Task<Outcome<EntryTemplate>> KeepAsync(
        Visit visit,
        EntryTemplate template,
        bool deleted,
        string act,
        CancellationToken stop
    )
    {
        var (actor, state) = visit;
        if (DeskContext.Refused(actor, state.Code, Role.Preparer) is { } refused)
            return Outcome<EntryTemplate>.No(refused.Why, [refused.Fault]);
        if (!deleted && template.Faults() is { Count: > 0 } faults)
            return Outcome<EntryTemplate>.No(Refusal.Invalid, faults);
        await using var db = await desk.Database.OpenAsync(stop);
        await using var transaction = await db.BeginTransactionAsync(stop);
        var before = (await HandStore.TemplatesAsync(db, state.Id, false, stop)).FirstOrDefault(t =>
            t.Name == template.Name
        );
        if (!await HandStore.KeepTemplateAsync(db, state.Id, template, deleted, actor.Name, stop))
            return Outcome<EntryTemplate>.No(
                Refusal.Conflict,
                "changed-meanwhile",
                template.Version == 0
                    ? $"There is a template {template.Name} already: take it and change it, or give this one another "
                        + "name."
                    : $"Somebody changed the template {template.Name} meanwhile: nothing was overwritten. Look at it "
                        + "again.",
                "name"
            );
        await EntityStore.AuditAsync(
            db,
            state.Id,
            actor.Name,
            act,
            template.Name,
            before,
            deleted ? null : template,
            stop
        );
        await transaction.CommitAsync(stop);
        return template with { Version = template.Version + 1 };
    }
}
