using Assignum.Core;
using Assignum.Core.Editions;
using Assignum.Core.Landing;
using Assignum.Core.Ledger;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.Checks;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using Assignum.Formats.Json;
using Assignum.Web.Access;
using Assignum.Web.Start;
using Microsoft.OpenApi;

namespace Assignum.Web.Api;

/// <summary>The HTTP interface, version 1. Every call binds, calls a task and answers; rules live in the
/// tasks.</summary>
internal static class Endpoints
{
    internal const int PageSize = 500;

    /// <param name="instance">What the process says it is; null: nothing.</param>
    public static void MapHealth(this WebApplication app, string? instance)
    {
        app.MapGet("/healthz", () => Results.Text("alive")).AllowAnonymous();
        app.MapGet("/readyz", async (DeskContext desk, StartProgress progress, HttpContext http) =>
            {
                if (instance is not null)
                    http.Response.Headers["Assignum-Instance"] = instance;
                return progress.Ready && await desk.AnswersAsync(http.RequestAborted)
                    ? Results.Text("ready")
                    : Results.Text(progress.Ready ? "the database does not answer" : progress.Doing, statusCode: 503);
            })
            .AllowAnonymous();
    }

    public static void MapApi(this WebApplication app)
    {
        var api = app.MapGroup("/api/v1").RequireAuthorization(ApiKeyHandler.Scheme).DisableAntiforgery();
        // What stands in an address and is no number where one is wanted: the binding only says so by the status.
        api.AddEndpointFilter(
            (context, next) =>
                context.HttpContext.Response.StatusCode == StatusCodes.Status400BadRequest
                    ? throw new BadHttpRequestException("A value in the address cannot be read.")
                    : next(context)
        );
        api.MapGet("/entities", ListEntitiesAsync).WithSummary("The entities this key may see");
        api.MapPost("/entities", CreateEntityAsync).WithSummary("Create an entity");
        var entity = api.MapGroup("/entities/{entity}");
        BundleEndpoints.Map(entity);
        BookEndpoints.Map(entity);
        StatementEndpoints.Map(entity);
        ConnectionEndpoints.Map(entity);
        entity
            .MapPost("/editions/approve", ApproveAsync)
            .WithSummary("Approve the draft as it is: {\"revision\": 7}, which /editions gives");
        entity.MapGet("/editions", EditionsAsync).WithSummary("The editions, the draft and the what-ifs");
        entity.MapPost("/editions/publish", PublishAsync).WithSummary("Make the draft live from a day on");
        entity
            .MapPost("/rehearsals", RehearseAsync)
            .WithSummary("Run events through an edition without posting")
            .Needs(Role.Viewer)
            .TakesBody("application/json");
        entity
            .MapPost("/events", PostAsync)
            .WithSummary("Post one event, an array, or NDJSON")
            .Needs(Role.Preparer)
            .TakesBody("application/json", "application/x-ndjson");
        entity.MapGet("/entries", EntriesAsync).WithSummary("Posted entries");
        entity.MapGet("/trial-balance", TrialBalanceAsync).WithSummary("Debits, credits and balance of every account");
        entity.MapGet("/explain", ExplainAsync).WithSummary("The trace of one landing without an event");
        entity
            .MapGet("/findings", FindingsAsync)
            .WithSummary("What checks find in an edition, the gravest first, with what would mend it");
        entity
            .MapGet("/coverage", CoverageAsync)
            .WithSummary("How every combination of records is decided, purpose by purpose, exactly");
        PeopleEndpoints.Map(api);
        api.Map("/{**rest}", () =>
                ApiProblem.Result(
                    404,
                    "Not found",
                    [new Fault("unknown-call", "There is no such call; /openapi/v1.json lists them.")]
                )
            )
            .ExcludeFromDescription();
    }

    // Who may not send it is told so before it is read.
    internal static RouteHandlerBuilder Needs(this RouteHandlerBuilder call, Role role) =>
        call.AddEndpointFilter(
            async (context, next) =>
            {
                var http = context.HttpContext;
                return DeskContext.Refused(http.Actor(), (string)http.GetRouteValue("entity")!, role) is { } refused
                    ? ApiProblem.Of(Outcome<object>.No(refused.Why, [refused.Fault]))
                    : await next(context);
            }
        );

    // Says in the description what a body is; unlike Accepts it turns nobody away for a missing content type.
    internal static void TakesBody(this RouteHandlerBuilder call, params string[] types) =>
        call.AddOpenApiOperationTransformer(
            (operation, _, _) =>
            {
                operation.RequestBody = new OpenApiRequestBody
                {
                    Required = true,
                    Content = types.ToDictionary(t => t, _ => new OpenApiMediaType()),
                };
                return Task.CompletedTask;
            }
        );

    private static async Task<IResult> ListEntitiesAsync(HttpContext http, DeskContext desk)
    {
        var rows = await desk.EntitiesAsync(http.Actor(), http.RequestAborted);
        return Results.Json(
            rows.Select(r => new
            {
                r.Code,
                r.Name,
                r.Currency,
            })
        );
    }

    private static async Task<IResult> CreateEntityAsync(HttpContext http, CreateEntity create)
    {
        var (body, problem) = await SmallJsonAsync<NewEntity>(http);
        if (problem is not null)
            return problem;
        var made = await create.RunAsync(http.Actor(), body?.Code, body?.Name, body?.Currency, http.RequestAborted);
        return made.Result is { } row
            ? Results.Json(
                new
                {
                    row.Code,
                    row.Name,
                    row.Currency,
                },
                statusCode: 201
            )
            : ApiProblem.Of(made);
    }

    private static async Task<IResult> PublishAsync(HttpContext http, string entity, PublishDraft publish)
    {
        var (body, problem) = await SmallJsonAsync<Publication>(http);
        if (problem is not null)
            return problem;
        DateOnly? from = DateOnly.TryParseExact(body?.From, "yyyy-MM-dd", out var day) ? day : null;
        var published = await publish.RunAsync(
            http.Actor(),
            entity,
            from,
            body?.Note,
            http.RequestAborted,
            IfMatch(http)
        );
        if (published.Faults is [{ Code: "changed-meanwhile" }])
            return ApiProblem.Result(412, "Changed meanwhile", published.Faults);
        return published.Result is { } row
            ? Results.Json(
                new
                {
                    edition = row.Number,
                    from = row.ValidFrom,
                    row.Note,
                }
            )
            : ApiProblem.Of(published);
    }

    private static async Task<IResult> EditionsAsync(HttpContext http, string entity, ViewSetUp view)
    {
        // Any view enters the entity and reads its state; the draft is there also where nothing is published.
        var set = await view.RunAsync(http.Actor(), entity, "draft", null, http.RequestAborted);
        if (set.Result is not { Entity: var state })
            return ApiProblem.Of(set);
        object Row(EditionRow e) =>
            new
            {
                edition = e.Number,
                e.Status,
                e.Name,
                e.BasedOn,
                from = e.ValidFrom,
                e.Note,
                e.Revision,
                e.OpenedBy,
                e.OpenedAt,
                e.PublishedBy,
                e.PublishedAt,
            };
        return Results.Json(
            state
                .Editions.Where(e => e.Status != "discarded")
                .Concat(state.WhatIfs.Where(w => w.Status == "draft"))
                .Select(Row)
        );
    }

    private static async Task<IResult> ApproveAsync(HttpContext http, string entity, KeepDrafts drafts)
    {
        var (body, problem) = await SmallJsonAsync<Approval>(http);
        if (problem is not null)
            return problem;
        if (body?.Revision is not { } revision)
            return ApiProblem.Result(
                422,
                "What was sent cannot be used",
                [
                    new Fault(
                        "missing-value",
                        "Say which revision of the draft you looked at; GET editions gives it.",
                        "revision"
                    ),
                ]
            );
        var approved = await drafts.ApproveAsync(http.Actor(), entity, revision, http.RequestAborted);
        return approved.Result is { } row
            ? Results.Json(new { row.Revision, by = http.Actor().Name })
            : ApiProblem.Of(approved);
    }

    private static async Task<IResult> RehearseAsync(
        HttpContext http,
        string entity,
        string? edition,
        Rehearse rehearse
    )
    {
        var (events, status, fault) = BodyReader.Events(
            await BodyReader.WholeAsync(http.Request, Limits.Json, http.RequestAborted)
        );
        if (events is null)
            return ApiProblem.Result(status, "The body cannot be read", [fault!]);
        var outcome = await rehearse.RunAsync(http.Actor(), entity, events, edition, http.RequestAborted);
        return outcome.Result is { } rehearsed
            ? Results.Json(
                rehearsed.Select(r => new
                {
                    @event = new EventName(r.Source.Event.Source, r.Source.Event.Id),
                    entry = r.Document,
                    errors = r.Result.Errors,
                })
            )
            : ApiProblem.Of(outcome);
    }

    private static async Task<IResult> PostAsync(HttpContext http, string entity, PostEvents post)
    {
        var type = http.Request.ContentType ?? "";
        if (
            type.StartsWith("application/x-ndjson", StringComparison.OrdinalIgnoreCase)
            || type.StartsWith("application/ndjson", StringComparison.OrdinalIgnoreCase)
        )
            return new NdjsonPosting(entity, post);
        var (events, status, fault) = BodyReader.Events(
            await BodyReader.WholeAsync(http.Request, Limits.Json, http.RequestAborted)
        );
        if (events is null)
            return ApiProblem.Result(status, "The body cannot be read", [fault!]);
        var outcome = await post.RunAsync(http.Actor(), entity, events, 1, http.RequestAborted);
        return outcome.Result is { } answers ? Results.Json(answers) : ApiProblem.Of(outcome);
    }

    private static async Task<IResult> EntriesAsync(
        HttpContext http,
        string entity,
        string? source,
        string? id,
        string? account,
        string? from,
        string? to,
        long? after,
        int? limit,
        ReadJournal journal
    )
    {
        var faults = new List<Fault>();
        var query = new EntryQuery(
            source,
            id,
            account,
            Day(from, "from", faults),
            Day(to, "to", faults),
            null,
            after,
            Math.Clamp(limit ?? PageSize, 1, PageSize)
        );
        if (faults.Count > 0)
            return ApiProblem.Result(422, "What was sent cannot be used", faults);
        var outcome = await journal.EntriesAsync(http.Actor(), entity, query, http.RequestAborted);
        if (outcome.Result is not { } entries)
            return ApiProblem.Of(outcome);
        if (entries.Count == query.Limit)
            http.Response.Headers["X-Next-After"] = entries[^1]
                .Head.Id.ToString(System.Globalization.CultureInfo.InvariantCulture);
        return Results.Json(entries.Select(e => e.Document));
    }

    private static async Task<IResult> TrialBalanceAsync(
        HttpContext http,
        string entity,
        string? at,
        ReadJournal journal
    )
    {
        var faults = new List<Fault>();
        var day = Day(at, "at", faults);
        if (faults.Count > 0)
            return ApiProblem.Result(422, "What was sent cannot be used", faults);
        var outcome = await journal.BalancesAsync(http.Actor(), entity, day, http.RequestAborted);
        return outcome.Result is { } rows
            ? Results.Json(
                rows.Select(r => new
                {
                    r.Account,
                    r.Name,
                    r.Class,
                    r.Debit,
                    r.Credit,
                    balance = r.Debit - r.Credit,
                })
            )
            : ApiProblem.Of(outcome);
    }

    private static async Task<IResult> ExplainAsync(
        HttpContext http,
        string entity,
        string? purpose,
        string? date,
        string? edition,
        ViewSetUp view
    )
    {
        var faults = new List<Fault>();
        var day = Day(date, "date", faults);
        if (purpose is null || Purposes.Find(purpose) is not { } asked)
            return ApiProblem.Result(
                422,
                "What was sent cannot be used",
                [
                    new Fault(
                        "unknown-purpose",
                        $"'{purpose}' is no purpose; the nearest is "
                            + $"{Nearest.To(purpose ?? "", Purposes.All.Select(p => p.Name))}.",
                        "purpose"
                    ),
                ]
            );
        if (faults.Count > 0)
            return ApiProblem.Result(422, "What was sent cannot be used", faults);
        var set = await view.RunAsync(http.Actor(), entity, edition, day, http.RequestAborted);
        if (set.Result is not { } found)
            return ApiProblem.Of(set);
        var explained = Explanation.Of(
            found.SetUp,
            asked,
            http.Request.Query.ToDictionary(q => q.Key, q => q.Value.ToString()),
            faults
        );
        if (faults.Count > 0)
            return ApiProblem.Result(422, "What was sent cannot be used", faults);
        return Results.Json(
            new
            {
                purpose,
                account = explained.Account,
                found.Edition,
                landing = TraceJson.Document(explained),
            }
        );
    }

    // Mends are tried before they are told, each on the whole set-up: of so many, the gravest first.
    private const int MostMends = 200;

    private static async Task<IResult> FindingsAsync(
        HttpContext http,
        string entity,
        string? edition,
        string? code,
        string? severity,
        string? accepted,
        DeskContext desk,
        ReadFindings findings
    )
    {
        var stop = http.RequestAborted;
        Core.Checks.FindingSeverity? of = null;
        var faults = new List<Fault>();
        if (severity is { Length: > 0 })
            if (Words.TryParse<Core.Checks.FindingSeverity>(severity, out var said))
                of = said;
            else
                faults.Add(new Fault("bad-severity", "Say error, warning or info.", "severity"));
        if (code is { Length: > 0 } && Core.Checks.Findings.Find(code) is null)
            faults.Add(new Fault("unknown-code", "There is no check of that code.", "code"));
        bool? held = accepted switch
        {
            null or "" => null,
            "true" => true,
            "false" => false,
            _ => Fail(faults),
        };
        if (faults.Count > 0)
            return ApiProblem.Of(Outcome<object>.No(Refusal.Invalid, faults));
        var looked = await desk.LookAsync(http.Actor(), entity, stop);
        if (looked.Refused is not null)
            return ApiProblem.Of(looked);
        var visit = looked.Result.Visit;
        var read = await findings.RunAsync(visit, edition, stop);
        if (read.Result is not { } view)
            return ApiProblem.Of(read);
        var rows = view
            .Open.Where(_ => held != true)
            .Concat(view.Accepted.Where(_ => held != false))
            .Where(r => code is null or "" || r.Finding.Code == code)
            .Where(r => of is null || r.Finding.Severity == of)
            .OrderBy(r => r.Finding, Core.Checks.Findings.Order)
            .ToList();
        var mends = ReadFindings.Mends(view, visit.State.Today, rows.Take(MostMends).Select(r => r.Finding));
        return Results.Json(
            rows.Select(r =>
                FindingDocument.From(
                    r.Finding,
                    mends.GetValueOrDefault(r.Finding.Identity),
                    r.Accepted is { } a ? new AcceptedDocument(a.Who, a.At, a.Reason, a.Until) : null,
                    Core.Checks.TripwireReached.Combinations(view.SetUp, r.Finding)
                )
            ),
            TraceJson.Settings
        );
    }

    private static bool? Fail(List<Fault> faults)
    {
        faults.Add(new Fault("bad-value", "Say true or false.", "accepted"));
        return null;
    }

    private static async Task<IResult> CoverageAsync(HttpContext http, string entity, string? edition, ViewSetUp view)
    {
        var set = await view.RunAsync(http.Actor(), entity, edition, null, http.RequestAborted);
        return set.Result is { } found
            ? Results.Json(
                Core.Coverage.PurposeCoverage.Of(found.SetUp)
                    .Select(c => new
                    {
                        purpose = c.Purpose.Name,
                        combinations = (decimal)c.Combinations,
                        by = c.By.ToDictionary(b => b.Key, b => (decimal)b.Value),
                    })
            )
            : ApiProblem.Of(set);
    }

    internal static DateOnly? Day(string? text, string name, List<Fault> faults)
    {
        if (string.IsNullOrEmpty(text))
            return null;
        if (DateOnly.TryParseExact(text, "yyyy-MM-dd", out var day))
            return day;
        faults.Add(new Fault("bad-date", $"'{name}' is no date: send it as YYYY-MM-DD.", name));
        return null;
    }

    internal static string? IfMatch(HttpContext http) =>
        http.Request.Headers.IfMatch.ToString() is { Length: > 0 } match && match != "*" ? match.Trim('"') : null;

    internal static async Task<(T? Body, IResult? Problem)> SmallJsonAsync<T>(HttpContext http)
        where T : class
    {
        if (await BodyReader.WholeAsync(http.Request, 1 << 16, http.RequestAborted) is not { } body)
            return (
                null,
                ApiProblem.Result(413, "Too large", [new Fault("too-large", "The body is larger than 64 KB.")])
            );
        try
        {
            return (System.Text.Json.JsonSerializer.Deserialize<T>(body, TraceJson.Settings), null);
        }
        catch (System.Text.Json.JsonException)
        {
            return (
                null,
                ApiProblem.Result(
                    400,
                    "The body cannot be read",
                    [new Fault("bad-json", "The body is no valid JSON of the expected shape.")]
                )
            );
        }
    }

    private sealed record NewEntity(string? Code, string? Name, string? Currency);

    private sealed record Approval(long? Revision);

    private sealed record Publication(string? From, string? Note);
}
