using System.Diagnostics;
using System.Globalization;
using Assignum.Core.Coverage;
using Assignum.Core.Landing;
using Assignum.Core.SetUps;

namespace Assignum.Bench;

/// <summary>What a landing map costs at the large size, all 400 groups by all 60 open, and what compressing costs.</summary>
internal static class MapBench
{
    public static void Run()
    {
        var setUp = new CompiledSetUp(LargeSet.Make());
        var question = new MapQuestion(Purposes.SalesRevenue, Dimension.Item, Dimension.Party, ["*"], ["*"]);
        LandingMap map = null!;
        for (var i = 0; i < 5; i++)
        {
            // Not looked at before, and again as after opening a group.
            var anew = new CompiledSetUp(setUp.SetUp, setUp);
            Say("all groups by all groups", Time(() => map = LandingMap.Of(anew, question)));
            Say("  looked at again", Time(() => map = LandingMap.Of(anew, question)));
        }
        Console.WriteLine(
            $"map: {map.Rows.Count} rows, {map.Columns.Count} columns, {map.Accounts.Count} accounts, "
                + $"columns as groups only: {map.Coarse}"
        );
        for (var i = 0; i < 3; i++)
            Say("  of it, the stamp", Time(() => LandingMap.Stamp(setUp.SetUp, Purposes.SalesRevenue)));
        Compressed? found = null;
        Say("compressed", Time(() => found = Compressing.Of(setUp, Purposes.SalesRevenue)));
        Console.WriteLine($"map: {(found is null ? "too many combinations" : $"{found.Before} to {found.After}")}");
    }

    private static double Time(Action act)
    {
        var watch = Stopwatch.StartNew();
        act();
        return watch.Elapsed.TotalMilliseconds;
    }

    private static void Say(string what, double took) =>
        Console.WriteLine($"map: {what, -60} {took.ToString("N0", CultureInfo.InvariantCulture)} ms");
}
