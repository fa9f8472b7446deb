using System.Diagnostics;
using System.Globalization;
using Npgsql;

namespace Assignum.Bench;

/// <summary>
/// Posting by this program against another built copy of it: the same events to both in turn, so that a machine whose
/// speed changes changes it for both. Answers how many times as fast this one is.
/// </summary>
internal static class RaceBench
{
    private const int Rounds = 5,
        Warm = 20_000,
        Each = 24_000;

    /// <param name="root">This program.</param>
    /// <param name="against">The root of the other copy, built for release.</param>
    /// <param name="mix">A file of events; null: those of this program's demo.</param>
    public static async Task RunAsync(string owner, string application, string root, string against, string? mix)
    {
        mix ??= Path.Combine(root, "demo", "skerrow", "1-skerrow", "events.ndjson");
        var templates = PostingBench.Templates(mix);
        await using var here = await BeginAsync("here", owner, application, root);
        await using var there = await BeginAsync("there", owner, application, against);
        var ratios = new List<double>();
        var (ours, theirs) = (TimeSpan.Zero, TimeSpan.Zero);
        var before = (Here: TimeSpan.Zero, There: TimeSpan.Zero);
        for (var round = -1; round < Rounds; round++)
        {
            var (from, count) = round < 0 ? (0, Warm) : (Warm + round * Each, Each);
            var events = Enumerable.Range(from, count).Select(i => PostingBench.Event(templates, i)).ToList();
            // Who goes first changes: what one leaves to do is not always the other's.
            var (a, b) =
                round % 2 == 0
                    ? (await TimeAsync(here, events), await TimeAsync(there, events))
                    : Turned(await TimeAsync(there, events), await TimeAsync(here, events));
            if (round < 0)
            {
                before = (here.Processor, there.Processor);
                continue;
            }
            (ours, theirs) = (ours + a, theirs + b);
            ratios.Add(b / a);
        }
        ratios.Sort();
        var posted = Rounds * Each;
        var (mine, other) = (posted / ours.TotalSeconds, posted / theirs.TotalSeconds);
        Say($"{posted} events to each: here {mine:0}/s, there {other:0}/s");
        Say($"times as fast: median {ratios[ratios.Count / 2]:0.00}, from {ratios[0]:0.00} to {ratios[^1]:0.00}");
        var (used, spent) = (here.Processor - before.Here, there.Processor - before.There);
        var (mineUsed, otherUsed) = (used.TotalMicroseconds / posted, spent.TotalMicroseconds / posted);
        Say($"the application's processor an event, once warm: {mineUsed:0} µs, {otherUsed:0} µs");
    }

    private static void Say(FormattableString what) => Console.WriteLine(what.ToString(CultureInfo.InvariantCulture));

    private static (TimeSpan, TimeSpan) Turned(TimeSpan there, TimeSpan here) => (here, there);

    private static async Task<TimeSpan> TimeAsync(ServedApp app, List<string> events)
    {
        var watch = Stopwatch.StartNew();
        var counts = await app.PostAsync("SKERROW", events);
        if (counts.GetValueOrDefault("posted") < events.Count * 0.95)
            throw new InvalidOperationException(
                "Too few were posted: " + string.Join(", ", counts.Select(c => $"{c.Value} {c.Key}"))
            );
        return watch.Elapsed;
    }

    private static async Task<ServedApp> BeginAsync(string name, string owner, string application, string root)
    {
        await using (var db = new NpgsqlConnection(owner))
        {
            await db.OpenAsync();
            await using var command = new NpgsqlCommand($"create database race_{name}", db);
            await command.ExecuteNonQueryAsync();
        }
        string On(string connection) =>
            new NpgsqlConnectionStringBuilder(connection) { Database = $"race_{name}" }.ConnectionString;
        var app = await ServedApp.StartAsync(root, On(owner), On(application));
        var bundle = Path.Combine(root, "demo", "skerrow", "1-skerrow", "bundle");
        await PostingBench.SetUpAsync(
            app,
            "SKERROW",
            "2026-05-01",
            Directory.GetFiles(bundle, "*.csv").Select(f => (Path.GetFileName(f), File.ReadAllText(f)))
        );
        return app;
    }
}
