using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Statements;
using Assignum.Core.Tables;
using CsCheck;
using static Assignum.Core.Tests.Books;

namespace Assignum.Core.Tests;

/// <summary>The order of the statements, new numbers for accounts, other accounts in their place, and whom an account
/// suits.</summary>
public class Charts
{
    private static Account Heading(string number, string name, AccountClass @class, string? parent = null) =>
        new(number, name, @class, AccountKind.Heading, parent);

    private static Account Posting(string number, AccountClass @class, string? parent = null) =>
        new(number, "Account " + number, @class, AccountKind.Posting, parent);

    private static readonly Account[] Firm =
    [
        Heading("1000", "Assets", AccountClass.Asset),
        Posting("1010", AccountClass.Asset, "1000"),
        Posting("1020", AccountClass.Asset, "1000"),
        Posting("2010", AccountClass.Liability),
        Posting("3010", AccountClass.Equity),
        Heading("4000", "Trading", AccountClass.Revenue),
        Posting("4010", AccountClass.Revenue, "4000"),
        Posting("4020", AccountClass.Revenue, "4000"),
        Posting("4500", AccountClass.CostOfSales, "4000"),
        Posting("6010", AccountClass.OperatingCost),
        Posting("7010", AccountClass.OtherIncome),
        Posting("7510", AccountClass.OtherCost),
        Posting("8010", AccountClass.IncomeTax),
    ];

    // Sold for 1,000, cost 600, running 250; interest 30 in and 10 out; tax 40. What is left, 130, is in the bank with
    // the capital.
    private static readonly Dictionary<string, decimal> Balances = new()
    {
        ["1010"] = 330,
        ["2010"] = -100,
        ["3010"] = -100,
        ["4010"] = -700,
        ["4020"] = -300,
        ["4500"] = 600,
        ["6010"] = 250,
        ["7010"] = -30,
        ["7510"] = 10,
        ["8010"] = 40,
    };

    [Fact]
    public void The_chart_stands_in_the_order_of_the_statements_with_the_profit_lines_between()
    {
        var rows = StatementTree.Lay(Firm, Balances);
        rows.Select(r => $"{new string('.', r.Depth)}{(r.Number.Length > 0 ? r.Number : r.Title)} {r.Balance:0}")
            .ShouldBe([
                "1000 330",
                ".1010 330",
                ".1020 0",
                "Liabilities -100",
                ".2010 -100",
                "Equity -100",
                ".3010 -100",
                "Result to date -130",
                // A heading over two classes stands in both, each time with its part.
                "Revenue -1000",
                ".4000 -1000",
                "..4010 -700",
                "..4020 -300",
                "Cost of sales 600",
                ".4000 600",
                "..4500 600",
                "Gross profit -400",
                "Operating cost 250",
                ".6010 250",
                "Operating profit -150",
                "Other income -30",
                ".7010 -30",
                "Other cost 10",
                ".7510 10",
                "Profit before tax -170",
                "Tax on income 40",
                ".8010 40",
                "Net profit -130",
            ]);
        rows.Where(r => r.Moved && r.Account is not null).Count().ShouldBe(10);
        // Assets less what is owed, the capital and the result: nothing.
        rows.Where(r => r.Depth == 0).Take(4).Sum(r => r.Balance).ShouldBe(0);
    }

    [Fact]
    public void Where_an_account_falls_is_shown_by_its_headings_its_neighbours_and_the_next_profit_line()
    {
        var rows = StatementTree.Lay([.. Firm, Posting("4015", AccountClass.Revenue, "4000")], Balances);
        StatementTree
            .Around(rows, "4015", 1)
            .Select(r => r.Number.Length > 0 ? r.Number : r.Title)
            .ShouldBe(["Revenue", "4000", "4010", "4015", "4020", "Gross profit"]);
        StatementTree.Around(rows, "9999", 1).ShouldBeEmpty();
    }

    private static readonly Gen<SetUp> Random = Gen.Int[0, int.MaxValue]
        .Select(seed =>
        {
            var random = new Random(seed);
            var accounts = new List<Account>();
            for (var i = random.Next(0, 40); i > 0; i--)
            {
                var headings = accounts.Where(a => a.Kind == AccountKind.Heading).ToList();
                var number = $"{random.Next(1, 9)}{i:000}";
                var @class = (AccountClass)random.Next(9);
                headings.RemoveAll(h => h.Class != @class);
                accounts.Add(
                    new Account(
                        number,
                        "Name " + i,
                        @class,
                        random.Next(3) == 0 ? AccountKind.Heading : AccountKind.Posting,
                        headings.Count > 0 && random.Next(3) > 0 ? headings[random.Next(headings.Count)].Number : null,
                        Control: random.Next(4) == 0 ? (Control)random.Next(1, 13) : Control.None,
                        Note: random.Next(3) == 0 ? "note" : null
                    )
                );
            }
            var posting = accounts.Where(a => a.Kind == AccountKind.Posting).ToList();
            var setUp = SetUpDefaults.Empty(new Entity("R", "Random", "EUR")) with
            {
                Accounts = [.. accounts.OrderBy(a => a.Number, StringComparer.Ordinal)],
                Items = [new("I0", "Item", Records.ItemNature.Goods, true)],
            };
            if (posting.Count < 2)
                return setUp;
            string Any() => posting[random.Next(posting.Count)].Number;
            var assignments = Purposes
                .All.Where(_ => random.Next(3) == 0)
                .Select(p => Assign(p, Any()))
                .Concat(random.Next(2) == 0 ? [Assign(Purposes.SalesRevenue, Any(), (Dimension.Item, "I0"))] : []);
            return setUp with
            {
                Assignments = [.. assignments.OrderBy(a => a.Identity, StringComparer.Ordinal)],
                Crosswalk = random.Next(2) == 0 ? [new(Any(), "any", "G1")] : [],
                ReliefAccounts =
                    random.Next(2) == 0 && (posting[0].Number, posting[1].Number) is var (a, b)
                        ? [new(a, b, null)]
                        : [],
                Pairings = random.Next(2) == 0 ? [new("GL", "account", "X1", Any(), "paired", null)] : [],
            };
        });

    [Fact]
    public void Every_account_stands_in_the_statements_once_and_the_sums_agree() =>
        Gen.Select(Random, Gen.Int[0, 1000])
            .Sample(
                (setUp, salt) =>
                {
                    var posting = setUp.Accounts.Where(a => a.Kind == AccountKind.Posting).ToList();
                    var balances = posting.ToDictionary(
                        a => a.Number,
                        a => (decimal)((int.Parse(a.Number) * 7919 + salt) % 2001 - 1000)
                    );
                    var rows = StatementTree.Lay(setUp.Accounts, balances);
                    var shown = rows.Where(r => r.Kind == StatementRowKind.Account)
                        .Select(r => r.Number)
                        .Order()
                        .ToList();
                    // A heading without any account below it is a row as well; posting accounts stand once each.
                    shown.ShouldBe(posting.Select(a => a.Number).Order());
                    setUp.Accounts.All(a => rows.Any(r => r.Number == a.Number)).ShouldBeTrue();
                    decimal Sum(params AccountClass[] of) =>
                        posting.Where(a => of.Contains(a.Class)).Sum(a => balances[a.Number]);
                    rows.Single(r => r.Title == StatementTree.Gross)
                        .Balance.ShouldBe(Sum(AccountClass.Revenue, AccountClass.CostOfSales));
                    rows.Single(r => r.Title == StatementTree.Net)
                        .Balance.ShouldBe(
                            posting
                                .Where(a =>
                                    a.Class is not (AccountClass.Asset or AccountClass.Liability or AccountClass.Equity)
                                )
                                .Sum(a => balances[a.Number])
                        );
                    foreach (var row in rows.Where(r => r.Depth > 0))
                        rows.Take(rows.ToList().IndexOf(row))
                            .Last(r => r.Depth < row.Depth)
                            .Depth.ShouldBe(row.Depth - 1);
                }
            );

    [Fact]
    public void Another_number_is_carried_to_all_that_names_the_account_and_back()
    {
        var plan = SetUpEdit.Plan(Shop, Renumbering.Plan(Shop, "4000", "4001", false), (_, _) => true);
        plan.Faults.ShouldBeEmpty();
        // One row changes: what names the account is the same account.
        plan.Changes.Count.ShouldBe(1);
        plan.Next.Accounts.ShouldContain(a => a.Number == "4001" && a.Name == "Account 4000");
        plan.Next.Assignments.Single(a => a.Purpose == "sales-revenue").Account.ShouldBe("4001");
        SetUpRules.Check(plan.Next).ShouldBeEmpty();

        SetUpEdit
            .Plan(Shop, Renumbering.Plan(Shop, "4000", "4010", false), (_, _) => true)
            .Faults.Single()
            .Message.ShouldContain("4010 is Account 4010");
        SetUpEdit
            .Plan(Shop, Renumbering.Plan(Shop, "4000", "", false), (_, _) => true)
            .Faults.Single()
            .Code.ShouldBe("missing-value");
    }

    [Fact]
    public void A_heading_takes_along_those_below_whose_numbers_follow_it()
    {
        var chart = SetUpDefaults.Empty(new Entity("H", "H", "EUR")) with
        {
            Accounts =
            [
                Heading("4000", "Revenue", AccountClass.Revenue),
                Posting("4012", AccountClass.Revenue, "4000"),
                Heading("4100", "More", AccountClass.Revenue, "4000"),
                Posting("4110", AccountClass.Revenue, "4100"),
                Posting("R-1", AccountClass.Revenue, "4000"),
            ],
        };
        var next = SetUpEdit.Plan(chart, Renumbering.Plan(chart, "4000", "4200", true), (_, _) => false).Next;
        next.Accounts.Select(a => $"{a.Number}<{a.Parent}")
            .Order(StringComparer.Ordinal)
            .ShouldBe(["4200<", "4212<4200", "4300<4200", "4310<4300", "R-1<4200"]);
    }

    [Fact]
    public void Two_accounts_may_change_their_numbers_for_each_other_and_one_edit_may_do_more()
    {
        var rows = Parts.Accounts.Write(Shop).ToDictionary(Parts.Accounts.KeyOf);
        RowChange Edit(string number, params (string, string?)[] cells) =>
            SetUpEdit.Row(Parts.Accounts, rows[number], cells.ToDictionary(c => c.Item1, c => c.Item2));
        var edits = new[] { Edit("4000", ("number", "4010"), ("name", "Sales")), Edit("4010", ("number", "4000")) };
        var plan = SetUpEdit.Plan(Shop, edits, (_, _) => true);
        plan.Faults.ShouldBeEmpty();
        plan.Next.Assignments.Single(a => a.Purpose == "sales-revenue").Account.ShouldBe("4010");
        plan.Next.Accounts.Single(a => a.Number == "4010").Name.ShouldBe("Sales");

        // Turned back, everything is as it was; and somebody who saw an older name is told.
        var back = SetUpEdit.Plan(plan.Next, SetUpEdit.Reverse(plan.Changes), (_, _) => true);
        back.Faults.ShouldBeEmpty();
        Same(back.Next, Shop);
        SetUpEdit
            .Plan(plan.Next, [Edit("4000", ("number", "4999"))], (_, _) => true)
            .Faults.ShouldContain(f => f.Code == "changed-meanwhile");
    }

    [Fact]
    public void Renumbering_changes_no_landing_and_can_be_turned_back() =>
        Gen.Select(Random, Gen.Int)
            .Sample(
                (setUp, seed) =>
                {
                    var random = new Random(seed);
                    if (setUp.Accounts.Count == 0)
                        return;
                    var map = setUp
                        .Accounts.Where(_ => random.Next(3) == 0)
                        .ToDictionary(
                            a => a.Number,
                            a => random.Next(2) == 0 ? "N" + a.Number : a.Number[^1] + a.Number
                        );
                    var column = Parts.Accounts.Keys[0];
                    var edits = Parts
                        .Accounts.Write(setUp)
                        .Where(r => map.ContainsKey(r[column]!))
                        .Select(r =>
                        {
                            var after = r.ToArray();
                            after[column] = map[r[column]!];
                            return new RowChange(Parts.Accounts, ChangeKind.Changed, r[column]!, r, after);
                        })
                        .ToList();
                    var plan = SetUpEdit.Plan(setUp, edits, (_, _) => true);
                    plan.Faults.ShouldBeEmpty();
                    SetUpRules.Check(plan.Next).ShouldBeEmpty();
                    plan.Next.Assignments.Select(a => a.Account)
                        .ShouldBe(setUp.Assignments.Select(a => map.GetValueOrDefault(a.Account, a.Account)));
                    Same(SetUpEdit.Plan(plan.Next, SetUpEdit.Reverse(plan.Changes), (_, _) => true).Next, setUp);
                }
            );

    [Fact]
    public void What_names_an_account_names_another_when_it_is_replaced_and_the_account_is_archived() =>
        Gen.Select(Random, Gen.Int[0, 1000])
            .Sample(
                (setUp, pick) =>
                {
                    var posting = setUp.Accounts.Where(a => a.Kind == AccountKind.Posting).ToList();
                    if (posting.Count < 2)
                        return;
                    var (old, to) = (posting[pick % posting.Count].Number, posting[(pick + 1) % posting.Count].Number);
                    var faults = new List<Fault>();
                    var edits = ChartReferences.Replace(setUp, old, to, new Dictionary<string, string>(), faults);
                    if (faults.Count > 0)
                    {
                        // Refused because something does not suit, never for want of a choice; and nothing would be
                        // changed.
                        faults.ShouldAllBe(f =>
                            new[]
                            {
                                "class",
                                "control-needed",
                                "control-account",
                                "account-heading",
                                "not-a-heading",
                                "cycle",
                            }.Contains(f.Code)
                        );
                        edits.ShouldBeEmpty();
                        return;
                    }
                    var plan = SetUpEdit.Plan(setUp, edits, (part, _) => part == Parts.Accounts);
                    plan.Faults.ShouldBeEmpty();
                    ChartReferences.To(plan.Next, old).ShouldBeEmpty();
                    plan.Next.Accounts.Single(a => a.Number == old).Status.ShouldBe(RecordStatus.Archived);
                    Same(SetUpEdit.Plan(plan.Next, SetUpEdit.Reverse(plan.Changes), (_, _) => true).Next, setUp);
                }
            );

    [Fact]
    public void A_replacement_is_chosen_once_and_must_suit_every_purpose()
    {
        var faults = new List<Fault>();
        ChartReferences.Replace(Shop, "5100", "", new Dictionary<string, string>(), faults).ShouldBeEmpty();
        faults.ShouldAllBe(f => f.Code == "no-replacement");
        faults.Count.ShouldBe(6);

        // 5100 serves variances and discounts taken; 4010 is revenue and suits none of them.
        faults.Clear();
        ChartReferences.Replace(Shop, "5100", "4010", new Dictionary<string, string>(), faults);
        faults.ShouldContain(f => f.Code == "class" && f.Message.Contains("purchase-variance"));

        faults.Clear();
        var edits = ChartReferences.Replace(
            Shop,
            "5100",
            "5000",
            new Dictionary<string, string> { ["purchase-discount"] = "7010" },
            faults
        );
        faults.ShouldBeEmpty();
        var next = SetUpEdit.Plan(Shop, edits, (_, _) => true).Next;
        next.Assignments.Single(a => a.Purpose == "purchase-discount").Account.ShouldBe("7010");
        next.Assignments.Where(a => a.Purpose is "purchase-variance" or "stock-adjustment")
            .Select(a => a.Account)
            .ShouldBe(["5000", "5000"]);
    }

    [Fact]
    public void Making_an_account_a_control_account_names_what_uses_it_wrongly()
    {
        var account = Shop.Accounts.Single(a => a.Number == "6000");
        var wrong = ChartReferences.UnfitUses(
            Shop,
            account with
            {
                Class = AccountClass.Asset,
                Control = Control.Receivables,
            }
        );
        wrong
            .Select(w => w.Reference.What)
            .Order()
            .ShouldBe(["non-stock-cost", "payment-discount-given", "payment-write-off", "rounding", "sales-discount"]);
        ChartReferences.UnfitUses(Shop, account).ShouldBeEmpty();
    }

    [Fact]
    public void An_account_suits_a_purpose_exactly_when_no_guard_speaks_of_it()
    {
        foreach (var purpose in new[] { Purposes.SalesRevenue, Purposes.Receivables })
        foreach (
            var account in Shop.Accounts.Concat([
                new Account("X", "Old", AccountClass.Revenue, AccountKind.Posting, Status: RecordStatus.Archived),
                new Account("T", "Trip", AccountClass.Revenue, AccountKind.Posting, Tripwire: true),
                new Account("H", "Head", AccountClass.Revenue, AccountKind.Heading),
            ])
        )
        {
            var setUp = With(Assign(purpose, account.Number)) with
            {
                Accounts = [.. Shop.Accounts.Where(a => a.Number != account.Number), account],
            };
            var result = new Books(setUp).Try(
                Event(
                    "sales-invoice",
                    e => e.Party = "CUST",
                    new Events.EventLine
                    {
                        Item = "ADVICE",
                        Quantity = 1,
                        UnitPrice = 10,
                    }
                )
            );
            var remarks = result
                .Entry!.Remarks.Where(r => r.Purpose == purpose.Name && r.Account == account.Number)
                .Select(r => r.Code)
                .ToList();
            var why = Fitness.Of(account, purpose, true);
            (why is null).ShouldBe(remarks.Count == 0, $"{account.Number} for {purpose.Name}");
            if (why is not null)
                remarks.ShouldContain(why.Code);
        }
    }

    /// <summary>A chart of thirteen accounts.</summary>
    internal static SetUp Small { get; } =
        SetUpDefaults.Empty(new Entity("S", "Small", "EUR")) with
        {
            Accounts = Firm,
        };

    private static void Same(SetUp a, SetUp b) => SetUpImport.Difference(a, b).Select(c => c.Label).ShouldBeEmpty();
}
