using Assignum.Core.Chart;
using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using static Assignum.Core.Tests.Books;

namespace Assignum.Core.Tests.Kinds;

/// <summary>Money and entries by hand, worked out.</summary>
public class Money
{
    [Fact]
    public void Discount_write_off_and_fee_settle_what_the_bank_did_not_bring()
    {
        var books = new Books(Shop);
        books.Post(
            Event(
                "sales-invoice",
                e =>
                {
                    e.Party = "CUST";
                    e.Reference = "I";
                },
                new EventLine { Item = "GAUGE", UnitPrice = 100m }
            )
        );
        Lines(books.Post(Event("customer-payment", e =>
                    {
                        e.Party = "CUST";
                        e.Amount = 119m;
                        e.DiscountGiven = 2.5m;
                        e.WriteOff = 0.5m;
                        e.Fee = 1m;
                        e.Settles = [new() { Reference = "I", Amount = 123m }];
                    })))
            .ShouldBe(["1100 D 119.00", "6000 D 2.50", "6000 D 0.50", "6100 D 1.00", "1200 C 123.00"]);
        books.Balance("1200").ShouldBe(0);
    }

    [Fact]
    public void What_settles_nothing_is_on_account()
    {
        var entry = new Books(Shop).Post(Event("customer-payment", e =>
            {
                e.Party = "CUST";
                e.Amount = 50m;
                e.Settles = [new() { Reference = "I", Amount = 30m }];
            }));
        Lines(entry).ShouldBe(["1100 D 50.00", "1200 C 30.00", "1200 C 20.00"]);
    }

    [Fact]
    public void Allocating_more_than_there_is_is_an_error()
    {
        new Books(Shop)
            .Try(Event("customer-payment", e =>
                {
                    e.Party = "CUST";
                    e.Amount = 50m;
                    e.Settles = [new() { Reference = "I", Amount = 51m }];
                }))
            .Errors.ShouldHaveSingleItem()
            .Code.ShouldBe("over-allocated");
    }

    [Fact]
    public void Settling_more_than_a_document_has_open_is_warned_of()
    {
        var books = new Books(Shop);
        books.Post(
            Event(
                "sales-invoice",
                e =>
                {
                    e.Party = "CUST";
                    e.Reference = "I";
                },
                new EventLine { Item = "GAUGE", UnitPrice = 10m }
            )
        );
        var entry = books.Post(Event("customer-payment", e =>
            {
                e.Party = "CUST";
                e.Amount = 20m;
                e.Settles = [new() { Reference = "I", Amount = 20m }];
            }));
        entry.Remarks.ShouldHaveSingleItem().Code.ShouldBe("settles-too-much");
    }

    [Fact]
    public void A_document_is_settled_on_the_account_it_was_booked_on()
    {
        var shop = Shop with { ReliefAccounts = [new("1200", "1210", null)] };
        var books = new Books(shop);
        books.Post(
            Event(
                "sales-invoice",
                e =>
                {
                    e.Party = "CUST";
                    e.Reference = "I";
                    e.ReceivablesAccount = "1210";
                },
                new EventLine { Item = "GAUGE", UnitPrice = 100m }
            )
        );
        books.Post(Event("customer-payment", e =>
            {
                e.Party = "CUST";
                e.Amount = 123m;
                e.Settles = [new() { Reference = "I", Amount = 123m }];
            }));
        books.Balance("1210").ShouldBe(0);
        books.Balance("1200").ShouldBe(0);
    }

    [Fact]
    public void A_refund_is_a_payment_turned_round()
    {
        Lines(new Books(Shop).Post(Event("customer-payment", e =>
                    {
                        e.Party = "CUST";
                        e.Amount = -20m;
                    })))
            .ShouldBe(["1100 C 20.00", "1200 D 20.00"]);
    }

    [Fact]
    public void A_payment_in_a_channel_goes_to_clearing()
    {
        new Books(Shop)
            .Post(Event("customer-payment", e =>
                {
                    e.Party = "CUST";
                    e.Amount = 20m;
                    e.Channel = "WEB";
                }))
            .Lines[0]
            .Account.ShouldBe("1150");
    }

    [Fact]
    public void A_supplier_is_paid_less_discount_and_the_bank_takes_its_fee()
    {
        Lines(new Books(Shop).Post(Event("supplier-payment", e =>
                    {
                        e.Party = "SUPP";
                        e.Amount = 98m;
                        e.DiscountTaken = 2m;
                        e.Fee = 1m;
                        e.Settles = [new() { Reference = "S", Amount = 100m }];
                    })))
            .ShouldBe(["2100 D 100.00", "6100 D 1.00", "1100 C 99.00", "5100 C 2.00"]);
    }

    [Fact]
    public void Paying_a_supplier_at_a_better_rate_is_a_gain()
    {
        var entry = new Books(Shop).Post(Event("supplier-payment", e =>
            {
                e.Party = "SUPP";
                e.Amount = 100m;
                e.Currency = "USD";
                e.Rate = 0.90m;
                e.Settles =
                [
                    new()
                    {
                        Reference = "S",
                        Amount = 100m,
                        Rate = 0.92m,
                    },
                ];
            }));
        Lines(entry).ShouldBe(["2100 D 92.00", "7010 C 2.00", "1100 C 90.00"]);
    }

    [Fact]
    public void Money_moved_pays_its_fee_where_it_came_from()
    {
        var shop = With(Assign(Purposes.Bank, "1101", (Dimension.Method, "CARD")));
        shop = shop with { Accounts = [.. shop.Accounts, Account("1101", AccountClass.Asset, Control.Bank)] };
        Lines(new Books(shop).Post(Event("money-moved", e =>
                    {
                        e.FromMethod = "CARD";
                        e.ToMethod = "BANK";
                        e.Amount = 100m;
                        e.Fee = 2m;
                    })))
            .ShouldBe(["1100 D 100.00", "6100 D 2.00", "1101 C 102.00"]);
    }

    [Fact]
    public void Deposits_stand_in_their_own_accounts()
    {
        Lines(new Books(Shop).Post(Event("customer-deposit", e =>
                    {
                        e.Party = "CUST";
                        e.Amount = 123m;
                    })))
            .ShouldBe(["1100 D 123.00", "2200 C 123.00"]);
        Lines(new Books(Shop).Post(Event("supplier-deposit", e =>
                    {
                        e.Party = "SUPP";
                        e.Amount = 50m;
                    })))
            .ShouldBe(["1290 D 50.00", "1100 C 50.00"]);
    }

    [Fact]
    public void Interest_is_owed_by_the_customer()
    {
        Lines(new Books(Shop).Post(Event("interest-charged", e =>
                    {
                        e.Party = "CUST";
                        e.Amount = 7m;
                    })))
            .ShouldBe(["1200 D 7.00", "4010 C 7.00"]);
    }

    [Fact]
    public void A_hand_entry_is_taken_as_written_when_it_balances()
    {
        var entry = new Books(Shop).Post(
            Event(
                "hand-entry",
                null,
                new EventLine { Account = "6000", Debit = 10m },
                new EventLine { Account = "6100", Credit = 10m }
            )
        );
        Lines(entry).ShouldBe(["6000 D 10.00", "6100 C 10.00"]);
        entry.Lines[0].ShouldSatisfyAllConditions(l => l.Purpose.ShouldBeNull(), l => l.Landing.Rung.ShouldBe("line"));
    }

    [Theory]
    [InlineData(10, 9, "unbalanced")]
    [InlineData(10, null, "one-side")]
    public void A_hand_entry_that_does_not_balance_or_has_a_line_without_a_side_is_refused(
        int debit,
        int? credit,
        string code
    )
    {
        new Books(Shop)
            .Try(
                Event(
                    "hand-entry",
                    null,
                    new EventLine { Account = "6000", Debit = debit },
                    new EventLine { Account = "6100", Credit = credit }
                )
            )
            .Errors[0]
            .Code.ShouldBe(code);
    }

    [Theory]
    [InlineData("1200", "party")]
    [InlineData("1400", "item")]
    [InlineData("1500", "project")]
    public void A_line_on_a_control_account_names_whose_it_is(string account, string needs)
    {
        new Books(Shop)
            .Try(
                Event(
                    "opening",
                    null,
                    new EventLine { Account = account, Debit = 10m },
                    new EventLine { Account = "6100", Credit = 10m }
                )
            )
            .Errors.ShouldHaveSingleItem()
            .ShouldSatisfyAllConditions(e => e.Code.ShouldBe("control-key"), e => e.Path.ShouldBe("lines[0]." + needs));
    }

    [Fact]
    public void An_opening_may_touch_control_accounts_that_a_hand_entry_may_not()
    {
        EventLine[] lines =
        [
            new()
            {
                Account = "1200",
                Debit = 10m,
                Party = "CUST",
            },
            new() { Account = "6100", Credit = 10m },
        ];
        new Books(Shop)
            .Try(Event("hand-entry", null, lines))
            .Entry!.Remarks.ShouldHaveSingleItem()
            .Code.ShouldBe("control-account");
        new Books(Shop).Post(Event("opening", null, lines)).Remarks.ShouldBeEmpty();
    }

    [Fact]
    public void A_charge_between_entities_makes_both_entries()
    {
        var (own, other) = (Between("A", "B"), Between("B", "A"));
        var entry = new EntryBuilder(own, (code, _) => code == "B" ? other : null)
            .Build(Event("intercompany-charge", e =>
                {
                    e.Counterparty = "B";
                    e.Amount = 50m;
                }))
            .Entry!;
        Lines(entry).ShouldBe(["1700 D 50.00", "4010 C 50.00"]);
        entry.Mirror!.Entity.ShouldBe("B");
        Lines(entry.Mirror.Entry).ShouldBe(["6000 D 50.00", "2700 C 50.00"]);
        entry.Mirror.Entry.Lines[0].Context.Counterparty.ShouldBe("A");
    }

    [Fact]
    public void Across_currencies_the_other_side_is_at_its_own_rate()
    {
        var (own, dollars) = (
            Between("A", "B"),
            new CompiledSetUp(Between("B", "A").SetUp with { Entity = new Entity("B", "B", "USD") })
        );
        EntryResult Charge(decimal? rate) =>
            new EntryBuilder(own, (_, _) => dollars).Build(Event("intercompany-charge", e =>
                {
                    e.Counterparty = "B";
                    e.Amount = 50m;
                    e.CounterpartyRate = rate;
                }));
        Lines(Charge(1.1m).Entry!.Mirror!.Entry).ShouldBe(["6000 D 55.00", "2700 C 55.00"]);
        Charge(null)
            .Errors.ShouldHaveSingleItem()
            .ShouldSatisfyAllConditions(e => e.Code.ShouldBe("missing-rate"), e => e.Path.ShouldBe("counterpartyRate"));
    }

    [Theory]
    [InlineData("C")]
    [InlineData("A")]
    public void An_entity_that_is_not_there_or_is_oneself_cannot_be_charged(string counterparty)
    {
        new EntryBuilder(Between("A", "B"), (_, _) => null)
            .Build(Event("intercompany-charge", e =>
                {
                    e.Counterparty = counterparty;
                    e.Amount = 50m;
                }))
            .Errors.ShouldHaveSingleItem()
            .Path.ShouldBe("counterparty");
    }

    private static CompiledSetUp Between(string code, string other)
    {
        var shop = With(
            Assign(Purposes.DueFromEntities, "1700"),
            Assign(Purposes.DueToEntities, "2700"),
            Assign(Purposes.IntercompanyIncome, "4010"),
            Assign(Purposes.IntercompanyExpense, "6000")
        );
        return new CompiledSetUp(
            shop with
            {
                Entity = new Entity(code, code, "EUR"),
                OtherEntities = [other],
                Accounts =
                [
                    .. shop.Accounts,
                    Account("1700", AccountClass.Asset, Control.Intercompany),
                    Account("2700", AccountClass.Liability, Control.Intercompany),
                ],
            }
        );
    }
}
