using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.ViewFeatures;
using Microsoft.Extensions.Options;

namespace Assignum.Web.Pages;

/// <summary>What an act did is told once, by the page that follows it. A part of a page that is asked for meanwhile (what a
/// work has come to, rows further down) neither takes it away nor, with an answer of its own, the cookie that holds
/// it.</summary>
internal sealed class ToldOnce(CookieTempDataProvider cookies, IOptions<CookieTempDataProviderOptions> options)
    : ITempDataProvider
{
    /// <inheritdoc/>
    public IDictionary<string, object> LoadTempData(HttpContext context) =>
        IsPart(context.Request) ? new Dictionary<string, object>() : cookies.LoadTempData(context);

    /// <inheritdoc/>
    public void SaveTempData(HttpContext context, IDictionary<string, object> values)
    {
        var held = options.Value.Cookie.Name is { } name && context.Request.Cookies.ContainsKey(name);
        if (!IsPart(context.Request) && (values.Count > 0 || held))
            cookies.SaveTempData(context, values);
    }

    private static bool IsPart(HttpRequest request) =>
        HttpMethods.IsGet(request.Method) && request.Query.ContainsKey("handler");
}
