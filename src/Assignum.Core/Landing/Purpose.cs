using System.Collections.Frozen;
using Assignum.Core.Chart;

namespace Assignum.Core.Landing;

/// <summary>Debit or credit.</summary>
public enum Side
{
    Debit,
    Credit,
}

/// <summary>What a leg's account is for.</summary>
/// <param name="Index">Position in <see cref="Purposes.All"/>.</param>
/// <param name="Name">The purpose's word, e.g. <c>sales-revenue</c>.</param>
/// <param name="Title">What people call it, e.g. <c>Cost of goods not stocked</c>.</param>
/// <param name="Side">The side it usually stands on.</param>
/// <param name="Control">The subledger its account must belong to; <see cref="Control.None"/>: it must be no control
/// account.</param>
/// <param name="Shipped">The shipped ladder, without the closing default.</param>
/// <param name="ShippedBorrow">The purpose it borrows from as shipped, or null.</param>
/// <param name="Explain">One plain sentence.</param>
public sealed record Purpose(
    int Index,
    string Name,
    string Title,
    Side Side,
    IReadOnlyList<AccountClass> Classes,
    Control Control,
    IReadOnlyList<Rung> Shipped,
    string? ShippedBorrow,
    string Explain
)
{
    /// <summary>Whether an account of this class may serve the purpose.</summary>
    public bool Accepts(AccountClass accountClass) => Classes.Contains(accountClass);

    /// <inheritdoc/>
    public override string ToString() => Name;

    /// <summary>Purposes are compared by identity: there is one object for each.</summary>
    public bool Equals(Purpose? other) => ReferenceEquals(this, other);

    /// <inheritdoc/>
    public override int GetHashCode() => Index;
}

/// <summary>All purposes of the product, with their shipped ladders.</summary>
public static class Purposes
{
    private const AccountClass A = AccountClass.Asset,
        L = AccountClass.Liability,
        E = AccountClass.Equity,
        R = AccountClass.Revenue,
        C = AccountClass.CostOfSales,
        O = AccountClass.OperatingCost,
        I = AccountClass.OtherIncome,
        X = AccountClass.OtherCost;

    private static readonly List<Purpose> Listed = [];

    public static readonly Purpose Receivables = Add(
        "receivables",
        Side.Debit,
        [A],
        Control.Receivables,
        "line, party, party-group+channel, party-group, channel",
        "What customers owe.",
        title: "Trade receivables"
    );
    public static readonly Purpose Payables = Add(
        "payables",
        Side.Credit,
        [L],
        Control.Payables,
        "line, party+item-group, party, party-group",
        "What is owed to suppliers.",
        title: "Trade payables"
    );
    public static readonly Purpose Stock = Add(
        "stock",
        Side.Debit,
        [A],
        Control.Stock,
        "item+location, item, item-group+location, item-group, location",
        "The value of stock items on hand."
    );
    public static readonly Purpose StockInTransit = Add(
        "stock-in-transit",
        Side.Debit,
        [A],
        Control.Stock,
        "item-group, location",
        "Stock on its way between two locations."
    );
    public static readonly Purpose ReceivedNotInvoiced = Add(
        "received-not-invoiced",
        Side.Credit,
        [L],
        Control.Receipts,
        "party-group, item-group",
        "Goods that have come without their invoice."
    );
    public static readonly Purpose ShippedNotInvoiced = Add(
        "shipped-not-invoiced",
        Side.Debit,
        [A],
        Control.Stock,
        "item-group",
        "Cost of goods that have gone out without their invoice."
    );
    public static readonly Purpose ProductionWip = Add(
        "production-wip",
        Side.Debit,
        [A],
        Control.Production,
        "item-group+location, item-group, location",
        "Value inside unfinished production orders.",
        title: "Production work in progress"
    );
    public static readonly Purpose ProjectWip = Add(
        "project-wip",
        Side.Debit,
        [A],
        Control.Projects,
        "project, project-group",
        "Project cost not yet recognised.",
        title: "Project work in progress"
    );
    public static readonly Purpose ProjectBillings = Add(
        "project-billings",
        Side.Credit,
        [L],
        Control.Projects,
        "project, project-group",
        "Project invoices not yet earned."
    );
    public static readonly Purpose AccruedRevenue = Add(
        "accrued-revenue",
        Side.Debit,
        [A],
        Control.Projects,
        "project, project-group",
        "Project revenue earned and not yet invoiced."
    );
    public static readonly Purpose OutputTax = Add(
        "output-tax",
        Side.Credit,
        [L],
        Control.Tax,
        "tax-code",
        "Tax charged on sales."
    );
    public static readonly Purpose InputTax = Add(
        "input-tax",
        Side.Debit,
        [A, L],
        Control.Tax,
        "tax-code",
        "Tax on purchases that is reclaimed."
    );
    public static readonly Purpose Bank = Add(
        "bank",
        Side.Debit,
        [A],
        Control.Bank,
        "method, channel, currency",
        "Money in the bank.",
        title: "Bank account"
    );
    public static readonly Purpose Clearing = Add(
        "clearing",
        Side.Debit,
        [A],
        Control.Clearing,
        "channel+method, channel, method",
        "Takings that a provider has yet to pay out.",
        title: "Clearing with providers"
    );
    public static readonly Purpose CustomerDeposits = Add(
        "customer-deposits",
        Side.Credit,
        [L],
        Control.Deposits,
        "party, party-group",
        "Money customers paid before their invoice."
    );
    public static readonly Purpose SupplierDeposits = Add(
        "supplier-deposits",
        Side.Debit,
        [A],
        Control.Deposits,
        "party, party-group",
        "Money paid to suppliers before their invoice."
    );
    public static readonly Purpose GiftCards = Add(
        "gift-cards",
        Side.Credit,
        [L],
        Control.GiftCards,
        "channel",
        "Gift cards sold and not yet redeemed."
    );
    public static readonly Purpose DueFromEntities = Add(
        "due-from-entities",
        Side.Debit,
        [A],
        Control.Intercompany,
        "counterparty",
        "What other entities owe this one.",
        title: "Due from other entities"
    );
    public static readonly Purpose DueToEntities = Add(
        "due-to-entities",
        Side.Credit,
        [L],
        Control.Intercompany,
        "counterparty",
        "What this entity owes other entities.",
        title: "Due to other entities"
    );
    public static readonly Purpose SalesRevenue = Add(
        "sales-revenue",
        Side.Credit,
        [R],
        Control.None,
        "line, item+party, item, party, item-group+party-group, item-group+channel, item-group, party-group, channel",
        "What is earned by selling."
    );
    public static readonly Purpose SalesReturns = Add(
        "sales-returns",
        Side.Debit,
        [R],
        Control.None,
        "line, item, item-group",
        "Sales taken back.",
        "sales-revenue",
        title: "Returns and discounts on sales"
    );
    public static readonly Purpose SalesDiscount = Add(
        "sales-discount",
        Side.Debit,
        [R, O],
        Control.None,
        "item, item-group+party-group, item-group, party-group, channel",
        "Discount given on sales, where it is shown apart."
    );
    public static readonly Purpose ShippingIncome = Add(
        "shipping-income",
        Side.Credit,
        [R, I],
        Control.None,
        "party-group, channel",
        "Carriage and other charges on sales.",
        title: "Carriage charged to customers"
    );
    public static readonly Purpose CostOfSales = Add(
        "cost-of-sales",
        Side.Debit,
        [C, O],
        Control.None,
        "item+location, item, item-group+party-group, item-group+channel, item-group",
        "The cost of stock items sold."
    );
    public static readonly Purpose NonStockCost = Add(
        "non-stock-cost",
        Side.Debit,
        [C, O, A],
        Control.None,
        "line, item, party+item-group, item-group+party-group, item-group, party-group",
        "What is bought and not kept in stock.",
        title: "Cost of goods not stocked"
    );
    public static readonly Purpose PurchaseVariance = Add(
        "purchase-variance",
        Side.Debit,
        [C, O],
        Control.None,
        "item, item-group",
        "Invoice against receipt, or cost against standard."
    );
    public static readonly Purpose PurchaseDiscount = Add(
        "purchase-discount",
        Side.Credit,
        [C, O, I],
        Control.None,
        "item-group, party-group",
        "Discount received, where it is shown apart.",
        title: "Discount on purchases"
    );
    public static readonly Purpose StockAdjustment = Add(
        "stock-adjustment",
        Side.Debit,
        [C, O],
        Control.None,
        "item-group+reason, reason+location, reason, item-group, location",
        "Stock found, lost or used.",
        title: "Stock adjustments"
    );
    public static readonly Purpose StockRevaluation = Add(
        "stock-revaluation",
        Side.Debit,
        [C, O],
        Control.None,
        "item-group, location",
        "Changes of stock value alone.",
        title: "Stock revaluation"
    );
    public static readonly Purpose OwnWorkToProduction = Add(
        "own-work-to-production",
        Side.Credit,
        [C, O],
        Control.None,
        "item, item-group",
        "Own labour and services put into production.",
        title: "Own work put into production"
    );
    public static readonly Purpose ProductionVariance = Add(
        "production-variance",
        Side.Debit,
        [C, O],
        Control.None,
        "item-group, location",
        "What a production order cost beside its planned value."
    );
    public static readonly Purpose ProjectRevenue = Add(
        "project-revenue",
        Side.Credit,
        [R],
        Control.None,
        "line, project, project-group, item-group",
        "What is earned on projects."
    );
    public static readonly Purpose ProjectCost = Add(
        "project-cost",
        Side.Debit,
        [C, O],
        Control.None,
        "line, project, project-group, item-group",
        "The cost of projects recognised."
    );
    public static readonly Purpose OwnWorkToProjects = Add(
        "own-work-to-projects",
        Side.Credit,
        [C, O],
        Control.None,
        "item, item-group, project-group",
        "Own labour and services put into projects.",
        title: "Own work put into projects"
    );
    public static readonly Purpose PaymentFee = Add(
        "payment-fee",
        Side.Debit,
        [O, C],
        Control.None,
        "channel+method, channel, method",
        "What banks and providers charge.",
        title: "Payment fees"
    );
    public static readonly Purpose PaymentDiscountGiven = Add(
        "payment-discount-given",
        Side.Debit,
        [R, O],
        Control.None,
        "party-group",
        "Discount customers take for paying early.",
        title: "Early payment discount given"
    );
    public static readonly Purpose PaymentDiscountTaken = Add(
        "payment-discount-taken",
        Side.Credit,
        [C, O, I],
        Control.None,
        "party-group",
        "Discount taken for paying suppliers early.",
        title: "Early payment discount taken"
    );
    public static readonly Purpose PaymentWriteOff = Add(
        "payment-write-off",
        Side.Debit,
        [O, X, I],
        Control.None,
        "party-group, channel",
        "Small differences given up on payment.",
        title: "Small differences written off"
    );
    public static readonly Purpose ChargebackLoss = Add(
        "chargeback-loss",
        Side.Debit,
        [O],
        Control.None,
        "channel",
        "Takings a provider took back.",
        title: "Loss from payments taken back"
    );
    public static readonly Purpose InterestIncome = Add(
        "interest-income",
        Side.Credit,
        [R, I],
        Control.None,
        "party-group",
        "Interest charged to customers."
    );
    public static readonly Purpose ExchangeGain = Add(
        "exchange-gain",
        Side.Credit,
        [I, R],
        Control.None,
        "currency",
        "Gains from exchange rates.",
        title: "Exchange gains"
    );
    public static readonly Purpose ExchangeLoss = Add(
        "exchange-loss",
        Side.Debit,
        [X, O],
        Control.None,
        "currency",
        "Losses from exchange rates.",
        title: "Exchange losses"
    );
    public static readonly Purpose RoundingDifference = Add(
        "rounding",
        Side.Debit,
        [O, X, I, R],
        Control.None,
        "currency",
        "Minor units left over by conversion.",
        title: "Rounding differences"
    );
    public static readonly Purpose IntercompanyIncome = Add(
        "intercompany-income",
        Side.Credit,
        [R, I],
        Control.None,
        "counterparty",
        "Charged to another entity.",
        title: "Income from other entities"
    );
    public static readonly Purpose IntercompanyExpense = Add(
        "intercompany-expense",
        Side.Debit,
        [O, C],
        Control.None,
        "counterparty",
        "Charged by another entity.",
        title: "Charges from other entities"
    );
    public static readonly Purpose GiftCardBreakage = Add(
        "gift-card-breakage",
        Side.Credit,
        [R, I],
        Control.None,
        "channel",
        "Gift cards that will never be redeemed.",
        title: "Unredeemed gift cards"
    );
    public static readonly Purpose DeferredRevenue = Add(
        "deferred-revenue",
        Side.Credit,
        [L],
        Control.None,
        "item-group",
        "Revenue invoiced at the end of a month for goods that have not gone out."
    );
    public static readonly Purpose UnbilledRevenue = Add(
        "unbilled-revenue",
        Side.Debit,
        [A],
        Control.None,
        "item-group",
        "Revenue earned at the end of a month by goods that have gone out without their invoice."
    );
    public static readonly Purpose RetainedEarnings = Add(
        "retained-earnings",
        Side.Credit,
        [E],
        Control.None,
        "",
        "Where the year's result goes."
    );

    /// <summary>Every purpose, in the order of the contract.</summary>
    public static IReadOnlyList<Purpose> All { get; } = Listed;

    private static readonly FrozenDictionary<string, Purpose> ByName = Listed.ToFrozenDictionary(
        p => p.Name,
        StringComparer.Ordinal
    );

    /// <summary>The purpose that somebody means who writes its name or its title, in any case and with spaces; null:
    /// none.</summary>
    public static Purpose? Meant(string text) =>
        Find(text.Trim().ToLowerInvariant().Replace(' ', '-'))
        ?? All.FirstOrDefault(p => p.Title.Equals(text.Trim(), StringComparison.OrdinalIgnoreCase));

    /// <summary>The purpose of that name, or null.</summary>
    public static Purpose? Find(string name) => ByName.GetValueOrDefault(name);

    private static Purpose Add(
        string name,
        Side side,
        AccountClass[] classes,
        Control control,
        string ladder,
        string explain,
        string? borrow = null,
        string? title = null
    )
    {
        Rung[] rungs = [.. ladder.Split(", ", StringSplitOptions.RemoveEmptyEntries).Select(Rung.Known)];
        var purpose = new Purpose(
            Listed.Count,
            name,
            title ?? Words.Title(name),
            side,
            classes,
            control,
            rungs,
            borrow,
            explain
        );
        Listed.Add(purpose);
        return purpose;
    }
}
