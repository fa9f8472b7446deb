using Assignum.Core.Chart;
using Assignum.Core.Events;
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
            if (Mismatch(sheet, settled, document, i))
                continue;
            var ofDocument = settled.DocumentAmount ?? settled.Amount;
            if (document is not null && Math.Abs(ofDocument) > Math.Abs(document.Open))
                sheet.Warn(
                    "settles-too-much",
                    $"{EventPlace.InWords($"settles[{i}]")}: {settled.Reference} has {document.Open} open; {ofDocument} is settled.",
                    document.Account,
                    purpose
                );
            var rate = settled.Rate ?? document?.Rate ?? sheet.Rate;
            // What a document is worth is said in its own currency at its own rate, whatever it is paid in.
            var foreign =
                settled.DocumentAmount is not null && document is not null && document.Currency != sheet.Currency;
            var amount = foreign
                ? new LegAmount(sheet.RoundBase(ofDocument * rate), settled.Amount)
                : sheet.AmountAt(settled.Amount, rate);
            var context = sheet.Document with
            {
                Reference = settled.Reference,
                Settled = foreign ? (document!.Currency, ofDocument) : null,
            };
            Book(sheet, customer, purpose, amount, context, rate, sheet.Number(settled.Account) ?? document?.Account);
            exchange += sheet.Amount(settled.Amount).Base - amount.Base;
            left -= settled.Amount;
        }
        if (left != 0 && Math.Sign(left) != Math.Sign(total))
            sheet.Fail(
                "over-allocated",
                $"The documents settled come to {total - left}, more than the {total} there is to allocate.",
                "settles",
                purpose
            );
        Book(sheet, customer, purpose, sheet.Amount(left), sheet.Document, sheet.Rate, null);
        sheet.Exchange(customer ? exchange : -exchange, sheet.Document);
    }

    // A rate is for one currency: a document in another is settled only by what is settled of it in its own.
    private static bool Mismatch(EntrySheet sheet, Events.Settlement settled, OpenDocument? document, int i)
    {
        if (document is null)
            return false;
        var path = $"settles[{i}].documentAmount";
        if (settled.DocumentAmount is not { } amount)
        {
            if (document.Currency == sheet.Currency)
                return false;
            sheet.Fail(
                "document-currency",
                $"{EventPlace.InWords($"settles[{i}]")}: {settled.Reference} is in {document.Currency} and this payment in {sheet.Currency}: "
                    + $"give the document amount, how much of it in {document.Currency} is settled.",
                path
            );
            return true;
        }
        var decimals = Money.Currencies.Decimals(document.Currency) ?? sheet.SetUp.BaseDecimals;
        var why =
            decimal.Round(amount, decimals) != amount ? $"is {amount}; {document.Currency} has {decimals} decimals"
            : document.Currency == sheet.Currency && amount != settled.Amount
                ? $"is {amount} and 'amount' {settled.Amount}: in one currency they are the same"
            : Math.Sign(amount) != Math.Sign(settled.Amount) ? "has another sign than 'amount'"
            : null;
        if (why is not null)
            sheet.Fail("document-amount", $"{EventPlace.InWords(path)} {why}.", path);
        return why is not null;
    }

    private static void Book(
        EntrySheet sheet,
        bool customer,
        Landing.Purpose purpose,
        LegAmount amount,
        LegContext context,
        decimal rate,
        string? account
    )
    {
        if (customer)
            sheet.Credit(purpose, amount, context, rate: rate, account: account);
        else
            sheet.Debit(purpose, amount, context, rate: rate, account: account);
    }
}
