using Assignum.Core.Chart;
using Assignum.Core.Landing;

namespace Assignum.Core.Entries;

/// <summary>The settling half of a payment, the same for customers and suppliers.</summary>
internal static class Paying
{
    /// <summary>
    /// Credits (customers) or debits (suppliers) each settled document on the account and at the rate it was booked on;
    /// what is left is on account at the event's rate; the exchange difference is one leg.
    /// </summary>
    /// <param name="total">Amount, discount, write-off and fee that go against the party's account; signed.</param>
    public static void Settle(EntrySheet sheet, Control subledger, decimal total)
    {
        var customer = subledger == Control.Receivables;
        var purpose = customer ? Purposes.Receivables : Purposes.Payables;
        var exchange = 0m;
        var left = total;
        for (var i = 0; i < sheet.Event.Settles.Count; i++)
        {
            var settled = sheet.Event.Settles[i];
            var document = sheet.Documents.Find(subledger, sheet.Event.Party!, settled.Reference);
            if (document is not null && Math.Abs(settled.Amount) > Math.Abs(document.Open))
                sheet.Warn("settles-too-much", $"settles[{i}]: {settled.Reference} has {document.Open} open; {settled.Amount} is settled.", document.Account, purpose);
            var rate = settled.Rate ?? document?.Rate ?? sheet.Rate;
            var amount = sheet.AmountAt(settled.Amount, rate);
            Book(sheet, customer, purpose, amount, sheet.Document with { Reference = settled.Reference }, rate, sheet.Number(settled.Account) ?? document?.Account);
            exchange += sheet.Amount(settled.Amount).Base - amount.Base;
            left -= settled.Amount;
        }
        if (left != 0 && Math.Sign(left) != Math.Sign(total))
            sheet.Fail("over-allocated", $"The documents settled come to {total - left}, more than the {total} there is to allocate.", "settles", purpose);
        Book(sheet, customer, purpose, sheet.Amount(left), sheet.Document, sheet.Rate, null);
        sheet.Exchange(customer ? exchange : -exchange, sheet.Document);
    }

    private static void Book(EntrySheet sheet, bool customer, Landing.Purpose purpose, LegAmount amount, LegContext context, decimal rate, string? account)
    {
        if (customer) sheet.Credit(purpose, amount, context, rate: rate, account: account);
        else sheet.Debit(purpose, amount, context, rate: rate, account: account);
    }
}
