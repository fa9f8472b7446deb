using System.Text.Json;
using Assignum.Core;
using Assignum.Core.Feeding;
using Assignum.Desk.Access;
using Assignum.Desk.Connections;
using Assignum.Web.Access;
using static Assignum.Web.Api.ApiBody;
using static Assignum.Web.Api.FeedEndpoints;

namespace Assignum.Web.Api;

/// <summary>What goes on to ledgers, over the interface: journals, files of them, and what is there of others.</summary>
internal static class OnwardEndpoints
{
    public static void Map(RouteGroupBuilder one)
    {
        one.MapGet("/journals", JournalsAsync).WithSummary("What goes on to a ledger, by state: ?state=&after=&limit=");
        one.MapPost("/journals/act", ActOnJournalsAsync)
            .WithSummary("Try journals again or set them aside: {rows, do: retry|anew|set-aside, why}")
            .Needs(Role.Reviewer)
            .TakesBody("application/json");
        one.MapPost("/resend", ResendAsync)
            .WithSummary("Read the journals of a day back, and send again those that are not there: ?date=")
            .Needs(Role.Reviewer);
        one.MapPost("/runs", MakeRunAsync)
            .WithSummary("Make the next file of journals for a ledger that gets files")
            .Needs(Role.Preparer);
        one.MapGet("/runs", RunsAsync).WithSummary("The files of journals, the newest first");
        one.MapGet("/runs/{number:int}", RunAsync).WithSummary("A file of journals: ?format=csv|json");
        one.MapPost("/runs/{number:int}/confirmation", ConfirmAsync)
            .WithSummary("What became of its journals, CSV or JSON rows: key, and id or why")
            .Needs(Role.Preparer);
        one.MapGet("/foreign", ForeignAsync).WithSummary("Journals there that are none of ours: ?after=&limit=");
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
        return Paged(
            http,
            found,
            limit,
            j => Place(j.Id),
            j => new
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
            }
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

    private static object Told(JournalRun run) =>
        new
        {
            number = run.Number,
            journals = run.Journals,
            amount = run.Amount,
            open = run.Open,
            madeBy = run.Who,
            madeAt = run.At,
            confirmedBy = run.ConfirmedBy,
            confirmedAt = run.ConfirmedAt,
        };

    private static async Task<IResult> MakeRunAsync(HttpContext http, string entity, string connection, WriteRuns runs)
    {
        var done = await runs.MakeAsync(http.Actor(), entity, connection, http.RequestAborted);
        return done.Result is { } run ? Results.Json(Told(run), statusCode: 201) : ApiProblem.Of(done);
    }

    private static async Task<IResult> RunsAsync(HttpContext http, string entity, string connection, WriteRuns runs)
    {
        var found = await runs.ListAsync(http.Actor(), entity, connection, http.RequestAborted);
        return found.Result is { } all ? Results.Json(all.Select(Told)) : ApiProblem.Of(found);
    }

    private static async Task<IResult> RunAsync(
        HttpContext http,
        string entity,
        string connection,
        int number,
        string? format,
        WriteRuns runs
    )
    {
        if (format is not (null or "csv" or "json"))
            return Unusable([new Fault("unknown-word", "'format' is csv or json.", "format")]);
        var json = format != "csv";
        var found = await runs.FileAsync(http.Actor(), entity, connection, number, json, http.RequestAborted);
        return found.Result is { } bytes
            ? Results.File(
                bytes,
                json ? "application/json" : "text/csv; charset=utf-8",
                $"journals-{connection}-{number}.{(json ? "json" : "csv")}"
            )
            : ApiProblem.Of(found);
    }

    private static async Task<IResult> ConfirmAsync(
        HttpContext http,
        string entity,
        string connection,
        int number,
        WriteRuns runs
    )
    {
        var (body, json, wrong) = await ListAsync(http);
        if (body is null)
            return wrong!;
        var done = await runs.ConfirmAsync(http.Actor(), entity, connection, number, body, json, http.RequestAborted);
        return done.Result is { } said ? Results.Json(said) : ApiProblem.Of(done);
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
        return Paged(http, found, limit, f => f.Id, f => Parsed(f.Body));
    }
}
