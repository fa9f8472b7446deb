using System.Globalization;
using Assignum.Core.Editions;
using Assignum.Core.SetUps;
using Assignum.Desk;
using Assignum.Desk.SetUps;
using Assignum.Storage;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Assignum.Web.Pages.Entity;

/// <summary>The editions: publishing the draft, the difference of any two in words and in what events would do, bringing one back.</summary>
public sealed class EditionsModel(DeskContext desk, PublishDraft publish, ViewSetUp view, CompareSetUps compare, EditSetUp edit, KeepDrafts drafts, ReadChanges changes) : EntityPage(desk)
{
    /// <summary>Differences that the page lists.</summary>
    public const int MostShown = 500;

    public override string Place => "editions";
    [BindProperty] public string? From { get; set; }
    [BindProperty] public string? Note { get; set; }

    /// <summary>The editions compared: numbers, or <c>draft</c>. Without a choice the draft with what it is based on, else the newest with the one before.</summary>
    [BindProperty(SupportsGet = true)] public string? Before { get; set; }
    [BindProperty(SupportsGet = true)] public string? After { get; set; }
    [TempData] public string? Done { get; set; }
    [TempData] public string? Change { get; set; }

    public IReadOnlyList<DifferenceLine> Lines { get; private set; } = [];

    /// <summary>Who approved the draft as it is now.</summary>
    public IReadOnlyList<(string Who, DateTime At)> Approvals { get; private set; } = [];

    /// <summary>What was done in the draft, the newest first.</summary>
    public IReadOnlyList<ChangeHead> History { get; private set; } = [];

    /// <summary>Whether a draft was thrown away that can be taken back.</summary>
    public bool CanTakeBack => State.Draft is null && State.Editions.LastOrDefault(e => e.Status == "discarded") is { } last && last.BasedOn == (State.Latest?.Number ?? 0);

    /// <summary>What can be compared, the newest first.</summary>
    public IReadOnlyList<string> Known { get; private set; } = [];

    public Task OnGetAsync() => LoadAsync();

    /// <summary>What the newest events would do elsewhere under one edition than under another.</summary>
    public async Task<IActionResult> OnGetConsequencesAsync()
    {
        var foreseen = await compare.ConsequencesAsync(Actor, State, Before, After ?? "draft", HttpContext.RequestAborted);
        return foreseen.Result is { } found ? Partial("_Consequences", (found, EntityCode, State.Currency)) : NotFound();
    }

    public async Task<IActionResult> OnPostAsync()
    {
        DateOnly? day = DateOnly.TryParseExact(From, "yyyy-MM-dd", out var from) ? from : null;
        var published = await publish.RunAsync(Actor, EntityCode, day, string.IsNullOrWhiteSpace(Note) ? null : Note.Trim(), HttpContext.RequestAborted);
        if (published.Refused is null) return LocalRedirect($"/e/{EntityCode}/editions");
        return await RefusedAsync(published.Faults);
    }

    /// <summary>Makes the draft what a past edition was, as one change.</summary>
    public async Task<IActionResult> OnPostBringBackAsync(int edition)
    {
        var past = await view.OfAsync(State, edition.ToString(CultureInfo.InvariantCulture), null, HttpContext.RequestAborted);
        if (past.Result is not { } found) return await RefusedAsync(past.Faults);
        var made = await edit.MakeAsync(Actor, EntityCode, $"edition {edition} brought back", null, (now, _) => Difference.BringBack(now, found.SetUp.SetUp), HttpContext.RequestAborted);
        return made.Refused is null ? Back(made.Result!.Plan.Changes.Count == 0 ? $"The draft is as edition {edition} was already." : $"The draft holds what edition {edition} held.", made.Result.Id) : await RefusedAsync(made.Faults);
    }

    public async Task<IActionResult> OnPostApproveAsync(long revision)
    {
        var approved = await drafts.ApproveAsync(Actor, EntityCode, revision, HttpContext.RequestAborted);
        return approved.Refused is null ? Back("The draft is approved as it is now.", null) : await RefusedAsync(approved.Faults);
    }

    public async Task<IActionResult> OnPostThrowAwayAsync()
    {
        var thrown = await drafts.ThrowAwayAsync(Actor, EntityCode, HttpContext.RequestAborted);
        return thrown.Refused is null ? Back("The draft is thrown away. It can be taken back until another is opened.", null) : await RefusedAsync(thrown.Faults);
    }

    public async Task<IActionResult> OnPostTakeBackAsync()
    {
        var taken = await drafts.TakeBackAsync(Actor, EntityCode, HttpContext.RequestAborted);
        return taken.Refused is null ? Back("The draft is as it was when it was thrown away.", null) : await RefusedAsync(taken.Faults);
    }

    public async Task<IActionResult> OnPostUndoAsync(long change)
    {
        var undone = await edit.UndoAsync(Actor, EntityCode, change, HttpContext.RequestAborted);
        return undone.Refused is null ? Back("Undone.", null) : await RefusedAsync(undone.Faults);
    }

    private LocalRedirectResult Back(string done, long? change)
    {
        (Done, Change) = (done, change?.ToString(CultureInfo.InvariantCulture));
        return LocalRedirect($"/e/{EntityCode}/editions");
    }

    private async Task<PageResult> RefusedAsync(IReadOnlyList<Core.Fault> faults)
    {
        Faults = faults;
        Response.StatusCode = 422;
        await LoadAsync();
        return Page();
    }

    private async Task LoadAsync()
    {
        if (State.Draft is { } open)
        {
            await using (var db = await Desk.Database.OpenAsync(HttpContext.RequestAborted)) Approvals = await EditionStore.ApprovalsAsync(db, State.Id, open, HttpContext.RequestAborted);
            History = (await changes.RunAsync(Actor, EntityCode, 50, HttpContext.RequestAborted, ofDraft: true)).Result ?? [];
        }
        Known = [.. State.Draft is null ? [] : new[] { "draft" }, .. State.Editions.Select(e => e.Number).OfType<int>().OrderDescending().Select(n => n.ToString(CultureInfo.InvariantCulture))];
        if (After is null || !Known.Contains(After)) After = Known.Count > 1 ? Known[0] : null;
        if (After is null) return;
        var based = After == "draft" && State.Draft is { BasedOn: > 0 } draft ? draft.BasedOn.ToString(CultureInfo.InvariantCulture) : Known.SkipWhile(k => k != After).Skip(1).FirstOrDefault();
        if (Before is null || !Known.Contains(Before)) Before = based;
        if (Before is null) { After = null; return; }
        var before = await view.OfAsync(State, Before, null, HttpContext.RequestAborted);
        var after = await view.OfAsync(State, After, null, HttpContext.RequestAborted);
        // Records are the same for both: what differs is what editions hold.
        Lines = Difference.Words(SetUpImport.Difference(before.Result!.SetUp.SetUp, after.Result!.SetUp.SetUp), before.Result.SetUp.SetUp, after.Result.SetUp.SetUp);
    }
}
