using Assignum.Core.Editions;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.Checks;
using Assignum.Desk.SetUps;
using Assignum.Web.Access;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Assignum.Web.Pages;

/// <summary>The entities that one may look into; an administrator creates them here.</summary>
public sealed class IndexModel(DeskContext desk, CreateEntity create, ReadOverview overview) : PageModel
{
    public IReadOnlyList<EntityRow> Entities { get; private set; } = [];
    public bool MayCreate => HttpContext.Actor().MayEverywhere(Role.Administrator);
    public string? Problem { get; private set; }

    /// <summary>What one sees after signing in: the overview of the one entity there is to see, or a row each.</summary>
    /// <param name="all">Whether the list is wanted in any case.</param>
    public async Task<IActionResult> OnGetAsync(bool all)
    {
        await LoadAsync();
        return !all && !MayCreate && Entities is [var one] ? LocalRedirect($"/e/{one.Code}") : Page();
    }

    /// <summary>The figures of an entity's row, asked for once the list is shown.</summary>
    public async Task<IActionResult> OnGetRowAsync(string? code)
    {
        var looked = await desk.LookAsync(HttpContext.Actor(), code ?? "", HttpContext.RequestAborted);
        return looked.Refused is not null
            ? NotFound()
            : Partial(
                "_EntityRow",
                (looked.Result.Visit, await overview.RunAsync(looked.Result.Visit, HttpContext.RequestAborted))
            );
    }

    public async Task<IActionResult> OnPostAsync(string? code, string? name, string? currency)
    {
        var made = await create.RunAsync(
            HttpContext.Actor(),
            code?.Trim(),
            name?.Trim(),
            currency?.Trim(),
            HttpContext.RequestAborted
        );
        if (made.Result is { } row)
            return LocalRedirect($"/e/{row.Code}/files");
        Problem = string.Join(" ", made.Faults.Select(f => f.Message));
        Response.StatusCode = 422;
        await LoadAsync();
        return Page();
    }

    private async Task LoadAsync()
    {
        Entities = await desk.EntitiesAsync(HttpContext.Actor(), HttpContext.RequestAborted);
    }
}
