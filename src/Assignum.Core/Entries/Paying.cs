using Assignum.Core.Chart;
using Assignum.Core.Events;
using Assignum.Core.Landing;

namespace Assignum.Core.Entries;

/// <summary>Settling documents of customers and suppliers: each on the account and at the rate it was booked on.</summary>
internal static class Paying
{
    /// <summary>What was settled of documents.</summary>
    /// <param name="Taken">In the event's currency; what was beyond what is open is left out.</param>
    /// <param name="Exchange">What that is worth at the event's rate, less what it is booked out at; base currency.</param>
    public readonly record struct Settled(decimal Taken, decimal Exchange);

    /// <summary>
    /// Credits (customers) or debits (suppliers) each settled document; what is left is on account at the event's rate;
    /// the exchange difference is one leg.
    /// </summary>
    /// <param name="total">Amount, discount, write-off and fee that go against the party's account; signed.</param>
    public static void Settle(EntrySheet sheet, Control subledger, decimal total)
    {
        var settled = Settle(sheet, subledger, sheet.Event.Settles, "settles");
        var named = sheet.Event.Settles.Sum(s => s.Amount);
        if (total != named && Math.Sign(total - named) != Math.Sign(total))
            sheet.Fail(
                "over-allocated",
                $"The documents settled come to {named}, more than the {total} there is to allocate.",
                "settles",
                PurposeOf(subledger)
            );
        OnAccount(sheet, subledger, total - settled.Taken);
        sheet.Exchange(subledger == Control.Receivables ? settled.Exchange : -settled.Exchange, sheet.Document);
    }

    /// <summary>Books out what is settled of documents, up to what is open of each.</summary>
    /// <param name="list">The list's name, for messages.</param>
    public static Settled Settle(EntrySheet sheet, Control subledger, List<Settlement> settles, string list)
    {
        var (taken, exchange) = (0m, 0m);
        // What this event leaves of a document that it names twice.
        var left = new Dictionary<string, (decimal Open, decimal Base)>(StringComparer.Ordinal);
        for (var i = 0; i < settles.Count; i++)
        {
            var settled = settles[i];
            var document = sheet.Documents.Find(subledger, sheet.Event.Party!, settled.Reference);
            if (Mismatch(sheet, settled, document, list, i))
                continue;
            if (document is null)
            {
                sheet.Warn(
                    "document-unknown",
                    $"{EventPlace.InWords($"{list}[{i}]")}: nothing of {sheet.Event.Party} is known as "
                        + $"{settled.Reference}; the ladder decides.",
                    null,
                    PurposeOf(subledger)
                );
                var rate = settled.Rate ?? sheet.Rate;
                var amount = sheet.AmountAt(settled.Amount, rate);
                Book(
                    sheet,
                    subledger,
                    amount,
                    sheet.DocumentOf(subledger == Control.Payables) with
                    {
                        Reference = settled.Reference,
                    },
                    rate,
                    sheet.Number(settled.Account),
                    null
                );
                exchange += sheet.Amount(settled.Amount).Base - amount.Base;
                taken += settled.Amount;
                continue;
            }
            var (open, openBase) = left.GetValueOrDefault(settled.Reference, (document.Open, document.OpenBase));
            var (part, of, worth) = Within(sheet, settled, document, open, openBase);
            if (of != (settled.DocumentAmount ?? settled.Amount))
                sheet.Warn(
                    "settles-too-much",
                    $"{EventPlace.InWords($"{list}[{i}]")}: {settled.Reference} has {open} open; "
                        + $"{settled.DocumentAmount ?? settled.Amount} is settled. What is beyond stands on account.",
                    document.Account,
                    PurposeOf(subledger)
                );
            left[settled.Reference] = (open - of, openBase - worth);
            if (of == 0)
                continue;
            // What a document is worth is said in its own currency at its own rate, whatever it is paid in.
            var foreign = document.Currency != sheet.Currency;
            Book(
                sheet,
                subledger,
                sheet.IsForeign ? new LegAmount(worth, part) : new LegAmount(worth, worth),
                sheet.DocumentOf(subledger == Control.Payables) with
                {
                    Reference = settled.Reference,
                    Settled = foreign ? (document.Currency, of) : null,
                },
                settled.Rate ?? document.Rate,
                sheet.Number(settled.Account),
                document.Stands
            );
            exchange += sheet.Amount(part).Base - worth;
            taken += part;
        }
        return new Settled(taken, exchange);
    }

    /// <summary>Moves open items of a party without money: each on its account at its rate; what comes to nothing on one
    /// account at one rate has no line, and the subledger keeps it.</summary>
    public static void Allocate(EntrySheet sheet, Control subledger)
    {
        var purpose = PurposeOf(subledger);
        var parts = new List<(OpenDocument Document, string Reference, decimal Amount, decimal Worth)>();
        var left = new Dictionary<string, (decimal Open, decimal Base)>(StringComparer.Ordinal);
        var settles = sheet.Event.Settles;
        for (var i = 0; i < settles.Count; i++)
        {
            var (reference, amount) = (settles[i].Reference, settles[i].Amount);
            var place = EventPlace.InWords($"settles[{i}]");
            if (sheet.Documents.Find(subledger, sheet.Event.Party!, reference) is not { } document)
            {
                sheet.Fail(
                    "document-unknown",
                    $"{place}: nothing of {sheet.Event.Party} is known as {reference}: there is nothing to move.",
                    $"settles[{i}].reference",
                    purpose
                );
                continue;
            }
            if (document.Currency != sheet.Currency)
            {
                sheet.Fail(
                    "document-currency",
                    $"{place}: {reference} is in {document.Currency} and this allocation in {sheet.Currency}: allocate "
                        + "in the currency of the documents.",
                    $"settles[{i}].reference"
                );
                continue;
            }
            var (open, openBase) = left.GetValueOrDefault(reference, (document.Open, document.OpenBase));
            var (_, of, worth) = Within(sheet, new Settlement { Amount = amount }, document, open, openBase);
            if (of != amount)
                sheet.Fail(
                    "settles-too-much",
                    $"{place}: {reference} has {open} open, and {amount} is to be moved of it.",
                    $"settles[{i}].amount",
                    purpose,
                    document.Account
                );
            left[reference] = (open - of, openBase - worth);
            parts.Add((document, reference, of, worth));
        }
        if (settles.Sum(s => s.Amount) is not 0 and var sum)
            sheet.Fail("unequal", $"What is allocated comes to {sum}; it comes to zero.", "settles");
        if (sheet.Errors.Count > 0)
            return;
        foreach (var group in parts.GroupBy(p => (p.Document.Account, p.Document.Rate)))
        {
            var nothing = group.Sum(p => p.Amount) == 0 && group.Sum(p => p.Worth) == 0;
            foreach (var (document, reference, amount, worth) in group)
            {
                var context = sheet.DocumentOf(subledger == Control.Payables) with { Reference = reference };
                var of = sheet.IsForeign ? new LegAmount(worth, amount) : new LegAmount(worth, worth);
                if (!nothing)
                    Book(sheet, subledger, of, context, document.Rate, null, document.Stands);
                else
                    sheet.Quiet.Add(
                        new QuietLeg(
                            purpose,
                            context,
                            0,
                            subledger == Control.Receivables ? new LegAmount(-of.Base, -of.Foreign) : of,
                            document.Stands,
                            document.Rate
                        )
                    );
            }
        }
        var difference = parts.Sum(p => p.Worth);
        sheet.Exchange(subledger == Control.Receivables ? -difference : difference, sheet.Document);
    }

    /// <summary>What stands on account under the event's own reference.</summary>
    public static void OnAccount(EntrySheet sheet, Control subledger, decimal amount) =>
        Book(
            sheet,
            subledger,
            sheet.Amount(amount),
            sheet.DocumentOf(subledger == Control.Payables),
            sheet.Rate,
            null,
            null
        );

    // How much of a settlement is within what is open: in the event's currency, in the document's, and what that is
    // booked out at. What brings a document to nothing takes all the base amount that it has left.
    private static (decimal Part, decimal Of, decimal Worth) Within(
        EntrySheet sheet,
        Settlement settled,
        OpenDocument document,
        decimal open,
        decimal openBase
    )
    {
        var wanted = settled.DocumentAmount ?? settled.Amount;
        var of =
            Math.Sign(wanted) != Math.Sign(open) ? 0
            : Math.Abs(wanted) > Math.Abs(open) ? open
            : wanted;
        var part =
            of == wanted ? settled.Amount
            : document.Currency == sheet.Currency ? of
            : of == 0 ? 0
            : sheet.Round(settled.Amount * of / wanted);
        return (part, of, of == open ? openBase : sheet.RoundBase(of * (settled.Rate ?? document.Rate)));
    }

    // A rate is for one currency: a document in another is settled only by what is settled of it in its own.
    private static bool Mismatch(EntrySheet sheet, Settlement settled, OpenDocument? document, string list, int i)
    {
        if (document is null)
            return false;
        var path = $"{list}[{i}].documentAmount";
        if (settled.DocumentAmount is not { } amount)
        {
            if (document.Currency == sheet.Currency)
                return false;
            sheet.Fail(
                "document-currency",
                $"{EventPlace.InWords($"{list}[{i}]")}: {settled.Reference} is in {document.Currency} and this payment in {sheet.Currency}: "
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

    private static Purpose PurposeOf(Control subledger) =>
        subledger == Control.Receivables ? Purposes.Receivables : Purposes.Payables;

    private static void Book(
        EntrySheet sheet,
        Control subledger,
        LegAmount amount,
        LegContext context,
        decimal rate,
        string? written,
        PostedOn? document
    )
    {
        if (subledger == Control.Receivables)
            sheet.Credit(Purposes.Receivables, amount, context, rate: rate, account: written, bound: document);
        else
            sheet.Debit(Purposes.Payables, amount, context, rate: rate, account: written, bound: document);
    }
}
