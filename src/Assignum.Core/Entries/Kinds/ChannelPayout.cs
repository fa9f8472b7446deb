using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.Entries.Kinds;

/// <summary>A provider paid out what it held for us.</summary>
public sealed class ChannelPayout : EventKind
{
    public override string Name => "channel-payout";
    public override string Title => "Payout from a channel";
    public override string Explain => "A provider pays what it held for us into the bank.";
    public override IReadOnlyList<string> Takes { get; } = ["channel", "method", "clearingMethod", "amount", "fee"];
    public override IReadOnlyList<string> Needs { get; } = ["channel", "amount"];

    public override void Write(EntrySheet sheet)
    {
        var e = sheet.Event;
        // Here the method names the bank alone.
        var clearing = sheet.Document.AtMethod(sheet.SetUp.Index, e.ClearingMethod);
        sheet.Debit(Bank, sheet.Amount(e.Amount!.Value), sheet.Document);
        sheet.Debit(PaymentFee, sheet.Amount(e.Fee ?? 0), clearing);
        sheet.Credit(Clearing, sheet.Amount(e.Amount.Value + (e.Fee ?? 0)), clearing);
    }
}
