using Assignum.Core;
using Assignum.Core.Books;
using Assignum.Core.Money;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.Books;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>What projects recognise at the end of a month: estimates, figures from the books, a preview, and the
/// entries.</summary>
public sealed class RecognitionModel(DeskContext desk, RecogniseProjects projects) : BooksPage(desk)
{
    [BindProperty(SupportsGet = true)]
    public string? At { get; set; }

    public DateOnly Day { get; private set; }
    public IReadOnlyList<RecognitionRow> Rows { get; private set; } = [];

    /// <summary>An estimate as it was typed and not taken.</summary>
    public (string Project, string? Estimated, string? Contract)? Typed { get; private set; }

    public bool MayPost => May(Role.Preparer);

    public Task<IActionResult> OnGetAsync() => ShowAsync();

    /// <summary>Keeps the estimate of a project.</summary>
    public async Task<IActionResult> OnPostKeepAsync(
        string? project,
        string? estimated,
        string? contract,
        bool complete,
        int version
    )
    {
        Day = DayOf(At, LastMonthEnd, "at");
        var faults = new List<Fault>();
        decimal? Read(string? text, string field)
        {
            if (string.IsNullOrWhiteSpace(text))
                return null;
            if (WrittenNumber.Of(text, out var why) is { } number)
                return number;
            faults.Add(new Fault("bad-number", $"'{(text.Length > 40 ? text[..40] : text)}' {why}.", field));
            return null;
        }
        var of = new ProjectEstimate(
            project?.Trim() ?? "",
            Read(estimated, "estimated"),
            Read(contract, "contract"),
            complete,
            version
        );
        if (faults.Count == 0)
        {
            var kept = await projects.KeepAsync(Visit, of, HttpContext.RequestAborted);
            if (kept.Result is not null)
            {
                Done = $"The estimate of {of.Project} is kept.";
                return LocalRedirect($"/e/{EntityCode}/recognition?at={Iso(Day)}");
            }
            faults.AddRange(kept.Faults);
        }
        Faults = [.. Faults, .. faults];
        Typed = (of.Project, estimated, contract);
        Response.StatusCode = 422;
        return await ShowAsync();
    }

    /// <summary>Posts what the projects recognise.</summary>
    public async Task<IActionResult> OnPostAsync()
    {
        Day = DayOf(At, LastMonthEnd, "at");
        if (Faults.Count == 0)
        {
            var done = await projects.RunAsync(Visit, Day, true, null, HttpContext.RequestAborted);
            if (done.Result is { } rows)
            {
                var posted = rows.Where(r => r.Number is not null).ToList();
                var refused = rows.Where(r => r is { Number: null, Wrong: not null }).ToList();
                Done =
                    $"{Show.Some(posted.Count, "project")} recognised: "
                    + string.Join(", ", posted.Take(20).Select(r => $"{r.Project} by {r.Number}"))
                    + (
                        refused.Count == 0
                            ? "."
                            : $". Not recognised: {string.Join(", ", refused.Select(r => r.Project))}."
                    );
                return LocalRedirect($"/e/{EntityCode}/recognition?at={Iso(Day)}");
            }
            Faults = done.Faults;
        }
        Response.StatusCode = 422;
        return await ShowAsync();
    }

    private async Task<IActionResult> ShowAsync()
    {
        Day = DayOf(At, LastMonthEnd, "at");
        var found = await projects.RunAsync(Visit, Day, false, null, HttpContext.RequestAborted);
        Rows = found.Result ?? [];
        Faults = [.. Faults.DistinctBy(f => f.Message), .. found.Faults];
        return Page();
    }
}
