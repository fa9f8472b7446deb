using Assignum.Core.Books;

namespace Assignum.Core.Tests;

/// <summary>Formulas over one amount. Numbers worked by hand.</summary>
public class ByFormula
{
    [Theory]
    [InlineData("amount * 25 %", 1200, 300)]
    [InlineData("amount*0.25", 1200, 300)]
    [InlineData("(amount + 60) / 12", 1200, 105)]
    [InlineData("-amount + 1 000,50", 1200, -199.5)]
    [InlineData("100 - 40 - 10", 0, 50)]
    [InlineData("2 * (3 + 4) * -1", 0, -14)]
    [InlineData("AMOUNT × 19 % ÷ 2", 200, 19)]
    public void A_formula_comes_to(string formula, decimal amount, decimal expected)
    {
        Formula.Of(formula, amount, out var wrong).ShouldBe(expected);
        wrong.ShouldBeNull();
    }

    [Theory]
    [InlineData("amount *", "missing")]
    [InlineData("(amount", "bracket")]
    [InlineData("amount / 0", "divides")]
    [InlineData("total * 2", "'total' is not known")]
    [InlineData("amount; drop", "not understood")]
    [InlineData("rest + 1", "stands alone")]
    [InlineData("1,234 * 2", "no number")]
    public void What_is_no_formula_is_told(string formula, string why)
    {
        Formula.Of(formula, 100, out var wrong).ShouldBeNull();
        wrong!.ShouldContain(why);
    }

    [Fact]
    public void Whatever_is_typed_gives_a_number_or_a_sentence()
    {
        var random = new Random(17);
        const string Signs = "0123456789.,+-*/()% amountrest×÷−;'\"[]";
        var worked = 0;
        for (var i = 0; i < 20_000; i++)
        {
            var text = new string([
                .. Enumerable.Range(0, random.Next(1, 24)).Select(_ => Signs[random.Next(Signs.Length)]),
            ]);
            var value = Formula.Of(text, 1234.56m, out var wrong);
            (value is null).ShouldBe(wrong is not null, text);
            if (value is not null)
                worked++;
        }
        worked.ShouldBeGreaterThan(300);
        Formula.Of(new string('(', 190) + "1", 1, out var deep).ShouldBeNull();
        deep!.ShouldContain("nested");
        Formula.Of("9999999999999999999999999 * 9999999999999", 1, out var large).ShouldBeNull();
        large!.ShouldContain("more than can be counted");
    }

    // Rent of 1,000.00 over three: 333.33, 333.33 and what is left.
    [Fact]
    public void The_rest_takes_the_cent()
    {
        var worked = Formula.Work(
            [("amount / 3", null), ("amount / 3", null), ("rest", null), (null, "amount")],
            1000,
            v => decimal.Round(v, 2)
        );
        worked.Select(w => w.Value).ShouldBe([333.33m, 333.33m, 333.34m, -1000m]);
        Formula.Work([("rest", null), ("rest", null)], 1, v => v)[1].Wrong!.ShouldContain("At most one");
        Formula.Work([("amount", null)], null, v => v)[0].Wrong!.ShouldContain("Give the amount");
    }
}
