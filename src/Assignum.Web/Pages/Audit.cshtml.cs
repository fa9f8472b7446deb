using System.Globalization;
using Assignum.Core.Access;
using Assignum.Core.Calendar;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Web.Access;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Assignum.Web.Pages;

/// <summary>Who did what and when, and whether it is still as it was written.</summary>
public sealed class AuditModel(DeskContext desk, Evidence evidence) : PageModel
{
    [BindProperty(SupportsGet = true)]
    public string? Who { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? What { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? In { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Text { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? From { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? To { get; set; }

    [BindProperty(SupportsGet = true)]
    public long? Before { get; set; }

    public IReadOnlyList<AuditRow> Lines { get; private set; } = [];
    public IReadOnlyList<string> Kinds { get; private set; } = [];
    public IReadOnlyList<string> Entities { get; private set; } = [];
    public IReadOnlyList<SealsOf>? Seals { get; private set; }
    public string? Problem { get; private set; }

    /// <summary>Whether there are more lines than are shown.</summary>
    public bool More => Lines.Count == Evidence.Page;

    /// <summary>The address with these filters, and something more.</summary>
    public string With(string key, string? value) =>
        "/audit"
        + QueryString.Create(
            new Dictionary<string, string?>
            {
                ["who"] = Who,
                ["what"] = What,
                ["in"] = In,
                ["text"] = Text,
                ["from"] = From,
                ["to"] = To,
                [key] = value,
            }.Where(f => !string.IsNullOrEmpty(f.Value))
        );

    public Task<IActionResult> OnGetAsync() => ShowAsync();

    public async Task<IActionResult> OnGetFileAsync(string? format)
    {
        if (Asked() is not { } asked)
            return await ShowAsync();
        var read = await evidence.TakeOutAsync(HttpContext.Actor(), Entity, asked, HttpContext.RequestAborted);
        if (read.Result is not { } lines)
            return await ShowAsync();
        return ListFile.Of(
            "audit",
            format ?? "csv",
            ["line", "at", "entity", "who", "what", "subject", "before", "after"],
            lines.Select(l =>
                new object?[]
                {
                    l.Id.ToString(CultureInfo.InvariantCulture),
                    l.At.ToString("yyyy-MM-ddTHH:mm:ss.ffffffZ", CultureInfo.InvariantCulture),
                    l.Entity,
                    l.Who,
                    l.What,
                    l.Subject,
                    l.Before,
                    l.After,
                }
            )
        );
    }

    /// <summary>Checks all seals.</summary>
    public async Task<IActionResult> OnPostAsync()
    {
        var made = await evidence.VerifyAsync(HttpContext.Actor(), HttpContext.RequestAborted);
        (Seals, Problem) = (made.Result, made.Result is null ? made.Faults[0].Message : null);
        if (made.Refused is not null)
            Response.StatusCode = 403;
        return await ShowAsync();
    }

    private string? Entity => string.IsNullOrWhiteSpace(In) ? null : In.Trim();

    private AuditAsked? Asked()
    {
        if (AuditAsked.Of(Who, What, Text, WrittenDay.Canonical(From), WrittenDay.Canonical(To), Before) is { } asked)
            return asked;
        Problem = "Write days as 31 Mar 2026.";
        Response.StatusCode = 422;
        return null;
    }

    private async Task<IActionResult> ShowAsync()
    {
        var actor = HttpContext.Actor();
        Entities = [.. (await desk.EntitiesAsync(actor, HttpContext.RequestAborted)).Select(e => e.Code)];
        if (Asked() is not { } asked)
            return Page();
        var read = await evidence.ReadAsync(actor, Entity, asked, HttpContext.RequestAborted);
        if (read.Refused is not null)
        {
            Problem = read.Faults[0].Message;
            Response.StatusCode = 403;
            return Page();
        }
        (Lines, Kinds) = read.Result;
        return Page();
    }
}
