using Assignum.Core;
using Assignum.Core.Calendar;
using Assignum.Desk.Access;
using Assignum.Web.Access;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using QRCoder;

namespace Assignum.Web.Pages;

/// <summary>One's own password, second factor and sessions.</summary>
public sealed class MeModel(OwnAccount own) : PageModel
{
    public OwnView Own { get; private set; } = new("", "", false, 0, []);
    public IReadOnlyList<Fault> Faults { get; private set; } = [];

    /// <summary>A second factor that waits for its first code, shown this once.</summary>
    public FactorBegun? Begun { get; private set; }

    /// <summary>The same as a drawing for a camera.</summary>
    public string? Drawing { get; private set; }

    /// <summary>Recovery codes, shown this once.</summary>
    public IReadOnlyList<string> Codes { get; private set; } = [];

    /// <summary>The session of this request.</summary>
    public Guid Here => HttpContext.Session();

    [TempData]
    public string? Done { get; set; }

    public Task<IActionResult> OnGetAsync() => ShowAsync();

    /// <summary>A day in a form.</summary>
    public static string Example(DayForm form) =>
        form switch
        {
            DayForm.MonthFirst => "Mar 14, 2026",
            DayForm.YearFirst => "2026-03-14",
            _ => "14 Mar 2026",
        };

    /// <summary>Takes another form for days; it is kept in this browser, nobody else sees it.</summary>
    public IActionResult OnPostDays(DayForm form)
    {
        Response.Cookies.Append(
            DayForms.Cookie,
            Enum.IsDefined(form) ? form.ToString() : nameof(DayForm.DayFirst),
            new CookieOptions
            {
                MaxAge = TimeSpan.FromDays(3650),
                HttpOnly = true,
                IsEssential = true,
                SameSite = SameSiteMode.Strict,
                Secure = Request.IsHttps,
            }
        );
        Done = "Days are written so from now on, in this browser.";
        return LocalRedirect("/me");
    }

    public async Task<IActionResult> OnPostPasswordAsync(string? now, string? password, string? again)
    {
        if (password != again)
            return await RefusedAsync([new Fault("not-the-same", "The two are not the same: type it again.", "again")]);
        var made = await own.PasswordAsync(Actor, now, password, HttpContext.RequestAborted);
        if (made.Refused is not null)
            return await RefusedAsync(made.Faults);
        await SessionCookie.SignOutAsync(HttpContext);
        return LocalRedirect("/sign-in");
    }

    public async Task<IActionResult> OnPostBeginAsync()
    {
        var made = await own.BeginAsync(Actor, HttpContext.RequestAborted);
        if (made.Result is not { } begun)
            return await RefusedAsync(made.Faults);
        Draw(begun);
        return await ShowAsync();
    }

    public async Task<IActionResult> OnPostConfirmAsync(string? code, string? secret, string? address)
    {
        var made = await own.ConfirmAsync(Actor, code, HttpContext.RequestAborted);
        if (made.Result is not { } codes)
        {
            // What was shown stays, so that the next code can be typed.
            if (secret is { Length: < 100 } && address?.StartsWith("otpauth://totp/", StringComparison.Ordinal) == true)
                Draw(new FactorBegun(secret, address));
            return await RefusedAsync(made.Faults);
        }
        Codes = codes;
        return await ShowAsync();
    }

    public async Task<IActionResult> OnPostDropAsync(string? now)
    {
        var made = await own.DropAsync(Actor, now, HttpContext.RequestAborted);
        if (made.Refused is not null)
            return await RefusedAsync(made.Faults);
        Done = "The password alone opens your account from here on.";
        return LocalRedirect("/me");
    }

    public async Task<IActionResult> OnPostEndAsync(Guid session)
    {
        await own.EndAsync(Actor, session, false, HttpContext.RequestAborted);
        Done = "That session has ended.";
        return LocalRedirect("/me");
    }

    public async Task<IActionResult> OnPostOthersAsync()
    {
        await own.EndAsync(Actor, Here, true, HttpContext.RequestAborted);
        Done = "All other sessions have ended.";
        return LocalRedirect("/me");
    }

    private Actor Actor => HttpContext.Actor();

    private void Draw(FactorBegun begun)
    {
        Begun = begun;
        if (begun.Address.Length > 300)
            return;
        using var data = QRCodeGenerator.GenerateQrCode(begun.Address, QRCodeGenerator.ECCLevel.M);
        using var drawing = new SvgQRCode(data);
        Drawing = drawing.GetGraphic(4);
    }

    private async Task<IActionResult> RefusedAsync(IReadOnlyList<Fault> faults)
    {
        Faults = faults;
        Response.StatusCode = 422;
        return await ShowAsync();
    }

    private async Task<IActionResult> ShowAsync()
    {
        if (await own.SeeAsync(Actor, HttpContext.RequestAborted) is not { } seen)
            return NotFound();
        Own = seen;
        return Page();
    }
}
