using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.Entries.Kinds;

/// <summary>A provider took takings back from us.</summary>
public sealed class ChannelChargeback : EventKind
{
    public override string Name => "channel-chargeback";
    public override string Title => "Payment taken back in a channel";
    public override string Explain => "A customer disputed a payment and the provider took it back.";
    public override IReadOnlyList<string> Takes { get; } = ["channel", "method", "clearingMethod", "amount", "fee"];
    public override IReadOnlyList<string> Needs { get; } = ["channel", "amount"];

    public override void Write(EntrySheet sheet)
    {
        var e = sheet.Event;
        var context = ChannelSale.ClearingContext(sheet);
        sheet.Debit(ChargebackLoss, sheet.Amount(e.Amount!.Value), context);
        sheet.Debit(PaymentFee, sheet.Amount(e.Fee ?? 0), context);
        sheet.Credit(Clearing, sheet.Amount(e.Amount.Value + (e.Fee ?? 0)), context);
    }
}
