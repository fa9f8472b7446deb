using System.Globalization;
using System.Text.Json;
using System.Text.Json.Nodes;
using Assignum.Core;
using Assignum.Core.Feeding;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.Connections;
using Assignum.Web.Access;
using Microsoft.AspNetCore.WebUtilities;
using static Assignum.Web.Api.ApiBody;

namespace Assignum.Web.Api;

/// <summary>What connections told, over the interface: looked at and acted on; and the files that tell it.</summary>
internal static class FeedEndpoints
{
    public static void Map(RouteGroupBuilder entity, RouteGroupBuilder one)
    {
        entity
            .MapGet("/worklist", WorklistAsync)
            .WithSummary("What waits and what is dead over all connections, by reason, the most money first");
        one.MapGet("/events", EventsAsync).WithSummary("What it told, by state: ?state=&after=&limit=");
        one.MapPost("/events/act", ActAsync)
            .WithSummary(
                "Try events again, set them aside or replace one: {rows, or state with reason and subject; do, why, event}"
            )
            .Needs(Role.Preparer)
            .TakesBody("application/json");
        one.MapGet("/totals", TotalsAsync).WithSummary("What it counted of a day beside what came: ?day=");
        one.MapPost("/files", FileAsync)
            .WithSummary(
                "Take a file of documents (NDJSON, UBL, camt, CSV) as it is: ?name=&as=sold|bought&columns=new"
            )
            .Needs(Role.Preparer);
        one.MapGet("/files", FilesAsync).WithSummary("The files that were taken, the newest first");
        one.MapGet("/unmatched", UnmatchedAsync)
            .WithSummary(
                "What was posted without a document that it names, and the allocation that the document proposes"
            );
        one.MapPost("/unmatched/allocate", AllocateAsync)
            .WithSummary("Post the proposed allocations: {rows}")
            .Needs(Role.Preparer)
            .TakesBody("application/json");
    }

    internal static int Most(int? limit) => Math.Clamp(limit ?? Endpoints.PageSize, 1, 1000);

    // A page of rows, with where the next begins.
    internal static IResult Paged<T>(
        HttpContext http,
        Outcome<IReadOnlyList<T>> found,
        int? limit,
        Func<T, string> place,
        Func<T, object> told
    )
    {
        if (found.Result is not { } rows)
            return ApiProblem.Of(found);
        if (rows.Count == Most(limit))
            http.Response.Headers["X-Next-After"] = place(rows[^1]);
        return Results.Json(rows.Select(told));
    }

    internal static string Place(long row) => row.ToString(CultureInfo.InvariantCulture);

    internal static JsonElement Parsed(string json)
    {
        using var document = JsonDocument.Parse(json);
        return document.RootElement.Clone();
    }

    private static async Task<IResult> WorklistAsync(HttpContext http, string entity, int? limit, ReadWorklist work)
    {
        var found = await work.RunAsync(http.Actor(), entity, null, Most(limit), http.RequestAborted);
        return found.Result is { } of
            ? Results.Json(
                of.Groups.Select(g => new
                {
                    connection = g.Code,
                    g.State,
                    g.Reason,
                    g.Subject,
                    says = g.Says,
                    waits = new
                    {
                        g.Waits.Events,
                        g.Waits.Amount,
                        g.Currency,
                    },
                    since = g.Since,
                    act = g.Act,
                    first = g.First,
                    behind = g.Behind,
                })
            )
            : ApiProblem.Of(found);
    }

    private static async Task<IResult> EventsAsync(
        HttpContext http,
        string entity,
        string connection,
        string? state,
        long? after,
        int? limit,
        ReadBoard board
    )
    {
        var found = await board.EventsAsync(
            http.Actor(),
            entity,
            connection,
            state,
            after ?? 0,
            Most(limit),
            http.RequestAborted
        );
        return Paged(
            http,
            found,
            limit,
            e => Place(e.Row),
            e => new
            {
                row = e.Row,
                id = e.Id,
                sequence = e.Sequence,
                state = e.State,
                reasons = Parsed(e.Reasons),
                number = e.Number,
                received = e.Received,
                @event = $"{connection}/{e.Id}",
                kind = e.Kind,
                heldBy = e.HeldBy,
                late = e.Late,
                unmatched = e.Unmatched,
                replacedBy = e.ReplacedBy,
                theirs = Parsed(e.Body),
            }
        );
    }

    internal static IReadOnlyList<long>? Rows(Dictionary<string, JsonElement> body, List<Fault> faults)
    {
        if (!body.TryGetValue("rows", out var list) || list.ValueKind == JsonValueKind.Null)
            return null;
        if (
            list.ValueKind == JsonValueKind.Array
            && list.GetArrayLength() is > 0 and <= 10_000
            && list.EnumerateArray().All(r => r.ValueKind == JsonValueKind.Number && r.TryGetInt64(out _))
        )
            return [.. list.EnumerateArray().Select(r => r.GetInt64())];
        faults.Add(new Fault("wrong-type", "'rows' is an array of 1 to 10,000 rows.", "rows"));
        return null;
    }

    private static async Task<IResult> ActAsync(HttpContext http, string entity, string connection, ActOnEvents act)
    {
        var (body, wrong) = await BodyAsync(http, ["rows", "state", "reason", "subject", "do", "why", "event"]);
        if (body is null)
            return wrong!;
        var faults = new List<Fault>();
        var rows = Rows(body, faults);
        JsonObject? json = null;
        if (body.TryGetValue("event", out var given) && given.ValueKind != JsonValueKind.Null)
            if (given.ValueKind == JsonValueKind.Object)
                json = JsonObject.Create(given);
            else
                faults.Add(new Fault("wrong-type", "'event' is an object.", "event"));
        var reason = Text(body, "reason", faults);
        var of = new EventAct(
            new EventChoice(
                rows,
                Text(body, "state", faults),
                rows is null ? reason : null,
                Text(body, "subject", faults)
            ),
            Text(body, "do", faults),
            // With rows the reason is why it is done; with a state it says which.
            Text(body, "why", faults) ?? (rows is null ? null : reason),
            json
        );
        if (faults.Count > 0)
            return Unusable(faults);
        var done = await act.RunAsync(http.Actor(), entity, connection, of, http.RequestAborted);
        return done.Result is { } acted ? Results.Json(acted) : ApiProblem.Of(done);
    }

    private static async Task<IResult> TotalsAsync(
        HttpContext http,
        string entity,
        string connection,
        string? day,
        CompareTotals totals
    )
    {
        var faults = new List<Fault>();
        var of = Endpoints.Day(day, "day", faults);
        if (of is null && faults.Count == 0)
            faults.Add(new Fault("missing-field", "'day' is missing: the day that is counted.", "day"));
        if (faults.Count > 0)
            return Unusable(faults);
        var found = await totals.RunAsync(http.Actor(), entity, connection, of!.Value, http.RequestAborted);
        return found.Result is { } said ? Results.Json(said) : ApiProblem.Of(found);
    }

    private static async Task<IResult> FileAsync(
        HttpContext http,
        string entity,
        string connection,
        string? name,
        string? @as,
        string? columns,
        TakeFiles files
    )
    {
        // Bytes are read as they come; the readers ask for them one after the other.
        await using var held = new FileBufferingReadStream(
            http.Request.Body,
            1 << 20,
            Limits.Upload,
            Path.GetTempPath()
        );
        try
        {
            await held.DrainAsync(http.RequestAborted);
        }
        catch (IOException)
        {
            return ApiProblem.Result(
                413,
                "The file is too large",
                [new Fault("too-large", $"A file has at most {Limits.Upload >> 20} MB.")]
            );
        }
        held.Position = 0;
        var done = await files.RunAsync(
            http.Actor(),
            entity,
            connection,
            string.IsNullOrWhiteSpace(name) ? "file" : name,
            held,
            @as,
            columns == "new",
            http.RequestAborted
        );
        return done.Result is { } taken ? Results.Json(taken, statusCode: 201) : ApiProblem.Of(done);
    }

    private static async Task<IResult> FilesAsync(HttpContext http, string entity, string connection, TakeFiles files)
    {
        var found = await files.ListAsync(http.Actor(), entity, connection, http.RequestAborted);
        return found.Result is { } all ? Results.Json(all) : ApiProblem.Of(found);
    }

    // A list as it was sent, and whether it is JSON.
    internal static async Task<(byte[]? Body, bool Json, IResult? Wrong)> ListAsync(HttpContext http)
    {
        var body = await BodyReader.WholeAsync(http.Request, Limits.Json, http.RequestAborted);
        return body is null
            ? (
                null,
                false,
                ApiProblem.Result(413, "The list is too large", [new Fault("too-large", "Send the list in parts.")])
            )
            : (body, (http.Request.ContentType ?? "").Contains("json", StringComparison.OrdinalIgnoreCase), null);
    }

    private static async Task<IResult> UnmatchedAsync(
        HttpContext http,
        string entity,
        string connection,
        long? after,
        int? limit,
        MatchLater later
    )
    {
        var found = await later.ListAsync(
            http.Actor(),
            entity,
            connection,
            after ?? 0,
            Most(limit),
            http.RequestAborted
        );
        return Paged(
            http,
            found,
            limit,
            u => Place(u.Row),
            u => new
            {
                row = u.Row,
                id = u.Id,
                number = u.Number,
                party = u.Party,
                document = u.Document,
                came = u.Came,
                allocated = u.Allocated,
                says = u.Says,
                proposes = u.Proposal is null
                    ? null
                    : u.Proposal.Settles.Select(s => new { reference = s.Reference, amount = s.Amount }),
                currency = u.Proposal?.Currency,
            }
        );
    }

    private static async Task<IResult> AllocateAsync(
        HttpContext http,
        string entity,
        string connection,
        MatchLater later
    )
    {
        var (body, wrong) = await BodyAsync(http, ["rows"]);
        if (body is null)
            return wrong!;
        var faults = new List<Fault>();
        var rows = Rows(body, faults);
        if (rows is null && faults.Count == 0)
            faults.Add(new Fault("missing-field", "'rows' says which are allocated.", "rows"));
        if (faults.Count > 0)
            return Unusable(faults);
        var done = await later.AllocateAsync(http.Actor(), entity, connection, rows!, http.RequestAborted);
        return done.Result is { } posted
            ? Results.Json(
                posted.Select(p => new
                {
                    id = p.Event.Id,
                    outcome = p.Outcome,
                    number = p.Number,
                })
            )
            : ApiProblem.Of(done);
    }
}
