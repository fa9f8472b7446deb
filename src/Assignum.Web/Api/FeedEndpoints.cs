using System.Globalization;
using System.Text.Json;
using System.Text.Json.Nodes;
using Assignum.Core;
using Assignum.Core.Feeding;
using Assignum.Desk.Access;
using Assignum.Desk.Connections;
using Assignum.Web.Access;
using Microsoft.AspNetCore.WebUtilities;
using static Assignum.Web.Api.ApiBody;

namespace Assignum.Web.Api;

/// <summary>What connections told and what goes on to ledgers, over the interface: looked at and acted on.</summary>
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
        one.MapGet("/journals", JournalsAsync).WithSummary("What goes on to a ledger, by state: ?state=&after=&limit=");
        one.MapPost("/journals/act", ActOnJournalsAsync)
            .WithSummary("Try journals again or set them aside: {rows, do: retry|anew|set-aside, why}")
            .Needs(Role.Reviewer)
            .TakesBody("application/json");
        one.MapPost("/resend", ResendAsync)
            .WithSummary("Read the journals of a day back, and send again those that are not there: ?date=")
            .Needs(Role.Reviewer);
        one.MapPost("/files", FileAsync)
            .WithSummary(
                "Take a file of documents (NDJSON, UBL, camt, CSV) as it is: ?name=&as=sold|bought&columns=new"
            )
            .Needs(Role.Preparer);
        one.MapGet("/files", FilesAsync).WithSummary("The files that were taken, the newest first");
        one.MapGet("/foreign", ForeignAsync).WithSummary("Journals there that are none of ours: ?after=&limit=");
    }

    private static int Most(int? limit) => Math.Clamp(limit ?? Endpoints.PageSize, 1, 1000);

    private static JsonElement Parsed(string json)
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
        if (found.Result is not { } rows)
            return ApiProblem.Of(found);
        if (rows.Count == Most(limit))
            http.Response.Headers["X-Next-After"] = rows[^1].Row.ToString(CultureInfo.InvariantCulture);
        return Results.Json(
            rows.Select(e => new
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
            })
        );
    }

    private static IReadOnlyList<long>? Rows(Dictionary<string, JsonElement> body, List<Fault> faults)
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

    private static async Task<IResult> JournalsAsync(
        HttpContext http,
        string entity,
        string connection,
        string? state,
        long? after,
        int? limit,
        ReadJournals journals
    )
    {
        var found = await journals.PageAsync(
            http.Actor(),
            entity,
            connection,
            state,
            after ?? 0,
            Most(limit),
            http.RequestAborted
        );
        if (found.Result is not { } rows)
            return ApiProblem.Of(found);
        if (rows.Count == Most(limit))
            http.Response.Headers["X-Next-After"] = rows[^1].Id.ToString(CultureInfo.InvariantCulture);
        return Results.Json(
            rows.Select(j => new
            {
                row = j.Id,
                key = j.Key,
                date = Iso(j.Date),
                number = j.Number,
                state = j.State,
                reasons = Parsed(j.Reasons),
                amount = j.Amount,
                theirs = j.TheirId,
                tries = j.Tries,
                sent = j.Sent,
                entries = j.Entry is null ? null : new[] { j.Number },
                body = j.Body is null ? (JsonElement?)null : Parsed(j.Body),
            })
        );
    }

    private static async Task<IResult> ActOnJournalsAsync(
        HttpContext http,
        string entity,
        string connection,
        ReadJournals journals
    )
    {
        var (body, wrong) = await BodyAsync(http, ["rows", "do", "why"]);
        if (body is null)
            return wrong!;
        var faults = new List<Fault>();
        var rows = Rows(body, faults);
        var (what, why) = (Text(body, "do", faults), Text(body, "why", faults));
        if (faults.Count > 0)
            return Unusable(faults);
        var done = await journals.ActAsync(
            http.Actor(),
            entity,
            connection,
            rows ?? [],
            what,
            why,
            http.RequestAborted
        );
        return done.Refused is null ? Results.Json(new { changed = done.Result }) : ApiProblem.Of(done);
    }

    private static async Task<IResult> ResendAsync(
        HttpContext http,
        string entity,
        string connection,
        string? date,
        ReadJournals journals
    )
    {
        var faults = new List<Fault>();
        var day = Endpoints.Day(date, "date", faults);
        if (day is null && faults.Count == 0)
            faults.Add(new Fault("missing-field", "'date' is missing: the day whose journals are sent again.", "date"));
        if (faults.Count > 0)
            return Unusable(faults);
        var done = await journals.ResendAsync(http.Actor(), entity, connection, day!.Value, http.RequestAborted);
        return done.Refused is null
            ? Results.Json(new { journals = done.Result }, statusCode: 202)
            : ApiProblem.Of(done);
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

    private static async Task<IResult> ForeignAsync(
        HttpContext http,
        string entity,
        string connection,
        string? after,
        int? limit,
        ReadJournals journals
    )
    {
        var found = await journals.ForeignAsync(
            http.Actor(),
            entity,
            connection,
            after ?? "",
            Most(limit),
            http.RequestAborted
        );
        if (found.Result is not { } rows)
            return ApiProblem.Of(found);
        if (rows.Count == Most(limit))
            http.Response.Headers["X-Next-After"] = rows[^1].Id;
        return Results.Json(rows.Select(f => Parsed(f.Body)));
    }
}
