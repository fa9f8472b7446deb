using Assignum.Core.Landing;
using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.Entries.Kinds;

/// <summary>A channel sale is taken back: a credit note whose credit is clearing.</summary>
public sealed class ChannelRefund : ChannelSale
{
    public override string Name => "channel-refund";
    public override string Title => "Refund in a channel";
    public override string Explain => "A sale in a channel is taken back and refunded.";
    public override (GoodsFact Fact, bool Turned)? Goods => (GoodsFact.Invoiced, true);

    public override IReadOnlyList<string> Takes => field ??= [.. base.Takes, "corrects"];
    public override Correcting Corrects => Correcting.Tax;

    public override Purpose? WrittenIn(string list) => list == "lines" ? SalesReturns : base.WrittenIn(list);

    public override void Write(EntrySheet sheet)
    {
        sheet.Swapped = true;
        Sell(sheet, SalesReturns);
    }
}
