using Assignum.Core;
using Assignum.Core.Books;
using Assignum.Core.Chart;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.Books;
using Assignum.Web.Access;

namespace Assignum.Web.Api;

/// <summary>The books over the interface: control accounts held against their documents.</summary>
internal static class BookEndpoints
{
    public static void Map(RouteGroupBuilder entity)
    {
        entity
            .MapGet("/tie-outs", TieOutsAsync)
            .WithSummary("Every control's accounts held against its documents: {at}");
        entity
            .MapGet("/tie-outs/{control}", TieOutAsync)
            .WithSummary("One control with the lines that make its difference: {at, after}; X-Next-After pages them");
    }

    private static async Task<IResult> TieOutsAsync(
        HttpContext http,
        string entity,
        string? at,
        DeskContext desk,
        ReadTieOuts ties
    )
    {
        var (visit, day, wrong) = await EnterAsync(http, entity, at, desk);
        if (visit is null)
            return wrong!;
        var found = await ties.AllAsync(visit, day, http.RequestAborted);
        return found.Result is { } of ? Results.Json(of.Controls.Select(Told)) : ApiProblem.Of(found);
    }

    private static async Task<IResult> TieOutAsync(
        HttpContext http,
        string entity,
        string control,
        string? at,
        string? after,
        DeskContext desk,
        ReadTieOuts ties
    )
    {
        var (visit, day, wrong) = await EnterAsync(http, entity, at, desk);
        if (visit is null)
            return wrong!;
        var faults = new List<Fault>();
        if (!Words.TryParse<Control>(control, out var of) || of == Control.None)
            faults.Add(
                new Fault(
                    "unknown-control",
                    $"There is no such control; there are {string.Join(", ", TieOuts.Controls.Select(c => Words.Of(c)))}.",
                    "control"
                )
            );
        long? before = null;
        if (!string.IsNullOrEmpty(after))
            if (long.TryParse(after, out var number) && number > 0)
                before = number;
            else
                faults.Add(new Fault("bad-number", "'after' is no number that X-Next-After gave.", "after"));
        if (faults.Count > 0)
            return ApiProblem.Result(422, "What was sent cannot be used", faults);
        var found = await ties.OneAsync(visit, of, day, before, http.RequestAborted);
        if (found.Result is not { } one)
            return ApiProblem.Of(found);
        if (one.More is { } more)
            http.Response.Headers["X-Next-After"] = more.ToString(System.Globalization.CultureInfo.InvariantCulture);
        return Results.Json(
            new
            {
                control = Words.Of(one.TieOut.Control),
                accounts = one.TieOut.Accounts,
                ledger = one.TieOut.Ledger,
                documents = one.TieOut.Documents,
                difference = one.TieOut.Difference,
                causes = one.TieOut.Causes.Select(Told),
                rows = one.Rows.Select(r => new
                {
                    entry = r.Line.Number,
                    line = r.Line.Line,
                    date = r.Line.Date.ToString("yyyy-MM-dd", System.Globalization.CultureInfo.InvariantCulture),
                    kind = r.Line.Kind,
                    @event = new { source = r.Line.Source, id = r.Line.ExternalId },
                    account = r.Line.Account,
                    purpose = r.Line.Purpose,
                    party = r.Line.Party,
                    cause = Words.Of(r.Cause),
                    amount = r.Amount,
                    text = r.Line.Text,
                    by = r.Line.Who,
                    because = r.Line.Because,
                }),
            }
        );
    }

    private static object Told(TieOut of) =>
        new
        {
            control = Words.Of(of.Control),
            accounts = of.Accounts,
            ledger = of.Ledger,
            documents = of.Documents,
            difference = of.Difference,
            causes = of.Causes.Select(Told),
        };

    private static object Told(CauseSum of) =>
        new
        {
            cause = Words.Of(of.Cause),
            amount = of.Amount,
            count = of.Count,
        };

    private static async Task<(Visit? Visit, DateOnly? Day, IResult? Wrong)> EnterAsync(
        HttpContext http,
        string entity,
        string? at,
        DeskContext desk
    )
    {
        var faults = new List<Fault>();
        var day = Endpoints.Day(at, "at", faults);
        if (faults.Count > 0)
            return (null, null, ApiProblem.Result(422, "What was sent cannot be used", faults));
        var entered = await desk.LookAsync(http.Actor(), entity, http.RequestAborted);
        return entered.Refused is null ? (entered.Result.Visit, day, null) : (null, null, ApiProblem.Of(entered));
    }
}
