using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Core.SetUps;

namespace Assignum.Core.Tables;

/// <summary>Accounts in edits that do not suit what they are written for.</summary>
/// <remarks>Files may bring such rows in: weak set-ups import, and become findings. Whoever writes one by hand is told at
/// once, whatever page or call it is written by.</remarks>
public static class UnfitEdits
{
    /// <summary>Why rows that people write cannot be, by the edit that writes them: accounts that the purpose's guards
    /// would refuse on every event, and accounts that cannot relieve another.</summary>
    /// <returns>Number of the edit, from 0, the column, and why.</returns>
    public static IEnumerable<(int Edit, string Column, string Message)> Refused(
        SetUp setUp,
        IReadOnlyList<RowChange> edits
    )
    {
        var accounts = new Lazy<Dictionary<string, Account>>(() => Accounts(setUp, edits));
        for (var i = 0; i < edits.Count; i++)
        {
            if (edits[i].After is not { } after)
                continue;
            if (edits[i].Part == Parts.Assignments && Assigned(edits[i], after, accounts) is { } unfit)
                yield return (i, "account", unfit);
            if (edits[i].Part == Parts.ReliefAccounts && Relieves(edits[i], after, accounts) is { } why)
                yield return (i, "relief", why);
        }
    }

    private static string? Assigned(RowChange edit, string?[] after, Lazy<Dictionary<string, Account>> accounts)
    {
        if (after[0] is null || after[1] is null || Purposes.Find(after[0]!) is not { } purpose)
            return null;
        if (edit.Before is { } before && before[0] == after[0] && before[1] == after[1])
            return null;
        var byDefault = after.Skip(2).SkipLast(1).All(c => c is null);
        return
            accounts.Value.TryGetValue(after[1]!, out var account)
            && Fitness.Of(account, purpose, byDefault) is { Severity: Severity.Error } unfit
            ? unfit.Message
            : null;
    }

    private static string? Relieves(RowChange edit, string?[] after, Lazy<Dictionary<string, Account>> accounts)
    {
        if (edit.Before is { } before && before[0] == after[0] && before[1] == after[1])
            return null;
        if (
            after[0] is not { } number
            || after[1] is not { } relief
            || !accounts.Value.TryGetValue(number, out var own)
            || !accounts.Value.TryGetValue(relief, out var other)
        )
            return null;
        if (own.Control == Control.None)
            return $"{number} is no control account: only one of those has accounts that may be used instead.";
        if (other.Control != own.Control || number == relief)
            return $"{relief} is no other control account of {Words.Of(own.Control).Replace('-', ' ')}: choose one.";
        if (Fitness.Usable(relief, other) is { } unusable)
            return unusable.Message;
        return other.Tripwire ? $"{relief} is a tripwire: nothing should land there. Choose another." : null;
    }

    // As they are, with those that the edits bring.
    private static Dictionary<string, Account> Accounts(SetUp setUp, IReadOnlyList<RowChange> edits) =>
        setUp
            .Accounts.Concat(
                edits
                    .Where(e => e.Part == Parts.Accounts && e is { Before: null, After: not null })
                    .SelectMany(e =>
                        Parts.Accounts.With(new SetUp { Entity = setUp.Entity }, [(0, e.Key, e.After)], []).Accounts
                    )
            )
            .GroupBy(a => a.Number)
            .ToDictionary(g => g.Key, g => g.First(), StringComparer.Ordinal);
}
