using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.Entries.Kinds;

/// <summary>Goods or services came; their invoice has not.</summary>
public sealed class GoodsReceived : EventKind
{
    public override string Name => "goods-received";
    public override string Explain => "Goods or services came from a supplier before their invoice.";
    public override IReadOnlyList<string> Takes => ["party", "location", "project"];
    public override IReadOnlyList<string> Needs => ["party"];
    public override IReadOnlyList<string> LineTakes =>
        ["item", "account", "quantity", "unitCost", "location", "project"];
    public override bool FromSupplier => true;

    public override void Write(EntrySheet sheet)
    {
        foreach (var line in sheet.Lines)
        {
            if (line.Source is { UnitCost: null, Account: not null, Item: null })
            {
                sheet.Fail("no-cost", $"{line.Path} names an account and no unitCost.", line.Path + ".unitCost");
                continue;
            }
            if (Cost(sheet, line) is not { } cost)
                continue;
            if (line.IsStock)
                sheet.Move(
                    line.Source.Item!,
                    line.Context.Location,
                    line.Quantity,
                    sheet.Policies.Perpetual ? cost.Base : null
                );
            if (sheet.Policies is not { Perpetual: true, ReceiptAccrual: true })
                continue;
            if (!line.IsStock)
                sheet.Debit(Buying.CostPurpose(line), cost, line.Context);
            else if (line.AtStandard)
            {
                if (sheet.StandardCost(line) is not { } standard)
                    continue;
                sheet.Debit(Stock, cost with { Base = standard }, line.Context with { Quantity = line.Quantity });
                sheet.Debit(
                    PurchaseVariance,
                    sheet.BaseAmount(cost.Base - standard),
                    line.Context with
                    {
                        Written = null,
                    }
                );
            }
            else
                sheet.Debit(Stock, cost, line.Context with { Quantity = line.Quantity });
            sheet.Credit(ReceivedNotInvoiced, cost, line.Context with { Written = null });
        }
    }

    // The event's unit cost is in its own currency; a standard cost standing in for it is in base currency.
    private static LegAmount? Cost(EntrySheet sheet, SheetLine line)
    {
        if (line.Source.UnitCost is { } unit)
            return sheet.Amount(sheet.Round(line.Quantity * unit));
        return sheet.Cost(line) is { } standard ? sheet.BaseAmount(standard) : null;
    }
}
