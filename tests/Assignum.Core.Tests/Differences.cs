using Assignum.Core.Chart;
using Assignum.Core.Editions;
using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using CsCheck;
using static Assignum.Core.Tests.Books;

namespace Assignum.Core.Tests;

/// <summary>What differs between two set-ups: in words, and in what events do.</summary>
public class Differences
{
    private static readonly SetUp Special = With(
        Assign(Purposes.SalesRevenue, "4010", (Dimension.ItemGroup, "RAIN"), (Dimension.PartyGroup, "TRADE")),
        Assign(Purposes.SalesRevenue, "4020", (Dimension.Item, "ADVICE"))
    );

    private static BusinessEvent Sale(decimal price, string item = "GAUGE", string? tax = null) =>
        Event(
            "sales-invoice",
            e =>
            {
                e.Party = "CUST";
                e.Reference = "R";
            },
            new EventLine
            {
                Item = item,
                Quantity = 1,
                UnitPrice = price,
                TaxCode = tax,
            }
        );

    private static IReadOnlyList<Consequence> Of(SetUp before, SetUp after, params BusinessEvent[] events)
    {
        var (old, now) = (new EntryBuilder(new CompiledSetUp(before)), new EntryBuilder(new CompiledSetUp(after)));
        return Compare(events, old.Build, now.Build);
    }

    [Fact]
    public void Amounts_that_land_elsewhere_are_told_by_purpose_and_added_up()
    {
        // Gauges sold to shops go to 4010 instead of 4000; advice is nobody's business here.
        var found = Of(
            Shop,
            Special with
            {
                Assignments = [.. Special.Assignments.Where(a => a.Account != "4020" || a.Key.Count == 0)],
            },
            Sale(100),
            Sale(40),
            Sale(10, "ADVICE")
        );
        found
            .Select(f => f.Moved.Single())
            .ShouldBe([
                new Moved("sales-revenue", "4000", "4010", -100m),
                new Moved("sales-revenue", "4000", "4010", -40m),
            ]);
        Consequences.InAll(found).ShouldBe([new MovedInAll("sales-revenue", "4000", "4010", 2, -140m)]);
        Of(Special, Special, Sale(100), Sale(10, "ADVICE")).ShouldBeEmpty();
    }

    [Fact]
    public void Where_several_lines_of_one_purpose_change_each_is_told_with_its_own_amount()
    {
        // Two settled receipts, both with a difference: parts lose their own account, spares get one. Sums would pair
        // them crosswise.
        var setUp = Shop with
        {
            Accounts =
            [
                .. Shop.Accounts,
                Account("5110", Core.Chart.AccountClass.CostOfSales),
                Account("5190", Core.Chart.AccountClass.CostOfSales),
            ],
        };
        SetUp Of2(params Assignment[] own) =>
            setUp with
            {
                Assignments = [.. setUp.Assignments.Where(a => a.Purpose != "purchase-variance"), .. own],
            };
        var (standing, parts) = (
            Assign(Purposes.PurchaseVariance, "5190"),
            Assign(Purposes.PurchaseVariance, "5100", (Dimension.Item, "GAUGE"))
        );
        var invoice = Event(
            "supplier-invoice",
            e => e.Party = "SUPP",
            new EventLine
            {
                Item = "GAUGE",
                UnitPrice = 130m,
                ReceiptCost = 100m,
            },
            new EventLine
            {
                Item = "ADVICE",
                UnitPrice = 70m,
                ReceiptCost = 50m,
            }
        );
        var moved = Of(
                Of2(standing, parts),
                Of2(standing, Assign(Purposes.PurchaseVariance, "5110", (Dimension.Item, "ADVICE"))),
                invoice
            )
            .Single()
            .Moved;
        moved.ShouldBe([
            new Moved("purchase-variance", "5100", "5190", 30m),
            new Moved("purchase-variance", "5190", "5110", 20m),
        ]);
        // Two that change places move both ways, though their sums stay.
        var even = Event(
            "supplier-invoice",
            e => e.Party = "SUPP",
            new EventLine
            {
                Item = "GAUGE",
                UnitPrice = 130m,
                ReceiptCost = 100m,
            },
            new EventLine
            {
                Item = "ADVICE",
                UnitPrice = 80m,
                ReceiptCost = 50m,
            }
        );
        Of(
                Of2(standing, parts),
                Of2(
                    Assign(Purposes.PurchaseVariance, "5100"),
                    Assign(Purposes.PurchaseVariance, "5190", (Dimension.Item, "GAUGE"))
                ),
                even
            )
            .Single()
            .Moved.Count.ShouldBe(2);
    }

    [Fact]
    public void An_event_that_can_no_longer_be_posted_and_what_is_said_of_it_are_told()
    {
        var archived = Shop with
        {
            Accounts =
            [
                .. Shop.Accounts.Select(a => a.Number == "4000" ? a with { Status = RecordStatus.Archived } : a),
            ],
        };
        var one = Of(Shop, archived, Sale(100)).Single();
        (one.Before, one.After).ShouldBe(("posted", "refused"));
        one.Appear.Single().Message.ShouldBe("Account 4000 is archived: assign another or make it active.");
        one.Moved.ShouldContain(new Moved("receivables", "1200", null, 123m));
        Of(archived, Shop, Sale(100)).Single().Gone.Single().Severity.ShouldBe(Severity.Error);
        // Another rate of tax: the same accounts, other amounts.
        var dearer = Shop with
        {
            TaxRates = [.. Shop.TaxRates.Select(r => r.Code == "S" ? r with { Rate = .25m } : r)],
        };
        Of(Shop, dearer, Sale(100))
            .Single()
            .Moved.ShouldBe(
                [new Moved("receivables", null, "1200", 2m), new Moved("output-tax", null, "2300", -2m)],
                ignoreOrder: true
            );
    }

    [Fact]
    public void What_moved_makes_of_the_entry_before_the_entry_after() =>
        Gen.Int[0, int.MaxValue]
            .Sample(seed =>
            {
                var random = new Random(seed);
                var posting = Shop
                    .Accounts.Where(a =>
                        a.Control == Control.None
                        && a.Class is AccountClass.Revenue or AccountClass.CostOfSales or AccountClass.OperatingCost
                    )
                    .ToList();
                var other = Shop with
                {
                    Assignments =
                    [
                        .. Shop.Assignments.Select(a =>
                            random.Next(3) == 0 && Purposes.Find(a.Purpose)!.Control == Control.None
                                ? a with
                                {
                                    Account = posting[random.Next(posting.Count)].Number,
                                }
                                : a
                        ),
                    ],
                    Policies = random.Next(3) == 0 ? [new("discounts", "separate")] : [],
                };
                var source = Event(
                    "sales-invoice",
                    e => e.Party = "CUST",
                    [
                        .. Enumerable
                            .Range(0, random.Next(1, 4))
                            .Select(_ => new EventLine
                            {
                                Item = random.Next(2) == 0 ? "GAUGE" : "ADVICE",
                                Quantity = random.Next(-3, 5),
                                UnitPrice = random.Next(0, 900) / 10m,
                                DiscountPercent = random.Next(2) * 10,
                            }),
                    ]
                );
                var (old, now) = (
                    new EntryBuilder(new CompiledSetUp(Shop)).Build(source),
                    new EntryBuilder(new CompiledSetUp(other)).Build(source)
                );
                var moved = Compare([source], _ => old, _ => now).SelectMany(c => c.Moved).ToList();
                Dictionary<(string?, string), decimal> Sums(EntryResult r) =>
                    r.Outcome != "posted"
                        ? []
                        : r.Entry!.Lines.GroupBy(l => (l.Purpose?.Name, l.Account))
                            .ToDictionary(g => g.Key, g => g.Sum(l => l.Signed));
                var sums = Sums(old);
                foreach (var m in moved)
                {
                    if (m.From is not null)
                        sums[(m.Purpose, m.From)] = sums.GetValueOrDefault((m.Purpose, m.From)) - m.Amount;
                    if (m.To is not null)
                        sums[(m.Purpose, m.To)] = sums.GetValueOrDefault((m.Purpose, m.To)) + m.Amount;
                }
                sums.Where(s => s.Value != 0)
                    .OrderBy(s => s.Key)
                    .ShouldBe(Sums(now).Where(s => s.Value != 0).OrderBy(s => s.Key));
            });

    [Fact]
    public void Differences_read_as_sentences_grouped_by_purpose()
    {
        var after = Special with
        {
            Assignments =
            [
                .. Special
                    .Assignments.Where(a => a.Purpose != "rounding")
                    .Select(a => a.Account == "4010" && a.Key.Count == 2 ? a with { Account = "4020" } : a),
                Assign(Purposes.CostOfSales, "5100", (Dimension.Item, "GAUGE")),
            ],
            Accounts =
            [
                .. Shop.Accounts.Select(a => a.Number == "4010" ? a with { Status = RecordStatus.Archived } : a),
            ],
            Policies = [new("cost-timing", "invoice")],
        };
        var words = Difference.Words(SetUpImport.Difference(Special, after), Special, after);
        words
            .Select(w => $"{w.Under}: {w.Sentence}")
            .ShouldBe([
                "sales revenue: Rain gauges, sold to Trade: 4010 Account 4010 → 4020 Account 4020, by a changed "
                    + "assignment",
                "cost of sales: Rain gauge: 5100 Account 5100, by a new assignment",
                "rounding: by default: no longer 6000 Account 6000, its assignment is taken away",
                "accounts: 4010 Account 4010: status active → archived",
                "policies: cost-timing is new: value invoice",
            ]);
    }

    [Fact]
    public void A_past_edition_that_is_brought_back_resolves_as_it_did() =>
        Gen.Select(AlwaysHolds.SetUps, AlwaysHolds.SetUps, Gen.Int)
            .Sample(
                (past, other, seed) =>
                {
                    // Two editions of one entity have the same records; they differ in what editions hold.
                    var current = past with
                    {
                        Assignments =
                        [
                            .. other.Assignments.Where(a =>
                                SetUpRules.Check(past with { Assignments = [a], Ladders = other.Ladders }).Count == 0
                            ),
                        ],
                        Ladders = other.Ladders,
                        Policies = [new("discounts", "separate")],
                        Accounts =
                        [
                            .. past.Accounts.Select(
                                (a, i) => i % 3 == 0 ? a with { Tripwire = !a.Tripwire, Name = a.Name + "!" } : a
                            ),
                        ],
                    };
                    if (SetUpRules.Check(current).Count > 0)
                        return;
                    var plan = SetUpEdit.Plan(current, Difference.BringBack(current, past), (part, _) =>
                        part.HeldBy == HeldBy.Records
                    );
                    plan.Faults.ShouldBeEmpty();
                    // Names are records: they stay as they are now. All else is as it was.
                    SetUpImport
                        .Difference(plan.Next, past)
                        .SelectMany(c => c.Cells)
                        .ShouldAllBe(c => c.Column == "name");
                    var random = new Random(seed);
                    var (then, now) = (
                        new EntryBuilder(new CompiledSetUp(past)),
                        new EntryBuilder(new CompiledSetUp(plan.Next))
                    );
                    Compare(Enumerable.Range(0, 10).Select(_ => RandomEvents.Next(random)), then.Build, now.Build)
                        .ShouldBeEmpty();
                }
            );

    [Fact]
    public void Events_that_changed_assignments_cannot_touch_do_the_same() =>
        Gen.Select(AlwaysHolds.SetUps, Gen.Int[0, int.MaxValue])
            .Sample(
                (setUp, seed) =>
                {
                    var random = new Random(seed);
                    var before = new CompiledSetUp(setUp);
                    // Some go, some get another account, some come on a rung that is there.
                    var gone = setUp.Assignments.Where(_ => random.Next(30) == 0).ToList();
                    var other = setUp
                        .Assignments.Except(gone)
                        .Where(_ => random.Next(30) == 0)
                        .Select(a => a with { Account = setUp.Accounts[random.Next(setUp.Accounts.Count)].Number })
                        .ToList();
                    var model = setUp.Assignments[random.Next(setUp.Assignments.Count)];
                    var come = new[]
                    {
                        model with
                        {
                            Key =
                            [
                                .. model.Key.Select(k =>
                                    k.Dimension is Dimension.ItemGroup or Dimension.PartyGroup or Dimension.ProjectGroup
                                        ? k with
                                        {
                                            Value = "G" + random.Next(6),
                                        }
                                        : k
                                ),
                            ],
                        },
                    }
                        .Where(a => setUp.Assignments.All(b => b.Identity != a.Identity))
                        .ToList();
                    var changed = gone.Concat(other).Concat(come).ToList();
                    var after = new CompiledSetUp(
                        setUp with
                        {
                            Assignments =
                            [
                                .. setUp.Assignments.Where(a => changed.TrueForAll(c => c.Identity != a.Identity)),
                                .. other,
                                .. come,
                            ],
                        },
                        before
                    );
                    var identities = changed.Select(a => a.Identity).ToHashSet();
                    var purposes = changed.Select(a => a.Purpose).ToHashSet();
                    purposes.UnionWith(
                        Purposes
                            .All.Where(p => after.Landings.BorrowOf(p) is { } from && purposes.Contains(from.Name))
                            .Select(p => p.Name)
                            .ToList()
                    );
                    var (was, now) = (new EntryBuilder(before), new EntryBuilder(after));
                    for (var i = 0; i < 30; i++)
                    {
                        var source = RandomEvents.Next(new Random(seed + i));
                        var old = was.Build(source);
                        if (!Consequences.Touched(source, old, identities, purposes))
                            Compare([source], _ => old, now.Build).ShouldBeEmpty();
                    }
                },
                iter: 300
            );

    // Each event by itself under both.
    private static IReadOnlyList<Consequence> Compare(
        IEnumerable<BusinessEvent> events,
        Func<BusinessEvent, EntryResult> before,
        Func<BusinessEvent, EntryResult> after
    )
    {
        var all = events.ToList();
        return Consequences.Of(all, [.. all.Select(before)], [.. all.Select(after)]);
    }
}
