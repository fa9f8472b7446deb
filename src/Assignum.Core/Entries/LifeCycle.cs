using Assignum.Core.Chart;

namespace Assignum.Core.Entries;

/// <summary>A line of a T-account: what one document of a life cycle did to it.</summary>
/// <param name="Step">Which document, from 1.</param>
/// <param name="Balance">Debit minus credit after it.</param>
public sealed record TLine(int Step, decimal Debit, decimal Credit, decimal Balance);

/// <summary>An account as documents in order leave it.</summary>
public sealed record TAccount(string Number, Account? Account, IReadOnlyList<TLine> Lines)
{
    public decimal Debits => Lines.Sum(l => l.Debit);
    public decimal Credits => Lines.Sum(l => l.Credit);

    /// <summary>Debit minus credit at the end.</summary>
    public decimal Balance => Debits - Credits;

    /// <summary>A control account between two documents (received not invoiced, clearing, work in progress …), which a whole life cycle leaves at zero.</summary>
    public bool Between => Account?.Control is Control.Receipts or Control.Clearing or Control.Production or Control.Projects or Control.Receivables or Control.Payables or Control.Deposits;
}

/// <summary>Several entries in order as T-accounts with running balances.</summary>
public static class LifeCycle
{
    /// <summary>One T-account for each account touched, in order of number. A document without an entry is null and keeps its step.</summary>
    public static IReadOnlyList<TAccount> Of(IEnumerable<JournalEntry?> entries)
    {
        var accounts = new SortedDictionary<string, (Account? Account, List<TLine> Lines)>(StringComparer.Ordinal);
        var step = 0;
        foreach (var entry in entries)
        {
            step++;
            foreach (var line in entry?.Lines ?? [])
            {
                if (!accounts.TryGetValue(line.Account, out var known)) accounts[line.Account] = known = (line.AccountRecord, []);
                known.Lines.Add(new TLine(step, line.Debit, line.Credit, (known.Lines.Count > 0 ? known.Lines[^1].Balance : 0) + line.Signed));
            }
        }
        return [.. accounts.Select(a => new TAccount(a.Key, a.Value.Account, a.Value.Lines))];
    }
}
