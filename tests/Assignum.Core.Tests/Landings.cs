using Assignum.Core.Chart;
using Assignum.Core.Events;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using static Assignum.Core.Tests.Books;

namespace Assignum.Core.Tests;

/// <summary>Where a leg lands, and what is said of it.</summary>
public class Landings
{
    private static readonly EventLine Sold = new() { Item = "GAUGE", UnitPrice = 20m };

    [Fact]
    public void A_group_two_levels_up_decides_and_the_way_there_is_written_down()
    {
        var books = new Books(
            With(Assign(Purposes.SalesRevenue, "4010", (Dimension.ItemGroup, "GOODS"), (Dimension.PartyGroup, "TRADE")))
        );
        var line = books
            .Post(Event("sales-invoice", e => e.Party = "CUST", Sold))
            .Lines.Single(l => l.Purpose == Purposes.SalesRevenue);
        line.Account.ShouldBe("4010");
        line.Landing.Rung.ShouldBe("item-group+party-group");
        // The last dimension walks outward first: shops, trade; then the next item group.
        line.Landing.Tried.Where(t => t.Rung == "item-group+party-group")
            .Select(t => string.Join('/', t.Key.Select(k => k.Value)))
            .ShouldBe(["RAIN/SHOPS", "RAIN/TRADE", "GAUGES/SHOPS", "GAUGES/TRADE", "GOODS/SHOPS", "GOODS/TRADE"]);
        line.Landing.Unneeded.ShouldBe(["item-group+channel", "item-group", "party-group", "channel", "default"]);
    }

    [Fact]
    public void Each_rung_below_the_one_that_decided_says_what_it_would_give()
    {
        var books = new Books(
            With(
                Assign(Purposes.SalesRevenue, "4010", (Dimension.ItemGroup, "RAIN"), (Dimension.PartyGroup, "TRADE")),
                Assign(Purposes.SalesRevenue, "4020", (Dimension.ItemGroup, "GOODS")),
                Assign(Purposes.SalesRevenue, "4000", (Dimension.PartyGroup, "SHOPS"))
            )
        );
        var line = books
            .Post(Event("sales-invoice", e => e.Party = "CUST", Sold))
            .Lines.Single(l => l.Purpose == Purposes.SalesRevenue);
        line.Account.ShouldBe("4010");
        line.Landing.Below()
            .Select(b => $"{b.Rung} {string.Join('/', b.Key.Select(k => k.Value))} {b.Account ?? "–"} {b.Outcome}")
            .ShouldBe([
                "item-group+channel  – Absent",
                "item-group GOODS 4020 Hit",
                "party-group SHOPS 4000 Hit",
                "channel  – Absent",
                "default  4000 Hit",
            ]);
    }

    [Fact]
    public void The_nearest_group_wins_over_its_parent()
    {
        var books = new Books(
            With(
                Assign(Purposes.SalesRevenue, "4010", (Dimension.ItemGroup, "GOODS")),
                Assign(Purposes.SalesRevenue, "4020", (Dimension.ItemGroup, "GAUGES"))
            )
        );
        books.Post(Event("sales-invoice", e => e.Party = "CUST", Sold)).Lines[1].Account.ShouldBe("4020");
    }

    [Fact]
    public void Returns_borrow_from_revenue_when_their_own_ladder_misses()
    {
        var line = new Books(With(Assign(Purposes.SalesRevenue, "4010", (Dimension.ItemGroup, "RAIN"))))
            .Post(Event("sales-credit-note", e => e.Party = "CUST", Sold))
            .Lines.Single(l => l.Purpose == Purposes.SalesReturns);
        line.Account.ShouldBe("4010");
        line.Landing.BorrowedFrom.ShouldBe("sales-revenue");
        line.Landing.Tried[0].Purpose.ShouldBeNull();
        line.Landing.Tried[^1]
            .ShouldSatisfyAllConditions(
                t => t.Purpose.ShouldBe("sales-revenue"),
                t => t.Outcome.ShouldBe(TryOutcome.Hit)
            );
    }

    [Fact]
    public void Every_unresolved_leg_is_named_not_only_the_first()
    {
        var shop = Shop with
        {
            Assignments = [.. Shop.Assignments.Where(a => a.Purpose is not ("sales-revenue" or "output-tax"))],
        };
        var result = new Books(shop).Try(Event("sales-invoice", e => e.Party = "CUST", Sold));
        result.Entry.ShouldBeNull();
        result
            .Errors.Select(e => (e.Code, e.Purpose))
            .ShouldBe([("unresolved", "sales-revenue"), ("unresolved", "output-tax")]);
    }

    [Theory]
    [InlineData(HandEntries.Refuse, "refused", "control-account", Severity.Error)]
    [InlineData(HandEntries.Warn, "posted", "control-account", Severity.Warning)]
    [InlineData(HandEntries.Accept, "posted", null, null)]
    public void Another_subledgers_control_account_is_refused_warned_of_or_accepted(
        HandEntries rule,
        string outcome,
        string? code,
        Severity? severity
    )
    {
        var shop = With(Assign(Purposes.Receivables, "1150", (Dimension.Party, "CUST")));
        shop = shop with
        {
            Accounts = [.. shop.Accounts.Select(a => a.Number == "1150" ? a with { HandEntries = rule } : a)],
        };
        var result = new Books(shop).Try(Event("sales-invoice", e => e.Party = "CUST", Sold));
        result.Outcome.ShouldBe(outcome);
        var remark = result.Entry!.Remarks.SingleOrDefault(r => r.Account == "1150");
        remark?.Code.ShouldBe(code);
        remark?.Severity.ShouldBe(severity!.Value);
        (remark is null).ShouldBe(code is null);
    }

    [Theory]
    [InlineData("4010", "posted")] // no control purpose: any account that the guards let pass
    [InlineData("1400", "refused")] // a control account of another subledger
    [InlineData("6000", "refused")] // the wrong class
    public void An_account_written_on_a_line_is_used_if_the_guards_let_it(string account, string outcome) =>
        new Books(Shop)
            .Try(
                Event(
                    "sales-invoice",
                    e => e.Party = "CUST",
                    new EventLine
                    {
                        Item = "GAUGE",
                        UnitPrice = 1m,
                        Account = account,
                    }
                )
            )
            .Outcome.ShouldBe(outcome);

    [Theory, InlineData("1200", "posted"), InlineData("1210", "posted"), InlineData("1150", "refused")]
    public void Receivables_take_the_ladders_account_or_its_relief_and_no_other(string account, string outcome)
    {
        var shop = Shop with { ReliefAccounts = [new("1200", "1210", "disputed")] };
        new Books(shop)
            .Try(
                Event(
                    "sales-invoice",
                    e =>
                    {
                        e.Party = "CUST";
                        e.ReceivablesAccount = account;
                    },
                    Sold
                )
            )
            .Outcome.ShouldBe(outcome);
    }

    [Fact]
    public void An_account_written_where_no_rung_asks_for_it_is_warned_of()
    {
        var entry = new Books(Shop).Post(
            Event(
                "supplier-invoice",
                e => e.Party = "SUPP",
                new EventLine
                {
                    Item = "GAUGE",
                    UnitPrice = 1m,
                    Account = "6000",
                }
            )
        );
        entry.Remarks.ShouldHaveSingleItem().Code.ShouldBe("line-account-unused");
        entry.Lines[0].Account.ShouldBe("1400");
    }

    [Fact]
    public void A_tripwire_decides_nothing_above_the_default_and_is_warned_of_as_one()
    {
        var shop = With(
            Assign(Purposes.SalesRevenue, "6000"),
            Assign(Purposes.SalesRevenue, "6000", (Dimension.Item, "GAUGE"))
        );
        shop = shop with
        {
            Accounts = [.. shop.Accounts.Select(a => a.Number == "6000" ? a with { Tripwire = true } : a)],
        };
        var entry = new Books(shop).Post(Event("sales-invoice", e => e.Party = "CUST", Sold));
        entry.Lines[1].Landing.Rung.ShouldBe("default");
        entry.Lines[1].Landing.Tried.Single(t => t.Rung == "item").Outcome.ShouldBe(TryOutcome.Tripwire);
        entry
            .Remarks.ShouldHaveSingleItem()
            .ShouldSatisfyAllConditions(r => r.Code.ShouldBe("tripwire"), r => r.Severity.ShouldBe(Severity.Warning));
    }

    [Fact]
    public void An_archived_account_wins_and_is_an_error()
    {
        var shop = Shop with
        {
            Accounts =
            [
                .. Shop.Accounts.Select(a => a.Number == "4000" ? a with { Status = RecordStatus.Archived } : a),
            ],
        };
        new Books(shop)
            .Try(Event("sales-invoice", e => e.Party = "CUST", Sold))
            .Entry!.Remarks.ShouldHaveSingleItem()
            .Code.ShouldBe("account-archived");
    }

    [Fact]
    public void Unknown_records_are_all_named_at_once() =>
        new Books(Shop)
            .Try(
                Event(
                    "sales-invoice",
                    e =>
                    {
                        e.Party = "NOBODY";
                        e.Location = "NOWHERE";
                    },
                    new EventLine { Item = "NOTHING", UnitPrice = 1m }
                )
            )
            .Errors.Select(e => e.Path)
            .ShouldBe(["party", "location", "lines[0].item"]);

    [Fact]
    public void Nothing_posts_into_a_closed_period()
    {
        var shop = Shop with { Periods = [new(new(2026, 3, 1), new(2026, 3, 31), true)] };
        new Books(shop)
            .Try(Event("sales-invoice", e => e.Party = "CUST", Sold))
            .Entry!.Remarks.ShouldHaveSingleItem()
            .Code.ShouldBe("period-closed");
    }
}
