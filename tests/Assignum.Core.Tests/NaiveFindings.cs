using Assignum.Core.Chart;
using Assignum.Core.Checks;
using Assignum.Core.Coverage;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tax;

namespace Assignum.Core.Tests;

/// <summary>The checks read as literally as can be: loops over every combination and every pair.</summary>
/// <remarks>Answers are texts: code, severity, place or group, count.</remarks>
internal sealed class NaiveFindings(CompiledSetUp compiled, DateOnly today)
{
    private readonly List<string> found = [];
    private readonly SetUp setUp = compiled.SetUp;

    /// <summary>The codes that are read here.</summary>
    public static readonly IReadOnlySet<string> Codes = Findings
        .All.Select(c => c.Code)
        .Except([
            // Held elsewhere: dead weight against walking, what needs books against posted events.
            "never-wins",
            "changes-nothing",
            "method-mixed",
            "hand-entries-made",
            "wrong-side",
            "likely-double",
        ])
        .ToHashSet();

    /// <summary>A finding as the same text.</summary>
    public static string Say(Finding f) => $"{f.Code}|{Words.Of(f.Severity)}|{f.Of ?? f.Places[0].Label}|{f.Count}";

    private void Add(string code, string severity, string of, Int128 count) =>
        found.Add($"{code}|{severity}|{of}|{count}");

    private Account Of(Assignment a) => setUp.Accounts.Single(x => x.Number == a.Account);

    private bool Miss(Assignment a) => a.Key.Count > 0 && Of(a).Tripwire;

    private static string Label(Assignment a) => string.Join(" \u00b7 ", a.Key.Select(k => k.Value).Prepend(a.Purpose));

    private bool InUse(Account a) => setUp.Assignments.Any(x => x.Account == a.Number);

    private bool Registered => setUp.Entity.TaxRegistered;

    // Every combination of a purpose with the assignment that decides it.
    private IEnumerable<(LegValues Values, Assignment? By)> Decided(Purpose purpose)
    {
        foreach (
            var values in Coverages.Walk(
                compiled.Memory.TakingPart.Of(purpose),
                PurposeCoverage.Dimensions(compiled.Landings, purpose)
            )
        )
        {
            var landed = compiled.Landings.Resolve(purpose, values);
            var at = landed.Borrowed ? compiled.Landings.BorrowOf(purpose)! : purpose;
            yield return (
                values,
                landed.Assignment < 0 ? null : compiled.Landings.AssignmentsOf(at)[landed.Assignment]
            );
        }
    }

    private bool Asks(Purpose purpose, params Dimension[] any) =>
        new[] { purpose, compiled.Landings.BorrowOf(purpose) }
            .OfType<Purpose>()
            .Any(p => compiled.Landings.LadderOf(p).Rungs.Any(r => r.Dimensions.Any(any.Contains)));

    private IReadOnlyList<string> Standings(TaxDirection d) =>
        [
            .. setUp
                .Parties.Where(p => p.Status == RecordStatus.Active && p.TaxStanding is not null)
                .Where(p =>
                    p.Kind == PartyKind.Both
                    || p.Kind == (d == TaxDirection.Output ? PartyKind.Customer : PartyKind.Supplier)
                )
                .Select(p => p.TaxStanding!)
                .Concat(setUp.TaxMatrix.Where(c => c.Direction == d).Select(c => c.Standing))
                .Distinct(),
        ];

    private decimal? RateToday(string code) =>
        setUp
            .TaxRates.Where(r => r.Code == code && r.From <= today)
            .OrderByDescending(r => r.From)
            .Select(r => (decimal?)r.Rate)
            .FirstOrDefault();

    private string? Matrix(string standing, string? category, TaxDirection d) =>
        setUp.TaxMatrix.FirstOrDefault(c => c.Standing == standing && c.Category == category && c.Direction == d)?.Code;

    public IReadOnlyList<string> Of()
    {
        var needed = Reach.Needed(compiled);
        foreach (var purpose in needed)
        {
            var all = Decided(purpose).ToList();
            var none = all.Count(x => x.By is null);
            var trips = all.Count(x => x.By is { Key.Count: 0 } by && Of(by).Tripwire);
            if (none > 0)
                Add("unresolved", "error", purpose.Name, none);
            if (trips > 0)
                Add("tripwire-reached", "warning", purpose.Name, trips);
            var defaults = new[] { purpose, compiled.Landings.BorrowOf(purpose) }
                .OfType<Purpose>()
                .Any(p => setUp.Assignments.Any(a => a.Purpose == p.Name && a.Key.Count == 0));
            if (!defaults && none == 0)
                Add("no-default", all.Count == 0 ? "info" : "warning", purpose.Name, all.Count);
        }
        Tax(needed);
        Assigned(needed);
        Accounts();
        Families(needed);
        Records(needed);
        return found;
    }

    private void Tax(IReadOnlyList<Purpose> needed)
    {
        foreach (var d in Enum.GetValues<TaxDirection>())
        {
            var categories = setUp
                .Items.Where(i => i.Status == RecordStatus.Active && i.TaxCategory is not null)
                .Where(i =>
                    d == TaxDirection.Output
                        ? i.Nature is ItemNature.Goods or ItemNature.Service
                        : i.Nature != ItemNature.GiftCard
                )
                .Select(i => i.TaxCategory!)
                .Append("standard")
                .Distinct();
            if (Registered)
                foreach (var s in Standings(d))
                foreach (var c in categories)
                    if (Matrix(s, c, d) is null)
                        Add("matrix-gap", "warning", $"{s} \u00b7 {c} \u00b7 {Words.Of(d)}", 1);
        }
        foreach (var code in setUp.TaxCodes)
        {
            var taxes =
                RateToday(code.Code) > 0
                || setUp.TaxRates.Any(r => r.Code == code.Code && r.From > today && r.Rate > 0);
            var where = new List<Purpose>();
            if (code.Direction == TaxDirection.Output && !code.ReverseCharge && Registered)
                where.Add(Purposes.OutputTax);
            if (code.Direction == TaxDirection.Input && Registered && code.Deductible > 0)
                where.Add(Purposes.InputTax);
            if (code.Direction == TaxDirection.Input && code.ReverseCharge)
                where.Add(Purposes.OutputTax);
            var number = compiled.Index.Of(Dimension.TaxCode, code.Code);
            var lost = where.Sum(p =>
                Decided(p)
                    .Count(x => x.By is null && (!Asks(p, Dimension.TaxCode) || x.Values[Dimension.TaxCode] == number))
            );
            if (taxes && lost > 0)
                Add("tax-unplaced", "error", code.Code, lost);
            var used =
                setUp.TaxMatrix.Any(c => c.Code == code.Code)
                || setUp.Accounts.Any(a => a.TaxCode == code.Code && InUse(a));
            if (!used)
                continue;
            if (RateToday(code.Code) is null)
                Add("rate-missing", "error", code.Code, 1);
            if (
                code.BaseBox is null
                || RateToday(code.Code) > 0 && code.TaxBox is null
                || code.ReverseCharge && (code.ReverseBaseBox is null || code.ReverseTaxBox is null)
            )
                Add("box-missing", "warning", code.Code, 1);
        }
    }

    private void Assigned(IReadOnlyList<Purpose> needed)
    {
        var idle = new Dictionary<string, int>();
        foreach (var a in setUp.Assignments)
        {
            var (account, purpose) = (Of(a), Purposes.Find(a.Purpose)!);
            if (Miss(a))
            {
                Add("tripwire-above-default", "error", Label(a), 1);
                continue;
            }
            var spared = a.Key.Count == 0 && account.Tripwire;
            if (!purpose.Classes.Contains(account.Class) && !spared)
                Add("class-unfit", "error", Label(a), 1);
            if (account.Control != purpose.Control)
            {
                if (account.Control == Control.None)
                {
                    if (!spared)
                        Add("control-unfit", "error", Label(a), 1);
                }
                else if ((account.HandEntries ?? HandEntries.Refuse) is var rule && rule != HandEntries.Accept)
                    Add("control-unfit", rule == HandEntries.Warn ? "warning" : "error", Label(a), 1);
            }
            if (account.Status == RecordStatus.Archived || account.Kind == AccountKind.Heading)
                Add("account-closed", "error", Label(a), 1);
            if (
                a.Value(Dimension.Item) is { } i && setUp.Items.Single(x => x.Code == i).Status == RecordStatus.Archived
                || a.Value(Dimension.Party) is { } p
                    && setUp.Parties.Single(x => x.Code == p).Status == RecordStatus.Archived
                || a.Value(Dimension.Project) is { } j
                    && setUp.Projects.Single(x => x.Code == j).Status == RecordStatus.Archived
            )
                Add("record-archived", "info", Label(a), 1);
            if (!needed.Contains(purpose) && !needed.Any(n => compiled.Landings.BorrowOf(n) == purpose))
                idle[a.Purpose] = idle.GetValueOrDefault(a.Purpose) + 1;
            if (KeyUnfit(a, purpose))
                Add("key-unfit", "warning", Label(a), 1);
            var output = a.Purpose is "sales-revenue" or "sales-returns" or "project-revenue" or "shipping-income";
            var input = a.Purpose is "non-stock-cost" or "project-cost";
            if (
                Registered
                && (output && account.TaxAdmits == TaxAdmits.Input || input && account.TaxAdmits == TaxAdmits.Output)
            )
                Add("tax-unfit", "error", Label(a), 1);
            bool Decides(Func<Purpose, LegValues, bool> refused) =>
                needed
                    .Where(n => n == purpose || compiled.Landings.BorrowOf(n) == purpose)
                    .Any(n => Decided(n).Any(x => x.By == a && refused(n, x.Values)));
            if (
                account.PartyKinds != PartyKinds.All
                && Decides(
                    (n, v) =>
                        Asks(n, Dimension.Party, Dimension.PartyGroup)
                        && v[Dimension.Party] is var number
                        && (
                            number == 0
                                ? account.Control is Control.Receivables or Control.Payables
                                : !Admits(
                                    account.PartyKinds,
                                    setUp
                                        .Parties.Single(x => x.Code == compiled.Index.Key(Dimension.Party, number))
                                        .Kind
                                )
                        )
                )
            )
                Add("party-kind-unfit", "error", Label(a), 1);
            if (
                account.Currency is { } currency
                && Decides(
                    (n, v) =>
                        Asks(n, Dimension.Currency)
                        && v[Dimension.Currency] != compiled.Index.Of(Dimension.Currency, currency)
                )
            )
                Add("currency-unfit", "error", Label(a), 1);
        }
        foreach (var (purpose, count) in idle)
            Add("idle", "info", purpose, count);
        var between = "gift-cards clearing customer-deposits supplier-deposits stock-in-transit production-wip";
        foreach (var purpose in between.Split(' '))
        {
            var byDefault = setUp.Assignments.FirstOrDefault(a => a.Purpose == purpose && a.Key.Count == 0)?.Account;
            var accounts = setUp
                .Assignments.Where(a => a.Purpose == purpose && !Miss(a) && a.Account != byDefault)
                .Where(a =>
                    a.Key.Any(k =>
                        k.Dimension is Dimension.Location or Dimension.Channel or Dimension.Method or Dimension.Project
                    )
                )
                .Select(a => a.Account)
                .Distinct()
                .Count();
            if (accounts >= 2)
                Add("between-split", "warning", purpose, accounts);
        }
    }

    private static bool Admits(PartyKinds kinds, PartyKind kind) =>
        kind switch
        {
            PartyKind.Customer => kinds.HasFlag(PartyKinds.Customers),
            PartyKind.Supplier => kinds.HasFlag(PartyKinds.Suppliers),
            PartyKind.Both => kinds.HasFlag(PartyKinds.Customers) || kinds.HasFlag(PartyKinds.Suppliers),
            _ => kinds.HasFlag(PartyKinds.Others),
        };

    private bool KeyUnfit(Assignment a, Purpose purpose)
    {
        if (
            a.Value(Dimension.Item) is { } item
            && !ItemReach.Of(purpose).Takes(setUp.Items.Single(i => i.Code == item), compiled.Policies.Perpetual)
        )
            return true;
        if (a.Value(Dimension.PartyGroup) is { } group)
        {
            bool Has(GroupKind kind) => setUp.Groups.Any(g => g.Kind == kind && g.Code == group);
            if (PartySides.Of(purpose) == PartySide.Customers && !Has(GroupKind.Customer) && Has(GroupKind.Supplier))
                return true;
            if (PartySides.Of(purpose) == PartySide.Suppliers && !Has(GroupKind.Supplier) && Has(GroupKind.Customer))
                return true;
        }
        return a.Value(Dimension.TaxCode) is { } code
            && setUp.TaxCodes.Single(c => c.Code == code) is var tax
            && (
                a.Purpose == "input-tax" && tax.Direction == TaxDirection.Output
                || a.Purpose == "output-tax" && tax.Direction == TaxDirection.Input && !tax.ReverseCharge
            );
    }

    private void Accounts()
    {
        var posting = setUp
            .Accounts.Where(a => a.Kind == AccountKind.Posting && a.Status == RecordStatus.Active)
            .ToList();
        foreach (var a in posting.Where(InUse))
        {
            var rows = setUp.Crosswalk.Where(c => c.Account == a.Number).Select(c => c.Balance).ToList();
            if (
                setUp.Crosswalk.Count > 0
                && !rows.Contains("any")
                && !(rows.Contains("debit") && rows.Contains("credit"))
            )
                Add("no-group-account", "warning", a.Number, 1);
        }
        foreach (var of in posting.GroupBy(a => a.Class))
        {
            var have = of.Count(a => a.ReportCodes is not null);
            var without = of.Count(a => a.ReportCodes is null && InUse(a));
            if (have * 2 >= of.Count() && have > 0 && without > 0)
                Add("no-report-code", "info", $"{Words.Of(of.Key)} \u00b7 return", without);
            var idle = of.Count(a => !InUse(a) && !setUp.ReliefAccounts.Any(r => r.Relief == a.Number));
            if (idle > 0)
                Add("account-idle", "info", Words.Of(of.Key), idle);
            foreach (var name in of.Where(InUse).GroupBy(a => a.Name.Replace(" ", "").ToUpperInvariant()))
                if (name.Count() > 1)
                    Add("name-doubled", "info", $"{Words.Of(of.Key)} \u00b7 {name.First().Name}", name.Count());
        }
        foreach (var r in setUp.ReliefAccounts)
        {
            var (own, relief) = (
                setUp.Accounts.Single(a => a.Number == r.Account),
                setUp.Accounts.Single(a => a.Number == r.Relief)
            );
            if (
                relief.Status == RecordStatus.Archived
                || relief.Kind == AccountKind.Heading
                || relief.Tripwire
                || own == relief
                || own.Control != relief.Control
                || own.Control == Control.None
            )
                Add("relief-unfit", "error", $"{r.Account} \u00b7 {r.Relief}", 1);
        }
        foreach (var a in setUp.Accounts)
        {
            var controls = setUp
                .Assignments.Where(x => x.Account == a.Number && !a.Tripwire)
                .Select(x => Purposes.Find(x.Purpose)!.Control)
                .Where(c => c != Control.None)
                .Distinct()
                .Count();
            if (controls > 1)
                Add("two-subledgers", "warning", a.Number, controls);
            var bands = setUp.NumberBands.Where(b => b.Class == a.Class).ToList();
            if (bands.Count > 0 && !bands.Any(b => In(b, a.Number)))
                Add("outside-band", "info", a.Number, 1);
            if (a.Control != Control.None && a.HandEntries == HandEntries.Accept && InUse(a))
                Add("hand-entries-open", "warning", a.Number, 1);
            if (a.TaxCode is null)
                continue;
            var direction = setUp.TaxCodes.Single(c => c.Code == a.TaxCode).Direction;
            if (
                a.TaxAdmits == TaxAdmits.None
                || a.TaxAdmits == TaxAdmits.Input && direction == TaxDirection.Output
                || a.TaxAdmits == TaxAdmits.Output && direction == TaxDirection.Input
            )
                Add("tax-direction", "error", a.Number, 1);
            var items = 0;
            foreach (
                var (purpose, d) in new[]
                {
                    (Purposes.SalesRevenue, TaxDirection.Output),
                    (Purposes.NonStockCost, TaxDirection.Input),
                }
            )
            {
                if (a.TaxAdmits != TaxAdmits.Both && a.TaxAdmits != (TaxAdmits)(d == TaxDirection.Output ? 2 : 1))
                    continue;
                var standings = Standings(d);
                if (standings.Count == 0)
                    continue;
                items += Decided(purpose)
                    .Where(x => x.By is not null && x.By.Account == a.Number && x.Values[Dimension.Item] > 0)
                    .Select(x => compiled.Index.Key(Dimension.Item, x.Values[Dimension.Item]))
                    .Distinct()
                    .Select(c => setUp.Items.Single(i => i.Code == c))
                    .Count(i =>
                        i.TaxCategory is not null
                        && standings.All(s => Matrix(s, i.TaxCategory, d) is { } code && code != a.TaxCode)
                    );
            }
            if (items > 0)
                Add("tax-default-contradicts", "warning", a.Number, items);
        }
    }

    private static bool In(NumberBand band, string number) =>
        number.Length >= band.From.Length
        && string.CompareOrdinal(number[..band.From.Length], band.From) >= 0
        && string.CompareOrdinal(number[..band.To.Length], band.To) <= 0;

    private (Account? Account, Assignment? By) Lands(Purpose purpose, string? item, string? group)
    {
        var values = default(LegValues);
        values[Dimension.Item] = compiled.Index.Of(Dimension.Item, item);
        values[Dimension.ItemGroup] = compiled.Index.OfGroup(GroupKind.Item, group);
        var trace = compiled.Landings.TraceOf(purpose, values);
        if (trace.Account is null)
            return (null, null);
        var at = trace.BorrowedFrom ?? purpose.Name;
        return (
            setUp.Accounts.Single(a => a.Number == trace.Account),
            setUp.Assignments.Single(a => a.Identity == Assignment.IdentityOf(at, trace.Key))
        );
    }

    private IEnumerable<string> Above(string? group)
    {
        for (
            var at = group;
            at is not null;
            at = setUp.Groups.Single(g => g.Kind == GroupKind.Item && g.Code == at).Parent
        )
            yield return at;
    }

    private void Families(IReadOnlyList<Purpose> needed)
    {
        var three = new[] { Purposes.Stock, Purposes.SalesRevenue, Purposes.CostOfSales }
            .Where(needed.Contains)
            .ToList();
        var stock = setUp
            .Items.Where(i => i.Status == RecordStatus.Active && i.Nature == ItemNature.Goods && i.Stocked)
            .ToList();
        var told = stock.ToDictionary(
            i => i.Code,
            i =>
                three
                    .Select(p => Lands(p, i.Code, i.Group).Account)
                    .Where(a => a is { Tripwire: false, Family: not null })
                    .ToList()
        );
        foreach (
            var of in stock
                .Where(i => told[i.Code].Select(a => a!.Family).Distinct().Count() > 1)
                .GroupBy(i => string.Join(" \u00b7 ", told[i.Code].Select(a => a!.Number)))
        )
            Add("mixed-family", "warning", of.Key, of.Count());
        foreach (var item in stock)
            if (item.Costing == Costing.Standard && item.StandardCost is null)
                Add("costing-incomplete", "error", item.Code, 1);
        var groups = setUp.Groups.Where(g => g.Kind == GroupKind.Item).ToList();
        List<string> FamiliesIn(IEnumerable<string> codes) =>
            [
                .. stock
                    .Where(i => Above(i.Group).Any(codes.Contains))
                    .Select(i => told[i.Code].Select(a => a!.Family!).Distinct().ToList())
                    .Where(f => f.Count == 1)
                    .Select(f => f[0]),
            ];
        foreach (var g in groups)
        {
            var own = FamiliesIn([g.Code]);
            var sisters = FamiliesIn(groups.Where(x => x.Parent == g.Parent && x.Code != g.Code).Select(x => x.Code));
            var theirs = sisters.GroupBy(f => f).FirstOrDefault(f => f.Count() >= 0.9 * sisters.Count)?.Key;
            if (own.Count >= 3 && theirs is not null && own.Count(f => f != theirs) >= 0.9 * own.Count)
                Add("family-stray", "info", $"item \u00b7 {g.Code}", own.Count);
            var items = stock.Count(i => Above(i.Group).Contains(g.Code));
            var named = three
                .Where(p =>
                    setUp.Assignments.Any(a =>
                        a.Purpose == p.Name && a.Value(Dimension.ItemGroup) == g.Code && !Miss(a)
                    )
                )
                .ToList();
            if (
                items > 0
                && named.Count > 0
                && named.Count < three.Count
                && three.Except(named).Any(p => Lands(p, null, g.Code).By is { Key.Count: 0 })
            )
                Add("half-own", "warning", $"item \u00b7 {g.Code}", items);
        }
    }

    private void Records(IReadOnlyList<Purpose> needed)
    {
        bool Asked(Purpose p, Dimension d) =>
            setUp.Assignments.Any(a => a.Purpose == p.Name && !Miss(a) && a.Value(d) is not null);
        var items = setUp.Items.Count(i =>
            i.Status == RecordStatus.Active
            && i.Group is null
            && needed.Any(p => Asked(p, Dimension.ItemGroup) && ItemReach.Of(p).Takes(i, compiled.Policies.Perpetual))
        );
        if (items > 0)
            Add("no-group", "warning", "items", items);
        foreach (
            var (of, side, kind) in new[]
            {
                ("customers", PartySide.Customers, PartyKind.Customer),
                ("suppliers", PartySide.Suppliers, PartyKind.Supplier),
            }
        )
        {
            var count = setUp.Parties.Count(p =>
                p.Status == RecordStatus.Active
                && (p.Kind == kind || p.Kind == PartyKind.Both)
                && (side == PartySide.Customers ? p.CustomerGroup : p.SupplierGroup) is null
                && needed.Any(n =>
                    Asked(n, Dimension.PartyGroup) && (PartySides.Of(n) == side || PartySides.Of(n) == PartySide.Any)
                )
            );
            if (count > 0)
                Add("no-group", "warning", of, count);
        }
        string? GroupOf(Project p) =>
            p.Group ?? (p.Parent is null ? null : GroupOf(setUp.Projects.Single(x => x.Code == p.Parent)));
        var projects = setUp.Projects.Count(p =>
            p.Status == RecordStatus.Active && GroupOf(p) is null && needed.Any(n => Asked(n, Dimension.ProjectGroup))
        );
        if (projects > 0)
            Add("no-group", "warning", "projects", projects);
        if (Registered)
        {
            var parties = setUp.Parties.Count(p =>
                p.Status == RecordStatus.Active && p.TaxStanding is null && p.Kind != PartyKind.Other
            );
            if (parties > 0)
                Add("no-standing", "warning", "parties", parties);
            var without = setUp.Items.Count(i =>
                i.Status == RecordStatus.Active
                && i.TaxCategory is null
                && (i.Nature == ItemNature.Goods || i.Nature == ItemNature.Service)
            );
            if (without > 0)
                Add("no-category", "warning", "items", without);
        }
        foreach (var g in setUp.Groups)
        {
            bool Under(string? code)
            {
                for (
                    var at = code;
                    at is not null;
                    at = setUp.Groups.Single(x => x.Kind == g.Kind && x.Code == at).Parent
                )
                    if (at == g.Code)
                        return true;
                return false;
            }
            var members = g.Kind switch
            {
                GroupKind.Item => setUp.Items.Count(i => i.Status == RecordStatus.Active && Under(i.Group)),
                GroupKind.Customer => setUp.Parties.Count(p =>
                    p.Status == RecordStatus.Active
                    && p.Kind is PartyKind.Customer or PartyKind.Both
                    && p.Status == RecordStatus.Active
                    && Under(p.CustomerGroup)
                ),
                GroupKind.Supplier => setUp.Parties.Count(p =>
                    p.Status == RecordStatus.Active
                    && (p.Kind == PartyKind.Supplier || p.Kind == PartyKind.Both)
                    && Under(p.SupplierGroup)
                ),
                _ => setUp.Projects.Count(p => p.Status == RecordStatus.Active && Under(GroupOf(p))),
            };
            if (members == 0)
                Add("group-empty", "info", $"{Words.Of(g.Kind)} \u00b7 {g.Code}", 1);
        }
    }
}
