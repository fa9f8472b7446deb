namespace Assignum.Core.Entries.Kinds;

/// <summary>A supplier takes back part of an invoice: the same with sides swapped, amounts given positive.</summary>
public sealed class SupplierCreditNote : SupplierInvoice
{
    public override string Name => "supplier-credit-note";
    public override string Explain => "A supplier credits what was invoiced before.";
    public override (GoodsFact Fact, bool Turned)? Goods => (GoodsFact.Billed, true);

    public override IReadOnlyList<string> Takes => field ??= [.. base.Takes, "corrects"];
    public override Correcting Corrects => Correcting.All;

    public override void Write(EntrySheet sheet)
    {
        sheet.Swapped = true;
        Buying.Write(sheet);
    }
}
