using Assignum.Core;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Web.Access;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Assignum.Web.Pages;

/// <summary>Who may come in, with which roles and keys; for administrators of everything.</summary>
public sealed class PeopleModel(DeskContext desk, KeepPeople keep) : PageModel
{
    public Assignum.Desk.Access.Access Access { get; private set; } = new([], [], []);
    public IReadOnlyList<string> Entities { get; private set; } = [];
    public IReadOnlyList<Fault> Faults { get; private set; } = [];

    /// <summary>What the last act did.</summary>
    [TempData]
    public string? Done { get; set; }

    /// <summary>What is shown this once: for whom or what, and the link or key.</summary>
    public (string Of, string Secret, bool Link)? Once { get; private set; }

    public static IReadOnlyList<string> Roles { get; } = [.. Enum.GetValues<Role>().Select(r => Words.Of(r))];

    /// <summary>What was filled in where an act was refused.</summary>
    public string? Typed(string name) =>
        Faults.Count > 0 && Request.HasFormContentType ? Request.Form[name].ToString() : null;

    public Task<IActionResult> OnGetAsync() => ShowAsync();

    public async Task<IActionResult> OnPostInviteAsync(string? signIn, string? name, string? role, string? entity)
    {
        var made = await keep.InviteAsync(Actor, signIn, name, role, entity, HttpContext.RequestAborted);
        return await OnceAsync(made, signIn?.Trim() ?? "", true);
    }

    public async Task<IActionResult> OnPostLinkAsync(int id, string? of)
    {
        var made = await keep.HelpAsync(Actor, id, HttpContext.RequestAborted);
        return await OnceAsync(made, of ?? "", true);
    }

    public async Task<IActionResult> OnPostGiveAsync(int id, string? role, string? entity) =>
        await AfterAsync(
            await keep.RoleAsync(Actor, id, role, entity, true, HttpContext.RequestAborted),
            $"The role {role} was given."
        );

    public async Task<IActionResult> OnPostTakeAsync(int id, string? role, string? entity) =>
        await AfterAsync(
            await keep.RoleAsync(Actor, id, role, entity, false, HttpContext.RequestAborted),
            $"The role {role} was removed."
        );

    public async Task<IActionResult> OnPostOutAsync(int id) =>
        await AfterAsync(
            await keep.ActiveAsync(Actor, id, false, HttpContext.RequestAborted),
            "Kept out; open sessions have ended."
        );

    public async Task<IActionResult> OnPostInAsync(int id) =>
        await AfterAsync(await keep.ActiveAsync(Actor, id, true, HttpContext.RequestAborted), "Let in again.");

    public async Task<IActionResult> OnPostUnlockAsync(int id) =>
        await AfterAsync(
            await keep.UnlockAsync(Actor, id, HttpContext.RequestAborted),
            "Wrong passwords are forgotten: it can be tried again at once."
        );

    public async Task<IActionResult> OnPostEndAsync(int id) =>
        await AfterAsync(
            await keep.EndSessionsAsync(Actor, id, HttpContext.RequestAborted),
            "All sessions have ended."
        );

    public async Task<IActionResult> OnPostKeyAsync(
        string? keyName,
        string? role,
        string? entities,
        int? days,
        string? sources
    )
    {
        var made = await keep.MakeKeyAsync(Actor, keyName, role, entities, days, HttpContext.RequestAborted, sources);
        return await OnceAsync(made, keyName?.Trim() ?? "", false);
    }

    public async Task<IActionResult> OnPostRotateAsync(int id, string? of) =>
        await OnceAsync(await keep.RotateAsync(Actor, id, HttpContext.RequestAborted), of ?? "", false);

    public async Task<IActionResult> OnPostFactorAsync(int id) =>
        await AfterAsync(
            await keep.DropFactorAsync(Actor, id, HttpContext.RequestAborted),
            "The second factor is removed; all sessions have ended."
        );

    public async Task<IActionResult> OnPostRevokeAsync(int id) =>
        await AfterAsync(await keep.RevokeAsync(Actor, id, HttpContext.RequestAborted), "The key opens nothing more.");

    private Actor Actor => HttpContext.Actor();

    private async Task<IActionResult> AfterAsync<T>(Outcome<T> made, string done)
    {
        if (made.Refused is not null)
            return await RefusedAsync(made);
        Done = done;
        return LocalRedirect("/people");
    }

    // Not by way of a redirect: what is shown once is kept nowhere.
    private async Task<IActionResult> OnceAsync(Outcome<string> made, string of, bool link)
    {
        if (made.Result is not { } secret)
            return await RefusedAsync(made);
        Once = (of, link ? $"{Request.Scheme}://{Request.Host}/join?token={secret}" : secret, link);
        return await ShowAsync();
    }

    private async Task<IActionResult> RefusedAsync<T>(Outcome<T> made)
    {
        Faults = made.Faults;
        Response.StatusCode = made.Refused == Refusal.Forbidden ? 403 : 422;
        return await ShowAsync();
    }

    private async Task<IActionResult> ShowAsync()
    {
        if ((await keep.ListAsync(Actor, HttpContext.RequestAborted)).Result is not { } access)
            return NotFound();
        Access = access;
        Entities = [.. (await desk.EntitiesAsync(Actor, HttpContext.RequestAborted)).Select(e => e.Code)];
        return Page();
    }
}
