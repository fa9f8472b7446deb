using Assignum.Core.Landing;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.Upkeep;

/// <summary>A purpose that a small firm need not think about: it can land where a larger one does.</summary>
public sealed record MinorPurpose(Purpose Purpose, Purpose From);

/// <summary>
/// Lets minor purposes borrow, so that a small firm is complete with a dozen accounts: carriage charged is revenue, a
/// variance is cost of
/// sales, goods on their way are stock. Each can get an account of its own later.
/// </summary>
public static class MinorPurposes
{
    private static readonly (Purpose Purpose, Purpose From)[] All =
    [
        (StockInTransit, Stock),
        (ShippedNotInvoiced, Stock),
        (AccruedRevenue, ProjectWip),
        (SalesReturns, SalesRevenue),
        (SalesDiscount, SalesRevenue),
        (ShippingIncome, SalesRevenue),
        (ProjectRevenue, SalesRevenue),
        (PaymentDiscountGiven, SalesRevenue),
        (InterestIncome, SalesRevenue),
        (GiftCardBreakage, SalesRevenue),
        (ExchangeGain, SalesRevenue),
        (IntercompanyIncome, SalesRevenue),
        (PurchaseVariance, CostOfSales),
        (PurchaseDiscount, CostOfSales),
        (PaymentDiscountTaken, CostOfSales),
        (StockAdjustment, CostOfSales),
        (StockRevaluation, CostOfSales),
        (ProductionVariance, CostOfSales),
        (OwnWorkToProduction, CostOfSales),
        (OwnWorkToProjects, CostOfSales),
        (ProjectCost, CostOfSales),
        (PaymentFee, NonStockCost),
        (PaymentWriteOff, NonStockCost),
        (ChargebackLoss, NonStockCost),
        (ExchangeLoss, NonStockCost),
        (RoundingDifference, NonStockCost),
        (IntercompanyExpense, NonStockCost),
    ];

    /// <summary>
    /// The purposes that the policies make needed, that have nothing of their own and borrow nothing yet, and that
    /// could borrow: the other one
    /// has a default, borrows nothing itself, and its accounts suit.
    /// </summary>
    public static IReadOnlyList<MinorPurpose> Of(CompiledSetUp setUp)
    {
        var idle = Reach.Idle(setUp);
        var borrowing = setUp.SetUp.Borrows.SelectMany(b => new[] { b.From }).ToHashSet(StringComparer.Ordinal);
        return
        [
            .. All.Where(m =>
                    !idle.ContainsKey(m.Purpose)
                    && setUp.Landings.BorrowOf(m.Purpose) is null
                    && setUp.Landings.BorrowOf(m.From) is null
                    && !borrowing.Contains(m.Purpose.Name)
                    && setUp.Landings.AssignmentsOf(m.Purpose).Count == 0
                    && setUp.Landings.AssignmentsOf(m.From).Any(a => a.Key.Count == 0)
                    && setUp
                        .Landings.AssignmentsOf(m.From)
                        .All(a =>
                            setUp.Account(a.Account) is { } account
                            && Fitness.Of(account, m.Purpose, a.Key.Count == 0) is not { Severity: Severity.Error }
                        )
                )
                .Select(m => new MinorPurpose(m.Purpose, m.From)),
        ];
    }

    /// <summary>The edits that let them borrow.</summary>
    public static IReadOnlyList<RowChange> Edits(IEnumerable<MinorPurpose> minor) =>
        [
            .. minor.Select(m =>
                SetUpEdit.Row(
                    Parts.Borrows,
                    null,
                    new Dictionary<string, string?> { ["purpose"] = m.Purpose.Name, ["from"] = m.From.Name }
                )
            ),
        ];
}
