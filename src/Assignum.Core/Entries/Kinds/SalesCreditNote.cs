using Assignum.Core.Landing;
using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.Entries.Kinds;

/// <summary>A customer gets money back for what was invoiced: sides swapped, revenue becomes returns.</summary>
public sealed class SalesCreditNote : SalesInvoice
{
    public override string Name => "sales-credit-note";
    public override string Explain => "A customer is credited for what was invoiced before.";
    public override (GoodsFact Fact, bool Turned)? Goods => (GoodsFact.Invoiced, true);

    public override IReadOnlyList<string> Takes => field ??= [.. base.Takes, "corrects"];
    public override Correcting Corrects => Correcting.All;

    public override Purpose? WrittenIn(string list) => list == "lines" ? SalesReturns : base.WrittenIn(list);

    public override void Write(EntrySheet sheet)
    {
        sheet.Swapped = true;
        Sell(sheet, SalesReturns);
    }
}
