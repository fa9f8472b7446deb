using Assignum.Core.Checks;
using Assignum.Core.Tables;
using Assignum.Desk.Access;
using Assignum.Desk.SetUps;
using Assignum.Storage;

namespace Assignum.Desk.Checks;

/// <summary>What waits for whoever looks.</summary>
/// <param name="Says">In words.</param>
/// <param name="Place">Where: a page of the entity, with its query.</param>
public sealed record Waiting(string Says, string Place, DateOnly? Day, string? Note);

/// <summary>An entity at a glance.</summary>
/// <param name="Next">The one thing to do next; null: nothing.</param>
/// <param name="Changes">The newest, those undone left out.</param>
public sealed record Overview(
    FindingsView Found,
    IReadOnlyList<Stage> Stages,
    NextAction? Next,
    IReadOnlyList<ChangeHead> Changes,
    IReadOnlyList<Waiting> Waits
);

/// <summary>Reads what an entity's first page tells.</summary>
public sealed class ReadOverview(DeskContext desk, ReadFindings findings, ReadChanges changes, KeepDrafts drafts)
{
    private const int Newest = 8;

    /// <summary>All of it.</summary>
    public async Task<Overview> RunAsync(Visit visit, CancellationToken stop)
    {
        var (actor, state) = visit;
        var found = (await findings.RunAsync(visit, "draft", stop)).Result!;
        long posted;
        await using (var db = await desk.Database.OpenAsync(stop))
            posted = await FindingStore.NewestAsync(db, state.Id, stop);
        var open = found.Open.Select(f => f.Finding).ToList();
        var stages = Core.Checks.Stages.All(found.SetUp, open, state.Latest is not null, posted);
        var newest = (await changes.RunAsync(actor, state.Code, Newest, stop)).Result ?? [];
        var waits = new List<Waiting>();
        if (
            state.MainDraft is not null
            && actor.May(Role.Reviewer, state.Code)
            && await drafts.NeedsOtherEyesAsync(visit, stop) is false
            && newest.Any(c => c.DraftOpen && c.Who != actor.Name)
        )
            waits.Add(new Waiting("The draft can be reviewed: others than you changed it.", "editions", null, null));
        waits.AddRange(
            found
                .Open.Concat(found.Accepted)
                .Where(f => f.Given?.To == actor.Name)
                .Select(f => new Waiting(
                    f.Finding.Message,
                    $"findings?finding={Uri.EscapeDataString(f.Finding.Identity)}",
                    f.Given!.Day,
                    f.Given.Note
                ))
                .OrderBy(w => w.Day ?? DateOnly.MaxValue)
        );
        return new Overview(found, stages, Core.Checks.Stages.Next(stages, open), newest, waits);
    }
}
