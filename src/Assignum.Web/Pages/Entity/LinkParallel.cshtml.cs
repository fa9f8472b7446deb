using Assignum.Core;
using Assignum.Core.Feeding;
using Assignum.Desk;
using Assignum.Desk.Connections;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>What a connection would post, day by day, beside what was booked the old way.</summary>
public sealed class LinkParallelModel(DeskContext desk, EditSetUp edit, KeepConnections keep, RunParallel parallel)
    : JoinedPage(desk, edit, keep)
{
    /// <summary>Most documents of an account that are shown.</summary>
    public const int MostDocuments = 100;

    /// <summary>The day that is opened.</summary>
    [BindProperty(SupportsGet = true)]
    public DateOnly? Day { get; set; }

    /// <summary>The account of it whose documents are shown.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Account { get; set; }

    /// <summary>The first day that is proposed.</summary>
    public DateOnly? From { get; private set; }

    /// <summary>Null: it does not run beside the old way.</summary>
    public ParallelView? View { get; private set; }

    /// <summary>The day that is opened.</summary>
    public ParallelDay? Opened { get; private set; }

    private protected override string Here => $"{Home}/parallel" + (Day is { } day ? $"?day={BooksPage.Iso(day)}" : "");

    public Task<IActionResult> OnGetAsync() => ShowAsync();

    public async Task<IActionResult> OnPostAsync(DateOnly? from)
    {
        From = from;
        if (from is not { } day)
            return await RefusedAsync(
                new Fault("bad-date", "Say from which day on it runs beside the old way.", "from")
            );
        var done = await parallel.StartAsync(Actor, EntityCode, LinkCode, day, HttpContext.RequestAborted);
        return done.Refused is null
            ? Went($"From {Show.Day(day)} on what it tells is rehearsed; nothing posts.")
            : await RefusedAsync(done);
    }

    public async Task<IActionResult> OnPostEndAsync()
    {
        var done = await parallel.StartAsync(Actor, EntityCode, LinkCode, null, HttpContext.RequestAborted);
        return done.Refused is null
            ? Went("It does not run beside the old way any more.", null, $"{Home}/parallel")
            : await RefusedAsync(done);
    }

    public async Task<IActionResult> OnPostBookedAsync(IFormFile? file)
    {
        if (file is not { Length: > 0 } || file.Length > Limits.Json)
            return await RefusedAsync(
                new Fault("missing-value", $"Choose a list of at most {Limits.Json >> 20} MB.", "file")
            );
        using var held = new MemoryStream();
        await file.CopyToAsync(held, HttpContext.RequestAborted);
        var done = await parallel.BookedAsync(
            Actor,
            EntityCode,
            LinkCode,
            held.ToArray(),
            file.FileName.EndsWith(".json", StringComparison.OrdinalIgnoreCase),
            HttpContext.RequestAborted
        );
        return done.Refused is null
            ? Went($"{Show.Some(done.Result.Rows, "row")} of {Show.Some(done.Result.Days, "day")} were taken.")
            : await RefusedAsync(done);
    }

    /// <summary>A cause as people say it.</summary>
    public static string Says(ParallelCause cause) =>
        cause switch
        {
            ParallelCause.OtherAccount => "on another account there",
            ParallelCause.OtherDay => "on another day there",
            ParallelCause.Waits => "its document waits here",
            ParallelCause.Summed => "booked there as a sum",
            ParallelCause.OnlyHere => "only here",
            ParallelCause.OnlyThere => "only there",
            _ => "another amount",
        };

    private protected override async Task<IActionResult> ShowAsync()
    {
        if (!await FoundAsync())
            return NotFound();
        From ??= Link.ParallelFrom ?? new DateOnly(State.Today.Year, State.Today.Month, 1);
        if (Link.ParallelFrom is null)
            return Page();
        View = (await parallel.ReadAsync(Actor, EntityCode, LinkCode, HttpContext.RequestAborted)).Result;
        Opened = View?.Days.FirstOrDefault(d => d.Day == Day)
            ?? View?.Days.FirstOrDefault(d => d.Differs > 0)
            ?? (View is { Days.Count: > 0 } ? View.Days[^1] : null);
        return Page();
    }
}
