using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.Landing;

/// <summary>Which parties the legs of a purpose can have, and so which of a party's two groups is their
/// party-group.</summary>
public enum PartySide
{
    /// <summary>Customers and suppliers: kinds of both sides call for it.</summary>
    Any,

    /// <summary>Customers: the customer group.</summary>
    Customers,

    /// <summary>Suppliers: the supplier group.</summary>
    Suppliers,
}

/// <summary>The side of each purpose, by the posting rules on coverage.</summary>
public static class PartySides
{
    private static readonly HashSet<Purpose> Customers =
    [
        Receivables,
        SalesRevenue,
        SalesReturns,
        SalesDiscount,
        ShippingIncome,
        CostOfSales,
        ShippedNotInvoiced,
        CustomerDeposits,
        ProjectBillings,
        ProjectRevenue,
        AccruedRevenue,
        PaymentDiscountGiven,
        PaymentWriteOff,
        InterestIncome,
    ];

    private static readonly HashSet<Purpose> Suppliers =
    [
        Payables,
        ReceivedNotInvoiced,
        NonStockCost,
        PurchaseVariance,
        PurchaseDiscount,
        SupplierDeposits,
        PaymentDiscountTaken,
    ];

    /// <summary>The side of a purpose.</summary>
    public static PartySide Of(Purpose purpose) =>
        Customers.Contains(purpose) ? PartySide.Customers
        : Suppliers.Contains(purpose) ? PartySide.Suppliers
        : PartySide.Any;
}
