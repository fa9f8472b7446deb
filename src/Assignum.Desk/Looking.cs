using Assignum.Core.Editions;
using Assignum.Core.Tables;
using Assignum.Desk.Access;
using Assignum.Storage;

namespace Assignum.Desk;

/// <summary>What pages ask beside their task: whose entities there are, how large drafts are, what waits, and files
/// kept between two looks.</summary>
public static class Looking
{
    /// <summary>The entities that somebody may see.</summary>
    public static async Task<IReadOnlyList<EntityRow>> EntitiesAsync(
        this DeskContext desk,
        Actor actor,
        CancellationToken stop
    )
    {
        await using var db = await desk.Database.OpenAsync(stop);
        return [.. (await EntityStore.ListAsync(db, stop)).Where(e => actor.May(Role.Viewer, e.Code))];
    }

    /// <summary>An entity as it stands, with the number of rows in which its draft differs.</summary>
    public static async Task<Outcome<(Visit Visit, int DraftSize)>> LookAsync(
        this DeskContext desk,
        Actor actor,
        string entity,
        CancellationToken stop
    )
    {
        await using var db = await desk.Database.OpenAsync(stop);
        var entered = await desk.EnterAsync(db, actor, entity, Role.Viewer, false, stop);
        if (entered.Result is not { State: var state } visit)
            return entered.Pass<(Visit, int)>();
        return (visit, state.Draft is { } draft ? await EditionStore.DraftSizeAsync(db, state.Id, draft.Id, stop) : 0);
    }

    /// <summary>Who approved the draft as it is, and how many rows each what-if changes.</summary>
    public static async Task<(
        IReadOnlyList<(string Who, DateTime At)> Approvals,
        IReadOnlyDictionary<int, int> Sizes
    )> DraftsAsync(this DeskContext desk, Visit visit, IEnumerable<EditionRow> whatIfs, CancellationToken stop)
    {
        var state = visit.State;
        await using var db = await desk.Database.OpenAsync(stop);
        var sizes = new Dictionary<int, int>();
        foreach (var whatIf in whatIfs)
            sizes[whatIf.Id] = await EditionStore.DraftSizeAsync(db, state.Id, whatIf.Id, stop);
        return (state.Draft is { } draft ? await EditionStore.ApprovalsAsync(db, state.Id, draft, stop) : [], sizes);
    }

    /// <summary>The cells of a part that wait with the draft for a group that only it has, by key and column.</summary>
    public static async Task<IReadOnlySet<(string Key, string Column)>> WaitingAsync(
        this DeskContext desk,
        Visit visit,
        Part part,
        CancellationToken stop
    )
    {
        var state = visit.State;
        if (state.Draft is not { } draft || state.LookedAt is not null)
            return new HashSet<(string, string)>();
        await using var db = await desk.Database.OpenAsync(stop);
        return (await MembershipStore.WaitingAsync(db, state.Id, draft.Id, stop))
            .Where(w => w.Part == part.Name)
            .Select(w => (w.Key, w.Column))
            .ToHashSet();
    }

    /// <summary>Keeps a file that somebody sent, for a day, until it is looked at again or brought in.</summary>
    public static async Task<Guid> KeepFileAsync(
        this DeskContext desk,
        Visit visit,
        string name,
        byte[] content,
        CancellationToken stop
    )
    {
        var (actor, state) = visit;
        await using var db = await desk.Database.OpenAsync(stop);
        return await UploadStore.KeepAsync(db, state.Id, name, content, actor.Name, stop);
    }

    /// <summary>The file that somebody sent here; null: it is not kept any more, or is somebody else's.</summary>
    public static async Task<(string Name, byte[] Content)?> FindFileAsync(
        this DeskContext desk,
        Visit visit,
        Guid id,
        CancellationToken stop
    )
    {
        var (actor, state) = visit;
        await using var db = await desk.Database.OpenAsync(stop);
        return await UploadStore.FindAsync(db, state.Id, id, actor.Name, stop);
    }

    /// <summary>Whether an event was posted or kept before.</summary>
    public static async Task<bool> KnowsAsync(
        this DeskContext desk,
        string entity,
        string source,
        string id,
        CancellationToken stop
    )
    {
        await using var db = await desk.Database.OpenAsync(stop);
        return await EditionStore.StateAsync(db, entity, false, stop) is { } state
            && (await JournalStore.KeptAsync(db, state.Id, [source], [id], stop)).Count > 0;
    }

    /// <summary>Whether the database answers.</summary>
    public static Task<bool> AnswersAsync(this DeskContext desk, CancellationToken stop) =>
        desk.Database.AnswersAsync(stop);
}
