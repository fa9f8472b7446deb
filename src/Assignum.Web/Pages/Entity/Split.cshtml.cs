using System.Globalization;
using Assignum.Core.Upkeep;
using Assignum.Desk;
using Assignum.Desk.Chart;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>Splits an account that is in use: accounts beside it with their tax codes, the assignments that make what
/// lands on it land on them, and on demand the entry that moves what stands there.</summary>
public sealed class SplitModel(DeskContext desk, EditSetUp edit, SplitAccounts split, CompareSetUps compare)
    : ActingPage(desk, edit)
{
    public override string Place => "chart";

    [BindProperty(SupportsGet = true), FromRoute(Name = "number")]
    public string Number
    {
        get => number;
        set => number = Unslashed(value);
    }
    private string number = "";

    /// <summary>What it is split by, as a word.</summary>
    [BindProperty(SupportsGet = true, Name = "by")]
    public string? Way { get; set; }

    public SplitBy By => Core.Words.TryParse<SplitBy>(Way ?? "", out var by) ? by : SplitBy.Tax;
    public AccountToSplit Looked { get; private set; } = null!;

    /// <summary>What was typed, by tag, where the form comes back.</summary>
    public IReadOnlyDictionary<string, SplitPart>? Typed { get; private set; }

    public string Why { get; private set; } = "";

    public Task<IActionResult> OnGetAsync() => ShowAsync();

    public async Task<IActionResult> OnPostAsync(bool reclassify, string? reason)
    {
        var chosen = Chosen();
        Why = reason ?? "";
        var made = await split.RunAsync(
            Visit,
            Number,
            By,
            chosen,
            reclassify,
            Reason(reason),
            HttpContext.RequestAborted
        );
        if (made.Result is not { } done)
        {
            Typed = chosen.ToDictionary(p => p.Tag);
            return await RefusedAsync(made);
        }
        var stays = string.Concat(
            done.Left.Select(l =>
                $" {l.Value.ToString("N0", CultureInfo.InvariantCulture)} combinations of {l.Key.Title.ToLowerInvariant()} "
                + "stay: its ladder has no rung that tells them apart."
            )
        );
        return Went(
            $"{Number} is split: {string.Join(", ", chosen.Select(p => p.Number))} take what lands there from now on."
                + stays
                + (done.Chained ? " What stands there is moved by the last document of this chain." : ""),
            done.Edit.Id,
            done.Chained ? $"/e/{EntityCode}/rehearse/cycle" : null
        );
    }

    /// <summary>What the newest events would do elsewhere with what is chosen so far.</summary>
    public async Task<IActionResult> OnPostConsequencesAsync()
    {
        var rows = await split.RowsAsync(Visit, Number, By, Chosen(), HttpContext.RequestAborted);
        var foreseen = await compare.OfEditsAsync(
            Visit,
            (_, faults) =>
            {
                faults.AddRange(rows.Faults);
                return rows.Result ?? [];
            },
            HttpContext.RequestAborted
        );
        return foreseen.Result is { } found
            ? Partial("_Consequences", (found, EntityCode, State.Currency))
            : NotFound();
    }

    private protected override string Here => $"/e/{EntityCode}/chart/{Uri.EscapeDataString(Number)}";

    private protected override async Task<IActionResult> ShowAsync()
    {
        if (await split.LookAsync(Visit, Number, By, HttpContext.RequestAborted) is not { } looked)
            return NotFound();
        Looked = looked;
        return Page();
    }

    // The parts of the form that are marked.
    private List<SplitPart> Chosen()
    {
        var chosen = new List<SplitPart>();
        for (var i = 0; Request.Form.ContainsKey($"part[{i}].tag") && i < 500; i++)
        {
            string Field(string name) => Request.Form[$"part[{i}].{name}"].ToString().Trim();
            if (Field("on") == "true")
                chosen.Add(
                    new SplitPart(
                        Field("tag"),
                        Field("title"),
                        Field("number"),
                        Field("name"),
                        By == SplitBy.Tax ? Field("tag") : null,
                        0
                    )
                );
        }
        return chosen;
    }
}
