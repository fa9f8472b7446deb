using System.Collections.Concurrent;
using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tax;
using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.Coverage;

/// <summary>Which records a purpose's legs can have: what its combinations are made of.</summary>
/// <remarks>
/// Active records only, by the posting rules on coverage. A document leg has no item, save that payables has the item
/// group that all
/// lines share; a tax code is on tax legs only. Where a ladder asks for what a purpose's legs never have, the one
/// combination is "none".
/// </remarks>
internal sealed class TakingPart(CompiledSetUp compiled)
{
    private readonly LandingIndex index = compiled.Index;
    private readonly ConcurrentDictionary<(int Kind, int Which, bool OrNone), Axis> axes = new();

    /// <summary>The set-up whose records these are.</summary>
    public SetUp SetUp => compiled.SetUp;

    // A milestone is invoiced without an item.
    private static readonly HashSet<Purpose> ItemMayBeAbsent = [Payables, SalesRevenue, SalesReturns, ProjectRevenue];

    // A channel sells without a party, and stock, production and projects need none.
    private static readonly HashSet<Purpose> PartyMayBeAbsent =
    [
        SalesRevenue,
        SalesReturns,
        SalesDiscount,
        ShippingIncome,
        OutputTax,
        CostOfSales,
        ShippedNotInvoiced,
        DeferredRevenue,
        UnbilledRevenue,
        Bank,
        Clearing,
        GiftCards,
        GiftCardBreakage,
        PaymentFee,
        ChargebackLoss,
        ProductionWip,
        ProductionVariance,
        OwnWorkToProduction,
        OwnWorkToProjects,
        Stock,
        StockInTransit,
        StockAdjustment,
        StockRevaluation,
        ProjectWip,
        ProjectCost,
        ExchangeGain,
        ExchangeLoss,
        RoundingDifference,
    ];

    /// <summary>The records of each axis that take part in a purpose's combinations.</summary>
    public IReadOnlyList<Axis> Of(Purpose purpose) =>
        [.. Enumerable.Range(0, Axis.Kinds.Count).Select(kind => Of(purpose, kind))];

    // Purposes that take the same records share an axis.
    private Axis Of(Purpose purpose, int kind)
    {
        var (which, orNone) = kind switch
        {
            0 => (
                (int)ItemReach.Of(purpose),
                ItemReach.Of(purpose) == ItemSide.None || ItemMayBeAbsent.Contains(purpose)
            ),
            1 => (Parties(purpose), PartyMayBeAbsent.Contains(purpose)),
            7 => (
                purpose == OutputTax ? 1
                : purpose == InputTax ? 2
                : 0,
                purpose != OutputTax && purpose != InputTax
            ),
            8 or 9 => (0, false),
            _ => (0, true),
        };
        return axes.GetOrAdd((kind, which, orNone), _ =>
        {
            var leaves = Leaves(kind, which);
            return new Axis(index, kind, orNone ? leaves.Append(default) : leaves);
        });
    }

    // The side of its parties; above that, whether each of a party's two groups is a combination of its own.
    private int Parties(Purpose purpose)
    {
        var side = PartySides.Of(purpose);
        return side != PartySide.Any ? (int)side
            : AsksForPartyGroup(purpose) ? 3
            : 0;
    }

    private bool AsksForPartyGroup(Purpose purpose) =>
        new[] { purpose, compiled.Landings.BorrowOf(purpose) }
            .OfType<Purpose>()
            .Any(p => compiled.Landings.LadderOf(p).Rungs.Any(r => r.Dimensions.Contains(Dimension.PartyGroup)));

    private IEnumerable<Leaf> Leaves(int kind, int which)
    {
        var setUp = compiled.SetUp;
        IEnumerable<Leaf> Plain(Dimension dimension, IEnumerable<string> codes) =>
            codes.Select(c => new Leaf(index.Of(dimension, c), 0));
        return kind switch
        {
            0 => setUp
                .Items.Where(i =>
                    i.Status == RecordStatus.Active && ((ItemSide)which).Takes(i, compiled.Policies.Perpetual)
                )
                .Select(i => compiled.Item(i.Code)!)
                .Select(i => new Leaf((ItemSide)which == ItemSide.GroupAlone ? 0 : i.Number, i.Group)),
            1 => setUp
                .Parties.Where(p => p.Status == RecordStatus.Active && Reaches(p, which))
                .Select(p => compiled.Party(p.Code)!)
                .SelectMany(p => Of(p, which)),
            2 => setUp
                .Projects.Where(p => p.Status == RecordStatus.Active)
                .Select(p => compiled.Project(p.Code)!)
                .Select(p => new Leaf(p.Number, p.Group)),
            3 => Plain(Dimension.Location, setUp.Locations.Select(l => l.Code)),
            4 => Plain(Dimension.Channel, setUp.Channels.Select(l => l.Code)),
            5 => Plain(Dimension.Method, setUp.Methods.Select(l => l.Code)),
            6 => Plain(Dimension.Reason, setUp.Reasons.Select(l => l.Code)),
            7 => Plain(Dimension.TaxCode, setUp.TaxCodes.Where(c => Reaches(c, which)).Select(c => c.Code)),
            8 => Plain(
                Dimension.Currency,
                setUp
                    .Parties.Select(p => p.Currency)
                    .Concat(setUp.Accounts.Select(a => a.Currency))
                    .OfType<string>()
                    .Append(setUp.Entity.Currency)
                    .Distinct()
            ),
            _ => Plain(Dimension.Counterparty, setUp.OtherEntities),
        };
    }

    private static bool Reaches(Party party, int which) =>
        which switch
        {
            (int)PartySide.Customers => party.Kind is PartyKind.Customer or PartyKind.Both,
            (int)PartySide.Suppliers => party.Kind is PartyKind.Supplier or PartyKind.Both,
            _ => true,
        };

    private static IEnumerable<Leaf> Of(KnownParty party, int which)
    {
        if (which is (int)PartySide.Suppliers)
            return [new Leaf(party.Number, party.SupplierGroup)];
        if (which is (int)PartySide.Customers || party is { CustomerGroup: 0, SupplierGroup: 0 })
            return [new Leaf(party.Number, party.CustomerGroup)];
        if (which != 3)
            return [new Leaf(party.Number, party.CustomerGroup != 0 ? party.CustomerGroup : party.SupplierGroup)];
        return new[] { party.CustomerGroup, party.SupplierGroup }
            .Where(g => g != 0)
            .Select(g => new Leaf(party.Number, g));
    }

    // Whoever is not registered charges no tax and reclaims none, but owes what is reverse-charged to them.
    private bool Reaches(TaxCode code, int which) =>
        which switch
        {
            1 => code.Direction == TaxDirection.Input
                ? code.ReverseCharge
                : !code.ReverseCharge && compiled.Entity.TaxRegistered,
            2 => code.Direction == TaxDirection.Input,
            _ => false,
        };

    /// <summary>
    /// Everything that any leg of a purpose of some side could have: all records, archived ones too, none, and a group
    /// alone. A party
    /// brings the group of that side.
    /// </summary>
    public static IReadOnlyList<Axis> Whatever(CompiledSetUp compiled, PartySide side)
    {
        var (setUp, index) = (compiled.SetUp, compiled.Index);
        IEnumerable<Leaf> Plain(Dimension dimension) =>
            Enumerable.Range(0, index.Size(dimension)).Select(n => new Leaf(n, 0));
        IEnumerable<Leaf> GroupsAlone(Dimension dimension) =>
            Enumerable.Range(0, index.Size(dimension)).Select(n => new Leaf(0, n));
        IEnumerable<Leaf> PartyGroups(GroupKind kind) =>
            setUp.Groups.Where(g => g.Kind == kind).Select(g => new Leaf(0, index.OfGroup(kind, g.Code)));
        var parties = setUp.Parties.Select(p => compiled.Party(p.Code)!).ToList();
        var (customers, suppliers) = (
            parties.Select(p => new Leaf(p.Number, p.CustomerGroup)).Concat(PartyGroups(GroupKind.Customer)),
            parties.Select(p => new Leaf(p.Number, p.SupplierGroup)).Concat(PartyGroups(GroupKind.Supplier))
        );
        IEnumerable<Leaf>[] leaves =
        [
            [
                .. setUp.Items.Select(i => compiled.Item(i.Code)!).Select(i => new Leaf(i.Number, i.Group)),
                .. GroupsAlone(Dimension.ItemGroup),
            ],
            (
                side switch
                {
                    PartySide.Customers => customers,
                    PartySide.Suppliers => suppliers,
                    _ => customers.Concat(suppliers).Distinct(),
                }
            ).Append(default),
            [
                .. setUp.Projects.Select(p => compiled.Project(p.Code)!).Select(p => new Leaf(p.Number, p.Group)),
                .. GroupsAlone(Dimension.ProjectGroup),
            ],
            Plain(Dimension.Location),
            Plain(Dimension.Channel),
            Plain(Dimension.Method),
            Plain(Dimension.Reason),
            Plain(Dimension.TaxCode),
            Plain(Dimension.Currency),
            Plain(Dimension.Counterparty),
        ];
        return [.. leaves.Select((l, kind) => new Axis(index, kind, l))];
    }
}
