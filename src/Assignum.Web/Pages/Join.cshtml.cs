using Assignum.Core;
using Assignum.Desk.Access;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Assignum.Web.Pages;

/// <summary>Sets a password by a link that an administrator made.</summary>
public sealed class JoinModel(KeepPeople keep) : PageModel
{
    [BindProperty(SupportsGet = true)]
    public string? Token { get; set; }

    /// <summary>Whose link it is; null: nobody's, or it is over.</summary>
    public string? Whose { get; private set; }

    public IReadOnlyList<Fault> Faults { get; private set; } = [];

    public async Task OnGetAsync()
    {
        Whose = await keep.OfLinkAsync(Token, HttpContext.RequestAborted);
        if (Whose is null)
            Response.StatusCode = 404;
    }

    public async Task<IActionResult> OnPostAsync(string? password, string? again)
    {
        Whose = await keep.OfLinkAsync(Token, HttpContext.RequestAborted);
        if (password != again)
            Faults = [new Fault("not-the-same", "The two are not the same: type it again.", "again")];
        else
        {
            var set = await keep.UseLinkAsync(Token, password, HttpContext.RequestAborted);
            if (set.Refused is null)
                return LocalRedirect("/sign-in");
            Faults = set.Faults;
        }
        Response.StatusCode = 422;
        return Page();
    }
}
