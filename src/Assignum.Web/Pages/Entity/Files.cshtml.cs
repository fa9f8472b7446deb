using Assignum.Core;
using Assignum.Core.Tables;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.SetUps;
using Assignum.Desk.Work;
using Assignum.Formats.Bundles;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>The bundle in and out: a preview first, then whole or not at all.</summary>
[RequestFormLimits(MultipartBodyLengthLimit = Limits.Upload, ValueCountLimit = 20_000)]
[RequestSizeLimit(Limits.Upload + (1 << 20))]
public sealed class FilesModel(
    DeskContext desk,
    ImportBundle import,
    ViewSetUp view,
    EditSetUp edit,
    ReadChanges changes,
    WorkDesk work
) : ActingPage(desk, edit)
{
    /// <summary>Rows of a preview that the page lists.</summary>
    public const int MostShown = 200;

    public override string Place => "files";
    public ImportPlan? Plan => Looked?.Plan;

    /// <summary>What bringing it in would do.</summary>
    public ImportResult? Looked { get; private set; }

    /// <summary>Whether everything is to become as in the bundle, newer rows here or not.</summary>
    public bool Whole { get; private set; }

    /// <summary>Whether the values in it are to be taken too.</summary>
    public bool Values { get; private set; }

    /// <summary>Of conflicts that were decided: whether the bundle wins.</summary>
    public IReadOnlyDictionary<string, bool> Decided { get; private set; } = new Dictionary<string, bool>();

    /// <summary>What is wrong beside conflicts, which are chosen on the page.</summary>
    public IReadOnlyList<Fault> Wrong => [.. Plan!.Faults.Where(f => f.Code != "conflict")];
    public string FileName { get; private set; } = "";

    /// <summary>The conflicts, to be decided.</summary>
    public ConflictList Conflicts =>
        new([.. Looked!.Conflicts.Select(c => (c.Id, c.Part.Name, c.Of))], Decided, "the bundle");

    /// <summary>What would come of it, in a line.</summary>
    public string Summary
    {
        get
        {
            static string Count(int n, string one, string many) => n == 1 ? $"1 {one}" : $"{n} {many}";
            if (Wrong.Count > 0)
                return Count(Wrong.Count, "fault", "faults") + ", nothing can be brought in";
            if (Looked!.Conflicts.Count > 0)
                return Count(Looked.Conflicts.Count, "conflict", "conflicts") + " with what was changed here";
            return Plan!.Changes.Count == 0 && Looked.Values.Count == 0
                ? "nothing would change"
                : Count(Plan.Changes.Count, "row", "rows") + " would change";
        }
    }

    public Guid Upload { get; private set; }
    public string Expected { get; private set; } = "";
    public bool KeepRows { get; private set; }

    /// <summary>The newest changes of the draft and the records.</summary>
    public IReadOnlyList<ChangeHead> History { get; private set; } = [];

    public Task<IActionResult> OnGetAsync() => ShowAsync();

    public async Task<IActionResult> OnGetBundleAsync(string? edition, string? format)
    {
        var set = await view.OfAsync(Visit, edition ?? "draft", null, HttpContext.RequestAborted);
        if (set.Result is not { } found)
            return NotFound();
        await TakenBundles.TakenOutAsync(Desk, State, found.SetUp.SetUp, Actor.Name, HttpContext.RequestAborted);
        var file = new MemoryStream();
        var name = EntityCode + (edition is null ? "" : "-" + edition);
        if (format == "xlsx" && Workbook.TooLong(found.SetUp.SetUp) is { } part)
            return await RefusedAsync(
                new Fault("too-many-rows", $"{part.Name} has more rows than a sheet can hold: take the zip.")
            );
        if (format == "xlsx")
            Workbook.Write(found.SetUp.SetUp, file);
        else
            Bundle.ToZip(found.SetUp.SetUp, file);
        return format == "xlsx"
            ? File(file.ToArray(), Workbook.MediaType, name + ".xlsx")
            : File(file.ToArray(), "application/zip", name + ".zip");
    }

    private async Task HistoryAsync() =>
        History = (await changes.RunAsync(Actor, EntityCode, 20, HttpContext.RequestAborted)).Result ?? [];

    public async Task<IActionResult> OnPostPreviewAsync(IFormFile? file, bool partial)
    {
        if (file is null)
            return await RefusedAsync(new Fault("no-file", "Choose a zip or a workbook first.", "file"));
        using var bytes = new MemoryStream();
        await file.CopyToAsync(bytes, HttpContext.RequestAborted);
        if (bytes.Length > Limits.AtOnce)
            return await LaterAsync(bytes.ToArray(), Path.GetFileName(file.FileName), partial);
        Upload = await Desk.KeepFileAsync(
            Visit,
            Path.GetFileName(file.FileName),
            bytes.ToArray(),
            HttpContext.RequestAborted
        );
        return await LookAsync(bytes.ToArray(), Path.GetFileName(file.FileName), partial);
    }

    // A long one is looked at, and brought in where nothing is wrong and nothing has to be chosen, while nobody waits.
    private async Task<IActionResult> LaterAsync(byte[] content, string name, bool partial)
    {
        var given = await work.StartAsync(
            Actor,
            EntityCode,
            Role.Preparer,
            BundleWork.Name,
            name,
            new BundleOrder(Request.Form["now"] == "true", partial, false),
            content,
            HttpContext.RequestAborted
        );
        return given.Result is { } row
            ? Went($"{name} is long: it is worked on in the background.", null, $"/e/{EntityCode}/work?id={row.Id}")
            : await RefusedAsync(given);
    }

    /// <summary>Looks once more at a file that was looked at: as it stands, or compared with what it was made
    /// from.</summary>
    public async Task<IActionResult> OnPostAgainAsync(Guid upload, bool partial, bool whole)
    {
        (Upload, Whole) = (upload, whole);
        return await KeptAsync(upload) is { } found
            ? await LookAsync(found.Content, found.Name, partial)
            : await RefusedAsync(Gone);
    }

    public async Task<IActionResult> OnPostApplyAsync(
        Guid upload,
        bool partial,
        string? expected,
        bool whole,
        bool values
    )
    {
        if (await KeptAsync(upload) is not { } found)
            return await RefusedAsync(Gone);
        (Whole, Values, Decided) = (whole, values, ConflictFields.Decided(Request.Form));
        var faults = new List<Fault>();
        var sheets = Bundle.FromFile(new MemoryStream(found.Content), faults);
        var applied = await import.ApplyAsync(
            Actor,
            EntityCode,
            sheets,
            faults,
            partial,
            expected,
            HttpContext.RequestAborted,
            found.Name,
            back: Back
        );
        if (applied.Refused is null)
            return Went($"{applied.Result!.Plan.Changes.Count} rows of {found.Name} were brought in.");
        Faults = [.. applied.Faults.Where(f => f.Code != "conflict").Take(MostShown)];
        Upload = upload;
        return applied.Refused is Refusal.Conflict or Refusal.Invalid
            ? await LookAsync(found.Content, found.Name, partial)
            : await RefusedAsync(applied);
    }

    private static Fault Gone =>
        new("no-file", "The file is kept for a day after its preview. Choose it again.", "file");

    private BundleReturn Back => new(Whole, c => Decided.TryGetValue(c.Id, out var theirs) ? theirs : null, Values);

    private Task<(string Name, byte[] Content)?> KeptAsync(Guid upload) =>
        Desk.FindFileAsync(Visit, upload, HttpContext.RequestAborted);

    private async Task<IActionResult> LookAsync(byte[] content, string name, bool partial)
    {
        (FileName, KeepRows) = (name, partial);
        var faults = new List<Fault>();
        var sheets = Bundle.FromFile(new MemoryStream(content), faults);
        var preview = await import.PreviewAsync(
            Actor,
            EntityCode,
            sheets,
            faults,
            partial,
            null,
            HttpContext.RequestAborted,
            Back
        );
        if (preview.Result is null)
            return await RefusedAsync(preview);
        Looked = preview.Result;
        // What the page shows was true for this state; applying it to another is refused.
        Expected = ImportBundle.StateOf(State);
        if (Looked.Plan.Faults.Count > 0)
            Response.StatusCode = 422;
        return Page();
    }

    private protected override string Here => $"/e/{EntityCode}/files";

    /// <summary>Stored rows that do not keep a rule of today.</summary>
    public IReadOnlyList<Fault> Offences { get; private set; } = [];

    private protected override async Task<IActionResult> ShowAsync()
    {
        await HistoryAsync();
        Offences = (await view.OfAsync(Visit, "draft", null, HttpContext.RequestAborted)).Result?.SetUp.SetUp.Offences
            ?? [];
        return Page();
    }
}
