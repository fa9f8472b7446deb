using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.Landing;
using Assignum.Core.SetUps;
using Assignum.Desk.SetUps;

namespace Assignum.Desk.Posting;

/// <summary>What a kind of event does, shown on an example.</summary>
/// <param name="Example">The example; null where the entity lacks a record for it.</param>
/// <param name="Lacks">What it lacks, in words.</param>
/// <param name="Live">The policies as they are, those that have a row.</param>
/// <param name="Idle">Purposes that the policies tried leave idle, with the policy that does it.</param>
/// <param name="Becoming">Purposes that are needed under the policies tried and idle under the live ones, and the other
/// way round.</param>
public sealed record Pattern(
    BusinessEvent? Example,
    string? Lacks,
    EntryResult? Result,
    int? Edition,
    IReadOnlyDictionary<string, string> Live,
    IReadOnlyDictionary<Purpose, string> Idle,
    IReadOnlyList<Purpose> NowNeeded,
    IReadOnlyList<Purpose> NowIdle,
    IReadOnlyList<Purpose> Touched
);

/// <summary>Makes the example of a kind and its entry, under policies that may differ from those in force.</summary>
public sealed class ShowPattern(DeskContext desk)
{
    /// <summary>Shows a kind in the draft where one is open, else in the newest edition.</summary>
    /// <param name="tried">Policies to try, by name; others stay as they are.</param>
    public async Task<Outcome<Pattern>> RunAsync(
        Visit visit,
        EventKind kind,
        IReadOnlyDictionary<string, string> tried,
        CancellationToken stop
    )
    {
        var (actor, state) = visit;
        var set = await new ViewSetUp(desk).OfAsync(state, "draft", null, stop);
        if (set.Result is not { } view)
            return set.Pass<Pattern>();
        var live = view.SetUp.SetUp.Policies.ToDictionary(p => p.Policy, p => p.Value, StringComparer.Ordinal);
        var policies = live.Where(p => !tried.ContainsKey(p.Key))
            .Concat(tried)
            .Select(p => new PolicyRow(p.Key, p.Value))
            .ToList();
        var setUp = tried.Count == 0 ? view.SetUp : view.SetUp.Under(policies);
        var (idle, idleNow) = (Reach.Idle(setUp), Reach.Idle(view.SetUp));

        var (example, lacks) = Examples.Of(kind, setUp, state.Today);
        EntryResult? result = null;
        if (example is not null)
        {
            OtherEntities others;
            await using (var db = await desk.Database.OpenAsync(stop))
                others = await OtherEntities.FindAsync(db, actor, [example], stop);
            await others.LoadAsync(desk, stop);
            result = new EntryBuilder(setUp, others.On, new ExampleDocuments(setUp)).Build(example);
        }
        var touched = (result?.Entry?.Lines.Select(l => l.Purpose).OfType<Purpose>() ?? []).Distinct().ToList();
        return new Pattern(
            example,
            lacks,
            result,
            view.Edition,
            live,
            idle,
            [.. idleNow.Keys.Where(p => !idle.ContainsKey(p))],
            [.. idle.Keys.Where(p => !idleNow.ContainsKey(p))],
            touched
        );
    }
}
