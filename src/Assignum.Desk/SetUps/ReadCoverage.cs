using Assignum.Core.Coverage;
using Assignum.Core.Ledger;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Storage;

namespace Assignum.Desk.SetUps;

/// <summary>Coverage of a purpose beside what was posted.</summary>
/// <param name="Volume">Of the last period, by rung: lines and amounts.</param>
public sealed record CoveredPurpose(PurposeCoverage Coverage, IReadOnlyList<RungVolume> Volume);

/// <summary>Coverage of an entity's draft.</summary>
/// <param name="Period">The months whose volume is shown; null where nothing was posted.</param>
public sealed record CoverageView(
    CompiledSetUp SetUp,
    IReadOnlyList<CoveredPurpose> Purposes,
    (DateOnly From, DateOnly To)? Period
);

/// <summary>Reads coverage, and what rungs decided in the last period.</summary>
public sealed class ReadCoverage(DeskContext desk, ViewSetUp view)
{
    /// <summary>Coverage of an edition, with the volume of the last period.</summary>
    public async Task<Outcome<CoverageView>> RunAsync(Visit visit, string? edition, CancellationToken stop)
    {
        var state = visit.State;
        var set = await view.OfAsync(state, edition, null, stop);
        if (set.Result is not { SetUp: var compiled })
            return set.Pass<CoverageView>();
        var (period, volume) = await VolumeAsync(visit, stop);
        var byPurpose = volume.ToLookup(v => v.Purpose, StringComparer.Ordinal);
        return new CoverageView(
            compiled,
            [.. PurposeCoverage.Of(compiled).Select(c => new CoveredPurpose(c, [.. byPurpose[c.Purpose.Name]]))],
            period
        );
    }

    /// <summary>What rungs decided in the newest months in which anything was posted.</summary>
    public async Task<((DateOnly From, DateOnly To)? Period, IReadOnlyList<RungVolume> Volume)> VolumeAsync(
        Visit visit,
        CancellationToken stop
    )
    {
        var state = visit.State;
        await using var db = await desk.Database.OpenAsync(stop);
        var period = await VolumeStore.LastPeriodAsync(db, state.Id, stop);
        return (
            period,
            period is null ? [] : await VolumeStore.ByRungAsync(db, state.Id, period.Value.From, period.Value.To, stop)
        );
    }

    /// <summary>The edits that take dead assignments away, all that may go together.</summary>
    public static IReadOnlyList<RowChange> Removal(SetUp now, IEnumerable<DeadAssignment> dead) =>
        [
            .. dead.Where(d => d.Removable)
                .Select(d => Parts.CellsOf(d.Assignment))
                .Select(r => SetUpEdit.Row(Parts.Assignments, r, null)),
        ];
}
