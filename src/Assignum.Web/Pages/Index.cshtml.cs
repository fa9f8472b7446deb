using Assignum.Core.Editions;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.SetUps;
using Assignum.Web.Access;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Assignum.Web.Pages;

/// <summary>The entities that one may look into; an administrator creates them here.</summary>
public sealed class IndexModel(DeskContext desk, CreateEntity create) : PageModel
{
    public IReadOnlyList<EntityRow> Entities { get; private set; } = [];
    public bool MayCreate => HttpContext.Actor().MayEverywhere(Role.Administrator);
    public string? Problem { get; private set; }

    public Task OnGetAsync() => LoadAsync();

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
