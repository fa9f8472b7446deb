using Assignum.Core.Events;
using Assignum.Core.Records;
using static Assignum.Core.Tests.Books;

namespace Assignum.Core.Tests.Kinds;

/// <summary>What comes from suppliers, worked by hand.</summary>
public class Buying
{
    private static BusinessEvent Received(params EventLine[] lines) =>
        Event("goods-received", e => e.Party = "SUPP", lines);

    private static BusinessEvent Invoiced(params EventLine[] lines) =>
        Event("supplier-invoice", e => e.Party = "SUPP", lines);

    [Fact]
    public void Stock_at_standard_comes_in_at_standard_and_the_difference_is_seen_at_once()
    {
        var entry = new Books(Shop).Post(
            Received(
                new EventLine
                {
                    Item = "GLASS",
                    Quantity = 10,
                    UnitCost = 4.50m,
                }
            )
        );
        Lines(entry).ShouldBe(["1400 D 40.00", "5100 D 5.00", "2150 C 45.00"]);
    }

    [Fact]
    public void What_is_no_stock_is_cost_when_it_comes()
    {
        Lines(new Books(Shop).Post(Received(new EventLine { Item = "ADVICE", UnitCost = 80m })))
            .ShouldBe(["6000 D 80.00", "2150 C 80.00"]);
    }

    [Fact]
    public void What_comes_for_a_project_is_its_work_in_progress()
    {
        Lines(
                new Books(Shop).Post(
                    Received(
                        new EventLine
                        {
                            Item = "ADVICE",
                            UnitCost = 80m,
                            Project = "P-DONE",
                        }
                    )
                )
            )
            .ShouldBe(["1500 D 80.00", "2150 C 80.00"]);
    }

    [Theory]
    [InlineData("receipt-accrual", "off")]
    [InlineData("stock-method", "periodic")]
    public void Without_accrual_a_receipt_makes_no_entry_and_still_moves_the_goods(string policy, string value)
    {
        var result = new Books(With((policy, value))).Try(
            Received(
                new EventLine
                {
                    Item = "GAUGE",
                    Quantity = 3,
                    UnitCost = 10m,
                    Location = "CORK",
                }
            )
        );
        result.Outcome.ShouldBe("nothing");
        var move = Stock(result).ShouldHaveSingleItem();
        (move.Context.Item, move.Context.Location, move.Quantity).ShouldBe(("GAUGE", "CORK", 3m));
    }

    [Fact]
    public void An_invoice_dearer_than_its_receipt_shows_the_rest_as_variance()
    {
        var entry = new Books(Shop).Post(
            Invoiced(
                new EventLine
                {
                    Item = "GAUGE",
                    Quantity = 10,
                    UnitPrice = 11m,
                    ReceiptCost = 100m,
                }
            )
        );
        Lines(entry).ShouldBe(["2150 D 100.00", "5100 D 10.00", "1600 D 25.30", "2100 C 135.30"]);
    }

    [Fact]
    public void The_part_still_on_hand_takes_its_share_of_the_rest()
    {
        var entry = new Books(Shop).Post(
            Invoiced(
                new EventLine
                {
                    Item = "GAUGE",
                    Quantity = 10,
                    UnitPrice = 11m,
                    ReceiptCost = 100m,
                    HeldShare = 0.4m,
                }
            )
        );
        Lines(entry).ShouldBe(["2150 D 100.00", "1400 D 4.00", "5100 D 6.00", "1600 D 25.30", "2100 C 135.30"]);
    }

    [Fact]
    public void A_receipt_leaves_at_the_rate_it_came_in()
    {
        // 100 dollars came in at 0.90 and are invoiced at 0.92: 90 cleared, 2 of variance, 92 owed.
        var source = Invoiced(
            new EventLine
            {
                Item = "GAUGE",
                UnitPrice = 100m,
                ReceiptCost = 100m,
                ReceiptRate = 0.90m,
                TaxCode = "R",
            }
        );
        (source.Currency, source.Rate) = ("USD", 0.92m);
        var entry = new Books(Shop).Post(source);
        Lines(entry).ShouldBe(["2150 D 90.00", "5100 D 2.00", "1600 D 21.16", "2300 C 21.16", "2100 C 92.00"]);
        entry.Lines[1].CurrencyDebit.ShouldBeNull();
    }

    [Fact]
    public void Without_a_receipt_the_invoice_brings_the_stock_in()
    {
        var result = new Books(Shop).Try(
            Invoiced(
                new EventLine
                {
                    Item = "GAUGE",
                    Quantity = 2,
                    UnitPrice = 10m,
                }
            )
        );
        Lines(result.Entry!).ShouldBe(["1400 D 20.00", "1600 D 4.60", "2100 C 24.60"]);
        Stock(result).ShouldHaveSingleItem().Amount.ShouldBe(20m);
    }

    [Fact]
    public void Tax_that_is_not_reclaimed_is_part_of_the_cost()
    {
        var half = Shop with
        {
            TaxCodes = [.. Shop.TaxCodes.Select(c => c.Code == "P" ? c with { Deductible = 0.5m } : c)],
        };
        var entry = new Books(half).Post(Invoiced(new EventLine { Item = "GAUGE", UnitPrice = 10m }));
        Lines(entry).ShouldBe(["1400 D 11.15", "1600 D 1.15", "2100 C 12.30"]);
        entry.Tax.Single().ShouldSatisfyAllConditions(t => t.Tax.ShouldBe(2.30m), t => t.NonDeductible.ShouldBe(1.15m));
    }

    [Fact]
    public void Prices_that_include_tax_are_taken_apart()
    {
        var source = Invoiced(new EventLine { Item = "ADVICE", UnitPrice = 123m });
        source.PricesIncludeTax = true;
        Lines(new Books(Shop).Post(source)).ShouldBe(["6000 D 100.00", "1600 D 23.00", "2100 C 123.00"]);
    }

    [Fact]
    public void Discounts_apart_show_cost_in_full_and_stock_as_paid()
    {
        var books = new Books(With(("discounts", "separate")));
        Lines(
                books.Post(
                    Invoiced(
                        new EventLine
                        {
                            Item = "ADVICE",
                            UnitPrice = 100m,
                            DiscountPercent = 10,
                        }
                    )
                )
            )
            .ShouldBe(["6000 D 100.00", "5100 C 10.00", "1600 D 20.70", "2100 C 110.70"]);
        Lines(
                books.Post(
                    Invoiced(
                        new EventLine
                        {
                            Item = "GAUGE",
                            UnitPrice = 100m,
                            DiscountPercent = 10,
                        }
                    )
                )
            )
            .ShouldBe(["1400 D 90.00", "1600 D 20.70", "2100 C 110.70"]);
    }

    [Fact]
    public void Freight_on_the_invoice_is_a_charge_and_never_stock()
    {
        var source = Invoiced(new EventLine { Item = "GAUGE", UnitPrice = 10m });
        source.Charges = [new() { Amount = 5m, Account = "6100" }];
        Lines(new Books(Shop).Post(source)).ShouldBe(["1400 D 10.00", "6100 D 5.00", "1600 D 3.45", "2100 C 18.45"]);
    }

    [Fact]
    public void A_deposit_paid_before_lessens_what_is_owed_at_the_rate_it_was_paid()
    {
        var books = new Books(Shop);
        books.Post(Event("supplier-deposit", e =>
            {
                e.Party = "SUPP";
                e.Amount = 50m;
                e.Currency = "USD";
                e.Rate = 0.90m;
            }));
        books.Balance("1290").ShouldBe(45m);
        var source = Invoiced(
            new EventLine
            {
                Item = "GAUGE",
                UnitPrice = 100m,
                TaxCode = "R",
            }
        );
        (source.Currency, source.Rate, source.DepositApplied, source.DepositRate) = ("USD", 0.92m, 50m, 0.90m);
        books.Post(source);
        books.Balance("1290").ShouldBe(0);
        books.Balance("2100").ShouldBe(-46m);
        books.Balance("7010").ShouldBe(-1m);
    }

    [Fact]
    public void A_credit_note_turns_the_invoice_round()
    {
        var entry = new Books(Shop).Post(
            Event("supplier-credit-note", e => e.Party = "SUPP", new EventLine { Item = "GAUGE", UnitPrice = 10m })
        );
        Lines(entry).ShouldBe(["1400 C 10.00", "1600 C 2.30", "2100 D 12.30"]);
        entry.Tax.Single().ShouldSatisfyAllConditions(t => t.Base.ShouldBe(-10m), t => t.Tax.ShouldBe(-2.30m));
    }

    [Fact]
    public void Under_periodic_stock_what_is_bought_is_cost_and_a_receipt_is_not_looked_at()
    {
        var entry = new Books(With(("stock-method", "periodic"))).Post(
            Invoiced(
                new EventLine
                {
                    Item = "GAUGE",
                    UnitPrice = 10m,
                    ReceiptCost = 10m,
                }
            )
        );
        Lines(entry).ShouldBe(["6000 D 10.00", "1600 D 2.30", "2100 C 12.30"]);
    }

    [Fact]
    public void Payables_know_the_item_group_only_when_all_lines_share_it()
    {
        var shop = With(
            Assign(
                Landing.Purposes.Payables,
                "2101",
                (Landing.Dimension.Party, "SUPP"),
                (Landing.Dimension.ItemGroup, "RAIN")
            )
        );
        shop = shop with
        {
            Accounts = [.. shop.Accounts, Account("2101", Chart.AccountClass.Liability, Chart.Control.Payables)],
        };
        var books = new Books(shop);
        books.Post(Invoiced(new EventLine { Item = "GAUGE", UnitPrice = 1m })).Lines[^1].Account.ShouldBe("2101");
        books
            .Post(
                Invoiced(
                    new EventLine { Item = "GAUGE", UnitPrice = 1m },
                    new EventLine { Item = "GLASS", UnitPrice = 1m }
                )
            )
            .Lines[^1]
            .Account.ShouldBe("2100");
    }

    [Fact]
    public void An_item_without_any_cost_is_an_error_that_says_what_to_send()
    {
        var errors = new Books(Shop).Try(Received(new EventLine { Item = "GAUGE" })).Errors;
        errors
            .ShouldHaveSingleItem()
            .ShouldSatisfyAllConditions(e => e.Code.ShouldBe("no-cost"), e => e.Path.ShouldBe("lines[0].unitCost"));
    }

    [Fact]
    public void A_standard_item_without_a_standard_is_an_error()
    {
        var shop = Shop with
        {
            Items =
            [
                .. Shop.Items,
                new Item("BARE", "Bare", ItemNature.Goods, true, Costing: Costing.Standard, TaxCategory: "standard"),
            ],
        };
        new Books(shop)
            .Try(Invoiced(new EventLine { Item = "BARE", UnitPrice = 1m }))
            .Errors.ShouldHaveSingleItem()
            .Code.ShouldBe("no-cost");
    }
}
