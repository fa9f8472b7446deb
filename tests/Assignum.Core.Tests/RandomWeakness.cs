using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tax;
using static Assignum.Core.Tests.Books;

namespace Assignum.Core.Tests;

/// <summary>Small set-ups with every weakness that checks know, planted at random.</summary>
internal static class RandomWeakness
{
    private static readonly string[] Families = ["brass", "glass"];

    /// <summary>One of them; the same for the same seed.</summary>
    public static SetUp Make(int seed)
    {
        var random = new Random(seed);
        bool One(int of) => random.Next(of) == 0;
        T Any<T>(params T[] of) => of[random.Next(of.Length)];
        string? Maybe(params string[] of) => One(3) ? null : Any(of);
        var groups = new List<LandingGroup>();
        foreach (var kind in Enum.GetValues<GroupKind>())
            for (var i = 0; i < 4; i++)
                groups.Add(
                    new LandingGroup(kind, "G" + i, "Group " + i, i == 0 || One(2) ? null : "G" + random.Next(i))
                );
        // A code that one side has alone.
        groups.Add(new LandingGroup(GroupKind.Customer, "GC", "Customers", null));
        groups.Add(new LandingGroup(GroupKind.Supplier, "GS", "Suppliers", null));
        var accounts = Shop
            .Accounts.Append(Account("3000", AccountClass.Equity))
            .Append(Account("8000", AccountClass.IncomeTax))
            .Select(a =>
                a with
                {
                    Name = One(6) ? "One name" : a.Name,
                    Family = One(3) ? Any(Families) : null,
                    Status = One(14) ? RecordStatus.Archived : RecordStatus.Active,
                    Kind = One(25) ? AccountKind.Heading : AccountKind.Posting,
                    Tripwire = a.Control == Control.None && One(14),
                    HandEntries = One(4) ? Any(HandEntries.Accept, HandEntries.Warn, HandEntries.Refuse) : null,
                    PartyKinds = One(6) ? Any(PartyKinds.Customers, PartyKinds.Suppliers) : PartyKinds.All,
                    Currency = One(9) ? Any("EUR", "USD") : null,
                    TaxCode = One(3) ? Any("S", "P", "X", "R") : null,
                    TaxAdmits = One(3) ? Any(TaxAdmits.Input, TaxAdmits.Output, TaxAdmits.None) : TaxAdmits.Both,
                    ReportCodes = One(2) ? "return=R1" : null,
                }
            )
            .ToList();
        // Every third has families that go by groups, with one group that strays.
        var orderly = One(3);
        if (orderly)
        {
            accounts.RemoveAll(a => a.Number is "1400" or "4000" or "5000");
            foreach (
                var (number, of, control, family) in new[]
                {
                    ("1400", AccountClass.Asset, Control.Stock, "brass"),
                    ("4000", AccountClass.Revenue, Control.None, "brass"),
                    ("5000", AccountClass.CostOfSales, Control.None, "brass"),
                    ("1409", AccountClass.Asset, Control.Stock, "glass"),
                    ("4009", AccountClass.Revenue, Control.None, "glass"),
                    ("5009", AccountClass.CostOfSales, Control.None, "glass"),
                }
            )
                accounts.Add(Account(number, of, control) with { Family = family });
        }
        string Number() => accounts[random.Next(accounts.Count)].Number;
        var assignments = new Dictionary<string, Assignment>(StringComparer.Ordinal);
        foreach (var purpose in Purposes.All)
        {
            var fit = accounts.Where(a => Fitness.Of(a, purpose, false) is null).Select(a => a.Number).ToArray();
            string To() => fit.Length > 0 && !One(6) ? Any(fit) : Number();
            void Add(params (Dimension, string)[] key)
            {
                var made = new Assignment(
                    purpose.Name,
                    To(),
                    [.. key.OrderBy(k => k.Item1).Select(k => new KeyPart(k.Item1, k.Item2))]
                );
                assignments.TryAdd(made.Identity, made);
            }
            if (!One(7))
                Add();
            var ladder = purpose.Shipped.Where(r => r != Rung.Line && r.Dimensions.Count > 0).ToList();
            for (var i = random.Next(4); i > 0 && ladder.Count > 0; i--)
                Add([
                    .. Any([.. ladder])
                        .Dimensions.Select(d =>
                            (
                                d,
                                d switch
                                {
                                    Dimension.Item => "I" + random.Next(14),
                                    Dimension.Party => "P" + random.Next(5),
                                    Dimension.PartyGroup => Any("G0", "G1", "G2", "G3", "GC", "GS"),
                                    Dimension.Channel => Any("C0", "C1"),
                                    Dimension.Location => Any("L0", "L1"),
                                    Dimension.Method => Any("BANK", "CARD"),
                                    Dimension.Reason => "LOST",
                                    Dimension.Project => "J" + random.Next(3),
                                    Dimension.TaxCode => Any("S", "P", "X", "R"),
                                    Dimension.Currency => Any("EUR", "USD"),
                                    Dimension.Counterparty => "OTHER",
                                    _ => "G" + random.Next(4),
                                }
                            )
                        ),
                ]);
        }
        if (orderly)
            foreach (
                var (purpose, brass, glass) in new[]
                {
                    ("stock", "1400", "1409"),
                    ("sales-revenue", "4000", "4009"),
                    ("cost-of-sales", "5000", "5009"),
                }
            )
            {
                foreach (
                    var gone in assignments
                        .Keys.Where(k => k.StartsWith(purpose + "|", StringComparison.Ordinal))
                        .ToList()
                )
                    assignments.Remove(gone);
                foreach (
                    var made in new[]
                    {
                        new Assignment(purpose, brass, []),
                        new Assignment(purpose, glass, [new KeyPart(Dimension.ItemGroup, "G3")]),
                    }
                )
                    assignments[made.Identity] = made;
            }
        return Shop with
        {
            Entity = Shop.Entity with { TaxRegistered = !One(6) },
            OtherEntities = ["OTHER"],
            Accounts = accounts,
            Groups = groups,
            NumberBands = One(2)
                ? []
                : [new NumberBand(AccountClass.Asset, "10", "14"), new NumberBand(AccountClass.Revenue, "400", "401")],
            ReliefAccounts =
            [
                .. Enumerable
                    .Range(0, random.Next(3))
                    .Select(_ => new ReliefAccount(Number(), Number(), null))
                    .DistinctBy(r => (r.Account, r.Relief)),
            ],
            Crosswalk = One(2)
                ? []
                :
                [
                    .. accounts
                        .Where(_ => !One(3))
                        .Select(a => new CrosswalkRow(a.Number, Any("any", "debit", "credit"), "C")),
                ],
            Items =
            [
                .. Enumerable
                    .Range(0, 14)
                    .Select(i => new Item(
                        "I" + i,
                        "Item",
                        i == 7 ? ItemNature.GiftCard
                            : i == 6 ? ItemNature.Labour
                            : i % 3 == 2 ? ItemNature.Service
                            : ItemNature.Goods,
                        i is < 6 or > 7 && i % 3 != 2,
                        orderly ? Any("G0", "G3", "G3") : Maybe("G0", "G1", "G2", "G3"),
                        Maybe("standard", "reduced"),
                        One(3) ? Costing.Standard : Costing.Average,
                        One(2) ? 4m : null,
                        One(6) ? RecordStatus.Archived : RecordStatus.Active
                    )),
            ],
            Parties =
            [
                .. Enumerable
                    .Range(0, 5)
                    .Select(i => new Party(
                        "P" + i,
                        "Party",
                        (PartyKind)random.Next(4),
                        Maybe("G0", "G1", "G2", "GC"),
                        Maybe("G0", "G1", "GS"),
                        Maybe("domestic", "abroad"),
                        Currency: One(4) ? "USD" : null,
                        Status: One(6) ? RecordStatus.Archived : RecordStatus.Active
                    )),
            ],
            Channels = [new("C0", "C"), new("C1", "C")],
            Locations = [new("L0", "L"), new("L1", "L")],
            Reasons = [new("LOST", "Lost")],
            Projects =
            [
                .. Enumerable
                    .Range(0, 3)
                    .Select(i => new Project(
                        "J" + i,
                        "J",
                        i == 2 ? "J0" : null,
                        Maybe("G0", "G1"),
                        Recognise: Any<Recognise?>(
                            null,
                            Recognise.AsBilled,
                            Recognise.OnCompletion,
                            Recognise.ByCostShare
                        ),
                        Status: One(8) ? RecordStatus.Archived : RecordStatus.Active
                    )),
            ],
            TaxCodes =
            [
                .. Shop.TaxCodes.Select(c =>
                    c with
                    {
                        BaseBox = One(3) ? null : "B1",
                        TaxBox = One(3) ? null : "B2",
                        ReverseBaseBox = c.ReverseCharge && !One(2) ? "B3" : null,
                        ReverseTaxBox = c.ReverseCharge && !One(2) ? "B4" : null,
                        Deductible = c.Direction == TaxDirection.Input && One(4) ? 0 : 1,
                    }
                ),
            ],
            TaxRates =
            [
                .. Shop.TaxRates.Where(_ => !One(6)).Select(r => One(6) ? r with { From = new(2030, 1, 1) } : r),
            ],
            TaxMatrix =
            [
                .. from standing in new[] { "domestic", "abroad" }
                from category in new[] { "standard", "reduced" }
                from direction in Enum.GetValues<TaxDirection>()
                where !One(3)
                select new TaxMatrixCell(
                    standing,
                    category,
                    direction,
                    direction == TaxDirection.Output ? Any("S", "X") : Any("P", "R")
                ),
            ],
            Policies =
            [
                .. One(2) ? Array.Empty<PolicyRow>() : [new PolicyRow("stock-method", Any("perpetual", "periodic"))],
                .. One(2) ? Array.Empty<PolicyRow>() : [new PolicyRow("cost-timing", Any("shipment", "invoice"))],
                .. One(2) ? Array.Empty<PolicyRow>() : [new PolicyRow("production", Any("through-wip", "direct"))],
                .. One(2) ? Array.Empty<PolicyRow>() : [new PolicyRow("receipt-accrual", Any("on", "off"))],
            ],
            Assignments = [.. assignments.Values],
        };
    }
}
