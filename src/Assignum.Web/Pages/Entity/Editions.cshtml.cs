using Assignum.Desk;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>The editions, and publishing the draft.</summary>
public sealed class EditionsModel(DeskContext desk, PublishDraft publish) : EntityPage(desk)
{
    public override string Place => "editions";
    [BindProperty] public string? From { get; set; }
    [BindProperty] public string? Note { get; set; }

    public void OnGet() { }

    public async Task<IActionResult> OnPostAsync()
    {
        DateOnly? day = DateOnly.TryParseExact(From, "yyyy-MM-dd", out var from) ? from : null;
        var published = await publish.RunAsync(Actor, EntityCode, day, string.IsNullOrWhiteSpace(Note) ? null : Note.Trim(), HttpContext.RequestAborted);
        if (published.Refused is null) return LocalRedirect($"/e/{EntityCode}/editions");
        Faults = published.Faults;
        Response.StatusCode = 422;
        return Page();
    }
}
