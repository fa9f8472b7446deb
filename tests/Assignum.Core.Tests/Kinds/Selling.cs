using Assignum.Core.Events;
using Assignum.Core.Records;
using static Assignum.Core.Tests.Books;

namespace Assignum.Core.Tests.Kinds;

/// <summary>What goes to customers, worked by hand.</summary>
public class Selling
{
    private static BusinessEvent Invoice(params EventLine[] lines) =>
        Event("sales-invoice", e => e.Party = "CUST", lines);

    [Fact]
    public void A_discount_lessens_revenue_or_stands_apart()
    {
        var line = new EventLine
        {
            Item = "GAUGE",
            Quantity = 2,
            UnitPrice = 50m,
            DiscountPercent = 10,
        };
        Lines(new Books(Shop).Post(Invoice(line))).ShouldBe(["1200 D 110.70", "4000 C 90.00", "2300 C 20.70"]);
        Lines(new Books(With(("discounts", "separate"))).Post(Invoice(line)))
            .ShouldBe(["1200 D 110.70", "4000 C 100.00", "6000 D 10.00", "2300 C 20.70"]);
    }

    [Fact]
    public void A_discount_on_prices_with_tax_loses_its_tax_too()
    {
        var source = Invoice(
            new EventLine
            {
                Item = "GAUGE",
                UnitPrice = 123m,
                Discount = 12.30m,
            }
        );
        source.PricesIncludeTax = true;
        // 110.70 with tax is 90 and 20.70; the discount of 12.30 is 10 without tax.
        Lines(new Books(With(("discounts", "separate"))).Post(source))
            .ShouldBe(["1200 D 110.70", "4000 C 100.00", "6000 D 10.00", "2300 C 20.70"]);
    }

    [Fact]
    public void Carriage_is_income_of_its_own()
    {
        var source = Invoice(new EventLine { Item = "GAUGE", UnitPrice = 100m });
        source.Charges = [new() { Amount = 10m, Text = "Carriage" }];
        var entry = new Books(Shop).Post(source);
        Lines(entry).ShouldBe(["1200 D 135.30", "4000 C 100.00", "4010 C 10.00", "2300 C 25.30"]);
        entry.Lines[2].Text.ShouldBe("Carriage");
    }

    [Fact]
    public void Export_carries_a_tax_line_and_no_tax()
    {
        var entry = new Books(Shop).Post(
            Event("sales-invoice", e => e.Party = "ABROAD", new EventLine { Item = "GAUGE", UnitPrice = 100m })
        );
        Lines(entry).ShouldBe(["1200 D 100.00", "4000 C 100.00"]);
        entry
            .Tax.Single()
            .ShouldSatisfyAllConditions(t => t.Code.ShouldBe("X"), t => t.Base.ShouldBe(100m), t => t.Tax.ShouldBe(0));
    }

    [Fact]
    public void An_unregistered_seller_charges_none_and_needs_no_code()
    {
        var shop = Shop with { Entity = Shop.Entity with { TaxRegistered = false }, TaxMatrix = [] };
        var entry = new Books(shop).Post(Invoice(new EventLine { Item = "GAUGE", UnitPrice = 100m }));
        Lines(entry).ShouldBe(["1200 D 100.00", "4000 C 100.00"]);
        entry.Tax.ShouldBeEmpty();
    }

    [Fact]
    public void A_line_for_a_project_is_billed_not_earned()
    {
        Lines(
                new Books(Shop).Post(
                    Invoice(
                        new EventLine
                        {
                            Item = "ADVICE",
                            UnitPrice = 100m,
                            Project = "P-DONE",
                        }
                    )
                )
            )
            .ShouldBe(["1200 D 123.00", "2250 C 100.00", "2300 C 23.00"]);
    }

    [Fact]
    public void A_project_that_recognises_as_billed_earns_at_once()
    {
        var shop = Shop with { Projects = [.. Shop.Projects, new("P-BILL", "As billed")] };
        Lines(
                new Books(shop).Post(
                    Invoice(
                        new EventLine
                        {
                            Item = "ADVICE",
                            UnitPrice = 100m,
                            Project = "P-BILL",
                        }
                    )
                )
            )
            .ShouldBe(["1200 D 123.00", "4020 C 100.00", "2300 C 23.00"]);
    }

    [Fact]
    public void A_milestone_has_neither_item_nor_account()
    {
        var entry = new Books(Shop).Post(
            Invoice(
                new EventLine
                {
                    Text = "First milestone",
                    UnitPrice = 100m,
                    TaxCode = "S",
                }
            )
        );
        entry
            .Lines[1]
            .ShouldSatisfyAllConditions(l => l.Account.ShouldBe("4000"), l => l.Landing.Rung.ShouldBe("default"));
    }

    [Fact]
    public void A_negative_line_swaps_its_sides()
    {
        var entry = new Books(Shop).Post(
            Invoice(
                new EventLine
                {
                    Item = "GAUGE",
                    Quantity = -1,
                    UnitPrice = 20m,
                }
            )
        );
        Lines(entry).ShouldBe(["1200 C 24.60", "4000 D 20.00", "2300 D 4.60"]);
    }

    [Fact]
    public void A_free_line_is_no_leg_and_an_event_of_them_makes_no_entry()
    {
        new Books(Shop).Try(Invoice(new EventLine { Item = "GAUGE", UnitPrice = 0m })).Outcome.ShouldBe("nothing");
    }

    [Fact]
    public void Under_cost_at_invoice_a_line_without_its_cost_is_warned_of()
    {
        var entry = new Books(With(("cost-timing", "invoice"))).Post(
            Invoice(new EventLine { Item = "GAUGE", UnitPrice = 20m })
        );
        entry.Remarks.ShouldHaveSingleItem().Code.ShouldBe("no-cost");
    }

    [Fact]
    public void Dollars_leave_a_cent_of_rounding_and_balance_in_both_currencies()
    {
        var source = Event(
            "sales-invoice",
            e =>
            {
                e.Party = "ABROAD";
                e.Currency = "USD";
                e.Rate = 0.333m;
            },
            [.. Enumerable.Range(0, 3).Select(_ => new EventLine { Item = "GAUGE", UnitPrice = 0.05m })]
        );
        // 0.15 × 0.333 = 0.05; three times 0.05 × 0.333 = 0.02 each: a cent is left over.
        var entry = new Books(Shop).Post(source);
        Lines(entry).ShouldBe(["1200 D 0.05", "4000 C 0.02", "4000 C 0.02", "4000 C 0.02", "6000 D 0.01"]);
        entry
            .Lines[^1]
            .ShouldSatisfyAllConditions(
                l => l.Purpose.ShouldBe(Landing.Purposes.RoundingDifference),
                l => l.CurrencyDebit.ShouldBeNull()
            );
    }

    [Fact]
    public void A_gift_card_redeemed_elsewhere_is_keyed_by_the_channel_it_was_sold_in()
    {
        var shop = With(Assign(Landing.Purposes.GiftCards, "2211", (Landing.Dimension.Channel, "WEB")));
        shop = shop with
        {
            Accounts = [.. shop.Accounts, Account("2211", Chart.AccountClass.Liability, Chart.Control.GiftCards)],
        };
        var source = Invoice(new EventLine { Item = "ADVICE", UnitPrice = 100m });
        (source.GiftCardApplied, source.GiftCardChannel) = (20m, "WEB");
        var books = new Books(shop);
        books.Post(source);
        books.Balance("2211").ShouldBe(20m);
        books.Balance("1200").ShouldBe(103m);
    }

    [Fact]
    public void Only_stock_items_are_shipped_and_their_cost_leaves_stock()
    {
        var result = new Books(Shop).Try(
            Event(
                "goods-shipped",
                e =>
                {
                    e.Party = "CUST";
                    e.Location = "CORK";
                },
                new EventLine
                {
                    Item = "GAUGE",
                    Quantity = 2,
                    UnitCost = 10m,
                },
                new EventLine { Item = "ADVICE" }
            )
        );
        Lines(result.Entry!).ShouldBe(["5000 D 20.00", "1400 C 20.00"]);
        var move = Stock(result).ShouldHaveSingleItem();
        (move.Quantity, move.Amount, move.Context.Location).ShouldBe((-2m, -20m, "CORK"));
    }

    [Fact]
    public void A_standard_item_ships_at_standard_whatever_cost_is_sent()
    {
        Lines(
                new Books(Shop).Post(
                    Event(
                        "goods-shipped",
                        e => e.Party = "CUST",
                        new EventLine
                        {
                            Item = "GLASS",
                            Quantity = 3,
                            UnitCost = 99m,
                        }
                    )
                )
            )
            .ShouldBe(["5000 D 12.00", "1400 C 12.00"]);
    }

    [Fact]
    public void A_channel_sale_is_owed_by_the_provider_and_a_refund_turns_it_round()
    {
        var books = new Books(Shop);
        Lines(
                books.Post(
                    Event(
                        "channel-sale",
                        e =>
                        {
                            e.Channel = "WEB";
                            e.Standing = "domestic";
                        },
                        new EventLine { Item = "GAUGE", UnitPrice = 100m }
                    )
                )
            )
            .ShouldBe(["1150 D 123.00", "4000 C 100.00", "2300 C 23.00"]);
        Lines(
                books.Post(
                    Event(
                        "channel-refund",
                        e =>
                        {
                            e.Channel = "WEB";
                            e.Standing = "domestic";
                        },
                        new EventLine { Item = "GAUGE", UnitPrice = 100m }
                    )
                )
            )
            .ShouldBe(["1150 C 123.00", "4000 D 100.00", "2300 D 23.00"]);
    }

    [Fact]
    public void Clearing_is_keyed_by_the_clearing_method_where_one_is_named()
    {
        var shop = With(Assign(Landing.Purposes.Clearing, "1151", (Landing.Dimension.Method, "CARD")));
        shop = shop with
        {
            Accounts = [.. shop.Accounts, Account("1151", Chart.AccountClass.Asset, Chart.Control.Clearing)],
        };
        var books = new Books(shop);
        string Lands(string? method, string? clearing) =>
            books
                .Post(
                    Event(
                        "channel-sale",
                        e =>
                        {
                            (e.Channel, e.Standing, e.Method, e.ClearingMethod) = ("WEB", "domestic", method, clearing);
                        },
                        new EventLine { Item = "GAUGE", UnitPrice = 1m }
                    )
                )
                .Lines[0]
                .Account;
        Lands("CARD", null).ShouldBe("1151");
        Lands("BANK", "CARD").ShouldBe("1151");
        Lands("CARD", "BANK").ShouldBe("1150");
    }

    [Fact]
    public void A_providers_fee_bears_tax_as_a_purchase()
    {
        var entry = new Books(Shop).Post(Event("channel-fee", e =>
            {
                e.Channel = "WEB";
                e.Standing = "domestic";
                e.Amount = 10m;
            }));
        Lines(entry).ShouldBe(["6100 D 10.00", "1600 D 2.30", "1150 C 12.30"]);
    }

    [Fact]
    public void A_chargeback_and_its_fee_leave_clearing_in_one_leg()
    {
        Lines(new Books(Shop).Post(Event("channel-chargeback", e =>
                    {
                        e.Channel = "WEB";
                        e.Amount = 80m;
                        e.Fee = 15m;
                    })))
            .ShouldBe(["6100 D 80.00", "6100 D 15.00", "1150 C 95.00"]);
    }

    [Fact]
    public void Expired_gift_cards_are_income()
    {
        Lines(new Books(Shop).Post(Event("gift-cards-expired", e => e.Amount = 30m)))
            .ShouldBe(["2210 D 30.00", "4010 C 30.00"]);
    }
}
