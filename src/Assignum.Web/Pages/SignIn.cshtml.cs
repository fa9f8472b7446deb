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

    /// <summary>Why signing in was refused.</summary>
    public string? Problem { get; private set; }

    public void OnGet() { }

    public async Task<IActionResult> OnPostAsync()
    {
        var address = HttpContext.Connection.RemoteIpAddress?.ToString() ?? "unknown";
        var outcome = await signIn.RunAsync(Name ?? "", Password ?? "", address, HttpContext.RequestAborted);
        if (outcome.Result is not { } user)
        {
            Problem = outcome.Faults[0].Message;
            Response.StatusCode = outcome.Refused == Desk.Refusal.Forbidden ? 429 : 422;
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
