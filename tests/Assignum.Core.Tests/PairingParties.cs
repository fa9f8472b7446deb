using System.Globalization;
using Assignum.Core.Pairing;

namespace Assignum.Core.Tests;

/// <summary>Which record of theirs is which of ours: what is proposed, how sure, and what is held back.</summary>
public class PairingParties(ITestOutputHelper output)
{
    private static PairRecord Party(string id, string name, string? tax = null, string? country = null) =>
        new(id, name) { TaxNumber = tax, Country = country };

    private static Proposal? Best(PairRecord theirs, params PairRecord[] ours) =>
        Proposer.Propose([theirs], ours).Of[0].FirstOrDefault();

    [Theory]
    [InlineData("Nordvik Trading GmbH", "NORDVIK TRADING")]
    [InlineData("Müller & Söhne KG", "Mueller und Soehne")]
    [InlineData("Brekkesund Øst AS", "Brekkesund Ost A/S")]
    [InlineData("Ardenlund Print Sp. z o.o.", "Print Ardenlund")]
    [InlineData("Farrowby Green House Ltd", "Farrowby Greenhouse Limited")]
    [InlineData("Callowgate Foods Intl.", "Callowgate Foods International")]
    public void Names_are_the_same_whatever_form_case_accent_or_order(string theirs, string ours)
    {
        var best = Best(
            Party("1", theirs),
            Party("A", "Ivarsnes Marine"),
            Party("B", ours),
            Party("C", "Lindau Tools")
        )!;
        best.Ours.ShouldBe(1);
        best.Score.ShouldBeGreaterThan(0.95);
        best.Mutual.ShouldBeTrue();
        best.Reasons[0].ShouldStartWith("The names are the same");
    }

    [Fact]
    public void Equal_numbers_with_unlike_names_are_a_trap_and_never_accepted()
    {
        var found = Proposer.Propose(
            [Party("10020", "Ivarsnes Marine AS")],
            [Party("10020", "Callowgate Foods Ltd"), Party("10077", "Ivarsnes Marine")]
        );
        found.Of[0].Select(p => (p.Ours, p.Trap)).First().ShouldBe((1, false));
        found.Acceptable(0.9).Single().Ours.ShouldBe(1);
        var alone = Proposer.Propose(
            [Party("10020", "Ivarsnes Marine AS"), Party("10077", "Lindau Ceramics")],
            [Party("10020", "Ivarsnes Marine") with { Class = "supplier" }, Party("10077", "Callowgate Foods Ltd")]
        );
        alone.Acceptable(0.9).Single().Theirs.ShouldBe(0);
        alone.Of[1].ShouldAllBe(p => p.Score <= Proposer.TrapScore);
        // The same number and name, and another class: an account of revenue is no account of tax.
        var unlike = Proposer.Propose(
            [new PairRecord("4000", "Sales home") { Class = "revenue" }],
            [new PairRecord("4000", "Sales home") { Class = "liability" }]
        );
        unlike.Of[0].ShouldAllBe(p => p.Trap && p.Score <= Proposer.TrapScore);
        unlike.Of[0].Single().Reasons.ShouldContain("They are of different classes.");
        unlike.Acceptable(0).ShouldBeEmpty();
    }

    [Fact]
    public void A_tax_number_outweighs_a_changed_name_and_another_one_an_equal_name()
    {
        var renamed = Best(
            Party("K1", "Halgard Optics", "DE 123 456 789"),
            Party("A", "Halgard Lenses GmbH", "DE123456789"),
            Party("B", "Ivarsnes Marine")
        )!;
        renamed.Score.ShouldBeGreaterThan(0.5);
        renamed.Reasons[0].ShouldBe("Both have the same tax number.");
        Best(Party("K2", "Halgard Optics", "999", "DE"), Party("A", "Halgard Optics", "DE999"))!
            .Reasons.ShouldContain("Both have the same tax number.");
        Best(Party("K3", "Halgard Optics", "DE123456789"), Party("A", "Halgard Optics", "DE987654321"))!
            .Score.ShouldBeLessThan(0.9);
    }

    [Fact]
    public void Two_that_are_equally_likely_share_the_score_and_doubles_of_theirs_are_a_group()
    {
        var two = Proposer.Propose(
            [Party("1", "Halgard Optics")],
            [Party("A", "Halgard Optics AG"), Party("B", "Halgard Optics KG")]
        );
        two.Of[0].Count.ShouldBe(2);
        two.Of[0].Sum(p => p.Score).ShouldBeLessThanOrEqualTo(1);
        two.Acceptable(0.4).ShouldBeEmpty();
        var doubles = Proposer.Propose(
            [Party("1", "Halgard Optics"), Party("2", "Ivarsnes Marine"), Party("3", "HALGARD OPTICS AG")],
            [Party("A", "Halgard Optics AG")]
        );
        doubles.Doubles.Single().Ours.ShouldBe(0);
        doubles.Doubles.Single().Theirs.ShouldBe([0, 2]);
        // One of ours is taken once.
        doubles.Acceptable(0.9).Count().ShouldBe(1);
    }

    [Theory]
    [InlineData(11, 20_000, true)]
    [InlineData(12, 20_000, false)]
    [InlineData(13, 3_000, true)]
    [InlineData(14, 400, false)]
    public void Of_made_lists_nearly_all_are_found_and_nearly_none_wrongly(int seed, int count, bool withTax)
    {
        var made = new MadeParties(seed, count, withTax);
        var found = Proposer.Propose(made.Theirs, made.Ours);
        foreach (var of in found.Of)
        {
            of.Count.ShouldBeLessThanOrEqualTo(3);
            of.Sum(p => p.Score).ShouldBeLessThanOrEqualTo(1.000001);
        }
        var accepted = found.Acceptable(0.9).ToList();
        var right = accepted.Count(p => made.Truth[p.Theirs] == p.Ours);
        var wanted = made.Truth.Index().Count(t => t.Item >= 0 && !made.Second.Contains(t.Index));
        var precision = (double)right / accepted.Count;
        var recall =
            (double)accepted.Where(p => made.Truth[p.Theirs] == p.Ours).Select(p => p.Ours).Distinct().Count() / wanted;
        output.WriteLine(
            string.Create(
                CultureInfo.InvariantCulture,
                $"{made.Theirs.Count} against {made.Ours.Count}: {accepted.Count} accepted, precision {precision:0.0000}, recall {recall:0.0000}"
            )
        );
        foreach (
            var bin in found
                .Of.Where(o => o.Count > 0)
                .Select(o => o[0])
                .GroupBy(p => Math.Min((int)(p.Score * 10), 9))
                .OrderBy(b => b.Key)
        )
            output.WriteLine(
                string.Create(
                    CultureInfo.InvariantCulture,
                    $"{bin.Key / 10.0:0.0}: {bin.Count()} said {bin.Average(p => p.Score):0.000}, right {bin.Count(p => made.Truth[p.Theirs] == p.Ours) / (double)bin.Count():0.000}"
                )
            );
        precision.ShouldBeGreaterThanOrEqualTo(0.995);
        recall.ShouldBeGreaterThanOrEqualTo(0.95);
        // The number that is somebody else's misled nobody.
        made.Traps.Count.ShouldBeGreaterThan(count / 100);
        accepted.ShouldNotContain(p =>
            made.Traps.Contains(p.Theirs) && made.Theirs[p.Theirs].Id == made.Ours[p.Ours].Id
        );
    }
}
