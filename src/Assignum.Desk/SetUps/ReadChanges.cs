using Assignum.Core.Tables;
using Assignum.Desk.Access;
using Assignum.Storage;

namespace Assignum.Desk.SetUps;

/// <summary>Reads what was changed in the draft and the records.</summary>
public sealed class ReadChanges(DeskContext desk)
{
    /// <summary>The newest changes first; of the draft that is open only, where asked for.</summary>
    public async Task<Outcome<IReadOnlyList<ChangeHead>>> RunAsync(
        Actor actor,
        string entity,
        int limit,
        CancellationToken stop,
        bool ofDraft = false
    )
    {
        await using var db = await desk.Database.OpenAsync(stop);
        var entered = await desk.EnterAsync(db, actor, entity, Role.Viewer, false, stop);
        if (entered.Result is not { State: var state } visit)
            return entered.Pass<IReadOnlyList<ChangeHead>>();
        return new Outcome<IReadOnlyList<ChangeHead>>(
            await ChangeStore.ListAsync(db, state.Id, ofDraft ? state.Draft?.Id ?? -1 : null, limit, stop),
            null,
            []
        );
    }

    /// <summary>A page of changes, each with the parts whose rows it touched.</summary>
    public async Task<IReadOnlyList<(ChangeHead Head, IReadOnlyList<(string Part, int Rows)> Parts)>> PageAsync(
        Visit visit,
        ChangeQuery query,
        CancellationToken stop
    )
    {
        await using var db = await desk.Database.OpenAsync(stop);
        var heads = await ChangeStore.PageAsync(db, visit.State.Id, query, stop);
        var parts = await ChangeStore.PartsAsync(db, visit.State.Id, [.. heads.Select(h => h.Id)], stop);
        return [.. heads.Select(h => (h, (IReadOnlyList<(string, int)>)[.. parts[h.Id]]))];
    }

    /// <summary>The first rows of a change.</summary>
    public async Task<IReadOnlyList<RowChange>> RowsAsync(Visit visit, long change, int most, CancellationToken stop)
    {
        await using var db = await desk.Database.OpenAsync(stop);
        return await ChangeStore.RowsAsync(db, visit.State.Id, change, stop, most);
    }

    /// <summary>What was made of one row, the newest first.</summary>
    public async Task<IReadOnlyList<RowHistory>> OfRowAsync(
        Visit visit,
        Part part,
        string key,
        int limit,
        CancellationToken stop
    )
    {
        await using var db = await desk.Database.OpenAsync(stop);
        return await ChangeStore.OfRowAsync(db, visit.State.Id, part, key, limit, stop);
    }
}
