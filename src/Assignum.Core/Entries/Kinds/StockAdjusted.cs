using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.Entries.Kinds;

/// <summary>Stock was found, lost or used; the quantity is signed.</summary>
public sealed class StockAdjusted : EventKind
{
    public override string Name => "stock-adjusted";
    public override string Explain => "Stock was counted, found, lost or used up.";
    public override IReadOnlyList<string> Takes { get; } = ["location", "reason", "project"];
    public override IReadOnlyList<string> LineTakes { get; } =
    ["item", "quantity", "unitCost", "location", "reason", "project"];
    public override IReadOnlyList<string> LineNeeds { get; } = ["item"];

    public override void Write(EntrySheet sheet)
    {
        foreach (var line in sheet.Lines)
        {
            if (!line.IsStock)
                continue;
            if (!sheet.Policies.Perpetual)
            {
                sheet.Keep(Stock, line.Context, line.Quantity);
                continue;
            }
            if (sheet.Cost(line) is not { } cost)
                continue;
            sheet.Debit(Stock, sheet.BaseAmount(cost), line.Context with { Quantity = line.Quantity });
            sheet.Credit(StockAdjustment, sheet.BaseAmount(cost), line.Context);
        }
    }
}
