using Assignum.Core.Chart;
using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.Entries.Kinds;

/// <summary>A supplier is paid, or refunds with negative amounts.</summary>
public sealed class SupplierPayment : EventKind
{
    public override string Name => "supplier-payment";
    public override string Explain => "A supplier is paid what is owed, in whole or in part.";
    public override IReadOnlyList<string> Takes { get; } =
    ["party", "amount", "discountTaken", "fee", "method", "location"];
    public override IReadOnlyList<string> Needs { get; } = ["party", "amount"];
    public override Control SettledSubledger => Control.Payables;
    public override bool FromSupplier => true;

    public override void Write(EntrySheet sheet)
    {
        var e = sheet.Event;
        var (discount, fee) = (e.DiscountTaken ?? 0, e.Fee ?? 0);
        Paying.Settle(sheet, Chart.Control.Payables, e.Amount!.Value + discount);
        sheet.Debit(PaymentFee, sheet.Amount(fee), sheet.Document);
        sheet.Credit(Bank, sheet.Amount(e.Amount.Value + fee), sheet.Document);
        sheet.Credit(PaymentDiscountTaken, sheet.Amount(discount), sheet.Document);
    }
}
