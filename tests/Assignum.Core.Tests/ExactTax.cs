using Assignum.Core.Chart;
using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tax;
using static Assignum.Core.Tests.Books;

namespace Assignum.Core.Tests;

/// <summary>Tax that is not reclaimed, lines outside tax, what charges ask the matrix with, and boxes of capital goods:
/// worked by hand.</summary>
public class ExactTax
{
    // Half of the tax on H is reclaimed. The bench lands on an account of capital goods.
    private static readonly SetUp Half = Shop with
    {
        TaxCodes =
        [
            .. Shop.TaxCodes,
            new("H", "Half", TaxDirection.Input, "S", Deductible: .5m),
            new("K", "Purchases with boxes", TaxDirection.Input, "S", BaseBox: "B", TaxBox: "T", CapitalBaseBox: "CB"),
        ],
        TaxRates = [.. Shop.TaxRates, new("H", new(2020, 1, 1), .23m), new("K", new(2020, 1, 1), .23m)],
        Accounts = [.. Shop.Accounts, Account("0500", AccountClass.Asset) with { Capital = true }],
        Items = [.. Shop.Items, new("BENCH", "Work bench", ItemNature.Goods, false, null, "standard")],
        Assignments = [.. Shop.Assignments, Assign(Purposes.NonStockCost, "0500", (Dimension.Item, "BENCH"))],
    };

    private static SetUp ByLine(SetUp setUp) => setUp with { Policies = [new PolicyRow("tax-rounding", "line")] };

    private static BusinessEvent Bought(params EventLine[] lines) =>
        Event("supplier-invoice", e => e.Party = "SUPP", lines);

    private static string[] Rows(JournalEntry entry) =>
        [
            .. entry.Tax.Select(t =>
                string.Create(
                    System.Globalization.CultureInfo.InvariantCulture,
                    $"{t.Code} {(t.Capital ? "capital" : "other")} {t.Base:0.00} {t.Tax:0.00} {t.NonDeductible:0.00} "
                        + $"{t.BaseBox} {t.TaxBox}"
                )
            ),
        ];

    [Fact]
    public void What_is_not_reclaimed_is_rounded_once_a_document_and_shared()
    {
        // 20.20 at 23 % is 4.65; half of that is 2.33, shared 1.17 and 1.16.
        var entry = new Books(Half).Post(
            Bought(
                new EventLine
                {
                    Item = "ADVICE",
                    UnitPrice = 10.10m,
                    TaxCode = "H",
                },
                new EventLine
                {
                    Item = "ADVICE",
                    UnitPrice = 10.10m,
                    TaxCode = "H",
                }
            )
        );
        Lines(entry).ShouldBe(["6000 D 11.27", "6000 D 11.26", "1600 D 2.32", "2100 C 24.85"]);
    }

    [Fact]
    public void Under_line_rounding_each_line_keeps_what_its_own_tax_does_not_reclaim()
    {
        // 10.10 at 23 % is 2.32 a line, half of it 1.16.
        var entry = new Books(ByLine(Half)).Post(
            Bought(
                new EventLine
                {
                    Item = "ADVICE",
                    UnitPrice = 10.10m,
                    TaxCode = "H",
                },
                new EventLine
                {
                    Item = "ADVICE",
                    UnitPrice = 10.10m,
                    TaxCode = "H",
                }
            )
        );
        Lines(entry).ShouldBe(["6000 D 11.26", "6000 D 11.26", "1600 D 2.32", "2100 C 24.84"]);
        entry.Tax.Single().NonDeductible.ShouldBe(2.32m);
    }

    [Fact]
    public void Under_line_rounding_three_small_lines_lose_less_than_their_sum_would()
    {
        // 0.11 at 23 % is 0.03 (0.0253), of which 0.02 (0.015 rounded up) is kept: three times 0.02, where one rounding
        // of 0.09 would keep 0.05.
        var entry = new Books(ByLine(Half)).Post(
            Bought([
                .. Enumerable
                    .Range(0, 3)
                    .Select(_ => new EventLine
                    {
                        Item = "ADVICE",
                        UnitPrice = 0.11m,
                        TaxCode = "H",
                    }),
            ])
        );
        (entry.Tax.Single().Tax, entry.Tax.Single().NonDeductible).ShouldBe((0.09m, 0.06m));
        Lines(entry).ShouldBe(["6000 D 0.13", "6000 D 0.13", "6000 D 0.13", "1600 D 0.03", "2100 C 0.42"]);
    }

    [Fact]
    public void Tax_not_reclaimed_on_what_settles_a_receipt_is_variance_and_the_held_share_of_it_stock()
    {
        // 110 at 23 % is 25.30, half kept: 12.65. 110 + 12.65 less the 100 received leave 22.65, of which two fifths
        // are on hand.
        var entry = new Books(Half).Post(
            Bought(
                new EventLine
                {
                    Item = "GAUGE",
                    UnitPrice = 110m,
                    TaxCode = "H",
                    ReceiptCost = 100m,
                    HeldShare = .4m,
                }
            )
        );
        Lines(entry).ShouldBe(["2150 D 100.00", "1400 D 9.06", "5100 D 13.59", "1600 D 12.65", "2100 C 135.30"]);
    }

    [Fact]
    public void Tax_not_reclaimed_on_stock_at_standard_is_variance()
    {
        // Glass at standard 4: 5 paid, 1.15 tax, 0.58 kept (0.575 rounded up). 1.00 + 0.58 over standard.
        var entry = new Books(Half).Post(
            Bought(
                new EventLine
                {
                    Item = "GLASS",
                    UnitPrice = 5m,
                    TaxCode = "H",
                }
            )
        );
        Lines(entry).ShouldBe(["1400 D 4.00", "5100 D 1.58", "1600 D 0.57", "2100 C 6.15"]);
    }

    [Fact]
    public void Lines_on_capital_accounts_feed_boxes_of_their_own_and_the_leg_stays_one()
    {
        // 20.03 at 23 % is 4.61; by net 2.30 and 2.31.
        var entry = new Books(Half).Post(
            Bought(
                new EventLine
                {
                    Item = "ADVICE",
                    UnitPrice = 10.01m,
                    TaxCode = "K",
                },
                new EventLine
                {
                    Item = "BENCH",
                    UnitPrice = 10.02m,
                    TaxCode = "K",
                }
            )
        );
        Lines(entry).ShouldBe(["6000 D 10.01", "0500 D 10.02", "1600 D 4.61", "2100 C 24.64"]);
        // The code names a capital box for the base alone: the tax goes where it always goes.
        Rows(entry).ShouldBe(["K other 10.01 2.30 0.00 B T", "K capital 10.02 2.31 0.00 CB T"]);
        Rows(
                new Books(Half).Post(
                    Bought(
                        new EventLine
                        {
                            Item = "BENCH",
                            UnitPrice = 10.02m,
                            TaxCode = "K",
                        }
                    )
                )
            )
            .ShouldBe(["K capital 10.02 2.30 0.00 CB T"]);
        // A credit note takes both back.
        Rows(
                new Books(Half).Post(
                    Event(
                        "supplier-credit-note",
                        e => e.Party = "SUPP",
                        new EventLine
                        {
                            Item = "ADVICE",
                            UnitPrice = 10.01m,
                            TaxCode = "K",
                        },
                        new EventLine
                        {
                            Item = "BENCH",
                            UnitPrice = 10.02m,
                            TaxCode = "K",
                        }
                    )
                )
            )
            .ShouldBe(["K other -10.01 -2.30 0.00 B T", "K capital -10.02 -2.31 0.00 CB T"]);
    }

    [Fact]
    public void What_settles_a_receipt_is_capital_where_its_cost_would_land_on_a_capital_account()
    {
        var entry = new Books(Half).Post(
            Bought(
                new EventLine
                {
                    Item = "BENCH",
                    UnitPrice = 100m,
                    TaxCode = "K",
                    ReceiptCost = 100m,
                },
                new EventLine
                {
                    Item = "GAUGE",
                    UnitPrice = 100m,
                    TaxCode = "K",
                    ReceiptCost = 100m,
                }
            )
        );
        Rows(entry).ShouldBe(["K capital 100.00 23.00 0.00 CB T", "K other 100.00 23.00 0.00 B T"]);
    }

    [Fact]
    public void A_line_on_an_account_outside_tax_carries_none_and_has_no_row()
    {
        var outside = Shop with
        {
            TaxMatrix = [],
            Accounts = [.. Shop.Accounts.Select(a => a.Number == "4000" ? a with { TaxAdmits = TaxAdmits.None } : a)],
        };
        var entry = new Books(outside).Post(
            Event("sales-invoice", e => e.Party = "CUST", new EventLine { Item = "ADVICE", UnitPrice = 100m })
        );
        Lines(entry).ShouldBe(["1200 D 100.00", "4000 C 100.00"]);
        entry.Tax.ShouldBeEmpty();
        // Beside a line with tax it counts for nothing in the tax; with prices that include tax its price is its net.
        var mixed = Shop with
        {
            TaxMatrix = [],
            Accounts = [.. Shop.Accounts.Select(a => a.Number == "4010" ? a with { TaxAdmits = TaxAdmits.None } : a)],
            Assignments = [.. Shop.Assignments, Assign(Purposes.SalesRevenue, "4010", (Dimension.Item, "HOUR"))],
        };
        Lines(
                new Books(mixed).Post(
                    Event(
                        "sales-invoice",
                        e =>
                        {
                            e.Party = "CUST";
                            e.PricesIncludeTax = true;
                        },
                        new EventLine
                        {
                            Item = "ADVICE",
                            UnitPrice = 123m,
                            TaxCode = "S",
                        },
                        new EventLine { Item = "HOUR", UnitPrice = 50m }
                    )
                )
            )
            .ShouldBe(["1200 D 173.00", "4000 C 100.00", "4010 C 50.00", "2300 C 23.00"]);
        // A code that the matrix gives is there all the same, and the account refuses it.
        var refused = new Books(outside with { TaxMatrix = Shop.TaxMatrix }).Try(
            Event("sales-invoice", e => e.Party = "CUST", new EventLine { Item = "ADVICE", UnitPrice = 100m })
        );
        refused.Entry!.Remarks.ShouldHaveSingleItem().Code.ShouldBe("tax-use");
        // Its own default code comes before that.
        new Books(
            outside with
            {
                Accounts = [.. outside.Accounts.Select(a => a.Number == "4000" ? a with { TaxCode = "S" } : a)],
            }
        )
            .Try(Event("sales-invoice", e => e.Party = "CUST", new EventLine { Item = "ADVICE", UnitPrice = 100m }))
            .Entry!.Remarks.ShouldHaveSingleItem()
            .Code.ShouldBe("tax-use");
    }

    [Fact]
    public void A_deposit_on_an_account_outside_tax_carries_none_and_takes_none_back()
    {
        var outside = Shop with
        {
            Policies = [new("deposit-tax", "on")],
            TaxMatrix = [.. Shop.TaxMatrix.Where(c => c.Standing != "domestic" || c.Direction != TaxDirection.Output)],
            Accounts = [.. Shop.Accounts.Select(a => a.Number == "2200" ? a with { TaxAdmits = TaxAdmits.None } : a)],
        };
        Lines(new Books(outside).Post(Event("customer-deposit", e =>
                    {
                        e.Party = "CUST";
                        e.Amount = 50m;
                    })))
            .ShouldBe(["1100 D 50.00", "2200 C 50.00"]);
        var applied = new Books(outside).Post(
            Event(
                "sales-invoice",
                e =>
                {
                    e.Party = "CUST";
                    e.DepositApplied = 50m;
                },
                new EventLine
                {
                    Item = "ADVICE",
                    UnitPrice = 100m,
                    TaxCode = "S",
                }
            )
        );
        Lines(applied).ShouldBe(["1200 D 123.00", "4000 C 100.00", "2300 C 23.00", "2200 D 50.00", "1200 C 50.00"]);
        applied.Tax.ShouldHaveSingleItem().Base.ShouldBe(100m);
        // Without that mark, and without a code, it stays an error.
        new Books(outside with { Accounts = Shop.Accounts })
            .Try(Event("customer-deposit", e =>
                {
                    e.Party = "CUST";
                    e.Amount = 50m;
                }))
            .Errors.ShouldHaveSingleItem()
            .Code.ShouldBe("no-tax-code");
    }

    [Theory]
    [InlineData(null, null, 12.30)]
    [InlineData(null, "BOOK", 10.00)]
    [InlineData("standard", "BOOK", 12.30)]
    [InlineData(null, "PLAIN", 12.30)]
    public void A_charge_asks_the_matrix_with_its_own_category_else_its_items_else_standard(
        string? category,
        string? item,
        double total
    )
    {
        var books = Shop with
        {
            TaxMatrix = [.. Shop.TaxMatrix, new("domestic", "printed", TaxDirection.Output, "X")],
            Items =
            [
                .. Shop.Items,
                new("BOOK", "Weather lore", ItemNature.Goods, false, null, "printed"),
                new("PLAIN", "Plain", ItemNature.Goods, false),
            ],
        };
        var entry = new Books(books).Post(Event("sales-invoice", e =>
            {
                e.Party = "CUST";
                e.Charges =
                [
                    new EventCharge
                    {
                        Amount = 10m,
                        TaxCategory = category,
                        Item = item,
                    },
                ];
            }));
        entry.Lines[0].Debit.ShouldBe((decimal)total);
    }
}
