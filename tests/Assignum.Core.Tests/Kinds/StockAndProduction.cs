using Assignum.Core.Events;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using static Assignum.Core.Tests.Books;

namespace Assignum.Core.Tests.Kinds;

/// <summary>What happens inside the house, worked by hand.</summary>
public class StockAndProduction
{
    private static readonly SetUps.SetUp TwoWarehouses = AtUtrecht();

    private static SetUps.SetUp AtUtrecht()
    {
        var shop = With(Assign(Purposes.Stock, "1401", (Dimension.Location, "UTRECHT")));
        return shop with
        {
            Accounts = [.. shop.Accounts, Account("1401", Chart.AccountClass.Asset, Chart.Control.Stock)],
        };
    }

    [Theory]
    [InlineData(3, "1400 D 30.00", "5100 C 30.00")]
    [InlineData(-3, "1400 C 30.00", "5100 D 30.00")]
    public void Stock_found_or_lost_by_the_sign_of_its_quantity(int quantity, string first, string second)
    {
        Lines(
                new Books(Shop).Post(
                    Event(
                        "stock-adjusted",
                        null,
                        new EventLine
                        {
                            Item = "GAUGE",
                            Quantity = quantity,
                            UnitCost = 10m,
                        }
                    )
                )
            )
            .ShouldBe([first, second]);
    }

    [Fact]
    public void Under_periodic_stock_a_count_makes_no_entry()
    {
        new Books(With(("stock-method", "periodic")))
            .Try(
                Event(
                    "stock-adjusted",
                    null,
                    new EventLine
                    {
                        Item = "GAUGE",
                        Quantity = 3,
                        UnitCost = 10m,
                    }
                )
            )
            .Outcome.ShouldBe("nothing");
    }

    [Theory]
    [InlineData("perpetual")]
    [InlineData("periodic")]
    public void A_revaluation_changes_value_under_either_method(string method)
    {
        Lines(
                new Books(With(("stock-method", method))).Post(
                    Event("stock-revalued", null, new EventLine { Item = "GAUGE", Amount = -5m })
                )
            )
            .ShouldBe(["1400 C 5.00", "5100 D 5.00"]);
    }

    [Fact]
    public void Goods_moved_between_two_accounts_take_their_value_along()
    {
        var result = new Books(TwoWarehouses).Try(
            Event(
                "stock-moved",
                e =>
                {
                    e.FromLocation = "CORK";
                    e.ToLocation = "UTRECHT";
                },
                new EventLine
                {
                    Item = "GAUGE",
                    Quantity = 2,
                    UnitCost = 10m,
                }
            )
        );
        Lines(result.Entry!).ShouldBe(["1401 D 20.00", "1400 C 20.00"]);
        Stock(result).Select(m => (m.Context.Location, m.Quantity)).ShouldBe([("UTRECHT", 2m), ("CORK", -2m)]);
    }

    [Fact]
    public void Goods_moved_within_one_account_make_no_entry_and_are_kept_as_moved()
    {
        var result = new Books(Shop).Try(
            Event(
                "stock-moved",
                e =>
                {
                    e.FromLocation = "CORK";
                    e.ToLocation = "UTRECHT";
                },
                new EventLine
                {
                    Item = "GAUGE",
                    Quantity = 2,
                    UnitCost = 10m,
                }
            )
        );
        result.Outcome.ShouldBe("nothing");
        Stock(result).Select(m => (m.Context.Location, m.Quantity)).ShouldBe([("UTRECHT", 2m), ("CORK", -2m)]);
    }

    [Fact]
    public void Goods_in_transit_belong_to_where_they_go()
    {
        var books = new Books(TwoWarehouses);
        BusinessEvent Move(string transit) =>
            Event(
                "stock-moved",
                e =>
                {
                    e.FromLocation = "CORK";
                    e.ToLocation = "UTRECHT";
                    e.InTransit = transit;
                },
                new EventLine { Item = "GAUGE", UnitCost = 10m }
            );
        var left = books.Post(Move("out"));
        Lines(left).ShouldBe(["1450 D 10.00", "1400 C 10.00"]);
        left.Lines[0].Context.Location.ShouldBe("UTRECHT");
        var came = books.Post(Move("in"));
        Lines(came).ShouldBe(["1401 D 10.00", "1450 C 10.00"]);
        came.Lines[1].Context.Location.ShouldBe("UTRECHT");
        books.Balance("1450").ShouldBe(0);
    }

    [Fact]
    public void Direct_production_debits_the_finished_item_and_completion_only_the_difference()
    {
        var books = new Books(With(("production", "direct")));
        Lines(
                books.Post(
                    Event(
                        "production-issued",
                        e => e.Output = "GAUGE",
                        new EventLine { Item = "GLASS", Quantity = 2 },
                        new EventLine { Item = "HOUR" }
                    )
                )
            )
            .ShouldBe(["1400 D 8.00", "1400 C 8.00", "1400 D 30.00", "5400 C 30.00"]);
        Lines(books.Post(Event("production-completed", e =>
                    {
                        e.Output = "GAUGE";
                        e.UnitCost = 35m;
                        e.IssuedCost = 38m;
                    })))
            .ShouldBe(["1400 C 3.00", "5100 D 3.00"]);
        books.Balance("1440").ShouldBe(0);
    }

    [Fact]
    public void Own_work_enters_at_standard_and_keeps_the_values_of_its_line()
    {
        var entry = new Books(Shop).Post(
            Event(
                "production-issued",
                e =>
                {
                    e.Output = "GAUGE";
                    e.Location = "CORK";
                },
                new EventLine
                {
                    Item = "HOUR",
                    Quantity = 0.5m,
                    Location = "UTRECHT",
                }
            )
        );
        Lines(entry).ShouldBe(["1440 D 15.00", "5400 C 15.00"]);
        entry
            .Lines[0]
            .Context.ShouldSatisfyAllConditions(c => c.Item.ShouldBe("GAUGE"), c => c.Location.ShouldBe("CORK"));
        entry
            .Lines[1]
            .Context.ShouldSatisfyAllConditions(c => c.Item.ShouldBe("HOUR"), c => c.Location.ShouldBe("UTRECHT"));
    }

    [Fact]
    public void A_project_uses_stock_from_stock_and_hours_from_own_work()
    {
        Lines(
                new Books(Shop).Post(
                    Event(
                        "project-usage",
                        e => e.Project = "P-DONE",
                        new EventLine { Item = "GAUGE", UnitCost = 10m },
                        new EventLine { Item = "HOUR" }
                    )
                )
            )
            .ShouldBe(["1500 D 10.00", "1400 C 10.00", "1500 D 30.00", "5400 C 30.00"]);
    }

    [Fact]
    public void Usage_without_a_project_says_so()
    {
        new Books(Shop)
            .Try(Event("project-usage", null, new EventLine { Item = "HOUR" }))
            .Errors.ShouldHaveSingleItem()
            .Path.ShouldBe("lines[0].project");
    }

    [Theory]
    [InlineData("P-BILL", "recognised-as-billed")]
    [InlineData("P-SHARE", "no-estimate")]
    public void What_cannot_be_recognised_is_refused(string project, string code)
    {
        var shop = Shop with { Projects = [.. Shop.Projects, new("P-BILL", "As billed")] };
        new Books(shop)
            .Try(Event("project-recognised", e =>
                {
                    e.Project = project;
                    e.CostToDate = 10;
                    e.ContractValue = 100;
                }))
            .Errors.ShouldHaveSingleItem()
            .Code.ShouldBe(code);
    }

    [Fact]
    public void A_share_above_one_earns_no_more_than_the_contract()
    {
        var entry = new Books(Shop).Post(Event("project-recognised", e =>
            {
                e.Project = "P-SHARE";
                e.CostToDate = 700;
                e.CostRecognised = 700;
                e.EstimatedCost = 600;
                e.ContractValue = 1000;
                e.BilledToDate = 1000;
            }));
        Lines(entry).ShouldBe(["4020 C 1000.00", "2250 D 1000.00"]);
    }

    [Fact]
    public void Recognising_less_than_before_swaps_the_sides()
    {
        var entry = new Books(Shop).Post(Event("project-recognised", e =>
            {
                e.Project = "P-SHARE";
                e.CostToDate = 100;
                e.CostRecognised = 150;
                e.EstimatedCost = 1000;
                e.ContractValue = 1000;
                e.RevenueRecognised = 150;
                e.BilledToDate = 150;
            }));
        Lines(entry).ShouldBe(["5000 C 50.00", "1500 D 50.00", "4020 D 50.00", "2250 C 50.00"]);
    }
}
