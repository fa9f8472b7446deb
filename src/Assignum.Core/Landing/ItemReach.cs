using Assignum.Core.Records;
using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.Landing;

/// <summary>Which items the legs of a purpose can have.</summary>
public enum ItemSide
{
    /// <summary>None: its legs are of documents.</summary>
    None,

    /// <summary>Stock items.</summary>
    Stock,

    /// <summary>All but gift cards and, where stock is kept perpetually, stock items.</summary>
    NotStock,

    /// <summary>Labour, overhead, services and goods not stocked.</summary>
    OwnWork,

    /// <summary>All but gift cards.</summary>
    NoCards,

    /// <summary>None itself, but the group that all items of the document share.</summary>
    GroupAlone,

    /// <summary>All.</summary>
    All,
}

/// <summary>Which items reach which purposes, by the posting rules on coverage.</summary>
public static class ItemReach
{
    private static readonly Dictionary<Purpose, ItemSide> Sides = new List<(ItemSide Side, Purpose[] Purposes)>
    {
        (
            ItemSide.Stock,
            [
                Stock,
                StockInTransit,
                ShippedNotInvoiced,
                CostOfSales,
                StockAdjustment,
                StockRevaluation,
                ProductionWip,
                ProductionVariance,
                DeferredRevenue,
                UnbilledRevenue,
            ]
        ),
        (ItemSide.OwnWork, [OwnWorkToProduction]),
        (ItemSide.NotStock, [NonStockCost, PurchaseDiscount, OwnWorkToProjects]),
        (
            ItemSide.NoCards,
            [SalesRevenue, SalesReturns, ReceivedNotInvoiced, PurchaseVariance, ProjectCost, ProjectRevenue]
        ),
        (ItemSide.GroupAlone, [Payables]),
        (ItemSide.All, [SalesDiscount]),
    }
        .SelectMany(s => s.Purposes.Select(p => (p, s.Side)))
        .ToDictionary(x => x.p, x => x.Side);

    /// <summary>The items that a purpose's legs can have.</summary>
    public static ItemSide Of(Purpose purpose) => Sides.GetValueOrDefault(purpose);

    /// <summary>Whether an item is one of them.</summary>
    /// <param name="perpetual">Whether stock is kept perpetually; otherwise stock items are costed like others, at the
    /// supplier's invoice.</param>
    public static bool Takes(this ItemSide side, Item item, bool perpetual) =>
        side switch
        {
            ItemSide.Stock => item.IsStockItem,
            ItemSide.NotStock => item.Nature != ItemNature.GiftCard && !(item.IsStockItem && perpetual),
            ItemSide.OwnWork => item.Nature != ItemNature.GiftCard && !item.IsStockItem,
            ItemSide.NoCards or ItemSide.GroupAlone => item.Nature != ItemNature.GiftCard,
            ItemSide.All => true,
            _ => false,
        };
}
