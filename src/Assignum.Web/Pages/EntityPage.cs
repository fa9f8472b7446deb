using Assignum.Core;
using Assignum.Core.Editions;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Web.Access;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.Filters;
using Microsoft.AspNetCore.Mvc.ModelBinding;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.AspNetCore.Mvc.ViewFeatures;

namespace Assignum.Web.Pages;

/// <summary>A page about one entity: knows who looks, which editions there are, and what the band says.</summary>
public abstract class EntityPage(DeskContext desk) : PageModel
{
    /// <summary>Code of the entity, from the address.</summary>
    [BindProperty(SupportsGet = true, Name = "entity"), FromRoute(Name = "entity")]
    public string EntityCode
    {
        get => entityCode;
        set => entityCode = value ?? "";
    }
    private string entityCode = "";

    /// <summary>Who looks, in which entity, as the page was asked for.</summary>
    public Visit Visit { get; private set; } = null!;

    /// <summary>The entity's state when the page was asked for.</summary>
    public EntityState State => Visit.State;

    /// <summary>How many rows the draft changes; 0 without one.</summary>
    public int DraftSize { get; private set; }

    /// <summary>What the band above the page looks like.</summary>
    public string Band =>
        State.LookedAt is not null ? "past"
        : State.Draft is null ? "live"
        : State.WorkedIn is null ? "in-draft"
        : "in-draft in-what-if";

    /// <summary>The band as it is now, for a page on which something was just saved.</summary>
    public IActionResult OnGetBand() => Partial("_Band", this);

    /// <summary>What is wrong with a field for a day in which something else is written; null: nothing.</summary>
    private protected Fault? BadDay(string field) =>
        Request.Form[field].ToString() is { } text
        && !string.IsNullOrWhiteSpace(text)
        && Core.Calendar.WrittenDay.Of(text) is null
            ? new Fault(
                "bad-date",
                $"'{(text.Length > 40 ? text[..40] : text)}' is no day: write it as "
                    + $"{Core.Calendar.WrittenDay.Say(new DateOnly(2026, 3, 14))}.",
                field
            )
            : null;

    /// <summary>Which rail entry is this page's.</summary>
    public abstract string Place { get; }

    /// <summary>Why the last act was refused.</summary>
    public IReadOnlyList<Fault> Faults { get; protected set; } = [];

    /// <summary>Who looks.</summary>
    public Actor Actor => HttpContext.Actor();

    /// <summary>Whether the one who looks holds a role here; while a published edition is looked at, nothing is
    /// changed.</summary>
    public bool May(Role role) => Actor.May(role, EntityCode) && (role == Role.Viewer || State.LookedAt is null);

    /// <summary>An edition as a person reads its name.</summary>
    public string Named(string? edition) =>
        edition switch
        {
            null or "" => "nothing",
            "draft" => State.LookedAt is { } past ? $"edition {past.Number}"
            : State.WorkedIn is { } whatIf ? $"what-if {whatIf.Name}"
            : "the draft",
            "main" => "the draft",
            ['w', ..] => State.WhatIfs.FirstOrDefault(w => "w" + w.Id == edition) is { } found
                ? $"what-if {found.Name}"
                : "a what-if",
            _ => $"edition {edition}",
        };

    /// <summary>What can be looked at and compared: the drafts, then the editions, the newest first.</summary>
    public IReadOnlyList<string> Known =>
        [
            .. State.Draft is null || State.LookedAt is not null ? [] : new[] { "draft" },
            .. State.WorkedIn is not null && State.MainDraft is not null ? ["main"] : Array.Empty<string>(),
            .. State.WhatIfs.Where(w => w.Status == "draft" && w.Id != State.WorkedIn?.Id).Select(w => "w" + w.Id),
            .. State
                .Editions.Select(e => e.Number)
                .OfType<int>()
                .OrderDescending()
                .Select(n => n.ToString(System.Globalization.CultureInfo.InvariantCulture)),
        ];

    private protected DeskContext Desk => desk;

    /// <summary>A code out of an address: a slash in it (from before codes had none) comes still encoded.</summary>
    private protected static string Unslashed(string? code) =>
        code?.Replace("%2F", "/", StringComparison.OrdinalIgnoreCase) ?? "";

    /// <summary>The number that an account has today, where an address names one it bore before; null: it names one of
    /// today, or nobody's.</summary>
    private protected async Task<string?> RenumberedAsync(Assignum.Desk.SetUps.ViewSetUp view, string number) =>
        (
            await view.OfAsync(Visit, "draft", null, HttpContext.RequestAborted)
        ).Result?.SetUp.SetUp.FormerNumbers.GetValueOrDefault(number);

    /// <inheritdoc/>
    public override async Task OnPageHandlerExecutionAsync(
        PageHandlerExecutingContext context,
        PageHandlerExecutionDelegate next
    )
    {
        var looked = await desk.LookAsync(Actor, EntityCode, HttpContext.RequestAborted);
        if (looked.Refused is not null)
        {
            context.Result = new NotFoundResult();
            return;
        }
        (Visit, DraftSize) = looked.Result;
        // A page has no act of that name, or not in this way.
        if (context.HandlerMethod is not { } handler)
        {
            context.Result = new StatusCodeResult(
                HttpMethods.IsPost(Request.Method)
                    ? StatusCodes.Status405MethodNotAllowed
                    : StatusCodes.Status404NotFound
            );
            return;
        }
        // An act that is named and not there is not another act.
        if (
            Request.Query["handler"].ToString() is { Length: > 0 } named
            && !named.Equals(handler.Name, StringComparison.OrdinalIgnoreCase)
        )
        {
            context.Result = new StatusCodeResult(
                HttpMethods.IsPost(Request.Method)
                    ? StatusCodes.Status405MethodNotAllowed
                    : StatusCodes.Status404NotFound
            );
            return;
        }
        // What reads JSON is sent JSON, what reads a form a form.
        if (
            Request.ContentType is { Length: > 0 } type
            && !CleanForms.IsForm(type)
            && !handler.Parameters.Any(p => p.BindingInfo?.BindingSource == BindingSource.Body)
        )
        {
            context.Result = new StatusCodeResult(StatusCodes.Status415UnsupportedMediaType);
            return;
        }
        var done = await next();
        if (done.Result is NotFoundResult && HttpMethods.IsGet(Request.Method) && handler.Name is null)
            done.Result = await MissingAsync();
    }

    // What is not there is said in the frame, with where it may have gone.
    private async Task<ViewResult> MissingAsync()
    {
        ViewData["Lost"] = await HttpContext
            .RequestServices.GetRequiredService<Lost>()
            .FindAsync(
                Visit,
                PageContext.ActionDescriptor.ViewEnginePath,
                PageContext.RouteData.Values,
                HttpContext.RequestAborted
            );
        return new ViewResult
        {
            StatusCode = StatusCodes.Status404NotFound,
            ViewName = "/Pages/Shared/_Missing.cshtml",
            ViewData = new ViewDataDictionary<EntityPage>(ViewData, this),
            TempData = TempData,
        };
    }
}
