using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.Landing;
using Assignum.Core.Money;

namespace Assignum.Core.Tests;

/// <summary>What people write into fields, and what the product writes for people.</summary>
public class Writing
{
    [Theory]
    [InlineData("1234.5", "1234.5")]
    [InlineData("1,234.50", "1234.50")]
    [InlineData("1 234.50", "1234.50")]
    [InlineData("1\u00a0234\u202f567,25", "1234567.25")]
    [InlineData("1'234.50", "1234.50")]
    [InlineData("1.234,50", "1234.50")]
    [InlineData("1234,5", "1234.5")]
    [InlineData("0,125", "0.125")]
    [InlineData("1234,567", "1234.567")]
    [InlineData("1.234", "1.234")]
    [InlineData("1,234,567", "1234567")]
    [InlineData("1.234.567", "1234567")]
    [InlineData("\u2212 12", null)]
    [InlineData("\u221212,5", "-12.5")]
    [InlineData("+3", "3")]
    [InlineData(".5", "0.5")]
    public void Numbers_are_taken_as_people_write_them(string written, string? number) =>
        WrittenNumber
            .Of(written, out _)
            .ShouldBe(
                number is null ? null : decimal.Parse(number, System.Globalization.CultureInfo.InvariantCulture),
                written
            );

    [Theory]
    [InlineData("1,234", "can be 1234 or 1.234")]
    [InlineData("-12,000", "can be -12000 or -12.000")]
    [InlineData("1,23,456", "is no number")]
    [InlineData("12,34.5", "is no number")]
    [InlineData("1 2", "is no number")]
    [InlineData("1.2.3", "is no number")]
    [InlineData("1e5", "is no number")]
    [InlineData("", "is no number")]
    [InlineData("-", "is no number")]
    [InlineData("twelve", "is no number")]
    [InlineData("\u0661\u0662", "is no number")]
    public void What_could_be_two_numbers_or_is_none_is_asked_about(string written, string why)
    {
        WrittenNumber.Of(written, out var said).ShouldBeNull();
        said.ShouldStartWith(why);
    }

    [Fact]
    public void Whatever_is_written_as_the_product_writes_it_is_read_as_it_was()
    {
        var random = new Random(15);
        for (var i = 0; i < 20_000; i++)
        {
            var number = decimal.Round(
                (decimal)(random.NextDouble() - 0.5) * (decimal)Math.Pow(10, random.Next(12)),
                4
            );
            var plain = number.ToString("0.####", System.Globalization.CultureInfo.InvariantCulture);
            WrittenNumber.Of(plain, out _).ShouldBe(number, plain);
            // In threes with a gap, as amounts are shown.
            var shown = number.ToString("#,0.00##", System.Globalization.CultureInfo.InvariantCulture);
            WrittenNumber.Of(shown.Replace(',', '\u00a0'), out _).ShouldBe(number, shown);
            WrittenNumber.Of(shown, out _).ShouldBe(number, shown);
        }
    }

    [Theory]
    [InlineData("", "")]
    [InlineData("party", "Party")]
    [InlineData("payablesAccount", "Payables account")]
    [InlineData("lines[1].unitPrice", "Line 2, unit price")]
    [InlineData("settles[0].reference", "Settled document 1, reference")]
    [InlineData("charges[2].amount", "Charge 3, amount")]
    [InlineData("lines[0].dimensions.site", "Line 1, dimensions site")]
    [InlineData("lines[3]", "Line 4")]
    public void A_place_in_an_event_is_said_in_words(string path, string words) =>
        EventPlace.InWords(path).ShouldBe(words);

    [Fact]
    public void Every_purpose_and_kind_has_a_title_of_its_own_that_begins_with_a_capital_and_is_no_code()
    {
        var titles = Purposes.All.Select(p => p.Title).ToList();
        titles.ShouldBeUnique();
        EventKinds.All.Select(k => k.Title).ShouldBeUnique();
        foreach (var title in titles.Concat(EventKinds.All.Select(k => k.Title)))
        {
            char.IsUpper(title[0]).ShouldBeTrue(title);
            title.ShouldNotContain('-');
        }
        Core.SetUps.PolicyWords.All.Select(p => p.Code).ShouldBe(Core.SetUps.Policies.Known.Keys, ignoreOrder: true);
        foreach (var policy in Core.SetUps.PolicyWords.All)
            policy.Values.Keys.ShouldBe(Core.SetUps.Policies.Known[policy.Code], ignoreOrder: true);
        foreach (var purpose in Purposes.All)
        {
            Purposes.Meant(purpose.Title.ToUpperInvariant()).ShouldBe(purpose);
            Purposes.Meant(purpose.Name.Replace('-', ' ')).ShouldBe(purpose);
        }
    }
}
