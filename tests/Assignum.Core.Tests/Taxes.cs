using Assignum.Core.Events;
using Assignum.Core.Money;
using Assignum.Core.Records;
using Assignum.Core.Tax;
using static Assignum.Core.Tests.Books;

namespace Assignum.Core.Tests;

/// <summary>Tax, worked by hand.</summary>
public class Taxes
{
    private static EventLine[] Thrice(decimal price) =>
        [.. Enumerable.Range(0, 3).Select(_ => new EventLine { Item = "ADVICE", UnitPrice = price })];

    private static decimal TaxOf(string rounding, bool included, params EventLine[] lines) =>
        new Books(With(("tax-rounding", rounding)))
            .Post(
                Event(
                    "sales-invoice",
                    e =>
                    {
                        e.Party = "CUST";
                        e.PricesIncludeTax = included;
                    },
                    lines
                )
            )
            .Tax.Single()
            .Tax;

    [Fact]
    public void Three_lines_of_ten_cents_are_rounded_once_a_document() =>
        TaxOf("document", false, Thrice(0.10m)).ShouldBe(0.07m);

    [Fact]
    public void Three_lines_of_ten_cents_are_rounded_thrice_by_line() =>
        TaxOf("line", false, Thrice(0.10m)).ShouldBe(0.06m);

    [Theory, InlineData("document", 0.56), InlineData("line", 0.57)]
    public void Three_times_ninety_nine_cents_with_tax_inside(string rounding, double tax) =>
        TaxOf(rounding, true, Thrice(0.99m)).ShouldBe((decimal)tax);

    [Theory, InlineData(RoundingMode.HalfAwayFromZero, 0.03), InlineData(RoundingMode.HalfToEven, 0.02)]
    public void Half_a_euro_at_five_percent(RoundingMode mode, double tax)
    {
        var decided = new DecidedCode(new TaxCode("T", "T", TaxDirection.Output, "S"), .05m, TaxDecider.Line);
        new TaxCalculation(new Rounding(mode), 2, false, false, true)
            .Run([new TaxableLine(decided, 0.50m)])
            .Single()
            .Tax.ShouldBe((decimal)tax);
    }

    [Fact]
    public void A_new_rate_counts_from_its_day_and_the_tax_date_says_which_day()
    {
        var books = new Books(Shop with { TaxRates = [.. Shop.TaxRates, new TaxRate("S", new(2026, 7, 1), .25m)] });
        decimal On(DateOnly date, DateOnly? taxDate) =>
            books
                .Try(
                    Event(
                        "sales-invoice",
                        e =>
                        {
                            e.Party = "CUST";
                            e.Date = date;
                            e.TaxDate = taxDate;
                        },
                        new EventLine { Item = "ADVICE", UnitPrice = 100m }
                    )
                )
                .Entry!.Tax.Single()
                .Tax;
        On(new(2026, 6, 30), null).ShouldBe(23);
        On(new(2026, 7, 1), null).ShouldBe(25);
        On(new(2026, 7, 1), new(2026, 6, 30)).ShouldBe(23);
    }

    [Fact]
    public void Reverse_charge_is_owed_and_reclaimed_at_once()
    {
        var entry = new Books(Shop).Post(
            Event(
                "supplier-invoice",
                e => e.Party = "SUPP",
                new EventLine
                {
                    Item = "ADVICE",
                    UnitPrice = 100m,
                    TaxCode = "R",
                }
            )
        );
        Lines(entry).ShouldBe(["6000 D 100.00", "1600 D 23.00", "2300 C 23.00", "2100 C 100.00"]);
    }

    [Fact]
    public void An_unregistered_buyer_bears_the_tax_as_cost()
    {
        var entry = new Books(Shop with { Entity = Shop.Entity with { TaxRegistered = false } }).Post(
            Event("supplier-invoice", e => e.Party = "SUPP", new EventLine { Item = "ADVICE", UnitPrice = 100m })
        );
        Lines(entry).ShouldBe(["6000 D 123.00", "2100 C 123.00"]);
    }

    [Theory, InlineData(null, "no-tax-code"), InlineData("P", "tax-direction"), InlineData("NONE", "unknown-record")]
    public void A_sale_without_a_fitting_code_is_refused(string? code, string why)
    {
        var shop = code is null ? Shop with { TaxMatrix = [] } : Shop;
        new Books(shop)
            .Try(
                Event(
                    "sales-invoice",
                    e => e.Party = "CUST",
                    new EventLine
                    {
                        Item = "ADVICE",
                        UnitPrice = 1m,
                        TaxCode = code,
                    }
                )
            )
            .Errors.ShouldHaveSingleItem()
            .Code.ShouldBe(why);
    }

    [Fact]
    public void The_matrix_the_line_and_the_account_each_say_that_they_decided()
    {
        string By(SetUps.SetUp shop, string? code) =>
            new Books(shop)
                .Post(
                    Event(
                        "sales-invoice",
                        e => e.Party = "CUST",
                        new EventLine
                        {
                            Item = "ADVICE",
                            UnitPrice = 1m,
                            TaxCode = code,
                        }
                    )
                )
                .Tax.Single()
                .DecidedBy;
        By(Shop, "S").ShouldBe("line");
        By(Shop, null).ShouldBe("matrix");
        By(
                Shop with
                {
                    TaxMatrix = [],
                    Accounts = [.. Shop.Accounts.Select(a => a.Number == "4000" ? a with { TaxCode = "S" } : a)],
                },
                null
            )
            .ShouldBe("account");
    }
}
