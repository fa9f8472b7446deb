using Assignum.Core;
using Assignum.Core.Work;
using Assignum.Desk;
using Assignum.Desk.Connections;
using Assignum.Desk.SetUps;
using Assignum.Desk.Work;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>How a connection stands, what is done with it, and what is next.</summary>
public sealed class ConnectionModel(
    DeskContext desk,
    EditSetUp edit,
    KeepConnections keep,
    AskLinks ask,
    ReadBoard boards,
    GoLive live,
    WorkDesk work,
    TakeFiles files,
    WriteRuns runs,
    MatchLater later
) : JoinedPage(desk, edit, keep)
{
    public LinkBoard Board { get; private set; } = null!;

    /// <summary>The problems that a test found; null: none was made.</summary>
    public IReadOnlyList<LinkProblem>? Problems { get; private set; }

    /// <summary>The newest fetching.</summary>
    public WorkRow? Work { get; private set; }

    /// <summary>Files that were taken, the newest first.</summary>
    public IReadOnlyList<Core.Feeding.LinkFile> Files { get; private set; } = [];

    /// <summary>Files in which journals went on, the newest first.</summary>
    public IReadOnlyList<Core.Feeding.JournalRun> Runs { get; private set; } = [];

    /// <summary>What was posted without a document that it names.</summary>
    public IReadOnlyList<UnmatchedEvent> Unmatched { get; private set; } = [];

    /// <summary>The secret of hooks, told once.</summary>
    public string? HookSecret { get; private set; }

    /// <summary>The first day that is proposed to post.</summary>
    public DateOnly? From { get; private set; }

    private protected override string Here => Home;

    public Task<IActionResult> OnGetAsync() => ShowAsync();

    /// <summary>How far the fetching is.</summary>
    public async Task<IActionResult> OnGetWorkAsync()
    {
        if (await ShowAsync() is NotFoundResult none)
            return none;
        return Partial("_LinkWork", this);
    }

    public async Task<IActionResult> OnPostTestAsync()
    {
        var tested = await Keep.TestAsync(Actor, EntityCode, LinkCode, HttpContext.RequestAborted);
        if (tested.Refused is not null)
            return await RefusedAsync(tested);
        Problems = tested.Result;
        return await ShowAsync();
    }

    public async Task<IActionResult> OnPostFetchAsync()
    {
        var given = await ask.StartAsync(Actor, EntityCode, LinkCode, HttpContext.RequestAborted);
        return given.Refused is null ? Went("It is asked; this page may be left.") : await RefusedAsync(given);
    }

    public async Task<IActionResult> OnPostFileAsync(IFormFile? file, string? @as)
    {
        if (file is not { Length: > 0 })
            return await RefusedAsync(new Fault("missing-value", "Choose a file.", "file"));
        await using var stream = file.OpenReadStream();
        var done = await files.RunAsync(
            Actor,
            EntityCode,
            LinkCode,
            file.FileName,
            stream,
            string.IsNullOrEmpty(@as) ? null : @as,
            false,
            HttpContext.RequestAborted
        );
        return done.Result is { } taken
            ? Went(
                $"{Show.Some(taken.Documents, "document")} came, {JoinedPage.Many(taken.Fresh)} of them new"
                    + (
                        taken.Faults.Count > 0
                            ? $"; {JoinedPage.Many(taken.Faults.Count)} cannot post as they are."
                            : "."
                    )
            )
            : await RefusedAsync(done);
    }

    public async Task<IActionResult> OnPostRunAsync()
    {
        var made = await runs.MakeAsync(Actor, EntityCode, LinkCode, HttpContext.RequestAborted);
        return made.Result is { } run
            ? Went(
                $"File {run.Number} has {Show.Some(run.Journals, "journal")}. Bring it in there, then say what became of them."
            )
            : await RefusedAsync(made);
    }

    public async Task<IActionResult> OnGetRunAsync(int number, string? format)
    {
        var json = format == "json";
        var found = await runs.FileAsync(Actor, EntityCode, LinkCode, number, json, HttpContext.RequestAborted);
        return found.Result is { } bytes
            ? File(
                bytes,
                json ? "application/json" : "text/csv; charset=utf-8",
                $"journals-{LinkCode}-{number}.{(json ? "json" : "csv")}"
            )
            : NotFound();
    }

    public async Task<IActionResult> OnPostConfirmAsync(int number, IFormFile? confirmation)
    {
        if (confirmation is not { Length: > 0 } || confirmation.Length > Limits.Json)
            return await RefusedAsync(
                new Fault("missing-value", "Choose the file that says what became of them.", "confirmation")
            );
        using var held = new MemoryStream();
        await confirmation.CopyToAsync(held, HttpContext.RequestAborted);
        var done = await runs.ConfirmAsync(
            Actor,
            EntityCode,
            LinkCode,
            number,
            held.ToArray(),
            confirmation.FileName.EndsWith(".json", StringComparison.OrdinalIgnoreCase),
            HttpContext.RequestAborted
        );
        return done.Result is { } said
            ? Went(
                $"{Show.Some(said.Sent, "journal")} there, {JoinedPage.Many(said.Refused)} refused, {JoinedPage.Many(said.Open)} not said yet."
            )
            : await RefusedAsync(done);
    }

    public async Task<IActionResult> OnPostAllocateAsync(long[]? rows)
    {
        if (rows is not { Length: > 0 })
            return await RefusedAsync(new Fault("missing-value", "Choose which are applied.", "rows"));
        var done = await later.AllocateAsync(Actor, EntityCode, LinkCode, rows, HttpContext.RequestAborted);
        return done.Result is { } posted
            ? Went($"{Show.Some(posted.Count, "allocation")} posted.")
            : await RefusedAsync(done);
    }

    public Task<IActionResult> OnPostPauseAsync() => TurnAsync(Keep.PauseAsync, "Paused: nothing is asked of it.");

    public Task<IActionResult> OnPostResumeAsync() => TurnAsync(Keep.ResumeAsync, "It goes on.");

    public Task<IActionResult> OnPostCloseAsync() => TurnAsync(Keep.CloseAsync, "Closed for good.");

    public async Task<IActionResult> OnPostLiveAsync(DateOnly? from)
    {
        From = from;
        if (from is not { } day)
            return await RefusedAsync(new Fault("bad-date", "Say from which day on it posts.", "from"));
        var done = await live.RunAsync(Actor, EntityCode, LinkCode, day, HttpContext.RequestAborted);
        return done.Refused is null ? Went($"Live from {Show.Day(day)} on.") : await RefusedAsync(done);
    }

    public async Task<IActionResult> OnPostChangeAsync(
        string? name,
        string? address,
        string? key,
        int? gapMinutes,
        int? patienceDays,
        string? closedPeriod,
        string? sends,
        string? sendsBy,
        string? folder,
        int? version
    )
    {
        var done = await Keep.ChangeAsync(
            Actor,
            EntityCode,
            LinkCode,
            new ConnectionForm(
                null,
                null,
                name,
                string.IsNullOrWhiteSpace(address) ? null : address,
                string.IsNullOrEmpty(key) ? null : key,
                null,
                gapMinutes,
                patienceDays,
                closedPeriod,
                null,
                version,
                sends,
                sendsBy,
                folder
            ),
            HttpContext.RequestAborted
        );
        return done.Refused is null ? Went("Kept.") : await RefusedAsync(done);
    }

    public async Task<IActionResult> OnPostRenewAsync()
    {
        var done = await Keep.RenewHookAsync(Actor, EntityCode, LinkCode, HttpContext.RequestAborted);
        if (done.Refused is not null)
            return await RefusedAsync(done);
        TempData["HookSecret"] = done.Result;
        return Went("Its calls are signed with another secret from now on; the one before it holds for a day.");
    }

    private async Task<IActionResult> TurnAsync(
        Func<Desk.Access.Actor, string, string, CancellationToken, Task<Outcome<Core.Pairing.Connection>>> turn,
        string said
    )
    {
        var done = await turn(Actor, EntityCode, LinkCode, HttpContext.RequestAborted);
        return done.Refused is null ? Went(said) : await RefusedAsync(done);
    }

    private protected override async Task<IActionResult> ShowAsync()
    {
        var found = await boards.RunAsync(Actor, EntityCode, LinkCode, HttpContext.RequestAborted);
        if (found.Result is not { } board)
            return NotFound();
        (Board, Link) = (board, board.Link);
        if (!Link.IsAsked)
            Files = (await files.ListAsync(Actor, EntityCode, LinkCode, HttpContext.RequestAborted)).Result ?? [];
        if (Link is { Of.TakesEntries: true, SendsBy: "file" })
            Runs = (await runs.ListAsync(Actor, EntityCode, LinkCode, HttpContext.RequestAborted)).Result ?? [];
        if (!Link.Of.TakesEntries)
            Unmatched = (await later.ListAsync(Actor, EntityCode, LinkCode, 0, 200, HttpContext.RequestAborted)).Result
                ?? [];
        HookSecret = TempData["HookSecret"] as string;
        var all = await work.ListAsync(Actor, EntityCode, HttpContext.RequestAborted);
        Work = all.Result?.FirstOrDefault(w =>
            w.Kind == FetchRecords.Name && w.Subject.Contains(Link.Name, StringComparison.Ordinal)
        );
        From ??= Link.LiveFrom ?? new DateOnly(State.Today.Year, State.Today.Month, 1);
        return Page();
    }
}
