using Assignum.Desk;
using Assignum.Desk.Checks;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>An entity's first page: what is live, how far the work is and what to do next, what changed, and what waits
/// for whoever looks.</summary>
public sealed class OverviewModel(DeskContext desk, ReadOverview overview) : EntityPage(desk)
{
    public override string Place => "overview";

    public Overview View { get; private set; } = null!;

    public async Task<IActionResult> OnGetAsync()
    {
        View = await overview.RunAsync(Visit, HttpContext.RequestAborted);
        return Page();
    }

    /// <summary>The address of a page of this entity.</summary>
    public string At(string place) => $"/e/{Uri.EscapeDataString(EntityCode)}/{place}";
}
