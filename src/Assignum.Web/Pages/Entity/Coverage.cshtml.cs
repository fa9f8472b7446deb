using Assignum.Core.Coverage;
using Assignum.Desk;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>How every combination of records is decided, purpose by purpose, exactly; and where what falls through
/// comes from.</summary>
public sealed class CoverageModel(DeskContext desk, ReadCoverage read) : EntityPage(desk)
{
    public override string Place => "assignments";

    [BindProperty(SupportsGet = true)]
    public string? Purpose { get; set; }

    /// <summary>Whether only purposes are listed of which something falls to a tripwire or to nothing.</summary>
    [BindProperty(SupportsGet = true)]
    public bool Trouble { get; set; }

    /// <summary>The purposes in the order of what is to be done: nothing first, then tripwires, then what falls to the
    /// default, the most of it first.</summary>
    public IReadOnlyList<CoveredPurpose> Listed =>
        [
            .. View
                .Purposes.Where(p => !Trouble || IsTrouble(p))
                .OrderByDescending(p => Share(p, "none"))
                .ThenByDescending(p => Share(p, "tripwire"))
                .ThenByDescending(p => p.Volume.Where(v => v.Rung == "default").Sum(v => v.Lines))
                .ThenBy(p => p.Coverage.Purpose.Index),
        ];

    /// <summary>Whether something of it falls to a tripwire or to nothing.</summary>
    public static bool IsTrouble(CoveredPurpose purpose) =>
        purpose.Coverage.By["none"] + purpose.Coverage.By["tripwire"] > 0;

    private static double Share(CoveredPurpose purpose, string rung) =>
        purpose.Coverage.Combinations == 0
            ? 0
            : (double)purpose.Coverage.By[rung] / (double)purpose.Coverage.Combinations;

    public CoverageView View { get; private set; } = null!;

    /// <summary>Of the purpose asked for: what falls to the default, a tripwire or nothing, by group, with the
    /// assignments that would cover it.</summary>
    public IReadOnlyList<Uncovered> Uncovered { get; private set; } = [];
    public CoveredPurpose? Shown { get; private set; }

    public Task OnGetAsync() => LoadAsync();

    public async Task<IActionResult> OnGetListAsync(string? format)
    {
        await LoadAsync();
        return ListFile.Of(
            $"{EntityCode}-coverage",
            format ?? "csv",
            ["purpose", "combinations", "decided by", "count", "lines last period", "amount last period"],
            View.Purposes.SelectMany(p =>
                p.Coverage.By.Where(b => b.Value != 0)
                    .Select(b =>
                        new object?[]
                        {
                            p.Coverage.Purpose.Name,
                            (decimal)p.Coverage.Combinations,
                            b.Key,
                            (decimal)b.Value,
                            p.Volume.Where(v => v.Rung == b.Key).Sum(v => v.Lines),
                            p.Volume.Where(v => v.Rung == b.Key).Sum(v => v.Amount),
                        }
                    )
            )
        );
    }

    private async Task LoadAsync()
    {
        View = (await read.RunAsync(Visit, "draft", HttpContext.RequestAborted)).Result!;
        Shown = View.Purposes.FirstOrDefault(p => p.Coverage.Purpose.Name == Purpose);
        if (Shown is not null)
            Uncovered = Core.Coverage.Uncovered.Of(View.SetUp, Shown.Coverage.Purpose);
    }
}
