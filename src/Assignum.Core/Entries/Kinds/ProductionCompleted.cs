using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.Entries.Kinds;

/// <summary>A production order is done: what was made goes into stock.</summary>
public sealed class ProductionCompleted : EventKind
{
    public override string Name => "production-completed";
    public override string Title => "Production completed";
    public override string Explain => "What was being made is finished and goes into stock.";
    public override IReadOnlyList<string> Takes { get; } =
    ["output", "location", "quantity", "unitCost", "issuedCost", "order"];
    public override IReadOnlyList<string> Needs { get; } = ["output", "issuedCost"];

    public override void Write(EntrySheet sheet)
    {
        var e = sheet.Event;
        var quantity = e.Quantity ?? 1;
        if (!sheet.Policies.Perpetual)
        {
            sheet.Keep(Stock, sheet.ItemContext(e.Output!, e.Location), quantity);
            return;
        }
        if (sheet.Cost(sheet.SetUp.Item(e.Output!)!.Item, quantity, e.UnitCost, "output") is not { } value)
            return;
        var made = sheet.ItemContext(e.Output!, e.Location) with { Quantity = quantity };
        var difference = e.IssuedCost!.Value - value;
        if (sheet.Policies.DirectProduction)
        {
            // The value came with the issue; the goods come now.
            sheet.Debit(Stock, sheet.BaseAmount(-difference), made with { Quantity = 0 });
            sheet.Keep(Stock, made with { Quantity = 0 }, quantity);
        }
        else
        {
            sheet.Debit(Stock, sheet.BaseAmount(value), made);
            sheet.Credit(ProductionWip, sheet.BaseAmount(e.IssuedCost.Value), made with { Quantity = 0 });
        }
        sheet.Debit(ProductionVariance, sheet.BaseAmount(difference), made);
    }
}
