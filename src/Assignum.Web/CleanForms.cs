using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.Filters;

namespace Assignum.Web;

/// <summary>Before a page binds anything: the form is read whole, its names are ones that forms have, and all of it is
/// text.</summary>
internal sealed class CleanForms : IAsyncResourceFilter, IOrderedFilter
{
    // Before the check of the form's own token, which reads the form too.
    public int Order => -2000;

    public async Task OnResourceExecutionAsync(ResourceExecutingContext context, ResourceExecutionDelegate next)
    {
        var request = context.HttpContext.Request;
        if (HttpMethods.IsPost(request.Method))
        {
            if (!request.HasFormContentType)
                request.Form = FormCollection.Empty;
            else
                foreach (var (name, value) in await request.ReadFormAsync(context.HttpContext.RequestAborted))
                    if (!Gate.IsText(name) || !Gate.IsText(value) || !IsName(name))
                    {
                        context.Result = new StatusCodeResult(StatusCodes.Status400BadRequest);
                        return;
                    }
        }
        await next();
    }

    /// <summary>Whether a content type is one of forms; asked of the type, since a page that is sent no form is given an
    /// empty one.</summary>
    public static bool IsForm(string type) =>
        type.StartsWith("application/x-www-form-urlencoded", StringComparison.OrdinalIgnoreCase)
        || type.StartsWith("multipart/form-data", StringComparison.OrdinalIgnoreCase);

    // What binds forms takes a bracket for a place in a list, and breaks where it is not closed.
    private static bool IsName(string name)
    {
        var open = false;
        foreach (var c in name)
        {
            if (c == '[' && open || c == ']' && !open)
                return false;
            open = c == '[' || open && c != ']';
        }
        return !open;
    }
}
