using Assignum.Core;
using Assignum.Desk.Access;
using Assignum.Web.Api;
using Microsoft.AspNetCore.Http.Features;
using Microsoft.Extensions.Primitives;

namespace Assignum.Web;

/// <summary>
/// What is looked at of every request before anything reads its body: that its address is text, that its method is one
/// that pages have, and how large a body may be, given who sends it to where.
/// </summary>
internal sealed class Gate(RequestDelegate next)
{
    // Pages that take files from whoever may change the entity.
    private static readonly string[] TakeFiles = ["files", "work", "chart/bring", "sheet", "rehearse/cycle"];

    public async Task InvokeAsync(HttpContext http)
    {
        var api = http.Request.Path.StartsWithSegments("/api");
        http.Response.Headers.CacheControl = "no-cache, no-store";
        http.Response.Headers.Pragma = "no-cache";
        if (!IsText(http.Request.Path.Value) || http.Request.Query.Any(q => !IsText(q.Key) || !IsText(q.Value)))
        {
            await RefuseAsync(
                http,
                api,
                400,
                "The address cannot be read",
                "It holds a zero character, or bytes that are no text."
            );
            return;
        }
        if (!api && !IsPageMethod(http.Request.Method))
        {
            http.Response.Headers.Allow = "GET, HEAD, POST";
            await RefuseAsync(http, api, 405, "Not this way", "Pages are asked for with GET and sent to with POST.");
            return;
        }
        if (!api && http.Features.Get<IHttpMaxRequestBodySizeFeature>() is { IsReadOnly: false } limit)
        {
            limit.MaxRequestBodySize = MostOf(http);
            if (http.Request.ContentLength > limit.MaxRequestBodySize)
            {
                await RefuseAsync(
                    http,
                    api,
                    413,
                    "Too large",
                    $"What was sent is larger than the {limit.MaxRequestBodySize >> 20} MB that are taken here from you."
                );
                return;
            }
            // One that does not say how large it is shows it now: what looks for its token takes too much for none.
            if (http.Request is { ContentLength: null, HasFormContentType: true })
                await http.Request.ReadFormAsync(http.RequestAborted);
        }
        await next(http);
    }

    /// <summary>Whether a text can be kept: it holds no zero character and no half of one.</summary>
    public static bool IsText(StringValues values)
    {
        foreach (var value in values)
            if (value is not null && !IsText(value))
                return false;
        return true;
    }

    private static bool IsText(string? text)
    {
        if (text is null)
            return true;
        for (var i = 0; i < text.Length; i++)
            if (text[i] == '\0')
                return false;
            else if (char.IsHighSurrogate(text[i]) && i + 1 < text.Length && char.IsLowSurrogate(text[i + 1]))
                i++;
            else if (char.IsSurrogate(text[i]))
                return false;
        return true;
    }

    private static bool IsPageMethod(string method) =>
        HttpMethods.IsGet(method) || HttpMethods.IsHead(method) || HttpMethods.IsPost(method);

    // Whoever may not change an entity sends it no files; whoever is not signed in sends a name and a password.
    private static long MostOf(HttpContext http)
    {
        if (http.Items[typeof(Actor)] is not Actor actor)
            return Limits.SmallForm;
        var parts = http.Request.Path.Value!.Split('/', 4, StringSplitOptions.RemoveEmptyEntries);
        var type = http.Request.ContentType ?? "";
        if (!type.StartsWith("multipart/", StringComparison.OrdinalIgnoreCase))
            return Limits.Form;
        return
            parts is ["e", var entity, ..]
            && actor.May(Role.Preparer, entity)
            && TakeFiles.Any(t =>
                http.Request.Path.Value.StartsWith($"/e/{entity}/{t}", StringComparison.OrdinalIgnoreCase)
            )
            ? Limits.Upload
            : Limits.SmallForm;
    }

    /// <summary>Refuses in the way that whoever asks can read.</summary>
    public static Task RefuseAsync(HttpContext http, bool api, int status, string title, string message) =>
        api
            ? ApiProblem.WriteAsync(http, status, title, [new Fault("bad-request", message)])
            : FaultPages.PageAsync(http, status, title, message);
}
