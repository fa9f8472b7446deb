using System.Net;
using System.Net.Http.Json;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using System.Text.Json.Nodes;
using Assignum.Bench;

namespace Assignum.Web.Tests;

/// <summary>An application that may ask stand-ins on a port of this machine.</summary>
public sealed class LinkedApp : RunningApp
{
    /// <summary>Where the stand-ins of these tests are.</summary>
    public int Port { get; } = ServedApp.FreePort();

    /// <inheritdoc/>
    protected override IReadOnlyList<(string Name, string Value)> Settings =>
        [("ASSIGNUM_LINK_HOSTS", $"127.0.0.1:{Port}"), ("ASSIGNUM_FILE_FOLDERS", Folder)];

    /// <summary>A folder under which files may be taken.</summary>
    public string Folder { get; } = Directory.CreateTempSubdirectory("assignum-files-").FullName;
}

/// <summary>Systems are joined over the interface: made, tested, fetched, and what they need is decided.</summary>
public sealed class Connecting(LinkedApp app) : IClassFixture<LinkedApp>, IAsyncLifetime
{
    private static CancellationToken Stop => TestContext.Current.CancellationToken;
    private StandInsRunning standIns = null!;
    private HttpClient client = null!;
    private static int made;

    public async ValueTask InitializeAsync()
    {
        client = app.Client();
        standIns = await StandInsRunning.StartAsync(app.Port, DateOnly.FromDateTime(DateTime.UtcNow));
    }

    public async ValueTask DisposeAsync()
    {
        client.Dispose();
        await standIns.DisposeAsync();
    }

    private const string At = "/api/v1/entities/SKERROW/connections";

    private async Task<JsonNode> SendAsync(HttpMethod method, string path, object? body, HttpStatusCode expected)
    {
        using var request = new HttpRequestMessage(method, path);
        if (body is not null)
            request.Content = JsonContent.Create(body);
        using var answer = await client.SendAsync(request, Stop);
        var text = await answer.Content.ReadAsStringAsync(Stop);
        answer.StatusCode.ShouldBe(expected, $"{method} {path}: {text}");
        return text.Length == 0 ? new JsonObject() : JsonNode.Parse(text)!;
    }

    private Task<JsonNode> GetAsync(string path) => SendAsync(HttpMethod.Get, path, null, HttpStatusCode.OK);

    private Task<JsonNode> PostAsync(string path, object? body = null, HttpStatusCode expected = HttpStatusCode.OK) =>
        SendAsync(HttpMethod.Post, path, body, expected);

    private object Form(string code, string kind, string? address = null, string key = StandInsRunning.Key) =>
        new
        {
            code,
            kind,
            name = "The " + kind,
            address = address ?? $"http://127.0.0.1:{app.Port}/{kind}/",
            key,
        };

    private async Task<(string Code, string Secret)> MadeAsync(string kind)
    {
        var code = $"{kind.ToUpperInvariant()}-{Interlocked.Increment(ref made)}";
        var answer = await PostAsync(At, Form(code, kind), HttpStatusCode.Created);
        ((string)answer["connection"]!["state"]!).ShouldBe("draft");
        return (code, (string)answer["hookSecret"]!);
    }

    private async Task<JsonNode> FetchedAsync(string code, string expected = "done")
    {
        var id = (long)(await PostAsync($"{At}/{code}/fetch", null, HttpStatusCode.Accepted))["id"]!;
        for (var i = 0; i < 600; i++)
        {
            var job = await GetAsync($"{At}/{code}/jobs/{id}");
            if ((string)job["status"]! is "done" or "failed" or "cancelled")
            {
                ((string)job["status"]!).ShouldBe(expected, job.ToJsonString());
                return job;
            }
            await Task.Delay(100, Stop);
        }
        throw new InvalidOperationException($"The work did not end: {await GetAsync($"{At}/{code}/jobs/{id}")}");
    }

    [Fact]
    public async Task What_is_wrong_with_a_connection_is_said_before_it_is_made()
    {
        var wrong = await PostAsync(
            At,
            new
            {
                code = "own",
                kind = "till",
                name = "",
                address = "http://192.168.0.7/x",
                key = "",
                currency = "XXQ",
                gapMinutes = -1,
                closedPeriod = "maybe",
            },
            HttpStatusCode.UnprocessableEntity
        );
        wrong["errors"]!
            .AsArray()
            .Select(e => (string)e!["path"]!)
            .Order()
            .ShouldBe(["address", "closedPeriod", "code", "currency", "gapMinutes", "key", "kind", "name"]);
        var (code, _) = await MadeAsync("shop");
        await PostAsync(At, Form(code, "shop"), HttpStatusCode.Conflict);
        // Another address never gets the key that was entered for this one.
        var kept = await SendAsync(
            HttpMethod.Patch,
            $"{At}/{code}",
            new { address = $"http://127.0.0.1:{app.Port}/ledger/" },
            HttpStatusCode.UnprocessableEntity
        );
        ((string)kept["errors"]![0]!["code"]!).ShouldBe("key-needed");
        await SendAsync(HttpMethod.Patch, $"{At}/{code}", new { name = "Lantern", version = 1 }, HttpStatusCode.OK);
        await SendAsync(HttpMethod.Patch, $"{At}/{code}", new { name = "Late", version = 1 }, HttpStatusCode.Conflict);
        (await GetAsync($"{At}/{code}")).ToJsonString().ShouldNotContain(StandInsRunning.Key);
        var tested = await PostAsync($"{At}/{code}/test");
        tested["ok"]!.GetValue<bool>().ShouldBeTrue(tested.ToJsonString());
        // Nobody else posts under its name.
        var posted = await PostAsync(
            "/api/v1/entities/SKERROW/events",
            new
            {
                source = code,
                id = "E1",
                kind = "money-moved",
                date = "2026-06-15",
                fromMethod = "bank-1",
                toMethod = "bank-1",
                amount = 5,
            }
        );
        ((string)posted[0]!["errors"]![0]!["code"]!).ShouldBe("source-joined");
    }

    [Fact]
    public async Task A_shop_is_fetched_in_spite_of_faults_and_what_it_needs_is_decided()
    {
        var (code, _) = await MadeAsync("shop");
        await standIns.PassAsync(12);
        foreach (var fault in new[] { "500", "half-page", "repeated-page", "not-json", "wrong-key" })
            await standIns.FaultAsync("shop", fault);
        var job = await FetchedAsync(code);
        ((int)job["result"]!["records"]!["party"]!).ShouldBe(2000);
        ((int)job["result"]!["events"]!).ShouldBeGreaterThan(40);
        ((string)(await GetAsync($"{At}/{code}"))["state"]!).ShouldBe("joining");

        var needs = (await GetAsync($"{At}/{code}/needs?limit=1000")).AsArray();
        needs.Count.ShouldBeGreaterThan(10);
        var amounts = needs.Select(n => (decimal)n!["waits"]!["amount"]!).ToList();
        amounts.ShouldBe(amounts.OrderDescending());
        needs.ShouldContain(n => (string)n!["need"]! == "record" && (string)n!["record"]! == "channel");
        needs.ShouldContain(n => (string)n!["need"]! == "word" && (string)n!["theirs"]! == "home");
        // Live is refused while anything is needed, and says what.
        var refused = await PostAsync($"{At}/{code}/live", new { from = "2026-05-01" }, HttpStatusCode.Conflict);
        refused["errors"]!.AsArray().Count.ShouldBeGreaterThan(3);

        async Task<List<string>> FoundAsync() =>
            [
                .. (await GetAsync("/api/v1/entities/SKERROW/findings?edition=draft"))
                    .AsArray()
                    .Where(f => f!.ToJsonString().Contains(code, StringComparison.Ordinal))
                    .Select(f => (string)f!["code"]!)
                    .Distinct(),
            ];
        (await FoundAsync()).ShouldBe(["unpaired"]);

        // A different rate is refused unless it is accepted.
        var tax = await PostAsync(
            $"{At}/{code}/pairings",
            new[]
            {
                new
                {
                    record = "tax-code",
                    theirs = "FULL",
                    ours = "S23",
                },
            },
            HttpStatusCode.UnprocessableEntity
        );
        ((string)tax["errors"]![0]!["code"]!).ShouldBe("rate-differs");
        ((string)tax["errors"]![0]!["message"]!).ShouldContain("22.5 %");

        var accepted = await PostAsync($"{At}/{code}/pairings/accept?record=item&above=0.9");
        ((int)accepted["paired"]!).ShouldBeGreaterThan(40);
        var change = (long)accepted["change"]!;
        // Two persons at once: the second is told.
        var paired = (await GetAsync($"{At}/{code}/pairings?record=item&limit=1")).AsArray()[0]!;
        var again = await PostAsync(
            $"{At}/{code}/pairings",
            new[]
            {
                new
                {
                    record = "item",
                    theirs = (string)paired["theirs"]!,
                    ours = (string)paired["ours"]!,
                },
            },
            HttpStatusCode.Conflict
        );
        ((string)again["errors"]![0]!["code"]!).ShouldBe("paired-already");
        change.ShouldBeGreaterThan(0);
        await PostAsync(
            $"{At}/{code}/pairings",
            new[]
            {
                new
                {
                    record = "tax-code",
                    theirs = "FULL",
                    ours = "S23",
                    state = "accept",
                    reason = "theirs rounds so",
                },
            },
            HttpStatusCode.Created
        );
        (await GetAsync($"{At}/{code}/needs?limit=1000"))
            .AsArray()
            .ShouldNotContain(n => (string)n!["record"]! == "tax-code" && (string)n!["theirs"]! == "FULL");
        // What was paired is renamed there.
        for (var i = 0; i < 40; i++)
            (
                await standIns.Client.PostAsJsonAsync(
                    "/faults",
                    new
                    {
                        system = "shop",
                        fault = "record-renamed",
                        record = "items",
                    },
                    Stop
                )
            ).EnsureSuccessStatusCode();
        await FetchedAsync(code);
        (await FoundAsync()).ShouldContain("changed-there");
        var changedThere = (await GetAsync($"{At}/{code}/needs?limit=1000"))
            .AsArray()
            .First(n => (string)n!["need"]! == "difference")!;
        await PostAsync(
            $"{At}/{code}/needs",
            new[]
            {
                new
                {
                    id = (string)changedThere["id"]!,
                    @do = "accept",
                    reason = "the same thing",
                },
            }
        );
        (await GetAsync($"{At}/{code}/needs?limit=1000"))
            .AsArray()
            .ShouldNotContain(n => (string)n!["id"]! == (string)changedThere["id"]!);
        var proposals = (await PostAsync($"{At}/{code}/proposals?record=party&limit=500")).AsArray();
        proposals.Count.ShouldBeGreaterThan(10);
        proposals.ShouldAllBe(p => (double)p!["score"]! <= 1 && p["reasons"]!.AsArray().Count > 0);
        (await GetAsync($"{At}/{code}/board"))["counts"]!["received"]!["events"]!
            .GetValue<int>()
            .ShouldBeGreaterThan(40);
        (await GetAsync($"{At}/{code}/purposes")).AsArray().Count.ShouldBeGreaterThan(3);
    }

    [Fact]
    public async Task What_is_decided_in_one_call_holds_together_and_what_was_made_there_is_archived_when_taken_back()
    {
        var (code, _) = await MadeAsync("ledger");
        await FetchedAsync(code);
        async Task<string> PairedAsync(string ours) =>
            (await GetAsync($"{At}/{code}/pairings?record=account&limit=1000"))
                .AsArray()
                .FirstOrDefault(p => (string?)p!["ours"] == ours)
                ?.ToJsonString()
            ?? "";
        var (one, other) = (LinkedBooks.Accounts[3], LinkedBooks.Accounts[4]);
        // A word that is none of ours: the pairing before it is taken back, and nothing is made there.
        await PostAsync(
            $"{At}/{code}/needs",
            new object[]
            {
                new { id = $"record/account/{one}", @do = "create" },
                new
                {
                    id = $"record/account/{other}",
                    @do = "not-needed",
                    reason = "not posted to",
                },
                new
                {
                    id = "word/type/possession",
                    @do = "word",
                    word = "no-such-word",
                },
            },
            HttpStatusCode.UnprocessableEntity
        );
        (await PairedAsync(one)).ShouldBe("");
        (await PairedAsync(other)).ShouldBe("");
        var made = await PostAsync(
            $"{At}/{code}/needs",
            new object[]
            {
                new { id = $"record/account/{one}", @do = "create" },
                new
                {
                    id = $"record/account/{other}",
                    @do = "not-needed",
                    reason = "not posted to",
                },
            }
        );
        made["effects"]!.AsArray().ShouldBeEmpty();
        var theirs = (string)JsonNode.Parse(await PairedAsync(one))!["theirs"]!;
        async Task<string> StatusAsync()
        {
            for (var after = ""; ; )
            {
                var page = JsonNode.Parse(
                    await standIns.Client.GetStringAsync($"/ledger/link/v1/records/accounts?limit=1000{after}", Stop)
                )!;
                if (page["records"]!.AsArray().FirstOrDefault(r => (string)r!["id"]! == theirs) is { } found)
                    return (string)found["status"]!;
                ((bool)page["more"]!).ShouldBeTrue($"{theirs} is not there");
                after = "&after=" + Uri.EscapeDataString((string)page["next"]!);
            }
        }
        (await StatusAsync()).ShouldBe("active");
        var back = await PostAsync(
            $"{At}/{code}/needs",
            new object[] { new { id = $"record/account/{one}", @do = "open" } }
        );
        back["effects"]!.AsArray().Select(e => (string)e!).Single().ShouldContain("archived there");
        (await StatusAsync()).ShouldBe("archived");
        (await PairedAsync(one)).ShouldBe("");
    }

    [Fact]
    public async Task Calls_are_taken_once_in_time_and_signed_and_another_life_pauses_everything()
    {
        var (code, secret) = await MadeAsync("payments");
        await FetchedAsync(code);
        using var anybody = app.Client(null);
        async Task<HttpStatusCode> CallAsync(string secretOf, DateTimeOffset when, string body = "{}")
        {
            var time = when.ToUnixTimeSeconds().ToString(System.Globalization.CultureInfo.InvariantCulture);
            using var request = new HttpRequestMessage(HttpMethod.Post, $"/hooks/SKERROW/{code}")
            {
                Content = new StringContent(body, Encoding.UTF8, "application/json"),
            };
            request.Headers.Add("X-Link-Time", time);
            request.Headers.Add(
                "X-Link-Signature",
                "sha256="
                    + Convert.ToHexStringLower(
                        HMACSHA256.HashData(Encoding.UTF8.GetBytes(secretOf), Encoding.UTF8.GetBytes(time + "." + body))
                    )
            );
            using var answer = await anybody.SendAsync(request, Stop);
            return answer.StatusCode;
        }
        var now = DateTimeOffset.UtcNow;
        (await CallAsync(secret, now)).ShouldBe(HttpStatusCode.Accepted);
        (await CallAsync(secret, now)).ShouldBe(HttpStatusCode.Unauthorized);
        (await CallAsync(secret, now.AddSeconds(-400))).ShouldBe(HttpStatusCode.Unauthorized);
        (await CallAsync("another", now)).ShouldBe(HttpStatusCode.Unauthorized);
        var renewed = (string)(await PostAsync($"{At}/{code}/hook-secret"))["hookSecret"]!;
        (await CallAsync(secret, now, "{\"a\":1}")).ShouldBe(HttpStatusCode.Accepted);
        (await CallAsync(renewed, now, "{\"a\":2}")).ShouldBe(HttpStatusCode.Accepted);

        // The system itself calls, and is answered as it signs.
        (
            await standIns.Client.PostAsJsonAsync(
                "/hooks",
                new
                {
                    system = "payments",
                    address = new Uri(app.Address, $"/hooks/SKERROW/{code}"),
                    secret = renewed,
                },
                Stop
            )
        ).EnsureSuccessStatusCode();
        await standIns.PassAsync(2);
        (await standIns.Client.GetStringAsync("/payments", Stop)).ShouldContain("the last answer was 202");
        await standIns.FaultAsync("payments", "hook-signed-wrongly");
        await standIns.PassAsync(1);
        (await standIns.Client.GetStringAsync("/payments", Stop)).ShouldContain("the last answer was 401");

        // What the calls asked for is done before it lives another life.
        await FetchedAsync(code);
        await standIns.FaultAsync("payments", "another-life");
        ((string)(await FetchedAsync(code, "failed"))["says"]!).ShouldContain("another life");
        var paused = await GetAsync($"{At}/{code}");
        ((string)paused["state"]!).ShouldBe("paused");
        ((string)paused["why"]!).ShouldBe("another-life");
        await PostAsync($"{At}/{code}/fetch", null, HttpStatusCode.Conflict);
        (await CallAsync(renewed, now, "{\"a\":3}")).ShouldBe(HttpStatusCode.Accepted);
        await PostAsync($"{At}/{code}/resume");
        await FetchedAsync(code);
        // Nothing that waits is dropped by closing.
        var open = await PostAsync($"{At}/{code}/close", null, HttpStatusCode.Conflict);
        ((string)open["errors"]![0]!["code"]!).ShouldBe("still-waiting");
        var (quiet, _) = await MadeAsync("ledger");
        ((string)(await PostAsync($"{At}/{quiet}/close"))["state"]!).ShouldBe("closed");
        await PostAsync($"{At}/{quiet}/fetch", null, HttpStatusCode.Conflict);
        await PostAsync(At, Form(quiet, "ledger"), HttpStatusCode.Conflict);
        await PostAsync(At, Form(code, "payments"), HttpStatusCode.Conflict);
    }
}
