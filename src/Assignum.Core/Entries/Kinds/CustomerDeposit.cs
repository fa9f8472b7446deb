using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.Entries.Kinds;

/// <summary>A customer pays before the invoice.</summary>
public sealed class CustomerDeposit : EventKind
{
    public override string Name => "customer-deposit";
    public override string Explain => "A customer pays before being invoiced.";
    public override IReadOnlyList<string> Takes { get; } =
    ["party", "amount", "method", "channel", "taxCode", "taxDate", "location", "project"];
    public override IReadOnlyList<string> Needs { get; } = ["party", "amount"];

    public override void Write(EntrySheet sheet)
    {
        var e = sheet.Event;
        var amount = e.Amount!.Value;
        sheet.Debit(e.Channel is null ? Bank : Clearing, sheet.Amount(amount), sheet.Document);
        var tax = 0m;
        if (sheet.Policies.DepositTax && sheet.SetUp.Entity.TaxRegistered)
        {
            // Where the deposits account is outside tax, the deposit carries none.
            if (
                sheet.DecideTax(Tax.TaxDirection.Output, e.TaxCode, "standard", CustomerDeposits, sheet.Document, "") is
                { } decided
            )
            {
                if (decided.Code.ReverseCharge)
                    decided = decided with { Rate = 0 };
                tax = sheet.TaxCalculation(true).Included(amount, decided.Rate);
                sheet.Credit(OutputTax, sheet.Amount(tax), sheet.Document.ForTax(sheet.SetUp.Index, decided.Code.Code));
                sheet.RecordTax(
                    new Tax.TaxPart(decided, sheet.OnCapital(CustomerDeposits, sheet.Document), amount - tax, tax, 0)
                );
            }
        }
        sheet.Credit(CustomerDeposits, sheet.Amount(amount - tax), sheet.Document);
    }
}
