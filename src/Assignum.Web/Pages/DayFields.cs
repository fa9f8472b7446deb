using Assignum.Core.Calendar;
using Microsoft.AspNetCore.Mvc.ModelBinding;
using Microsoft.AspNetCore.Razor.TagHelpers;

namespace Assignum.Web.Pages;

/// <summary>Fields for days are text in the reader's form, whatever the browser's language: <c>14 Mar 2026</c>. What is
/// typed may be written otherwise, see <see cref="WrittenDay"/>.</summary>
[HtmlTargetElement("input", Attributes = "[type=date]", TagStructure = TagStructure.WithoutEndTag)]
public sealed class DayField : TagHelper
{
    /// <inheritdoc/>
    public override void Process(TagHelperContext context, TagHelperOutput output)
    {
        output.Attributes.SetAttribute("type", "text");
        output.Attributes.SetAttribute("data-day", WrittenDay.Form.ToString());
        output.Attributes.SetAttribute(
            "placeholder",
            WrittenDay.Form switch
            {
                DayForm.MonthFirst => "month day, year",
                DayForm.YearFirst => "year-month-day",
                _ => "day month year",
            }
        );
        output.Attributes.SetAttribute("autocomplete", "off");
        if (output.Attributes["value"]?.Value?.ToString() is { Length: > 0 } value && WrittenDay.Of(value) is { } day)
            output.Attributes.SetAttribute("value", WrittenDay.Say(day));
    }
}

/// <summary>The form in which whoever asks reads days: a cookie of the browser, set on one's own page.</summary>
internal static class DayForms
{
    public const string Cookie = "assignum-days";

    public static Task Use(HttpContext http, RequestDelegate next)
    {
        WrittenDay.Form =
            http.Request.Cookies.TryGetValue(Cookie, out var said)
            && Enum.TryParse<DayForm>(said, out var form)
            && Enum.IsDefined(form)
                ? form
                : DayForm.DayFirst;
        return next(http);
    }
}

/// <summary>Reads days of forms and addresses as people write them.</summary>
internal sealed class DayBinder : IModelBinder, IModelBinderProvider
{
    public IModelBinder? GetBinder(ModelBinderProviderContext context) =>
        context.Metadata.ModelType == typeof(DateOnly?) ? this : null;

    public Task BindModelAsync(ModelBindingContext context)
    {
        var sent = context.ValueProvider.GetValue(context.ModelName);
        if (sent == ValueProviderResult.None)
            return Task.CompletedTask;
        context.ModelState.SetModelValue(context.ModelName, sent);
        context.Result = ModelBindingResult.Success(WrittenDay.Of(sent.FirstValue));
        return Task.CompletedTask;
    }
}
