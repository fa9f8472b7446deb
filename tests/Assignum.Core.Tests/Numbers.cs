using Assignum.Core.Chart;
using CsCheck;

namespace Assignum.Core.Tests;

/// <summary>Free numbers, bands and headings of a chart.</summary>
public class Numbers
{
    private static Account Posting(string number, string? parent, AccountClass @class = AccountClass.Revenue) =>
        new(number, number, @class, AccountKind.Posting, parent);

    private static Account Heading(string number, string? parent = null, AccountClass @class = AccountClass.Revenue) =>
        new(number, number, @class, AccountKind.Heading, parent);

    private static readonly NumberBand[] Bands =
    [
        new(AccountClass.Revenue, "4000", "4999"),
        new(AccountClass.CostOfSales, "5000", "5999"),
        new(AccountClass.CostOfSales, "5A00", "5A99"),
    ];

    private static ChartNumbers Chart(params Account[] accounts) => new(accounts, Bands);

    [Fact]
    public void The_next_number_beside_an_account_keeps_its_neighbours_step_and_stays_under_its_heading()
    {
        var chart = Chart(
            Heading("4000"),
            Posting("4010", "4000"),
            Posting("4020", "4000"),
            Posting("4030", "4000"),
            Posting("4035", "4000"),
            Heading("4100"),
            Posting("4110", "4100")
        );
        chart.Beside("4010").ShouldBe("4040");
        chart.Beside("4035").ShouldBe("4045");
        chart.Holder("4020")!.Number.ShouldBe("4020");
        chart.Holder("4040").ShouldBeNull();

        // A wide jump between two of them is no step: the nearest gap is taken.
        Chart(Heading("1200"), Posting("1210", "1200"), Posting("1220", "1200"), Posting("1290", "1200"))
            .Beside("1210")
            .ShouldBe("1230");

        // The tens are full: a one in between is better than none.
        var full = Chart([
            Heading("4000"),
            .. Enumerable.Range(1, 9).Select(i => Posting($"40{i}0", "4000")),
            Heading("4100"),
        ]);
        full.Beside("4020").ShouldBe("4021");
        full.Beside("4090").ShouldBe("4091");

        var tight = Chart(Heading("4000"), Posting("4001", "4000"), Heading("4002"), Posting("4003", "4002"));
        tight.Beside("4001").ShouldBeNull();
    }

    [Fact]
    public void A_heading_without_accounts_begins_where_a_like_one_does()
    {
        Chart(Heading("4000"), Posting("4010", "4000"), Posting("4020", "4000"), Heading("4100"))
            .Under("4000")
            .ShouldBe("4030");
        Chart(Heading("4000"), Posting("4005", "4000"), Heading("4100")).Under("4100").ShouldBe("4105");
        Chart(Heading("40"), Posting("4010", "40"), Heading("41")).Under("41").ShouldBe("4110");
        Chart(Heading("4000")).Under("4000").ShouldBe("4010");
        Chart(Heading("40")).Under("40").ShouldBe("4001");
        Chart(Heading("7-A"), Posting("7-A.01", "7-A"), Heading("7-B")).Under("7-B").ShouldBe("7-B.01");
        Chart(Posting("CASH", null)).Beside("CASH").ShouldBeNull();
        Chart().Under("4000").ShouldBeNull();
    }

    [Fact]
    public void A_number_in_another_classs_band_is_warned_of_and_band_ends_hold()
    {
        var chart = Chart(Posting("4999", null), Posting("4998", null));
        chart.Disagrees("4010", AccountClass.Revenue).ShouldBeNull();
        chart.Disagrees("4010.01", AccountClass.Revenue).ShouldBeNull();
        chart.Disagrees("5A10", AccountClass.CostOfSales).ShouldBeNull();
        chart.Disagrees("5100", AccountClass.Revenue)!.ShouldContain("numbers of cost-of-sales (5000 to 5999)");
        chart.Disagrees("6100", AccountClass.Revenue)!.ShouldContain("outside the numbers of revenue (4000 to 4999)");
        chart.Disagrees("6100", AccountClass.Equity).ShouldBeNull();
        chart.Beside("4998").ShouldBeNull();
    }

    [Fact]
    public void What_is_offered_is_always_free_of_the_same_shape_and_in_the_band_of_its_neighbour() =>
        Gen.Select(Gen.Int[4000, 4120].HashSet[2, 60], Gen.Int[1, 5])
            .Sample(
                (numbers, headings) =>
                {
                    var all = numbers.Order().ToArray();
                    var heads = all.Where((_, i) => i % (headings + 2) == 0)
                        .Select(n => n.ToString(System.Globalization.CultureInfo.InvariantCulture))
                        .ToArray();
                    var accounts = all.Select(n => n.ToString(System.Globalization.CultureInfo.InvariantCulture))
                        .Select(n =>
                            heads.Contains(n)
                                ? Heading(n)
                                : Posting(n, heads.Last(h => string.CompareOrdinal(h, n) < 0))
                        )
                        .ToArray();
                    var chart = Chart(accounts);
                    foreach (var account in accounts)
                    {
                        var offered =
                            account.Kind == AccountKind.Heading
                                ? chart.Under(account.Number)
                                : chart.Beside(account.Number);
                        if (offered is null)
                            continue;
                        chart.Holder(offered).ShouldBeNull();
                        offered.Length.ShouldBe(4);
                        chart.Disagrees(offered, AccountClass.Revenue).ShouldBeNull();
                        string.CompareOrdinal(offered, account.Number).ShouldBeGreaterThan(0);
                    }
                },
                iter: 300
            );
}
