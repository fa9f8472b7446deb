using Assignum.Core.Events;
using Assignum.Core.Landing;
using Assignum.Core.Tax;

namespace Assignum.Core.Entries;

/// <summary>Deposits and gift cards that an invoice uses: they leave where they stand, at the rate they came in.</summary>
internal static class Applying
{
    /// <summary>A deposit's part that is used.</summary>
    /// <param name="Lot">Null: no such deposit is known.</param>
    /// <param name="Amount">With the tax that it carries.</param>
    private readonly record struct Use(OpenLot? Lot, IReadOnlyList<OpenLot> Taxes, string? Reference, decimal Amount);

    /// <summary>Deposits of the event's party on a document of its own: what they were worth when they came, less what
    /// they are worth now, is what the exchange made of them.</summary>
    /// <param name="debit">Whether the deposits are debited: those of customers.</param>
    /// <param name="unknown">Stands an amount that no deposit of before is known for; gives its worth.</param>
    public static void Deposits(
        EntrySheet sheet,
        Purpose purpose,
        bool debit,
        Purpose owed,
        LegContext owedContext,
        Func<decimal, decimal> unknown
    )
    {
        if (sheet.Event.DepositApplied is not { } applied || applied == 0)
        {
            if (sheet.Event.Deposits.Count > 0)
                sheet.Fail("unequal", "Deposits are named, and 'depositApplied' is empty.", "depositApplied");
            return;
        }
        if (!debit)
            sheet.Debit(owed, sheet.Amount(applied), owedContext);
        var worth = 0m;
        foreach (var use in Uses(sheet, purpose, debit, applied))
            worth += use.Lot is null ? unknown(use.Amount) : Take(sheet, purpose, debit, use);
        if (debit)
            sheet.Credit(owed, sheet.Amount(applied), owedContext);
        var gained = worth - sheet.Amount(applied).Base;
        sheet.Exchange(debit ? gained : -gained, sheet.Document);
    }

    // Which deposits are used, and how much of each: those named, else the party's oldest in the event's currency.
    private static List<Use> Uses(EntrySheet sheet, Purpose purpose, bool debit, decimal applied)
    {
        var party = sheet.Event.Party!;
        var lots = Lots.Open(sheet, sheet.Documents.Lots(purpose, party, ""), debit, l => l.Open);
        var uses = new List<Use>();
        var named = sheet.Event.Deposits;
        if (named.Count > 0 && named.Sum(d => d.Amount) is var sum && sum != applied)
        {
            sheet.Fail(
                "unequal",
                $"The deposits named come to {sum}, and {applied} is applied: they are the same.",
                "deposits"
            );
            return uses;
        }
        if (named.Count == 0)
        {
            var rest = applied;
            foreach (var lot in lots.Where(l => l.Currency == sheet.Currency))
                if (rest > 0)
                    rest -= Part(lot, null, rest);
            if (rest != 0)
                Unknown(null, rest, -1);
            return uses;
        }
        for (var i = 0; i < named.Count; i++)
        {
            var (reference, rest) = (named[i].Reference, named[i].Amount);
            var of = lots.Where(l => l.Document == reference).ToList();
            if (of.FirstOrDefault(l => l.Currency != sheet.Currency) is { } other)
            {
                sheet.Fail(
                    "document-currency",
                    $"{EventPlace.InWords($"deposits[{i}]")}: {reference} is in {other.Currency} and this document in "
                        + $"{sheet.Currency}: deposits are used in their own currency.",
                    $"deposits[{i}].reference"
                );
                return uses;
            }
            foreach (var lot in of)
                if (rest > 0)
                    rest -= Part(lot, reference, rest);
            if (rest != 0)
                Unknown(reference, rest, i);
        }
        return uses;

        decimal Part(OpenLot lot, string? reference, decimal wanted)
        {
            // Of what is no deposit of its own (a credit note that gave one back) the tax is another matter.
            var carried = debit ? sheet.Documents.TaxOf(party, lot.Document) : [];
            var taxes =
                carried.Count == 0
                    ? []
                    : sheet
                        .Documents.Lots(Purposes.OutputTax, party, lot.Document)
                        .Where(t => t.Open != 0 && carried.Any(c => c.Code == t.Item))
                        .ToList();
            var open = Math.Abs(lot.Open) + taxes.Sum(t => Math.Abs(t.Open));
            // Of one that is named twice there is left what was not taken.
            open -= uses.Where(u => u.Lot?.Document == lot.Document && u.Lot.Account == lot.Account).Sum(u => u.Amount);
            var part = Math.Min(open, wanted);
            if (part > 0)
                uses.Add(new Use(lot, taxes, reference, part));
            return Math.Max(0, part);
        }

        void Unknown(string? reference, decimal amount, int at)
        {
            uses.Add(new Use(null, [], reference, amount));
            if (sheet.Documents == NoDocuments.Instance)
                return;
            sheet.Warn(
                "deposit-unknown",
                (at < 0 ? $"{EventPlace.InWords("depositApplied")}: " : $"{EventPlace.InWords($"deposits[{at}]")}: ")
                    + $"no open deposit of {party} is known for {amount} of it; the ladder decides.",
                null,
                purpose
            );
        }
    }

    // Takes a part of a deposit and of the tax that it carried; the last part takes all that is left of both.
    private static decimal Take(EntrySheet sheet, Purpose purpose, bool debit, Use use)
    {
        var lot = use.Lot!;
        var carried = debit ? sheet.Documents.TaxOf(sheet.Event.Party!, lot.Document) : [];
        var open = Math.Abs(lot.Open) + use.Taxes.Sum(t => Math.Abs(t.Open));
        var last = use.Amount == open;
        var (tax, worth) = (0m, 0m);
        foreach (var was in carried)
        {
            if (sheet.SetUp.Taxes.Code(was.Code) is not { } code)
                continue;
            var left = use.Taxes.FirstOrDefault(t => t.Item == was.Code);
            var part =
                left is null ? 0
                : last ? Math.Abs(left.Open)
                : sheet.Round(Math.Abs(left.Open) * use.Amount / open);
            if (left is not null && part != 0)
            {
                var of = last ? Math.Abs(left.OpenBase) : sheet.RoundBase(part * left.Rate);
                sheet.Debit(
                    Purposes.OutputTax,
                    Worth(sheet, part, of),
                    sheet.Document.ForTax(sheet.SetUp.Index, code.Code) with
                    {
                        Reference = lot.Document,
                    },
                    rate: left.Rate,
                    bound: left.Stands
                );
                worth += of;
            }
            tax += part;
            // Of several codes each has the part of the net that it had in the deposit.
            var net =
                carried.Sum(c => c.Base) is var all && all != 0 && carried.Count > 1
                    ? sheet.Round((use.Amount - part) * was.Base / all)
                    : use.Amount - part;
            sheet.RecordTax(
                new TaxPart(
                    new DecidedCode(code, was.Rate, TaxDecider.Document),
                    sheet.OnCapital(Purposes.CustomerDeposits, sheet.Document),
                    -net,
                    -part,
                    0
                ),
                lot.Rate
            );
        }
        var amount = use.Amount - tax;
        var own = last ? Math.Abs(lot.OpenBase) : sheet.RoundBase(amount * lot.Rate);
        var context = sheet.Document with { Reference = lot.Document };
        if (debit)
            sheet.Debit(purpose, Worth(sheet, amount, own), context, rate: lot.Rate, bound: lot.Stands);
        else
            sheet.Credit(purpose, Worth(sheet, amount, own), context, rate: lot.Rate, bound: lot.Stands);
        return worth + own;
    }

    /// <summary>Gift cards of a channel, the oldest first.</summary>
    public static void GiftCards(EntrySheet sheet, Purpose owed, LegContext owedContext)
    {
        if (sheet.Event.GiftCardApplied is not { } applied || applied == 0)
            return;
        var channel = sheet.Event.GiftCardChannel ?? sheet.Event.Channel;
        var context = sheet.Event.GiftCardChannel is { } sold
            ? sheet.Document.InChannel(sheet.SetUp.Index, sold)
            : sheet.Document;
        var lots = Lots.Open(
            sheet,
            sheet.Documents.Lots(Purposes.GiftCards, channel ?? "", "").Where(l => l.Currency == sheet.Currency),
            true,
            l => l.Open
        );
        var (rest, worth) = (applied, 0m);
        foreach (var lot in lots)
        {
            var open = Math.Abs(lot.Open);
            var part = Math.Min(open, rest);
            if (part <= 0)
                break;
            var of = part == open ? Math.Abs(lot.OpenBase) : sheet.RoundBase(part * lot.Rate);
            sheet.Debit(
                Purposes.GiftCards,
                Worth(sheet, part, of),
                context with
                {
                    Reference = lot.Document,
                },
                rate: lot.Rate,
                bound: lot.Stands
            );
            rest -= part;
            worth += of;
        }
        if (rest != 0)
        {
            var rate = sheet.Event.GiftCardRate ?? sheet.Rate;
            sheet.Debit(Purposes.GiftCards, sheet.AmountAt(rest, rate), context, rate: rate);
            worth += sheet.AmountAt(rest, rate).Base;
            if (sheet.Documents != NoDocuments.Instance)
                sheet.Warn(
                    "gift-card-unknown",
                    $"{EventPlace.InWords("giftCardApplied")}: no open gift card of "
                        + $"{channel ?? "no channel"} is known for {rest} of it; the ladder decides.",
                    null,
                    Purposes.GiftCards
                );
        }
        sheet.Credit(owed, sheet.Amount(applied), owedContext);
        sheet.Exchange(worth - sheet.Amount(applied).Base, sheet.Document);
    }

    private static LegAmount Worth(EntrySheet sheet, decimal amount, decimal worth) =>
        sheet.IsForeign ? new LegAmount(worth, amount) : new LegAmount(worth, worth);
}
