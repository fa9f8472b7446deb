using System.Net;
using System.Text;

namespace Assignum.StandIns;

/// <summary>A small page of each system: what it has, what was asked of it, what is wrong with it.</summary>
internal static class StandInPages
{
    private const int Shown = 40;

    public static string Index(World world) =>
        Page(
            "Stand-ins",
            $"<p>It is {world.Day:yyyy-MM-dd} for all of them; POST /clock {{\"days\": 1}} makes a day of business.</p><ul>"
                + string.Concat(
                    world.Systems.Select(s => $"<li><a href=\"/{s.Path}\">{Safe(s.Name)}</a>, {s.Kind}</li>")
                )
                + "</ul>"
        );

    public static string Of(World world, StandIn system)
    {
        var body = new StringBuilder();
        body.Append($"<p>{system.Kind}, life {system.Life}, {world.Day:yyyy-MM-dd}. <a href=\"/\">All</a></p>");
        body.Append("<h2>Faults</h2>");
        body.Append(
            system.Faults.On.Count == 0
                ? "<p>None is on.</p>"
                : "<ul>" + string.Concat(system.Faults.On.Select(f => $"<li>{f.Key}: {f.Value} times</li>")) + "</ul>"
        );
        if (system.Hook is { } hook)
            body.Append($"<p>It calls {Safe(hook.Address.AbsoluteUri)}; the last answer was {system.Called ?? 0}.</p>");
        body.Append("<h2>Requests</h2><ul>");
        foreach (var request in system.Requests.Take(Shown))
            body.Append($"<li><code>{Safe(request)}</code></li>");
        body.Append("</ul><h2>What happened, the latest first</h2><ul>");
        foreach (var e in system.Feed.Reverse().Take(Shown))
            body.Append($"<li><code>{Safe(e.ToJsonString())}</code></li>");
        body.Append("</ul>");
        foreach (var table in system.Records.Values)
        {
            body.Append($"<h2>{table.Kind}: {table.Count}</h2><table><tr><th>id</th><th>name</th><th>status</th></tr>");
            foreach (var record in table.All.Take(Shown))
                body.Append(
                    $"<tr><td>{Safe((string?)record["id"])}</td><td>{Safe((string?)record["name"])}</td>"
                        + $"<td>{Safe((string?)record["status"])}</td></tr>"
                );
            body.Append("</table>");
        }
        return Page(system.Name, body.ToString());
    }

    private static string Safe(string? text) => WebUtility.HtmlEncode(text ?? "");

    private static string Page(string title, string body) =>
        $"<!doctype html><html lang=\"en\"><head><meta charset=\"utf-8\"><title>{Safe(title)}</title></head>"
        + $"<body><h1>{Safe(title)}</h1>{body}</body></html>";
}
