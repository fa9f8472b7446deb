using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Core.SetUps;

namespace Assignum.Core.Tables;

/// <summary>Assignments in edits that would land on an account which does not suit their purpose.</summary>
public static class UnfitEdits
{
    /// <summary>Why assignments that people write cannot be, by the edit that writes them: accounts that the purpose's
    /// guards would refuse on every event.</summary>
    /// <remarks>Files may bring such accounts in: they become findings. Whoever writes one by hand is told at
    /// once.</remarks>
    public static IEnumerable<(int Edit, string Message)> Refused(SetUp setUp, IReadOnlyList<RowChange> edits)
    {
        Dictionary<string, Account>? accounts = null;
        for (var i = 0; i < edits.Count; i++)
        {
            if (
                edits[i].Part != Parts.Assignments
                || edits[i].After is not { } after
                || after[0] is null
                || after[1] is null
                || Purposes.Find(after[0]!) is not { } purpose
            )
                continue;
            if (edits[i].Before is { } before && before[0] == after[0] && before[1] == after[1])
                continue;
            accounts ??= setUp
                .Accounts.Concat(
                    edits
                        .Where(e => e.Part == Parts.Accounts && e is { Before: null, After: not null })
                        .SelectMany(e =>
                            Parts.Accounts.With(new SetUp { Entity = setUp.Entity }, [(0, e.Key, e.After)], []).Accounts
                        )
                )
                .GroupBy(a => a.Number)
                .ToDictionary(g => g.Key, g => g.First(), StringComparer.Ordinal);
            var byDefault = after.Skip(2).SkipLast(1).All(c => c is null);
            if (
                accounts.TryGetValue(after[1]!, out var account)
                && Fitness.Of(account, purpose, byDefault) is { Severity: Severity.Error } unfit
            )
                yield return (i, unfit.Message);
        }
    }
}
