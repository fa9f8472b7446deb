using Assignum.Core.Chart;
using Assignum.Core.Money;

namespace Assignum.Core.Tests;

/// <summary>Amounts, worked by hand.</summary>
public class Sharing
{
    [Theory]
    [InlineData(1.00, new[] { 1.0, 1.0, 1.0 }, new[] { 0.34, 0.33, 0.33 })] // ties to the earlier share
    [InlineData(-1.00, new[] { 1.0, 1.0, 1.0 }, new[] { -0.34, -0.33, -0.33 })] // mirrored
    // 3.5, 1 and 0.5 cents: of two equal remainders the earlier
    [InlineData(0.05, new[] { 70.0, 20.0, 10.0 }, new[] { 0.04, 0.01, 0.00 })]
    [InlineData(10.00, new[] { 0.0, 5.0 }, new[] { 0.0, 10.0 })]
    [InlineData(10.00, new[] { 0.0, 0.0 }, new[] { 10.0, 0.0 })] // nothing to go by: the first takes it
    [InlineData(0.00, new[] { 1.0, 2.0 }, new[] { 0.0, 0.0 })]
    public void A_total_is_shared_to_the_last_cent(double total, double[] weights, double[] shares)
    {
        var got = Allocation.ByLargestRemainder((decimal)total, [.. weights.Select(w => (decimal)w)], 2);
        got.Sum().ShouldBe((decimal)total);
        got.ShouldBe(shares.Select(s => (decimal)s));
    }

    [Theory]
    [InlineData(RoundingMode.HalfAwayFromZero, 0.125, 0.13)]
    [InlineData(RoundingMode.HalfAwayFromZero, -0.125, -0.13)]
    [InlineData(RoundingMode.HalfToEven, 0.125, 0.12)]
    [InlineData(RoundingMode.HalfToEven, 0.135, 0.14)]
    public void A_half_cent_goes_by_the_policy(RoundingMode mode, double amount, double rounded) =>
        new Rounding(mode).Round((decimal)amount, 2).ShouldBe((decimal)rounded);

    [Theory]
    [InlineData("EUR", 2), InlineData("JPY", 0), InlineData("KWD", 3), InlineData("CLF", 4)]
    public void Currencies_have_their_decimals(string code, int decimals) =>
        Currencies.Decimals(code).ShouldBe(decimals);

    [Theory]
    [InlineData("eur"), InlineData("XXX"), InlineData("")]
    public void What_is_no_currency_is_none(string code) => Currencies.Exists(code).ShouldBeFalse();

    [Fact]
    public void Words_are_kebab_case_and_come_back()
    {
        Words.Of(AccountClass.CostOfSales).ShouldBe("cost-of-sales");
        foreach (var word in Words.All<Control>())
        {
            Words.TryParse<Control>(word, out var control).ShouldBeTrue();
            Words.Of(control).ShouldBe(word);
        }
        Words.TryParse<AccountClass>("Asset", out _).ShouldBeFalse();
    }
}
