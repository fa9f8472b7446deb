using System.Text;
using Assignum.Core;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.Books;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>Openings that come in as lists: a trial balance and a list a subledger, held against each other, then
/// posted.</summary>
public sealed class OpeningsModel(DeskContext desk, BringOpenings openings) : BooksPage(desk)
{
    [BindProperty(SupportsGet = true)]
    public string? At { get; set; }

    public DateOnly Day { get; private set; }
    public OpeningView? View { get; private set; }

    /// <summary>The list that was about to come in, and what was pasted of it.</summary>
    public string List { get; private set; } = BringOpenings.TrialBalance;
    public string? Pasted { get; private set; }
    public string? Against { get; private set; }
    public string? Reason { get; private set; }

    public bool MayPost => May(Role.Preparer);

    public Task<IActionResult> OnGetAsync() => ShowAsync();

    /// <summary>Takes a list: a file, or what was pasted.</summary>
    public async Task<IActionResult> OnPostTakeAsync(string? list, string? pasted, IFormFile? file)
    {
        Day = DayOf(At, LastMonthEnd, "at");
        (List, Pasted) = (list ?? List, pasted);
        byte[] body;
        if (file is { Length: > 0 })
        {
            using var bytes = new MemoryStream();
            await file.CopyToAsync(bytes, HttpContext.RequestAborted);
            body = bytes.ToArray();
        }
        else
            body = Encoding.UTF8.GetBytes(pasted ?? "");
        if (body.Length == 0)
            Faults = [.. Faults, new Fault("missing-field", "Choose a file, or paste the list.", "file")];
        if (Faults.Count == 0)
        {
            var json = body.AsSpan().TrimStart(" \t\r\n"u8) is [(byte)'[', ..];
            var taken = await openings.TakeAsync(Visit, Day, List, body, json, HttpContext.RequestAborted);
            if (taken.Refused is null)
            {
                Done = $"{Show.Some(taken.Result, "row")} of {TitleOf(List).ToLowerInvariant()} are there.";
                return LocalRedirect($"/e/{EntityCode}/openings?at={Iso(Day)}");
            }
            Faults = taken.Faults;
        }
        Response.StatusCode = 422;
        return await ShowAsync();
    }

    public async Task<IActionResult> OnPostDropAsync(string? list)
    {
        Day = DayOf(At, LastMonthEnd, "at");
        var gone = await openings.DropAsync(Visit, Day, list ?? "", HttpContext.RequestAborted);
        if (gone.Refused is null)
        {
            Done = $"{TitleOf(list ?? "")} is taken away; bring it in again where that was wrong.";
            return LocalRedirect($"/e/{EntityCode}/openings?at={Iso(Day)}");
        }
        Faults = gone.Faults;
        Response.StatusCode = 422;
        return await ShowAsync();
    }

    public async Task<IActionResult> OnPostAsync(string? against, string? reason)
    {
        Day = DayOf(At, LastMonthEnd, "at");
        (Against, Reason) = (against, reason);
        if (Faults.Count == 0)
        {
            var done = await openings.PostAsync(Visit, Day, against, reason, HttpContext.RequestAborted);
            if (done.Result is { } posted)
            {
                var fresh = posted.Where(p => p.Outcome == "posted").ToList();
                Done =
                    fresh.Count == 0
                        ? "All of it was posted before: nothing was posted again."
                        : $"Posted: {string.Join(", ", fresh.Select(p => p.Number))}.";
                return LocalRedirect($"/e/{EntityCode}/openings?at={Iso(Day)}");
            }
            Faults = done.Faults;
        }
        Response.StatusCode = 422;
        return await ShowAsync();
    }

    /// <summary>A list as people call it.</summary>
    public static string TitleOf(string list) =>
        list == BringOpenings.TrialBalance ? "Trial balance" : Words.Title(list);

    private async Task<IActionResult> ShowAsync()
    {
        Day = DayOf(At, LastMonthEnd, "at");
        var found = await openings.ShowAsync(Visit, Day, HttpContext.RequestAborted);
        View = found.Result;
        Faults = [.. Faults.DistinctBy(f => f.Message), .. found.Faults];
        return Page();
    }
}
