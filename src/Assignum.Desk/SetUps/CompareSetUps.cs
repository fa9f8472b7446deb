using Assignum.Core;
using Assignum.Core.Chart;
using Assignum.Core.Editions;
using Assignum.Core.Entries;
using Assignum.Core.SetUps;
using Assignum.Desk.Access;
using Assignum.Desk.Posting;
using Assignum.Formats.Json;
using Assignum.Storage;

namespace Assignum.Desk.SetUps;

/// <summary>What recent events would do elsewhere.</summary>
/// <param name="Looked">How many events were looked at, the newest.</param>
/// <param name="Faults">Why the edits cannot be made at all; then nothing was compared.</param>
public sealed record Foreseen(int Looked, IReadOnlyList<Consequence> Events, IReadOnlyList<MovedInAll> InAll, IReadOnlyList<Fault> Faults);

/// <summary>The difference of two editions, in words and in what recent events would do.</summary>
public sealed class CompareSetUps(DeskContext desk, ViewSetUp view)
{
    /// <summary>Events that consequences are worked out for.</summary>
    public const int MostEvents = 1000;

    /// <summary>What the newest events would do elsewhere under one edition than under another.</summary>
    public async Task<Outcome<Foreseen>> ConsequencesAsync(Actor actor, EntityState state, string? before, string after, CancellationToken stop)
    {
        var (old, now) = (await view.OfAsync(state, before, null, stop), await view.OfAsync(state, after, null, stop));
        if (old.Result is null) return old.Pass<Foreseen>();
        return now.Result is null ? now.Pass<Foreseen>() : await ForeseeAsync(actor, state, old.Result.SetUp, now.Result.SetUp, stop);
    }

    /// <summary>What the newest events would do elsewhere if edits were made; nothing is changed by looking.</summary>
    /// <param name="make">The edits, worked out from the draft as it is; see <see cref="EditSetUp.MakeAsync"/>.</param>
    public async Task<Outcome<Foreseen>> OfEditsAsync(Actor actor, EntityState state, Func<SetUp, List<Fault>, IReadOnlyList<RowChange>> make, CancellationToken stop)
    {
        var current = await view.OfAsync(state, "draft", null, stop);
        if (current.Result is not { } view0) return current.Pass<Foreseen>();
        var faults = new List<Fault>();
        var edits = make(view0.SetUp.SetUp, faults);
        if (faults.Count > 0) return new Foreseen(0, [], [], faults);
        var plan = SetUpEdit.Plan(view0.SetUp.SetUp, edits, (_, _) => false);
        if (plan.Faults.Count > 0) return new Foreseen(0, [], [], [.. plan.Faults.Select(f => new Fault(f.Code, f.Message, f.Column))]);
        if (plan.Changes.Count == 0) return new Foreseen(0, [], [], []);
        // An account under another number is the same account: nothing lands elsewhere for that.
        var numbers = Renumbering.In(plan.Changes);
        return await ForeseeAsync(actor, state, numbers.Count == 0 ? view0.SetUp : new CompiledSetUp(Renumbering.Carry(view0.SetUp.SetUp, numbers)), new CompiledSetUp(plan.Next), stop);
    }

    private async Task<Foreseen> ForeseeAsync(Actor actor, EntityState state, CompiledSetUp before, CompiledSetUp after, CancellationToken stop)
    {
        await using var db = await desk.Database.OpenAsync(stop);
        var events = (await JournalStore.NewestEventsAsync(db, state.Id, MostEvents, stop)).Select(EventReader.Parse).Where(r => r.Faults.Count == 0).Select(r => r.Event).ToList();
        var documents = await PostingDocuments.ForAsync(db, state.Id, events, stop);
        var others = await OtherEntities.LoadAsync(desk, db, actor, events, stop);
        var (old, now) = (new EntryBuilder(before, others.On, documents), new EntryBuilder(after, others.On, documents));
        var found = Consequences.Of(events, old.Build, now.Build);
        return new Foreseen(events.Count, found, Consequences.InAll(found), []);
    }
}
