using System.Diagnostics;
using System.Globalization;
using Assignum.Core.Checks;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;

namespace Assignum.Bench;

/// <summary>What checks cost at the large size: cold, and after one changed row.</summary>
internal static class FindingsBench
{
    private static readonly DateOnly Today = new(2026, 11, 1);

    public static void Run()
    {
        var large = LargeSet.Make();
        for (var i = 0; i < 3; i++)
        {
            CompiledSetUp setUp = null!;
            Say("compiled", Time(() => setUp = new CompiledSetUp(large)));
            IReadOnlyList<Finding> found = [];
            Say("all findings, cold", Time(() => found = Findings.Of(setUp, Today)));
            Console.WriteLine($"findings: {found.Count}, of {found.Select(f => f.Code).Distinct().Count()} codes");
            var row = Parts.Assignments.Row(
                large,
                Parts.Assignments.KeyOf(Parts.CellsOf(large.Assignments[40_000 + i]))
            )!;
            var plan = SetUpEdit.Plan(
                large,
                [SetUpEdit.Row(Parts.Assignments, row, new Dictionary<string, string?> { ["account"] = "4001" })],
                (_, _) => false
            );
            CompiledSetUp next = null!;
            Say("one changed assignment compiled", Time(() => next = new CompiledSetUp(plan.Next, setUp)));
            Say("findings after it", Time(() => Findings.Of(next, Today)));
            if (i < 2)
                continue;
            var input = new CheckInput(next, Today);
            foreach (var check in Findings.All)
                if (Time(() => _ = check.Of(input).Count()) is var took and > 4)
                    Say("  of it, " + check.Code, took);
        }
    }

    private static double Time(Action act)
    {
        var watch = Stopwatch.StartNew();
        act();
        return watch.Elapsed.TotalMilliseconds;
    }

    private static void Say(string what, double took) =>
        Console.WriteLine($"findings: {what, -60} {took.ToString("N0", CultureInfo.InvariantCulture)} ms");
}
