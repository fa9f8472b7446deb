using Assignum.Desk.Access;

namespace Assignum.Web;

/// <summary>Audits what is taken out as a file, before its first byte, and what is refused for want of a role.</summary>
internal sealed class AuditedAnswers(RequestDelegate next, Evidence evidence)
{
    private const int LongestSubject = 300;

    public Task InvokeAsync(HttpContext http)
    {
        http.Response.OnStarting(() => NoteAsync(http));
        return next(http);
    }

    private async Task NoteAsync(HttpContext http)
    {
        if (http.Items[typeof(Actor)] is not Actor actor)
            return;
        var what = http.Response.StatusCode switch
        {
            200
                when http
                    .Response.Headers.ContentDisposition.ToString()
                    .StartsWith("attachment", StringComparison.Ordinal) => "taken out",
            403 => "refused",
            _ => null,
        };
        if (what is null)
            return;
        var parts = http.Request.Path.Value!.Split('/', StringSplitOptions.RemoveEmptyEntries);
        var entity =
            parts is ["e", var page, ..] ? page
            : parts is ["api", "v1", "entities", var asked, ..] ? asked
            : null;
        var subject = $"{http.Request.Method} {http.Request.Path}{http.Request.QueryString}";
        if (subject.Length > LongestSubject)
            subject = subject[..LongestSubject];
        if (!Gate.IsText(subject))
            return;
        await evidence.NoteAsync(actor.Name, what, entity, subject, http.RequestAborted);
    }
}
