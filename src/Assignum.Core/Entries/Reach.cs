using Assignum.Core.Landing;
using Assignum.Core.SetUps;
using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.Entries;

/// <summary>Which purposes some event can reach under an entity's policies; a purpose that none can reach is not asked for.</summary>
/// <remarks>A property test holds it: no event of any kind ever calls for a purpose that is said to be idle.</remarks>
public static class Reach
{
    /// <summary>The purposes that policies leave idle, each with the policy that does it, as <c>policy value</c>.</summary>
    public static IReadOnlyDictionary<Purpose, string> Idle(Policies policies)
    {
        var idle = new Dictionary<Purpose, string>();
        void Off(bool when, string because, params Purpose[] purposes)
        {
            if (!when) return;
            foreach (var purpose in purposes) idle.TryAdd(purpose, because);
        }
        Off(!policies.Perpetual, "stock-method periodic", StockInTransit, ReceivedNotInvoiced, ShippedNotInvoiced, ProductionWip, OwnWorkToProduction,
            ProductionVariance, CostOfSales, StockAdjustment, PurchaseVariance);
        Off(!policies.ReceiptAccrual, "receipt-accrual off", ReceivedNotInvoiced);
        Off(!policies.CostAtInvoice, "cost-timing shipment", ShippedNotInvoiced);
        Off(policies.DirectProduction, "production direct", ProductionWip);
        // A gift card's discount stands apart whatever the policy: sales-discount stays.
        Off(!policies.SeparateDiscounts, "discounts net", PurchaseDiscount);
        return idle;
    }

    /// <summary>The purposes that some event can reach, and retained-earnings, which the year's close does.</summary>
    public static IReadOnlyList<Purpose> Needed(Policies policies)
    {
        var idle = Idle(policies);
        return [.. All.Where(p => !idle.ContainsKey(p))];
    }
}
