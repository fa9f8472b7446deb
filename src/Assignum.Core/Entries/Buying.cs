using Assignum.Core.Events;
using Assignum.Core.Landing;
using Assignum.Core.Tax;

namespace Assignum.Core.Entries;

/// <summary>The pattern of supplier documents: what the invoice and the credit note have in common.</summary>
internal static class Buying
{
    /// <summary>Input tax is on what is bought, whatever account it comes to.</summary>
    public static TaxDirection? Taxed(Purpose purpose) =>
        purpose == Purposes.Stock
        || purpose == Purposes.NonStockCost
        || purpose == Purposes.ReceivedNotInvoiced
        || purpose == Purposes.ProjectWip
        || purpose == Purposes.ProjectCost
            ? TaxDirection.Input
            : null;

    /// <summary>What a line's net is debited to.</summary>
    private enum Way
    {
        Receipt,
        StockAtAverage,
        StockAtStandard,
        Cost,
    }

    private sealed record Bought(
        SheetLine? Line,
        LegContext Context,
        Way Way,
        Purpose Main,
        decimal Discount,
        TaxableLine? Tax,
        decimal Amount
    )
    {
        public decimal Net => Tax?.Net ?? Amount;
        public decimal Kept => Tax?.NonDeductible ?? 0;

        /// <summary>The receipts that it settles.</summary>
        public IReadOnlyList<LotPart> Parts { get; init; } = [];
    }

    public static void Write(EntrySheet sheet)
    {
        var bought = sheet.Lines.Select(l => Line(sheet, l)).ToList();
        for (var i = 0; i < sheet.Event.Charges.Count; i++)
            bought.Add(Charge(sheet, i));
        var calculation = sheet.TaxCalculation(sheet.Event.PricesIncludeTax);
        var totals = calculation.Run([.. bought.Where(b => b.Tax is not null).Select(b => b.Tax!)]);
        foreach (var line in bought)
            Bear(sheet, line, calculation);
        var charged = sheet.InputTax(totals);
        var payables = PayablesContext(sheet, bought);
        sheet.Owe(Purposes.Payables, false, bought.Sum(b => b.Net) + charged, payables);
        Applying.Deposits(sheet, Purposes.SupplierDeposits, false, Purposes.Payables, payables, applied =>
        {
            var rate = sheet.Event.DepositRate ?? sheet.Rate;
            sheet.Credit(Purposes.SupplierDeposits, sheet.AmountAt(applied, rate), sheet.Document, rate: rate);
            return sheet.AmountAt(applied, rate).Base;
        });
    }

    /// <summary>A purchase that is no stock: on the project where there is one, else simply cost.</summary>
    public static Purpose CostPurpose(SheetLine line) =>
        line.Project is null ? Purposes.NonStockCost
        : line.AsBilled ? Purposes.ProjectCost
        : Purposes.ProjectWip;

    private static Bought Line(EntrySheet sheet, SheetLine line)
    {
        var (_, discount, net) = sheet.Price(line);
        var policies = sheet.Policies;
        var parts = Receipts(sheet, line);
        var way =
            parts is not null ? Way.Receipt
            : line.IsStock && policies.Perpetual
                ? line.AtStandard ? Way.StockAtStandard
                    : Way.StockAtAverage
            : Way.Cost;
        var main = way switch
        {
            Way.Receipt => Purposes.ReceivedNotInvoiced,
            Way.Cost => CostPurpose(line),
            _ => Purposes.Stock,
        };
        var decided = sheet.DecideTax(
            TaxDirection.Input,
            line.Source.TaxCode ?? sheet.Event.TaxCode,
            line.Item?.Item.TaxCategory,
            main,
            line.Context,
            line.Path
        );
        // What settles a receipt is capital where its cost would have landed on a capital account.
        var cost =
            way == Way.Receipt
                ? line.IsStock
                    ? Purposes.Stock
                    : CostPurpose(line)
                : main;
        return new Bought(
            line,
            line.Context,
            way,
            main,
            discount,
            decided is null ? null : new TaxableLine(decided.Value, net, sheet.OnCapital(cost, line.Context)),
            net
        )
        {
            Parts = parts ?? [],
        };
    }

    private static Bought Charge(EntrySheet sheet, int number)
    {
        var charge = sheet.Event.Charges[number];
        var context = sheet.ChargeContext(charge, number);
        var project =
            charge.Item is null && sheet.Event.Project is null ? null
            : sheet.Event.Project is { } code ? sheet.SetUp.Project(code)
            : null;
        var main =
            project is null ? Purposes.NonStockCost
            : project.Recognise == Records.Recognise.AsBilled ? Purposes.ProjectCost
            : Purposes.ProjectWip;
        var decided = sheet.DecideTax(
            TaxDirection.Input,
            charge.TaxCode ?? sheet.Event.TaxCode,
            sheet.CategoryOf(charge),
            main,
            context,
            $"charges[{number}]"
        );
        return new Bought(
            null,
            context,
            Way.Cost,
            main,
            0,
            decided is null ? null : new TaxableLine(decided.Value, charge.Amount, sheet.OnCapital(main, context)),
            charge.Amount
        );
    }

    private static void Bear(EntrySheet sheet, Bought line, TaxCalculation calculation)
    {
        var code = line.Tax?.Decided.Code;
        var plain = line.Context with { Written = null };
        switch (line.Way)
        {
            case Way.Receipt:
                Settle(sheet, line, code);
                break;
            case Way.StockAtAverage:
                Stock(sheet, line, line.Line!.Quantity, line.Net + line.Kept, code);
                break;
            case Way.StockAtStandard:
                AtStandard(sheet, line, line.Line!.Quantity, line.Net, line.Kept, code);
                break;
            default:
                var discount = sheet.Policies.SeparateDiscounts && line.Main != Purposes.ProjectWip ? line.Discount : 0;
                if (discount != 0 && line.Tax is { } tax && calculation.TaxIncluded && !tax.Decided.Code.ReverseCharge)
                    discount -= calculation.Included(discount, tax.Decided.Rate);
                sheet.Debit(line.Main, sheet.Amount(line.Net + discount + line.Kept), line.Context, code);
                sheet.Credit(Purposes.PurchaseDiscount, sheet.Amount(discount), plain, code);
                break;
        }
    }

    // Goods come to stock; where their receipt brought the quantity already, their value alone does.
    private static void Stock(EntrySheet sheet, Bought line, decimal quantity, decimal amount, TaxCode? code)
    {
        var moved = Came(sheet, line.Line!) ? 0 : quantity;
        sheet.Debit(Purposes.Stock, sheet.Amount(amount), line.Context with { Quantity = moved }, code);
    }

    private static void AtStandard(
        EntrySheet sheet,
        Bought line,
        decimal quantity,
        decimal net,
        decimal kept,
        TaxCode? code
    )
    {
        if (sheet.StandardCost(line.Line!, quantity) is not { } standard)
            return;
        var moved = Came(sheet, line.Line!) ? 0 : quantity;
        var amount = sheet.Amount(net);
        // Value alone is variance whole: what stands in stock at standard is a matter of its quantity.
        if (quantity == 0)
            sheet.Debit(
                Purposes.PurchaseVariance,
                amount + sheet.Amount(kept),
                line.Context with
                {
                    Written = null,
                },
                code
            );
        else
        {
            sheet.Debit(Purposes.Stock, amount with { Base = standard }, line.Context with { Quantity = moved }, code);
            sheet.Debit(
                Purposes.PurchaseVariance,
                sheet.BaseAmount(amount.Base - standard) + sheet.Amount(kept),
                line.Context with
                {
                    Written = null,
                }
            );
        }
    }

    // Where no receipt is accrued, what names its receipt or order brings value to goods that came before.
    private static bool Came(EntrySheet sheet, SheetLine line) =>
        !sheet.Policies.ReceiptAccrual && (line.Source.Receipt ?? line.Context.Order) is not null;

    /// <summary>
    /// The receipts that a line settles: those it names, by receipt or by order and item; with its cost alone the party's
    /// oldest of the item. What they have no quantity for comes last, without one: with a cost it waits under the invoice,
    /// else it is bought direct. Null: it settles none.
    /// </summary>
    private static List<LotPart>? Receipts(EntrySheet sheet, SheetLine line)
    {
        if (sheet.Policies is not { Perpetual: true, ReceiptAccrual: true })
            return null;
        var (receipt, order) = (line.Source.Receipt, line.Context.Order);
        var given = line.Source.ReceiptCost;
        var lots = sheet.Documents.Lots(Purposes.ReceivedNotInvoiced, sheet.Event.Party!, line.Source.Item ?? "");
        if (receipt is null && order is null && given is null)
        {
            Twice(sheet, line, lots);
            return null;
        }
        var named = receipt is not null || order is not null;
        var open = Lots.Open(
            sheet,
            lots.Where(l => receipt is not null ? l.Document == receipt : order is null || l.Order == order),
            !sheet.Swapped,
            l => line.ValueAlone ? l.OpenBase : l.Quantity
        );
        if (open.Count == 0)
        {
            if (named && receipt is not null && sheet.Documents != NoDocuments.Instance)
                sheet.Warn(
                    "receipt-unknown",
                    $"{line.Path}: nothing of {line.Source.Item ?? "this line"} is known to wait from receipt {receipt}; "
                        + (given is null ? "it is bought direct." : "its cost waits under this document."),
                    null,
                    Purposes.ReceivedNotInvoiced,
                    line.Number
                );
            return given is null ? null : [new LotPart(null, line.Quantity, given.Value, 0)];
        }
        if (line.ValueAlone)
        {
            // Value alone relieves the receipt that it names of as much, in the receipt's own currency.
            var (lot, net) = (open[0], sheet.Price(line).Net);
            if (lot.Currency != sheet.Currency)
                net = sheet.RoundIn(lot.Currency, net * sheet.Rate / lot.Rate);
            var amount = Math.Min(net, Math.Abs(lot.Open));
            var worth = amount == Math.Abs(lot.Open) ? Math.Abs(lot.OpenBase) : sheet.RoundBase(amount * lot.Rate);
            sheet.Use(lot, amount, worth, 0);
            return [new LotPart(lot, 0, amount, worth, amount)];
        }
        var parts = Lots.ByQuantity(sheet, open, line.Quantity);
        if (given is null)
            return parts;
        Remark(sheet, line, parts, given.Value);
        // The cost that the line gives is what is cleared, at the rate it gives, else at that of each receipt.
        var shares = Lots.Split(given.Value, parts, sheet.Round);
        return
        [
            .. parts.Select(
                (p, i) =>
                    p.Lot is null
                        ? p with
                        {
                            Amount = shares[i],
                        }
                        : p with
                        {
                            Amount = shares[i],
                            Base =
                                named && shares[i] == Math.Abs(p.Lot.Open) && p.Lot.Currency == sheet.Currency
                                    ? Math.Abs(p.Lot.OpenBase)
                                    : sheet.RoundBase(shares[i] * RateOf(sheet, line, p.Lot, named)),
                        }
            ),
        ];
    }

    // A named receipt stands at its own rate; otherwise the line says the rate, or it is the document's.
    private static decimal RateOf(EntrySheet sheet, SheetLine line, OpenLot? lot, bool named) =>
        line.Source.ReceiptRate ?? (named && lot is not null && lot.Currency == sheet.Currency ? lot.Rate : sheet.Rate);

    // Goods that came and wait for their invoice come a second time where their invoice does not say that it is theirs.
    private static void Twice(EntrySheet sheet, SheetLine line, IReadOnlyList<OpenLot> lots)
    {
        if (sheet.Swapped || !line.IsStock || line.Quantity <= 0 || lots.Count == 0)
            return;
        var open = Lots.Open(sheet, lots, true, l => l.Quantity);
        if (open.Count == 0)
            return;
        sheet.Warn(
            "goods-twice",
            $"{EventPlace.InWords($"{line.Path}.receipt")} is empty, and {line.Source.Item} of {sheet.Event.Party} was "
                + "received and waits for its invoice: "
                + string.Join(
                    ", ",
                    open.Take(5).Select(l => $"{l.Document} ({-l.Quantity:0.######} for {-l.OpenBase:0.00})")
                )
                + (open.Count > 5 ? $" and {open.Count - 5} more" : "")
                + ". Without it the goods stand in stock twice.",
            null,
            Purposes.Stock,
            line.Number
        );
    }

    // A cost that is not the receipt's leaves a rest on it that nothing will ever clear.
    private static void Remark(EntrySheet sheet, SheetLine line, List<LotPart> parts, decimal given)
    {
        var known = parts.Where(p => p.Lot?.Currency == sheet.Currency).ToList();
        if (known.Count != parts.Count || known.Sum(p => p.Amount) is var sum && sum == given)
            return;
        sheet.Warn(
            "receipt-cost",
            $"{line.Path}: receiptCost is {given}, and what was received as "
                + $"{string.Join(", ", known.Select(p => p.Lot!.Document).Distinct())} stands at {sum} for as much.",
            null,
            Purposes.ReceivedNotInvoiced,
            line.Number
        );
    }

    // What came is cleared at the rate it came in; what the invoice says beside it, and tax not reclaimed, is variance
    // or, as far as it is still on hand, stock (irrecoverable tax is a cost of purchase: IAS 2.11).
    private static void Settle(EntrySheet sheet, Bought line, TaxCode? code)
    {
        var given = line.Line!.Source.ReceiptCost is not null;
        var nets = Lots.Split(line.Net, [.. line.Parts], sheet.Round);
        var keeps = Lots.Split(line.Kept, [.. line.Parts], sheet.Round);
        var bound = line.Line.Source.Receipt is not null || line.Context.Order is not null;
        var (net, kept, amount, cleared) = (0m, 0m, 0m, 0m);
        for (var i = 0; i < line.Parts.Count; i++)
        {
            var part = line.Parts[i];
            if (part.Lot is null && !given)
            {
                Direct(sheet, line, part.Quantity, nets[i], keeps[i], code);
                continue;
            }
            net += nets[i];
            kept += keeps[i];
            var rate = RateOf(sheet, line.Line, part.Lot, bound);
            var leg =
                part.Lot is null ? sheet.AmountAt(part.Amount, rate)
                : part.Lot.Currency != sheet.Currency && sheet.IsForeign ? sheet.BaseAmount(part.Base)
                : sheet.IsForeign ? new LegAmount(part.Base, part.Amount)
                : new LegAmount(part.Base, part.Base);
            amount += leg.Foreign ?? 0;
            cleared += leg.Base;
            sheet.Debit(
                Purposes.ReceivedNotInvoiced,
                leg,
                part.Lot is null
                    ? line.Context with
                    {
                        Quantity = part.Quantity,
                    }
                    : line.Context with
                    {
                        Quantity = part.Quantity,
                        Reference = part.Lot.Document,
                        Order = part.Lot.Order ?? line.Context.Order,
                        Settled = part.Settled(sheet.Currency),
                    },
                code,
                rate,
                bound: bound ? part.Lot?.Stands : null
            );
        }
        var plain = line.Context with { Written = null };
        var rest = net + kept - amount;
        var held = line.Line is { IsStock: true, AtStandard: false }
            ? sheet.Round(rest * (line.Line.Source.HeldShare ?? 0))
            : 0;
        sheet.Debit(Purposes.Stock, sheet.Amount(held), plain);
        sheet.Debit(
            Purposes.PurchaseVariance,
            sheet.Amount(rest - held) + sheet.BaseAmount(sheet.Amount(amount).Base - cleared),
            plain
        );
    }

    // What is more than was received comes now.
    private static void Direct(
        EntrySheet sheet,
        Bought line,
        decimal quantity,
        decimal net,
        decimal kept,
        TaxCode? code
    )
    {
        if (!line.Line!.IsStock)
            sheet.Debit(CostPurpose(line.Line), sheet.Amount(net + kept), line.Context, code);
        else if (line.Line.AtStandard)
            AtStandard(sheet, line, quantity, net, kept, code);
        else
            Stock(sheet, line, quantity, net + kept, code);
    }

    // Payables has an item group only where the whole document shares one.
    private static LegContext PayablesContext(EntrySheet sheet, List<Bought> bought)
    {
        var values = sheet.Document.Values;
        var group = bought.Count == 0 ? 0 : bought[0].Context.Values[Dimension.ItemGroup];
        values[Dimension.ItemGroup] = bought.TrueForAll(b => b.Context.Values[Dimension.ItemGroup] == group)
            ? group
            : 0;
        return sheet.Document with { Values = values, Written = sheet.Number(sheet.Event.PayablesAccount) };
    }
}
