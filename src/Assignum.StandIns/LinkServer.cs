using System.Globalization;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json.Nodes;

namespace Assignum.StandIns;

/// <summary>The link of every system, the clock and the faults, and a page each. docs/link.md says what the link is.</summary>
public static class LinkServer
{
    private const int MostRecords = 1000,
        MostJournals = 500;

    /// <summary>The application, to be run.</summary>
    public static WebApplication Build(WebApplicationBuilder builder, World world)
    {
        builder.WebHost.ConfigureKestrel(k => k.Limits.MaxRequestBodySize = 32 << 20);
        var app = builder.Build();
        app.MapGet("/", () => Results.Content(StandInPages.Index(world), "text/html; charset=utf-8"));
        app.MapGet("/healthz", () => Results.Text("ok"));
        app.MapPost("/clock", async (HttpRequest request) => await ClockAsync(request, world));
        app.MapPost("/faults", async (HttpRequest request) => await FaultsAsync(request, world));
        app.MapPost("/hooks", async (HttpRequest request) => await HooksAsync(request, world));
        foreach (var system in world.Systems)
        {
            app.MapGet($"/{system.Path}", () =>
                world.InTurnAsync(() => Results.Content(StandInPages.Of(world, system), "text/html; charset=utf-8"))
            );
            var link = app.MapGroup($"/{system.Path}/link/v1");
            link.AddEndpointFilter((context, next) => FaultyAnswers.AnswerAsync(context, next, world, system));
            Map(link, world, system);
        }
        return app;
    }

    private static void Map(RouteGroupBuilder link, World world, StandIn system)
    {
        link.MapGet("/about", () => Answer.Of(About(world, system)));
        link.MapGet("/records/{kinds}", (string kinds, string? after, int? limit) =>
            system.Records.TryGetValue(kinds, out var table) ? Page(system, kinds, after, limit, (place, most) =>
                {
                    var (records, next, more) = table.After(place, most);
                    return ("records", records, next, more);
                }) : Answer.Problem(404, $"{system.Name} keeps no {kinds}.")
        );
        link.MapPost("/records/{kinds}", (string kinds, HttpRequest r) => MakeAsync(r, world, system, kinds));
        link.MapPatch("/records/{kinds}/{id}", (string kinds, string id, HttpRequest r) =>
            ChangeAsync(r, world, system, kinds, id)
        );
        link.MapGet("/events", (string? after, int? limit) => Page(system, "events", after, limit, (place, most) =>
            {
                var given = system.Feed.Skip(place).Take(most).ToList();
                return ("events", given, place + given.Count, place + given.Count < system.Feed.Count);
            }));
        link.MapGet("/totals", (string? day) =>
            DateOnly.TryParseExact(day, "yyyy-MM-dd", out var of)
                ? Answer.Of(system.Totals(of))
                : Answer.Problem(400, "'day' is a date, YYYY-MM-DD.")
        );
        link.MapGet("/lists/{control}", (string control, string? at) => !system.Lists.Contains(control)
                ? Answer.Problem(404, $"{system.Name} has no list of {control}.")
            : !DateOnly.TryParseExact(at, "yyyy-MM-dd", out var day)
                ? Answer.Problem(400, "'at' is a date, YYYY-MM-DD.")
            : Answer.Of(
                new JsonObject { ["rows"] = new JsonArray([.. system.ListOf(control, day)]), ["more"] = false }
            ));
        link.MapPost("/outcomes", async (HttpRequest r) =>
        {
            if (await BodyAsync(r) is not JsonArray outcomes)
                return Answer.Problem(422, "Outcomes are a list.");
            system.Outcomes.AddRange(outcomes.OfType<JsonObject>().Select(o => (JsonObject)o.DeepClone()));
            return Answer.Of(new JsonObject { ["taken"] = outcomes.Count });
        });
        if (system is Ledger ledger)
            MapJournals(link, ledger);
    }

    private static void MapJournals(RouteGroupBuilder link, Ledger ledger)
    {
        link.MapPost("/journals", async (HttpRequest r) =>
        {
            if (await BodyAsync(r) is not JsonObject journal)
                return Answer.Problem(422, "A journal is an object.");
            if (
                r.Headers["Idempotency-Key"].FirstOrDefault() is { } key
                && journal["key"] is JsonValue named
                && (!named.TryGetValue<string>(out var said) || said != key)
            )
                return Answer.Problem(422, "The key of the journal is not that of the request.");
            var (status, answer) = ledger.Take(journal);
            return status >= 400 ? Answer.Problem(status, (string)answer["title"]!) : Answer.Of(answer, status);
        });
        link.MapPost("/journals:batch", async (HttpRequest r) =>
        {
            if (await BodyAsync(r) is not JsonArray { Count: <= MostJournals } all)
                return Answer.Problem(422, $"A batch is a list of at most {MostJournals} journals.");
            return Answer.Of(
                new JsonArray([
                    .. all.Select(j =>
                    {
                        var (status, answer) = j is JsonObject one
                            ? ledger.Take(one)
                            : (422, new JsonObject { ["title"] = "A journal is an object." });
                        answer["status"] = status;
                        return answer;
                    }),
                ])
            );
        });
        link.MapGet("/journals", (string? after, int? limit) => Page(ledger, "journals", after, limit, (place, most) =>
            {
                var given = ledger.Journals.Skip(place).Take(most).ToList();
                return ("journals", given, place + given.Count, place + given.Count < ledger.Journals.Count);
            }));
        link.MapGet("/journals/{**key}", (string key) =>
            ledger.Find(key) is { } journal
                ? Answer.Of((JsonObject)journal.DeepClone())
                : Answer.Problem(404, $"There is no journal {key}.")
        );
        link.MapGet("/balances", (string? at) =>
            DateOnly.TryParseExact(at, "yyyy-MM-dd", out var day)
                ? Answer.Of(ledger.Balances(day))
                : Answer.Problem(400, "'at' is a date, YYYY-MM-DD.")
        );
    }

    private static JsonObject About(World world, StandIn system) =>
        new()
        {
            ["system"] = system.Name,
            ["kind"] = system.Kind,
            ["life"] = system.Life,
            ["currency"] = "EUR",
            ["time"] = world.Day.ToString("yyyy-MM-dd") + "T12:00:00Z",
            ["records"] = new JsonArray([
                .. system.Records.Keys.Order(StringComparer.Ordinal).Select(k => (JsonNode)k),
            ]),
            ["lists"] = new JsonArray([.. system.Lists.Select(l => (JsonNode)l)]),
            ["writes"] = new JsonArray([.. system.Writes.Select(w => (JsonNode)w)]),
        };

    // A cursor names the life of the system, what it is of and a place; of another life it is of no use.
    private static Answer Page(
        StandIn system,
        string of,
        string? after,
        int? limit,
        Func<int, int, (string Name, IReadOnlyList<JsonObject> Rows, int Next, bool More)> take
    )
    {
        var place = 0;
        if (!string.IsNullOrEmpty(after) && !Cursor.TryRead(after, system.Life, of, out place))
            return Answer.Problem(
                410,
                "This cursor is of another life of the system, or of something else: start anew."
            );
        if (limit is < 1 or > MostRecords)
            return Answer.Problem(400, $"'limit' is from 1 to {MostRecords}.");
        var (name, rows, next, more) = take(place, limit ?? MostRecords);
        return Answer.Of(
            new JsonObject
            {
                [name] = new JsonArray([.. rows.Select(r => r.DeepClone())]),
                ["next"] = Cursor.Of(system.Life, of, next),
                ["more"] = more,
            }
        );
    }

    private static async Task<Answer> MakeAsync(HttpRequest request, World world, StandIn system, string kinds)
    {
        if (!system.Writes.Contains(kinds) || !system.Records.TryGetValue(kinds, out var table))
            return Answer.Problem(403, $"{system.Name} lets nobody make {kinds}.");
        if (
            await BodyAsync(request) is not JsonObject record
            || record["id"] is not JsonValue i
            || !i.TryGetValue<string>(out var id)
            || id.Length is 0 or > 100
        )
            return Answer.Problem(422, "A record is an object with an id of 1 to 100 characters.");
        if (table.Find(id) is { } there)
            return SameAs(there, record)
                ? Answer.Of((JsonObject)there.DeepClone(), 200, there)
                : Answer.Problem(409, $"There is {kinds} {id} already.");
        var made = table.Put((JsonObject)record.DeepClone(), world.Day);
        return Answer.Of((JsonObject)made.DeepClone(), 201, made);
    }

    // Made again with the same content, as after an answer that never came.
    private static bool SameAs(JsonObject there, JsonObject sent) =>
        sent.All(f => JsonNode.DeepEquals(f.Value, there[f.Key]));

    private static async Task<Answer> ChangeAsync(
        HttpRequest request,
        World world,
        StandIn system,
        string kinds,
        string id
    )
    {
        if (!system.Writes.Contains(kinds) || !system.Records.TryGetValue(kinds, out var table))
            return Answer.Problem(403, $"{system.Name} lets nobody change {kinds}.");
        if (table.Find(id) is not { } there)
            return Answer.Problem(404, $"There is no {kinds} {id}.");
        if (request.Headers.IfMatch.FirstOrDefault() is { } tag && tag != Answer.TagOf(there))
            return Answer.Problem(412, $"{kinds} {id} was changed since.");
        if (await BodyAsync(request) is not JsonObject change || change.ContainsKey("id"))
            return Answer.Problem(422, "A change is an object without an id.");
        foreach (var (name, value) in change)
            there[name] = value?.DeepClone();
        table.Touch(there, world.Day);
        return Answer.Of((JsonObject)there.DeepClone(), 200, there);
    }

    private static async Task<IResult> ClockAsync(HttpRequest request, World world)
    {
        if (
            await BodyAsync(request) is not JsonObject body
            || body["days"] is not JsonValue d
            || !d.TryGetValue<int>(out var days)
            || days is < 1 or > 400
        )
            return Answer.Problem(422, "'days' is from 1 to 400.");
        var before = world.Systems.ToDictionary(s => s, s => s.Feed.Count);
        var answer = await world.InTurnAsync(() =>
        {
            world.Advance(days);
            return Answer.Of(new JsonObject { ["day"] = world.Day.ToString("yyyy-MM-dd") });
        });
        foreach (var system in world.Systems)
            if (system.Hook is { } hook && system.Feed.Count > before[system])
                system.Called = await HookCaller.CallAsync(
                    hook.Address,
                    hook.Secret,
                    system.Path,
                    system.Faults.Take("hook-signed-wrongly")
                );
        return answer;
    }

    // Whom a system calls from now on; without an address nobody.
    private static async Task<IResult> HooksAsync(HttpRequest request, World world)
    {
        if (
            await BodyAsync(request) is not JsonObject body
            || world.Systems.FirstOrDefault(s => s.Path == Text(body["system"])) is not { } system
        )
            return Answer.Problem(422, $"'system' is one of {string.Join(", ", world.Systems.Select(s => s.Path))}.");
        if (Text(body["address"]) is not { } address)
            system.Hook = null;
        else if (
            Uri.TryCreate(address, UriKind.Absolute, out var uri)
            && uri.Scheme is "http" or "https"
            && Text(body["secret"]) is { } secret
        )
            system.Hook = (uri, secret);
        else
            return Answer.Problem(422, "'address' is where to call, 'secret' what to sign with.");
        return Answer.Of(new JsonObject { ["system"] = system.Path, ["calls"] = system.Hook is not null });
    }

    private static async Task<IResult> FaultsAsync(HttpRequest request, World world)
    {
        if (
            await BodyAsync(request) is not JsonObject body
            || world.Systems.FirstOrDefault(s => s.Path == Text(body["system"])) is not { } system
        )
            return Answer.Problem(422, $"'system' is one of {string.Join(", ", world.Systems.Select(s => s.Path))}.");
        return await world.InTurnAsync(() => Switched(system, body));
    }

    private static Answer Switched(StandIn system, JsonObject body)
    {
        if (body["clear"] is not null)
            system.Faults.Clear();
        if (body["seed"] is JsonValue s && s.TryGetValue<int>(out var seed))
            system.Faults.BySeed(seed, body["share"] is JsonValue f && f.TryGetValue<double>(out var of) ? of : 0.1);
        if (Text(body["fault"]) is not { } fault)
            return Answer.Of(On(system));
        if (FaultBoard.Acts.Contains(fault))
            return Act(system, fault, Text(body["record"]));
        var all = FaultBoard.OfAnswers.Concat(FaultBoard.OfDays).ToList();
        if (!all.Contains(fault))
            return Answer.Problem(
                422,
                $"There is no fault {fault}; there are {string.Join(", ", all.Concat(FaultBoard.Acts))}."
            );
        system.Faults.Switch(fault, body["times"] is JsonValue t && t.TryGetValue<int>(out var times) ? times : 1);
        return Answer.Of(On(system));
    }

    private static Answer Act(StandIn system, string act, string? kind)
    {
        switch (act)
        {
            case "event-voided":
                system.VoidLast();
                return Answer.Of(On(system));
            case "another-life":
                system.BeginAnotherLife();
                return Answer.Of(On(system));
            default:
                var of = kind ?? system.Records.Keys.First();
                return system.Records.ContainsKey(of) && system.ChangeOne(of, act["record-".Length..]) is { } id
                    ? Answer.Of(new JsonObject { ["record"] = of, ["id"] = id })
                    : Answer.Problem(422, $"{system.Name} has no {of} left to change.");
        }
    }

    private static JsonObject On(StandIn system) =>
        new()
        {
            ["on"] = new JsonObject(system.Faults.On.Select(f => KeyValuePair.Create(f.Key, (JsonNode?)f.Value))),
            ["life"] = system.Life,
        };

    private static string? Text(JsonNode? value) =>
        value is JsonValue text && text.TryGetValue<string>(out var of) ? of : null;

    private static async Task<JsonNode?> BodyAsync(HttpRequest request)
    {
        try
        {
            return await JsonNode.ParseAsync(request.Body);
        }
        catch (System.Text.Json.JsonException)
        {
            return null;
        }
    }
}

/// <summary>A place in what a system tells, as an opaque text.</summary>
internal static class Cursor
{
    public static string Of(string life, string of, int place) =>
        Convert
            .ToBase64String(Encoding.UTF8.GetBytes(string.Create(CultureInfo.InvariantCulture, $"{life}/{of}/{place}")))
            .TrimEnd('=')
            .Replace('+', '-')
            .Replace('/', '_');

    public static bool TryRead(string cursor, string life, string of, out int place)
    {
        place = 0;
        var padded = cursor.Replace('-', '+').Replace('_', '/');
        padded += new string('=', (4 - padded.Length % 4) % 4);
        Span<byte> bytes = stackalloc byte[200];
        if (padded.Length > 200 || !Convert.TryFromBase64String(padded, bytes, out var length))
            return false;
        var parts = Encoding.UTF8.GetString(bytes[..length]).Split('/');
        return parts.Length == 3
            && parts[0] == life
            && parts[1] == of
            && int.TryParse(parts[2], NumberStyles.None, CultureInfo.InvariantCulture, out place);
    }
}

/// <summary>What a system answers, before anything is done to it.</summary>
internal sealed class Answer(int status, JsonNode body, string? tag) : IResult
{
    public int Status => status;
    public JsonNode Body => body;

    public static Answer Of(JsonNode body, int status = 200, JsonObject? record = null) =>
        new(status, body, record is null ? null : TagOf(record));

    public static Answer Problem(int status, string title) =>
        new(status, new JsonObject { ["title"] = title, ["status"] = status }, null);

    /// <summary>What a record is now, in a few characters.</summary>
    public static string TagOf(JsonObject record) =>
        $"\"{Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(record.ToJsonString())))[..16]}\"";

    /// <inheritdoc/>
    public Task ExecuteAsync(HttpContext http) => WriteAsync(http, body.ToJsonString());

    public async Task WriteAsync(HttpContext http, string text)
    {
        http.Response.StatusCode = status;
        http.Response.ContentType = status >= 400 ? "application/problem+json" : "application/json";
        if (tag is not null)
            http.Response.Headers.ETag = tag;
        await http.Response.WriteAsync(text);
    }
}
