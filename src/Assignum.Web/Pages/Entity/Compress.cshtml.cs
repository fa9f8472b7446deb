using Assignum.Core;
using Assignum.Core.Landing;
using Assignum.Core.SetUps;
using Assignum.Desk;
using Assignum.Desk.Checks;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>A smaller set of assignments that lands a purpose exactly as today, with the proof of it, made so as one
/// change.</summary>
public sealed class CompressModel(
    DeskContext desk,
    ViewSetUp view,
    EditSetUp edit,
    ReadMaps maps,
    CompareSetUps compare
) : ActingPage(desk, edit)
{
    public override string Place => "assignments";

    [BindProperty(SupportsGet = true, Name = "purpose")]
    public string? Asked { get; set; }

    /// <summary>What reaches a tripwire may land elsewhere.</summary>
    [BindProperty(SupportsGet = true)]
    public bool Free { get; set; }

    public Purpose Purpose { get; private set; } = Purposes.SalesRevenue;
    public CompressView? Shown { get; private set; }
    public string Why { get; private set; } = "";

    /// <summary>Purposes with assignments, each with how many.</summary>
    public IReadOnlyList<(Purpose Purpose, int Assignments)> Among { get; private set; } = [];

    /// <summary>Whether any combination of the purpose reaches a tripwire.</summary>
    public bool Tripped { get; private set; }

    public Task<IActionResult> OnGetAsync() => ShowAsync();

    /// <summary>What checks would find, and that no event would land elsewhere.</summary>
    public async Task<IActionResult> OnGetConsequencesAsync()
    {
        Choose();
        var found = await maps.CompressAsync(Visit, Purpose, Free, HttpContext.RequestAborted);
        var foreseen = await compare.OfEditsAsync(
            Visit,
            (_, faults) =>
            {
                faults.AddRange(found.Faults);
                return found.Result?.Rows ?? [];
            },
            HttpContext.RequestAborted
        );
        return foreseen.Result is { } would
            ? Partial("_Consequences", (would, EntityCode, State.Currency))
            : NotFound();
    }

    public async Task<IActionResult> OnPostAsync(string? stamp, string? reason)
    {
        Why = reason ?? "";
        if (Choose() is { } wrong)
            return await RefusedAsync(wrong);
        var made = await maps.CompressNowAsync(
            Visit,
            Purpose,
            Free,
            stamp ?? "",
            Reason(reason),
            HttpContext.RequestAborted
        );
        if (made.Refused is not null)
            return await RefusedAsync(made);
        var (done, of) = made.Result;
        return Went(
            done.Plan.Changes.Count == 0
                ? "Nothing was different."
                : $"{of.Found.Before} assignments became {of.Found.After}; "
                    + $"{Show.Count(of.Proof!.Combinations)} combinations land as before.",
            done.Id
        );
    }

    /// <inheritdoc/>
    public override IReadOnlyDictionary<string, string> Kept =>
        new Dictionary<string, string> { ["purpose"] = Purpose.Name, ["free"] = Free ? "true" : "false" };

    private protected override string Here =>
        $"/e/{EntityCode}/compress?purpose={Purpose.Name}&free={(Free ? "true" : "false")}";

    private Fault? Choose()
    {
        if (string.IsNullOrEmpty(Asked))
            return null;
        if (Purposes.Find(Asked) is not { } purpose)
            return new Fault("unknown-purpose", "There is no such purpose: choose one of the list.", "purpose");
        Purpose = purpose;
        return null;
    }

    private protected override async Task<IActionResult> ShowAsync()
    {
        var wrong = Choose();
        var setUp = (await view.OfAsync(Visit, "draft", null, HttpContext.RequestAborted)).Result!.SetUp;
        Among =
        [
            .. Reach
                .Needed(setUp)
                .Select(p => (p, setUp.Landings.AssignmentsOf(p).Count))
                .Where(p => p.Count > 1)
                .OrderByDescending(p => p.Count)
                .ThenBy(p => p.p.Index),
        ];
        if (wrong is not null)
        {
            Faults = [.. Faults, wrong];
            return Page();
        }
        if (string.IsNullOrEmpty(Asked) && Among.Count > 0)
            Purpose = Among[0].Purpose;
        Tripped = Core.Coverage.PurposeCoverage.Of(setUp, Purpose).By["tripwire"] > 0;
        var shown = await maps.CompressAsync(Visit, Purpose, Free, HttpContext.RequestAborted);
        Shown = shown.Result;
        if (shown.Refused is not null)
            Faults = [.. Faults, .. shown.Faults];
        return Page();
    }
}
