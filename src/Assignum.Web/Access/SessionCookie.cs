using System.Security.Claims;
using Assignum.Desk.Access;
using Microsoft.AspNetCore.Authentication;
using Microsoft.AspNetCore.Authentication.Cookies;

namespace Assignum.Web.Access;

/// <summary>The session of a signed-in person: a protected cookie that names the user and is checked on every
/// request.</summary>
internal static class SessionCookie
{
    private const string Stamp = "stamp",
        SessionClaim = "session";

    public static void Configure(CookieAuthenticationOptions cookie, bool secure)
    {
        cookie.Cookie.Name = "assignum-session";
        cookie.Cookie.HttpOnly = true;
        cookie.Cookie.SameSite = SameSiteMode.Lax;
        cookie.Cookie.SecurePolicy = secure ? CookieSecurePolicy.Always : CookieSecurePolicy.SameAsRequest;
        cookie.LoginPath = "/sign-in";
        cookie.AccessDeniedPath = "/sign-in";
        cookie.ReturnUrlParameter = "to";
        cookie.ExpireTimeSpan = TimeSpan.FromHours(10);
        cookie.SlidingExpiration = true;
        cookie.Events.OnValidatePrincipal = ValidateAsync;
        // A fragment cannot follow a redirect to a whole page: tell the page to go there.
        cookie.Events.OnRedirectToLogin = context =>
        {
            // Where to is said without a host: what the request calls itself decides nothing.
            var to = new Uri(context.RedirectUri).PathAndQuery;
            // What was sent cannot be sent again by going there: its page is gone to, not the act.
            if (!HttpMethods.IsGet(context.Request.Method))
            {
                var query = context
                    .Request.Query.Where(q => q.Key != "handler")
                    .SelectMany(q => q.Value.Select(v => KeyValuePair.Create(q.Key, v)));
                to = $"/sign-in?to={Uri.EscapeDataString(context.Request.Path + QueryString.Create(query).ToString())}";
            }
            if (context.Request.Headers.ContainsKey("HX-Request"))
            {
                context.Response.Headers["HX-Redirect"] = to;
                context.Response.StatusCode = 401;
            }
            // What a script asks for beside the page would be given the page to sign in on in its place.
            else if (context.Request.Headers["Sec-Fetch-Mode"] is [{ } mode] && mode != "navigate")
                context.Response.StatusCode = 401;
            else
                context.Response.Redirect(to);
            return Task.CompletedTask;
        };
    }

    /// <summary>Begins a session.</summary>
    public static Task SignInAsync(HttpContext http, Person user) =>
        http.SignInAsync(
            CookieAuthenticationDefaults.AuthenticationScheme,
            new ClaimsPrincipal(
                new ClaimsIdentity(
                    [
                        new Claim(ClaimTypes.Name, user.SignIn),
                        new Claim(Stamp, user.Stamp.ToString()),
                        new Claim(SessionClaim, user.Session.ToString()),
                    ],
                    CookieAuthenticationDefaults.AuthenticationScheme
                )
            )
        );

    /// <summary>Ends the session, on the server as in the browser.</summary>
    public static async Task SignOutAsync(HttpContext http)
    {
        if (
            http.User.Identity?.Name is { } name
            && Guid.TryParse(http.User.FindFirstValue(SessionClaim), out var session)
        )
            await http.RequestServices.GetRequiredService<SignIn>().EndAsync(name, session, http.RequestAborted);
        await http.SignOutAsync(CookieAuthenticationDefaults.AuthenticationScheme);
    }

    /// <summary>The session of this request.</summary>
    public static Guid Session(this HttpContext http) =>
        Guid.TryParse(http.User.FindFirstValue(SessionClaim), out var session) ? session : default;

    /// <summary>Who acts in this request.</summary>
    public static Actor Actor(this HttpContext http) => (Actor)http.Items[typeof(Actor)]!;

    // Which what-if somebody works in belongs to the browser: in another window of it the same, on another machine not.
    private const string WorksIn = "assignum-works-in-";

    /// <summary>Works in a what-if of an entity from here on; null: in the draft.</summary>
    public static void WorkIn(this HttpContext http, string entity, int? whatIf)
    {
        if (whatIf is null)
            http.Response.Cookies.Delete(WorksIn + entity);
        else
            http.Response.Cookies.Append(
                WorksIn + entity,
                whatIf.Value.ToString(System.Globalization.CultureInfo.InvariantCulture),
                new CookieOptions
                {
                    HttpOnly = true,
                    SameSite = SameSiteMode.Lax,
                    Secure = http.Request.IsHttps,
                    IsEssential = true,
                }
            );
    }

    private static Dictionary<string, int> WorkedIn(HttpRequest request)
    {
        var chosen = new Dictionary<string, int>(StringComparer.Ordinal);
        foreach (var (name, value) in request.Cookies)
            if (name.StartsWith(WorksIn, StringComparison.Ordinal) && int.TryParse(value, out var id))
                chosen[name[WorksIn.Length..]] = id;
        return chosen;
    }

    /// <summary>The signed-in person's full name.</summary>
    public static string PersonName(this HttpContext http) => http.Items["person"] as string ?? "";

    private static async Task ValidateAsync(CookieValidatePrincipalContext context)
    {
        var name = context.Principal?.Identity?.Name;
        var still =
            name is not null
            && Guid.TryParse(context.Principal!.FindFirstValue(Stamp), out var stamp)
            && Guid.TryParse(context.Principal!.FindFirstValue(SessionClaim), out var session)
                ? await context
                    .HttpContext.RequestServices.GetRequiredService<SignIn>()
                    .StillAsync(name, stamp, session, context.HttpContext.RequestAborted)
                : null;
        if (still is null)
        {
            context.RejectPrincipal();
            await context.HttpContext.SignOutAsync(CookieAuthenticationDefaults.AuthenticationScheme);
            return;
        }
        context.HttpContext.Items[typeof(Actor)] = still.Actor with { WorksIn = WorkedIn(context.HttpContext.Request) };
        context.HttpContext.Items["person"] = still.Name;
    }
}
