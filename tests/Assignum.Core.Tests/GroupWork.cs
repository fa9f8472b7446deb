using Assignum.Core.Chart;
using Assignum.Core.Checks;
using Assignum.Core.Coverage;
using Assignum.Core.Entries;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Core.Upkeep;
using CsCheck;
using static Assignum.Core.Tests.Books;

namespace Assignum.Core.Tests;

/// <summary>Groups get accounts of their own, lose those that change nothing, bear other codes; new lines are opened;
/// small firms borrow.</summary>
public class GroupWork
{
    // Every purpose for every record, alone and with every group, channel and location: what no work on groups may
    // move.
    private static string Landings(CompiledSetUp setUp, Func<string, string>? called = null)
    {
        var told = new List<string>();
        foreach (var purpose in Purposes.All)
        foreach (var axis in TakingPart.Whatever(setUp, PartySides.Of(purpose)).Take(5))
        foreach (var leaf in axis.Leaves)
        foreach (
            var channel in new[]
            {
                0,
                setUp.Index.Of(Dimension.Channel, setUp.SetUp.Channels.FirstOrDefault()?.Code),
            }.Distinct()
        )
        {
            var values = default(LegValues);
            values[Axis.Kinds[axis.Kind].Single] = leaf.Single;
            if (Axis.Kinds[axis.Kind].Group is { } group)
                values[group] = leaf.Group;
            if (axis.Kind != 4)
                values[Dimension.Channel] = channel;
            told.Add($"{purpose.Name} {axis.Kind} {leaf} {channel} {setUp.Landings.Resolve(purpose, values).Account}");
        }
        return string.Join('\n', told);
    }

    private static readonly Gen<(SetUp SetUp, GroupKind Kind, string Code)> Some = Gen.Select(
        AlwaysHolds.SetUps,
        Gen.Int[0, 3],
        Gen.Int[0, 5],
        (s, kind, n) => (s, (GroupKind)kind, "G" + n)
    );

    [Fact]
    public void Filling_and_clearing_a_group_move_no_landing() =>
        Some.Sample(
            some =>
            {
                var compiled = new CompiledSetUp(some.SetUp);
                var before = Landings(compiled);
                var filled = SetUpEdit.Plan(
                    some.SetUp,
                    OwnAccounts.Fill(compiled, some.Kind, some.Code).Edits,
                    (_, _) => false
                );
                filled.Faults.ShouldBeEmpty();
                var after = new CompiledSetUp(filled.Next, compiled);
                Landings(after).ShouldBe(before);
                // What was filled can be cleared again, and what else can go goes with it.
                var cleared = SetUpEdit.Plan(
                    filled.Next,
                    OwnAccounts.Clear(after, some.Kind, some.Code).Edits,
                    (_, _) => false
                );
                cleared.Faults.ShouldBeEmpty();
                Landings(new CompiledSetUp(cleared.Next, after)).ShouldBe(before);
            },
            iter: 40
        );

    [Fact]
    public void A_group_that_inherits_gets_what_results_and_keeps_tripwires_for_a_decision()
    {
        var setUp = With(
            Assign(Purposes.SalesRevenue, "4010", (Dimension.ItemGroup, "GOODS")),
            Assign(Purposes.CostOfSales, "5999")
        ) with
        {
            Accounts = [.. Shop.Accounts, Account("5999", AccountClass.CostOfSales) with { Tripwire = true }],
        };
        var plan = OwnAccounts.Fill(new CompiledSetUp(setUp), GroupKind.Item, "RAIN");
        // Rain gauges are stock items: stock, its movements, revenue and returns; not what is bought for use.
        plan.Edits.Select(e => (e.After![0], e.After[1])).ShouldContain(("sales-revenue", "4010"));
        plan.Edits.Select(e => (e.After![0], e.After[1])).ShouldContain(("stock", "1400"));
        plan.Edits.ShouldNotContain(e => e.After![0] == "non-stock-cost");
        plan.LeftOut.ShouldContain(l =>
            l.Purpose == Purposes.CostOfSales && l.Why.Contains("tripwire", StringComparison.Ordinal)
        );
        // A channel decides revenue on a rung below the group's: an account of its own would come before it.
        var shop = setUp with
        {
            Assignments =
            [
                .. setUp.Assignments.Where(a => a.RungName != "item-group"),
                Assign(Purposes.SalesRevenue, "4020", (Dimension.Channel, "WEB")),
            ],
        };
        OwnAccounts
            .Fill(new CompiledSetUp(shop), GroupKind.Item, "RAIN")
            .LeftOut.ShouldContain(l =>
                l.Purpose == Purposes.SalesRevenue && l.Why.Contains("rung below", StringComparison.Ordinal)
            );
    }

    [Fact]
    public void Members_land_by_what_is_nearest_and_say_by_what()
    {
        var compiled = new CompiledSetUp(
            With(
                Assign(Purposes.SalesRevenue, "4010", (Dimension.ItemGroup, "GOODS")),
                Assign(Purposes.SalesRevenue, "4020", (Dimension.Item, "GLASS"))
            )
        );
        var landings = GroupMembers
            .Landings(compiled, GroupKind.Item, "GOODS")
            .Where(l => l.Purpose == Purposes.SalesRevenue)
            .ToList();
        landings
            .Select(l => (l.Account, l.By!.RungName, l.Members, string.Join(' ', l.First)))
            .ShouldBe([("4010", "item-group", 1, "GAUGE"), ("4020", "item", 1, "GLASS")], ignoreOrder: true);
        GroupMembers
            .Landings(compiled, GroupKind.Item, "GOODS")
            .Single(l => l.Purpose == Purposes.SalesReturns && l.Account == "4010")
            .Borrowed.ShouldBeTrue();
    }

    [Fact]
    public void A_group_with_another_code_lands_as_it_did_and_gets_its_old_code_back() =>
        Some.Sample(
            some =>
            {
                var (setUp, kind, code) = some;
                var row = Parts.Groups.Row(setUp, $"{Words.Of(kind)}\u001f{code}")!;
                string?[] renamed = [row[0], "NEW", "Called anew", row[3]];
                var plan = SetUpEdit.Plan(
                    setUp,
                    [new RowChange(Parts.Groups, ChangeKind.Changed, Parts.Groups.KeyOf(row), row, renamed)],
                    (_, _) => false
                );
                var shared =
                    kind is GroupKind.Customer or GroupKind.Supplier
                    && setUp.Assignments.Any(a => a.Value(Dimension.PartyGroup) == code);
                if (shared)
                {
                    plan.Faults.ShouldHaveSingleItem().Code.ShouldBe("shared-code");
                    return;
                }
                plan.Faults.ShouldBeEmpty();
                SetUpRules.Check(plan.Next).ShouldBeEmpty();
                plan.Next.Groups.ShouldContain(g => g.Kind == kind && g.Code == "NEW" && g.Name == "Called anew");
                // Groups stand where they stood: the numbers of the landing index are the same.
                Landings(new CompiledSetUp(plan.Next)).ShouldBe(Landings(new CompiledSetUp(setUp)));
                var back = SetUpEdit.Plan(plan.Next, SetUpEdit.Reverse(plan.Changes), (_, _) => false);
                back.Faults.ShouldBeEmpty();
                foreach (var part in Parts.All)
                    part.Write(back.Next)
                        .Select(r => string.Join('|', r))
                        .ShouldBe(part.Write(setUp).Select(r => string.Join('|', r)), part.Name);
            },
            iter: 60
        );

    [Fact]
    public void A_code_that_is_taken_given_twice_or_empty_is_refused()
    {
        var rows = Parts.Groups.Write(Shop).ToDictionary(r => r[1]!);
        RowChange Rename(string from, string to)
        {
            var after = rows[from].ToArray();
            after[1] = to;
            return new RowChange(Parts.Groups, ChangeKind.Changed, Parts.Groups.KeyOf(rows[from]), rows[from], after);
        }
        SetUpEdit
            .Plan(Shop, [Rename("RAIN", "GAUGES")], (_, _) => false)
            .Faults.ShouldHaveSingleItem()
            .Message.ShouldBe("There is another item group GAUGES: choose a free code.");
        SetUpEdit
            .Plan(Shop, [Rename("RAIN", "")], (_, _) => false)
            .Faults.ShouldHaveSingleItem()
            .Code.ShouldBe("missing-value");
        SetUpEdit
            .Plan(Shop, [Rename("RAIN", "ONE"), Rename("RAIN", "TWO")], (_, _) => false)
            .Faults.ShouldHaveSingleItem()
            .Code.ShouldBe("duplicate-key");
        // A row of no kind beside it is a fault of its own, and no crash.
        SetUpEdit
            .Plan(
                Shop,
                [
                    Rename("RAIN", "ONE"),
                    new RowChange(Parts.Groups, ChangeKind.Changed, "", [null, "A", "A", null], [null, "B", "B", null]),
                ],
                (_, _) => false
            )
            .Faults.ShouldNotBeEmpty();
        var plan = SetUpEdit.Plan(Shop, [Rename("RAIN", "PLUVIO")], (_, _) => false);
        plan.Next.Items.Single(i => i.Code == "GAUGE").Group.ShouldBe("PLUVIO");
    }

    [Fact]
    public void New_records_get_the_default_group_and_tasks_their_projects()
    {
        var setUp = With(
            ("group-for-new-items", "RAIN"),
            ("group-for-new-customers", "SHOPS"),
            ("group-for-new-suppliers", "LOCAL")
        );
        string? Made(Part part, string column, params (string, string?)[] cells) =>
            DefaultGroup
                .Filled(setUp, SetUpEdit.Row(part, null, cells.ToDictionary(c => c.Item1, c => c.Item2)))
                .After![part.Columns.ToList().FindIndex(c => c.Name == column)];
        Made(Parts.Items, "group", ("code", "NEW"), ("name", "New"), ("nature", "goods")).ShouldBe("RAIN");
        Made(Parts.Items, "group", ("code", "NEW"), ("name", "New"), ("nature", "goods"), ("group", "GOODS"))
            .ShouldBe("GOODS");
        Made(Parts.Parties, "customer_group", ("code", "NEW"), ("name", "New"), ("kind", "both")).ShouldBe("SHOPS");
        Made(Parts.Parties, "customer_group", ("code", "NEW"), ("name", "New"), ("kind", "supplier")).ShouldBeNull();
        Made(Parts.Parties, "supplier_group", ("code", "NEW"), ("name", "New"), ("kind", "supplier")).ShouldBe("LOCAL");
        // A task has its project's group; a group that is not there is a fault of the policy.
        Made(Parts.Projects, "group", ("code", "NEW"), ("name", "New"), ("parent", "P-DONE")).ShouldBeNull();
        SetUpRules
            .Check(With(("group-for-new-items", "NOWHERE")))
            .ShouldHaveSingleItem()
            .Message.ShouldBe("group-for-new-items: there is no item group NOWHERE.");
    }

    [Fact]
    public void A_new_line_gets_accounts_like_its_siblings_and_sells_at_once()
    {
        var setUp = With(
            Assign(Purposes.SalesRevenue, "4010", (Dimension.ItemGroup, "RAIN")),
            Assign(Purposes.Stock, "1460", (Dimension.ItemGroup, "RAIN")),
            Assign(Purposes.SalesRevenue, "4020", (Dimension.ItemGroup, "RAIN"), (Dimension.PartyGroup, "TRADE"))
        );
        var compiled = new CompiledSetUp(setUp);
        var proposed = NewLine.Propose(compiled, "RAIN", "Snow gauges");
        // Own accounts first: 1460 also serves goods shipped and not invoiced, 4010 others' charges, 4020 project
        // revenue: shared; then what it inherits.
        proposed
            .Where(p => !p.Inherited)
            .Select(p => (p.Like.Number, p.Shared))
            .ShouldBe([("1460", true), ("4010", true), ("4020", true)]);
        proposed.ShouldContain(p => p.Inherited && p.Like.Number == "5000" && p.Purposes.Contains("cost-of-sales"));
        proposed.Select(p => p.Number).OfType<string>().ShouldBeUnique();
        var wish = new NewLineWish(
            "RAIN",
            "SNOW",
            "Snow gauges",
            null,
            null,
            new Dictionary<string, (string, string)>
            {
                ["4010"] = ("4011", "Snow gauges"),
                ["5000"] = ("5001", "Cost of snow gauges"),
            },
            [("SG-1", "Snow gauge")]
        );
        var faults = new List<Fault>();
        var plan = SetUpEdit.Plan(setUp, NewLine.Edits(setUp, wish, faults), (_, _) => false);
        faults.ShouldBeEmpty();
        plan.Faults.ShouldBeEmpty();
        plan.Changes.GroupBy(c => c.Part.Name)
            .ToDictionary(g => g.Key, g => g.Count())
            .ShouldBe(
                new Dictionary<string, int>
                {
                    ["accounts"] = 2,
                    ["groups"] = 1,
                    ["items"] = 1,
                    ["assignments"] = 3 + 2,
                },
                ignoreOrder: true
            );
        plan.Next.Groups.Single(g => g.Code == "SNOW").Parent.ShouldBe("GAUGES");

        // Received at 42, invoiced at 43, shipped and sold: 2 at 120 less 10 %.
        var next = new CompiledSetUp(plan.Next, compiled);
        var item = next.Item("SG-1")!.Item;
        var documents = NewLine.PurchaseAndSale(next, item, new DateOnly(2026, 3, 14));
        documents
            .Select(d => d.Kind)
            .ShouldBe(["goods-received", "supplier-invoice", "goods-shipped", "sales-invoice"]);
        var books = new Books(plan.Next);
        foreach (var document in documents)
            books.Post(document);
        (books.Balance("1460"), books.Balance("4011"), books.Balance("5001")).ShouldBe((336m, 0m, 84m));
        // To a shop of the trade revenue goes where the sibling's does.
        books.Balance("4020").ShouldBe(-216m);
        Readiness.Of(next, item).Missing.ShouldBe(0);
        // Undone as one.
        var back = SetUpEdit.Plan(plan.Next, SetUpEdit.Reverse(plan.Changes), (_, _) => false);
        SetUpImport.Difference(setUp, back.Next).ShouldBeEmpty();
    }

    [Fact]
    public void A_wish_that_cannot_be_says_why_and_where()
    {
        var faults = new List<Fault>();
        NewLine
            .Edits(
                Shop,
                new NewLineWish("NOWHERE", "A", "A", null, null, new Dictionary<string, (string, string)>(), []),
                faults
            )
            .ShouldBeEmpty();
        faults.ShouldHaveSingleItem().Path.ShouldBe("sibling");
        faults.Clear();
        NewLine
            .Edits(
                Shop,
                new NewLineWish(
                    "RAIN",
                    "GOODS",
                    "",
                    null,
                    null,
                    new Dictionary<string, (string, string)> { ["4000"] = ("4010", "") },
                    []
                ),
                faults
            )
            .ShouldBeEmpty();
        faults.Select(f => f.Path).ShouldBe(["code", "name", "number:4000", "name:4000"], ignoreOrder: true);
    }

    [Fact]
    public void A_small_firm_is_complete_with_a_dozen_accounts()
    {
        // Eleven accounts it uses, and a tripwire for what it has none of: cards, deposits, production, projects, other
        // entities.
        var tripwire = Account("9999", AccountClass.OperatingCost) with { Tripwire = true };
        Purpose[] never =
        [
            Purposes.GiftCards,
            Purposes.CustomerDeposits,
            Purposes.SupplierDeposits,
            Purposes.ProductionWip,
            Purposes.ProjectWip,
            Purposes.ProjectBillings,
            Purposes.AccruedRevenue,
            Purposes.DueFromEntities,
            Purposes.DueToEntities,
            Purposes.Clearing,
            Purposes.RetainedEarnings,
        ];
        var setUp = Shop with
        {
            Accounts =
            [
                .. Shop.Accounts.Where(a =>
                    a.Number
                        is "1100"
                            or "1200"
                            or "1400"
                            or "1600"
                            or "2100"
                            or "2150"
                            or "2300"
                            or "4000"
                            or "5000"
                            or "6000"
                ),
                tripwire,
            ],
            Borrows = [],
            Assignments =
            [
                Assign(Purposes.Bank, "1100"),
                Assign(Purposes.Receivables, "1200"),
                Assign(Purposes.Stock, "1400"),
                Assign(Purposes.InputTax, "1600"),
                Assign(Purposes.Payables, "2100"),
                Assign(Purposes.ReceivedNotInvoiced, "2150"),
                Assign(Purposes.OutputTax, "2300"),
                Assign(Purposes.SalesRevenue, "4000"),
                Assign(Purposes.CostOfSales, "5000"),
                Assign(Purposes.NonStockCost, "6000"),
                .. never.Select(p => Assign(p, "9999")),
            ],
        };
        setUp.Accounts.Count.ShouldBeLessThanOrEqualTo(12);
        var before = new CompiledSetUp(setUp);
        PurposeCoverage.Of(before).Count(c => c.By["none"] > 0).ShouldBeGreaterThan(15);
        var minor = MinorPurposes.Of(before);
        minor.ShouldContain(m => m.Purpose == Purposes.ShippingIncome && m.From == Purposes.SalesRevenue);
        var plan = SetUpEdit.Plan(setUp, MinorPurposes.Edits(minor), (_, _) => false);
        plan.Faults.ShouldBeEmpty();
        var after = new CompiledSetUp(plan.Next, before);
        PurposeCoverage.Of(after).Where(c => c.By["none"] > 0).ShouldBeEmpty();
        MinorPurposes.Of(after).ShouldBeEmpty();
        // An ordinary month posts: bought, received, adjusted, sold with carriage, paid with a discount and a fee,
        // written off.
        var books = new Books(plan.Next);
        books.Post(
            Event(
                "goods-received",
                e =>
                {
                    e.Party = "SUPP";
                    e.Location = "CORK";
                },
                new Events.EventLine
                {
                    Item = "GAUGE",
                    Quantity = 10,
                    UnitCost = 40,
                }
            )
        );
        books.Post(
            Event(
                "supplier-invoice",
                e =>
                {
                    e.Party = "SUPP";
                    e.Reference = "B-1";
                },
                new Events.EventLine
                {
                    Item = "GAUGE",
                    Quantity = 10,
                    UnitPrice = 41,
                    ReceiptCost = 400,
                }
            )
        );
        books.Post(
            Event(
                "stock-adjusted",
                e => e.Location = "CORK",
                new Events.EventLine
                {
                    Item = "GAUGE",
                    Quantity = -1,
                    UnitCost = 40,
                }
            )
        );
        books.Post(
            Event(
                "sales-invoice",
                e =>
                {
                    e.Party = "CUST";
                    e.Reference = "S-1";
                    e.Charges = [new() { Amount = 10 }];
                },
                new Events.EventLine
                {
                    Item = "GAUGE",
                    Quantity = 2,
                    UnitPrice = 100,
                }
            )
        );
        books.Post(
            Event(
                "goods-shipped",
                e =>
                {
                    e.Party = "CUST";
                    e.Location = "CORK";
                },
                new Events.EventLine
                {
                    Item = "GAUGE",
                    Quantity = 2,
                    UnitCost = 40,
                }
            )
        );
        // 210 and 48.30 tax: paid 250, 5 discount, 3 fee, 0.30 given up.
        books.Post(Event("customer-payment", e =>
            {
                e.Party = "CUST";
                e.Method = "BANK";
                e.Amount = 250;
                e.DiscountGiven = 5;
                e.Fee = 3;
                e.WriteOff = .30m;
                e.Settles = [new() { Reference = "S-1", Amount = 258.30m }];
            }));
        (
            books.Balance("1200"),
            books.Balance("4000"),
            books.Balance("6000"),
            books.Balance("5000"),
            books.Balance("1400"),
            books.Balance("9999")
        ).ShouldBe((0m, -205m, 3.30m, 10m + 40m + 80m, 280m, 0m));
    }

    [Fact]
    public void Readiness_names_what_is_missing_before_anything_is_posted()
    {
        var compiled = new CompiledSetUp(
            Shop with
            {
                Assignments = [.. Shop.Assignments.Where(a => a.Purpose != "cost-of-sales")],
            }
        );
        var gauge = Readiness.Of(compiled, compiled.Item("GAUGE")!.Item);
        gauge.Missing.ShouldBe(1);
        gauge
            .Needs.Single(n => n.Severity == Severity.Error)
            .ShouldSatisfyAllConditions(
                n => n.What.ShouldBe("cost-of-sales"),
                n => n.Says!.ShouldContain("assign an account")
            );
        // Advice has no group and goes abroad by the matrix; a service meets no stock.
        var advice = Readiness.Of(compiled, compiled.Item("ADVICE")!.Item);
        advice.Needs.ShouldContain(n => n.What == "group" && n.Severity == Severity.Warning);
        advice.Needs.ShouldContain(n => n.What == "tax on sales: abroad × standard" && n.Account == "X");
        advice.Needs.ShouldNotContain(n => n.Purpose == Purposes.Stock);
        // A supplier whose standing the matrix does not know for purchases.
        var party = Readiness.Of(compiled, compiled.Party("SUPP")!.Party with { TaxStanding = "overseas" });
        party.Needs.ShouldContain(n =>
            n.What.StartsWith("tax on purchases: overseas", StringComparison.Ordinal) && n.Severity == Severity.Warning
        );
        Readiness
            .Of(compiled, compiled.Project("P-SHARE-A")!.Project)
            .Needs.ShouldContain(n => n.Purpose == Purposes.ProjectWip && n.Account == "1500");
    }

    [Fact]
    public void A_party_lands_where_its_items_take_it_and_not_where_nothing_else_is_said()
    {
        // Every item has an account of its own and the default is a tripwire: only a milestone, which has no item,
        // reaches it.
        Purpose[] revenue = [Purposes.SalesRevenue];
        var setUp = With([
            Assign(revenue[0], "4010", (Dimension.ItemGroup, "GOODS")),
            Assign(revenue[0], "4020", (Dimension.Item, "ADVICE")),
            Assign(revenue[0], "4020", (Dimension.Item, "HOUR")),
            Assign(revenue[0], "7510"),
        ]) with
        {
            Accounts = [.. Shop.Accounts.Select(a => a.Number == "7510" ? a with { Tripwire = true } : a)],
        };
        var compiled = new CompiledSetUp(setUp);
        var need = Readiness.Of(compiled, compiled.Party("CUST")!.Party).Needs.Single(n => n.Purpose == revenue[0]);
        (need.Account, need.By, need.Severity).ShouldBe(("4010", "item-group", Severity.Warning));
        // Two of five are goods, two of five work, one has none.
        need.Also.Select(a => (a.Account, a.By, Math.Round(a.Share, 2), a.Severity))
            .ShouldBe([("4020", "item", .4, null), ("7510", "default", .2, Severity.Warning)]);
        Readiness.Of(compiled, compiled.Party("CUST")!.Party).Missing.ShouldBe(0);
    }

    [Fact]
    public void An_item_shows_the_rungs_of_two_keys_that_decide_for_it()
    {
        var setUp = With(
            Assign(Purposes.Stock, "1450", (Dimension.Item, "GAUGE"), (Dimension.Location, "UTRECHT")),
            Assign(Purposes.CostOfSales, "5100", (Dimension.ItemGroup, "GAUGES"), (Dimension.PartyGroup, "TRADE"))
        );
        var compiled = new CompiledSetUp(setUp);
        var needs = Readiness.Of(compiled, compiled.Item("GAUGE")!.Item).Needs;
        var stock = needs.Single(n => n.Purpose == Purposes.Stock);
        (stock.Account, stock.By, stock.Severity).ShouldBe(("1400", "default", null));
        // One of three places (the third is none).
        stock
            .Also.ShouldHaveSingleItem()
            .ShouldSatisfyAllConditions(
                a => a.Account.ShouldBe("1450"),
                a => a.By.ShouldBe("item+location"),
                a => a.For.ShouldBe("UTRECHT"),
                a => a.Share.ShouldBe(1 / 3d, .001)
            );
        needs.Single(n => n.Purpose == Purposes.CostOfSales).Also.ShouldHaveSingleItem().For.ShouldBe("TRADE");
        // A gift card's discount is the only one that stands apart, and that is said.
        needs.ShouldNotContain(n => n.Purpose == Purposes.SalesDiscount);
        Readiness
            .Of(compiled, compiled.Party("CUST")!.Party)
            .Needs.Single(n => n.Purpose == Purposes.SalesDiscount)
            .Only.ShouldBe("for gift cards sold at a discount alone");
        // Bought stock is cost under the periodic method.
        LifeBands
            .Of(compiled.Item("GAUGE")!.Item, compiled.Under([new PolicyRow("stock-method", "periodic")]))
            .ShouldContain(Purposes.NonStockCost);
    }

    [Fact]
    public void What_overrides_the_same_account_and_hides_another_below_is_not_idle()
    {
        // GOODS has 1400 as the default has; but at UTRECHT the rung below says otherwise, and would come through
        // without it.
        var own = Assign(Purposes.Stock, "1400", (Dimension.ItemGroup, "GOODS"));
        bool Idle(params Assignment[] more)
        {
            var setUp = new CompiledSetUp(With([own, .. more]));
            return Core.Coverage.DeadWeight.ChangesNothing(setUp, Purposes.Stock, own);
        }
        Idle().ShouldBeTrue();
        Idle(Assign(Purposes.Stock, "1450", (Dimension.Location, "UTRECHT"))).ShouldBeFalse();
    }

    [Fact]
    public void What_no_record_has_as_it_is_grouped_now_is_told_so()
    {
        var rung = Rung.Parse("item+item-group", out _)!;
        var setUp = With(
            Assign(Purposes.SalesRevenue, "4010", (Dimension.Item, "GLASS"), (Dimension.ItemGroup, "RAIN"))
        ) with
        {
            Ladders = [new("sales-revenue", 1, rung)],
        };
        Core.Coverage.DeadWeight.Of(new CompiledSetUp(setUp))
            .Single(d => d.Assignment.Key.Count == 2)
            .Why.ShouldBe("GLASS is not in RAIN: it would decide only if it were put there.");
    }
}
