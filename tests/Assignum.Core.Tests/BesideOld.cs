using Assignum.Core.Feeding;

namespace Assignum.Core.Tests;

/// <summary>What events would post beside what was booked the old way: each cent has one cause.</summary>
public sealed class BesideOld
{
    private static readonly DateOnly First = new(2026, 6, 1);

    private static BookedSum Sum(string account, string reference, decimal amount, int day = 0) =>
        new(First.AddDays(day), account, reference, amount);

    private static IReadOnlyList<ParallelAccount> Compared(
        IEnumerable<BookedSum> here,
        IEnumerable<BookedSum> there,
        params (string, string)[] waiting
    ) => BesideTheOldWay.Compare(here, there, waiting.ToDictionary(w => w.Item1, w => w.Item2, StringComparer.Ordinal));

    [Fact]
    public void A_sale_on_another_account_one_on_another_day_and_one_that_waits_are_told_apart()
    {
        // Here: S1 of 100 on 4000, there on 4010. S2 of 50 here on the first, there on the second. S3 of 30 waits here.
        var found = Compared(
            [Sum("1200", "S1", 100), Sum("4000", "S1", -100), Sum("1200", "S2", 50), Sum("4000", "S2", -50)],
            [
                Sum("1200", "S1", 100),
                Sum("4010", "S1", -100),
                Sum("1200", "S2", 50, 1),
                Sum("4000", "S2", -50, 1),
                Sum("1200", "S3", 30, 1),
                Sum("4000", "S3", -30, 1),
            ],
            ("S3", "item CUP is not paired")
        );
        string Said(int day, string account) =>
            string.Join(
                "; ",
                found
                    .Single(f => f.Day == First.AddDays(day) && f.Account == account)
                    .Differences.Select(d => $"{d.Cause} {d.Reference} {d.Amount} {d.Other}")
            );
        Said(0, "1200").ShouldBe("OtherDay S2 50 2026-06-02");
        Said(0, "4000").ShouldBe("OtherAccount S1 -100 4010; OtherDay S2 -50 2026-06-02");
        Said(0, "4010").ShouldBe("OtherAccount S1 100 4000");
        Said(1, "1200").ShouldBe("OtherDay S2 -50 2026-06-01; Waits S3 -30 item CUP is not paired");
        Said(1, "4000").ShouldBe("OtherDay S2 50 2026-06-01; Waits S3 30 item CUP is not paired");
    }

    [Fact]
    public void A_day_booked_as_a_sum_agrees_where_it_comes_to_the_same_and_is_one_difference_where_not()
    {
        var agrees = Compared([Sum("4000", "A", -40), Sum("4000", "B", -60)], [Sum("4000", "", -100)]);
        agrees.Single().Difference.ShouldBe(0);
        agrees.Single().Differences.ShouldBeEmpty();
        var differs = Compared([Sum("4000", "A", -40), Sum("4000", "B", -60)], [Sum("4000", "", -90)]);
        differs.Single().Differences.ShouldBe([new ParallelDifference(ParallelCause.Summed, "", -10, null)]);
        var alone = Compared([Sum("4000", "A", -40)], [Sum("4000", "A", -41.5m), Sum("4000", "C", -7)]);
        alone
            .Single()
            .Differences.ShouldBe([
                new ParallelDifference(ParallelCause.Amount, "A", 1.5m, null),
                new ParallelDifference(ParallelCause.OnlyThere, "C", 7, null),
            ]);
    }

    [Fact]
    public void Whatever_is_on_either_side_causes_add_up_and_what_is_only_moved_adds_up_to_nothing()
    {
        var random = new Random(20261129);
        var differing = 0;
        var causes = new HashSet<ParallelCause>();
        for (var run = 0; run < 2000; run++)
        {
            BookedSum One() =>
                Sum(
                    "4" + random.Next(3),
                    random.Next(5) == 0 ? "" : "D" + random.Next(6),
                    random.Next(-4, 5) * 2.5m,
                    random.Next(3)
                );
            var here = Enumerable.Range(0, random.Next(9)).Select(_ => One()).ToList();
            // Often the same with one row changed: that is how books are.
            var there =
                random.Next(3) == 0
                    ? [.. Enumerable.Range(0, random.Next(9)).Select(_ => One())]
                    : here.Select(h => random.Next(4) == 0 ? One() with { Reference = h.Reference } : h).ToList();
            var found = Compared(here, there, ("D1", "why"));
            foreach (var account in found)
            {
                account.Differences.Sum(d => d.Amount).ShouldBe(account.Difference);
                account.Here.ShouldBe(
                    here.Where(h => h.Day == account.Day && h.Account == account.Account).Sum(h => h.Amount)
                );
                account.There.ShouldBe(
                    there.Where(h => h.Day == account.Day && h.Account == account.Account).Sum(h => h.Amount)
                );
                if (account.Difference == 0)
                    account.Differences.ShouldBeEmpty();
                else
                    differing++;
            }
            causes.UnionWith(found.SelectMany(f => f.Differences).Select(d => d.Cause));
            found
                .SelectMany(f => f.Differences)
                .Where(d => d.Cause is ParallelCause.OtherAccount)
                .Sum(d => d.Amount)
                .ShouldBe(0);
        }
        differing.ShouldBeGreaterThan(3000);
        causes.Count.ShouldBe(Enum.GetValues<ParallelCause>().Length);
    }
}
