using Assignum.Core;
using Assignum.Core.Calendar;
using Assignum.Core.Ledger;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Core.Tax;
using Assignum.Core.Upkeep;
using Assignum.Desk;
using Assignum.Desk.SetUps;
using Assignum.Desk.Tax;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>Tax: the matrix, the codes with their rates by date, and the boxes of the return. Edits go to the
/// draft.</summary>
public sealed class TaxModel(DeskContext desk, ViewSetUp view, EditSetUp edit, TaxUse use, CompareSetUps compare)
    : ActingPage(desk, edit)
{
    public override string Place => "tax";

    /// <summary><c>matrix</c>, <c>codes</c> or <c>boxes</c>.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Show { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Direction { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Standing { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Category { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Code { get; set; }

    [BindProperty(SupportsGet = true)]
    public DateOnly? From { get; set; }

    [BindProperty(SupportsGet = true)]
    public DateOnly? To { get; set; }

    public SetUp SetUp { get; private set; } = null!;
    public MatrixView? Matrix { get; private set; }
    public TaxDirection Side => Direction == "input" ? TaxDirection.Input : TaxDirection.Output;
    public IReadOnlyList<BoxAmount> Boxes { get; private set; } = [];
    public RowForm? CodeForm { get; private set; }

    /// <summary>What was typed into the matrix, where it comes back with a fault.</summary>
    public IReadOnlyDictionary<(string, string), string> Typed { get; private set; } =
        new Dictionary<(string, string), string>();

    /// <inheritdoc/>
    public override IReadOnlyDictionary<string, string> Kept =>
        new Dictionary<string, string> { ["show"] = Show ?? "matrix", ["direction"] = Words.Of(Side) };

    public DateOnly Today => State.Today;

    /// <summary>A code's rates, oldest first.</summary>
    public IEnumerable<TaxRate> Rates(string code) => SetUp.TaxRates.Where(r => r.Code == code).OrderBy(r => r.From);

    /// <summary>The rate of a code today, or null.</summary>
    public TaxRate? RateNow(string code) => Rates(code).LastOrDefault(r => r.From <= Today);

    public Task<IActionResult> OnGetAsync() => ShowAsync();

    /// <summary>What is shown, as a file: the matrix, the codes with their rates, or the boxes.</summary>
    public async Task<IActionResult> OnGetListAsync(string? format)
    {
        await ShowAsync();
        return Show switch
        {
            "codes" => ListFile.Of(
                "tax-codes",
                format ?? "csv",
                [
                    "code",
                    "name",
                    "direction",
                    "category",
                    "reverse charge",
                    "from",
                    "rate",
                    "reclaimed",
                    "base box",
                    "tax box",
                    "reverse base box",
                    "reverse tax box",
                ],
                SetUp
                    .TaxCodes.OrderBy(c => c.Code, StringComparer.Ordinal)
                    .SelectMany(c =>
                        Rates(c.Code)
                            .DefaultIfEmpty()
                            .Select(r =>
                                new object?[]
                                {
                                    c.Code,
                                    c.Name,
                                    Words.Of(c.Direction),
                                    c.Category,
                                    c.ReverseCharge ? "yes" : "no",
                                    r?.From,
                                    r?.Rate,
                                    c.Deductible,
                                    c.BaseBox,
                                    c.TaxBox,
                                    c.ReverseBaseBox,
                                    c.ReverseTaxBox,
                                }
                            )
                    )
            ),
            "boxes" => ListFile.Of(
                "tax-boxes",
                format ?? "csv",
                ["box", "takes", "code", "lines", "amount"],
                Boxes.Select(b => new object?[] { b.Box, b.What, b.Code, b.Lines, b.Amount })
            ),
            _ => ListFile.Of(
                "tax-matrix-" + Words.Of(Side),
                format ?? "csv",
                ["standing", "category", "code", "lines", "can occur"],
                Matrix!
                    .Cells.Values.OrderBy(c => c.Standing, StringComparer.Ordinal)
                    .ThenBy(c => c.Category, StringComparer.Ordinal)
                    .Select(c => new object?[] { c.Standing, c.Category, c.Code, c.Lines, c.Reachable ? "yes" : "no" })
            ),
        };
    }

    /// <summary>Saves the cells of the matrix that were changed.</summary>
    public async Task<IActionResult> OnPostMatrixAsync(string? reason)
    {
        Show = "matrix";
        var edits = MatrixEdits(out var typed);
        Typed = typed;
        return await EditAsync("tax matrix changed", reason, edits, $"?show=matrix&direction={Words.Of(Side)}");
    }

    /// <summary>What the newest events would do if the matrix were saved; nothing is.</summary>
    public async Task<IActionResult> OnPostForeseeAsync()
    {
        var edits = MatrixEdits(out _);
        var foreseen = await compare.OfEditsAsync(Visit, (_, _) => edits, HttpContext.RequestAborted);
        return Partial(
            "_Consequences",
            (foreseen.Result ?? Foreseen.Nothing(foreseen.Faults), EntityCode, State.Currency)
        );
    }

    // The cells of the form that were changed; what was typed in each.
    private List<RowChange> MatrixEdits(out Dictionary<(string, string), string> typed)
    {
        var edits = new List<RowChange>();
        typed = [];
        for (var i = 0; Request.Form.ContainsKey($"cell[{i}].standing"); i++)
        {
            string Field(string name) => Request.Form[$"cell[{i}].{name}"].ToString().Trim();
            var (standing, category, was, now) = (Field("standing"), Field("category"), Field("was"), Field("code"));
            typed[(standing, category)] = now;
            if (TaxEdits.Cell(standing, category, Side, was, now) is { } edit)
                edits.Add(edit);
        }
        return edits;
    }

    /// <summary>Saves a tax code, new or changed.</summary>
    public async Task<IActionResult> OnPostCodeAsync(string? reason)
    {
        Show = "codes";
        var change = RowForm.Read(Parts.TaxCodes, Request.Form);
        CodeForm = new RowForm(Parts.TaxCodes, change.Before, EntityCode, RowForm.Typed(Parts.TaxCodes, Request.Form));
        return await EditAsync(
            change.Before is null ? $"tax code {change.Key} added" : $"tax code {change.Key} changed",
            reason,
            [change],
            "?show=codes"
        );
    }

    /// <summary>Enters a rate once for all codes chosen, from a day on.</summary>
    public async Task<IActionResult> OnPostRateAsync(string[] codes, string? percent, string? from, string? reason)
    {
        Show = "codes";
        from = WrittenDay.Canonical(from);
        var (edits, fault) = TaxEdits.Rate(codes, percent, from);
        return fault is null
            ? await EditAsync($"rate of {percent} % from {from}", reason, edits, "?show=codes")
            : await RefusedAsync(fault);
    }

    /// <summary>Takes a rate away.</summary>
    public async Task<IActionResult> OnPostDropRateAsync(string code, string from, string rate)
    {
        Show = "codes";
        return await EditAsync(
            $"rate of {code} from {from} deleted",
            null,
            [TaxEdits.WithoutRate(code, from, rate)],
            "?show=codes"
        );
    }

    private async Task<IActionResult> EditAsync(
        string what,
        string? reason,
        IReadOnlyList<RowChange> edits,
        string back
    )
    {
        var made = await Edit.RunAsync(Actor, EntityCode, what, Reason(reason), edits, HttpContext.RequestAborted);
        return await AfterAsync(
            made,
            n => n == 1 ? "1 row of the draft was changed." : $"{n} rows of the draft were changed.",
            $"/e/{EntityCode}/tax{back}"
        );
    }

    private protected override string Here =>
        $"/e/{EntityCode}/tax?show={Uri.EscapeDataString(Show ?? "matrix")}&direction={Words.Of(Side)}";

    private protected override async Task<IActionResult> ShowAsync()
    {
        Show = Show is "codes" or "boxes" ? Show : "matrix";
        var set = await view.OfAsync(Visit, "draft", null, HttpContext.RequestAborted);
        SetUp = set.Result!.SetUp.SetUp;
        if (Show == "matrix")
            Matrix = (
                await use.MatrixAsync(Actor, EntityCode, SetUp, Side, Standing, Category, HttpContext.RequestAborted)
            ).Result;
        if (Show == "codes" && CodeForm is null && Code is not null)
            CodeForm = new RowForm(
                Parts.TaxCodes,
                Parts.TaxCodes.Write(SetUp).FirstOrDefault(r => r[0] == Code),
                EntityCode
            );
        if (Show == "boxes")
        {
            (From, To) = (From ?? new DateOnly(Today.Year, Today.Month, 1).AddMonths(-2), To ?? Today);
            Boxes = (await use.BoxesAsync(Actor, EntityCode, From.Value, To.Value, HttpContext.RequestAborted)).Result
                ?? [];
        }
        return Page();
    }
}
