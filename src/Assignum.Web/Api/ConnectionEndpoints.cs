using System.Text.Json;
using Assignum.Core;
using Assignum.Core.Pairing;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.Connections;
using Assignum.Desk.Work;
using Assignum.Web.Access;
using static Assignum.Web.Api.ApiBody;

namespace Assignum.Web.Api;

/// <summary>Connections over the interface: made, changed, tested, asked, taken from state to state.</summary>
internal static class ConnectionEndpoints
{
    private static readonly string[] Fields =
    [
        "code",
        "kind",
        "name",
        "address",
        "key",
        "currency",
        "gapMinutes",
        "patienceDays",
        "closedPeriod",
        "admits",
        "sends",
        "sendsBy",
        "folder",
        "version",
    ];

    public static void Map(RouteGroupBuilder entity)
    {
        var all = entity.MapGroup("/connections");
        all.MapGet("", ListAsync).WithSummary("The connections of the entity, closed ones last");
        all.MapPost("", CreateAsync)
            .WithSummary(
                "Join a system: {code, kind, name, address, key, currency, gapMinutes, patienceDays, closedPeriod}; the answer "
                    + "shows the secret of its hooks once"
            )
            .Needs(Role.Administrator)
            .TakesBody("application/json");
        var one = all.MapGroup("/{connection}");
        one.MapGet("", FindAsync).WithSummary("A connection");
        one.MapPatch("", ChangeAsync)
            .WithSummary("Change what is said of it; another address needs the key again")
            .Needs(Role.Administrator)
            .TakesBody("application/json");
        one.MapPost("/hook-secret", RenewAsync)
            .WithSummary("Another secret for hooks; the one before it holds for 24 hours")
            .Needs(Role.Administrator);
        one.MapPost("/test", TestAsync)
            .WithSummary("Every problem that stands in the way of asking it")
            .Needs(Role.Preparer);
        one.MapPost("/fetch", AskAsync)
            .WithSummary("Fetch its records and what happened, as work")
            .Needs(Role.Preparer);
        one.MapPost("/ask", AskAsync).WithSummary("Ask it now, as work").Needs(Role.Preparer);
        one.MapGet("/jobs/{id:long}", JobAsync).WithSummary("How far a fetching is, and what came of it");
        one.MapPost("/jobs/{id:long}/cancel", CancelAsync).WithSummary("Stop a fetching").Needs(Role.Preparer);
        one.MapPost("/pause", PauseAsync).WithSummary("Ask nothing of it until it is resumed").Needs(Role.Reviewer);
        one.MapPost("/resume", ResumeAsync).WithSummary("Go on where it was paused").Needs(Role.Reviewer);
        one.MapPost("/close", CloseAsync)
            .WithSummary("Close it for good, once nothing of it waits")
            .Needs(Role.Administrator);
        one.MapPost("/live", LiveAsync)
            .WithSummary("Let its events post from a day on: {from}; refused while anything is needed")
            .Needs(Role.Reviewer)
            .TakesBody("application/json");
        one.MapGet("/board", BoardAsync).WithSummary("How it stands: state, contact, counts, what waits, what differs");
        LinkRecordEndpoints.Map(one);
        FeedEndpoints.Map(entity, one);
        BesideEndpoints.Map(one);
        OnwardEndpoints.Map(one);
    }

    /// <summary>Calls of connected systems: they prove themselves by their signature.</summary>
    public static void MapHooks(this WebApplication app) =>
        app.MapPost(
                "/hooks/{entity}/{connection}",
                async (HttpContext http, string entity, string connection, ReceiveHooks hooks) =>
                {
                    var body = await BodyReader.WholeAsync(http.Request, ReceiveHooks.MostBytes, http.RequestAborted);
                    return
                        body is not null
                        && await hooks.TakeAsync(
                            entity,
                            connection,
                            http.Request.Headers["X-Link-Time"].ToString(),
                            http.Request.Headers["X-Link-Signature"].ToString(),
                            body,
                            http.RequestAborted
                        )
                        ? Results.StatusCode(StatusCodes.Status202Accepted)
                        : ApiProblem.Result(
                            body is null ? 413 : 401,
                            "Not taken",
                            [
                                new Fault(
                                    "bad-signature",
                                    "The call is not signed as it should be, too old, or was taken before."
                                ),
                            ]
                        );
                }
            )
            .AllowAnonymous()
            .DisableAntiforgery();

    internal static object Told(Connection of) =>
        new
        {
            of.Code,
            of.Kind,
            of.Name,
            of.Address,
            of.Currency,
            of.GapMinutes,
            of.PatienceDays,
            of.ClosedPeriod,
            of.Sends,
            of.SendsBy,
            of.Folder,
            of.State,
            of.Why,
            of.Life,
            of.Admits,
            liveFrom = of.LiveFrom is { } day ? Iso(day) : null,
            of.Version,
            of.HasKey,
            lastContact = of.Contact,
            of.Trouble,
            of.Failures,
            failing = of.Failures >= Feeder.Failing,
            parallelFrom = of.ParallelFrom is { } since ? Iso(since) : null,
            madeBy = of.MadeBy,
            madeAt = of.MadeAt,
        };

    private static IResult Answer(Outcome<Connection> done) =>
        done.Result is { } link ? Results.Json(Told(link)) : ApiProblem.Of(done);

    private static async Task<IResult> ListAsync(HttpContext http, string entity, KeepConnections keep)
    {
        var found = await keep.ListAsync(http.Actor(), entity, http.RequestAborted);
        return found.Result is { } all ? Results.Json(all.Select(Told)) : ApiProblem.Of(found);
    }

    private static async Task<IResult> FindAsync(
        HttpContext http,
        string entity,
        string connection,
        KeepConnections keep
    ) => Answer(await keep.FindAsync(http.Actor(), entity, connection, http.RequestAborted));

    private static async Task<(ConnectionForm? Form, IResult? Wrong)> FormAsync(HttpContext http)
    {
        var (body, wrong) = await BodyAsync(http, Fields);
        if (body is null)
            return (null, wrong);
        var faults = new List<Fault>();
        int? Whole(string name)
        {
            if (!body.TryGetValue(name, out var value) || value.ValueKind == JsonValueKind.Null)
                return null;
            if (value.ValueKind == JsonValueKind.Number && value.TryGetInt32(out var number))
                return number;
            faults.Add(new Fault("bad-number", $"'{name}' is a whole number.", name));
            return null;
        }
        IReadOnlyList<string>? admits = null;
        if (body.TryGetValue("admits", out var list) && list.ValueKind != JsonValueKind.Null)
            if (
                list.ValueKind == JsonValueKind.Array
                && list.GetArrayLength() <= 100
                && list.EnumerateArray().All(v => v.ValueKind == JsonValueKind.String)
            )
                admits = [.. list.EnumerateArray().Select(v => v.GetString()!)];
            else
                faults.Add(new Fault("wrong-type", "'admits' is an array of kinds of event.", "admits"));
        var form = new ConnectionForm(
            Text(body, "code", faults),
            Text(body, "kind", faults),
            Text(body, "name", faults),
            Text(body, "address", faults),
            Text(body, "key", faults),
            Text(body, "currency", faults),
            Whole("gapMinutes"),
            Whole("patienceDays"),
            Text(body, "closedPeriod", faults),
            admits,
            Whole("version"),
            Text(body, "sends", faults),
            Text(body, "sendsBy", faults),
            Text(body, "folder", faults)
        );
        return faults.Count > 0 ? (null, Unusable(faults)) : (form, null);
    }

    private static async Task<IResult> CreateAsync(HttpContext http, string entity, KeepConnections keep)
    {
        var (form, wrong) = await FormAsync(http);
        if (form is null)
            return wrong!;
        var made = await keep.CreateAsync(http.Actor(), entity, form, http.RequestAborted);
        return made.Result is { } of
            ? Results.Json(new { connection = Told(of.Link), hookSecret = of.HookSecret }, statusCode: 201)
            : ApiProblem.Of(made);
    }

    private static async Task<IResult> ChangeAsync(
        HttpContext http,
        string entity,
        string connection,
        KeepConnections keep
    )
    {
        var (form, wrong) = await FormAsync(http);
        return form is null
            ? wrong!
            : Answer(await keep.ChangeAsync(http.Actor(), entity, connection, form, http.RequestAborted));
    }

    private static async Task<IResult> RenewAsync(
        HttpContext http,
        string entity,
        string connection,
        KeepConnections keep
    )
    {
        var done = await keep.RenewHookAsync(http.Actor(), entity, connection, http.RequestAborted);
        return done.Result is { } secret ? Results.Json(new { hookSecret = secret }) : ApiProblem.Of(done);
    }

    private static async Task<IResult> TestAsync(
        HttpContext http,
        string entity,
        string connection,
        KeepConnections keep
    )
    {
        var done = await keep.TestAsync(http.Actor(), entity, connection, http.RequestAborted);
        return done.Result is { } problems
            ? Results.Json(
                new
                {
                    ok = problems.Count == 0,
                    problems = problems.Select(p => new
                    {
                        p.Code,
                        p.Message,
                        p.Mend,
                    }),
                }
            )
            : ApiProblem.Of(done);
    }

    private static async Task<IResult> AskAsync(HttpContext http, string entity, string connection, AskLinks ask)
    {
        var given = await ask.StartAsync(http.Actor(), entity, connection, http.RequestAborted);
        return given.Result is { } work ? Results.Json(Job(work), statusCode: 202) : ApiProblem.Of(given);
    }

    private static object Job(Core.Work.WorkRow of) =>
        new
        {
            of.Id,
            of.Status,
            of.Done,
            of.Steps,
            of.Says,
            result = of.Result is null ? (JsonElement?)null : JsonDocument.Parse(of.Result).RootElement,
        };

    private static async Task<IResult> JobAsync(
        HttpContext http,
        string entity,
        string connection,
        long id,
        WorkDesk work
    )
    {
        _ = connection;
        var found = await work.FindAsync(http.Actor(), entity, id, http.RequestAborted);
        return found.Result is { } row ? Results.Json(Job(row)) : ApiProblem.Of(found);
    }

    private static async Task<IResult> CancelAsync(
        HttpContext http,
        string entity,
        string connection,
        long id,
        WorkDesk work
    )
    {
        _ = connection;
        var done = await work.CancelAsync(http.Actor(), entity, id, http.RequestAborted);
        return done.Result is { } row ? Results.Json(Job(row)) : ApiProblem.Of(done);
    }

    private static async Task<IResult> PauseAsync(
        HttpContext http,
        string entity,
        string connection,
        KeepConnections keep
    ) => Answer(await keep.PauseAsync(http.Actor(), entity, connection, http.RequestAborted));

    private static async Task<IResult> ResumeAsync(
        HttpContext http,
        string entity,
        string connection,
        KeepConnections keep
    ) => Answer(await keep.ResumeAsync(http.Actor(), entity, connection, http.RequestAborted));

    private static async Task<IResult> CloseAsync(
        HttpContext http,
        string entity,
        string connection,
        KeepConnections keep
    ) => Answer(await keep.CloseAsync(http.Actor(), entity, connection, http.RequestAborted));

    private static async Task<IResult> LiveAsync(HttpContext http, string entity, string connection, GoLive live)
    {
        var (body, wrong) = await BodyAsync(http, ["from"]);
        if (body is null)
            return wrong!;
        var faults = new List<Fault>();
        var from = Needed(body, "from", faults);
        return faults.Count > 0
            ? Unusable(faults)
            : Answer(await live.RunAsync(http.Actor(), entity, connection, from, http.RequestAborted));
    }

    private static async Task<IResult> BoardAsync(HttpContext http, string entity, string connection, ReadBoard board)
    {
        var found = await board.RunAsync(http.Actor(), entity, connection, http.RequestAborted);
        return found.Result is { } of
            ? Results.Json(
                new
                {
                    connection = Told(of.Link),
                    counts = of.Counts.ToDictionary(c => c.State, c => new { c.Waits.Events, c.Waits.Amount }),
                    lag = new
                    {
                        events = of.Of("received"),
                        seconds = of.Oldest is { } oldest
                            ? (long)Math.Max(0, (DateTime.UtcNow - oldest).TotalSeconds)
                            : 0,
                        ready = of.Open.Ready,
                    },
                    needs = of.Needs.Select(n => new
                    {
                        n.What,
                        n.Count,
                        n.Waits.Events,
                        n.Waits.Amount,
                    }),
                    gaps = of.Gaps.Select(g => new { from = g.From, to = g.To }),
                    differences = of.Differences.Select(d => new
                    {
                        record = d.Record,
                        theirs = d.Theirs,
                        says = d.Says,
                    }),
                    records = of.Records.ToDictionary(r => r.Kind, r => r.Count),
                    unknownFields = of.Records.Sum(r => r.Unknown),
                    hours = of.Hours,
                    waiting = of.Waiting.Select(w => new
                    {
                        w.State,
                        w.Reason,
                        w.Subject,
                        w.Waits.Events,
                        w.Waits.Amount,
                        since = w.Since,
                    }),
                    oldest = of.Oldest,
                    journals = of.Journals.ToDictionary(j => j.State, j => new { j.Waits.Events, j.Waits.Amount }),
                    totalsDiffer = of.Totals.Select(t => new { day = Iso(t.Day), t.Differs }),
                    failing = of.Link.Failures >= Feeder.Failing,
                }
            )
            : ApiProblem.Of(found);
    }
}
