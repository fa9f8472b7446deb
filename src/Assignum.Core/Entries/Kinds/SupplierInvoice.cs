using Assignum.Core.Landing;
using Assignum.Core.Tax;
using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.Entries.Kinds;

/// <summary>A supplier's invoice came.</summary>
public class SupplierInvoice : EventKind
{
    public override string Name => "supplier-invoice";
    public override string Explain => "A supplier's invoice came; it may settle what was received before.";
    public override (GoodsFact Fact, bool Turned)? Goods => (GoodsFact.Billed, false);

    public override Purpose? WrittenIn(string list) =>
        list is "lines" or "charges" ? NonStockCost : base.WrittenIn(list);

    public override TaxDirection? TaxedAs(Purpose purpose) => Buying.Taxed(purpose) ?? base.TaxedAs(purpose);

    public override IReadOnlyList<string> Takes { get; } =
    [
        "party",
        "location",
        "project",
        "taxDate",
        "taxCode",
        "pricesIncludeTax",
        "depositApplied",
        "depositRate",
        "payablesAccount",
        "order",
        "due",
    ];
    public override IReadOnlyList<string> Needs { get; } = ["party"];
    public override IReadOnlyList<string> LineTakes { get; } =
    [
        "item",
        "account",
        "quantity",
        "unitPrice",
        "discount",
        "discountPercent",
        "receiptCost",
        "receiptRate",
        "heldShare",
        "taxCode",
        "location",
        "project",
        "order",
        "receipt",
        "amount",
    ];
    public override IReadOnlyList<string> LineNeeds { get; } = ["unitPrice"];
    public override bool TakesCharges => true;
    public override bool FromSupplier => true;

    public override void Write(EntrySheet sheet) => Buying.Write(sheet);
}
