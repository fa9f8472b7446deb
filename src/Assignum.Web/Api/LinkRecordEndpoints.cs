using System.Globalization;
using System.Text.Json;
using Assignum.Core;
using Assignum.Core.Pairing;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.Connections;
using Assignum.Web.Access;
using static Assignum.Web.Api.ApiBody;

namespace Assignum.Web.Api;

/// <summary>What is decided about a connection over the interface: needs, purposes, pairings, proposals.</summary>
internal static class LinkRecordEndpoints
{
    private const int MostActs = 5_000;

    public static void Map(RouteGroupBuilder one)
    {
        one.MapGet("/needs", NeedsAsync).WithSummary("What is still to be decided, the most money first");
        one.MapPost("/needs", DecideAsync)
            .WithSummary("Decide needs: [{id, do, ours, account, word, reason}]; each sort of need all or none")
            .Needs(Role.Preparer)
            .TakesBody("application/json");
        one.MapGet("/purposes", PurposesAsync)
            .WithSummary("Each purpose by channel, method and location: what it lands on, who settled it");
        one.MapPost("/proposals", ProposalsAsync)
            .WithSummary("Propose pairings anew, the best first, at most three a record: ?record=party&after=&limit=")
            .Needs(Role.Preparer);
        one.MapGet("/pairings", PairingsAsync).WithSummary("The pairings by their id: ?record=&after=&limit=");
        one.MapPost("/pairings", PairAsync)
            .WithSummary("Pair records: [{record, theirs, ours, state, reason}], all or none")
            .Needs(Role.Preparer)
            .TakesBody("application/json");
        one.MapPost("/pairings/accept", AcceptAsync)
            .WithSummary("Accept every mutual best proposal at or above a score that leads the next: ?record=&above=")
            .Needs(Role.Preparer);
    }

    private static async Task<IResult> NeedsAsync(
        HttpContext http,
        string entity,
        string connection,
        string? after,
        int? limit,
        ReadNeeds needs
    )
    {
        var found = await needs.RunAsync(http.Actor(), entity, connection, http.RequestAborted);
        if (found.Result is not { } of)
            return ApiProblem.Of(found);
        var most = Math.Clamp(limit ?? Endpoints.PageSize, 1, 1000);
        var from = 0;
        if (!string.IsNullOrEmpty(after))
        {
            from = of.Needs.ToList().FindIndex(n => n.Id == after) + 1;
            if (from == 0)
                return Unusable([
                    new Fault("unknown-need", "What 'after' names is settled by now: ask from the beginning.", "after"),
                ]);
        }
        var page = of.Needs.Skip(from).Take(most).ToList();
        if (from + page.Count < of.Needs.Count)
            http.Response.Headers["X-Next-After"] = page[^1].Id;
        return Results.Json(
            page.Select(n => new
            {
                id = n.Id,
                need = n.What,
                record = n.Record,
                theirs = n.Theirs,
                name = n.Name,
                says = n.Says,
                waits = new { events = n.Waits.Events, amount = n.Waits.Amount },
                proposals = n.Proposals.Select(Told),
            })
        );
    }

    private static object Told(NeedProposal p) =>
        new
        {
            ours = p.Ours,
            name = p.Name,
            score = Math.Round(p.Score, 4),
            trap = p.Trap,
            reasons = p.Reasons,
        };

    // The rows of an array of objects of texts; anything else is a fault.
    private static async Task<(List<Dictionary<string, string?>>? Rows, IResult? Wrong)> RowsAsync(
        HttpContext http,
        IReadOnlyList<string> known
    )
    {
        var bytes = await BodyReader.WholeAsync(http.Request, Limits.Json, http.RequestAborted);
        if (bytes is null)
            return (
                null,
                ApiProblem.Result(413, "The body cannot be read", [new Fault("too-large", "It is too large.")])
            );
        var faults = new List<Fault>();
        var rows = new List<Dictionary<string, string?>>();
        try
        {
            using var json = JsonDocument.Parse(bytes, Formats.Json.EventReader.Options);
            if (json.RootElement.ValueKind != JsonValueKind.Array)
                return (
                    null,
                    ApiProblem.Result(
                        400,
                        "The body cannot be read",
                        [new Fault("bad-json", "A JSON array is wanted.")]
                    )
                );
            if (json.RootElement.GetArrayLength() > MostActs)
                return (
                    null,
                    Unusable([new Fault("too-many", $"At most {MostActs} at once: send the others after them.")])
                );
            foreach (var (i, element) in json.RootElement.EnumerateArray().Index())
            {
                var row = new Dictionary<string, string?>(StringComparer.Ordinal);
                rows.Add(row);
                if (element.ValueKind != JsonValueKind.Object)
                {
                    faults.Add(new Fault("wrong-type", "An object is wanted.", $"[{i}]"));
                    continue;
                }
                foreach (var property in element.EnumerateObject())
                    if (!known.Contains(property.Name))
                        faults.Add(
                            new Fault(
                                "unknown-field",
                                $"There is no such field here; there are {string.Join(", ", known)}.",
                                $"[{i}].{(property.Name.Length > 60 ? "" : property.Name)}"
                            )
                        );
                    else if (property.Value.ValueKind is JsonValueKind.String or JsonValueKind.Null)
                        row[property.Name] = property.Value.GetString();
                    else
                        faults.Add(new Fault("wrong-type", $"'{property.Name}' is a text.", $"[{i}].{property.Name}"));
                if (row.Values.Any(v => v?.Contains('\0') == true || v?.Length > 2000))
                    faults.Add(new Fault("bad-text", "A text has at most 2000 characters and no zero byte.", $"[{i}]"));
            }
        }
        catch (Exception e) when (e is JsonException or InvalidOperationException)
        {
            return (
                null,
                ApiProblem.Result(400, "The body cannot be read", [new Fault("bad-json", "This is no valid JSON.")])
            );
        }
        return faults.Count > 0 ? (null, Unusable(faults)) : (rows, null);
    }

    private static async Task<IResult> DecideAsync(HttpContext http, string entity, string connection, ActOnNeeds act)
    {
        var (rows, wrong) = await RowsAsync(http, ["id", "do", "ours", "account", "word", "reason"]);
        if (rows is null)
            return wrong!;
        var done = await act.RunAsync(
            http.Actor(),
            entity,
            connection,
            [
                .. rows.Select(r => new NeedAct(
                    r.GetValueOrDefault("id"),
                    r.GetValueOrDefault("do"),
                    r.GetValueOrDefault("ours"),
                    r.GetValueOrDefault("account"),
                    r.GetValueOrDefault("word"),
                    r.GetValueOrDefault("reason")
                )),
            ],
            http.RequestAborted
        );
        return done.Result is { } of
            ? Results.Json(
                new
                {
                    done = of.Done,
                    changes = of.Changes,
                    effects = of.Effects,
                }
            )
            : ApiProblem.Of(done);
    }

    private static async Task<IResult> PurposesAsync(
        HttpContext http,
        string entity,
        string connection,
        string? after,
        int? limit,
        SettlePurposes purposes
    )
    {
        var found = await purposes.ReadAsync(http.Actor(), entity, connection, http.RequestAborted);
        if (found.Result is not { } of)
            return ApiProblem.Of(found);
        var most = Math.Clamp(limit ?? Endpoints.PageSize, 1, 1000);
        var from = int.TryParse(after, NumberStyles.None, CultureInfo.InvariantCulture, out var place) ? place : 0;
        if (from + most < of.Purposes.Count)
            http.Response.Headers["X-Next-After"] = (from + most).ToString(CultureInfo.InvariantCulture);
        return Results.Json(
            of.Purposes.Skip(from)
                .Take(most)
                .Select(p => new
                {
                    id = ReadNeeds.IdOf(
                        "purpose",
                        p.Landing.Purpose.Name,
                        p.Landing.Channel,
                        p.Landing.Method,
                        p.Landing.Location
                    ),
                    purpose = p.Landing.Purpose.Name,
                    channel = p.Landing.Channel,
                    method = p.Landing.Method,
                    location = p.Landing.Location,
                    account = p.Landing.Account,
                    rung = p.Landing.Rung,
                    kinds = p.Landing.Kinds,
                    open = p.Open,
                    settled = p.Settled is { } s
                        ? new
                        {
                            how = s.How,
                            account = s.Account,
                            reason = s.Reason,
                            by = s.Who,
                            at = s.At,
                        }
                        : null,
                    waits = new { events = p.Waits.Events, amount = p.Waits.Amount },
                })
        );
    }

    private static async Task<IResult> ProposalsAsync(
        HttpContext http,
        string entity,
        string connection,
        string? record,
        string? after,
        int? limit,
        ReadPairs pairs
    )
    {
        var most = Math.Clamp(limit ?? Endpoints.PageSize, 1, 1000);
        var found = await pairs.ProposeAsync(
            http.Actor(),
            entity,
            connection,
            record ?? "",
            after,
            most,
            http.RequestAborted
        );
        if (found.Result is not { } page)
            return ApiProblem.Of(found);
        if (page.Next is { } next)
            http.Response.Headers["X-Next-After"] = next;
        return Results.Json(
            page.Rows.Select(p => new
            {
                theirs = p.Theirs,
                ours = p.Ours,
                score = Math.Round(p.Score, 4),
                trap = p.Trap,
                mutual = p.Mutual,
                reasons = p.Reasons,
            })
        );
    }

    private static async Task<IResult> PairingsAsync(
        HttpContext http,
        string entity,
        string connection,
        string? record,
        string? after,
        int? limit,
        ReadPairs pairs
    )
    {
        var most = Math.Clamp(limit ?? Endpoints.PageSize, 1, 1000);
        var found = await pairs.PairingsAsync(
            http.Actor(),
            entity,
            connection,
            record,
            after,
            most,
            http.RequestAborted
        );
        if (found.Result is not { } page)
            return ApiProblem.Of(found);
        if (page.Next is { } next)
            http.Response.Headers["X-Next-After"] = next;
        return Results.Json(
            page.Rows.Select(p => new
            {
                record = p.Record,
                theirs = p.Theirs,
                ours = p.Ours,
                state = p.State ?? "paired",
                reason = p.Note,
            })
        );
    }

    private static async Task<IResult> PairAsync(HttpContext http, string entity, string connection, PairRecords pair)
    {
        var (rows, wrong) = await RowsAsync(http, ["record", "theirs", "ours", "state", "reason"]);
        if (rows is null)
            return wrong!;
        var done = await pair.SettleAsync(
            http.Actor(),
            entity,
            connection,
            [
                .. rows.Select(r => new PairAct(
                    r.GetValueOrDefault("record") ?? "",
                    r.GetValueOrDefault("theirs") ?? "",
                    r.GetValueOrDefault("ours"),
                    r.GetValueOrDefault("state") switch
                    {
                        null or "paired" => "pair",
                        var other => other,
                    },
                    r.GetValueOrDefault("reason")
                )),
            ],
            http.RequestAborted
        );
        return done.Result is { } of
            ? Results.Json(new { paired = rows.Count, change = of.Id }, statusCode: 201)
            : ApiProblem.Of(done);
    }

    private static async Task<IResult> AcceptAsync(
        HttpContext http,
        string entity,
        string connection,
        string? record,
        double? above,
        PairRecords pair
    )
    {
        var done = await pair.AcceptAsync(
            http.Actor(),
            entity,
            connection,
            record ?? "",
            above ?? 0,
            http.RequestAborted
        );
        return done.Result is { } of
            ? Results.Json(
                new
                {
                    paired = of.Paired,
                    heldBack = of.HeldBack,
                    change = of.Change,
                }
            )
            : ApiProblem.Of(done);
    }
}
