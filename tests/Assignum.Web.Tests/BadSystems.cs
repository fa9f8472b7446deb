using System.Net.Http.Json;
using System.Text.Json.Nodes;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.Extensions.Logging;

namespace Assignum.Web.Tests;

/// <summary>A system that gives records and events of every bad sort: what is good of it is taken, what is not is said, and
/// nothing breaks.</summary>
public sealed class BadSystems(LinkedApp app) : IClassFixture<LinkedApp>
{
    private const string At = "/api/v1/entities/SKERROW/connections";

    private static CancellationToken Stop => TestContext.Current.CancellationToken;

    private static string Page(string name, params string[] rows) =>
        $$"""{"{{name}}":[{{string.Join(',', rows)}}],"next":"end","more":false}""";

    private async Task<WebApplication> StartAsync(Func<string, (int Status, string Body)> answer)
    {
        var builder = WebApplication.CreateSlimBuilder();
        builder.Logging.ClearProviders();
        builder.WebHost.UseUrls($"http://127.0.0.1:{app.Port}");
        var bad = builder.Build();
        bad.MapFallback(async http =>
        {
            var (status, body) = http.Request.Path.Value!.EndsWith("/about", StringComparison.Ordinal)
                ? (
                    200,
                    """
                    {"system":"Bad","kind":"shop","life":"1","currency":"EUR","time":"2026-06-01T00:00:00Z","records":["projects","items"],
                      "lists":[],"writes":[]}
                    """
                )
                : answer(http.Request.Path.Value! + http.Request.QueryString);
            http.Response.StatusCode = status;
            http.Response.ContentType = "application/json";
            await http.Response.WriteAsync(body);
        });
        await bad.StartAsync(Stop);
        return bad;
    }

    private async Task<(HttpClient Client, JsonNode Job)> FetchedAsync(string code)
    {
        var client = app.Client();
        (
            await client.PostAsJsonAsync(
                At,
                new
                {
                    code,
                    kind = "shop",
                    name = code,
                    address = $"http://127.0.0.1:{app.Port}/",
                    key = "k",
                },
                Stop
            )
        ).EnsureSuccessStatusCode();
        var given = JsonNode.Parse(
            await (await client.PostAsync($"{At}/{code}/fetch", null, Stop)).Content.ReadAsStringAsync(Stop)
        )!;
        for (var i = 0; i < 600; i++)
        {
            var job = JsonNode.Parse(await client.GetStringAsync($"{At}/{code}/jobs/{given["id"]}", Stop))!;
            if ((string)job["status"]! is "done" or "failed")
                return (client, job);
            await Task.Delay(100, Stop);
        }
        throw new InvalidOperationException("The work did not end.");
    }

    [Fact]
    public async Task What_is_good_is_taken_and_what_is_not_is_said()
    {
        var today = DateTime.UtcNow.ToString("yyyy-MM-dd", System.Globalization.CultureInfo.InvariantCulture);
        await using var bad = await StartAsync(path =>
            path.Contains("/projects", StringComparison.Ordinal)
                ? (
                    200,
                    Page(
                        "records",
                        """{"id":"p1","name":"One","parent":"p2"}""",
                        """{"id":"p2","name":"Two","parent":"p1"}""",
                        """{"id":"p1","name":"One again","parent":"p1"}"""
                    )
                )
            : path.Contains("/items", StringComparison.Ordinal)
                ? (
                    200,
                    Page(
                        "records",
                        """{"id":"ok","name":"Rain gauge, 100 mm","mood":"good"}""",
                        $$"""{"id":"long","name":"{{new string('n', 10_000)}}"}""",
                        """{"name":"nobody"}""",
                        "7"
                    )
                )
            : path.Contains("/events", StringComparison.Ordinal)
                ? (
                    200,
                    Page(
                        "events",
                        $$"""{"id":"1","sequence":1,"kind":"channel-sale","date":"{{today}}","channel":"w","lines":[{"item":"ok","unitPrice":5}]}""",
                        $$"""{"id":"1","sequence":1,"kind":"channel-sale","date":"{{today}}","channel":"w","lines":[{"item":"ok","unitPrice":5}]}""",
                        $$"""{"id":"1","sequence":1,"kind":"channel-sale","date":"{{today}}","channel":"w","lines":[{"item":"ok","unitPrice":6}]}""",
                        $$"""{"id":"2","sequence":2,"kind":"production-issued","date":"{{today}}"}""",
                        """{"id":"3","sequence":3,"kind":"channel-sale","date":"2052-01-01"}""",
                        $$"""{"id":"4","sequence":6,"kind":"channel-sale","date":"{{today}}","chanel":"w"}""",
                        "\"nothing\""
                    )
                )
            : (404, "{}")
        );
        var (client, job) = await FetchedAsync("BAD-1");
        using var _ = client;
        ((string)job["status"]!).ShouldBe("done", job.ToJsonString());
        ((int)job["result"]!["unreadable"]!).ShouldBe(3);
        var dead = JsonNode.Parse(await client.GetStringAsync($"{At}/BAD-1/events?state=dead", Stop))!.AsArray();
        dead.Select(e => (string)e!["reasons"]![0]!["code"]!)
            .Order()
            .ShouldBe(["far-date", "kind-not-admitted", "other-content", "unknown-field", "unreadable"]);
        var kept = JsonNode.Parse(await client.GetStringAsync($"{At}/BAD-1/events?state=received", Stop))!.AsArray();
        kept.Count.ShouldBe(1);
        var board = JsonNode.Parse(await client.GetStringAsync($"{At}/BAD-1/board", Stop))!;
        ((int)board["gaps"]![0]!["from"]!).ShouldBe(4);
        ((int)board["unknownFields"]!).ShouldBe(1);
        // The one event that is kept waits for its item and its channel, once each.
        var waits = board["needs"]!.AsArray().Where(n => (string)n!["what"]! is "item" or "channel").ToList();
        waits
            .Select(n => ((int)n!["count"]!, (int)n["events"]!, (decimal)n["amount"]!))
            .ShouldBe([(1, 1, 5m), (1, 1, 5m)]);
        // Records that are one another's parents are proposed all the same.
        (await client.PostAsync($"{At}/BAD-1/proposals?record=project", null, Stop)).EnsureSuccessStatusCode();
    }

    [Fact]
    public async Task A_list_that_is_gone_is_read_anew_and_what_it_lacks_then_is_deleted()
    {
        var (lives, asked) = (1, 0);
        await using var bad = await StartAsync(path =>
        {
            if (path.Contains("/events", StringComparison.Ordinal))
                return (200, Page("events"));
            if (!path.Contains("/items", StringComparison.Ordinal))
                return (200, Page("records"));
            asked++;
            return lives > 1 && path.Contains("after=", StringComparison.Ordinal) ? (410, "{}")
                : lives > 1 ? (200, Page("records", """{"id":"b","name":"Barometer"}"""))
                : (200, Page("records", """{"id":"a","name":"Anemometer"}""", """{"id":"b","name":"Barometer"}"""));
        });
        var (client, _) = await FetchedAsync("BAD-2");
        using var used = client;
        lives = 2;
        (await client.PostAsync($"{At}/BAD-2/fetch", null, Stop)).EnsureSuccessStatusCode();
        for (var i = 0; i < 300; i++)
        {
            var board = JsonNode.Parse(await client.GetStringAsync($"{At}/BAD-2/board", Stop))!;
            if ((int)board["records"]!["item"]! == 1)
            {
                asked.ShouldBe(3);
                return;
            }
            await Task.Delay(100, Stop);
        }
        throw new InvalidOperationException("The list was not read anew.");
    }
}
