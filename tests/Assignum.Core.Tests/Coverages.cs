using Assignum.Core.Chart;
using Assignum.Core.Coverage;
using Assignum.Core.Entries;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using CsCheck;
using static Assignum.Core.Tests.Books;

namespace Assignum.Core.Tests;

/// <summary>What is left to defaults and to nothing, and what could as well not be there: exact, held against walking
/// through every combination.</summary>
public class Coverages
{
    private static readonly int Times = Environment.GetEnvironmentVariable("ASSIGNUM_LONG") is null ? 1 : 20;
    private static readonly string[] Dims =
    [
        "item",
        "item-group",
        "party",
        "party-group",
        "channel",
        "location",
        "project",
        "project-group",
        "tax-code",
    ];

    // Few values and accounts, many assignments: hits, misses, shadows and repeats are all common.
    internal static readonly Gen<(SetUp SetUp, Purpose Purpose)> Small = Gen.Int[0, int.MaxValue]
        .Select(seed =>
        {
            var random = new Random(seed);
            Purpose[] among =
            [
                Purposes.SalesRevenue,
                Purposes.SalesReturns,
                Purposes.CostOfSales,
                Purposes.Payables,
                Purposes.NonStockCost,
                Purposes.StockAdjustment,
                Purposes.ProjectCost,
                Purposes.Bank,
                Purposes.OutputTax,
                Purposes.InputTax,
                Purposes.ShippedNotInvoiced,
                Purposes.PurchaseVariance,
                Purposes.OwnWorkToProduction,
                Purposes.SalesDiscount,
                Purposes.Receivables,
                Purposes.Clearing,
            ];
            var purpose = among[random.Next(among.Length)];
            string? Maybe(int most) => random.Next(4) == 0 ? null : "G" + random.Next(most);
            var groups = new[] { GroupKind.Item, GroupKind.Customer, GroupKind.Supplier, GroupKind.Project }
                .SelectMany(kind =>
                    Enumerable
                        .Range(0, 4)
                        .Select(i => new LandingGroup(
                            kind,
                            "G" + i,
                            "G",
                            i == 0 || random.Next(3) == 0 ? null : "G" + random.Next(i)
                        ))
                )
                .ToList();
            var dims = Dims.Where(d =>
                    (!d.StartsWith("project", StringComparison.Ordinal) || purpose == Purposes.ProjectCost)
                    && (d != "tax-code" || purpose.Control == Control.Tax || random.Next(8) == 0)
                )
                .OrderBy(_ => random.Next())
                .ToArray();
            List<LadderRow> Ladder(Purpose of)
            {
                var rungs = new List<Rung>();
                for (var i = random.Next(1, 6); i > 0; i--)
                    if (
                        Rung.Parse(string.Join('+', dims.OrderBy(_ => random.Next()).Take(1 + random.Next(3))), out _)
                            is { } rung
                        && rungs.All(r => r.Set != rung.Set)
                    )
                        rungs.Add(rung);
                return [.. rungs.Select((r, i) => new LadderRow(of.Name, i + 1, r))];
            }
            Purpose[] laddered = purpose == Purposes.SalesReturns ? [purpose, Purposes.SalesRevenue] : [purpose];
            var setUp = Shop with
            {
                Groups = groups,
                Items =
                [
                    .. Enumerable
                        .Range(0, 5)
                        .Select(i => new Item(
                            "I" + i,
                            "I",
                            i == 4 ? ItemNature.GiftCard
                                : i % 2 == 0 ? ItemNature.Goods
                                : ItemNature.Service,
                            i % 2 == 0 && i < 4,
                            Maybe(4),
                            Status: random.Next(6) == 0 ? RecordStatus.Archived : RecordStatus.Active
                        )),
                ],
                Parties =
                [
                    .. Enumerable
                        .Range(0, 4)
                        .Select(i => new Party(
                            "P" + i,
                            "P",
                            (PartyKind)random.Next(4),
                            Maybe(4),
                            Maybe(4),
                            Status: random.Next(6) == 0 ? RecordStatus.Archived : RecordStatus.Active
                        )),
                ],
                Channels = [new("C0", "C")],
                Locations = [new("L0", "L"), new("L1", "L")],
                Projects =
                [
                    .. Enumerable.Range(0, 4).Select(i => new Project("J" + i, "J", i < 2 ? null : "J0", Maybe(4))),
                ],
                TaxCodes = [.. Shop.TaxCodes, new("OR", "Reverse-charged sale", Tax.TaxDirection.Output, "AE", true)],
                Entity = Shop.Entity with { TaxRegistered = random.Next(3) > 0 },
                Policies = random.Next(2) == 0 ? [] : [new PolicyRow("stock-method", "periodic")],
                Ladders = [.. laddered.SelectMany(Ladder)],
            };
            var compiled = new CompiledSetUp(setUp with { Assignments = [] });
            var assignments = new Dictionary<string, Assignment>();
            string[] accounts = ["4000", "4010", "4020"];
            foreach (var of in laddered)
            foreach (var rung in compiled.Landings.LadderOf(of).Rungs.Append(Rung.Default).Where(r => r != Rung.Line))
                for (var i = random.Next(rung == Rung.Default ? 2 : 5); i > 0; i--)
                {
                    var made = Assign(
                        of,
                        accounts[random.Next(random.Next(2) + 2)],
                        [
                            .. rung.Dimensions.Select(d =>
                                (
                                    d,
                                    d switch
                                    {
                                        Dimension.Item => "I" + random.Next(5),
                                        Dimension.Party => "P" + random.Next(4),
                                        Dimension.Channel => "C0",
                                        Dimension.Location => "L" + random.Next(2),
                                        Dimension.Project => "J" + random.Next(4),
                                        Dimension.TaxCode => setUp.TaxCodes[random.Next(setUp.TaxCodes.Count)].Code,
                                        _ => "G" + random.Next(4),
                                    }
                                )
                            ),
                        ]
                    );
                    assignments.TryAdd(made.Identity, made);
                }
            return (
                setUp with
                {
                    Assignments = [.. assignments.Values],
                    Accounts =
                    [
                        .. setUp.Accounts.Select(a =>
                            a.Number == "4020" ? a with { Tripwire = random.Next(2) == 0 } : a
                        ),
                    ],
                },
                purpose
            );
        });

    // Every combination of the axes, one by one.
    internal static IEnumerable<LegValues> Walk(IReadOnlyList<Axis> axes, int dims)
    {
        IEnumerable<LegValues> all = [default];
        for (var a = 0; a < axes.Count; a++)
        {
            if ((dims & 1 << a) == 0)
                continue;
            var axis = a;
            all = all.SelectMany(values =>
                axes[axis]
                    .Leaves.Select(leaf =>
                    {
                        var more = values;
                        more[Axis.Kinds[axis].Single] = leaf.Single;
                        if (Axis.Kinds[axis].Group is { } group)
                            more[group] = leaf.Group;
                        return more;
                    })
            );
        }
        return all;
    }

    [Fact]
    public void Coverage_counts_what_walking_through_every_combination_counts() =>
        Small.Sample(
            made =>
            {
                var compiled = new CompiledSetUp(made.SetUp);
                var coverage = PurposeCoverage.Of(compiled, made.Purpose);
                var walked = NaiveCoverage.Count(compiled, made.Purpose);
                coverage.Combinations.ShouldBe(walked.Values.Sum());
                string Told(IEnumerable<KeyValuePair<string, Int128>> by) =>
                    string.Join(
                        ", ",
                        by.Where(b => b.Value != 0).OrderBy(b => b.Key).Select(b => $"{b.Key} {b.Value}")
                    );
                Told(coverage.By)
                    .ShouldBe(Told(walked.Select(w => KeyValuePair.Create(w.Key, (Int128)w.Value))), made.Purpose.Name);
            },
            iter: 3_000 * Times
        );

    [Fact]
    public void Dead_and_redundant_are_those_that_walking_through_everything_finds() =>
        Small.Sample(
            made =>
            {
                var compiled = new CompiledSetUp(made.SetUp);
                var told = DeadWeight
                    .Of(compiled)
                    .Where(d => d.Assignment.Purpose == made.Purpose.Name)
                    .ToDictionary(d => d.Assignment.Identity, d => d.NeverWins);
                var all = Walk(
                        TakingPart.Whatever(compiled, PartySides.Of(made.Purpose)),
                        PurposeCoverage.Dimensions(compiled.Landings, made.Purpose)
                    )
                    .ToList();
                var landed = all.Select(v => compiled.Landings.Resolve(made.Purpose, v)).ToList();
                foreach (var assignment in compiled.Landings.AssignmentsOf(made.Purpose))
                {
                    var without = new CompiledSetUp(
                        made.SetUp with
                        {
                            Assignments = [.. made.SetUp.Assignments.Where(a => !ReferenceEquals(a, assignment))],
                        }
                    );
                    var wins = landed.Any(l =>
                        !l.Borrowed
                        && l.Assignment >= 0
                        && ReferenceEquals(compiled.Landings.AssignmentsOf(made.Purpose)[l.Assignment], assignment)
                    );
                    var changes =
                        wins
                        && all.Where((v, i) => without.Landings.Resolve(made.Purpose, v).Account != landed[i].Account)
                            .Any();
                    (
                        told.TryGetValue(assignment.Identity, out var never),
                        told.ContainsKey(assignment.Identity) && never
                    ).ShouldBe((!changes, !wins), $"{assignment.Identity} → {assignment.Account}, wins {wins}");
                }
            },
            iter: 1_500 * Times
        );

    [Fact]
    public void Taking_away_all_that_may_go_together_changes_no_landing() =>
        Small.Sample(
            made =>
            {
                var compiled = new CompiledSetUp(made.SetUp);
                var going = DeadWeight.Of(compiled).Where(d => d.Removable).Select(d => d.Assignment).ToHashSet();
                var after = new CompiledSetUp(
                    made.SetUp with
                    {
                        Assignments = [.. made.SetUp.Assignments.Where(a => !going.Contains(a))],
                    }
                );
                foreach (
                    var values in Walk(
                        TakingPart.Whatever(compiled, PartySides.Of(made.Purpose)),
                        PurposeCoverage.Dimensions(compiled.Landings, made.Purpose)
                    )
                )
                    after
                        .Landings.Resolve(made.Purpose, values)
                        .Account.ShouldBe(compiled.Landings.Resolve(made.Purpose, values).Account);
            },
            iter: 1_500 * Times
        );

    [Fact]
    public void Some_of_what_may_go_goes_only_where_no_landing_changes_by_it()
    {
        var went = 0;
        Gen.Select(Small, Gen.Int[0, int.MaxValue])
            .Sample(
                (made, seed) =>
                {
                    var random = new Random(seed);
                    var (setUp, purpose) = made;
                    var compiled = new CompiledSetUp(setUp);
                    var chosen = DeadWeight
                        .Of(compiled)
                        .Where(d => d.Removable && d.Assignment.Purpose == purpose.Name && random.Next(2) == 0)
                        .ToList();
                    if (chosen.Count == 0)
                        return;
                    var going = chosen.Select(d => d.Assignment).ToHashSet();
                    var after = new CompiledSetUp(
                        setUp with
                        {
                            Assignments = [.. setUp.Assignments.Where(a => !going.Contains(a))],
                        }
                    );
                    var same = Walk(
                            TakingPart.Whatever(compiled, PartySides.Of(purpose)),
                            PurposeCoverage.Dimensions(compiled.Landings, purpose)
                        )
                        .All(v =>
                            after.Landings.Resolve(purpose, v).Account == compiled.Landings.Resolve(purpose, v).Account
                        );
                    if (DeadWeight.Needing(compiled, chosen).Count == 0)
                    {
                        same.ShouldBeTrue();
                        Interlocked.Increment(ref went);
                    }
                },
                iter: 2_000 * Times
            );
        went.ShouldBeGreaterThan(50);
    }

    [Fact]
    public void What_is_known_after_each_change_is_what_is_found_anew()
    {
        var all = Gen.Select(Small, Gen.Int[0, int.MaxValue]);
        all.Sample(KnownAsAnew, iter: 2_000 * Times);
        // Once, which of two that give the same must stay hung on which was found first.
        all.Sample(KnownAsAnew, seed: "d7eYPojydK57", iter: 1);
    }

    private static void KnownAsAnew((SetUp SetUp, Purpose Purpose) made, int seed)
    {
        var random = new Random(seed);
        var (setUp, purpose) = made;
        var at = new CompiledSetUp(setUp);
        static string Told(PurposeCoverage c) =>
            string.Join(
                ", ",
                c.By.Select(b => $"{b.Key} {b.Value}")
                    .Prepend(c.Combinations.ToString(System.Globalization.CultureInfo.InvariantCulture))
            );
        static string Dead(CompiledSetUp c) =>
            string.Join(
                "; ",
                DeadWeight
                    .Of(c)
                    .Select(d => $"{d.Assignment.Identity} {d.NeverWins} {d.Removable}")
                    .Order(StringComparer.Ordinal)
            );
        for (var step = 0; step < 4; step++)
        {
            if (random.Next(3) > 0)
                PurposeCoverage.Of(at, purpose);
            if (random.Next(3) > 0)
                DeadWeight.Of(at);
            // Some go, some get another account, some come back as they were in another random set-up of
            // the same ladder.
            var assignments = setUp.Assignments.ToList();
            for (var i = random.Next(4); i > 0 && assignments.Count > 0; i--)
            {
                var n = random.Next(assignments.Count);
                if (random.Next(2) == 0)
                    assignments.RemoveAt(n);
                else
                    assignments[n] = assignments[n] with
                    {
                        Account = random.Next(3) switch
                        {
                            0 => "4000",
                            1 => "4010",
                            _ => "4020",
                        },
                    };
            }
            if (random.Next(2) == 0)
                foreach (var one in made.SetUp.Assignments.Where(_ => random.Next(3) == 0))
                    if (assignments.TrueForAll(a => a.Identity != one.Identity))
                        assignments.Insert(random.Next(assignments.Count + 1), one);
            setUp = setUp with { Assignments = assignments };
            at = new CompiledSetUp(setUp, at);
            var anew = new CompiledSetUp(setUp);
            Told(PurposeCoverage.Of(at, purpose)).ShouldBe(Told(PurposeCoverage.Of(anew, purpose)), purpose.Name);
            Dead(at).ShouldBe(Dead(anew), purpose.Name);
        }
    }

    [Fact]
    public void An_assignment_decides_for_as_many_records_as_walking_through_them_says() =>
        Small.Sample(
            made =>
            {
                var compiled = new CompiledSetUp(made.SetUp);
                var own = compiled.Landings.AssignmentsOf(made.Purpose);
                var decides = PurposeCoverage.Decides(compiled, made.Purpose, own);
                for (var n = 0; n < own.Count; n++)
                {
                    // Legs that have what its key asks for and nothing else; one for each record, or pair of them.
                    var axes = Enumerable
                        .Range(0, Axis.Kinds.Count)
                        .Where(a =>
                            own[n]
                                .Key.Any(k => Axis.Kinds[a].Single == k.Dimension || Axis.Kinds[a].Group == k.Dimension)
                        )
                        .Aggregate(0, (mask, a) => mask | 1 << a);
                    var walked = Walk(compiled.Memory.TakingPart.Of(made.Purpose), axes)
                        .Count(v =>
                            compiled.Landings.Resolve(made.Purpose, v) is { Borrowed: false } l && l.Assignment == n
                        );
                    decides[n].ShouldBe((Int128)walked, $"{own[n].Identity} of {made.Purpose.Name}");
                }
            },
            iter: 1_500 * Times
        );

    [Fact]
    public void Making_the_assignments_that_are_offered_leaves_nothing_to_fall_through() =>
        Small.Sample(
            made =>
            {
                var compiled = new CompiledSetUp(made.SetUp);
                var offered = Uncovered.Of(compiled, made.Purpose);
                if (offered.Any(u => u.Key is null))
                    return;
                var more = offered
                    .Select(u => Assign(made.Purpose, "4000", (u.Dimension, u.Key!)))
                    .DistinctBy(a => a.Identity)
                    .ToList();
                // One that is there and names a tripwire decides nothing: it gets another account.
                var after = PurposeCoverage.Of(
                    new CompiledSetUp(
                        made.SetUp with
                        {
                            Assignments =
                            [
                                .. made.SetUp.Assignments.Where(a => more.TrueForAll(m => m.Identity != a.Identity)),
                                .. more,
                            ],
                        }
                    ),
                    made.Purpose
                );
                (after.By["default"] + after.By["none"]).ShouldBe(
                    (Int128)0,
                    made.Purpose.Name
                        + ": "
                        + string.Join(", ", offered.Select(u => $"{u.Dimension} {u.Key} to {u.To}"))
                );
            },
            iter: 1_500 * Times
        );

    [Fact]
    public void Coverage_says_what_falls_to_default_by_hand()
    {
        // Four items that are no gift card or none (a milestone), customers CUST and ABROAD or none (a channel's sale),
        // one channel or none: 5 × 3 × 2.
        var setUp = With(
            Assign(Purposes.SalesRevenue, "4010", (Dimension.ItemGroup, "GAUGES")),
            Assign(Purposes.SalesRevenue, "4020", (Dimension.Item, "GLASS"), (Dimension.Party, "CUST"))
        );
        var coverage = PurposeCoverage.Of(new CompiledSetUp(setUp), Purposes.SalesRevenue);
        coverage.Combinations.ShouldBe(30);
        // The gauge for both customers and none with and without the channel; the glass for one of them; all else by
        // default.
        (coverage.By["item-group"], coverage.By["item+party"], coverage.By["default"], coverage.By["none"]).ShouldBe(
            ((Int128)6, (Int128)2, (Int128)22, (Int128)0)
        );
        coverage.Assigned.ShouldBe(8);
        PurposeCoverage.Of(new CompiledSetUp(setUp), Purposes.SalesReturns).By["borrowed"].ShouldBe(30);
        PurposeCoverage
            .Of(new CompiledSetUp(setUp with { Assignments = [] }), Purposes.SalesReturns)
            .By["none"]
            .ShouldBe(30);
        // One assignment would cover what is left: all groups hang below GOODS, but advice and hours have no group.
        var left = Uncovered
            .Of(
                new CompiledSetUp(
                    setUp with
                    {
                        Assignments = [.. setUp.Assignments.Where(a => a.Purpose != "cost-of-sales")],
                    }
                ),
                Purposes.CostOfSales
            )
            .ShouldHaveSingleItem();
        (left.Dimension, left.Key, left.To, left.Combinations).ShouldBe(
            (Dimension.ItemGroup, "GOODS", "none", (Int128)(2 * 3 * 3 * 2))
        );
        // Idle purposes are not asked for.
        PurposeCoverage.Of(new CompiledSetUp(Shop)).ShouldNotContain(c => c.Purpose == Purposes.ShippedNotInvoiced);
    }

    [Fact]
    public void Every_needed_purpose_is_counted_as_the_rules_say_on_its_shipped_ladder()
    {
        foreach (var (registered, method) in new[] { (true, "perpetual"), (false, "perpetual"), (true, "periodic") })
        {
            var setUp = With(
                Assign(Purposes.SalesRevenue, "4010", (Dimension.Item, "GAUGE")),
                Assign(Purposes.PaymentFee, "6000", (Dimension.Channel, "WEB"))
            ) with
            {
                Entity = Shop.Entity with { TaxRegistered = registered },
                Policies = [new PolicyRow("stock-method", method)],
                OtherEntities = ["OTHER", "THIRD"],
                Parties =
                [
                    .. Shop.Parties,
                    new("TWICE", "Both", PartyKind.Both, "TRADE", "LOCAL", "domestic", Currency: "USD"),
                    new("GONE", "Gone", PartyKind.Both, Status: RecordStatus.Archived),
                ],
            };
            var compiled = new CompiledSetUp(setUp);
            var all = PurposeCoverage.Of(compiled);
            foreach (var coverage in all)
                string.Join(
                        ", ",
                        coverage
                            .By.Where(b => b.Value != 0)
                            .OrderBy(b => b.Key, StringComparer.Ordinal)
                            .Select(b => $"{b.Key} {b.Value}")
                    )
                    .ShouldBe(
                        string.Join(
                            ", ",
                            NaiveCoverage
                                .Count(compiled, coverage.Purpose)
                                .OrderBy(b => b.Key, StringComparer.Ordinal)
                                .Select(b => $"{b.Key} {b.Value}")
                        ),
                        coverage.Purpose.Name
                    );
            // The year's close wants its account too: nothing gives it one yet.
            all.Single(c => c.Purpose == Purposes.RetainedEarnings).By["default"].ShouldBe((Int128)1);
            all.Any(c => c.Purpose == Purposes.InputTax).ShouldBe(registered);
        }
    }

    [Fact]
    public void Policies_that_are_tried_take_other_items_into_account()
    {
        // Bought stock is costed like anything else under the periodic method: three items that are no stock, or all
        // five but the card.
        var setUp = new CompiledSetUp(Shop);
        PurposeCoverage.Of(setUp, Purposes.NonStockCost).Combinations.ShouldBe((Int128)2);
        PurposeCoverage
            .Of(setUp.Under([new PolicyRow("stock-method", "periodic")]), Purposes.NonStockCost)
            .Combinations.ShouldBe((Int128)4);
        PurposeCoverage.Of(setUp, Purposes.NonStockCost).Combinations.ShouldBe((Int128)2);
    }

    [Fact]
    public void A_group_of_the_other_side_can_never_decide()
    {
        // LOCAL groups suppliers: no customer's leg has it, and what is keyed by it for sales never wins. For payables
        // it does.
        var dead = DeadWeight
            .Of(
                new CompiledSetUp(
                    With(
                        Assign(Purposes.SalesRevenue, "4010", (Dimension.PartyGroup, "LOCAL")),
                        Assign(Purposes.Payables, "2150", (Dimension.PartyGroup, "LOCAL"))
                    )
                )
            )
            .Where(d => d.Assignment.Key.Count > 0);
        dead.ShouldHaveSingleItem()
            .ShouldSatisfyAllConditions(
                d => d.NeverWins.ShouldBeTrue(),
                d => d.Assignment.Purpose.ShouldBe("sales-revenue")
            );
    }

    [Fact]
    public void Of_two_that_give_the_same_one_stays_and_what_is_prepared_for_a_new_group_is_not_dead()
    {
        var setUp = With(
            Assign(Purposes.SalesRevenue, "4010", (Dimension.Item, "GAUGE")),
            Assign(Purposes.SalesRevenue, "4010", (Dimension.ItemGroup, "RAIN")),
            Assign(Purposes.SalesRevenue, "4020", (Dimension.ItemGroup, "NEW"))
        ) with
        {
            Groups = [.. Shop.Groups, new(GroupKind.Item, "NEW", "New", null)],
        };
        var only = DeadWeight
            .Of(new CompiledSetUp(setUp))
            .Where(d => d.Assignment.Purpose == "sales-revenue")
            .ShouldHaveSingleItem();
        (only.Assignment.RungName, only.NeverWins, only.Removable).ShouldBe(("item", false, true));
        only.Why.ShouldBe("Without it RAIN would give 4010 as well.");
        // A ladder that asks for groups before items: the item's own can never win, and says what comes first.
        var turned = setUp with
        {
            Ladders =
            [
                new("sales-revenue", 1, Rung.Parse("item-group", out _)!),
                new("sales-revenue", 2, Rung.Parse("item-group+channel", out _)!),
            ],
            Assignments =
            [
                .. setUp.Assignments.Where(a => a.RungName is "item-group" or "default"),
                Assign(Purposes.SalesRevenue, "4020", (Dimension.ItemGroup, "RAIN"), (Dimension.Channel, "WEB")),
            ],
        };
        var dead = DeadWeight.Of(new CompiledSetUp(turned)).Single(d => d.Assignment.RungName == "item-group+channel");
        (dead.NeverWins, dead.Why).ShouldBe((true, "Whatever a leg has, RAIN comes first."));
    }
}
