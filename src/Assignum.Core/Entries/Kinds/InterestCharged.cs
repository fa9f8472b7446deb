using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.Entries.Kinds;

/// <summary>A customer is charged interest.</summary>
public sealed class InterestCharged : EventKind
{
    public override string Name => "interest-charged";
    public override string Explain => "A customer is charged interest for paying late.";
    public override IReadOnlyList<string> Takes { get; } = ["party", "amount", "channel", "location"];
    public override IReadOnlyList<string> Needs { get; } = ["party", "amount"];

    public override void Write(EntrySheet sheet)
    {
        sheet.Debit(Receivables, sheet.Amount(sheet.Event.Amount!.Value), sheet.Document);
        sheet.Credit(InterestIncome, sheet.Amount(sheet.Event.Amount.Value), sheet.Document);
    }
}
