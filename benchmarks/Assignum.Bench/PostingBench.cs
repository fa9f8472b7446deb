using System.Diagnostics;
using System.Globalization;
using System.IO.Compression;
using System.Net.Http.Json;
using System.Text;

namespace Assignum.Bench;

/// <summary>
/// NDJSON over HTTP into PostgreSQL with its usual durability, answered only after commit, traces stored; a body of a
/// million lines; and the trial balance over 5,000 accounts and a million entry lines.
/// </summary>
internal static class PostingBench
{
    private const int Warm = 40_000,
        Timed = 60_000,
        Long = 1_000_000;
    private const int Accounts = 5_000,
        LinesEach = 100,
        HandEntries = 10_000;

    public static async Task RunAsync(string owner, string application, string root)
    {
        await using var app = await ServedApp.StartAsync(root, owner, application);
        var bundle = Path.Combine(root, "demo", "skerrow", "1-skerrow", "bundle");
        await SetUpAsync(
            app,
            "SKERROW",
            "2026-05-01",
            Directory.GetFiles(bundle, "*.csv").Select(f => (Path.GetFileName(f), File.ReadAllText(f)))
        );
        var templates = Templates(Path.Combine(root, "demo", "skerrow", "1-skerrow", "events.ndjson"));
        string Event(int i) => PostingBench.Event(templates, i);

        // A server that has run for a while, and how it was just after its start.
        var watch = Stopwatch.StartNew();
        var first = (await app.PostAsync("SKERROW", Enumerable.Range(0, Warm).Select(Event))).GetValueOrDefault(
            "posted"
        );
        Say(
            $"the first {ServedApp.Number(first)} after a start",
            $"{ServedApp.Number(first / watch.Elapsed.TotalSeconds)} events/s"
        );
        watch.Restart();
        var counts = await app.PostAsync("SKERROW", Enumerable.Range(Warm, Timed).Select(Event));
        var posted = counts.GetValueOrDefault("posted");
        Say(
            $"posted over HTTP and durable ({ServedApp.Number(posted)})",
            $"{ServedApp.Number(posted / watch.Elapsed.TotalSeconds)} events/s, {app.Memory} MB"
        );

        // A body of a million lines: the first are new, then those again and again, each answered by its first number.
        watch.Restart();
        var memory = new List<long>();
        counts = await app.PostAsync(
            "SKERROW",
            Enumerable.Range(0, Long).Select(i => Event(i % (Warm + Timed + 10_000))),
            seen =>
            {
                if (seen % 100_000 == 0)
                    memory.Add(app.Memory);
            }
        );
        Say(
            $"a body of {ServedApp.Number(Long)} lines",
            $"{watch.Elapsed.TotalSeconds:0} s; "
                + $"{string.Join(", ", counts.Select(c => $"{ServedApp.Number(c.Value)} {c.Key}"))}; MB at each 100,"
                + $"000: {string.Join(" ", memory)}"
        );
        await BalanceAsync(app);
    }

    /// <summary>The events of a file that can be posted any number of times.</summary>
    internal static string[] Templates(string file) =>
        [
            .. File.ReadAllLines(file)
                .Where(l =>
                    !l.Contains("\"opening\"", StringComparison.Ordinal)
                    && !l.Contains("customer-payment", StringComparison.Ordinal)
                )
                .Distinct(),
        ];

    /// <summary>An event of its own made of one of them.</summary>
    internal static string Event(string[] templates, int number) =>
        templates[number % templates.Length].Replace("\"id\": \"", $"\"id\": \"{number}-", StringComparison.Ordinal);

    // Hand entries spread over all accounts, through the same door.
    private static async Task BalanceAsync(ServedApp app)
    {
        var accounts = new StringBuilder("number,name,class,kind\n");
        for (var i = 0; i < Accounts; i++)
            accounts.Append(
                CultureInfo.InvariantCulture,
                $"{10_000 + i},Account {i},{(i % 2 == 0 ? "operating-cost" : "revenue")},posting\n"
            );
        await SetUpAsync(app, "WIDE", "2026-01-01", [("accounts.csv", accounts.ToString())]);
        var watch = Stopwatch.StartNew();
        var counts = await app.PostAsync("WIDE", Enumerable.Range(0, HandEntries).Select(HandEntry));
        Say(
            $"hand entries of {LinesEach} lines, {ServedApp.Number(HandEntries * LinesEach)} lines in all",
            $"{ServedApp.Number(counts.GetValueOrDefault("posted") * LinesEach / watch.Elapsed.TotalSeconds)} lines/s"
        );
        var times = new List<double>();
        for (var i = 0; i < 15; i++)
        {
            watch.Restart();
            await app.Client.GetByteArrayAsync("/api/v1/entities/WIDE/trial-balance?at=2026-12-31");
            times.Add(watch.Elapsed.TotalMilliseconds);
        }
        times.Sort();
        Say(
            $"trial balance of those, {ServedApp.Number(Accounts)} accounts, over HTTP",
            $"{times[times.Count / 2]:0} ms, worst of 15 {times[^1]:0} ms"
        );
    }

    private static string HandEntry(int number)
    {
        var random = new Random(number);
        var json = new StringBuilder(LinesEach * 40);
        json.Append(
            CultureInfo.InvariantCulture,
            $$"""{"source":"own","id":"H-{{number}}","kind":"hand-entry","""
                + $$""" "date":"{{new DateOnly(2026, 1, 1).AddDays(number / 28):yyyy-MM-dd}}","lines":["""
        );
        for (var i = 0; i < LinesEach; i += 2)
        {
            var amount = random.Next(1, 100_000) / 100m;
            json.Append(
                CultureInfo.InvariantCulture,
                $$"""{{(i == 0 ? "" : ",")}}{"account":"{{10_000 + random.Next(Accounts)}}","""
                    + $$""" "debit":{{amount}}},{"account":"{{10_000 + random.Next(Accounts)}}","""
                    + $$""" "credit":{{amount}}}"""
            );
        }
        return json.Append("]}").ToString();
    }

    internal static async Task SetUpAsync(
        ServedApp app,
        string code,
        string from,
        IEnumerable<(string Name, string Text)> files
    )
    {
        var zip = new MemoryStream();
        using (var archive = new ZipArchive(zip, ZipArchiveMode.Create, leaveOpen: true))
            foreach (var (name, text) in files)
            {
                await using var writer = new StreamWriter(archive.CreateEntry(name).Open());
                await writer.WriteAsync(text);
            }
        (
            await app.Client.PostAsJsonAsync(
                "/api/v1/entities",
                new
                {
                    code,
                    name = code,
                    currency = "EUR",
                }
            )
        ).EnsureSuccessStatusCode();
        (
            await app.Client.PostAsync(
                $"/api/v1/entities/{code}/bundle?apply=true",
                new ByteArrayContent(zip.ToArray())
            )
        ).EnsureSuccessStatusCode();
        (
            await app.Client.PostAsJsonAsync($"/api/v1/entities/{code}/editions/publish", new { from })
        ).EnsureSuccessStatusCode();
    }

    private static void Say(string what, string measured) => Console.WriteLine($"{what, -52} {measured}");
}
