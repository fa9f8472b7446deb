using Assignum.Core;
using Assignum.Core.SetUps;
using Assignum.Desk;
using Assignum.Desk.SetUps;
using Assignum.Formats.Bundles;
using Assignum.Storage;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Assignum.Web.Pages.Entity;

/// <summary>The bundle in and out: a preview first, then whole or not at all.</summary>
[RequestFormLimits(MultipartBodyLengthLimit = Limits.Upload)]
[RequestSizeLimit(Limits.Upload + (1 << 20))]
public sealed class FilesModel(DeskContext desk, ImportBundle import, ViewSetUp view, EditSetUp edit, ReadChanges changes) : ActingPage(desk, edit)
{
    /// <summary>Rows of a preview that the page lists.</summary>
    public const int MostShown = 200;

    public override string Place => "files";
    public ImportPlan? Plan { get; private set; }
    public string FileName { get; private set; } = "";
    public Guid Upload { get; private set; }
    public string Expected { get; private set; } = "";
    public bool KeepRows { get; private set; }

    /// <summary>The newest changes of the draft and the records.</summary>
    public IReadOnlyList<ChangeHead> History { get; private set; } = [];

    public Task<IActionResult> OnGetAsync() => ShowAsync();

    public async Task<IActionResult> OnGetBundleAsync(string? edition, string? format)
    {
        var set = await view.OfAsync(State, edition ?? "draft", null, HttpContext.RequestAborted);
        if (set.Result is not { } found) return NotFound();
        var file = new MemoryStream();
        var name = EntityCode + (edition is null ? "" : "-" + edition);
        if (format == "xlsx" && Workbook.TooLong(found.SetUp.SetUp) is { } part)
            return await RefusedAsync(new Fault("too-many-rows", $"{part.Name} has more rows than a sheet can hold: take the zip."));
        if (format == "xlsx") Workbook.Write(found.SetUp.SetUp, file); else Bundle.ToZip(found.SetUp.SetUp, file);
        return format == "xlsx" ? File(file.ToArray(), Workbook.MediaType, name + ".xlsx") : File(file.ToArray(), "application/zip", name + ".zip");
    }

    private async Task HistoryAsync() => History = (await changes.RunAsync(Actor, EntityCode, 20, HttpContext.RequestAborted)).Result ?? [];

    public async Task<IActionResult> OnPostPreviewAsync(IFormFile? file, bool partial)
    {
        if (file is null) return await RefusedAsync(new Fault("no-file", "Choose a zip or a workbook first.", "file"));
        using var bytes = new MemoryStream();
        await file.CopyToAsync(bytes, HttpContext.RequestAborted);
        await using (var db = await Desk.Database.OpenAsync(HttpContext.RequestAborted))
            Upload = await UploadStore.KeepAsync(db, State.Id, Path.GetFileName(file.FileName), bytes.ToArray(), Actor.Name, HttpContext.RequestAborted);
        return await LookAsync(bytes.ToArray(), Path.GetFileName(file.FileName), partial);
    }

    public async Task<IActionResult> OnPostApplyAsync(Guid upload, bool partial, string? expected)
    {
        (string Name, byte[] Content)? kept;
        await using (var db = await Desk.Database.OpenAsync(HttpContext.RequestAborted))
            kept = await UploadStore.FindAsync(db, State.Id, upload, Actor.Name, HttpContext.RequestAborted);
        if (kept is not { } found) return await RefusedAsync(new Fault("no-file", "The file is kept for a day after its preview. Choose it again.", "file"));
        var faults = new List<FormFault>();
        var sheets = Bundle.FromFile(new MemoryStream(found.Content), faults);
        var applied = await import.ApplyAsync(Actor, EntityCode, sheets, faults, partial, expected, HttpContext.RequestAborted, found.Name);
        if (applied.Refused is null) return Went($"{applied.Result!.Plan.Changes.Count} rows of {found.Name} were brought in.");
        Faults = applied.Faults;
        Upload = upload;
        return applied.Refused == Refusal.Conflict ? await LookAsync(found.Content, found.Name, partial) : await RefusedAsync(applied);
    }

    private async Task<IActionResult> LookAsync(byte[] content, string name, bool partial)
    {
        (FileName, KeepRows) = (name, partial);
        var faults = new List<FormFault>();
        var sheets = Bundle.FromFile(new MemoryStream(content), faults);
        var preview = await import.PreviewAsync(Actor, EntityCode, sheets, faults, partial, null, HttpContext.RequestAborted);
        if (preview.Result is null) return await RefusedAsync(preview);
        Plan = preview.Result.Plan;
        // What the page shows was true for this state; applying it to another is refused.
        Expected = ImportBundle.StateOf(State);
        if (Plan.Faults.Count > 0) Response.StatusCode = 422;
        return Page();
    }

    private protected override string Here => $"/e/{EntityCode}/files";

    private protected override async Task<IActionResult> ShowAsync()
    {
        await HistoryAsync();
        return Page();
    }
}
