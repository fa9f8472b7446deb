using System.Globalization;
using Assignum.Core.Calendar;
using Assignum.Core.Editions;
using Assignum.Core.Tables;
using Assignum.Desk;
using Assignum.Desk.SetUps;
using Assignum.Web.Access;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>The editions: the draft and its history, publishing it, what-ifs beside it, past editions brought
/// back.</summary>
public sealed class EditionsModel(
    DeskContext desk,
    PublishDraft publish,
    ViewSetUp view,
    CompareSetUps compare,
    EditSetUp edit,
    KeepDrafts drafts,
    ReadChanges changes
) : ActingPage(desk, edit)
{
    /// <summary>Differences that the page shows of the draft; the rest is on the page of the difference.</summary>
    public const int MostShown = 30;

    public override string Place => "editions";

    /// <summary>Whether publishing is refused to who looks until somebody else has approved the draft.</summary>
    public bool NeedsOtherEyes { get; private set; }

    [BindProperty(SupportsGet = true)]
    public string? From { get; set; }

    [BindProperty]
    public string? Note { get; set; }

    /// <summary>How the draft differs from what it is based on.</summary>
    public IReadOnlyList<DifferenceLine> Lines { get; private set; } = [];

    /// <summary>Who approved the draft as it is now.</summary>
    public IReadOnlyList<(string Who, DateTime At)> Approvals { get; private set; } = [];

    /// <summary>What was done in the draft, the newest first.</summary>
    public IReadOnlyList<ChangeHead> History { get; private set; } = [];

    /// <summary>How many rows each open what-if changes, by its id.</summary>
    public IReadOnlyDictionary<int, int> Sizes { get; private set; } = new Dictionary<int, int>();

    /// <summary>The open what-ifs.</summary>
    public IEnumerable<EditionRow> WhatIfs => State.WhatIfs.Where(w => w.Status == "draft");

    /// <summary>Whether a draft was discarded that can be taken back.</summary>
    public bool CanTakeBack =>
        State.MainDraft is null && State.LookedAt is null && State.Editions is [.., { Status: "discarded" }];

    /// <summary>Whether the draft stands on an edition that is no longer the latest.</summary>
    public static bool IsBehind(EditionRow draft, EntityState state) => draft.BasedOn != (state.Latest?.Number ?? 0);

    public Task<IActionResult> OnGetAsync() => ShowAsync();

    /// <summary>What the newest events would do elsewhere under one edition than under another.</summary>
    public async Task<IActionResult> OnGetConsequencesAsync(string? before, string? after)
    {
        var foreseen = await compare.ConsequencesAsync(Visit, before, after ?? "draft", HttpContext.RequestAborted);
        return foreseen.Result is { } found
            ? Partial("_Consequences", (found, EntityCode, State.Currency))
            : NotFound();
    }

    /// <summary>What stands between accounts on the day the draft is to begin, where it changes how value
    /// moves.</summary>
    public async Task<IActionResult> OnGetBetweenAsync()
    {
        if (State.Draft is null)
            return Content("", "text/html");
        var moving = await compare.MovingValueAsync(Visit, Day ?? State.Today, HttpContext.RequestAborted);
        return Partial("_Between", (moving.Result!, EntityCode, State.Currency));
    }

    /// <summary>What was posted on or after an edition's first day under an earlier one.</summary>
    public async Task<IActionResult> OnGetPostedBeforeAsync(int edition)
    {
        if (!State.Editions.Any(e => e.Number == edition))
            return NotFound();
        var posted = await compare.PostedBeforeAsync(Visit, edition, HttpContext.RequestAborted);
        return posted.Result is { } found
            ? Partial("_PostedBefore", (found, EntityCode, State.Currency, edition))
            : NotFound();
    }

    public async Task<IActionResult> OnPostAsync()
    {
        var published = await publish.RunAsync(Actor, EntityCode, Day, Reason(Note), HttpContext.RequestAborted);
        return await AfterAsync(published, $"Edition {published.Result?.Number} is published.");
    }

    /// <summary>Makes the draft what a past edition was, as one change.</summary>
    public async Task<IActionResult> OnPostBringBackAsync(int edition)
    {
        var past = await view.OfAsync(
            Visit,
            edition.ToString(CultureInfo.InvariantCulture),
            null,
            HttpContext.RequestAborted
        );
        if (past.Result is not { } found)
            return await RefusedAsync(past);
        var made = await Edit.MakeAsync(
            Actor,
            EntityCode,
            $"edition {edition} brought back",
            null,
            (now, _) => Difference.BringBack(now, found.SetUp.SetUp),
            HttpContext.RequestAborted,
            writtenBefore: true
        );
        return made.Refused is null
            ? Went(
                made.Result!.Plan.Changes.Count == 0
                    ? $"The draft is as edition {edition} was already."
                    : $"The draft holds what edition {edition} held.",
                made.Result.Id
            )
            : await RefusedAsync(made);
    }

    /// <summary>Makes an edition that is not in force yet a what-if.</summary>
    public async Task<IActionResult> OnPostWithdrawAsync(int edition)
    {
        var withdrawn = await drafts.WithdrawAsync(Actor, EntityCode, edition, HttpContext.RequestAborted);
        return await AfterAsync(
            withdrawn,
            $"Edition {edition} is withdrawn; it stands beside as the what-if {withdrawn.Result?.Name}."
        );
    }

    public async Task<IActionResult> OnPostApproveAsync(long revision) =>
        await AfterAsync(
            await drafts.ApproveAsync(Actor, EntityCode, revision, HttpContext.RequestAborted),
            "The draft is approved as it is now."
        );

    public async Task<IActionResult> OnPostThrowAwayAsync()
    {
        var thrown = await drafts.ThrowAwayAsync(Actor, EntityCode, HttpContext.RequestAborted);
        if (thrown.Result?.Name is not null)
            HttpContext.WorkIn(EntityCode, null);
        return await AfterAsync(
            thrown,
            thrown.Result?.Name is { } name
                ? $"The what-if {name} is discarded. It can be taken back."
                : "The draft is discarded. It can be taken back until another is opened."
        );
    }

    public async Task<IActionResult> OnPostTakeBackAsync() =>
        await AfterAsync(
            await drafts.TakeBackAsync(Actor, EntityCode, HttpContext.RequestAborted),
            "The draft is as it was when it was discarded."
        );

    public async Task<IActionResult> OnPostTakeBackWhatIfAsync(int whatIf) =>
        await AfterAsync(
            await drafts.TakeBackWhatIfAsync(Actor, EntityCode, whatIf, HttpContext.RequestAborted),
            "The what-if is as it was."
        );

    /// <summary>Opens a what-if, or makes the draft one; whoever does works in it from here on.</summary>
    public async Task<IActionResult> OnPostWhatIfAsync(string? name, bool aside)
    {
        var made = aside
            ? await drafts.SetAsideAsync(Actor, EntityCode, name, HttpContext.RequestAborted)
            : await drafts.OpenWhatIfAsync(Actor, EntityCode, name, HttpContext.RequestAborted);
        if (made.Result is { } whatIf)
            HttpContext.WorkIn(EntityCode, whatIf.Id);
        return await AfterAsync(
            made,
            aside
                ? $"The draft stands beside as what-if {made.Result?.Name}."
                : $"What-if {made.Result?.Name} is open: what you change now is in it and nowhere else."
        );
    }

    /// <summary>Works in a what-if from here on, looks at a published edition, or works in the draft again.</summary>
    public async Task<IActionResult> OnPostWorkInAsync(int? whatIf, int? edition)
    {
        if (whatIf is { } id && State.WhatIf(id) is null)
            return await RefusedAsync(new Core.Fault("no-draft", "That what-if was merged or discarded."));
        if (edition is { } number && !State.Editions.Any(e => e.Number == number))
            return await RefusedAsync(new Core.Fault("no-edition", $"There is no edition {number}."));
        HttpContext.WorkIn(EntityCode, whatIf ?? -edition);
        if (edition is not null)
            return LocalRedirect($"/e/{EntityCode}/assignments");
        return Went(
            whatIf is null
                ? "You work in the draft again."
                : $"You work in the what-if {State.WhatIf(whatIf.Value)!.Name}."
        );
    }

    private DateOnly? Day => WrittenDay.Of(From);

    private async Task<IActionResult> AfterAsync<T>(Outcome<T> made, string done) =>
        made.Refused is null ? Went(done) : await RefusedAsync(made);

    private protected override string Here => $"/e/{EntityCode}/editions";

    private protected override async Task<IActionResult> ShowAsync()
    {
        await LoadAsync();
        return Page();
    }

    private async Task LoadAsync()
    {
        (Approvals, Sizes) = await Desk.DraftsAsync(Visit, WhatIfs, HttpContext.RequestAborted);
        if (State.LookedAt is not null || State.Draft is not { } draft)
            return;
        NeedsOtherEyes = await drafts.NeedsOtherEyesAsync(Visit, HttpContext.RequestAborted);
        History = (await changes.RunAsync(Actor, EntityCode, 50, HttpContext.RequestAborted, ofDraft: true)).Result
            ?? [];
        if (draft.BasedOn > 0)
            Lines = (
                await compare.DifferenceAsync(
                    Visit,
                    draft.BasedOn.ToString(CultureInfo.InvariantCulture),
                    "draft",
                    HttpContext.RequestAborted
                )
            )
                .Result
                ?.Lines
                ?? [];
    }
}
