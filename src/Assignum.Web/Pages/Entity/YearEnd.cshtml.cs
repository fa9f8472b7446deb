using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.Books;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>The close of a fiscal year: proposed, posted, and opened again.</summary>
public sealed class YearEndModel(DeskContext desk, CloseYears close) : BooksPage(desk)
{
    /// <summary>The year in which the fiscal year ends.</summary>
    [BindProperty(SupportsGet = true)]
    public int? Year { get; set; }

    public int Shown => Year is > 1900 and < 9999 ? Year.Value : State.Calendar.EndsIn(State.Today);
    public YearEnd? Close { get; private set; }

    /// <summary>What would be turned back; null: the year is not closed.</summary>
    public YearEnd? Reopen { get; private set; }

    public bool MayPost => May(Role.Reviewer);

    public Task<IActionResult> OnGetAsync() => ShowAsync();

    public async Task<IActionResult> OnPostAsync(bool reopen)
    {
        var done = await close.RunAsync(Actor, EntityCode, Shown, reopen, true, HttpContext.RequestAborted);
        if (done.Result is not { } of)
        {
            Faults = done.Faults;
            return await ShowAsync();
        }
        Done = reopen
            ? $"The year {Shown} is open again, by entry {of.Number}."
            : $"The year {Shown} is closed, by entry {of.Number}.";
        return LocalRedirect($"/e/{EntityCode}/year-end?year={Shown}");
    }

    private async Task<IActionResult> ShowAsync()
    {
        var stop = HttpContext.RequestAborted;
        var closing = await close.RunAsync(Actor, EntityCode, Shown, false, false, stop);
        Faults = [.. Faults, .. closing.Faults];
        Close = closing.Result;
        Reopen = (await close.RunAsync(Actor, EntityCode, Shown, true, false, stop)).Result is { Entry: not null } of
            ? of
            : null;
        return Page();
    }
}
