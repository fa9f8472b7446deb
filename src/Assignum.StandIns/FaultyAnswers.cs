using System.Text.Json.Nodes;

namespace Assignum.StandIns;

/// <summary>Asks for the key, notes the request and does to the answer what a fault says.</summary>
internal static class FaultyAnswers
{
    private const int MostNoted = 100;

    /// <summary>How long a slow answer takes: longer than anybody should wait.</summary>
    public static TimeSpan Slow { get; set; } = TimeSpan.FromSeconds(40);

    public static async ValueTask<object?> AnswerAsync(
        EndpointFilterInvocationContext context,
        EndpointFilterDelegate next,
        World world,
        StandIn system
    )
    {
        var http = context.HttpContext;
        var fault = await world.InTurnAsync(
            () =>
            {
                var now = system.Faults.OfThisAnswer();
                system.Requests.AddFirst(
                    $"{http.Request.Method} {http.Request.Path}{http.Request.QueryString} {now}".Trim()
                );
                if (system.Requests.Count > MostNoted)
                    system.Requests.RemoveLast();
                return now;
            },
            http.RequestAborted
        );
        switch (fault)
        {
            case "down":
                http.Abort();
                return Results.Empty;
            case "slow":
                await Task.Delay(Slow, http.RequestAborted);
                break;
            case "500":
                return Answer.Problem(500, "Something broke here.");
            case "429":
                http.Response.Headers.RetryAfter = "2";
                return Answer.Problem(429, "Too many requests: ask again in two seconds.");
            case "redirect":
                http.Response.Headers.Location = "http://127.0.0.1:1/elsewhere";
                http.Response.StatusCode = 302;
                return Results.Empty;
            case "not-json":
                return Results.Content("<html><body>Please sign in.</body></html>", "text/html");
        }
        if (fault == "wrong-key" || http.Request.Headers.Authorization.ToString() != $"Bearer {world.Key}")
            return Answer.Problem(401, "The key is not one of ours.");
        var answer = await world.InTurnAsync(() => next(context), http.RequestAborted);
        if (answer is not Answer made)
            return answer;
        switch (fault)
        {
            case "half-page":
                var text = made.Body.ToJsonString();
                await made.WriteAsync(http, text[..(text.Length / 2)]);
                return Results.Empty;
            case "repeated-page" when made.Body is JsonObject page && page.ContainsKey("next"):
                page["next"] = http.Request.Query["after"].FirstOrDefault() ?? page["next"]!.DeepClone();
                page["more"] = true;
                break;
            case "accepted-then-timeout":
                await Task.Delay(Slow, http.RequestAborted);
                http.Abort();
                return Results.Empty;
            case "clock-off" when made.Body is JsonObject about && about.ContainsKey("time"):
                about["time"] = world.Day.AddDays(-1).ToString("yyyy-MM-dd") + "T12:00:00Z";
                break;
        }
        return made;
    }
}
