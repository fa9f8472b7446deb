using System.Diagnostics;
using System.Globalization;
using Assignum.Core.Coverage;
using Assignum.Core.Landing;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;

namespace Assignum.Bench;

/// <summary>Coverage and dead weight of the large set, and what the parts of an answer cost.</summary>
internal static class CoverageBench
{
    public static void Run()
    {
        var large = LargeSet.Make();
        var setUp = new CompiledSetUp(large);
        PurposeCoverage? coverage = null;
        IReadOnlyList<DeadAssignment> dead = [];
        for (var i = 0; i < 3; i++)
        {
            var compiled = i == 0 ? setUp : new CompiledSetUp(large);
            Say(
                i == 0 ? "coverage of all purposes, cold" : "again, on another compiled set-up",
                Time(() => coverage = PurposeCoverage.Of(compiled).Single(c => c.Purpose == Purposes.SalesRevenue))
            );
        }
        var at = setUp;
        for (var i = 0; i < 3; i++)
        {
            // One assignment changed, one added: what a grid's save does.
            var row = Parts.Assignments.Row(
                at.SetUp,
                Parts.Assignments.KeyOf(
                    Parts.Assignments.Write(
                        new SetUp { Entity = large.Entity, Assignments = [large.Assignments[40_000 + i]] }
                    )[0]
                )
            )!;
            var plan = SetUpEdit.Plan(
                at.SetUp,
                [SetUpEdit.Row(Parts.Assignments, row, new Dictionary<string, string?> { ["account"] = "4001" })],
                (_, _) => false
            );
            CompiledSetUp next = null!;
            Say("one changed assignment compiled", Time(() => next = new CompiledSetUp(plan.Next, at)));
            Say("coverage after it", Time(() => PurposeCoverage.Of(next)));
            Say("dead weight after it", Time(() => DeadWeight.Of(next)));
            var added = SetUpEdit.Plan(
                next.SetUp,
                [
                    SetUpEdit.Row(
                        Parts.Assignments,
                        null,
                        new Dictionary<string, string?>
                        {
                            ["purpose"] = "sales-revenue",
                            ["account"] = "4002",
                            ["item"] = "I" + (199_990 + i),
                            ["party"] = "P7",
                        }
                    ),
                ],
                (_, _) => false
            );
            Say("one added assignment compiled", Time(() => at = new CompiledSetUp(added.Next, next)));
            Say("coverage after it", Time(() => PurposeCoverage.Of(at)));
            Say("dead weight after it", Time(() => DeadWeight.Of(at)));
            var broad = SetUpEdit.Plan(
                at.SetUp,
                [
                    SetUpEdit.Row(
                        Parts.Assignments,
                        null,
                        new Dictionary<string, string?>
                        {
                            ["purpose"] = "sales-revenue",
                            ["account"] = "4003",
                            ["item_group"] = "IG" + (300 + i),
                            ["party_group"] = "PG" + (10 + i),
                        }
                    ),
                ],
                (_, _) => false
            );
            if (broad.Faults.Count == 0)
                Say("one of two groups added, compiled", Time(() => at = new CompiledSetUp(broad.Next, at)));
            Say("coverage after it", Time(() => PurposeCoverage.Of(at)));
            Say("dead weight after it", Time(() => DeadWeight.Of(at)));
            var page = at.Landings.AssignmentsOf(Purposes.SalesRevenue).Skip(59_000).Take(300).ToList();
            Say(
                "for how many records each of 300 decides",
                Time(() => PurposeCoverage.Decides(at, Purposes.SalesRevenue, page))
            );
        }
        Console.WriteLine(
            $"coverage: {coverage!.Combinations.ToString(CultureInfo.InvariantCulture)} combinations of "
                + $"sales-revenue: {string.Join(", ", coverage.By.Select(b => $"{b.Key} {b.Value}"))}"
        );
        for (var i = 0; i < 3; i++)
        {
            var compiled = new CompiledSetUp(large);
            Say("dead weight, cold", Time(() => dead = DeadWeight.Of(compiled)));
        }
        Console.WriteLine($"coverage: {dead.Count} of {large.Assignments.Count} could go");
    }

    private static double Time(Action act)
    {
        var watch = Stopwatch.StartNew();
        act();
        return watch.Elapsed.TotalMilliseconds;
    }

    private static void Say(string what, double took) =>
        Console.WriteLine($"coverage: {what, -60} {took.ToString("N0", CultureInfo.InvariantCulture)} ms");
}
