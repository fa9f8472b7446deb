using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.SetUps;
using static Assignum.Core.Tests.Books;

namespace Assignum.Core.Tests;

/// <summary>No event comes to more than the books can add up.</summary>
public class LargeAmounts
{
    private static BusinessEvent Sale(decimal quantity, decimal price, decimal? rate = null, decimal? percent = null) =>
        new()
        {
            Source = "t",
            Id = "1",
            Kind = "sales-invoice",
            Date = new DateOnly(2026, 3, 14),
            Reference = "R",
            Party = "CUST",
            Currency = rate is null ? null : "USD",
            Rate = rate,
            Lines =
            [
                new EventLine { Item = "GAUGE", UnitPrice = 1 },
                new EventLine
                {
                    Item = "GAUGE",
                    Quantity = quantity,
                    UnitPrice = price,
                    DiscountPercent = percent,
                },
            ],
        };

    private static EntryResult Build(BusinessEvent source) => new EntryBuilder(new CompiledSetUp(Shop)).Build(source);

    // 999,999,999,999.99 is 1,000,000 × 999,999.99999999; with tax at 23 % receivables come to more.
    [Theory]
    [InlineData("999999999999", "999999999999", "40000", null)]
    [InlineData("999999999999", "999999999999", null, null)]
    [InlineData("1000000", "1000000", null, null)]
    [InlineData("1", "999999999999", "1000000", null)]
    [InlineData("999999999999", "999999999999", "999999999999", "999999999999")]
    [InlineData("-999999999999", "999999999999", "999999999999", null)]
    public void A_line_that_comes_to_too_much_is_refused_and_named(
        string quantity,
        string price,
        string? rate,
        string? percent
    )
    {
        static decimal? D(string? text) =>
            text is null ? null : decimal.Parse(text, System.Globalization.CultureInfo.InvariantCulture);
        var result = Build(Sale(D(quantity)!.Value, D(price)!.Value, D(rate), D(percent)));
        result.Entry.ShouldBeNull();
        result.Errors.ShouldContain(e => e.Code == "too-large");
        result.Errors.ShouldAllBe(e => e.Code == "too-large" && (e.Path == "lines[1]" || e.Path == ""));
        result.Errors.ShouldContain(e => e.Path == "lines[1]");
    }

    [Fact]
    public void What_can_be_added_up_is_taken_also_where_the_foreign_amount_is_large()
    {
        // 2,000,000,000,000 of a currency at 0.00005 are 100,000,000.
        Build(Sale(2_000_000m, 1_000_000m, 0.00005m)).Outcome.ShouldBe("posted");
        Build(Sale(700_000m, 1_000_000m)).Outcome.ShouldBe("posted");
    }

    [Fact]
    public void An_entry_in_all_is_bounded_too()
    {
        var sale = Sale(400_000m, 1_000_000m);
        sale.Lines = [.. Enumerable.Repeat(sale.Lines[1], 3)];
        Build(sale).Errors.ShouldHaveSingleItem().Path.ShouldBe("");
    }

    [Fact]
    public void Whatever_numbers_an_event_has_it_is_an_entry_within_bounds_or_a_fault()
    {
        var random = new Random(13);
        decimal[] odd =
        [
            0m,
            0.000000000001m,
            0.5m,
            1m,
            100m,
            99_999m,
            1_000_000m,
            999_999_999_999m,
            999_999_999_999.99m,
            -1m,
            -999_999_999_999.99m,
        ];
        decimal Any() => odd[random.Next(odd.Length)];
        var (posted, refused) = (0, 0);
        var times = Environment.GetEnvironmentVariable("ASSIGNUM_LONG") is null ? 1_500 : 40_000;
        for (var i = 0; i < times; i++)
        {
            var foreign = random.Next(2) == 0;
            var sale = Sale(Any(), decimal.Round(Any(), 2), foreign ? Math.Abs(Any()) : null);
            if (random.Next(3) == 0)
                sale.Lines[1].DiscountPercent = Any();
            if (random.Next(3) == 0)
                sale.PricesIncludeTax = true;
            var result = Build(sale);
            if (result.Entry is { } entry)
            {
                posted++;
                entry.Lines.Sum(l => l.Debit).ShouldBe(entry.Lines.Sum(l => l.Credit));
                entry.Total.ShouldBeLessThanOrEqualTo(EventFields.LargestAmount);
                entry.Tax.ShouldAllBe(t => Math.Abs(t.EntityBase) <= EventFields.LargestAmount);
            }
            else if (result.Errors.Any(e => e.Code == "too-large"))
                refused++;
        }
        posted.ShouldBeGreaterThan(200);
        refused.ShouldBeGreaterThan(200);
    }
}
