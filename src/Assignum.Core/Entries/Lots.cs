using Assignum.Core.Landing;

namespace Assignum.Core.Entries;

/// <summary>A part that is taken of something posted before, or that nothing of before stands for.</summary>
/// <param name="Lot">Null: nothing of before.</param>
/// <param name="Quantity">Units, unsigned by side; as the line gives them.</param>
/// <param name="Amount">In the currency of the lot, unsigned by side.</param>
/// <param name="Base">In base currency, unsigned by side.</param>
/// <param name="OfLot">What it is of the lot in the lot's currency, unsigned by side.</param>
internal readonly record struct LotPart(OpenLot? Lot, decimal Quantity, decimal Amount, decimal Base, decimal OfLot = 0)
{
    /// <summary>What a leg says that it takes of the lot where the lot is in another currency than the document; null: the
    /// leg's own amount says it.</summary>
    public (string Currency, decimal Amount)? Settled(string currency) =>
        Lot is null || Lot.Currency == currency ? null : (Lot.Currency, OfLot);
}

/// <summary>Takes what is open of deposits, gift cards, receipts and shipments, the oldest first.</summary>
internal static class Lots
{
    /// <summary>What is open with a side, the oldest first. What stands the other way round for itself is taken off the
    /// oldest on its account.</summary>
    /// <param name="credit">Whether it stands as a credit.</param>
    public static List<OpenLot> Open(
        EntrySheet sheet,
        IEnumerable<OpenLot> lots,
        bool credit,
        Func<OpenLot, decimal> measure
    )
    {
        var all = lots.Select(sheet.NotUsed).OrderBy(l => l.Age).ToList();
        var open = all.Where(l => Sign(l) > 0).ToList();
        foreach (var against in all.Where(l => Sign(l) < 0))
        {
            var left = against;
            for (var i = 0; i < open.Count && measure(left) != 0; i++)
            {
                if (open[i].Account != against.Account || open[i].Currency != against.Currency || measure(open[i]) == 0)
                    continue;
                // Each side gives of its own: what is taken whole leaves nothing to be rounded.
                var (there, rest) = (Math.Abs(measure(open[i])), Math.Abs(measure(left)));
                var part = Math.Min(there, rest);
                open[i] = Less(open[i], Share(sheet, open[i], part / there), part == there);
                left = Less(left, Share(sheet, left, part / rest), part == rest);
            }
        }
        return [.. open.Where(l => measure(l) != 0)];

        int Sign(OpenLot lot) => Math.Sign(measure(lot)) * (credit ? -1 : 1);
    }

    private static OpenLot Share(EntrySheet sheet, OpenLot lot, decimal share) =>
        lot with
        {
            Open = sheet.RoundIn(lot.Currency, lot.Open * share),
            OpenBase = sheet.RoundBase(lot.OpenBase * share),
            Quantity = decimal.Round(lot.Quantity * share, 6),
        };

    // What is left of a lot without a part of it; of one that is taken wholly, nothing.
    private static OpenLot Less(OpenLot lot, OpenLot part, bool wholly) =>
        lot with
        {
            Open = wholly ? 0 : lot.Open - part.Open,
            OpenBase = wholly ? 0 : lot.OpenBase - part.OpenBase,
            Quantity = wholly ? 0 : lot.Quantity - part.Quantity,
        };

    /// <summary>Takes a quantity of lots that stand by quantity; each brings its share of what is open of it, the one that
    /// is taken wholly all that it has.</summary>
    /// <returns>The parts; what is more than is open comes last, without a lot and worth nothing.</returns>
    public static List<LotPart> ByQuantity(EntrySheet sheet, List<OpenLot> open, decimal quantity)
    {
        var parts = new List<LotPart>();
        var rest = quantity;
        foreach (var lot in open)
        {
            if (rest == 0)
                break;
            var there = Math.Abs(lot.Quantity);
            var taken = Math.Min(there, rest);
            rest -= taken;
            var whole = taken == there;
            var amount = whole ? Math.Abs(lot.Open) : sheet.RoundIn(lot.Currency, Math.Abs(lot.Open) * taken / there);
            var worth =
                whole ? Math.Abs(lot.OpenBase)
                : lot.Open == 0 ? sheet.RoundBase(Math.Abs(lot.OpenBase) * taken / there)
                : sheet.RoundBase(amount * lot.Rate);
            sheet.Use(lot, amount, worth, taken);
            parts.Add(new LotPart(lot, taken, amount, worth, amount));
        }
        if (rest != 0)
            parts.Add(new LotPart(null, rest, 0, 0));
        return parts;
    }

    /// <summary>Splits an amount over parts by their quantity; the last takes the rest.</summary>
    public static decimal[] Split(decimal amount, List<LotPart> parts, Func<decimal, decimal> round)
    {
        var all = parts.Sum(p => p.Quantity);
        var shares = new decimal[parts.Count];
        var rest = amount;
        for (var i = 0; i < parts.Count; i++)
        {
            shares[i] = i == parts.Count - 1 || all == 0 ? rest : round(amount * parts[i].Quantity / all);
            rest -= shares[i];
        }
        return shares;
    }
}
