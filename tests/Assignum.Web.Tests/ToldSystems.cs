using System.Collections.Concurrent;
using System.Globalization;
using System.Text.Json.Nodes;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.Extensions.Logging;

namespace Assignum.Web.Tests;

/// <summary>Systems over the link that tell exactly what a test has them tell, each under its own path.</summary>
public sealed class ToldSystems : IAsyncDisposable
{
    /// <summary>One of them.</summary>
    public sealed class System(string kind)
    {
        private long sequence;

        public string Kind { get; } = kind;
        public string Life { get; set; } = "1";

        /// <summary>What it tells, in the order in which it tells it.</summary>
        public List<JsonObject> Events { get; } = [];

        /// <summary>What it was told became of them.</summary>
        public ConcurrentQueue<JsonObject> Outcomes { get; } = new();

        /// <summary>Journals by key, with where they stand, of a ledger.</summary>
        public List<JsonObject> Journals { get; } = [];
        public Dictionary<string, string> Contents { get; } = [];

        /// <summary>Bodies of journals in the order in which they came, each time they came.</summary>
        public List<string> Bodies { get; } = [];

        /// <summary>Says what is wrong with a request; null: it is answered.</summary>
        public Func<HttpContext, IResult?>? Fault { get; set; }

        /// <summary>Why it refuses a journal, as a problem; null: it does not.</summary>
        public Func<JsonObject, JsonObject?>? Refuses { get; set; }

        /// <summary>It takes a journal, and the answer never comes, so many times.</summary>
        public int Swallows { get; set; }

        /// <summary>What its calls count.</summary>
        public int Asked { get; set; }

        /// <summary>What accounts are called there since they were renamed.</summary>
        public ConcurrentDictionary<string, string> Renamed { get; } = new();

        /// <summary>Its subledger lists, by control.</summary>
        public ConcurrentDictionary<string, JsonArray> Lists { get; } = new();

        /// <summary>The next number.</summary>
        public long Next => sequence + 1;

        /// <summary>It tells an event with the next number; <paramref name="at"/>: with that one.</summary>
        public void Tells(string json, long? at = null)
        {
            var e = (JsonObject)JsonNode.Parse(json)!;
            e["sequence"] = at ?? ++sequence;
            lock (Events)
                Events.Add(e);
        }

        /// <summary>A number that is told later.</summary>
        public long Skips() => ++sequence;

        public (int, JsonObject) Take(JsonObject journal)
        {
            lock (Journals)
            {
                var text = journal.ToJsonString();
                Bodies.Add(text);
                if (Refuses?.Invoke(journal) is { } problem)
                    return (422, problem);
                var key = (string)journal["key"]!;
                if (Contents.TryGetValue(key, out var there))
                    return there == text
                        ? (200, new JsonObject { ["id"] = IdOf(key) })
                        : (409, new JsonObject { ["title"] = $"{key} has other content." });
                var kept = (JsonObject)journal.DeepClone();
                kept["id"] = $"L{Journals.Count + 1}";
                kept["origin"] = "link";
                kept["state"] = "posted";
                Journals.Add(kept);
                Contents[key] = text;
                return (201, new JsonObject { ["id"] = (string)kept["id"]! });
            }
        }

        private string IdOf(string key) => (string)Journals.First(j => (string?)j["key"] == key)["id"]!;

        /// <summary>Debit less credit of every account of its journals.</summary>
        public SortedDictionary<string, decimal> Balances()
        {
            var balances = new SortedDictionary<string, decimal>(StringComparer.Ordinal);
            lock (Journals)
                foreach (var line in Journals.SelectMany(j => j["lines"]!.AsArray()))
                {
                    var account = (string)line!["account"]!;
                    balances[account] =
                        balances.GetValueOrDefault(account)
                        + ((decimal?)line["debit"] ?? 0)
                        - ((decimal?)line["credit"] ?? 0);
                }
            return balances;
        }
    }

    private readonly WebApplication app;

    /// <summary>Them by path.</summary>
    public ConcurrentDictionary<string, System> All { get; } = new();

    private ToldSystems(WebApplication app) => this.app = app;

    /// <summary>Begins on a port of this machine.</summary>
    public static async Task<ToldSystems> StartAsync(int port)
    {
        var builder = WebApplication.CreateSlimBuilder();
        builder.Logging.ClearProviders();
        builder.WebHost.UseUrls($"http://127.0.0.1:{port}");
        var app = builder.Build();
        var told = new ToldSystems(app);
        app.Use(
            async (http, next) =>
            {
                var path = http.Request.Path.Value!.Split('/', 3)[1];
                if (!told.All.TryGetValue(path, out var of))
                {
                    http.Response.StatusCode = 404;
                    return;
                }
                of.Asked++;
                if (of.Fault?.Invoke(http) is { } fault)
                {
                    await fault.ExecuteAsync(http);
                    return;
                }
                await next(http);
            }
        );
        app.MapGet("/{system}/link/v1/about", (string system) => Json(told.About(system)));
        app.MapGet("/{system}/link/v1/records/{kinds}", (string system, string kinds, string? after) =>
            Json(told.Records(system, kinds, after))
        );
        app.MapGet("/{system}/link/v1/events", (string system, string? after, int? limit) =>
            Json(Page("events", told.All[system].Events, after, limit))
        );
        app.MapGet("/{system}/link/v1/journals", (string system, string? after, int? limit) =>
            Json(Page("journals", told.All[system].Journals, after, limit))
        );
        app.MapGet("/{system}/link/v1/journals/{**key}", (string system, string key) =>
        {
            lock (told.All[system].Journals)
                return told.All[system].Journals.FirstOrDefault(j => (string?)j["key"] == key) is { } found
                    ? Json(found.DeepClone())
                    : Results.Json(new { title = "None." }, statusCode: 404);
        });
        app.MapPost("/{system}/link/v1/journals", async (string system, HttpRequest r) =>
        {
            var (status, answer) = told.All[system].Take((JsonObject)(await JsonNode.ParseAsync(r.Body))!);
            return told.Swallowed(system, r) ?? Results.Text(answer.ToJsonString(), "application/json", null, status);
        });
        app.MapPost("/{system}/link/v1/journals:batch", async (string system, HttpRequest r) =>
        {
            var answers = new JsonArray();
            foreach (var journal in (await JsonNode.ParseAsync(r.Body))!.AsArray())
            {
                var (status, answer) = told.All[system].Take((JsonObject)journal!);
                answer["status"] = status;
                answers.Add(answer.DeepClone());
            }
            return told.Swallowed(system, r) ?? Json(answers);
        });
        app.MapGet("/{system}/link/v1/balances", (string system) =>
            Json(
                new JsonArray([
                    .. told.All[system]
                        .Balances()
                        .Select(b => new JsonObject { ["account"] = b.Key, ["balance"] = b.Value }),
                ])
            )
        );
        app.MapGet("/{system}/link/v1/lists/{control}", (string system, string control) =>
            Json(new JsonObject { ["rows"] = told.All[system].Lists[control].DeepClone(), ["more"] = false })
        );
        app.MapGet("/{system}/link/v1/totals", (string system, string day) => Json(told.Totals(system, day)));
        app.MapPost("/{system}/link/v1/outcomes", async (string system, HttpRequest r) =>
        {
            foreach (var outcome in (await JsonNode.ParseAsync(r.Body))!.AsArray())
                told.All[system].Outcomes.Enqueue((JsonObject)outcome!.DeepClone());
            return Results.NoContent();
        });
        await app.StartAsync();
        return told;
    }

    private JsonObject Records(string system, string kinds, string? after) =>
        new()
        {
            ["records"] = new JsonArray([
                // All of them, and after that what was renamed.
                .. (kinds == "accounts" ? LinkedBooks.Accounts : [])
                    .Select(a => (Id: "T" + a, Is: All[system].Renamed.GetValueOrDefault("T" + a)))
                    .Where(a => after is null || a.Is is not null)
                    .Select(a => new JsonObject { ["id"] = a.Id, ["name"] = a.Is ?? "Theirs " + a.Id[1..] }),
            ]),
            ["next"] = kinds,
            ["more"] = false,
        };

    private static IResult Json(JsonNode node) => Results.Text(node.ToJsonString(), "application/json");

    private IResult? Swallowed(string system, HttpRequest request)
    {
        if (All[system].Swallows <= 0)
            return null;
        All[system].Swallows--;
        request.HttpContext.Abort();
        return Results.Empty;
    }

    private JsonObject About(string path) =>
        new()
        {
            ["system"] = path,
            ["kind"] = All[path].Kind,
            ["life"] = All[path].Life,
            ["currency"] = "EUR",
            ["time"] = DateTime.UtcNow.ToString("O", CultureInfo.InvariantCulture),
            ["records"] = new JsonArray(All[path].Kind == "ledger" ? "accounts" : "items"),
            ["lists"] = new JsonArray([.. All[path].Lists.Keys.Select(l => JsonValue.Create(l))]),
            ["writes"] = new JsonArray("outcomes", "journals"),
        };

    private JsonObject Totals(string path, string day)
    {
        List<JsonObject> of;
        lock (All[path].Events)
            of = [.. All[path].Events.Where(e => (string?)e["date"] == day)];
        return new JsonObject
        {
            ["count"] = of.Count,
            ["lastSequence"] = All[path].Next - 1,
            ["byKind"] = new JsonArray([
                .. of.GroupBy(e => (string)e["kind"]!)
                    .Select(g => new JsonObject
                    {
                        ["kind"] = g.Key,
                        ["count"] = g.Count(),
                        ["amount"] = 0m,
                    }),
            ]),
        };
    }

    private static JsonObject Page(string name, List<JsonObject> all, string? after, int? limit)
    {
        lock (all)
        {
            var from = after is null ? 0 : int.Parse(after, CultureInfo.InvariantCulture);
            var given = all.Skip(from).Take(limit ?? 100).Select(e => e.DeepClone()).ToArray();
            return new JsonObject
            {
                [name] = new JsonArray(given),
                ["next"] = (from + given.Length).ToString(CultureInfo.InvariantCulture),
                ["more"] = from + given.Length < all.Count,
            };
        }
    }

    /// <summary>Adds one.</summary>
    public System Add(string path, string kind) => All[path] = new System(kind);

    public ValueTask DisposeAsync() => app.DisposeAsync();
}
