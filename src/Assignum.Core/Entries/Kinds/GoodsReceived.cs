using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.Entries.Kinds;

/// <summary>Goods or services came; their invoice has not.</summary>
public sealed class GoodsReceived : EventKind
{
    public override string Name => "goods-received";
    public override string Explain => "Goods or services came from a supplier before their invoice.";
    public override (GoodsFact Fact, bool Turned)? Goods => (GoodsFact.Received, false);
    public override IReadOnlyList<string> Takes { get; } = ["party", "location", "project", "order"];
    public override IReadOnlyList<string> Needs { get; } = ["party"];
    public override IReadOnlyList<string> LineTakes { get; } =
    ["item", "account", "quantity", "unitCost", "amount", "location", "project", "order"];
    public override bool FromSupplier => true;

    public override void Write(EntrySheet sheet)
    {
        foreach (var line in sheet.Lines)
        {
            if (line.Source is { UnitCost: null, Account: not null, Item: null } && !line.ValueAlone)
            {
                sheet.Fail("no-cost", $"{line.Path} names an account and no unitCost.", line.Path + ".unitCost");
                continue;
            }
            var accrued = sheet.Policies is { Perpetual: true, ReceiptAccrual: true };
            if (accrued && Waiting(sheet, line) is { Count: > 0 } invoices)
                Meet(sheet, line, invoices);
            else
                Come(sheet, line, line.Quantity, accrued);
        }
    }

    // Goods that no invoice waits for.
    private static void Come(EntrySheet sheet, SheetLine line, decimal quantity, bool accrued)
    {
        if (Cost(sheet, line, quantity) is not { } cost)
            return;
        if (accrued)
            Stand(sheet, line, quantity, cost, null, null);
        else if (line.IsStock)
            sheet.Keep(Stock, line.Context, quantity);
    }

    // Goods whose invoice came first: their receipt meets it at its rate; what is left in base is variance.
    private static void Meet(EntrySheet sheet, SheetLine line, List<OpenLot> invoices)
    {
        var parts = Lots.ByQuantity(sheet, invoices, line.Quantity);
        foreach (var part in parts)
        {
            if (part.Lot is null)
            {
                Come(sheet, line, part.Quantity, true);
                continue;
            }
            if (Cost(sheet, line, part.Quantity) is not { } cost)
                continue;
            var alike = part.Lot.Currency == sheet.Currency;
            if (alike && sheet.IsForeign && cost.Foreign is { } foreign)
                cost = sheet.AmountAt(foreign, part.Lot.Rate);
            // What brings the invoice's waiting cost to nothing takes all that it has left; of one in another currency the
            // goods clear what waits for them, and what they cost beside it is variance.
            decimal? cleared =
                !alike ? part.Base
                : cost.Foreign == Math.Abs(part.Lot.Open) ? Math.Abs(part.Lot.OpenBase)
                : null;
            Stand(sheet, line, part.Quantity, cost, part, cleared);
        }
    }

    /// <param name="cleared">What stands against it in base currency; null: the same.</param>
    private static void Stand(
        EntrySheet sheet,
        SheetLine line,
        decimal quantity,
        LegAmount cost,
        LotPart? met,
        decimal? cleared
    )
    {
        var invoice = met?.Lot;
        var settled = met?.Settled(sheet.Currency);
        var rate = settled is null ? invoice?.Rate : null;
        var plain = line.Context with { Written = null };
        if (!line.IsStock)
            sheet.Debit(Buying.CostPurpose(line), cost, line.Context, rate: rate);
        else if (line.AtStandard)
        {
            if (sheet.StandardCost(line, quantity) is not { } standard)
                return;
            if (quantity == 0)
                sheet.Debit(PurchaseVariance, cost, plain, rate: rate);
            else
            {
                sheet.Debit(
                    Stock,
                    cost with
                    {
                        Base = standard,
                    },
                    line.Context with
                    {
                        Quantity = quantity,
                    },
                    rate: rate
                );
                sheet.Debit(PurchaseVariance, sheet.BaseAmount(cost.Base - standard), plain, rate: rate);
            }
        }
        else
            sheet.Debit(Stock, cost, line.Context with { Quantity = quantity }, rate: rate);
        var worth = cleared ?? cost.Base;
        sheet.Credit(
            ReceivedNotInvoiced,
            !sheet.IsForeign ? new LegAmount(worth, worth)
                : settled is null ? cost with { Base = worth }
                : sheet.BaseAmount(worth),
            invoice is null
                ? plain with
                {
                    Quantity = quantity,
                }
                : plain with
                {
                    Quantity = quantity,
                    Reference = invoice.Document,
                    Settled = settled,
                },
            rate: rate,
            bound: invoice?.Stands
        );
        var beside = sheet.BaseAmount(worth - cost.Base);
        // What is met in another currency takes none of the document's own: it is variance whole.
        if (settled is not null && sheet.IsForeign && cost.Foreign is { } own)
            beside = beside with { Foreign = -own };
        sheet.Debit(PurchaseVariance, beside, plain, rate: rate);
    }

    // Invoices of the party that came before their goods: by order and item.
    private static List<OpenLot> Waiting(EntrySheet sheet, SheetLine line) =>
        line.Context.Order is not { } order || line.ValueAlone || line.Quantity <= 0
            ? []
            : Lots.Open(
                sheet,
                sheet
                    .Documents.Lots(ReceivedNotInvoiced, sheet.Event.Party!, line.Source.Item ?? "")
                    .Where(l => l.Order == order),
                false,
                l => l.Quantity
            );

    // The event's unit cost is in its own currency; a standard cost standing in for it is in base currency.
    private static LegAmount? Cost(EntrySheet sheet, SheetLine line, decimal quantity)
    {
        if (line.ValueAlone)
            return sheet.Amount(line.Source.Amount!.Value);
        if (line.Source.UnitCost is { } unit)
            return sheet.Amount(sheet.Round(quantity * unit));
        if (line.Item is null)
            return sheet.Cost(line) is { } none ? sheet.BaseAmount(none) : null;
        return sheet.Cost(line.Item.Item, quantity, null, line.Path) is { } standard
            ? sheet.BaseAmount(standard)
            : null;
    }
}
