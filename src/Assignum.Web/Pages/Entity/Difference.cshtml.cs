using Assignum.Core.Editions;
using Assignum.Core.Tables;
using Assignum.Desk;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>The difference of any two editions, drafts and what-ifs: in words, with who, when and why, and in what the
/// newest events would do. Printable.</summary>
public sealed class DifferenceModel(DeskContext desk, CompareSetUps compare) : EntityPage(desk)
{
    /// <summary>Differences on one page.</summary>
    public const int PageLines = 1000;

    public override string Place => "editions";

    /// <summary>What is compared: numbers, <c>draft</c>, <c>main</c>, or <c>w</c> and a what-if's id.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Before { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? After { get; set; }

    [BindProperty(SupportsGet = true)]
    public int Skip { get; set; }

    /// <summary>A part of the set-up or a purpose; null: all.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Under { get; set; }

    /// <summary>What the differences are grouped under, with how many each has.</summary>
    public IReadOnlyList<(string Under, int Lines)> Groups { get; private set; } = [];
    public Differing Differing { get; private set; } = new([], new Dictionary<(string, string), LastChange>());

    /// <summary>Who changed what a line says.</summary>
    public LastChange? Of(DifferenceLine line) =>
        Differing.Changed.GetValueOrDefault((line.Change.Part.Name, line.Change.Key));

    public async Task<IActionResult> OnGetAsync() => await LoadAsync() ? Page() : NotFound();

    public async Task<IActionResult> OnGetListAsync(string? format)
    {
        if (!await LoadAsync())
            return NotFound();
        return ListFile.Of(
            $"{EntityCode}-difference-{Before}-{After}",
            format ?? "csv",
            ["under", "difference", "file", "key", "who", "when", "what", "reason"],
            Differing.Lines.Select(l =>
                new object?[]
                {
                    l.Under,
                    l.Sentence,
                    l.Change.Part.Name,
                    l.Change.Label,
                    Of(l)?.Who,
                    Of(l)?.At,
                    Of(l)?.What,
                    Of(l)?.Reason,
                }
            )
        );
    }

    private async Task<bool> LoadAsync()
    {
        if (Known.Count < 2)
            return false;
        After ??= Known[0];
        Before ??= Known.SkipWhile(k => k != After).Skip(1).FirstOrDefault() ?? Known[^1];
        if (!Known.Contains(Before) || !Known.Contains(After))
            return false;
        if ((await compare.DifferenceAsync(Visit, Before, After, HttpContext.RequestAborted)).Result is not { } found)
            return false;
        Groups = [.. found.Lines.GroupBy(l => l.Under).Select(g => (g.Key, g.Count()))];
        Differing = string.IsNullOrEmpty(Under)
            ? found
            : found with
            {
                Lines = [.. found.Lines.Where(l => l.Under == Under)],
            };
        Skip = Math.Clamp(Skip, 0, Math.Max(0, Differing.Lines.Count - 1));
        return true;
    }
}
