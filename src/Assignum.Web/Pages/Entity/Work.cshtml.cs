using System.Text.Json;
using Assignum.Core;
using Assignum.Core.Work;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.SetUps;
using Assignum.Desk.Work;
using Assignum.Formats.Json;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>Work that goes on without anybody waiting for it: what runs, what waits, what came of it.</summary>
[RequestFormLimits(MultipartBodyLengthLimit = Limits.Upload)]
[RequestSizeLimit(Limits.Upload + (1 << 20))]
public sealed class WorkModel(DeskContext desk, EditSetUp edit, WorkDesk work) : ActingPage(desk, edit)
{
    /// <inheritdoc/>
    public override string Place => "work";

    /// <summary>The newest first.</summary>
    public IReadOnlyList<WorkRow> Rows { get; private set; } = [];

    /// <summary>The piece that is looked at, with what came of it; null: none.</summary>
    [BindProperty(SupportsGet = true)]
    public long? Id { get; set; }

    /// <summary>The piece that is looked at.</summary>
    public WorkRow? Chosen { get; private set; }

    /// <summary>What came of a bundle; null: it is none, or not done.</summary>
    public BundleDone? Bundle { get; private set; }

    /// <summary>What came of a file of events; null: it is none, or not done.</summary>
    public EventsDone? Events { get; private set; }

    /// <summary>Whether anything is still to come, so that the page looks again by itself.</summary>
    public bool Going => Rows.Any(r => r.Status is "waiting" or "running");

    /// <summary>How the page says a state.</summary>
    public static string Says(WorkRow row) =>
        row.Status switch
        {
            "waiting" when row.Attempts > 0 => $"waits to be tried again at {Show.Instant(row.Due)}",
            "waiting" => "waits",
            "running" when row.Cancel => "is being stopped",
            "running" => "runs",
            "done" => "done",
            "failed" => "failed",
            _ => "stopped",
        };

    /// <summary>What a kind of work is called.</summary>
    public static string Named(WorkRow row) =>
        row.Kind switch
        {
            BundleWork.Name => "Bundle",
            EventsWork.Name => "File of events",
            _ => row.Kind,
        };

    public Task<IActionResult> OnGetAsync() => ShowAsync();

    /// <summary>The rows alone, for looking again.</summary>
    public async Task<IActionResult> OnGetRowsAsync()
    {
        await ShowAsync();
        return Partial("_WorkRows", this);
    }

    /// <summary>Gives a file of events to be posted.</summary>
    public async Task<IActionResult> OnPostEventsAsync(IFormFile? file)
    {
        if (file is null || file.Length == 0)
            return await RefusedAsync(new Fault("no-file", "Choose a file with one event a line first.", "file"));
        using var bytes = new MemoryStream();
        await file.CopyToAsync(bytes, HttpContext.RequestAborted);
        var given = await work.StartAsync(
            Actor,
            EntityCode,
            Role.Preparer,
            EventsWork.Name,
            Path.GetFileName(file.FileName),
            new { },
            bytes.ToArray(),
            HttpContext.RequestAborted
        );
        return given.Result is { } row
            ? Went($"{row.Subject} is posted in the background.", null, $"{Here}?id={row.Id}")
            : await RefusedAsync(given);
    }

    public async Task<IActionResult> OnPostCancelAsync(long id)
    {
        var turned = await work.CancelAsync(Actor, EntityCode, id, HttpContext.RequestAborted);
        return turned.Refused is null
            ? Went("It is being stopped.", null, $"{Here}?id={id}")
            : await RefusedAsync(turned);
    }

    public async Task<IActionResult> OnPostAgainAsync(long id)
    {
        var turned = await work.AgainAsync(Actor, EntityCode, id, HttpContext.RequestAborted);
        return turned.Refused is null
            ? Went("It is tried again.", null, $"{Here}?id={id}")
            : await RefusedAsync(turned);
    }

    private protected override string Here => $"/e/{EntityCode}/work";

    private protected override async Task<IActionResult> ShowAsync()
    {
        Rows = (await work.ListAsync(Actor, EntityCode, HttpContext.RequestAborted)).Result ?? [];
        if (Id is { } id)
            Chosen = (await work.FindAsync(Actor, EntityCode, id, HttpContext.RequestAborted)).Result;
        if (Chosen is { Result: { } result, Kind: BundleWork.Name })
            Bundle = JsonSerializer.Deserialize<BundleDone>(result, TraceJson.Settings);
        if (Chosen is { Result: { } done, Kind: EventsWork.Name })
            Events = JsonSerializer.Deserialize<EventsDone>(done, TraceJson.Settings);
        return Page();
    }
}
