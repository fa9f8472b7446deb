using System.Text.Json;
using Assignum.Core;
using Assignum.Core.Work;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.SetUps;
using Assignum.Desk.Work;
using Assignum.Formats.Bundles;
using Assignum.Web.Access;

namespace Assignum.Web.Api;

/// <summary>Bundles taken out and brought in, at once or as work, and the changes that they and everybody made.</summary>
internal static class BundleEndpoints
{
    public static void Map(RouteGroupBuilder entity)
    {
        entity
            .MapGet("/bundle", ExportAsync)
            .WithSummary("The configuration bundle: a zip, or a workbook where Accept asks for one");
        entity
            .MapPost("/bundle", ImportAsync)
            .WithSummary("Preview a bundle, or apply it to the draft and the records")
            .Needs(Role.Preparer)
            .TakesBody("application/zip", Workbook.MediaType);
        entity
            .MapGet("/changes", ChangesAsync)
            .WithSummary("What was changed in the draft and the records, newest first");
        entity.MapPost("/changes/{change}/undo", UndoAsync).WithSummary("Undo a change while nothing has used it");
        entity.MapGet("/work", WorksAsync).WithSummary("Work that was given, newest first");
        entity.MapGet("/work/{id:long}", WorkAsync).WithSummary("One piece of work, with what came of it");
        entity.MapPost("/work/{id:long}/cancel", CancelWorkAsync).WithSummary("Stop work that waits or runs");
    }

    private static async Task<IResult> ExportAsync(
        HttpContext http,
        string entity,
        string? edition,
        ViewSetUp view,
        DeskContext desk
    )
    {
        var set = await view.RunAsync(http.Actor(), entity, edition, null, http.RequestAborted);
        if (set.Result is not { } found)
            return ApiProblem.Of(set);
        var file = new MemoryStream();
        var asBook =
            http.Request.Headers.Accept.ToString() is var accept
            && (
                accept.Contains("spreadsheetml", StringComparison.OrdinalIgnoreCase)
                || accept.Contains("xlsx", StringComparison.OrdinalIgnoreCase)
            );
        if (asBook && Workbook.TooLong(found.SetUp.SetUp) is { } part)
            return ApiProblem.Result(
                406,
                "Too long for a workbook",
                [new Fault("too-many-rows", $"{part.Name} has more rows than a sheet can hold: take the zip.")]
            );
        if (asBook)
            Workbook.Write(found.SetUp.SetUp, file);
        else
            Bundle.ToZip(found.SetUp.SetUp, file);
        http.Response.Headers.ETag = $"\"{ImportBundle.StateOf(found.Entity)}\"";
        await TakenBundles.TakenOutAsync(desk, found.Entity, found.SetUp.SetUp, http.Actor().Name, http.RequestAborted);
        return asBook
            ? Results.File(file.ToArray(), Workbook.MediaType, $"{entity}.xlsx")
            : Results.File(file.ToArray(), "application/zip", $"{entity}.zip");
    }

    private static async Task<IResult> ChangesAsync(HttpContext http, string entity, int? limit, ReadChanges changes)
    {
        var outcome = await changes.RunAsync(
            http.Actor(),
            entity,
            Math.Clamp(limit ?? Endpoints.PageSize, 1, Endpoints.PageSize),
            http.RequestAborted
        );
        return outcome.Result is { } rows ? Results.Json(rows) : ApiProblem.Of(outcome);
    }

    private static async Task<IResult> UndoAsync(HttpContext http, string entity, long change, EditSetUp edit)
    {
        var undone = await edit.UndoAsync(http.Actor(), entity, change, http.RequestAborted);
        return undone.Refused is null
            ? Results.Json(new { change = undone.Result!.Id, rows = undone.Result.Plan.Changes.Count })
            : ApiProblem.Of(undone);
    }

    private static async Task<IResult> LaterAsync(
        HttpContext http,
        string entity,
        WorkDesk work,
        string kind,
        string subject,
        object order,
        byte[] body
    )
    {
        var given = await work.StartAsync(
            http.Actor(),
            entity,
            Role.Preparer,
            kind,
            subject,
            order,
            body,
            http.RequestAborted
        );
        return given.Result is { } row
            ? Results.Accepted($"/api/v1/entities/{entity}/work/{row.Id}", WorkAnswer(row))
            : ApiProblem.Of(given);
    }

    private static async Task<IResult> WorksAsync(HttpContext http, string entity, WorkDesk work)
    {
        var found = await work.ListAsync(http.Actor(), entity, http.RequestAborted);
        return found.Result is { } rows ? Results.Json(rows.Select(WorkAnswer)) : ApiProblem.Of(found);
    }

    private static async Task<IResult> WorkAsync(HttpContext http, string entity, long id, WorkDesk work)
    {
        var found = await work.FindAsync(http.Actor(), entity, id, http.RequestAborted);
        return found.Result is { } row ? Results.Json(WorkAnswer(row)) : ApiProblem.Of(found);
    }

    private static async Task<IResult> CancelWorkAsync(HttpContext http, string entity, long id, WorkDesk work)
    {
        var turned = await work.CancelAsync(http.Actor(), entity, id, http.RequestAborted);
        return turned.Result is { } row ? Results.Json(WorkAnswer(row)) : ApiProblem.Of(turned);
    }

    private static object WorkAnswer(WorkRow row) =>
        new
        {
            row.Id,
            row.Kind,
            row.Subject,
            row.Who,
            row.Status,
            row.Done,
            row.Steps,
            row.Says,
            row.At,
            row.StartedAt,
            row.FinishedAt,
            Result = row.Result is null ? (JsonElement?)null : JsonDocument.Parse(row.Result).RootElement,
        };

    private static async Task<IResult> ImportAsync(
        HttpContext http,
        string entity,
        bool? apply,
        bool? partial,
        bool? whole,
        string? conflicts,
        bool? later,
        ImportBundle import,
        WorkDesk work
    )
    {
        if (conflicts is not (null or "bundle" or "here"))
            return ApiProblem.Result(
                400,
                "Bad query",
                [
                    new Fault(
                        "bad-value",
                        "conflicts is 'bundle' (what the bundle says is taken) or 'here' (what is here stays).",
                        "conflicts"
                    ),
                ]
            );
        var back = new BundleReturn(whole == true, _ => conflicts is null ? null : conflicts == "bundle", true);
        if (await BodyReader.WholeAsync(http.Request, Limits.Upload, http.RequestAborted) is not { } body)
            return ApiProblem.Result(
                413,
                "Too large",
                [new Fault("too-large", $"A bundle is at most {Limits.Upload >> 20} MB.")]
            );
        if (later == true)
            return await LaterAsync(
                http,
                entity,
                work,
                BundleWork.Name,
                "sent over the interface",
                new BundleOrder(
                    apply == true,
                    partial == true,
                    whole == true,
                    conflicts is null ? null : conflicts == "bundle",
                    Endpoints.IfMatch(http)
                ),
                body
            );
        var faults = new List<Fault>();
        var sheets = Bundle.FromFile(new MemoryStream(body), faults);
        var expected = Endpoints.IfMatch(http);
        var outcome = await import.RunAsync(
            http.Actor(),
            entity,
            sheets,
            faults,
            partial == true,
            apply == true,
            expected,
            http.RequestAborted,
            back
        );
        if (outcome.Refused == Refusal.Conflict && expected is not null)
            return ApiProblem.Result(412, "Changed meanwhile", outcome.Faults);
        if (outcome.Result is not { } result)
            return ApiProblem.Of(outcome);
        var said = ImportAnswer.Of(result);
        return outcome.Refused is null
            ? Results.Json(said)
            : ApiProblem.Result(
                422,
                "The bundle has faults; nothing was changed",
                outcome.Faults,
                new Dictionary<string, object?> { ["faults"] = said.Errors }
            );
    }
}
