using Assignum.Core.Landing;
using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.Entries.Kinds;

/// <summary>A customer is invoiced.</summary>
public class SalesInvoice : EventKind
{
    public override string Name => "sales-invoice";
    public override string Explain => "A customer is invoiced for what was sold.";
    public override (GoodsFact Fact, bool Turned)? Goods => (GoodsFact.Invoiced, false);

    public override Purpose? WrittenIn(string list) => list == "lines" ? SalesRevenue : base.WrittenIn(list);

    public override IReadOnlyList<string> Takes { get; } =
    [
        "party",
        "channel",
        "location",
        "project",
        "taxDate",
        "taxCode",
        "pricesIncludeTax",
        "depositApplied",
        "depositRate",
        "depositTaxCode",
        "depositTax",
        "giftCardApplied",
        "giftCardRate",
        "giftCardChannel",
        "receivablesAccount",
        "order",
        "due",
    ];
    public override IReadOnlyList<string> Needs { get; } = ["party"];
    public override IReadOnlyList<string> LineTakes => Selling.LineFields;
    public override IReadOnlyList<string> LineNeeds { get; } = ["unitPrice"];
    public override bool TakesCharges => true;

    public override void Write(EntrySheet sheet) => Sell(sheet, SalesRevenue);

    private protected static void Sell(EntrySheet sheet, Purpose revenue) =>
        new Selling(
            Receivables,
            sheet.Document with
            {
                Written = sheet.Number(sheet.Event.ReceivablesAccount),
            },
            revenue
        ).Write(sheet);
}
