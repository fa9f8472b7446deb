using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.Tax;

namespace Assignum.Core.Entries;

/// <summary>The pattern of sales documents: what the four selling kinds have in common.</summary>
/// <param name="Owed">Where the total is debited: receivables, or clearing in a channel.</param>
/// <param name="Revenue">Sales-revenue, or sales-returns on credit notes and refunds.</param>
internal sealed record Selling(Purpose Owed, LegContext OwedContext, Purpose Revenue)
{
    /// <summary>Fields that a line of what is sold takes.</summary>
    public static readonly IReadOnlyList<string> LineFields =
    [
        "item",
        "account",
        "quantity",
        "unitPrice",
        "discount",
        "discountPercent",
        "unitCost",
        "taxCode",
        "location",
        "project",
        "order",
        "shipment",
        "amount",
    ];

    private sealed record Priced(
        SheetLine? Line,
        LegContext Context,
        Purpose Main,
        decimal Gross,
        decimal Discount,
        TaxableLine? Tax
    )
    {
        public decimal Net { get; set; } = Gross - Discount;
    }

    public void Write(EntrySheet sheet)
    {
        var included = sheet.Event.PricesIncludeTax;
        var priced = sheet.Lines.Select(l => Line(sheet, l)).ToList();
        for (var i = 0; i < sheet.Event.Charges.Count; i++)
            priced.Add(Charge(sheet, i));
        var calculation = sheet.TaxCalculation(included);
        var totals = calculation.Run([.. priced.Where(p => p.Tax is not null).Select(p => p.Tax!)]);
        foreach (var line in priced)
            if (line.Tax is not null)
                line.Net = line.Tax.Net;

        var total = priced.Sum(p => p.Net) + totals.Sum(t => t.Tax);
        sheet.Owe(Owed, true, total, OwedContext);
        foreach (var line in priced)
            Earn(sheet, line, calculation);
        sheet.OutputTax(totals);
        if (sheet.Policies is { CostAtInvoice: true, Perpetual: true })
            foreach (var line in sheet.Lines)
                Cost(sheet, line);
        Applying.Deposits(sheet, Purposes.CustomerDeposits, true, Owed, OwedContext, a => Unknown(sheet, a));
        Applying.GiftCards(sheet, Owed, OwedContext);
    }

    private Priced Line(EntrySheet sheet, SheetLine line)
    {
        var (gross, discount, net) = sheet.Price(line);
        var giftCard = line.Item is { Item.Nature: ItemNature.GiftCard };
        var main =
            giftCard ? Purposes.GiftCards
            : line.Project is null ? Revenue
            : line.AsBilled ? Purposes.ProjectRevenue
            : Purposes.ProjectBillings;
        // A gift card is a multi-purpose voucher: tax is due when it is redeemed, never when it is sold.
        var decided = giftCard
            ? null
            : sheet.DecideTax(
                TaxDirection.Output,
                line.Source.TaxCode ?? sheet.Event.TaxCode,
                line.Item?.Item.TaxCategory,
                main,
                line.Context,
                line.Path
            );
        return new Priced(
            line,
            line.Context,
            main,
            gross,
            discount,
            decided is null ? null : new TaxableLine(decided.Value, net, sheet.OnCapital(main, line.Context))
        );
    }

    private static Priced Charge(EntrySheet sheet, int number)
    {
        var charge = sheet.Event.Charges[number];
        var context = sheet.ChargeContext(charge, number);
        var decided = sheet.DecideTax(
            TaxDirection.Output,
            charge.TaxCode ?? sheet.Event.TaxCode,
            sheet.CategoryOf(charge),
            Purposes.ShippingIncome,
            context,
            $"charges[{number}]"
        );
        return new Priced(
            null,
            context,
            Purposes.ShippingIncome,
            charge.Amount,
            0,
            decided is null
                ? null
                : new TaxableLine(decided.Value, charge.Amount, sheet.OnCapital(Purposes.ShippingIncome, context))
        );
    }

    private static void Earn(EntrySheet sheet, Priced line, TaxCalculation calculation)
    {
        var code = line.Tax?.Decided.Code;
        var giftCard = line.Main == Purposes.GiftCards;
        var apart = giftCard || sheet.Policies.SeparateDiscounts && line.Main != Purposes.ProjectBillings;
        if (!apart || line.Discount == 0)
        {
            sheet.Credit(line.Main, sheet.Amount(line.Net), line.Context, code);
            return;
        }
        var discount = line.Discount;
        // Where prices include tax, so does the discount.
        if (line.Tax is { } tax && calculation.TaxIncluded && !tax.Decided.Code.ReverseCharge)
            discount -= calculation.Included(discount, tax.Decided.Rate);
        sheet.Credit(line.Main, sheet.Amount(line.Net + discount), line.Context, code);
        sheet.Debit(Purposes.SalesDiscount, sheet.Amount(discount), line.Context with { Written = null }, code);
    }

    // What was parked when the goods left is released when they are invoiced, from where it stands.
    private void Cost(EntrySheet sheet, SheetLine line)
    {
        if (!line.IsStock)
            return;
        var plain = line.Context with { Written = null };
        var open = Shipped(sheet, line);
        if (open is not null && line.Quantity != 0)
        {
            var parts = Lots.ByQuantity(sheet, open, line.Quantity);
            if (line.Source.UnitCost is not null)
            {
                if (sheet.Cost(line) is not { } given)
                    return;
                var shares = Lots.Split(given, parts, sheet.RoundBase);
                for (var i = 0; i < parts.Count; i++)
                    Release(sheet, plain, parts[i], shares[i]);
                return;
            }
            foreach (var part in parts.Where(p => p.Lot is not null))
                Release(sheet, plain, part, part.Base);
            if (parts is not [.., { Lot: null, Quantity: var rest }])
                return;
            sheet.Warn(
                "no-cost",
                $"{line.Path}: {rest} of item {line.Item!.Item.Code} is sold beyond what was shipped; send unitCost, or "
                    + "its cost stays in shipped-not-invoiced.",
                null,
                Purposes.CostOfSales,
                line.Number
            );
            return;
        }
        if (line.Source.UnitCost is null && !line.ValueAlone)
        {
            if (Revenue == Purposes.SalesRevenue)
                sheet.Warn(
                    "no-cost",
                    $"{line.Path}: item {line.Item!.Item.Code} is sold without its cost; send unitCost, or its cost "
                        + "stays in shipped-not-invoiced.",
                    null,
                    Purposes.CostOfSales,
                    line.Number
                );
            return;
        }
        if (!line.ValueAlone && sheet.Cost(line) is { } cost)
            Release(sheet, plain, new LotPart(null, line.Quantity, 0, 0), cost);
    }

    // What is parked of the shipment that the line names, or of its order and item; null: it names none, or none is known.
    private static List<OpenLot>? Shipped(EntrySheet sheet, SheetLine line)
    {
        var (shipment, order) = (line.Source.Shipment, line.Context.Order);
        if (shipment is null && order is null)
            return null;
        var party = sheet.Event.Party;
        var lots = Lots.Open(
            sheet,
            sheet
                .Documents.Lots(Purposes.ShippedNotInvoiced, "", line.Source.Item!)
                .Where(l => party is null || l.Party == party)
                .Where(l => shipment is null ? l.Order == order : l.Document == shipment),
            sheet.Swapped,
            l => l.Quantity
        );
        if (lots.Count > 0)
            return lots;
        if (shipment is not null)
            sheet.Warn(
                "shipment-unknown",
                $"{line.Path}: nothing of item {line.Source.Item} is known to wait from shipment {shipment}; the ladder "
                    + "decides.",
                null,
                Purposes.ShippedNotInvoiced,
                line.Number
            );
        return null;
    }

    private static void Release(EntrySheet sheet, LegContext plain, LotPart part, decimal cost)
    {
        sheet.Debit(Purposes.CostOfSales, sheet.BaseAmount(cost), plain);
        sheet.Credit(
            Purposes.ShippedNotInvoiced,
            sheet.BaseAmount(cost),
            part.Lot is null
                ? plain with
                {
                    Quantity = part.Quantity,
                }
                : plain with
                {
                    Quantity = part.Quantity,
                    Reference = part.Lot.Document,
                    Location = part.Lot.Location,
                    Settled = part.Settled(sheet.Currency),
                },
            bound: part.Lot?.Stands
        );
    }

    // A deposit that nobody knows: by the ladder, with the tax that the document says.
    private static decimal Unknown(EntrySheet sheet, decimal applied)
    {
        var rate = sheet.Event.DepositRate ?? sheet.Rate;
        var tax = 0m;
        if (sheet.Policies.DepositTax && sheet.SetUp.Entity.TaxRegistered)
        {
            // Outside tax, where the deposits account is, there is none to take back.
            if (
                sheet.DecideTax(
                    TaxDirection.Output,
                    sheet.Event.DepositTaxCode,
                    "standard",
                    Purposes.CustomerDeposits,
                    sheet.Document,
                    "depositApplied"
                ) is
                { } decided
            )
            {
                var effective = decided.Code.ReverseCharge ? decided with { Rate = 0 } : decided;
                tax = sheet.Event.DepositTax ?? sheet.TaxCalculation(true).Included(applied, effective.Rate);
                sheet.Debit(
                    Purposes.OutputTax,
                    sheet.AmountAt(tax, rate),
                    sheet.Document.ForTax(sheet.SetUp.Index, decided.Code.Code),
                    rate: rate
                );
                sheet.RecordTax(
                    new TaxPart(
                        effective,
                        sheet.OnCapital(Purposes.CustomerDeposits, sheet.Document),
                        -(applied - tax),
                        -tax,
                        0
                    ),
                    rate
                );
            }
        }
        sheet.Debit(Purposes.CustomerDeposits, sheet.AmountAt(applied - tax, rate), sheet.Document, rate: rate);
        return sheet.AmountAt(applied - tax, rate).Base + sheet.AmountAt(tax, rate).Base;
    }
}
