using Assignum.Core;
using Assignum.Core.Checks;
using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Core.Upkeep;
using Assignum.Desk.Access;

namespace Assignum.Desk.SetUps;

/// <summary>A new line of business as it would be.</summary>
/// <param name="Readiness">What an item of it needs, and what is missing.</param>
/// <param name="Documents">A purchase and a sale of it, rehearsed; nothing is posted.</param>
/// <param name="Faults">Why it cannot be; then nothing else is there.</param>
public sealed record LinePreview(
    ImportPlan Plan,
    Readiness? Readiness,
    IReadOnlyList<(BusinessEvent Event, EntryResult Result)> Documents,
    IReadOnlyList<Fault> Faults
);

/// <summary>Opens a new line of business: looked at first, then made as one change that is undone as one.</summary>
public sealed class OpenLine(ViewSetUp view, EditSetUp edit)
{
    /// <summary>What it would be; nothing is changed.</summary>
    public async Task<Outcome<LinePreview>> LookAsync(Visit visit, NewLineWish wish, CancellationToken stop)
    {
        var state = visit.State;
        var current = await view.OfAsync(state, "draft", null, stop);
        if (current.Result is not { SetUp: var compiled })
            return current.Pass<LinePreview>();
        var faults = new List<Fault>();
        var edits = Edits(compiled.SetUp, wish, faults);
        var plan = SetUpEdit.Plan(compiled.SetUp, edits, (_, _) => false);
        if (faults.Count == 0)
            faults.AddRange(plan.Faults.Select(f => new Fault(f.Code, f.Message, f.Column)));
        if (faults.Count > 0)
            return new LinePreview(plan, null, [], faults);
        var (planned, item) = NewLine.Specimen(plan.Next, wish);
        var next = new CompiledSetUp(planned, compiled);
        var documents = NewLine.PurchaseAndSale(next, item, state.Today);
        var builder = new EntryBuilder(next);
        return new LinePreview(plan, Readiness.Of(next, item), [.. documents.Select(d => (d, builder.Build(d)))], []);
    }

    /// <summary>Makes it.</summary>
    public Task<Outcome<EditResult>> RunAsync(
        Actor actor,
        string entity,
        NewLineWish wish,
        string? reason,
        CancellationToken stop
    ) =>
        edit.MakeAsync(
            actor,
            entity,
            $"new line of business {wish.Code}",
            reason,
            (now, faults) => Edits(now, wish, faults),
            stop
        );

    private static IReadOnlyList<RowChange> Edits(SetUp now, NewLineWish wish, List<Fault> faults)
    {
        var edits = NewLine.Edits(now, wish, faults);
        faults.AddRange(UnfitEdits.Refused(now, edits).Select(r => new Fault("unfit", r.Message, "accounts")));
        return faults.Count > 0 ? [] : edits;
    }
}
