using Assignum.Core.Books;
using Assignum.Core.Chart;
using CsCheck;

namespace Assignum.Core.Tests;

/// <summary>Control accounts and their documents: every cent of a difference has a cause.</summary>
public class TiedOut
{
    private static readonly Dictionary<string, Control> Controls = new(StringComparer.Ordinal)
    {
        ["1200"] = Control.Receivables,
        ["1210"] = Control.Receivables,
        ["2100"] = Control.Payables,
        ["1400"] = Control.Stock,
    };

    [Fact]
    public void Each_line_that_is_in_one_alone_has_its_cause()
    {
        // Invoiced 1,230.00 and paid 1,000.00; an opening of 300.00; 250.00 written by hand; 40.00 of stock that landed on
        // receivables; 70.00 of receivables that landed on a clearing account; 5.00 at the close of a year.
        IReadOnlyList<LandedSum> sums =
        [
            new("1200", "receivables", "sales-invoice", 1230m, 4),
            new("1200", "receivables", "customer-payment", -1000m, 3),
            new("1210", null, "opening", 300m, 2),
            new("1200", null, "hand-entry", 250m, 1),
            new("1200", "stock", "stock-adjusted", 40m, 1),
            new("1150", "receivables", "sales-invoice", 70m, 1),
            new("1210", null, "year-closed", -5m, 1),
            new("1200", null, "currency-revalued", 12m, 1),
            new("4000", "sales-revenue", "sales-invoice", -1300m, 5),
        ];
        var found = TieOuts.Of(Controls, sums);
        var receivables = found.Single(t => t.Control == Control.Receivables);
        receivables.Accounts.ShouldBe(["1200", "1210"]);
        receivables.Ledger.ShouldBe(827m);
        // 1,230 - 1,000 + 300 + 70 + 12.
        receivables.Documents.ShouldBe(612m);
        receivables.Difference.ShouldBe(215m);
        receivables.Causes.ShouldBe([
            new CauseSum(TieCause.HandEntry, 250m, 1),
            new CauseSum(TieCause.OtherPurpose, 40m, 1),
            new CauseSum(TieCause.LandedElsewhere, -70m, 1),
            new CauseSum(TieCause.Closing, -5m, 1),
        ]);
        // The stock that stands on receivables is missing on stock.
        var stock = found.Single(t => t.Control == Control.Stock);
        (stock.Ledger, stock.Documents, stock.Difference).ShouldBe((0m, 40m, -40m));
        stock.Causes.ShouldBe([new CauseSum(TieCause.LandedElsewhere, -40m, 1)]);
        // What has an account and nothing on it agrees; what has neither is not told.
        found.Single(t => t.Control == Control.Payables).Causes.ShouldBeEmpty();
        found.ShouldNotContain(t => t.Control == Control.Bank);
    }

    [Fact]
    public void Causes_add_up_to_the_difference_always()
    {
        string[] accounts = ["1200", "1210", "2100", "1400", "1150", "4000"];
        string?[] purposes = [null, null, "receivables", "payables", "stock", "bank", "sales-revenue", "gone-purpose"];
        string[] kinds = ["hand-entry", "opening", "reclassified", "currency-revalued", "year-closed", "sales-invoice"];
        var differing = 0;
        Gen.Select(Gen.Int[0, 5], Gen.Int[0, 7], Gen.Int[0, 5], Gen.Int[-99999, 99999])
            .Array[0, 40]
            .Sample(
                rows =>
                {
                    var sums = rows.Select(r => new LandedSum(
                            accounts[r.Item1],
                            purposes[r.Item2],
                            kinds[r.Item3],
                            r.Item4 / 100m,
                            1
                        ))
                        .ToList();
                    foreach (var tie in TieOuts.Of(Controls, sums))
                    {
                        tie.Causes.Sum(c => c.Amount).ShouldBe(tie.Difference);
                        tie.Ledger.ShouldBe(
                            sums.Where(s => Controls.GetValueOrDefault(s.Account) == tie.Control).Sum(s => s.Amount)
                        );
                        differing += tie.Difference != 0 ? 1 : 0;
                    }
                },
                iter: 500,
                threads: 1
            );
        differing.ShouldBeGreaterThan(500);
    }
}
