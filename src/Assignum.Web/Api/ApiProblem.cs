using Assignum.Core;
using Assignum.Desk;

namespace Assignum.Web.Api;

/// <summary>An error of the interface, as RFC 9457 problem details with every fault found.</summary>
internal static class ApiProblem
{
    /// <summary>Writes a problem.</summary>
    public static Task WriteAsync(HttpContext http, int status, string title, IReadOnlyList<Fault> faults) =>
        Result(status, title, faults).ExecuteAsync(http);

    /// <summary>A problem as a result.</summary>
    public static IResult Result(
        int status,
        string title,
        IReadOnlyList<Fault> faults,
        IReadOnlyDictionary<string, object?>? more = null
    )
    {
        var body = new Dictionary<string, object?>
        {
            ["type"] = "about:blank",
            ["title"] = title,
            ["status"] = status,
            ["errors"] = faults.Select(f => new
            {
                f.Code,
                f.Message,
                f.Path,
                f.Purpose,
                f.Account,
            }),
        };
        foreach (var (key, value) in more ?? new Dictionary<string, object?>())
            body[key] = value;
        return Results.Json(body, ApiJson.WithoutNulls, "application/problem+json", status);
    }

    /// <summary>The refusal of a task as a result.</summary>
    public static IResult Of<T>(Outcome<T> outcome) =>
        outcome.Refused switch
        {
            Refusal.NotFound => Result(404, "Not found", outcome.Faults),
            Refusal.Forbidden => Result(403, "Not allowed", outcome.Faults),
            Refusal.Conflict => Result(409, "Conflict", outcome.Faults),
            _ => Result(422, "What was sent cannot be used", outcome.Faults),
        };
}
