using System.Globalization;
using Assignum.Core;
using Assignum.Core.Books;
using Assignum.Core.Chart;
using Assignum.Core.Statements;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.Books;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>Leads through the close of a month: what is in the way, cut-off, tie-outs with their signatures, tax,
/// statements, and the close.</summary>
public sealed class MonthEndModel(
    DeskContext desk,
    KeepPeriods periods,
    KeepTieOuts keep,
    ReadTieOuts ties,
    ReadStatements statements,
    KeepCutOff cutOff,
    WriteByHand hand,
    RecogniseProjects projects
) : BooksPage(desk)
{
    /// <summary>The month, as <c>2026-06</c>; empty: the one before today's.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Month { get; set; }

    public DateOnly First { get; private set; }
    public DateOnly Last => First.AddMonths(1).AddDays(-1);
    public string Title => First.ToString("MMMM yyyy", CultureInfo.InvariantCulture);
    public IReadOnlyList<PeriodView> Periods { get; private set; } = [];
    public PeriodView? Period => Periods.FirstOrDefault(p => p.From <= First && Last <= p.To && p.Status != "proposed");
    public IReadOnlyList<Obstacle> Obstacles { get; private set; } = [];
    public IReadOnlyList<TieOut> Ties { get; private set; } = [];

    /// <summary>The same against lists of other systems and the book of record; null: nothing is published.</summary>
    public TieOutsView? Tied { get; private set; }
    public IReadOnlyDictionary<Control, SignOff> Signed { get; private set; } = new Dictionary<Control, SignOff>();
    public decimal Tolerance { get; private set; }
    public TaxReturn? Return { get; private set; }
    public decimal Profit { get; private set; }
    public CutOffs? Cut { get; private set; }
    public bool CutOffPosted { get; private set; }

    /// <summary>How many warnings entries by hand passed over in the month.</summary>
    public int Passed { get; private set; }

    /// <summary>How many projects have something to recognise at its end.</summary>
    public int ToRecognise { get; private set; }

    /// <summary>Why it is closed all the same, as it was typed.</summary>
    public string? Reason { get; private set; }

    public bool MaySign => May(Role.Preparer);
    public bool MayConfirm => May(Role.Reviewer);

    public Task<IActionResult> OnGetAsync() => ShowAsync();

    /// <summary>The preparer states that nothing remains beyond what the causes say, each with a note.</summary>
    public async Task<IActionResult> OnPostPrepareAsync(string? control, string? note, string? clears)
    {
        Read();
        if (ControlOf(control) is not { } of)
            return NotFound();
        var tied = await ties.AllAsync(Visit, Last, HttpContext.RequestAborted);
        var tie = tied.Result?.Controls.FirstOrDefault(t => t.Control == of);
        var done = await keep.PrepareAsync(
            Visit,
            of,
            First,
            [
                .. (tie?.Causes ?? [])
                    .Where(c => c.Amount != 0)
                    .Select(c => new Remaining(Words.Of(c.Cause), c.Amount, note?.Trim() ?? "", clears?.Trim() ?? "")),
            ],
            HttpContext.RequestAborted
        );
        return await AfterAsync(done, $"{Words.Title(Words.Of(of))} are prepared for {Title}.");
    }

    public async Task<IActionResult> OnPostConfirmAsync(string? control)
    {
        Read();
        if (ControlOf(control) is not { } of)
            return NotFound();
        return await AfterAsync(
            await keep.ConfirmAsync(Visit, of, First, HttpContext.RequestAborted),
            $"{Words.Title(Words.Of(of))} are signed off for {Title}."
        );
    }

    public async Task<IActionResult> OnPostUnsignAsync(string? control, string? reason)
    {
        Read();
        if (ControlOf(control) is not { } of)
            return NotFound();
        return await AfterAsync(
            await keep.UndoAsync(Visit, of, First, reason, HttpContext.RequestAborted),
            $"{Words.Title(Words.Of(of))} are open again for {Title}."
        );
    }

    public async Task<IActionResult> OnPostCloseAsync(string? reason)
    {
        Read();
        Reason = reason;
        return await AfterAsync(
            await periods.SetAsync(Visit, First, Last, true, reason, HttpContext.RequestAborted),
            $"{Title} is closed."
        );
    }

    public async Task<IActionResult> OnPostOpenAsync(string? reason, string? from, string? to)
    {
        Read();
        return await AfterAsync(
            await periods.SetAsync(
                Visit,
                DayOf(from, First, "from"),
                DayOf(to, Last, "to"),
                false,
                reason,
                HttpContext.RequestAborted
            ),
            $"{Title} is open again."
        );
    }

    private async Task<IActionResult> AfterAsync<T>(Outcome<T> done, string said)
    {
        if (done.Refused is not null)
        {
            Faults = done.Faults;
            return await ShowAsync();
        }
        Done = said;
        return LocalRedirect(
            $"/e/{EntityCode}/month-end?month={First.ToString("yyyy-MM", CultureInfo.InvariantCulture)}"
        );
    }

    private static Control? ControlOf(string? word) =>
        !string.IsNullOrEmpty(word) && Words.TryParse<Control>(word, out var of) && of != Control.None ? of : null;

    private void Read()
    {
        First = new DateOnly(LastMonthEnd.Year, LastMonthEnd.Month, 1);
        if (string.IsNullOrWhiteSpace(Month))
            return;
        if (
            DateOnly.TryParseExact(
                Month + "-01",
                "yyyy-MM-dd",
                CultureInfo.InvariantCulture,
                DateTimeStyles.None,
                out var first
            ) && first.Year is > 1900 and < 9999
        )
            First = first;
        else
            Faults = [.. Faults, new Fault("bad-date", "That is no month: choose one, such as June 2026.", "month")];
    }

    private async Task<IActionResult> ShowAsync()
    {
        var stop = HttpContext.RequestAborted;
        Read();
        Periods = (await periods.ListAsync(Visit, stop)).Result ?? [];
        Obstacles = (await periods.ObstaclesAsync(Visit, First, Last, stop)).Result ?? [];
        Tied = (await ties.AllAsync(Visit, Last, stop)).Result;
        Ties = Tied?.Controls ?? [];
        var (signed, tolerance) = await keep.SignOffsAsync(Visit, First, stop);
        (Signed, Tolerance) = (signed.ToDictionary(s => s.Control), tolerance);
        Return = (await statements.TaxReturnAsync(Visit, First, Last, stop)).Result;
        Profit = (await statements.ProfitAndLossAsync(Visit, First, Last, null, stop))
            .Result?.Lines.FirstOrDefault(l => l.Code == "profit")
            ?.Amount
            ?? 0;
        Cut = (await cutOff.ShowAsync(Visit, Last, stop)).Result;
        CutOffPosted = await cutOff.PostedAsync(Visit, Last, stop);
        Passed = (await hand.PassedAsync(Visit, First, Last, stop)).Count;
        ToRecognise = (await projects.RunAsync(Visit, Last, false, null, stop)).Result?.Count(r =>
            r.Cost != 0 || r.Revenue != 0
        ) ?? 0;
        return Page();
    }
}
