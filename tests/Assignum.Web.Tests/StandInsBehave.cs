using System.Net;
using System.Net.Http.Headers;
using System.Net.Http.Json;
using System.Text.Json.Nodes;
using Assignum.StandIns;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.Extensions.Logging;

namespace Assignum.Web.Tests;

/// <summary>The made-up systems that connections are tried on: they speak the link, do business and fail as they are
/// told.</summary>
public sealed class StandInsBehave : IAsyncLifetime
{
    private const string Key = "a-key-of-the-tests";
    private static readonly DateOnly Begin = new(2026, 6, 1);
    private readonly List<WebApplication> apps = [];

    private static CancellationToken Stop => TestContext.Current.CancellationToken;

    public ValueTask InitializeAsync() => ValueTask.CompletedTask;

    public async ValueTask DisposeAsync()
    {
        foreach (var app in apps)
            await app.DisposeAsync();
    }

    private async Task<HttpClient> StartAsync(int seed = 7)
    {
        var builder = WebApplication.CreateSlimBuilder();
        builder.Logging.ClearProviders();
        builder.WebHost.UseUrls("http://127.0.0.1:0");
        var app = LinkServer.Build(builder, new World(seed, Begin, Key));
        apps.Add(app);
        await app.StartAsync(Stop);
        var client = new HttpClient(new HttpClientHandler { AllowAutoRedirect = false })
        {
            BaseAddress = new Uri(app.Urls.First()),
        };
        client.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue("Bearer", Key);
        return client;
    }

    private static async Task<JsonNode> GetAsync(HttpClient client, string path) =>
        JsonNode.Parse(await client.GetStringAsync(path, Stop))!;

    private static async Task<List<JsonNode>> AllAsync(HttpClient client, string path, string name, int limit)
    {
        var found = new List<JsonNode>();
        var after = "";
        while (true)
        {
            var page = await GetAsync(client, $"{path}?after={after}&limit={limit}");
            found.AddRange(((JsonArray)page[name]!).Select(r => r!));
            after = (string)page["next"]!;
            if (!(bool)page["more"]!)
                return found;
        }
    }

    private static Task<HttpResponseMessage> FaultAsync(
        HttpClient client,
        string system,
        string fault,
        int times = 1
    ) =>
        client.PostAsJsonAsync(
            "/faults",
            new
            {
                system,
                fault,
                times,
            },
            Stop
        );

    private static async Task PassAsync(HttpClient client, int days) =>
        (await client.PostAsJsonAsync("/clock", new { days }, Stop)).EnsureSuccessStatusCode();

    [Fact]
    public async Task They_have_what_a_company_has_and_need_their_key()
    {
        using var client = await StartAsync();
        foreach (
            var (system, kinds, count) in new[]
            {
                ("warehouse", "items", 300),
                ("shop", "parties", 2000),
                ("ledger", "accounts", 400),
            }
        )
        {
            var all = await AllAsync(client, $"/{system}/link/v1/records/{kinds}", "records", 170);
            all.Count.ShouldBe(count);
            all.Select(r => (string)r["id"]!).Distinct().Count().ShouldBe(count);
            all.ShouldAllBe(r => r["name"] != null && r["status"] != null);
        }
        (await GetAsync(client, "/shop/link/v1/records/tax-codes"))["records"]!
            .AsArray()
            .Select(r => (decimal)r!["rate"]!)
            .ShouldContain(22.5m);
        foreach (var system in new[] { "warehouse", "shop", "payments", "ledger" })
        {
            var about = await GetAsync(client, $"/{system}/link/v1/about");
            ((string)about["kind"]!).ShouldBe(system);
            ((string)about["life"]!).Length.ShouldBe(8);
            (await client.GetStringAsync($"/{system}", Stop)).ShouldContain("<h1>");
        }
        client.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue("Bearer", "another");
        (await client.GetAsync("/shop/link/v1/about", Stop)).StatusCode.ShouldBe(HttpStatusCode.Unauthorized);
    }

    [Fact]
    public async Task The_same_seed_and_clock_give_the_same_data_and_another_seed_another()
    {
        using var one = await StartAsync();
        using var two = await StartAsync();
        using var other = await StartAsync(8);
        await PassAsync(one, 20);
        for (var i = 0; i < 20; i++)
            await PassAsync(two, 1);
        await PassAsync(other, 20);
        foreach (var system in new[] { "warehouse", "shop", "payments" })
        {
            string Told(List<JsonNode> events) => string.Join('\n', events.Select(e => e.ToJsonString()));
            var told = Told(await AllAsync(one, $"/{system}/link/v1/events", "events", 50));
            told.Length.ShouldBeGreaterThan(1000);
            Told(await AllAsync(two, $"/{system}/link/v1/events", "events", 1000)).ShouldBe(told);
            Told(await AllAsync(other, $"/{system}/link/v1/events", "events", 1000)).ShouldNotBe(told);
        }
    }

    [Fact]
    public async Task Numbers_have_no_gap_totals_add_up_and_every_kind_of_business_is_done()
    {
        using var client = await StartAsync();
        await PassAsync(client, 60);
        var kinds = new HashSet<string>();
        foreach (var system in new[] { "warehouse", "shop", "payments" })
        {
            var events = await AllAsync(client, $"/{system}/link/v1/events", "events", 1000);
            events.Select(e => (long)e["sequence"]!).ShouldBe(Enumerable.Range(1, events.Count).Select(n => (long)n));
            kinds.UnionWith(events.Select(e => (string)e["kind"]!));
            var sum = 0;
            for (var day = Begin; day < Begin.AddDays(60); day = day.AddDays(1))
            {
                var totals = await GetAsync(client, $"/{system}/link/v1/totals?day={day:yyyy-MM-dd}");
                sum += (int)totals["count"]!;
                ((long)totals["lastSequence"]!).ShouldBe(events.Count);
            }
            sum.ShouldBe(events.Count);
        }
        kinds
            .Order(StringComparer.Ordinal)
            .ShouldBe([
                "channel-chargeback",
                "channel-fee",
                "channel-payout",
                "channel-refund",
                "channel-sale",
                "goods-received",
                "production-completed",
                "production-issued",
                "stock-adjusted",
                "stock-moved",
            ]);
        // What the provider holds is what it was told of, less what it took and paid.
        var held = (await GetAsync(client, $"/payments/link/v1/lists/clearing?at={Begin.AddDays(60):yyyy-MM-dd}"))[
            "rows"
        ]!;
        held.AsArray().Count.ShouldBeGreaterThan(0);
        (await GetAsync(client, $"/warehouse/link/v1/lists/stock?at={Begin.AddDays(60):yyyy-MM-dd}"))["rows"]!
            .AsArray()
            .ShouldAllBe(r => (decimal)r!["quantity"]! > 0);
        (await AllAsync(client, "/ledger/link/v1/journals", "journals", 5)).ShouldAllBe(j =>
            (string)j["origin"]! == "hand"
        );
    }

    [Fact]
    public async Task A_cursor_gives_what_was_changed_since_and_is_of_no_use_in_another_life()
    {
        using var client = await StartAsync();
        var page = await GetAsync(client, "/warehouse/link/v1/records/items?limit=1000");
        var next = (string)page["next"]!;
        (await GetAsync(client, $"/warehouse/link/v1/records/items?after={next}"))["records"]!
            .AsArray()
            .ShouldBeEmpty();
        var ids = new List<string>();
        foreach (var act in new[] { "record-renamed", "record-archived", "record-merged", "record-deleted" })
        {
            var answer = await client.PostAsJsonAsync(
                "/faults",
                new
                {
                    system = "warehouse",
                    fault = act,
                    record = "items",
                },
                Stop
            );
            ids.Add((string)JsonNode.Parse(await answer.Content.ReadAsStringAsync(Stop))!["id"]!);
        }
        var changed = (await GetAsync(client, $"/warehouse/link/v1/records/items?after={next}"))["records"]!.AsArray();
        changed.Select(r => (string)r!["id"]!).ShouldBe(ids);
        ((string)changed[0]!["name"]!).ShouldEndWith("(new name)");
        changed.Skip(1).Select(r => (string)r!["status"]!).ShouldBe(["archived", "archived", "deleted"]);
        changed[2]!["mergedInto"].ShouldNotBeNull();

        await FaultAsync(client, "warehouse", "another-life");
        (await client.GetAsync($"/warehouse/link/v1/records/items?after={next}", Stop)).StatusCode.ShouldBe(
            HttpStatusCode.Gone
        );
        foreach (var wrong in new[] { "x", "!!!", new string('a', 500), next[..^3] })
            (await client.GetAsync($"/warehouse/link/v1/records/items?after={wrong}", Stop)).StatusCode.ShouldBe(
                HttpStatusCode.Gone
            );
    }

    [Fact]
    public async Task They_fail_as_they_are_told_and_then_go_on()
    {
        using var client = await StartAsync();
        await PassAsync(client, 5);
        const string events = "/shop/link/v1/events?limit=10";
        async Task<HttpResponseMessage> AfterAsync(string fault)
        {
            await FaultAsync(client, "shop", fault);
            return await client.GetAsync(events, Stop);
        }
        (await AfterAsync("500")).StatusCode.ShouldBe(HttpStatusCode.InternalServerError);
        var busy = await AfterAsync("429");
        (busy.StatusCode, busy.Headers.RetryAfter!.Delta).ShouldBe(
            (HttpStatusCode.TooManyRequests, TimeSpan.FromSeconds(2))
        );
        (await AfterAsync("wrong-key")).StatusCode.ShouldBe(HttpStatusCode.Unauthorized);
        (await AfterAsync("redirect")).StatusCode.ShouldBe(HttpStatusCode.Redirect);
        (await (await AfterAsync("not-json")).Content.ReadAsStringAsync(Stop)).ShouldStartWith("<html>");
        var half = await (await AfterAsync("half-page")).Content.ReadAsStringAsync(Stop);
        Should.Throw<System.Text.Json.JsonException>(() => JsonNode.Parse(half));
        await FaultAsync(client, "shop", "down");
        await Should.ThrowAsync<HttpRequestException>(() => client.GetAsync(events, Stop));
        var good = await GetAsync(client, events);
        await FaultAsync(client, "shop", "repeated-page");
        var again = await GetAsync(client, $"{events}&after={good["next"]}");
        ((string)again["next"]!).ShouldBe((string)good["next"]!);
        ((bool)again["more"]!).ShouldBeTrue();
        (
            await client.PostAsJsonAsync("/faults", new { system = "shop", fault = "none-such" }, Stop)
        ).StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);
        (await client.PostAsJsonAsync("/clock", new { days = 0 }, Stop)).StatusCode.ShouldBe(
            HttpStatusCode.UnprocessableEntity
        );
    }

    [Fact]
    public async Task Events_come_late_twice_or_out_of_order_and_one_is_voided()
    {
        using var client = await StartAsync();
        await PassAsync(client, 1);
        var first = (await AllAsync(client, "/shop/link/v1/events", "events", 1000)).Count;
        await FaultAsync(client, "shop", "events-late");
        await PassAsync(client, 1);
        (await AllAsync(client, "/shop/link/v1/events", "events", 1000)).Count.ShouldBe(first);
        await PassAsync(client, 1);
        var events = await AllAsync(client, "/shop/link/v1/events", "events", 1000);
        var numbers = events.Select(e => (long)e["sequence"]!).ToList();
        numbers.Order().ShouldBe(Enumerable.Range(1, events.Count).Select(n => (long)n));
        numbers.ShouldNotBe([.. numbers.Order()]);

        await FaultAsync(client, "shop", "events-repeated");
        await PassAsync(client, 1);
        var twice = await AllAsync(client, "/shop/link/v1/events", "events", 1000);
        twice.GroupBy(e => (string)e["id"]!).ShouldContain(g => g.Count() == 2);
        twice.GroupBy(e => (string)e["id"]!).ShouldAllBe(g => g.Select(e => e.ToJsonString()).Distinct().Count() == 1);

        await FaultAsync(client, "shop", "event-voided");
        var last = (await AllAsync(client, "/shop/link/v1/events", "events", 1000))[^1];
        ((string)last["kind"]!).ShouldBe("void");
        twice.Select(e => (string)e["id"]!).ShouldContain((string)last["voids"]!);
    }

    [Fact]
    public async Task The_ledger_takes_a_journal_once_and_says_why_it_takes_another_not()
    {
        using var client = await StartAsync();
        var accounts = (await AllAsync(client, "/ledger/link/v1/records/accounts", "records", 1000))
            .Where(a => (string)a["status"]! == "active")
            .Select(a => (string)a["id"]!)
            .ToList();
        JsonObject Journal(string key, decimal debit, decimal credit, string? account = null) =>
            new()
            {
                ["key"] = key,
                ["date"] = "2026-06-02",
                ["lines"] = new JsonArray(
                    new JsonObject { ["account"] = account ?? accounts[3], ["debit"] = debit },
                    new JsonObject { ["account"] = accounts[4], ["credit"] = credit }
                ),
            };
        async Task<(int Status, JsonNode Answer)> SendAsync(JsonObject journal)
        {
            var answer = await client.PostAsJsonAsync("/ledger/link/v1/journals", journal, Stop);
            return ((int)answer.StatusCode, JsonNode.Parse(await answer.Content.ReadAsStringAsync(Stop))!);
        }
        var (status, made) = await SendAsync(Journal("i/1", 12.34m, 12.34m));
        status.ShouldBe(201);
        var (same, there) = await SendAsync(Journal("i/1", 12.34m, 12.34m));
        (same, (string)there["id"]!).ShouldBe((200, (string)made["id"]!));
        (await SendAsync(Journal("i/1", 12.35m, 12.35m))).Status.ShouldBe(409);
        (await SendAsync(Journal("i/2", 12.34m, 12.33m))).Answer["title"]!.ToString().ShouldContain("0.01");
        (await SendAsync(Journal("i/3", 1m, 1m, "none"))).Status.ShouldBe(422);
        (await client.PostAsync("/ledger/link/v1/journals", new StringContent("[1"), Stop)).StatusCode.ShouldBe(
            HttpStatusCode.UnprocessableEntity
        );
        var balances = (await GetAsync(client, "/ledger/link/v1/balances?at=2026-06-30")).AsArray();
        balances.Sum(b => (decimal)b!["balance"]!).ShouldBe(0);
        balances.ShouldContain(b => (string)b!["account"]! == accounts[3] && (decimal)b["balance"]! == 12.34m);
        ((string)(await GetAsync(client, "/ledger/link/v1/journals/i/1"))["state"]!).ShouldBe("posted");
        (await client.GetAsync("/ledger/link/v1/journals/i/9", Stop)).StatusCode.ShouldBe(HttpStatusCode.NotFound);
        var batch = await client.PostAsJsonAsync(
            "/ledger/link/v1/journals:batch",
            new[] { Journal("i/1", 12.34m, 12.34m), Journal("i/5", 2m, 2m), Journal("i/6", 2m, 3m) },
            Stop
        );
        JsonNode
            .Parse(await batch.Content.ReadAsStringAsync(Stop))!
            .AsArray()
            .Select(a => (int)a!["status"]!)
            .ShouldBe([200, 201, 422]);
    }

    [Fact]
    public async Task Records_are_made_once_and_changed_only_as_they_were_seen()
    {
        using var client = await StartAsync();
        const string items = "/warehouse/link/v1/records/items";
        var record = new { id = "NEW-1", name = "Rain gauge, large" };
        var made = await client.PostAsJsonAsync(items, record, Stop);
        made.StatusCode.ShouldBe(HttpStatusCode.Created);
        (await client.PostAsJsonAsync(items, record, Stop)).StatusCode.ShouldBe(HttpStatusCode.OK);
        (await client.PostAsJsonAsync(items, new { id = "NEW-1", name = "Another" }, Stop)).StatusCode.ShouldBe(
            HttpStatusCode.Conflict
        );
        (await client.PostAsJsonAsync("/warehouse/link/v1/records/locations", record, Stop)).StatusCode.ShouldBe(
            HttpStatusCode.Forbidden
        );
        async Task<HttpStatusCode> ChangeAsync(string tag)
        {
            using var request = new HttpRequestMessage(HttpMethod.Patch, $"{items}/NEW-1")
            {
                Content = JsonContent.Create(new { name = "Rain gauge, very large" }),
            };
            request.Headers.TryAddWithoutValidation("If-Match", tag);
            return (await client.SendAsync(request, Stop)).StatusCode;
        }
        (await ChangeAsync(made.Headers.ETag!.Tag)).ShouldBe(HttpStatusCode.OK);
        (await ChangeAsync(made.Headers.ETag.Tag)).ShouldBe(HttpStatusCode.PreconditionFailed);
        (await GetAsync(client, items + "?limit=1000"))["records"]!
            .AsArray()
            .Single(r => (string)r!["id"]! == "NEW-1")!["name"]!
            .ToString()
            .ShouldBe("Rain gauge, very large");
    }
}
