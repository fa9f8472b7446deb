using System.Diagnostics;
using System.Text.Json;
using Assignum.Core.SetUps;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using Assignum.Formats.Bundles;
using Assignum.Formats.Json;
using Assignum.Storage;

namespace Assignum.Bench;

/// <summary>Events into PostgreSQL with its usual durability: parsed, landed, stored with lines and traces, committed in batches as the interface does.</summary>
internal static class PostingBench
{
    private const int Batch = 500;
    private const int Events = 20_000;

    public static async Task RunAsync(string owner, string application, string root)
    {
        Database.Migrate(owner);
        await using var database = new Database(application);
        var desk = new DeskContext(database);
        var faults = new List<FormFault>();
        var sheets = Bundle.FromFolder(Path.Combine(root, "demo", "skerrow", "1-skerrow", "bundle"), faults);
        await new CreateEntity(desk).RunAsync(Actor.Product, "SKERROW", "Skerrow", "EUR", default);
        await new ImportBundle(desk).ApplyAsync(Actor.Product, "SKERROW", sheets, faults, false, null, default);
        await new PublishDraft(desk).RunAsync(Actor.Product, "SKERROW", new DateOnly(2026, 5, 1), null, default);
        var templates = File.ReadAllLines(Path.Combine(root, "demo", "skerrow", "1-skerrow", "events.ndjson"))
            .Where(l => !l.Contains("\"opening\"", StringComparison.Ordinal) && !l.Contains("customer-payment", StringComparison.Ordinal)).Distinct().ToArray();
        var lines = Enumerable.Range(0, Events).Select(i => templates[i % templates.Length].Replace("\"id\": \"", $"\"id\": \"{i}-", StringComparison.Ordinal)).ToArray();
        var post = new PostEvents(desk);
        var watch = Stopwatch.StartNew();
        var posted = 0;
        for (var at = 0; at < lines.Length; at += Batch)
        {
            var events = lines.Skip(at).Take(Batch).Select(Read).ToList();
            posted += (await post.RunAsync(Actor.Product, "SKERROW", events, at + 1, default)).Result!.Count(r => r.Outcome == "posted");
        }
        ResolverBench.Say($"events posted and durable ({posted:N0}), events", posted / watch.Elapsed.TotalSeconds, null);
        var journal = new ReadJournal(desk);
        await journal.BalancesAsync(Actor.Product, "SKERROW", null, default);
        watch.Restart();
        for (var i = 0; i < 20; i++) await journal.BalancesAsync(Actor.Product, "SKERROW", null, default);
        Console.WriteLine(FormattableString.Invariant($"trial balance of those entries          {watch.Elapsed.TotalMilliseconds / 20,11:0.0} ms"));
    }

    private static ReadEvent Read(string line)
    {
        using var json = JsonDocument.Parse(line, EventReader.Options);
        return EventReader.Read(json.RootElement);
    }
}
