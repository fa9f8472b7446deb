using System.Text.Json;
using Assignum.Core;
using Assignum.Core.Tables;
using Assignum.Desk.SetUps;
using Assignum.Formats.Bundles;

namespace Assignum.Desk.Work;

/// <summary>What a bundle would change, or changed, as it is kept with the work.</summary>
/// <param name="Change">The change made, by which it can be undone; null: nothing was different, or it was looked at
/// only.</param>
/// <param name="Faults">The first of what is wrong.</param>
public sealed record BundleDone(
    bool Applied,
    long? Change,
    IReadOnlyList<BundleDone.FileCount> Files,
    int Conflicts,
    int FaultCount,
    IReadOnlyList<Fault> Faults,
    IReadOnlyList<string> Notes
)
{
    public sealed record FileCount(string File, int Added, int Changed, int Removed, int Archived);

    internal static BundleDone Of(ImportResult result)
    {
        const int most = 200;
        return new BundleDone(
            result.Applied,
            result.Change,
            [
                .. result
                    .Plan.Changes.GroupBy(c => c.Part)
                    .Select(g => new FileCount(
                        g.Key.Name,
                        g.Count(c => c.Kind == ChangeKind.Added),
                        g.Count(c => c.Kind == ChangeKind.Changed),
                        g.Count(c => c.Kind == ChangeKind.Removed),
                        g.Count(c => c.Kind == ChangeKind.Archived)
                    )),
            ],
            result.Conflicts.Count,
            result.Plan.Faults.Count,
            [.. result.Plan.Faults.Take(most).Select(ImportBundle.Fault)],
            result.Plan.Notes
        );
    }
}

/// <summary>How a bundle is brought in by work.</summary>
/// <param name="Apply">Otherwise it is looked at only.</param>
/// <param name="Partial">Rows that a file lacks stay.</param>
/// <param name="Whole">Everything becomes as in the bundle.</param>
/// <param name="TakeBundle">Which side conflicts take; null: they are told.</param>
/// <param name="Expected">The state that it was asked for; null: whatever is there.</param>
public sealed record BundleOrder(
    bool Apply,
    bool Partial,
    bool Whole,
    bool? TakeBundle = null,
    string? Expected = null
);

/// <summary>Looks at a long bundle, or brings it in: whole or not at all, and once however often it is begun.</summary>
public sealed class BundleWork(ImportBundle import) : IWorkKind
{
    /// <summary>Its name.</summary>
    public const string Name = "bundle";

    /// <inheritdoc/>
    public string Kind => Name;

    /// <inheritdoc/>
    public async Task<Outcome<object>> RunAsync(WorkAtHand work, CancellationToken stop)
    {
        var order = work.Input.Deserialize<BundleOrder>()!;
        await work.ReportAsync(0, 3, "reading the file");
        var faults = new List<Fault>();
        var sheets = Bundle.FromFile(new MemoryStream(work.File ?? []), faults);
        await work.ReportAsync(1, 3, order.Apply ? "bringing it in" : "comparing it");
        var back = new BundleReturn(order.Whole, _ => order.TakeBundle, true);
        var outcome = await import.RunAsync(
            work.Actor,
            work.Entity,
            sheets,
            faults,
            order.Partial,
            order.Apply,
            order.Expected,
            stop,
            back,
            work.Subject,
            within: (db, result) => work.EndAsync(db, BundleDone.Of(result), stop)
        );
        if (outcome.Result is null)
            return outcome.Pass<object>();
        await work.ReportAsync(3, 3, "done");
        return outcome.Refused is { } why
            ? Outcome<object>.No(why, outcome.Faults)
            : new Outcome<object>(BundleDone.Of(outcome.Result), null, []);
    }
}
