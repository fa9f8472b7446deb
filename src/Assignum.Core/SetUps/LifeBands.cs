using Assignum.Core.Landing;
using Assignum.Core.Records;
using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.SetUps;

/// <summary>Whose life a view follows.</summary>
public enum LifeOf
{
    Item,
    Customer,
    Supplier,
    Project,
    Location,
}

/// <summary>The purposes that records meet through their life, in bands in the order in which they are met.</summary>
public static class LifeBands
{
    private static readonly IReadOnlyDictionary<LifeOf, IReadOnlyList<(string Band, Purpose[] Purposes)>> All =
        new Dictionary<LifeOf, IReadOnlyList<(string, Purpose[])>>
        {
            [LifeOf.Item] =
            [
                ("bought", [ReceivedNotInvoiced, NonStockCost, PurchaseVariance, PurchaseDiscount]),
                ("held", [Stock, StockInTransit, StockAdjustment, StockRevaluation]),
                ("made", [ProductionWip, OwnWorkToProduction, ProductionVariance]),
                ("sold", [SalesRevenue, SalesDiscount, ShippedNotInvoiced, CostOfSales]),
                ("returned", [SalesReturns]),
                ("on projects", [ProjectRevenue, ProjectCost, OwnWorkToProjects]),
            ],
            [LifeOf.Customer] =
            [
                ("sold", [SalesRevenue, SalesDiscount, ShippingIncome, CostOfSales]),
                ("paid", [Receivables, CustomerDeposits, PaymentDiscountGiven, PaymentWriteOff, InterestIncome]),
            ],
            [LifeOf.Supplier] =
            [
                ("bought", [ReceivedNotInvoiced, NonStockCost, PurchaseDiscount]),
                ("paid", [Payables, SupplierDeposits, PaymentDiscountTaken]),
            ],
            [LifeOf.Project] =
            [
                ("worked on", [ProjectWip, ProjectCost, OwnWorkToProjects]),
                ("billed", [ProjectBillings, ProjectRevenue, AccruedRevenue]),
            ],
            [LifeOf.Location] =
            [
                ("held", [Stock, StockInTransit, StockAdjustment, StockRevaluation]),
                ("made", [ProductionWip, ProductionVariance]),
                ("sold", [CostOfSales]),
            ],
        };

    /// <summary>The bands of a kind of record, without the purposes that its policies leave idle.</summary>
    /// <param name="stock">Whether there are stock items among what is looked at.</param>
    /// <param name="other">Whether there are items that are none.</param>
    public static IReadOnlyList<(string Band, IReadOnlyList<Purpose> Purposes)> Of(
        LifeOf of,
        CompiledSetUp setUp,
        bool stock = true,
        bool other = true
    )
    {
        var idle = Reach.Idle(setUp);
        return
        [
            .. All[of]
                .Select(b =>
                    (
                        b.Band,
                        (IReadOnlyList<Purpose>)
                            [
                                .. b.Purposes.Where(p =>
                                    !idle.ContainsKey(p) && (of != LifeOf.Item || Meets(p, setUp, stock, other))
                                ),
                            ]
                    )
                )
                .Where(b => b.Item2.Count > 0),
        ];
    }

    /// <summary>Every purpose that an item meets, by its nature and the policies.</summary>
    public static IReadOnlyList<Purpose> Of(Item item, CompiledSetUp setUp) =>
        item.Nature == ItemNature.GiftCard
            ? [GiftCards, SalesDiscount]
            : [.. Of(LifeOf.Item, setUp, item.IsStockItem, !item.IsStockItem).SelectMany(b => b.Purposes)];

    /// <summary>What a group of records is.</summary>
    public static LifeOf Of(GroupKind kind) =>
        kind switch
        {
            GroupKind.Item => LifeOf.Item,
            GroupKind.Customer => LifeOf.Customer,
            GroupKind.Supplier => LifeOf.Supplier,
            _ => LifeOf.Project,
        };

    /// <summary>The dimension that an assignment for a group of this kind fills.</summary>
    public static Dimension DimensionOf(GroupKind kind) =>
        kind switch
        {
            GroupKind.Item => Dimension.ItemGroup,
            GroupKind.Project => Dimension.ProjectGroup,
            _ => Dimension.PartyGroup,
        };

    private static readonly Item Stocked = new("", "", ItemNature.Goods, true),
        NotStocked = new("", "", ItemNature.Goods, false);

    // Discount is on lines of its own for gift cards alone where policy shows the others net.
    private static bool Meets(Purpose purpose, CompiledSetUp setUp, bool stock, bool other) =>
        !Reach.ForGiftCardsAlone(purpose, setUp.Policies)
        && ItemReach.Of(purpose) is var side
        && (
            stock && side.Takes(Stocked, setUp.Policies.Perpetual)
            || other && side.Takes(NotStocked, setUp.Policies.Perpetual)
        );
}
