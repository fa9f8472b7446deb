using System.Collections.Concurrent;
using Assignum.Core.Chart;
using Assignum.Core.Groups;
using Assignum.Core.Landing;
using Assignum.Core.SetUps;
using Assignum.Core.Tax;
using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.Coverage;

/// <summary>Which records a purpose's legs can have: what its combinations are made of.</summary>
/// <remarks>
/// Active records only, by the posting rules on coverage. Where those are silent: a purpose without items of its own whose ladder asks
/// for one can have any item or none, and a tax code is on tax legs only, so that elsewhere there is none.
/// </remarks>
internal sealed class TakingPart(CompiledSetUp compiled)
{
    private readonly LandingIndex index = compiled.Index;
    private readonly ConcurrentDictionary<(int Kind, int Which, bool OrNone), Axis> axes = new();

    /// <summary>The set-up whose records these are.</summary>
    public SetUp SetUp => compiled.SetUp;

    private static readonly HashSet<Purpose> StockItems = [Stock, StockInTransit, ShippedNotInvoiced, CostOfSales, StockAdjustment, StockRevaluation, PurchaseVariance, ProductionWip, ProductionVariance];
    private static readonly HashSet<Purpose> NoStockNoCards = [NonStockCost, PurchaseDiscount, OwnWorkToProjects];
    private static readonly HashSet<Purpose> NoCards = [SalesRevenue, SalesReturns, ReceivedNotInvoiced, ProjectCost, ProjectRevenue, Payables];

    private static readonly HashSet<Purpose> OfCustomers =
    [
        Receivables, SalesRevenue, SalesReturns, SalesDiscount, ShippingIncome, CostOfSales, CustomerDeposits, ProjectWip, ProjectBillings, AccruedRevenue, ProjectRevenue, ProjectCost, OwnWorkToProjects,
        PaymentDiscountGiven, PaymentWriteOff, InterestIncome,
    ];

    private static readonly HashSet<Purpose> OfSuppliers = [Payables, ReceivedNotInvoiced, NonStockCost, PurchaseVariance, PurchaseDiscount, SupplierDeposits, PaymentDiscountTaken];

    // Purposes of channel and production events, which need not name a party.
    private static readonly HashSet<Purpose> PartyMayBeAbsent = [Bank, Clearing, GiftCards, PaymentFee, ChargebackLoss, GiftCardBreakage, ProductionWip, OwnWorkToProduction, ProductionVariance];

    /// <summary>The records of each axis that take part in a purpose's combinations.</summary>
    public IReadOnlyList<Axis> Of(Purpose purpose) => [.. Enumerable.Range(0, Axis.Kinds.Count).Select(kind => Of(purpose, kind))];

    // Purposes that take the same records share an axis.
    private Axis Of(Purpose purpose, int kind)
    {
        var direction = purpose == OutputTax ? TaxDirection.Output : purpose == InputTax ? TaxDirection.Input : (TaxDirection?)null;
        var suppliers = OfSuppliers.Contains(purpose);
        var customers = OfCustomers.Contains(purpose);
        var orNone = kind switch { 0 => purpose == Payables || !HasItems(purpose), 1 => PartyMayBeAbsent.Contains(purpose), 2 or 3 or 4 or 5 or 6 => true, 7 => direction is null, _ => false };
        var which = kind switch { 0 => (StockItems.Contains(purpose) ? 0 : NoStockNoCards.Contains(purpose) || purpose == OwnWorkToProduction ? 1 : NoCards.Contains(purpose) ? 2 : 3), 1 => customers ? 0 : suppliers ? 1 : 2, 7 => direction is null ? 0 : 1 + (int)direction, _ => 0 };
        return axes.GetOrAdd((kind, which, orNone), _ =>
        {
            var leaves = Leaves(kind, which, suppliers, customers);
            return new Axis(index, kind, orNone ? leaves.Append(default) : leaves);
        });
    }

    private IEnumerable<Leaf> Leaves(int kind, int which, bool suppliers, bool customers)
    {
        var setUp = compiled.SetUp;
        IEnumerable<Leaf> Plain(Dimension dimension, IEnumerable<string> codes) => codes.Select(c => new Leaf(index.Of(dimension, c), 0));
        return kind switch
        {
            0 => setUp.Items.Where(i => i.Status == RecordStatus.Active && which switch { 0 => i.IsStockItem, 1 => i.Nature != ItemNature.GiftCard && !i.IsStockItem, 2 => i.Nature != ItemNature.GiftCard, _ => true }).Select(i => compiled.Item(i.Code)!).Select(i => new Leaf(i.Number, i.Group)),
            1 => setUp.Parties.Where(p => p.Status == RecordStatus.Active && (customers ? p.Kind is PartyKind.Customer or PartyKind.Both : !suppliers || p.Kind is PartyKind.Supplier or PartyKind.Both)).Select(p => compiled.Party(p.Code)!)
                .Select(p => new Leaf(p.Number, suppliers || !customers && p.Party.Kind == PartyKind.Supplier ? p.SupplierGroup : p.CustomerGroup)),
            2 => setUp.Projects.Where(p => p.Status == RecordStatus.Active).Select(p => compiled.Project(p.Code)!).Select(p => new Leaf(p.Number, p.Group)),
            3 => Plain(Dimension.Location, setUp.Locations.Select(l => l.Code)),
            4 => Plain(Dimension.Channel, setUp.Channels.Select(l => l.Code)),
            5 => Plain(Dimension.Method, setUp.Methods.Select(l => l.Code)),
            6 => Plain(Dimension.Reason, setUp.Reasons.Select(l => l.Code)),
            7 => which == 0 ? [] : Plain(Dimension.TaxCode, setUp.TaxCodes.Where(c => (int)c.Direction == which - 1).Select(c => c.Code)),
            8 => Plain(Dimension.Currency, setUp.Parties.Select(p => p.Currency).Concat(setUp.Accounts.Select(a => a.Currency)).OfType<string>().Append(setUp.Entity.Currency).Distinct()),
            _ => Plain(Dimension.Counterparty, setUp.OtherEntities),
        };
    }

    /// <summary>Everything that any leg could have: all records, archived ones too, none, and a group alone.</summary>
    public static IReadOnlyList<Axis> Whatever(CompiledSetUp compiled)
    {
        var (setUp, index) = (compiled.SetUp, compiled.Index);
        IEnumerable<Leaf> Plain(Dimension dimension) => Enumerable.Range(0, index.Size(dimension)).Select(n => new Leaf(n, 0));
        IEnumerable<Leaf> GroupsAlone(Dimension dimension) => Enumerable.Range(0, index.Size(dimension)).Select(n => new Leaf(0, n));
        IEnumerable<Leaf>[] leaves =
        [
            [.. setUp.Items.Select(i => compiled.Item(i.Code)!).Select(i => new Leaf(i.Number, i.Group)), .. GroupsAlone(Dimension.ItemGroup)],
            [.. setUp.Parties.Select(p => compiled.Party(p.Code)!).SelectMany(p => new[] { new Leaf(p.Number, p.CustomerGroup), new Leaf(p.Number, p.SupplierGroup) }).Distinct(), .. GroupsAlone(Dimension.PartyGroup)],
            [.. setUp.Projects.Select(p => compiled.Project(p.Code)!).Select(p => new Leaf(p.Number, p.Group)), .. GroupsAlone(Dimension.ProjectGroup)],
            Plain(Dimension.Location), Plain(Dimension.Channel), Plain(Dimension.Method), Plain(Dimension.Reason), Plain(Dimension.TaxCode), Plain(Dimension.Currency), Plain(Dimension.Counterparty),
        ];
        return [.. leaves.Select((l, kind) => new Axis(index, kind, l))];
    }

    private static bool HasItems(Purpose purpose) => StockItems.Contains(purpose) || NoStockNoCards.Contains(purpose) || NoCards.Contains(purpose) || purpose == OwnWorkToProduction || purpose == SalesDiscount;
}
