using Assignum.Core;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Storage;
using Assignum.Web.Access;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.Filters;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Assignum.Web.Pages;

/// <summary>A page about one entity: knows who looks, which editions there are, and what the band says.</summary>
public abstract class EntityPage(DeskContext desk) : PageModel
{
    /// <summary>Code of the entity, from the address.</summary>
    [BindProperty(SupportsGet = true, Name = "entity")]
    public string EntityCode { get; set; } = "";

    /// <summary>The entity's state when the page was asked for.</summary>
    public EntityState State { get; private set; } = null!;

    /// <summary>How many rows the draft changes; 0 without one.</summary>
    public int DraftSize { get; private set; }

    /// <summary>Which rail entry is this page's.</summary>
    public abstract string Place { get; }

    /// <summary>Why the last act was refused.</summary>
    public IReadOnlyList<Fault> Faults { get; protected set; } = [];

    /// <summary>Who looks.</summary>
    public Actor Actor => HttpContext.Actor();

    /// <summary>Whether the one who looks holds a role here.</summary>
    public bool May(Role role) => Actor.May(role, EntityCode);

    private protected DeskContext Desk => desk;

    /// <inheritdoc/>
    public override async Task OnPageHandlerExecutionAsync(PageHandlerExecutingContext context, PageHandlerExecutionDelegate next)
    {
        await using (var db = await desk.Database.OpenAsync(HttpContext.RequestAborted))
        {
            var entered = await desk.EnterAsync(db, Actor, EntityCode, Role.Viewer, false, HttpContext.RequestAborted);
            if (entered.Result is null)
            {
                context.Result = new NotFoundResult();
                return;
            }
            State = entered.Result;
            if (State.Draft is { } draft) DraftSize = await EditionStore.DraftSizeAsync(db, State.Id, draft.Id, HttpContext.RequestAborted);
        }
        await next();
    }
}
