using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.Entries.Kinds;

/// <summary>A supplier is paid before the invoice.</summary>
public sealed class SupplierDeposit : EventKind
{
    public override string Name => "supplier-deposit";
    public override string Explain => "A supplier is paid before their invoice.";
    public override IReadOnlyList<string> Takes { get; } = ["party", "amount", "method", "location", "project"];
    public override IReadOnlyList<string> Needs { get; } = ["party", "amount"];
    public override bool FromSupplier => true;

    public override void Write(EntrySheet sheet)
    {
        sheet.Debit(SupplierDeposits, sheet.Amount(sheet.Event.Amount!.Value), sheet.Document);
        sheet.Credit(Bank, sheet.Amount(sheet.Event.Amount.Value), sheet.Document);
    }
}
