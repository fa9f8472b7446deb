using Assignum.Core.Chart;
using Assignum.Core.Landing;
using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.Entries;

/// <summary>A line of a T-account: what one document of a life cycle did to it.</summary>
/// <param name="Step">Which document, from 1.</param>
/// <param name="Balance">Debit minus credit after it.</param>
public sealed record TLine(int Step, decimal Debit, decimal Credit, decimal Balance);

/// <summary>An account as documents in order leave it.</summary>
/// <param name="Between">
/// It stands between two documents: received or shipped and not invoiced, on its way, in progress, clearing, owed, paid
/// before. A whole life
/// cycle leaves it at zero.
/// </param>
public sealed record TAccount(string Number, Account? Account, IReadOnlyList<TLine> Lines, bool Between)
{
    public decimal Debits => Lines.Sum(l => l.Debit);
    public decimal Credits => Lines.Sum(l => l.Credit);

    /// <summary>Debit minus credit at the end.</summary>
    public decimal Balance => Debits - Credits;
}

/// <summary>Several entries in order as T-accounts with running balances.</summary>
public static class LifeCycle
{
    private static readonly HashSet<Purpose> BetweenDocuments =
    [
        Receivables,
        Payables,
        ReceivedNotInvoiced,
        ShippedNotInvoiced,
        StockInTransit,
        ProductionWip,
        ProjectWip,
        ProjectBillings,
        AccruedRevenue,
        Clearing,
        CustomerDeposits,
        SupplierDeposits,
    ];

    /// <summary>One T-account for each account touched, in order of number. A document without an entry is null and
    /// keeps its step.</summary>
    public static IReadOnlyList<TAccount> Of(IEnumerable<JournalEntry?> entries)
    {
        var accounts = new SortedDictionary<string, (Account? Account, List<TLine> Lines, HashSet<Purpose?> Purposes)>(
            StringComparer.Ordinal
        );
        var step = 0;
        foreach (var entry in entries)
        {
            step++;
            foreach (var line in entry?.Lines ?? [])
            {
                if (!accounts.TryGetValue(line.Account, out var known))
                    accounts[line.Account] = known = (line.AccountRecord, [], []);
                known.Lines.Add(
                    new TLine(
                        step,
                        line.Debit,
                        line.Credit,
                        (known.Lines.Count > 0 ? known.Lines[^1].Balance : 0) + line.Signed
                    )
                );
                known.Purposes.Add(line.Purpose);
            }
        }
        return
        [
            .. accounts.Select(a => new TAccount(
                a.Key,
                a.Value.Account,
                a.Value.Lines,
                IsBetween(a.Value.Account, a.Value.Purposes)
            )),
        ];
    }

    // By what it was posted for: an account that holds stock and what was shipped alike is no account between. Lines by
    // hand say nothing.
    private static bool IsBetween(Account? account, HashSet<Purpose?> purposes)
    {
        var said = purposes.OfType<Purpose>().ToList();
        return said.Count > 0
            ? said.TrueForAll(BetweenDocuments.Contains)
            : account?.Control
                is Control.Receipts
                    or Control.Clearing
                    or Control.Production
                    or Control.Projects
                    or Control.Receivables
                    or Control.Payables
                    or Control.Deposits;
    }
}
