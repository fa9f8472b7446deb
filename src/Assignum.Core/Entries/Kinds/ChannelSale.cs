using Assignum.Core.Landing;
using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.Entries.Kinds;

/// <summary>Something was sold in a channel that takes the money for us.</summary>
public class ChannelSale : EventKind
{
    public override string Name => "channel-sale";
    public override string Title => "Sale in a channel";
    public override string Explain => "Something was sold in a channel; its provider owes us the money.";
    public override (GoodsFact Fact, bool Turned)? Goods => (GoodsFact.Invoiced, false);

    public override Purpose? WrittenIn(string list) => list == "lines" ? SalesRevenue : base.WrittenIn(list);

    public override IReadOnlyList<string> Takes { get; } =
    [
        "channel",
        "method",
        "clearingMethod",
        "party",
        "standing",
        "location",
        "project",
        "taxDate",
        "taxCode",
        "pricesIncludeTax",
        "giftCardApplied",
        "giftCardRate",
        "giftCardChannel",
        "order",
    ];
    public override IReadOnlyList<string> Needs { get; } = ["channel"];
    public override IReadOnlyList<string> LineTakes => Selling.LineFields;
    public override IReadOnlyList<string> LineNeeds { get; } = ["unitPrice"];
    public override bool TakesCharges => true;

    public override void Write(EntrySheet sheet) => Sell(sheet, SalesRevenue);

    private protected static void Sell(EntrySheet sheet, Purpose revenue) =>
        new Selling(Clearing, ClearingContext(sheet), revenue).Write(sheet);

    /// <summary>Clearing and fee legs are keyed by clearingMethod where given, else by the event's method.</summary>
    internal static LegContext ClearingContext(EntrySheet sheet) =>
        sheet.Event.ClearingMethod is { } method ? sheet.Document.AtMethod(sheet.SetUp.Index, method) : sheet.Document;
}
