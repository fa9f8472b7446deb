using System.Net;
using System.Net.Http.Json;
using System.Text.Json.Nodes;
using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Testing;

namespace Assignum.Web.Tests;

/// <summary>Somebody who joins systems to the demo's entity over the interface and brings them to life.</summary>
public sealed class LinkedBooks(HttpClient client, int port, string code = "SKERROW")
{
    private string Entity { get; } = "/api/v1/entities/" + code;

    private static CancellationToken Stop => TestContext.Current.CancellationToken;

    public async Task<JsonNode> SendAsync(HttpMethod method, string path, object? body, HttpStatusCode expected)
    {
        using var request = new HttpRequestMessage(method, Entity + path);
        if (body is not null)
            request.Content = body is JsonNode node
                ? new StringContent(node.ToJsonString(), System.Text.Encoding.UTF8, "application/json")
                : JsonContent.Create(body);
        using var answer = await client.SendAsync(request, Stop);
        var text = await answer.Content.ReadAsStringAsync(Stop);
        answer.StatusCode.ShouldBe(expected, $"{method} {path}: {text}");
        return text.Length == 0 ? new JsonObject() : JsonNode.Parse(text)!;
    }

    public Task<JsonNode> GetAsync(string path) => SendAsync(HttpMethod.Get, path, null, HttpStatusCode.OK);

    public Task<JsonNode> PostAsync(string path, object? body = null, HttpStatusCode expected = HttpStatusCode.OK) =>
        SendAsync(HttpMethod.Post, path, body, expected);

    /// <summary>Asks until something holds.</summary>
    public static async Task<T> UntilAsync<T>(Func<Task<T?>> ask, string what, int seconds = 60)
        where T : class
    {
        for (var i = 0; i < seconds * 5; i++)
        {
            if (await ask() is { } found)
                return found;
            await Task.Delay(200, Stop);
        }
        throw new InvalidOperationException(what);
    }

    /// <summary>Joins a system and reads what it has.</summary>
    public async Task JoinAsync(string code, string path, string kind, object? with = null)
    {
        var form = (JsonObject)
            JsonNode.Parse(
                global::System.Text.Json.JsonSerializer.Serialize(
                    new
                    {
                        code,
                        kind,
                        name = "The " + path,
                        address = $"http://127.0.0.1:{port}/{path}/",
                        key = "k",
                    }
                )
            )!;
        if (with is not null)
            foreach (
                var (name, value) in (JsonObject)
                    JsonNode.Parse(global::System.Text.Json.JsonSerializer.Serialize(with))!
            )
                form[name] = value?.DeepClone();
        await PostAsync("/connections", form, HttpStatusCode.Created);
        await FetchAsync(code);
    }

    /// <summary>Has it asked, and waits until that is done.</summary>
    public async Task FetchAsync(string code)
    {
        var id = (long)(await PostAsync($"/connections/{code}/fetch", null, HttpStatusCode.Accepted))["id"]!;
        await UntilAsync(
            async () =>
            {
                var job = await GetAsync($"/connections/{code}/jobs/{id}");
                ((string)job["status"]!).ShouldNotBe("failed", job.ToJsonString());
                return (string)job["status"]! == "done" ? job : null;
            },
            $"{code} was not fetched"
        );
    }

    /// <summary>Pairs records of theirs with ours.</summary>
    public Task PairAsync(string code, params (string Record, string Theirs, string Ours)[] pairs) =>
        PostAsync(
            $"/connections/{code}/pairings",
            pairs.Select(p => new
            {
                record = p.Record,
                theirs = p.Theirs,
                ours = p.Ours,
            }),
            HttpStatusCode.Created
        );

    /// <summary>Says of every purpose what it lands on, publishes that, and lets it post.</summary>
    public async Task LiveAsync(string code, string from)
    {
        await SettleAsync(code);
        var state = await client.GetAsync($"{Entity}/editions", Stop);
        if ((await state.Content.ReadAsStringAsync(Stop)).Contains("\"draft\"", StringComparison.Ordinal))
            await PublishAsync(from);
        await SettleAsync(code);
        await PostAsync($"/connections/{code}/live", new { from });
    }

    private async Task PublishAsync(string from)
    {
        using var answer = await client.PostAsJsonAsync(
            $"{Entity}/editions/publish",
            new { from, note = "as it is joined" },
            Stop
        );
        var text = await answer.Content.ReadAsStringAsync(Stop);
        answer.IsSuccessStatusCode.ShouldBeTrue(text);
    }

    /// <summary>Settles every purpose of a connection that is open.</summary>
    public async Task SettleAsync(string code)
    {
        for (var turn = 0; turn < 4; turn++)
        {
            var open = (await GetAsync($"/connections/{code}/purposes?limit=1000"))
                .AsArray()
                .Where(p => (bool)p!["open"]!)
                .Select(p => p!)
                .ToList();
            if (open.Count == 0)
                return;
            var acts = new JsonArray();
            foreach (var p in open)
            {
                var act = new JsonObject { ["id"] = (string)p["id"]! };
                if (p["account"] is null)
                    (act["do"], act["account"]) = ("account", AccountFor((string)p["purpose"]!));
                else if ((string)p["rung"]! == "default")
                    (act["do"], act["reason"]) = ("default", "one account is enough for now");
                else
                    act["do"] = "confirm";
                acts.Add(act);
            }
            await PostAsync($"/connections/{code}/needs", acts);
        }
        throw new InvalidOperationException($"Purposes of {code} stay open.");
    }

    private static string AccountFor(string purpose)
    {
        var of = Purposes.Find(purpose)!;
        var control = of.Control == Control.None ? "" : Core.Words.Of(of.Control);
        return Chart.Value.First(a =>
            a["control"] == control
            && Core.Words.TryParse<AccountClass>(a["class"], out var @class)
            && of.Accepts(@class)
        )["number"];
    }

    /// <summary>The numbers of every account that is posted to.</summary>
    public static IReadOnlyList<string> Accounts => [.. Chart.Value.Select(a => a["number"])];

    private static readonly Lazy<IReadOnlyList<IReadOnlyDictionary<string, string>>> Chart = new(() =>
    {
        using var csv = new CsvHelper.CsvReader(
            new StreamReader(
                Path.Combine(ProjectFiles.Root, "tests", "company", "skerrow", "1-skerrow", "bundle", "accounts.csv")
            ),
            System.Globalization.CultureInfo.InvariantCulture
        );
        return
        [
            .. csv.GetRecords<dynamic>()
                .Cast<IDictionary<string, object>>()
                .Select(r => r.ToDictionary(c => c.Key, c => (string)c.Value))
                .Where(r => r["kind"] == "posting" && r["status"] == "active" && r["tripwire"] != "yes"),
        ];
    });

    /// <summary>What it told, by id.</summary>
    public async Task<Dictionary<string, JsonNode>> EventsAsync(string code)
    {
        var found = new Dictionary<string, JsonNode>();
        foreach (var e in (await GetAsync($"/connections/{code}/events?limit=1000")).AsArray())
            found.TryAdd((string)e!["id"]!, e);
        return found;
    }

    /// <summary>Waits until an event is in a state.</summary>
    public async Task<JsonNode> BecomesAsync(string code, string id, string state)
    {
        JsonNode? last = null;
        try
        {
            return await UntilAsync<JsonNode>(
                async () =>
                {
                    last = (await EventsAsync(code)).GetValueOrDefault(id);
                    return (string?)last?["state"] == state ? last : null;
                },
                $"{code}/{id} did not become {state}",
                30
            );
        }
        catch (InvalidOperationException e)
        {
            throw new InvalidOperationException(
                $"{e.Message}: {last?.ToJsonString()} {await GetAsync($"/connections/{code}")}"
            );
        }
    }

    /// <summary>Has a system asked now.</summary>
    public Task AskAsync(string code) => PostAsync($"/connections/{code}/ask", null, HttpStatusCode.Accepted);
}
