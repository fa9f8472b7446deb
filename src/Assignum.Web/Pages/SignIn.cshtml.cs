using Assignum.Desk.Access;
using Assignum.Web.Access;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Assignum.Web.Pages;

/// <summary>Signing in and out.</summary>
public sealed class SignInModel(SignIn signIn) : PageModel
{
    [BindProperty(SupportsGet = true)]
    public string? To { get; set; }

    [BindProperty]
    public string Name { get; set; } = "";

    [BindProperty]
    public string Password { get; set; } = "";

    /// <summary>Not empty: the password was right, and a code is needed.</summary>
    [BindProperty]
    public string? Ticket { get; set; }

    [BindProperty]
    public string? Code { get; set; }

    /// <summary>Why signing in was refused.</summary>
    public string? Problem { get; private set; }

    public void OnGet() { }

    public async Task<IActionResult> OnPostAsync()
    {
        var address = HttpContext.Connection.RemoteIpAddress?.ToString() ?? "unknown";
        var outcome = string.IsNullOrEmpty(Ticket)
            ? await signIn.RunAsync(Name ?? "", Password ?? "", address, HttpContext.RequestAborted)
            : await signIn.CodeAsync(Ticket, Code ?? "", address, HttpContext.RequestAborted);
        if (outcome.Result is not { } user)
        {
            Problem = outcome.Faults[0].Message;
            if (outcome.Refused == Desk.Refusal.NotFound)
                Ticket = null;
            Response.StatusCode = outcome.Refused == Desk.Refusal.Forbidden ? 429 : 422;
            return Page();
        }
        if (user.Ticket.Length > 0)
        {
            ModelState.Clear();
            Ticket = user.Ticket;
            return Page();
        }
        await SessionCookie.SignInAsync(HttpContext, user);
        return Url.IsLocalUrl(To) ? LocalRedirect(To) : LocalRedirect("/");
    }

    public async Task<IActionResult> OnPostOutAsync()
    {
        await SessionCookie.SignOutAsync(HttpContext);
        return LocalRedirect("/sign-in");
    }
}
