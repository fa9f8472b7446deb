using Assignum.Core.Chart;

namespace Assignum.Core.Statements;

/// <summary>Shows customers in credit among what is owed, and suppliers in debit among what is owned, instead of set off
/// within their control accounts.</summary>
public static class Grossed
{
    private const string Mark = " ±";

    /// <summary>The accounts and balances with what stands on the other side taken apart.</summary>
    /// <param name="other">By account, what its parties have on the side on which it does not grow; debit less
    /// credit.</param>
    public static (IReadOnlyList<Account> Accounts, IReadOnlyDictionary<string, decimal> Balances) Of(
        IReadOnlyList<Account> accounts,
        IReadOnlyDictionary<string, decimal> balances,
        IReadOnlyDictionary<string, decimal> other
    )
    {
        var all = accounts.ToList();
        var amounts = new Dictionary<string, decimal>(balances, StringComparer.Ordinal);
        foreach (var (number, amount) in other)
        {
            if (amount == 0 || accounts.FirstOrDefault(a => a.Number == number) is not { } account)
                continue;
            amounts[number] = amounts.GetValueOrDefault(number) - amount;
            amounts[number + Mark] = amount;
            all.Add(
                new Account(
                    number + Mark,
                    account.Name + (amount < 0 ? ", in credit" : ", in debit"),
                    amount < 0 ? AccountClass.Liability : AccountClass.Asset,
                    AccountKind.Posting
                )
            );
        }
        return (all, amounts);
    }

    /// <summary>The account's own number of a line that stands apart.</summary>
    public static string NumberOf(string account) => account.Split(' ', 2)[0];
}

/// <summary>What the accounts of one report code come to.</summary>
/// <param name="Code">Null: accounts without one.</param>
/// <param name="Amount">Debit less credit, base currency.</param>
public sealed record ReportCodeLine(string? Code, decimal Amount, decimal? Against, IReadOnlyList<string> Accounts);

/// <summary>Adds balances up by the codes of a report system.</summary>
public static class ReportCodes
{
    /// <summary>The systems that accounts name codes of.</summary>
    public static IReadOnlyList<string> Systems(IReadOnlyList<Account> accounts) =>
        [
            .. accounts
                .SelectMany(a => Account.Pairs(a.ReportCodes).Select(p => p.Name))
                .Distinct()
                .Order(StringComparer.Ordinal),
        ];

    /// <summary>A line a code, those without a code last.</summary>
    public static IReadOnlyList<ReportCodeLine> Of(
        IReadOnlyList<Account> accounts,
        string system,
        IReadOnlyDictionary<string, decimal> balances,
        IReadOnlyDictionary<string, decimal>? against
    ) =>
        [
            .. accounts
                .Where(a => a.Kind == AccountKind.Posting)
                .Select(a =>
                    (
                        Account: a.Number,
                        Code: Account.Pairs(a.ReportCodes).FirstOrDefault(p => p.Name == system).Value,
                        Amount: balances.GetValueOrDefault(a.Number),
                        Against: against?.GetValueOrDefault(a.Number)
                    )
                )
                .Where(a => a.Amount != 0 || a.Against is not null and not 0 || a.Code is not null)
                .GroupBy(a => a.Code)
                .OrderBy(g => g.Key is null ? 1 : 0)
                .ThenBy(g => g.Key, StringComparer.Ordinal)
                .Select(g => new ReportCodeLine(
                    g.Key,
                    g.Sum(a => a.Amount),
                    against is null ? null : g.Sum(a => a.Against ?? 0),
                    [.. g.Select(a => a.Account)]
                )),
        ];
}
