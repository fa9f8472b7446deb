using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.Entries.Kinds;

/// <summary>Components, labour and overhead went into a production order.</summary>
public sealed class ProductionIssued : EventKind
{
    public override string Name => "production-issued";
    public override string Title => "Issued to production";
    public override string Explain => "Parts, labour and overhead went into making something.";
    public override IReadOnlyList<string> Takes { get; } = ["output", "location", "order"];
    public override IReadOnlyList<string> Needs { get; } = ["output"];
    public override IReadOnlyList<string> LineTakes { get; } = ["item", "quantity", "unitCost", "location", "order"];
    public override IReadOnlyList<string> LineNeeds { get; } = ["item"];

    public override void Write(EntrySheet sheet)
    {
        var made = sheet.ItemContext(sheet.Event.Output!, sheet.Event.Location);
        foreach (var line in sheet.Lines)
        {
            if (!sheet.Policies.Perpetual)
            {
                if (line.IsStock)
                    sheet.Keep(Stock, line.Context, -line.Quantity);
                continue;
            }
            if (sheet.Cost(line) is not { } cost)
                continue;
            sheet.Debit(
                sheet.Policies.DirectProduction ? Stock : ProductionWip,
                sheet.BaseAmount(cost),
                made with
                {
                    Line = line.Number,
                    Text = line.Context.Text,
                    Order = line.Context.Order,
                }
            );
            sheet.Credit(
                line.IsStock ? Stock : OwnWorkToProduction,
                sheet.BaseAmount(cost),
                line.Context with
                {
                    Quantity = line.Quantity,
                }
            );
        }
    }
}
