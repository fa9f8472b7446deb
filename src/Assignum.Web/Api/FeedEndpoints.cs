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
        one.MapPost("/parallel", ParallelAsync)
            .WithSummary(
                "Run it beside the old way from a day on, or end that: {from}; its events are rehearsed, none posts"
            )
            .Needs(Role.Reviewer)
            .TakesBody("application/json");
        one.MapGet("/parallel", BesideAsync)
            .WithSummary("Day by day what it would post beside what was booked: ?day= for the documents of one day");
        one.MapPost("/parallel/booked", BookedAsync)
            .WithSummary(
                "What was booked the old way, CSV or JSON rows: date, account, document, amount or debit and credit"
            )
            .Needs(Role.Preparer);
        one.MapPost("/runs", MakeRunAsync)
            .WithSummary("Make the next file of journals for a ledger that gets files")
            .Needs(Role.Preparer);
        one.MapGet("/runs", RunsAsync).WithSummary("The files of journals, the newest first");
        one.MapGet("/runs/{number:int}", RunAsync).WithSummary("A file of journals: ?format=csv|json");
        one.MapPost("/runs/{number:int}/confirmation", ConfirmAsync)
            .WithSummary("What became of its journals, CSV or JSON rows: key, and id or why")
            .Needs(Role.Preparer);
        one.MapGet("/unmatched", UnmatchedAsync)
            .WithSummary(
                "What was posted without a document that it names, and the allocation that the document proposes"
            );
        one.MapPost("/unmatched/allocate", AllocateAsync)
            .WithSummary("Post the proposed allocations: {rows}")
            .Needs(Role.Preparer)
            .TakesBody("application/json");
        one.MapGet("/foreign", ForeignAsync).WithSummary("Journals there that are none of ours: ?after=&limit=");
    }

    private static int Most(int? limit) => Math.Clamp(limit ?? Endpoints.PageSize, 1, 1000);

    // A page of rows, with where the next begins.
    private static IResult Paged<T>(
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

    private static string Place(long row) => row.ToString(CultureInfo.InvariantCulture);

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

    private static async Task<IResult> ParallelAsync(
        HttpContext http,
        string entity,
        string connection,
        RunParallel parallel
    )
    {
        var (body, wrong) = await BodyAsync(http, ["from"]);
        if (body is null)
            return wrong!;
        var faults = new List<Fault>();
        if (!body.ContainsKey("from"))
            faults.Add(new Fault("missing-field", "'from' is missing: the first day, or null to end it.", "from"));
        var from = Endpoints.Day(Text(body, "from", faults), "from", faults);
        if (faults.Count > 0)
            return Unusable(faults);
        var done = await parallel.StartAsync(http.Actor(), entity, connection, from, http.RequestAborted);
        return done.Result is { } link ? Results.Json(ConnectionEndpoints.Told(link)) : ApiProblem.Of(done);
    }

    private static async Task<IResult> BesideAsync(
        HttpContext http,
        string entity,
        string connection,
        string? day,
        string? after,
        int? limit,
        RunParallel parallel
    )
    {
        var faults = new List<Fault>();
        var (of, from) = (Endpoints.Day(day, "day", faults), Endpoints.Day(after, "after", faults));
        if (faults.Count > 0)
            return Unusable(faults);
        var found = await parallel.ReadAsync(http.Actor(), entity, connection, http.RequestAborted);
        if (found.Result is not { } view)
            return ApiProblem.Of(found);
        var days = view
            .Days.Where(d => (of is null || d.Day == of) && (from is null || d.Day > from))
            .Take(Most(limit))
            .ToList();
        if (days.Count == Most(limit))
            http.Response.Headers["X-Next-After"] = Iso(days[^1].Day);
        return Results.Json(
            days.Select(d => new
            {
                day = Iso(d.Day),
                events = d.Events,
                waiting = d.Waiting,
                reasons = d.Why.Select(w => new
                {
                    code = w.Code,
                    message = w.Says,
                    events = w.Events,
                    amount = w.Amount,
                }),
                accounts = d.Accounts.Select(a => new
                {
                    account = a.Account,
                    name = view.Names.GetValueOrDefault(a.Account),
                    here = a.Here,
                    there = a.There,
                    difference = a.Difference,
                    causes = a
                        .Differences.GroupBy(c => c.Cause)
                        .Select(c => new
                        {
                            cause = Words.Of(c.Key),
                            amount = c.Sum(x => x.Amount),
                            count = c.Count(),
                            documents = of is null
                                ? null
                                : c.Take(1000)
                                    .Select(x => new
                                    {
                                        document = x.Reference,
                                        amount = x.Amount,
                                        other = x.Other,
                                    }),
                        }),
                }),
            })
        );
    }

    // A list as it was sent, and whether it is JSON.
    private static async Task<(byte[]? Body, bool Json, IResult? Wrong)> ListAsync(HttpContext http)
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

    private static async Task<IResult> BookedAsync(
        HttpContext http,
        string entity,
        string connection,
        RunParallel parallel
    )
    {
        var (body, json, wrong) = await ListAsync(http);
        if (body is null)
            return wrong!;
        var done = await parallel.BookedAsync(http.Actor(), entity, connection, body, json, http.RequestAborted);
        return done.Refused is null
            ? Results.Json(new { rows = done.Result.Rows, days = done.Result.Days }, statusCode: 201)
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
