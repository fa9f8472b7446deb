using Assignum.Core;
using Assignum.Core.Books;
using Assignum.Core.Calendar;
using Assignum.Core.Chart;
using Assignum.Desk;
using Assignum.Desk.Books;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>The books behind the landings: every control's accounts held against its documents at a day, and the lines
/// that make them differ.</summary>
public sealed class BooksModel(
    DeskContext desk,
    EditSetUp edit,
    ReadTieOuts ties,
    Desk.Connections.FetchTheirLists fetch
) : ActingPage(desk, edit)
{
    public override string Place => "books";

    /// <summary>The day, as it was written; empty: today.</summary>
    [BindProperty(SupportsGet = true)]
    public string? At { get; set; }

    /// <summary>The control that is opened, as a word.</summary>
    [BindProperty(SupportsGet = true, Name = "control")]
    public string? Which { get; set; }

    /// <summary>Where the page of its lines begins.</summary>
    [BindProperty(SupportsGet = true)]
    public long? Before { get; set; }

    public TieOutsView? All { get; private set; }
    public TieOutView? Opened { get; private set; }

    /// <summary>What the opened control differed by at the ends of the last months.</summary>
    public Drawing.Bars? OverTime { get; private set; }

    private protected override string Here =>
        $"/e/{EntityCode}/books" + (string.IsNullOrEmpty(At) ? "" : $"?at={Uri.EscapeDataString(At)}");

    public Task<IActionResult> OnGetAsync() => ShowAsync();

    /// <summary>Asks connected systems for their lists of the day.</summary>
    public async Task<IActionResult> OnPostFetchAsync()
    {
        var day = Day() ?? State.Today;
        if (Faults.Count > 0)
            return Page();
        var done = await fetch.RunAsync(Actor, EntityCode, day, null, HttpContext.RequestAborted);
        return done.Result is { } came
            ? Went(
                string.Join(
                    ", ",
                    came.Lists.Select(l =>
                        $"{Words.Title(l.Control).ToLowerInvariant()} of {l.Connection} ({Show.Some(l.Rows, "row")})"
                    )
                )
                    + $" came, of {Show.Day(day)}."
                    + (came.Faults.Count == 0 ? "" : " " + string.Join(" ", came.Faults.Select(f => f.Message)))
            )
            : await RefusedAsync(done);
    }

    private protected override async Task<IActionResult> ShowAsync()
    {
        var day = Day();
        if (Faults.Any(f => f.Path == "at"))
            return Page();
        var all = await ties.AllAsync(Visit, day, HttpContext.RequestAborted);
        All = all.Result;
        if (all.Faults.Count > 0)
            Faults = all.Faults;
        if (All is not null && !string.IsNullOrEmpty(Which))
        {
            if (!Words.TryParse<Control>(Which, out var control) || control == Control.None)
                return NotFound();
            Opened = (await ties.OneAsync(Visit, control, day, Before, HttpContext.RequestAborted)).Result;
            var months = await ties.OverTimeAsync(Visit, control, All.At, HttpContext.RequestAborted);
            if (months.Any(m => m.Difference != 0))
                OverTime = new Drawing.Bars(
                    "Difference at the end of each month",
                    [.. months.Select(m => Show.Day(m.At))],
                    ["difference"],
                    [.. months.Select(m => new[] { m.Difference })]
                );
        }
        return Page();
    }

    /// <summary>The tie-outs as a file.</summary>
    public async Task<IActionResult> OnGetListAsync(string? format)
    {
        var all = await ties.AllAsync(Visit, Day(), HttpContext.RequestAborted);
        return ListFile.Of(
            $"{EntityCode}-tie-outs",
            format ?? "csv",
            ["control", "accounts", "ledger", "documents", "difference", "cause", "amount", "lines"],
            (all.Result?.Controls ?? []).SelectMany(t =>
                t.Causes.Cast<CauseSum?>()
                    .DefaultIfEmpty(null)
                    .Select(c =>
                        new object?[]
                        {
                            Words.Of(t.Control),
                            string.Join(' ', t.Accounts),
                            t.Ledger,
                            t.Documents,
                            t.Difference,
                            c is null ? "" : Words.Of(c.Cause),
                            c?.Amount,
                            c?.Count,
                        }
                    )
            )
        );
    }

    /// <summary>Why a control here and the book of record differ, in words.</summary>
    public static string Said(RecordCause cause) =>
        cause switch
        {
            RecordCause.NotSent => "not there yet",
            RecordCause.RefusedThere => "refused there",
            RecordCause.Foreign => "made there by hand",
            RecordCause.BeforeOpening => "before the first day",
            _ => "other",
        };

    /// <summary>A cause as people say it.</summary>
    public static string Said(TieCause cause) =>
        cause switch
        {
            TieCause.HandEntry => "written by hand",
            TieCause.OtherPurpose => "of another purpose",
            TieCause.LandedElsewhere => "landed elsewhere",
            _ => "close of a year",
        };

    /// <summary>A cause of a difference from another system's list, as people say it.</summary>
    public static string Said(TheirCause cause) =>
        cause switch
        {
            TheirCause.Timing => "moves after the day",
            TheirCause.Waiting => "its document waits here",
            TheirCause.Doubled => "there twice",
            TheirCause.OtherParty => "under another party",
            TheirCause.Rate => "at another rate",
            TheirCause.Quantity => "another quantity",
            TheirCause.Cost => "another cost",
            TheirCause.OnlyOurs => "only here",
            TheirCause.OnlyTheirs => "only there",
            _ => "another amount",
        };

    private DateOnly? Day()
    {
        if (string.IsNullOrWhiteSpace(At))
            return null;
        if (WrittenDay.Of(At) is { } day)
            return day;
        Faults =
        [
            new Fault(
                "bad-date",
                $"'{(At.Length > 40 ? At[..40] : At)}' is no day: write it as "
                    + $"{WrittenDay.Say(new DateOnly(2026, 3, 14))}.",
                "at"
            ),
        ];
        return null;
    }
}
