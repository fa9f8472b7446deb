using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.Entries.Kinds;

/// <summary>Stock is worth more or less than it was; no quantity moves.</summary>
public sealed class StockRevalued : EventKind
{
    public override string Name => "stock-revalued";
    public override string Explain => "The value of stock changes and its quantity does not.";
    public override IReadOnlyList<string> Takes { get; } = ["location", "reason"];
    public override IReadOnlyList<string> LineTakes { get; } = ["item", "location", "amount", "reason"];
    public override IReadOnlyList<string> LineNeeds { get; } = ["item", "amount"];

    public override void Write(EntrySheet sheet)
    {
        foreach (var line in sheet.Lines)
        {
            var amount = sheet.Amount(line.Source.Amount!.Value);
            sheet.Debit(Stock, amount, line.Context);
            sheet.Credit(StockRevaluation, amount, line.Context);
        }
    }
}
