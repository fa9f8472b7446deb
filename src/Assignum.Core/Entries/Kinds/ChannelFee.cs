using Assignum.Core.Landing;
using Assignum.Core.Tax;
using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.Entries.Kinds;

/// <summary>A provider charges for its service out of what it holds for us.</summary>
public sealed class ChannelFee : EventKind
{
    public override string Name => "channel-fee";
    public override string Title => "Fee of a channel";
    public override string Explain => "A provider charges its fee out of what it holds for us.";

    public override TaxDirection? TaxedAs(Purpose purpose) =>
        purpose == PaymentFee ? TaxDirection.Input : base.TaxedAs(purpose);

    public override IReadOnlyList<string> Takes { get; } =
    ["channel", "method", "clearingMethod", "party", "standing", "amount", "taxCode", "taxDate"];
    public override IReadOnlyList<string> Needs { get; } = ["channel", "amount"];

    public override void Write(EntrySheet sheet)
    {
        var context = ChannelSale.ClearingContext(sheet);
        var amount = sheet.Event.Amount!.Value;
        var decided = sheet.DecideTax(TaxDirection.Input, sheet.Event.TaxCode, "standard", PaymentFee, context, "");
        TaxableLine[] lines = decided is null
            ? []
            : [new TaxableLine(decided.Value, amount, sheet.OnCapital(PaymentFee, context))];
        var totals = sheet.TaxCalculation(false).Run(lines);
        var kept = lines.Sum(l => l.NonDeductible);
        sheet.Debit(PaymentFee, sheet.Amount(amount + kept), context, decided?.Code);
        var charged = sheet.InputTax(totals);
        sheet.Credit(Clearing, sheet.Amount(amount + charged), context);
    }
}
