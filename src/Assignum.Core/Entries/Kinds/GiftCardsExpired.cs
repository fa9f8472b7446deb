using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.Entries.Kinds;

/// <summary>Gift cards will never be redeemed.</summary>
public sealed class GiftCardsExpired : EventKind
{
    public override string Name => "gift-cards-expired";
    public override string Explain => "Gift cards sold before will never be redeemed.";
    public override IReadOnlyList<string> Takes { get; } = ["channel", "amount"];
    public override IReadOnlyList<string> Needs { get; } = ["amount"];

    public override void Write(EntrySheet sheet)
    {
        sheet.Debit(GiftCards, sheet.Amount(sheet.Event.Amount!.Value), sheet.Document);
        sheet.Credit(GiftCardBreakage, sheet.Amount(sheet.Event.Amount.Value), sheet.Document);
    }
}
