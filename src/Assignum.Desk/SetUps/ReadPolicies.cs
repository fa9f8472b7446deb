using Assignum.Core.Editions;
using Assignum.Core.Landing;
using Assignum.Core.SetUps;
using Assignum.Storage;

namespace Assignum.Desk.SetUps;

/// <summary>A policy as it is in the draft, with what it leaves idle and what its other values would.</summary>
/// <param name="Value">What it is set to, or as it is shipped.</param>
/// <param name="Row">What its row says; null: it has none.</param>
/// <param name="Live">What it is in the edition in force; null: nothing is in force.</param>
/// <param name="Idle">Purposes that no event can reach because of it.</param>
/// <param name="Others">For each other value, the purposes that would become needed, and idle.</param>
/// <param name="Between">The purposes whose accounts hold what another value would leave behind.</param>
public sealed record PolicyState(
    PolicyWords Words,
    string Value,
    string? Row,
    string? Live,
    IReadOnlyList<Purpose> Idle,
    IReadOnlyList<(string Value, IReadOnlyList<Purpose> Needed, IReadOnlyList<Purpose> Idle)> Others,
    IReadOnlyList<Purpose> Between
);

/// <summary>Reads all policies at once.</summary>
public sealed class ReadPolicies(DeskContext desk, ViewSetUp view)
{
    /// <summary>The policies of what is worked in.</summary>
    public async Task<Outcome<IReadOnlyList<PolicyState>>> RunAsync(Visit visit, CancellationToken stop)
    {
        var set = await view.OfAsync(visit, "draft", null, stop);
        if (set.Result is not { SetUp: var setUp })
            return set.Pass<IReadOnlyList<PolicyState>>();
        var inForce = visit.State.InForce(visit.State.Today)?.Number is { } number
            ? (
                await view.OfAsync(
                    visit,
                    number.ToString(System.Globalization.CultureInfo.InvariantCulture),
                    null,
                    stop
                )
            )
                .Result
                ?.SetUp
            : null;
        var rows = setUp.SetUp.Policies;
        var idle = Reach.Idle(setUp);
        var registered = setUp.Entity.TaxRegistered;
        var states = new List<PolicyState>();
        foreach (var words in PolicyWords.All)
        {
            var known = Policies.Known[words.Code];
            var row = rows.FirstOrDefault(p => p.Policy == words.Code)?.Value;
            var shipped = known.Count > 0 ? known[0] : "";
            var value = row ?? shipped;
            var others = new List<(string, IReadOnlyList<Purpose>, IReadOnlyList<Purpose>)>();
            var between = new HashSet<Purpose>();
            foreach (var other in known.Where(v => v != value))
            {
                var tried = Policies.From([
                    .. rows.Where(p => p.Policy != words.Code),
                    new PolicyRow(words.Code, other),
                ]);
                var then = Reach.Idle(tried, registered);
                others.Add(
                    (
                        other,
                        [.. Purposes.All.Where(p => idle.ContainsKey(p) && !then.ContainsKey(p))],
                        [.. Purposes.All.Where(p => then.ContainsKey(p) && !idle.ContainsKey(p))]
                    )
                );
                between.UnionWith(Between.Moves(setUp.Policies, tried).SelectMany(m => m.Between));
            }
            states.Add(
                new PolicyState(
                    words,
                    value,
                    row,
                    inForce is null
                        ? null
                        : inForce.SetUp.Policies.FirstOrDefault(p => p.Policy == words.Code)?.Value ?? shipped,
                    [.. Purposes.All.Where(p => idle.GetValueOrDefault(p) == $"{words.Code} {value}")],
                    others,
                    [.. Purposes.All.Where(between.Contains)]
                )
            );
        }
        return states;
    }

    /// <summary>What stands on the accounts of purposes between two steps of a document's life, as of today.</summary>
    public async Task<IReadOnlyList<(string Purpose, string Account, decimal Amount)>> HeldAsync(
        Visit visit,
        IEnumerable<Purpose> purposes,
        CancellationToken stop
    )
    {
        await using var db = await desk.Database.OpenAsync(stop);
        var held = await ReviewStore.HeldAsync(
            db,
            visit.State.Id,
            [.. purposes.Select(p => p.Name)],
            visit.State.Today.AddDays(1),
            stop
        );
        return
        [
            .. held.GroupBy(h => (h.Purpose, h.Account))
                .Select(g => (g.Key.Purpose, g.Key.Account, g.Sum(h => h.Amount)))
                .Where(g => g.Item3 != 0),
        ];
    }
}
