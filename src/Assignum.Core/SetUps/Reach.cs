using Assignum.Core.Landing;
using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.SetUps;

/// <summary>Which purposes some event can reach under an entity's policies; a purpose that none can reach is not asked
/// for.</summary>
/// <remarks>A property test holds it: no event of any kind ever calls for a purpose that is said to be idle.</remarks>
public static class Reach
{
    /// <summary>The purposes that a set-up leaves idle, each with what does it: a policy, as <c>policy value</c>, or
    /// that tax is not registered for.</summary>
    public static IReadOnlyDictionary<Purpose, string> Idle(CompiledSetUp setUp) =>
        Idle(setUp.Policies, setUp.Entity.TaxRegistered);

    /// <summary>The same by policies that are tried.</summary>
    public static IReadOnlyDictionary<Purpose, string> Idle(Policies policies, bool registered)
    {
        var idle = new Dictionary<Purpose, string>();
        void Off(bool when, string because, params Purpose[] purposes)
        {
            if (!when)
                return;
            foreach (var purpose in purposes)
                idle.TryAdd(purpose, because);
        }
        Off(
            !policies.Perpetual,
            "stock-method periodic",
            StockInTransit,
            ReceivedNotInvoiced,
            ShippedNotInvoiced,
            ProductionWip,
            OwnWorkToProduction,
            ProductionVariance,
            CostOfSales,
            StockAdjustment,
            PurchaseVariance
        );
        // A cut-off accrues what was received and not invoiced where receipts do not.
        Off(!policies.ReceiptAccrual && !policies.CutOff, "receipt-accrual off", ReceivedNotInvoiced);
        Off(!policies.CutOff, "cut-off off", DeferredRevenue, UnbilledRevenue);
        Off(!policies.CostAtInvoice, "cost-timing shipment", ShippedNotInvoiced);
        Off(policies.DirectProduction, "production direct", ProductionWip);
        Off(!registered, "not registered for tax", InputTax);
        // A gift card's discount stands apart whatever the policy: sales-discount stays.
        Off(!policies.SeparateDiscounts, "discounts net", PurchaseDiscount);
        return idle;
    }

    /// <summary>Whether a purpose is needed for gift cards sold at a discount and for nothing else: other discounts are
    /// not shown apart.</summary>
    public static bool ForGiftCardsAlone(Purpose purpose, Policies policies) =>
        purpose == SalesDiscount && !policies.SeparateDiscounts;

    /// <summary>The purposes that some event can reach, and retained-earnings, which the year's close does.</summary>
    public static IReadOnlyList<Purpose> Needed(CompiledSetUp setUp)
    {
        var idle = Idle(setUp);
        return [.. All.Where(p => !idle.ContainsKey(p))];
    }
}
