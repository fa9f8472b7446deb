using Assignum.Core.Chart;
using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.Entries.Kinds;

/// <summary>A customer pays, or is refunded with negative amounts.</summary>
public sealed class CustomerPayment : EventKind
{
    public override string Name => "customer-payment";
    public override string Explain => "A customer pays what is owed, in whole or in part.";
    public override IReadOnlyList<string> Takes { get; } =
    ["party", "amount", "discountGiven", "writeOff", "fee", "method", "channel", "location"];
    public override IReadOnlyList<string> Needs { get; } = ["party", "amount"];
    public override Control SettledSubledger => Control.Receivables;

    public override void Write(EntrySheet sheet)
    {
        var e = sheet.Event;
        var (discount, writeOff, fee) = (e.DiscountGiven ?? 0, e.WriteOff ?? 0, e.Fee ?? 0);
        sheet.Debit(e.Channel is null ? Bank : Clearing, sheet.Amount(e.Amount!.Value), sheet.Document);
        sheet.Debit(PaymentDiscountGiven, sheet.Amount(discount), sheet.Document);
        sheet.Debit(PaymentWriteOff, sheet.Amount(writeOff), sheet.Document);
        sheet.Debit(PaymentFee, sheet.Amount(fee), sheet.Document);
        Paying.Settle(sheet, Chart.Control.Receivables, e.Amount.Value + discount + writeOff + fee);
    }
}
