using Assignum.Core;
using Assignum.Desk.Access;
using Assignum.Desk.Connections;
using Assignum.Web.Access;
using static Assignum.Web.Api.ApiBody;
using static Assignum.Web.Api.FeedEndpoints;

namespace Assignum.Web.Api;

/// <summary>What joining systems would post, over the interface: beside what was booked the old way.</summary>
internal static class BesideEndpoints
{
    public static void Map(RouteGroupBuilder one)
    {
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
}
