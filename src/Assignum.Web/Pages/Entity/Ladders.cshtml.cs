using Assignum.Core.Chart;
using Assignum.Core.Coverage;
using Assignum.Core.Entries;
using Assignum.Core.Landing;
using Assignum.Core.Ledger;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Core.Upkeep;
using Assignum.Desk;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>The purposes, each with its ladder drawn: what sits on each rung and what it decided; rungs moved, taken
/// away and added.</summary>
public sealed class LaddersModel(
    DeskContext desk,
    ViewSetUp view,
    EditSetUp edit,
    CompareSetUps compare,
    ReadCoverage coverage
) : ActingPage(desk, edit)
{
    public override string Place => "assignments";

    [BindProperty(SupportsGet = true), FromRoute(Name = "name")]
    public string? Name { get; set; }

    public Purpose Purpose { get; private set; } = null!;
    public CompiledSetUp SetUp { get; private set; } = null!;
    public IReadOnlyDictionary<Purpose, string> Idle { get; private set; } = new Dictionary<Purpose, string>();

    /// <summary>The rungs as they are, or as they were typed where they come back with a fault.</summary>
    public IReadOnlyList<string> Rungs { get; private set; } = [];
    public bool Shipped { get; private set; }
    public PurposeCoverage? Coverage { get; private set; }
    public IReadOnlyList<RungVolume> Volume { get; private set; } = [];
    public (DateOnly From, DateOnly To)? Period { get; private set; }

    /// <summary>An example that calls for the purpose, drawn; null where the entity lacks the records for
    /// one.</summary>
    public Drawing.Flow? Flow { get; private set; }
    public string? FlowKind { get; private set; }

    /// <summary>The kinds of event that call for it, in examples made of the entity's own records.</summary>
    public IReadOnlyList<EventKind> CalledForBy { get; private set; } = [];

    /// <summary>Purposes with nothing of their own that could borrow.</summary>
    public IReadOnlyList<MinorPurpose> Minor { get; private set; } = [];

    /// <summary>What the purpose could borrow from.</summary>
    public IReadOnlyList<Purpose> Lenders =>
        [.. Purposes.All.Where(p => p != Purpose && SetUp.Landings.BorrowOf(p) is null)];

    /// <summary>How many assignments sit on a rung.</summary>
    public int On(string rung) =>
        Rung.Parse(rung, out _) is { } parsed
            ? SetUp.Landings.AssignmentsOf(Purpose).Count(a => a.Set == parsed.Set && rung != "line")
            : 0;

    /// <summary>The account of the purpose's default, or null.</summary>
    public Account? Default =>
        SetUp.Landings.AssignmentsOf(Purpose).FirstOrDefault(a => a.Key.Count == 0) is { } a
            ? SetUp.Account(a.Account)
            : null;

    public Task<IActionResult> OnGetAsync() => ShowAsync();

    /// <summary>What the newest events would do with the rungs as the form has them; nothing is changed.</summary>
    public async Task<IActionResult> OnPostForeseeAsync(string[]? rung, string? add, bool take)
    {
        if (Find() is not { } purpose)
            return NotFound();
        var foreseen = await compare.OfEditsAsync(
            Visit,
            (now, faults) => LadderWork.Edits(now, purpose, Asked(rung, add), take, faults),
            HttpContext.RequestAborted
        );
        return Partial(
            "_Consequences",
            (foreseen.Result ?? Foreseen.Nothing(foreseen.Faults), EntityCode, State.Currency)
        );
    }

    public async Task<IActionResult> OnPostAsync(string[]? rung, string? add, bool take, bool shipped, string? reason)
    {
        if (Find() is not { } purpose)
            return NotFound();
        var asked = shipped ? [.. purpose.Shipped.Select(r => r.Name)] : Asked(rung, add);
        Name = purpose.Name;
        var made = await Edit.MakeAsync(
            Actor,
            EntityCode,
            $"ladder of {purpose.Name} changed",
            Reason(reason),
            (now, faults) => LadderWork.Edits(now, purpose, asked, take, faults),
            HttpContext.RequestAborted
        );
        return await AfterAsync(made, _ => "The ladder is changed in the draft.", show: () => ShowAsync(asked));
    }

    /// <summary>Borrows from another purpose, or no longer.</summary>
    public Task<IActionResult> OnPostBorrowAsync(string? from, string? reason) =>
        BorrowAsync($"{Name} borrows {(string.IsNullOrEmpty(from) ? "no longer" : $"from {from}")}", reason, now =>
            LadderWork.Borrow(now, Name ?? "", from)
        );

    /// <summary>Lets all minor purposes borrow that have nothing of their own.</summary>
    public Task<IActionResult> OnPostMinorAsync(string? reason) =>
        BorrowAsync("minor purposes borrow", reason, now =>
            MinorPurposes.Edits(MinorPurposes.Of(new CompiledSetUp(now)))
        );

    private async Task<IActionResult> BorrowAsync(
        string what,
        string? reason,
        Func<SetUp, IReadOnlyList<RowChange>> edits
    )
    {
        if (Find() is not { } purpose)
            return NotFound();
        Name = purpose.Name;
        var made = await Edit.MakeAsync(
            Actor,
            EntityCode,
            what,
            Reason(reason),
            (now, _) => edits(now),
            HttpContext.RequestAborted
        );
        return await AfterAsync(made, n =>
            n == 1 ? "That is changed in the draft." : $"{n} purposes borrow in the draft."
        );
    }

    private protected override string Here => $"/e/{EntityCode}/ladders/{Name}";

    private protected override Task<IActionResult> ShowAsync() => ShowAsync(null);

    private async Task<IActionResult> ShowAsync(List<string>? asked) => await LoadAsync(asked) ? Page() : NotFound();

    private Purpose? Find() => Purposes.Find(Name ?? Purposes.SalesRevenue.Name);

    private static List<string> Asked(string[]? rungs, string? add)
    {
        List<string> asked = [.. (rungs ?? []).Where(r => !string.IsNullOrWhiteSpace(r)).Take(40)];
        // A new rung comes last above the default; it can be moved from there.
        if (!string.IsNullOrWhiteSpace(add))
            asked.Add(add.Trim().Replace(" ", "", StringComparison.Ordinal));
        return asked;
    }

    private async Task<bool> LoadAsync(List<string>? typed)
    {
        if (Find() is not { } purpose)
            return false;
        (Purpose, Name) = (purpose, purpose.Name);
        SetUp = (await view.OfAsync(Visit, "draft", null, HttpContext.RequestAborted)).Result!.SetUp;
        Idle = Reach.Idle(SetUp);
        Rungs = typed ?? [.. SetUp.Landings.LadderOf(purpose).Rungs.Select(r => r.Name)];
        Shipped = Rungs.SequenceEqual(purpose.Shipped.Select(r => r.Name));
        Coverage = PurposeCoverage.Of(SetUp, purpose);
        var (period, volume) = await coverage.VolumeAsync(Visit, HttpContext.RequestAborted);
        (Period, Volume) = (period, [.. volume.Where(v => v.Purpose == purpose.Name)]);
        Minor = MinorPurposes.Of(SetUp);
        Draw();
        return true;
    }

    // Every kind's example is made; those that call for the purpose say so, and the first of them is drawn.
    private void Draw()
    {
        var day = State.Today;
        var builder = new EntryBuilder(SetUp, null, new ExampleDocuments(SetUp));
        var calling = new List<EventKind>();
        foreach (var kind in EventKinds.All)
        {
            if (
                Examples.Of(kind, SetUp, day).Event is not { } example
                || builder.Build(example).Entry is not { } entry
                || !entry.Lines.Any(l => l.Purpose == Purpose)
            )
                continue;
            calling.Add(kind);
            if (Flow is not null)
                continue;
            FlowKind = kind.Name;
            Flow = Drawing.Flow.Of(
                Formats.Json.EntryDocument.Of(entry, new Formats.Json.EventName("own", "example"), null),
                Show.Kind(kind.Name),
                Purpose.Name.Replace('-', ' ')
            );
        }
        CalledForBy = calling;
    }
}
