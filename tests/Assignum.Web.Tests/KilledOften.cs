using System.Collections.Concurrent;
using System.Text;
using System.Text.Json;
using Assignum.Bench;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Testing;
using Npgsql;

namespace Assignum.Web.Tests;

/// <summary>A feed and publications that are killed again and again, and two processes that get the same feed: nothing is
/// lost, doubled or unbalanced. A few times in each run, a hundred with <c>./test --long</c>.</summary>
public class KilledOften
{
    private static CancellationToken Stop => TestContext.Current.CancellationToken;
    private static readonly bool Long = Environment.GetEnvironmentVariable("ASSIGNUM_LONG") is not null;
    private const string Code = "FEED";

    private static string Event(int i) =>
        $$"""{"source":"feed","id":"E{{i}}","kind":"sales-invoice","date":"2026-06-{{1 + i % 28:00}}","reference":"E{{i}}","party":"SHOP-GALE","lines":[{"item":"RG-100","unitPrice":{{10 + i % 90}}}]}""";

    private static StringContent Json(string text) => new(text, Encoding.UTF8, "application/json");

    private static async Task OpenAsync(HttpClient client)
    {
        (
            await client.PostAsync(
                "/api/v1/entities",
                Json($$"""{"code":"{{Code}}","name":"Feed","currency":"EUR"}"""),
                Stop
            )
        ).EnsureSuccessStatusCode();
        (
            await client.PostAsync(
                $"/api/v1/entities/{Code}/bundle?apply=true",
                new ByteArrayContent(PageClient.DemoBundle(without: "policies.csv")),
                Stop
            )
        ).EnsureSuccessStatusCode();
        (
            await client.PostAsync($"/api/v1/entities/{Code}/editions/publish", Json("""{"from":"2026-06-01"}"""), Stop)
        ).EnsureSuccessStatusCode();
    }

    // What a client sees of a process that is gone: no answer, half of one, or that it was let go itself.
    private static bool IsKilled(Exception e) =>
        e is HttpRequestException or IOException or ObjectDisposedException or JsonException
        || e is OperationCanceledException && !Stop.IsCancellationRequested;

    // Another account for one family, live at once.
    private static async Task<bool> PublishAsync(HttpClient client, int turn)
    {
        var rows = Encoding.UTF8.GetBytes(
            $"purpose,account,item_group\nsales-revenue,{(turn % 2 == 0 ? 4014 : 4010)},INSTR\n"
        );
        using var bundle = new ByteArrayContent(PageClient.Zip(("assignments.csv", rows)));
        await client.PostAsync($"/api/v1/entities/{Code}/bundle?apply=true&partial=true", bundle, Stop);
        return (
            await client.PostAsync($"/api/v1/entities/{Code}/editions/publish", Json("""{"from":"2026-06-01"}"""), Stop)
        ).IsSuccessStatusCode;
    }

    // Posts some and notes what was answered.
    private static async Task SendAsync(
        HttpClient client,
        IReadOnlyList<int> some,
        ConcurrentDictionary<string, string> told
    )
    {
        using var body = new StringContent(
            string.Join('\n', some.Select(Event)),
            Encoding.UTF8,
            "application/x-ndjson"
        );
        using var answer = await client.PostAsync($"/api/v1/entities/{Code}/events", body, Stop);
        answer.EnsureSuccessStatusCode();
        foreach (
            var line in (await answer.Content.ReadAsStringAsync(Stop)).Split(
                '\n',
                StringSplitOptions.RemoveEmptyEntries
            )
        )
        {
            using var document = JsonDocument.Parse(line);
            var root = document.RootElement;
            var outcome = root.GetProperty("outcome").GetString();
            if (outcome is not ("posted" or "duplicate"))
                continue;
            var number = root.GetProperty("number").GetString()!;
            // What was told once is told ever after.
            told.GetOrAdd(root.GetProperty("event").GetProperty("id").GetString()!, number).ShouldBe(number);
        }
    }

    private static async Task WholeAsync(TestDatabase database, int events, ConcurrentDictionary<string, string> told)
    {
        async Task<long> AskAsync(string sql)
        {
            await using var command = database.Database.Command(sql);
            return Convert.ToInt64(
                await command.ExecuteScalarAsync(Stop),
                System.Globalization.CultureInfo.InvariantCulture
            );
        }
        (await AskAsync("select count(*) from event")).ShouldBe(events);
        (await AskAsync("select count(distinct external_id) from event")).ShouldBe(events);
        (await AskAsync("select count(*) from entry")).ShouldBe(events);
        (await AskAsync("select max(sequence) from entry")).ShouldBe(events);
        (
            await AskAsync(
                "select count(*) from (select from entry_line group by entity_id, entry_id having sum(debit) <> sum(credit)) u"
            )
        ).ShouldBe(0);
        (
            await AskAsync(
                "select count(*) from entry n where not exists (select from entry_line l where l.entity_id = n.entity_id "
                    + "and l.entry_id = n.entry_id)"
            )
        ).ShouldBe(0);
        (
            await AskAsync(
                """
                select count(*) from (select account_id, sum(debit) d, sum(credit) c from entry_line group by 1) l
                full join (select account_id, sum(debit) d, sum(credit) c from account_day group by 1) s using (account_id)
                where l.d is distinct from s.d or l.c is distinct from s.c
                """
            )
        ).ShouldBe(0);
        // No edition is half there.
        (
            await AskAsync(
                "select count(*) from assignments where greatest(since, until) > (select max(number) from edition where "
                    + "status = 'published')"
            )
        ).ShouldBe(0);
        foreach (var (id, number) in told)
            (
                await AskAsync(
                    $"select count(*) from event e join entry n using (entity_id, event_id) where e.external_id = '{id}' and n.number = '{number}'"
                )
            ).ShouldBe(1, id);
        var seals = (await new Evidence(new DeskContext(database.Database)).VerifyAsync(Actor.Product, Stop)).Result!;
        seals.ShouldAllBe(s => s.Break == null);
    }

    // Whichever process is the last one, it goes with the test.
    private sealed class Last(Func<ServedApp> app) : IAsyncDisposable
    {
        public ValueTask DisposeAsync() => app().DisposeAsync();
    }

    [Fact]
    public async Task Killed_again_and_again_nothing_is_lost_doubled_or_unbalanced()
    {
        var (kills, events, at) = (Long ? 100 : 3, Long ? 10_000 : 900, 0);
        await using var database = new TestDatabase();
        var app = await ServedApp.StartAsync(ProjectFiles.Root, database.Owner, database.Application);
        await using var last = new Last(() => app);
        await OpenAsync(app.Client);
        var (told, published, done) = (new ConcurrentDictionary<string, string>(), 0, false);
        var feeding = Task.Run(
            async () =>
            {
                for (var i = 0; !done; i = (i + 100) % events)
                    try
                    {
                        await SendAsync(app.Client, [.. Enumerable.Range(i, 100)], told);
                        Interlocked.Add(ref at, 100);
                    }
                    catch (Exception e) when (IsKilled(e))
                    {
                        await Task.Delay(50, Stop);
                    }
            },
            Stop
        );
        var publishing = Task.Run(
            async () =>
            {
                for (var turn = 0; !done; turn++)
                    try
                    {
                        if (await PublishAsync(app.Client, turn))
                            published++;
                        await Task.Delay(100, Stop);
                    }
                    catch (Exception e) when (IsKilled(e))
                    {
                        await Task.Delay(50, Stop);
                    }
            },
            Stop
        );
        var random = new Random(7);
        for (var kill = 0; kill < kills; kill++)
        {
            // Every other one comes only after something was posted since the last, however slow the machine is.
            var before = Volatile.Read(ref at);
            for (var i = 0; kill % 2 == 0 && Volatile.Read(ref at) == before && i < 600; i++)
                await Task.Delay(100, Stop);
            await Task.Delay(random.Next(150, 1_500), Stop);
            if (kill % 3 == 1)
            {
                TestDatabase.Execute(
                    database.Owner,
                    "select pg_terminate_backend(pid) from pg_stat_activity where datname = current_database() and pid <> "
                        + "pg_backend_pid()"
                );
                continue;
            }
            await app.DisposeAsync();
            app = await ServedApp.StartAsync(ProjectFiles.Root, database.Owner, database.Application);
        }
        for (var i = 0; Volatile.Read(ref published) == 0 && i < 600; i++)
            await Task.Delay(100, Stop);
        done = true;
        await Task.WhenAll(feeding, publishing);
        for (var i = 0; i < events; i += 100)
            await SendAsync(app.Client, [.. Enumerable.Range(i, 100)], told);
        at.ShouldBeGreaterThan(0);
        published.ShouldBeGreaterThan(0);
        told.Count.ShouldBe(events);
        await WholeAsync(database, events, told);
    }

    [Fact]
    public async Task Two_processes_sent_the_same_feed_twice_each_post_each_event_once()
    {
        var events = Long ? 4_000 : 800;
        await using var database = new TestDatabase();
        await using var one = await ServedApp.StartAsync(ProjectFiles.Root, database.Owner, database.Application);
        await using var two = await ServedApp.StartAsync(ProjectFiles.Root, database.Owner, database.Application);
        await OpenAsync(one.Client);
        var told = new ConcurrentDictionary<string, string>();
        var done = false;
        var publishing = Task.Run(
            async () =>
            {
                var published = 0;
                for (var turn = 0; !done; turn++)
                {
                    if (await PublishAsync(turn % 2 == 0 ? one.Client : two.Client, turn))
                        published++;
                    await Task.Delay(100, Stop);
                }
                return published;
            },
            Stop
        );
        var random = new Random(11);
        await Task.WhenAll(
            Enumerable
                .Range(0, 4)
                .Select(i =>
                {
                    var order = Enumerable.Range(0, events).ToArray();
                    random.Shuffle(order);
                    return Task.Run(
                        async () =>
                        {
                            foreach (var some in order.Chunk(50))
                                await SendAsync(i % 2 == 0 ? one.Client : two.Client, some, told);
                        },
                        Stop
                    );
                })
        );
        done = true;
        (await publishing).ShouldBeGreaterThan(0);
        told.Count.ShouldBe(events);
        await WholeAsync(database, events, told);
    }
}
