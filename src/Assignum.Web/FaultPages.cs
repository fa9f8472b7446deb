using Assignum.Web.Api;
using Microsoft.AspNetCore.Diagnostics;
using Npgsql;

namespace Assignum.Web;

/// <summary>
/// What a request gets when something breaks: 503 while the database is away, 413 for too much, 500 for our own faults.
/// The interface gets problem details, people get a page; nobody gets a stack trace.
/// </summary>
internal sealed partial class FaultPages(ILogger<FaultPages> log) : IExceptionHandler
{
    public async ValueTask<bool> TryHandleAsync(HttpContext http, Exception e, CancellationToken stop)
    {
        var (status, title, code, message) = Explain(e);
        if (status >= 500)
        {
            LogFailed(e, http.Request.Method, http.Request.Path, status, http.TraceIdentifier);
            message += $" (request {http.TraceIdentifier})";
        }
        if (status == 503)
            http.Response.Headers.RetryAfter = "5";
        http.Response.Headers.CacheControl = "no-cache, no-store";
        if (http.Request.Path.StartsWithSegments("/api"))
            await ApiProblem.WriteAsync(http, status, title, [new(code, message)]);
        else
            await PageAsync(http, status, title, message);
        return true;
    }

    private static (int Status, string Title, string Code, string Message) Explain(Exception e) =>
        e switch
        {
            BadHttpRequestException bad => (
                bad.StatusCode,
                "The request cannot be read",
                "bad-request",
                bad.StatusCode == 413
                    ? "The request is larger than is taken here."
                    : "The request is malformed: look at the values in its address, and at its end if it was cut off."
            ),
            // A form with too many fields, too long a field, or a boundary that never comes.
            InvalidDataException => (
                400,
                "The form cannot be read",
                "bad-form",
                "It is malformed or has more than is taken here."
            ),
            PostgresException { SqlState: "22021" or "22P05" } => (
                400,
                "The request cannot be read",
                "bad-character",
                "It holds a zero character, or bytes that are no text."
            ),
            _ when IsDatabaseAway(e) => (
                503,
                "The database does not answer",
                "database-away",
                "The database cannot be reached just now. Nothing was changed. Try again in a moment."
            ),
            _ => (
                500,
                "Something broke",
                "broken",
                "A fault of the program. Nothing of this request was kept; the fault is in the log."
            ),
        };

    // The server's own words for going down are 57P0x; everything that is not an answer of the server is a lost
    // connection.
    private static bool IsDatabaseAway(Exception? e) =>
        e switch
        {
            null => false,
            PostgresException p => p.SqlState.StartsWith("57P0", StringComparison.Ordinal)
                || p.SqlState.StartsWith("08", StringComparison.Ordinal)
                || p.SqlState == "53300",
            NpgsqlException or TimeoutException => true,
            _ => IsDatabaseAway(e.InnerException),
        };

    /// <summary>Says something where a page's answer has a status and nothing else; the interface is left as it is.</summary>
    internal static Task SayAsync(StatusCodeContext empty)
    {
        var http = empty.HttpContext;
        if (http.Request.Path.StartsWithSegments("/api"))
            return Task.CompletedTask;
        var status = http.Response.StatusCode;
        var (title, message) = status switch
        {
            404 => (
                "There is no such page",
                "Its address may be mistyped, or what it was about is gone, or it is of an entity that you have no part in."
            ),
            400 when HttpMethods.IsPost(http.Request.Method) => (
                "The form was not taken",
                "It is of a session that has ended, or was sent from elsewhere. Nothing was changed. Go back, load the page anew "
                    + "and send it again."
            ),
            403 => ("Not yours to do", "Your role does not allow it. Nothing was changed."),
            _ => ("Not done", $"The answer is {status}. Nothing was changed."),
        };
        return PageAsync(http, status, title, message, status == 404 ? ("/?all=true", "Your entities") : null);
    }

    // No layout, no database: it must work when nothing else does.
    internal static async Task PageAsync(
        HttpContext http,
        int status,
        string title,
        string message,
        (string Address, string Words)? on = null
    )
    {
        var (address, words) = on ?? ("", "Try again");
        var assets = http.RequestServices.GetRequiredService<Assets>();
        http.Response.StatusCode = status;
        http.Response.ContentType = "text/html; charset=utf-8";
        await http.Response.WriteAsync(
            $"""
            <!doctype html><html lang="en"><head><meta charset="utf-8"><title>{title} · Assignum</title>
            <link rel="stylesheet" href="{assets["lib/bootstrap.min.css"]}">
            <link rel="stylesheet" href="{assets["css/assignum.css"]}"></head>
            <body class="plain-page"><main class="notice"><p
              class="brand-dark">Assignum</p><h1>{title}</h1><p>{message}</p><p><a
              href="{address}">{words}</a></p></main></body></html>
            """
        );
    }

    [LoggerMessage(LogLevel.Error, "{Method} {Path} answered {Status} (request {Request})")]
    private partial void LogFailed(Exception e, string method, string path, int status, string request);
}
