using System.Globalization;
using Assignum.Core.Books;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.Books;
using Assignum.Web.Drawing;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>What stands across the end of a month: shipped and not invoiced, invoiced and not shipped, received and not
/// invoiced.</summary>
public sealed class CutOffModel(DeskContext desk, KeepCutOff keep) : BooksPage(desk)
{
    [BindProperty(SupportsGet = true)]
    public string? At { get; set; }

    public DateOnly Day { get; private set; }
    public CutOffs? Cut { get; private set; }

    /// <summary>What would be posted; null: nothing, or the policy is off.</summary>
    public CutOffProposal? Proposal { get; private set; }
    public bool Posted { get; private set; }
    public bool IsOn { get; private set; }

    public Task<IActionResult> OnGetAsync() => ShowAsync();

    /// <summary>Posts the cut-off of the day.</summary>
    public async Task<IActionResult> OnPostAsync()
    {
        Day = DayOf(At, LastMonthEnd, "at");
        if (Faults.Count > 0)
            return await ShowAsync();
        var done = await keep.RunAsync(Visit, Day, true, HttpContext.RequestAborted);
        if (done.Result is not { } of)
        {
            Faults = done.Faults;
            return await ShowAsync();
        }
        Done = of.Number is null
            ? "There was nothing to post."
            : $"Entry {of.Number} is posted, and turned back the day after.";
        return LocalRedirect($"/e/{EntityCode}/cut-off?at={Iso(Day)}");
    }

    private async Task<IActionResult> ShowAsync()
    {
        var stop = HttpContext.RequestAborted;
        Day = DayOf(At, LastMonthEnd, "at");
        var found = await keep.ShowAsync(Visit, Day, stop);
        Cut = found.Result;
        Faults = [.. Faults, .. found.Faults];
        Posted = await keep.PostedAsync(Visit, Day, stop);
        if (!Posted)
        {
            var proposed = await keep.RunAsync(Visit, Day, false, stop);
            IsOn = !proposed.Faults.Any(f => f.Code == "cut-off-off");
            Proposal = proposed.Result;
            if (IsOn)
                Faults = [.. Faults, .. proposed.Faults];
        }
        return Page();
    }

    public bool MayPost => May(Role.Reviewer);

    /// <summary>Units shipped beside units invoiced.</summary>
    public Bars? Months =>
        Cut is not { } cut || cut.ByMonth.All(m => m.Shipped == 0 && m.Invoiced == 0)
            ? null
            : new Bars(
                "Units shipped against units invoiced, by month",
                [.. cut.ByMonth.Select(m => m.Month.ToString("MMM yyyy", CultureInfo.InvariantCulture))],
                ["shipped", "invoiced"],
                [.. cut.ByMonth.Select(m => new[] { m.Shipped, m.Invoiced })]
            );

    /// <summary>Revenue and cost that fall into different months.</summary>
    public Bars? Across =>
        Cut is not { AcrossMonths.Count: > 0 } cut
            ? null
            : new Bars(
                "Cost outside the month of its revenue, by month of the revenue",
                [
                    .. cut
                        .AcrossMonths.Select(a => a.RevenueMonth)
                        .Distinct()
                        .Order()
                        .TakeLast(6)
                        .Select(m => m.ToString("MMM yyyy", CultureInfo.InvariantCulture)),
                ],
                ["revenue", "cost elsewhere"],
                [
                    .. cut
                        .AcrossMonths.GroupBy(a => a.RevenueMonth)
                        .OrderBy(g => g.Key)
                        .TakeLast(6)
                        .Select(g => new[] { g.Sum(a => a.Revenue), g.Sum(a => a.Cost) }),
                ]
            );
}
