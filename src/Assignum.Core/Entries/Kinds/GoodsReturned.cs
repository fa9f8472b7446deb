namespace Assignum.Core.Entries.Kinds;

/// <summary>Stock items came back from a customer: a shipment turned round.</summary>
public sealed class GoodsReturned : GoodsShipped
{
    public override string Name => "goods-returned";
    public override string Explain => "Goods came back from a customer.";
    public override (GoodsFact Fact, bool Turned)? Goods => (GoodsFact.Shipped, true);

    public override void Write(EntrySheet sheet)
    {
        sheet.Swapped = true;
        base.Write(sheet);
    }
}
