using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.Entries.Kinds;

/// <summary>Stock items left for a customer.</summary>
public class GoodsShipped : EventKind
{
    public override string Name => "goods-shipped";
    public override string Explain => "Goods left the warehouse for a customer.";
    public override (GoodsFact Fact, bool Turned)? Goods => (GoodsFact.Shipped, false);
    public override IReadOnlyList<string> Takes { get; } = ["party", "channel", "location", "project", "order"];
    public override IReadOnlyList<string> Needs { get; } = ["party"];
    public override IReadOnlyList<string> LineTakes { get; } =
    ["item", "quantity", "unitCost", "unitPrice", "amount", "location", "project", "order"];
    public override IReadOnlyList<string> LineNeeds { get; } = ["item"];

    public override void Write(EntrySheet sheet)
    {
        foreach (var line in sheet.Lines)
        {
            if (!line.IsStock)
                continue;
            if (!sheet.Policies.Perpetual)
            {
                sheet.Keep(Stock, line.Context, -line.Quantity);
                continue;
            }
            if (sheet.Cost(line) is not { } cost)
                continue;
            sheet.Debit(
                sheet.Policies.CostAtInvoice ? ShippedNotInvoiced : CostOfSales,
                sheet.BaseAmount(cost),
                sheet.Policies.CostAtInvoice ? line.Context with { Quantity = line.Quantity } : line.Context
            );
            sheet.Credit(Stock, sheet.BaseAmount(cost), line.Context with { Quantity = line.Quantity });
        }
    }
}
