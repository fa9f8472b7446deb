using System.Globalization;
using System.Security.Cryptography;
using System.Text;
using Assignum.Core;
using Assignum.Core.Chart;
using Assignum.Core.Statements;
using Assignum.Core.Tables;
using Assignum.Core.Tables.Foreign;
using Assignum.Desk;
using Assignum.Desk.Chart;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Assignum.Web.Pages.Entity;

/// <summary>Brings in a chart of anyone's making: how it is read is proposed and corrected, then the difference, then
/// all of it or nothing.</summary>
[RequestFormLimits(MultipartBodyLengthLimit = Limits.Upload)]
[RequestSizeLimit(Limits.Upload + (1 << 20))]
public sealed class BringModel(DeskContext desk, BringChart bring) : EntityPage(desk)
{
    /// <summary>Faults that the page lists.</summary>
    public const int MostShown = 200;

    // Accounts drawn in the preview of the tree.
    private const int MostDrawn = 2000;

    public override string Place => "chart";
    public ChartLook? Look { get; private set; }
    public string FileName { get; private set; } = "";
    public Guid Upload { get; private set; }
    public bool Whole { get; private set; }

    /// <summary>Whether the balances of the file are to be kept.</summary>
    public bool KeepBalances { get; private set; } = true;

    /// <summary>Stands for how the file was read when the page was made: what is applied is what was seen.</summary>
    public string Seen { get; private set; } = "";
    public IReadOnlyList<StatementRow> Falls { get; private set; } = [];
    private HashSet<string> added = [];

    /// <summary>Whether an account comes from this file.</summary>
    public bool IsNew(string number) => added.Contains(number);

    /// <summary>The ways in which headings are found.</summary>
    public static readonly IReadOnlyList<(ForeignShape Shape, string Title)> Shapes =
    [
        (ForeignShape.Flat, "nothing: no headings"),
        (ForeignShape.Parents, "the parent column"),
        (ForeignShape.Path, "the path column"),
        (ForeignShape.Levels, "the depth column"),
        (ForeignShape.Columns, "the tree's columns"),
        (ForeignShape.Indents, "indentation"),
        (ForeignShape.Titles, "title rows without number"),
        (ForeignShape.Numbers, "the numbers"),
    ];

    /// <summary>What a word for a type can mean.</summary>
    public static IReadOnlyList<(string Value, string Title)> Meanings { get; } =
    [
        ("", "not said"),
        .. Core.Words.All<AccountClass>().Select(w => (w, Show.Words(w))),
        ("heading", "a heading"),
        ("posting", "a posting account, class not said"),
        ("leave", "leave its rows out"),
    ];

    /// <summary>A meaning as the page writes it.</summary>
    public static string Said(TypeMeaning meaning) =>
        meaning switch
        {
            { LeftOut: true } => "leave",
            { Class: { } its } => Core.Words.Of(its),
            { Kind: AccountKind.Heading } => "heading",
            { Kind: AccountKind.Posting } => "posting",
            _ => "",
        };

    /// <summary>Stands for a meaning that nobody chose yet.</summary>
    public const string Unchosen = "?";

    /// <summary>What a word of a tax column can mean.</summary>
    public IEnumerable<(string Value, string Title)> TaxMeanings(ForeignTaxWord word) =>
        [
            .. word.Sure == 0 ? new[] { (Unchosen, "choose …") } : [],
            ("", "left out"),
            .. word.Field == "tax_code"
                ? TaxCodes.Select(c => (c.Code, $"{c.Code} {c.Name}"))
                : Core.Words.All<TaxAdmits>().Select(w => (w, Show.Words(w))),
        ];

    /// <summary>The tax codes that words can mean.</summary>
    public IReadOnlyList<Core.Tax.TaxCode> TaxCodes { get; private set; } = [];

    /// <summary>What came of it, in a line.</summary>
    public string Summary
    {
        get
        {
            var plan = Look!.Plan;
            if (plan.Faults.Count > 0)
                return $"{(plan.Faults.Count == 1 ? "1 thing is" : $"{plan.Faults.Count} things are")} wrong; "
                    + "nothing can be brought in before that is mended";
            if (plan.Changes.Count == 0)
                return $"{Look.Reading.Sheet.Rows.Count} accounts read; nothing would change";
            var counts = plan
                .Changes.GroupBy(c => c.Kind)
                .OrderBy(g => g.Key)
                .Select(g => $"{g.Count()} {Core.Words.Of(g.Key)}");
            return $"{Look.Reading.Sheet.Rows.Count} accounts read: {string.Join(", ", counts)}";
        }
    }

    /// <summary>The first different values of a column.</summary>
    public IEnumerable<string> Samples(int column) =>
        Look!
            .Sheet.Rows.Where(r => r.Line > Look.Settings.HeaderLine && !r[column].Empty)
            .Select(r => r[column].Trimmed)
            .Distinct()
            .Take(3)
            .Select(t => t.Length > 40 ? t[..40] + "…" : t);

    public void OnGet() { }

    public async Task<IActionResult> OnPostLookAsync(IFormFile? file)
    {
        if (!May(Assignum.Desk.Access.Role.Preparer))
            return Refuse([new Fault("role-needed", $"This needs the role preparer in {EntityCode}.")]);
        if (file is null)
            return Refuse([new Fault("no-file", "Choose a file first.", "file")]);
        using var bytes = new MemoryStream();
        await file.CopyToAsync(bytes, HttpContext.RequestAborted);
        FileName = Path.GetFileName(file.FileName);
        Upload = await Desk.KeepFileAsync(Visit, FileName, bytes.ToArray(), HttpContext.RequestAborted);
        return await ShowAsync(bytes.ToArray(), null);
    }

    public async Task<IActionResult> OnPostAgainAsync(Guid upload) =>
        await KeptAsync(upload) is { } file ? await ShowAsync(file, Settings()) : Lost();

    public async Task<IActionResult> OnPostApplyAsync(Guid upload, string? expected, string? seen)
    {
        if (await KeptAsync(upload) is not { } file)
            return Lost();
        if (Settings() is not { Columns.Count: > 0 } settings || Fingerprint(settings) != seen)
        {
            Faults =
            [
                new Fault(
                    "changed-since",
                    "You changed how the file is read. This is the new difference: bring it in if it is right."
                ),
            ];
            return await ShowAsync(file, Settings());
        }
        var applied = await bring.ApplyAsync(
            Actor,
            EntityCode,
            file,
            FileName,
            settings,
            !Whole,
            KeepBalances,
            expected,
            HttpContext.RequestAborted
        );
        if (applied.Refused is null)
        {
            // The chart says it and offers to undo it.
            TempData[nameof(ActingPage.Done)] =
                $"{applied.Result!.Plan.Changes.Count} rows of {FileName} were brought in.";
            TempData[nameof(ActingPage.Change)] = applied.Result.Change?.ToString(CultureInfo.InvariantCulture);
            return LocalRedirect($"/e/{EntityCode}/chart");
        }
        Faults = applied.Faults;
        return await ShowAsync(file, settings);
    }

    // The settings of the form. Another sheet or header line asks for a new proposal: then no columns are said.
    private ForeignSettings Settings()
    {
        var form = Request.Form;
        var sheet = form["sheet"].ToString();
        var header = int.TryParse(form["header"], NumberStyles.None, CultureInfo.InvariantCulture, out var line)
            ? line
            : 0;
        var same = sheet == form["sheetWas"].ToString() && form["header"].ToString() == form["headerWas"].ToString();
        var columns = new List<string>();
        while (same && form.TryGetValue($"col-{columns.Count}", out var field))
            columns.Add(ForeignFields.All.Contains(field.ToString()) ? field.ToString() : "");
        var words = new Dictionary<string, TypeMeaning>(StringComparer.OrdinalIgnoreCase);
        for (var i = 0; form.TryGetValue($"word-{i}", out var word); i++)
        {
            var (said, owner) = (form[$"means-{i}"].ToString(), form[$"owner-{i}"].ToString());
            words[word.ToString()] = new TypeMeaning(
                Core.Words.TryParse<AccountClass>(said, out var its) ? its : null,
                Core.Words.TryParse<Control>(owner, out var control) ? control : Control.None,
                said == "heading" ? AccountKind.Heading
                    : said == "posting" ? AccountKind.Posting
                    : null,
                said == "leave"
            );
        }
        var taxWords = new Dictionary<string, string>(StringComparer.Ordinal);
        for (var i = 0; form.TryGetValue($"tax-word-{i}", out var word); i++)
            taxWords[ForeignSettings.Said(form[$"tax-field-{i}"].ToString(), word.ToString())] = form[$"tax-means-{i}"]
                .ToString();
        // What nobody chose is asked for again.
        foreach (var open in taxWords.Where(w => w.Value == Unchosen).ToList())
            taxWords.Remove(open.Key);
        KeepBalances = !form.ContainsKey("balances-shown") || form["balances"] == "true";
        Whole = form["whole"] == "true";
        var left = form["leave"]
            .Select(l => int.TryParse(l, NumberStyles.None, CultureInfo.InvariantCulture, out var n) ? n : 0)
            .Where(n => n > 0)
            .ToHashSet();
        return new ForeignSettings(
            sheet,
            sheet == form["sheetWas"].ToString() ? header : -1,
            columns,
            words,
            Enum.TryParse<ForeignShape>(form["shape"], out var shape) && Enum.IsDefined(shape)
                ? shape
                : ForeignShape.Flat,
            left
        )
        {
            TaxWords = taxWords,
        };
    }

    private string Fingerprint(ForeignSettings s) =>
        Convert.ToHexStringLower(
            SHA256.HashData(
                Encoding.UTF8.GetBytes(
                    string.Join(
                        '\u001f',
                        [
                            s.Sheet,
                            s.HeaderLine.ToString(CultureInfo.InvariantCulture),
                            s.Shape.ToString(),
                            Whole ? "whole" : "",
                            string.Join(',', s.Columns),
                            string.Join(',', s.LeftOut.Order()),
                            .. s.Words.OrderBy(w => w.Key, StringComparer.Ordinal).Select(w => $"{w.Key}={w.Value}"),
                            .. s.TaxWords.OrderBy(w => w.Key, StringComparer.Ordinal).Select(w => $"{w.Key}={w.Value}"),
                        ]
                    )
                )
            )
        );

    private async Task<byte[]?> KeptAsync(Guid upload)
    {
        if (await Desk.FindFileAsync(Visit, upload, HttpContext.RequestAborted) is not { } kept)
            return null;
        (Upload, FileName) = (upload, kept.Name);
        return kept.Content;
    }

    private async Task<IActionResult> ShowAsync(byte[] file, ForeignSettings? settings)
    {
        var looked = await bring.LookAsync(Actor, EntityCode, file, settings, !Whole, HttpContext.RequestAborted);
        if (looked.Result is not { } look)
            return Refuse(looked.Faults);
        Look = look;
        TaxCodes = look.Plan.Next.TaxCodes;
        // The page writes every word with its meaning, so what comes back says them all.
        Seen = Fingerprint(
            look.Settings with
            {
                Columns = [.. look.Columns.Select(c => c.Field)],
                Words = look.Reading.Words.ToDictionary(w => w.Word, w => Written(w.Meaning)),
                TaxWords = look
                    .Reading.TaxWords.Where(w => w.Sure > 0)
                    .ToDictionary(w => ForeignSettings.Said(w.Field, w.Word), w => w.Meaning),
            }
        );
        if (look.Plan.Faults.Count == 0)
        {
            added =
            [
                .. look
                    .Plan.Changes.Where(c => c.Kind == ChangeKind.Added && c.Part == Parts.Accounts)
                    .Select(c => c.Key),
            ];
            Falls = [.. StatementTree.Lay(look.Plan.Next.Accounts, new Dictionary<string, decimal>()).Take(MostDrawn)];
        }
        if (Faults.Count > 0 || look.Plan.Faults.Count > 0)
            Response.StatusCode = 422;
        return Page();
    }

    private static TypeMeaning Written(TypeMeaning meaning) =>
        new(
            meaning.LeftOut ? null : meaning.Class,
            meaning.Control,
            meaning.LeftOut || meaning.Class is not null ? null : meaning.Kind,
            meaning.LeftOut
        );

    private IActionResult Lost() =>
        Refuse([new Fault("no-file", "The file is kept for a day after it was looked at. Choose it again.", "file")]);

    private PageResult Refuse(IReadOnlyList<Fault> faults)
    {
        (Look, Faults) = (null, faults);
        Response.StatusCode = 422;
        return Page();
    }
}
