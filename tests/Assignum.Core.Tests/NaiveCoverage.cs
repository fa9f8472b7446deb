using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tax;

namespace Assignum.Core.Tests;

/// <summary>The posting rules on coverage, read as literally as can be: lists of names and loops over every
/// combination.</summary>
/// <remarks>It shares nothing with the product's own tables: who changes one must change the other.</remarks>
internal static class NaiveCoverage
{
    private static HashSet<string> Named(string names) => [.. names.Split(' ', StringSplitOptions.RemoveEmptyEntries)];

    private static readonly HashSet<string> StockItems = Named(
        "stock stock-in-transit shipped-not-invoiced cost-of-sales stock-adjustment stock-revaluation production-wip "
            + "production-variance"
    );
    private static readonly HashSet<string> OwnWork = Named("own-work-to-production");
    private static readonly HashSet<string> NotStock = Named("non-stock-cost purchase-discount own-work-to-projects");
    private static readonly HashSet<string> NoCards = Named(
        "sales-revenue sales-returns received-not-invoiced purchase-variance project-cost project-revenue payables"
    );
    private static readonly HashSet<string> AllItems = Named("sales-discount");
    private static readonly HashSet<string> NoItem = Named("payables sales-revenue sales-returns project-revenue");

    private static readonly HashSet<string> Customers = Named(
        """
        receivables sales-revenue sales-returns sales-discount shipping-income cost-of-sales shipped-not-invoiced
          customer-deposits project-billings
        project-revenue accrued-revenue payment-discount-given payment-write-off interest-income
        """.ReplaceLineEndings(" ")
    );
    private static readonly HashSet<string> Suppliers = Named(
        "payables received-not-invoiced non-stock-cost purchase-variance purchase-discount supplier-deposits "
            + "payment-discount-taken"
    );
    private static readonly HashSet<string> NoParty = Named(
        """
        sales-revenue sales-returns sales-discount shipping-income output-tax cost-of-sales shipped-not-invoiced bank
          clearing gift-cards gift-card-breakage
        payment-fee chargeback-loss production-wip production-variance own-work-to-production own-work-to-projects stock
          stock-in-transit stock-adjustment
        stock-revaluation project-wip project-cost exchange-gain exchange-loss rounding
        """.ReplaceLineEndings(" ")
    );

    /// <summary>How many combinations each slot decides.</summary>
    public static Dictionary<string, long> Count(CompiledSetUp setUp, Purpose purpose)
    {
        var ladders = new[] { purpose, setUp.Landings.BorrowOf(purpose) }
            .OfType<Purpose>()
            .Select(setUp.Landings.LadderOf)
            .ToList();
        var asked = ladders.SelectMany(l => l.Rungs).SelectMany(r => r.Dimensions).ToHashSet();
        IEnumerable<LegValues> all = [default];
        void Cross(IReadOnlyList<(Dimension Dimension, int Value)[]> choices) =>
            all = all.SelectMany(v =>
                    choices.Select(c =>
                    {
                        var more = v;
                        foreach (var (d, n) in c)
                            more[d] = n;
                        return more;
                    })
                )
                .ToList();

        if (asked.Overlaps([Dimension.Item, Dimension.ItemGroup]))
            Cross(Items(setUp, purpose.Name));
        if (asked.Overlaps([Dimension.Party, Dimension.PartyGroup]))
            Cross(Parties(setUp, purpose.Name, asked.Contains(Dimension.PartyGroup)));
        if (asked.Overlaps([Dimension.Project, Dimension.ProjectGroup]))
            Cross([
                [],
                .. setUp
                    .SetUp.Projects.Where(p => p.Status == RecordStatus.Active)
                    .Select(p => setUp.Project(p.Code)!)
                    .Select(p => new[] { (Dimension.Project, p.Number), (Dimension.ProjectGroup, p.Group) }),
            ]);
        foreach (
            var (dimension, codes) in new[]
            {
                (Dimension.Location, setUp.SetUp.Locations),
                (Dimension.Channel, setUp.SetUp.Channels),
                (Dimension.Method, setUp.SetUp.Methods),
                (Dimension.Reason, setUp.SetUp.Reasons),
            }
        )
            if (asked.Contains(dimension))
                Cross([
                    [],
                    .. codes.Select(c => new[] { (dimension, setUp.Index.Of(dimension, c.Code)) }),
                ]);
        if (asked.Contains(Dimension.TaxCode))
            Cross(TaxCodes(setUp, purpose.Name));
        if (asked.Contains(Dimension.Currency))
            Cross([
                .. setUp
                    .SetUp.Parties.Select(p => p.Currency)
                    .Concat(setUp.SetUp.Accounts.Select(a => a.Currency))
                    .Append(setUp.Entity.Currency)
                    .OfType<string>()
                    .Distinct()
                    .Select(c => new[] { (Dimension.Currency, setUp.Index.Of(Dimension.Currency, c)) }),
            ]);
        if (asked.Contains(Dimension.Counterparty))
            Cross([
                .. setUp.SetUp.OtherEntities.Select(c =>
                    new[] { (Dimension.Counterparty, setUp.Index.Of(Dimension.Counterparty, c)) }
                ),
            ]);
        return all.CountBy(v => Slot(setUp, purpose, v)).ToDictionary(x => x.Key, x => (long)x.Value);
    }

    private static List<(Dimension, int)[]> Items(CompiledSetUp setUp, string purpose)
    {
        bool Reaches(Item i) =>
            StockItems.Contains(purpose) ? i.IsStockItem
            : OwnWork.Contains(purpose)
                ? i.Nature is ItemNature.Labour or ItemNature.Overhead or ItemNature.Service
                    || i is { Nature: ItemNature.Goods, Stocked: false }
            : NotStock.Contains(purpose)
                ? i.Nature != ItemNature.GiftCard && !(i.IsStockItem && setUp.Policies.Perpetual)
            : NoCards.Contains(purpose) ? i.Nature != ItemNature.GiftCard
            : AllItems.Contains(purpose);
        var items = setUp
            .SetUp.Items.Where(i => i.Status == RecordStatus.Active && Reaches(i))
            .Select(i => setUp.Item(i.Code)!)
            // Payables knows the group alone.
            .Select(i =>
                purpose == "payables"
                    ? new[] { (Dimension.ItemGroup, i.Group) }
                    : [(Dimension.Item, i.Number), (Dimension.ItemGroup, i.Group)]
            )
            .ToList();
        var named = StockItems.Concat(OwnWork).Concat(NotStock).Concat(NoCards).Concat(AllItems).Contains(purpose);
        if (!named || NoItem.Contains(purpose))
            items.Add([]);
        return items;
    }

    private static List<(Dimension, int)[]> Parties(CompiledSetUp setUp, string purpose, bool byGroup)
    {
        var parties = new List<(Dimension, int)[]>();
        foreach (
            var party in setUp
                .SetUp.Parties.Where(p => p.Status == RecordStatus.Active)
                .Select(p => setUp.Party(p.Code)!)
        )
        {
            if (Customers.Contains(purpose))
            {
                if (party.Party.Kind is PartyKind.Customer or PartyKind.Both)
                    parties.Add([(Dimension.Party, party.Number), (Dimension.PartyGroup, party.CustomerGroup)]);
            }
            else if (Suppliers.Contains(purpose))
            {
                if (party.Party.Kind is PartyKind.Supplier or PartyKind.Both)
                    parties.Add([(Dimension.Party, party.Number), (Dimension.PartyGroup, party.SupplierGroup)]);
            }
            else
            {
                var groups = new[] { party.CustomerGroup, party.SupplierGroup }.Where(g => g > 0).ToList();
                if (!byGroup || groups.Count == 0)
                    parties.Add([(Dimension.Party, party.Number)]);
                else
                    parties.AddRange(
                        groups.Select(g => new[] { (Dimension.Party, party.Number), (Dimension.PartyGroup, g) })
                    );
            }
        }
        if (NoParty.Contains(purpose))
            parties.Add([]);
        return parties;
    }

    private static List<(Dimension, int)[]> TaxCodes(CompiledSetUp setUp, string purpose) =>
        purpose is not ("output-tax" or "input-tax")
            ?
            [
                [],
            ]
            :
            [
                .. setUp
                    .SetUp.TaxCodes.Where(c =>
                        purpose == "input-tax" ? c.Direction == TaxDirection.Input
                        : c.Direction == TaxDirection.Input ? c.ReverseCharge
                        : !c.ReverseCharge && setUp.Entity.TaxRegistered
                    )
                    .Select(c => new[] { (Dimension.TaxCode, setUp.Index.Of(Dimension.TaxCode, c.Code)) }),
            ];

    private static string Slot(CompiledSetUp setUp, Purpose purpose, LegValues values)
    {
        var trace = setUp.Landings.TraceOf(purpose, values);
        return trace.Account is null ? "none"
            : setUp.Account(trace.Account)!.Tripwire && trace.Rung == "default" ? "tripwire"
            : trace.BorrowedFrom is not null ? "borrowed"
            : trace.Rung!;
    }
}
