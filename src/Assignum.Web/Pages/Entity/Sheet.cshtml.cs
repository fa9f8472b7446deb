using Assignum.Core;
using Assignum.Core.Tables;
using Assignum.Desk;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>A view that was taken out as a workbook and edited comes back: new, changed, gone, conflicting and wrong,
/// then whole or not at all.</summary>
[RequestFormLimits(MultipartBodyLengthLimit = Limits.Upload, ValueCountLimit = 20_000)]
[RequestSizeLimit(Limits.Upload + (1 << 20))]
public sealed class SheetModel(DeskContext desk, BringSheet bring, EditSetUp edit) : ActingPage(desk, edit)
{
    /// <summary>Rows that the page lists of anything.</summary>
    public const int MostShown = 200;

    public override string Place => Of == "assignments" ? "assignments" : "groups";

    /// <summary>The list that the view is of.</summary>
    [BindProperty(SupportsGet = true), FromRoute(Name = "of")]
    public string Of
    {
        get => of;
        set => of = value ?? "";
    }
    private string of = "";

    public BroughtSheet? Brought { get; private set; }
    public Guid Upload { get; private set; }
    public string FileName { get; private set; } = "";
    public bool Values { get; private set; }
    public string? Why { get; private set; }

    /// <summary>Of conflicts that were decided: whether the sheet wins.</summary>
    public IReadOnlyDictionary<string, bool> Decided { get; private set; } = new Dictionary<string, bool>();

    /// <summary>What was written in place of cells that are wrong.</summary>
    public SheetMends Mends { get; private set; } = SheetMends.None;

    private const string Mended = "mend:";

    /// <summary>The name of the field that a wrong cell is mended in.</summary>
    public static string FieldOf(WrongCell cell) => $"{Mended}{cell.Row}:{cell.Column}";

    private static SheetMends MendsOf(IFormCollection form) =>
        new(
            form.Where(f => f.Key.StartsWith(Mended, StringComparison.Ordinal))
                .Select(f => (Parts: f.Key[Mended.Length..].Split(':', 2), Text: f.Value.ToString()))
                .Where(f => f.Parts.Length == 2 && int.TryParse(f.Parts[0], out _))
                .ToDictionary(
                    f => (int.Parse(f.Parts[0], System.Globalization.CultureInfo.InvariantCulture), f.Parts[1]),
                    f => f.Text
                ),
            form["good"] == "true"
        );

    private Part? Part =>
        Of == "assignments" ? Parts.Assignments
        : RecordsModel.Lists.FirstOrDefault(l => l.Of == Of) is { Of: not null } list ? list.Part
        : null;
    public string Title => Of == "assignments" ? "Assignments" : RecordsModel.Lists.First(l => l.Of == Of).Title;
    public string Home => Of == "assignments" ? $"/e/{EntityCode}/assignments" : $"/e/{EntityCode}/groups/{Of}";

    /// <summary>The conflicts, to be decided.</summary>
    public ConflictList Conflicts =>
        new([.. Brought!.Plan.Conflicts.Select(c => (c.Id, "", c))], Decided, "the workbook");

    public Task<IActionResult> OnGetAsync() => ShowAsync();

    public async Task<IActionResult> OnPostLookAsync(IFormFile? file)
    {
        if (Part is null)
            return NotFound();
        if (file is null)
            return await RefusedAsync(new Fault("no-file", "Choose a workbook first.", "file"));
        using var bytes = new MemoryStream();
        await file.CopyToAsync(bytes, HttpContext.RequestAborted);
        Upload = await Desk.KeepFileAsync(
            Visit,
            Path.GetFileName(file.FileName),
            bytes.ToArray(),
            HttpContext.RequestAborted
        );
        return await LookAsync(bytes.ToArray(), Path.GetFileName(file.FileName));
    }

    /// <summary>Looks again, with what was mended on the page; nothing is changed.</summary>
    public async Task<IActionResult> OnPostAgainAsync(Guid upload, bool values, string? reason)
    {
        if (Part is null)
            return NotFound();
        (Upload, Values, Why) = (upload, values, Reason(reason));
        Decided = ConflictFields.Decided(Request.Form);
        Mends = MendsOf(Request.Form);
        return await Desk.FindFileAsync(Visit, upload, HttpContext.RequestAborted) is { } found
            ? await LookAsync(found.Content, found.Name)
            : await RefusedAsync(
                new Fault("no-file", "The workbook is kept for a day after it was looked at. Choose it again.", "file")
            );
    }

    public async Task<IActionResult> OnPostApplyAsync(Guid upload, bool values, string? reason)
    {
        if (Part is not { } part)
            return NotFound();
        (Upload, Values, Why) = (upload, values, Reason(reason));
        Decided = ConflictFields.Decided(Request.Form);
        Mends = MendsOf(Request.Form);
        if (await Desk.FindFileAsync(Visit, upload, HttpContext.RequestAborted) is not { } found)
            return await RefusedAsync(
                new Fault("no-file", "The workbook is kept for a day after it was looked at. Choose it again.", "file")
            );
        var made = await bring.ApplyAsync(
            Actor,
            EntityCode,
            part,
            found.Content,
            found.Name,
            Why,
            Decided,
            values,
            Mends,
            HttpContext.RequestAborted
        );
        return await AfterAsync(
            made,
            n =>
                $"{(n == 1 ? "1 row" : $"{n} rows")} of {found.Name} came in"
                + (Mends.GoodOnly ? "; what was wrong was left out." : "."),
            show: () => LookAsync(found.Content, found.Name)
        );
    }

    private async Task<IActionResult> LookAsync(byte[] content, string name)
    {
        FileName = name;
        var looked = await bring.LookAsync(
            Visit,
            Part!,
            content,
            Decided,
            Values,
            Mends with
            {
                GoodOnly = false,
            },
            HttpContext.RequestAborted
        );
        if (looked.Result is null)
            return await RefusedAsync(looked);
        Brought = looked.Result;
        if (Brought.Faults.Count > 0)
            Response.StatusCode = 422;
        return Page();
    }

    private protected override string Here => $"/e/{EntityCode}/sheet/{Of}";

    private protected override Task<IActionResult> ShowAsync() =>
        Task.FromResult<IActionResult>(Part is null ? NotFound() : Page());
}
