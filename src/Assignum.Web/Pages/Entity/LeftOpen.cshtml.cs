using Assignum.Core;
using Assignum.Core.Chart;
using Assignum.Desk;
using Assignum.Desk.Books;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>Rows that wait for a second event, with age and cause; balances and lines on the unusual side.</summary>
public sealed class LeftOpenModel(DeskContext desk, ReadLeftOpen read) : BooksPage(desk)
{
    [BindProperty(SupportsGet = true)]
    public string? At { get; set; }

    [BindProperty(SupportsGet = true, Name = "control")]
    public string? Which { get; set; }

    public DateOnly Day { get; private set; }
    public LeftOpenView? View { get; private set; }
    public Control? Only { get; private set; }

    public async Task<IActionResult> OnGetAsync()
    {
        Day = DayOf(At, LastMonthEnd, "at");
        if (!string.IsNullOrEmpty(Which))
        {
            if (!Words.TryParse<Control>(Which, out var control) || !Core.Books.LeftOpen.Between.Contains(control))
                return NotFound();
            Only = control;
        }
        var found = await read.RunAsync(Visit, Day, Only, HttpContext.RequestAborted);
        View = found.Result;
        Faults = [.. Faults, .. found.Faults];
        return Page();
    }

    /// <summary>Why a row stands there, in words.</summary>
    public static string Cause(string cause) => cause.Length == 0 ? "posted by events" : cause.Replace('-', ' ');
}
