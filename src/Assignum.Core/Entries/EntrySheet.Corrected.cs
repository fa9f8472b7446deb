using Assignum.Core.Events;
using Assignum.Core.Landing;
using Assignum.Core.Tax;

namespace Assignum.Core.Entries;

public sealed partial class EntrySheet
{
    private CorrectedDocument? corrected;

    // What lines of this event have taken already, unsigned.
    private readonly Dictionary<
        (string Document, string Account, string Currency, string? Party, string? Item, string? Order),
        (decimal Amount, decimal Base, decimal Quantity)
    > used = [];

    /// <summary>Notes what a line takes of a part that is open, so that the next line does not take it again.</summary>
    internal void Use(OpenLot lot, decimal amount, decimal worth, decimal quantity)
    {
        var key = (lot.Document, lot.Account, lot.Currency, lot.Party, lot.Item, lot.Order);
        var (a, b, q) = used.GetValueOrDefault(key);
        used[key] = (a + amount, b + worth, q + quantity);
    }

    /// <summary>What is open of a part after what lines of this event have taken.</summary>
    internal OpenLot NotUsed(OpenLot lot)
    {
        if (!used.TryGetValue((lot.Document, lot.Account, lot.Currency, lot.Party, lot.Item, lot.Order), out var taken))
            return lot;
        static decimal Less(decimal open, decimal part) => open - Math.Sign(open) * Math.Min(Math.Abs(open), part);
        return lot with
        {
            Open = Less(lot.Open, taken.Amount),
            OpenBase = Less(lot.OpenBase, taken.Base),
            Quantity = Less(lot.Quantity, taken.Quantity),
        };
    }

    /// <summary>The day whose tax rates count: of a correction that of what it corrects.</summary>
    public DateOnly RatesOn => corrected?.TaxDate ?? TaxDate;

    // A correction takes the rate and the tax codes of what it corrects, so that nothing but the tax date moves.
    private void FindCorrected()
    {
        if (Event.Corrects is not { } reference || kind.Corrects == Correcting.Nothing)
            return;
        var found = Documents.Corrected(Event.Party, reference);
        if (found is null)
        {
            Warn(
                "document-unknown",
                $"{EventPlace.InWords("corrects")}: nothing of {Event.Party ?? "this channel"} is known as {reference}; "
                    + "this document stands for itself."
            );
            return;
        }
        if (found.Currency != Currency && kind.Corrects == Correcting.All)
        {
            Fail(
                "document-currency",
                $"{EventPlace.InWords("corrects")}: {reference} is in {found.Currency} and this document in {Currency}: "
                    + "a correction is in the currency of what it corrects.",
                "currency"
            );
            return;
        }
        corrected = found;
        if (IsForeign && kind.Corrects == Correcting.All)
            Rate = found.Rate;
    }

    // By the item, charges apart; else the only code of the document.
    private string? CorrectedCode(TaxDirection direction, LegContext context)
    {
        if (corrected is null)
            return null;
        var charge = context.Line >= Event.Lines.Count;
        if (charge ? corrected.CodeOf.TryGetValue("", out var code) : Of(context.Item, out code))
            return Fits(code) ? code : null;
        return corrected.Codes.Count == 1 && Fits(corrected.Codes.First()) ? corrected.Codes.First() : null;

        bool Of(string? item, out string? code)
        {
            code = null;
            return item is not null && corrected.CodeOf.TryGetValue(item, out code);
        }
        bool Fits(string? code) => code is not null && SetUp.Taxes.Code(code)?.Direction == direction;
    }

    /// <summary>Stands the total of a document on its party's account; of a correction as far as what it corrects is
    /// open on that document, where it stands.</summary>
    /// <param name="debit">Whether the total is a debit of a document that is not turned round.</param>
    internal void Owe(Purpose purpose, bool debit, decimal total, LegContext context)
    {
        if (
            corrected is not null
            && kind.Corrects == Correcting.All
            && Documents.Find(purpose.Control, Event.Party!, Event.Corrects!) is { } document
            && document.Currency == Currency
        )
        {
            var of =
                Math.Sign(total) != Math.Sign(document.Open) ? 0
                : Math.Abs(total) > Math.Abs(document.Open) ? document.Open
                : total;
            if (of != total)
                Warn(
                    "settles-too-much",
                    $"{EventPlace.InWords("corrects")}: {Event.Corrects} has {document.Open} open; this corrects {total}. "
                        + "What is beyond stands on account.",
                    document.Account,
                    purpose
                );
            if (of != 0)
            {
                var worth = of == document.Open ? document.OpenBase : RoundBase(of * document.Rate);
                var amount = IsForeign ? new LegAmount(worth, of) : new LegAmount(worth, worth);
                Put(
                    amount,
                    context with
                    {
                        Reference = Event.Corrects,
                        Written = null,
                    },
                    document.Rate,
                    document.Stands
                );
                var gained = worth - Amount(of).Base;
                Exchange(debit ? gained : -gained, Document);
            }
            total -= of;
        }
        Put(Amount(total), context, null, null);

        void Put(LegAmount amount, LegContext at, decimal? rate, PostedOn? bound)
        {
            if (debit)
                Debit(purpose, amount, at, rate: rate, bound: bound);
            else
                Credit(purpose, amount, at, rate: rate, bound: bound);
        }
    }
}
