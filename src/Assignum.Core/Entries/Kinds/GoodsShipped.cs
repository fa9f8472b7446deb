using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.Entries.Kinds;

/// <summary>Stock items left for a customer.</summary>
public class GoodsShipped : EventKind
{
    public override string Name => "goods-shipped";
    public override string Explain => "Goods left the warehouse for a customer.";
    public override IReadOnlyList<string> Takes => ["party", "channel", "location", "project"];
    public override IReadOnlyList<string> Needs => ["party"];
    public override IReadOnlyList<string> LineTakes => ["item", "quantity", "unitCost", "location", "project"];
    public override IReadOnlyList<string> LineNeeds => ["item"];

    public override void Write(EntrySheet sheet)
    {
        foreach (var line in sheet.Lines)
        {
            if (!line.IsStock)
                continue;
            if (!sheet.Policies.Perpetual)
            {
                sheet.Move(line.Source.Item!, line.Context.Location, -line.Quantity, null);
                continue;
            }
            if (sheet.Cost(line) is not { } cost)
                continue;
            sheet.Debit(
                sheet.Policies.CostAtInvoice ? ShippedNotInvoiced : CostOfSales,
                sheet.BaseAmount(cost),
                line.Context
            );
            sheet.Credit(Stock, sheet.BaseAmount(cost), line.Context with { Quantity = line.Quantity });
            sheet.Move(line.Source.Item!, line.Context.Location, -line.Quantity, -cost);
        }
    }
}
