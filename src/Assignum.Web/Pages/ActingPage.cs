using System.Globalization;
using Assignum.Core;
using Assignum.Desk;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages;

/// <summary>
/// A page on which something is done at once: it says what was done and offers to undo it, and where an act is refused
/// it comes back with
/// what is wrong and all that was filled in.
/// </summary>
public abstract class ActingPage(DeskContext desk, EditSetUp edit) : EntityPage(desk)
{
    /// <summary>What the last act did.</summary>
    [TempData]
    public string? Done { get; set; }

    /// <summary>The change it made, to be undone; null: none.</summary>
    [TempData]
    public string? Change { get; set; }

    /// <summary>Fields of the page that undoing sends along.</summary>
    public virtual IReadOnlyDictionary<string, string> Kept { get; } = new Dictionary<string, string>();

    private protected EditSetUp Edit => edit;

    /// <summary>The address an act leads to.</summary>
    private protected abstract string Here { get; }

    /// <summary>The page as it is now; what is asked for may be gone.</summary>
    private protected abstract Task<IActionResult> ShowAsync();

    public async Task<IActionResult> OnPostUndoAsync(long change)
    {
        var undone = await edit.UndoAsync(Actor, EntityCode, change, HttpContext.RequestAborted);
        return undone.Refused is null ? Went("Undone.", null, AfterUndo(undone.Result!)) : await RefusedAsync(undone);
    }

    /// <summary>The address that undoing leads to.</summary>
    private protected virtual string AfterUndo(EditResult undone) => Here;

    /// <summary>Goes on and says what was done.</summary>
    private protected LocalRedirectResult Went(string done, long? change = null, string? to = null)
    {
        (Done, Change) = (done, change?.ToString(CultureInfo.InvariantCulture));
        return LocalRedirect(to ?? Here);
    }

    /// <summary>Goes on where rows were changed, and comes back with what is wrong where not.</summary>
    /// <param name="done">Says it, given how many rows were changed; never asked for none.</param>
    private protected async Task<IActionResult> AfterAsync(
        Outcome<EditResult> made,
        Func<int, string> done,
        string? to = null,
        Func<Task<IActionResult>>? show = null
    ) =>
        made.Refused is null
            ? Went(
                made.Result!.Plan.Changes.Count is > 0 and var count ? done(count) : "Nothing was different.",
                made.Result.Id,
                to
            )
            : await RefusedAsync(made, show);

    /// <summary>Comes back with what is wrong.</summary>
    private protected Task<IActionResult> RefusedAsync<T>(Outcome<T> made, Func<Task<IActionResult>>? show = null) =>
        RefusedAsync(made.Faults, made.Refused, show);

    /// <inheritdoc cref="RefusedAsync{T}"/>
    private protected Task<IActionResult> RefusedAsync(params Fault[] faults) => RefusedAsync(faults, null);

    private async Task<IActionResult> RefusedAsync(
        IReadOnlyList<Fault> faults,
        Refusal? why,
        Func<Task<IActionResult>>? show = null
    )
    {
        Faults = faults;
        Response.StatusCode = why == Refusal.Forbidden ? 403 : 422;
        return await (show is null ? ShowAsync() : show());
    }

    /// <summary>A reason as it was typed; null: none.</summary>
    private protected static string? Reason(string? text) => string.IsNullOrWhiteSpace(text) ? null : text.Trim();
}
