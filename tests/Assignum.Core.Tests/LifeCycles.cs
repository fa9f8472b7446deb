using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.Records;
using static Assignum.Core.Tests.Books;

namespace Assignum.Core.Tests;

/// <summary>Whole stories, worked by hand: what is in between two documents is empty when the story ends.</summary>
public class LifeCycles
{
    [Fact]
    public void What_was_shipped_and_not_invoiced_stands_between_until_it_is()
    {
        var books = new Books(With(("cost-timing", "invoice")));
        var shipped = books.Post(
            Event("goods-shipped", e => e.Party = "CUST", new EventLine { Item = "GAUGE", UnitCost = 5m })
        );
        TAccount Between(params JournalEntry[] entries) => LifeCycle.Of(entries).Single(a => a.Number == "1460");
        (Between(shipped).Between, Between(shipped).Balance).ShouldBe((true, 5m));
        var invoiced = books.Post(
            Event(
                "sales-invoice",
                e => e.Party = "CUST",
                new EventLine
                {
                    Item = "GAUGE",
                    UnitPrice = 9m,
                    UnitCost = 5m,
                }
            )
        );
        (Between(shipped, invoiced).Between, Between(shipped, invoiced).Balance).ShouldBe((true, 0m));
        // Stock itself is no account between, and one that holds both is none either.
        LifeCycle.Of([shipped]).Single(a => a.Number == "1400").Between.ShouldBeFalse();
    }

    [Fact]
    public void Bought_at_ten_sold_at_twenty_and_paid()
    {
        var books = new Books(Shop);

        Lines(
                books.Post(
                    Event("goods-received", e => e.Party = "SUPP", new EventLine { Item = "GAUGE", UnitCost = 10m })
                )
            )
            .ShouldBe(["1400 D 10.00", "2150 C 10.00"]);
        Lines(
                books.Post(
                    Event(
                        "supplier-invoice",
                        e => e.Party = "SUPP",
                        new EventLine
                        {
                            Item = "GAUGE",
                            UnitPrice = 10m,
                            ReceiptCost = 10m,
                        }
                    )
                )
            )
            .ShouldBe(["2150 D 10.00", "1600 D 2.30", "2100 C 12.30"]);
        books.Balance("2150").ShouldBe(0);

        Lines(
                books.Post(
                    Event("goods-shipped", e => e.Party = "CUST", new EventLine { Item = "GAUGE", UnitCost = 10m })
                )
            )
            .ShouldBe(["5000 D 10.00", "1400 C 10.00"]);
        books.Balance("1400").ShouldBe(0);

        Lines(
                books.Post(
                    Event(
                        "sales-invoice",
                        e =>
                        {
                            e.Party = "CUST";
                            e.Reference = "INV-1";
                        },
                        new EventLine { Item = "GAUGE", UnitPrice = 20m }
                    )
                )
            )
            .ShouldBe(["1200 D 24.60", "4000 C 20.00", "2300 C 4.60"]);
        Lines(books.Post(Event("customer-payment", e =>
                    {
                        e.Party = "CUST";
                        e.Amount = 24.60m;
                        e.Settles = [new() { Reference = "INV-1", Amount = 24.60m }];
                    })))
            .ShouldBe(["1100 D 24.60", "1200 C 24.60"]);
        books.Balance("1200").ShouldBe(0);
        books.Balance("1100").ShouldBe(24.60m);
    }

    [Fact]
    public void Cost_at_the_invoice_waits_between_shipment_and_invoice()
    {
        var books = new Books(With(("cost-timing", "invoice")));
        books.Post(Event("goods-shipped", e => e.Party = "CUST", new EventLine { Item = "GAUGE", UnitCost = 10m }));
        books.Balance("1460").ShouldBe(10);
        books.Balance("5000").ShouldBe(0);
        books.Post(
            Event(
                "sales-invoice",
                e => e.Party = "CUST",
                new EventLine
                {
                    Item = "GAUGE",
                    UnitPrice = 20m,
                    UnitCost = 10m,
                }
            )
        );
        books.Balance("1460").ShouldBe(0);
        books.Balance("5000").ShouldBe(10);
    }

    [Fact]
    public void Made_from_glass_and_an_hour_and_the_difference_is_seen()
    {
        var books = new Books(Shop);
        books.Post(
            Event(
                "production-issued",
                e => e.Output = "GAUGE",
                new EventLine { Item = "GLASS", Quantity = 2 },
                new EventLine { Item = "HOUR" }
            )
        );
        books.Balance("1440").ShouldBe(38); // 2 × 4.00 glass, one hour at 30.00
        books.Post(Event("production-completed", e =>
            {
                e.Output = "GAUGE";
                e.Quantity = 1;
                e.UnitCost = 35m;
                e.IssuedCost = 38m;
            }));
        books.Balance("1440").ShouldBe(0);
        books.Balance("1400").ShouldBe(35 - 8);
        books.Balance("5100").ShouldBe(3);
    }

    [Fact]
    public void Returned_goods_and_their_credit_note_undo_the_sale()
    {
        var books = new Books(Shop);
        books.Post(Event("goods-shipped", e => e.Party = "CUST", new EventLine { Item = "GAUGE", UnitCost = 10m }));
        books.Post(Event("sales-invoice", e => e.Party = "CUST", new EventLine { Item = "GAUGE", UnitPrice = 20m }));
        books.Post(Event("goods-returned", e => e.Party = "CUST", new EventLine { Item = "GAUGE", UnitCost = 10m }));
        var credit = books.Post(
            Event("sales-credit-note", e => e.Party = "CUST", new EventLine { Item = "GAUGE", UnitPrice = 20m })
        );
        foreach (var account in new[] { "1200", "1400", "2300", "4000", "5000" })
            books.Balance(account).ShouldBe(0, account);
        credit.Tax.Single().Tax.ShouldBe(-4.60m);
    }

    [Fact]
    public void A_taxed_deposit_leaves_no_tax_and_no_deposit_when_it_is_applied()
    {
        var books = new Books(With(("deposit-tax", "on")));
        Lines(books.Post(Event("customer-deposit", e =>
                    {
                        e.Party = "CUST";
                        e.Amount = 123m;
                    })))
            .ShouldBe(["1100 D 123.00", "2300 C 23.00", "2200 C 100.00"]);
        var invoice = books.Post(
            Event(
                "sales-invoice",
                e =>
                {
                    e.Party = "CUST";
                    e.DepositApplied = 123m;
                    e.DepositTaxCode = "S";
                },
                new EventLine { Item = "GAUGE", UnitPrice = 200m }
            )
        );
        books.Balance("2200").ShouldBe(0);
        books.Balance("2300").ShouldBe(-46); // 23 % of 200 and nothing else
        books.Balance("1200").ShouldBe(123);
        invoice.Tax.Select(t => t.Tax).ShouldBe([46m, -23m]);
    }

    [Fact]
    public void A_gift_card_carries_no_tax_and_is_gone_when_redeemed()
    {
        var books = new Books(Shop);
        Lines(
                books.Post(
                    Event("sales-invoice", e => e.Party = "CUST", new EventLine { Item = "CARD", UnitPrice = 50m })
                )
            )
            .ShouldBe(["1200 D 50.00", "2210 C 50.00"]);
        books.Post(
            Event(
                "sales-invoice",
                e =>
                {
                    e.Party = "CUST";
                    e.GiftCardApplied = 50m;
                },
                new EventLine { Item = "ADVICE", UnitPrice = 100m }
            )
        );
        books.Balance("2210").ShouldBe(0);
        books.Balance("2300").ShouldBe(-23);
    }

    [Fact]
    public void A_channel_sale_is_cleared_by_fee_and_payout()
    {
        var books = new Books(Shop);
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
        );
        books.Balance("1150").ShouldBe(123);
        books.Post(Event("channel-fee", e =>
            {
                e.Channel = "WEB";
                e.Amount = 2m;
                e.Standing = "domestic";
            }));
        books.Balance("1150").ShouldBe(120.54m); // 2.00 and 0.46 tax on it
        Lines(books.Post(Event("channel-payout", e =>
                    {
                        e.Channel = "WEB";
                        e.Amount = 119.54m;
                        e.Fee = 1m;
                        e.Method = "BANK";
                    })))
            .ShouldBe(["1100 D 119.54", "6100 D 1.00", "1150 C 120.54"]);
        books.Balance("1150").ShouldBe(0);
    }

    [Fact]
    public void A_project_on_completion_keeps_its_cost_and_billings_until_it_is_done()
    {
        var books = new Books(Shop);
        books.Post(Event("project-usage", e => e.Project = "P-DONE", new EventLine { Item = "HOUR", Quantity = 10 }));
        books.Post(
            Event(
                "sales-invoice",
                e =>
                {
                    e.Party = "CUST";
                    e.Project = "P-DONE";
                },
                new EventLine { Item = "ADVICE", UnitPrice = 500m }
            )
        );
        books.Balance("1500").ShouldBe(300);
        books.Balance("2250").ShouldBe(-500);
        books
            .Try(Event("project-recognised", e =>
                {
                    e.Project = "P-DONE";
                    e.CostToDate = 300;
                    e.BilledToDate = 500;
                }))
            .Outcome.ShouldBe("nothing");
        books.Post(Event("project-recognised", e =>
            {
                e.Project = "P-DONE";
                e.CostToDate = 300;
                e.BilledToDate = 500;
                e.Complete = true;
            }));
        books.Balance("1500").ShouldBe(0);
        books.Balance("2250").ShouldBe(0);
        books.Balance("4020").ShouldBe(-500);
    }

    [Fact]
    public void A_project_by_cost_share_accrues_what_is_not_billed_yet()
    {
        var books = new Books(Shop);
        books.Post(
            Event("project-usage", e => e.Project = "P-SHARE-A", new EventLine { Item = "HOUR", Quantity = 10 })
        );
        // Half of the estimated 600 is spent: half of the 1,000 is earned, all of it not billed.
        books.Post(Event("project-recognised", e =>
            {
                e.Project = "P-SHARE-A";
                e.CostToDate = 300;
                e.EstimatedCost = 600;
                e.ContractValue = 1000;
            }));
        books.Balance("1510").ShouldBe(500);
        books.Balance("4020").ShouldBe(-500);
        books.Post(
            Event(
                "sales-invoice",
                e =>
                {
                    e.Party = "CUST";
                    e.Project = "P-SHARE-A";
                },
                new EventLine { Item = "ADVICE", UnitPrice = 1000m }
            )
        );
        books.Post(
            Event("project-usage", e => e.Project = "P-SHARE-A", new EventLine { Item = "HOUR", Quantity = 10 })
        );
        books.Post(Event("project-recognised", e =>
            {
                e.Project = "P-SHARE-A";
                e.CostToDate = 600;
                e.CostRecognised = 300;
                e.RevenueRecognised = 500;
                e.AccruedRevenue = 500;
                e.BilledToDate = 1000;
                e.ContractValue = 1000;
                e.Complete = true;
            }));
        foreach (var account in new[] { "1500", "1510", "2250" })
            books.Balance(account).ShouldBe(0, account);
        books.Balance("4020").ShouldBe(-1000);
    }

    [Fact]
    public void Dollars_booked_at_one_rate_and_paid_at_another_leave_an_exchange_loss()
    {
        var books = new Books(Shop);
        books.Post(
            Event(
                "sales-invoice",
                e =>
                {
                    e.Party = "ABROAD";
                    e.Reference = "INV-9";
                    e.Currency = "USD";
                    e.Rate = 0.9173m;
                },
                new EventLine { Item = "GAUGE", UnitPrice = 100m }
            )
        );
        books.Balance("1200").ShouldBe(91.73m);
        var paid = books.Post(Event("customer-payment", e =>
            {
                e.Party = "ABROAD";
                e.Amount = 100m;
                e.Currency = "USD";
                e.Rate = 0.9051m;
                e.Settles = [new() { Reference = "INV-9", Amount = 100m }];
            }));
        books.Balance("1200").ShouldBe(0);
        books.Balance("7510").ShouldBe(1.22m);
        paid.Lines.Single(l => l.Account == "7510").CurrencyDebit.ShouldBeNull();
    }

    [Fact]
    public void A_revaluation_is_turned_round_on_the_day_asked_for()
    {
        var shop = Shop with
        {
            Accounts =
            [
                .. Shop.Accounts.Where(a => a.Number != "1100"),
                Account("1100", Chart.AccountClass.Asset, Chart.Control.Bank) with
                {
                    Revalue = true,
                },
            ],
        };
        var entry = new Books(shop).Post(
            Event(
                "currency-revalued",
                e => e.ReverseOn = new(2026, 4, 1),
                new EventLine
                {
                    Account = "1100",
                    Currency = "USD",
                    Amount = -3m,
                }
            )
        );
        Lines(entry).ShouldBe(["1100 C 3.00", "7510 D 3.00"]);
        Lines(entry.Reversal!).ShouldBe(["1100 D 3.00", "7510 C 3.00"]);
        entry.Reversal!.Date.ShouldBe(new DateOnly(2026, 4, 1));
    }
}
