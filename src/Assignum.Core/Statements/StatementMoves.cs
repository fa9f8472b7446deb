using Assignum.Core.Chart;
using Assignum.Core.SetUps;

namespace Assignum.Core.Statements;

/// <summary>What stands on an account and moves to another part of the statements because its class changes.</summary>
/// <param name="Balance">Debit less credit in base currency.</param>
public sealed record StatementMove(string Account, string Name, AccountClass From, AccountClass To, decimal Balance);

/// <summary>What another class of accounts does to the statements: nothing is posted, and sums move between their
/// parts.</summary>
public static class StatementMoves
{
    /// <summary>The accounts whose class differs, those with the largest balance first; ones without a balance are left
    /// out.</summary>
    /// <param name="balances">Debit less credit by the account's number.</param>
    public static IReadOnlyList<StatementMove> Of(
        SetUp before,
        SetUp after,
        IReadOnlyDictionary<string, decimal> balances
    )
    {
        if (ReferenceEquals(before.Accounts, after.Accounts))
            return [];
        var was = before.Accounts.ToDictionary(a => a.Number, a => a.Class, StringComparer.Ordinal);
        return
        [
            .. after
                .Accounts.Where(a =>
                    was.TryGetValue(a.Number, out var old)
                    && old != a.Class
                    && balances.GetValueOrDefault(a.Number) != 0
                )
                .Select(a => new StatementMove(a.Number, a.Name, was[a.Number], a.Class, balances[a.Number]))
                .OrderByDescending(m => Math.Abs(m.Balance))
                .ThenBy(m => m.Account, StringComparer.Ordinal),
        ];
    }
}
