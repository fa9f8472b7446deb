using System.Globalization;
using Assignum.Core.Tables;
using Assignum.Desk;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>What was changed in the set-up and the records: by whom, when, why, before and after, and back.</summary>
public sealed class HistoryModel(DeskContext desk, EditSetUp edit, ReadChanges changes) : ActingPage(desk, edit)
{
    private const int PageSize = 50,
        MostRows = 200;

    public override string Place => "history";

    /// <summary>In what was done or why, or a code among the rows.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Q { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Who { get; set; }

    [BindProperty(SupportsGet = true)]
    public long? Before { get; set; }

    public IReadOnlyList<(ChangeHead Head, IReadOnlyList<(string Part, int Rows)> Parts)> Changes
    {
        get;
        private set;
    } = [];

    /// <summary>The rows of one change with what undoing it reaches.</summary>
    public (ChangeHead Head, IReadOnlyList<RowChange> Rows, IReadOnlyList<ChangeHead> Reach)? Opened
    {
        get;
        private set;
    }

    /// <summary>Address of older changes; null: there are none.</summary>
    public string? Next { get; private set; }

    private protected override string Here => Address(null);

    public Task<IActionResult> OnGetAsync() => ShowAsync();

    /// <summary>The rows of one change, for the place below its line.</summary>
    public async Task<IActionResult> OnGetRowsAsync(long change)
    {
        var stop = HttpContext.RequestAborted;
        var found = await changes.PageAsync(Visit, new ChangeQuery(change + 1, null, null, 1), stop);
        if (found is not [var (head, _)] || head.Id != change)
            return NotFound();
        Opened = (
            head,
            await changes.RowsAsync(Visit, change, MostRows, stop),
            CanBeUndone(head) ? await Edit.ReachAsync(Visit, change, stop) : []
        );
        return Partial("_HistoryRows", this);
    }

    /// <summary>Undoes a change with those that are built on it.</summary>
    public async Task<IActionResult> OnPostReachAsync(long change, int reach)
    {
        var undone = await Edit.UndoWithReachAsync(Visit, change, reach, HttpContext.RequestAborted);
        return undone.Refused is null
            ? Went(reach == 0 ? "Undone." : $"Undone, with {Show.Some(reach, "later change")}.")
            : await RefusedAsync(undone);
    }

    /// <summary>So many rows of a part, as a person says it.</summary>
    public static string Some(string part, int rows) =>
        rows == 1 && Parts.Find(part) is { } known
            ? $"1 {Parts.One(known).Replace('-', ' ')}"
            : $"{Show.Count(rows)} {part.Replace('_', ' ').Replace('-', ' ')}";

    /// <summary>Whether undoing it can be asked for: it is not undone, and where it waits or counts still.</summary>
    public static bool CanBeUndone(ChangeHead head) => head.UndoneBy is null && (head.Draft is null || head.DraftOpen);

    private protected override async Task<IActionResult> ShowAsync()
    {
        Changes = await changes.PageAsync(
            Visit,
            new ChangeQuery(Before, Empty(Who), Empty(Q), PageSize),
            HttpContext.RequestAborted
        );
        if (Changes.Count == PageSize)
            Next = Address(Changes[^1].Head.Id);
        return Page();
    }

    private string Address(long? before) =>
        $"/e/{EntityCode}/history"
        + GridPage.QueryOf("", ("q", Q), ("who", Who), ("before", before?.ToString(CultureInfo.InvariantCulture)));

    private static string? Empty(string? text) => string.IsNullOrWhiteSpace(text) ? null : text.Trim();
}
