using Assignum.Core;
using Assignum.Core.Checks;
using Assignum.Core.Coverage;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Core.Upkeep;
using Assignum.Desk.SetUps;
using Assignum.Storage;

namespace Assignum.Desk.Checks;

/// <summary>Which map is asked for; what is null is chosen.</summary>
/// <param name="Open">Keys of rows that are open; null: all groups where they are few.</param>
/// <param name="Wide">Keys of columns that are open, likewise.</param>
public sealed record MapAsk(
    Purpose Purpose,
    Dimension? Down,
    Dimension? Across,
    IReadOnlyCollection<string>? Open,
    IReadOnlyCollection<string>? Wide
);

/// <summary>A map that is looked at.</summary>
/// <param name="Sides">What its rows and columns can be.</param>
/// <param name="Stamp">What decides its landings, to be given back with what is painted.</param>
/// <param name="Grave">How grave the findings about its rows and columns are, by place; null: not asked for.</param>
/// <param name="Volumes">What passed through each cell in the days that amounts are of.</param>
public sealed record MapView(
    CompiledSetUp SetUp,
    LandingMap Map,
    IReadOnlyList<Dimension> Sides,
    string Stamp,
    IReadOnlyDictionary<string, int>? Grave,
    decimal[] Volumes,
    DateOnly From,
    DateOnly To
);

/// <summary>A block of a map that is given an account.</summary>
/// <param name="Stamp">Of the map as it was seen.</param>
public sealed record MapBlock(IReadOnlySet<string> Rows, IReadOnlySet<string> Columns, string Account, string Stamp);

/// <summary>What painting or compressing would change.</summary>
/// <param name="Left">How many combinations should land elsewhere and cannot.</param>
public sealed record MapPlan(IReadOnlyList<RowChange> Rows, string What, Int128 Moved, Int128 Left);

/// <summary>A purpose's smaller set with the proof of it.</summary>
public sealed record CompressView(CompiledSetUp SetUp, Compressed Found, LandingProof? Proof, string Stamp)
{
    /// <summary>The rows that make it so.</summary>
    public IReadOnlyList<RowChange> Rows { get; init; } = [];

    /// <summary>Groups whose next new record would land elsewhere than today.</summary>
    public IReadOnlyList<(Dimension Group, string Code, string? Was, string? Now)> NewRecords { get; init; } = [];
}

/// <summary>Landing maps, what is painted on them, and sets of assignments made smaller.</summary>
public sealed class ReadMaps(DeskContext desk, ViewSetUp view, ReadFindings findings, EditSetUp edit)
{
    // Groups up to which a map is open when it is first looked at.
    private const int FewRows = 60,
        FewColumns = 30;

    /// <summary>A map of an edition.</summary>
    /// <param name="over">An edition laid over it; null: none.</param>
    /// <param name="signed">Whether findings are marked on it: they may have to be worked out first.</param>
    public async Task<Outcome<MapView>> RunAsync(
        Visit visit,
        MapAsk ask,
        string edition,
        string? over,
        bool signed,
        CancellationToken stop
    )
    {
        var looked = await view.OfAsync(visit, edition, null, stop);
        if (looked.Result is not { SetUp: var setUp })
            return looked.Pass<MapView>();
        CompiledSetUp? laid = null;
        if (over is not null)
        {
            var other = await view.OfAsync(visit, over, null, stop);
            if (other.Result is null)
                return other.Pass<MapView>();
            laid = other.Result.SetUp;
        }
        var faults = new List<Fault>();
        if (QuestionOf(setUp, ask, faults) is not { } question)
            return Outcome<MapView>.No(Refusal.Invalid, faults);
        Dictionary<string, int>? signs = null;
        Dictionary<string, int>? grave = null;
        if (signed)
        {
            var found = await findings.RunAsync(visit, edition, stop);
            (signs, grave) = (new(StringComparer.Ordinal), new(StringComparer.Ordinal));
            foreach (var finding in (found.Result?.Open ?? []).Select(f => f.Finding))
            foreach (var place in finding.Places)
                grave[place.Identity] = Math.Max(grave.GetValueOrDefault(place.Identity), Weight(finding.Severity));
            foreach (var at in new[] { ask.Purpose, setUp.Landings.BorrowOf(ask.Purpose) }.OfType<Purpose>())
            foreach (var assignment in setUp.Landings.AssignmentsOf(at))
                if (grave.TryGetValue(CheckInput.Place(assignment).Identity, out var sign))
                    signs[assignment.Identity] = sign;
        }
        var map = LandingMap.Of(setUp, question, signs, laid);
        await using var db = await desk.Database.OpenAsync(stop);
        var posted = await findings.BooksAsync(db, visit.State, setUp, stop);
        var volumes = new decimal[map.Cells.Length];
        foreach (
            var (down, across, amount) in await FindingStore.VolumesAsync(
                db,
                visit.State.Id,
                ask.Purpose.Name,
                Words.Of(question.Down),
                question.Across is { } of ? Words.Of(of) : null,
                posted.From,
                posted.To,
                stop
            )
        )
            if (map.PlaceOf(down, across) is (>= 0 and var row, >= 0 and var column))
                volumes[row * map.Columns.Count + column] += amount;
        return new MapView(
            setUp,
            map,
            LandingMap.Sides(setUp, ask.Purpose),
            LandingMap.Stamp(setUp.SetUp, ask.Purpose),
            grave,
            volumes,
            posted.From,
            posted.To
        );
    }

    /// <summary>How grave, as a map draws it: 3 an error, 2 a warning, 1 worth knowing.</summary>
    public static int Weight(FindingSeverity severity) => 3 - (int)severity;

    /// <summary>The rows that would paint a block of the draft.</summary>
    public async Task<Outcome<MapPlan>> PlanAsync(Visit visit, MapAsk ask, MapBlock block, CancellationToken stop)
    {
        var setUp = (await view.OfAsync(visit.State, "draft", null, stop)).Result!.SetUp;
        var faults = new List<Fault>();
        var question = QuestionOf(setUp, ask, faults);
        if (block.Account.Length == 0)
            faults.Add(new Fault("account-missing", "Say which account the block is to land on.", "account"));
        else if (setUp.Account(block.Account) is not { } account)
            faults.Add(
                new Fault("unknown-account", $"There is no account {Short(block.Account)}: choose one.", "account")
            );
        else if (account.Tripwire)
            faults.Add(
                new Fault(
                    "tripwire",
                    $"{account.Number} {account.Name} is a tripwire: nothing is assigned to it but a default.",
                    "account"
                )
            );
        if (block.Rows.Count == 0 || block.Columns.Count == 0)
            faults.Add(new Fault("no-block", "Mark the cells first: Shift with the arrows, or by dragging.", "rows"));
        if (question is null || faults.Count > 0)
            return Outcome<MapPlan>.No(Refusal.Invalid, faults);
        if (Changed(setUp.SetUp, ask.Purpose, block.Stamp) is { } changed)
            return Outcome<MapPlan>.No(Refusal.Conflict, [changed]);
        var map = LandingMap.Of(setUp, question);
        foreach (
            var (lines, keys, field) in new[]
            {
                (map.Rows, block.Rows, "rows"),
                (map.Columns, block.Columns, "columns"),
            }
        )
            if (keys.FirstOrDefault(k => !lines.Any(l => l.Key == k)) is { } gone)
                faults.Add(
                    new Fault(
                        "unknown-line",
                        $"The map has no line {Short(gone)} any more: mark the block again.",
                        field
                    )
                );
        if (faults.Count > 0)
            return Outcome<MapPlan>.No(Refusal.Invalid, faults);
        if (map.Paint(setUp, block.Rows, block.Columns, block.Account) is not { } painted)
            return Outcome<MapPlan>.No(
                Refusal.Invalid,
                "too-many",
                $"{ask.Purpose.Title} has too many combinations to find the fewest assignments: paint a smaller block, "
                    + "or assign by groups."
            );
        return new MapPlan(
            [.. painted.Rows(setUp.SetUp)],
            $"{ask.Purpose.Title}: a block of {block.Rows.Count} by {block.Columns.Count} to {block.Account}",
            painted.Moved,
            painted.Left
        );
    }

    /// <summary>Paints a block, as one change; refused where somebody changed what decides there since it was
    /// seen.</summary>
    public async Task<Outcome<(EditResult Edit, MapPlan Plan)>> PaintAsync(
        Visit visit,
        MapAsk ask,
        MapBlock block,
        string? reason,
        CancellationToken stop
    )
    {
        var plan = await PlanAsync(visit, ask, block, stop);
        if (plan.Result is not { } planned)
            return plan.Pass<(EditResult, MapPlan)>();
        var made = await MakeAsync(visit, ask.Purpose, planned.What, reason, planned.Rows, block.Stamp, stop);
        return made.Result is { } done ? (done, planned) : made.Pass<(EditResult, MapPlan)>();
    }

    /// <summary>The smallest set of assignments that is found for a purpose of the draft, and its proof.</summary>
    /// <param name="freeTripwires">Whether what reaches a tripwire may land elsewhere.</param>
    public async Task<Outcome<CompressView>> CompressAsync(
        Visit visit,
        Purpose purpose,
        bool freeTripwires,
        CancellationToken stop
    )
    {
        var looked = await view.OfAsync(visit.State, "draft", null, stop);
        if (looked.Result is not { SetUp: var setUp })
            return looked.Pass<CompressView>();
        if (Compressing.Of(setUp, purpose, freeTripwires) is not { } found)
            return Outcome<CompressView>.No(
                Refusal.Invalid,
                "too-many",
                $"{purpose.Title} has too many combinations to be compressed at once: take away what is without effect "
                    + "first."
            );
        IReadOnlyList<RowChange> rows = [.. found.Rows(setUp.SetUp)];
        var plan = SetUpEdit.Plan(setUp.SetUp, rows, (_, _) => false);
        if (plan.Faults.Count > 0)
            return Outcome<CompressView>.No(Refusal.Invalid, plan.Faults);
        // Walked by the resolvers that post, not by what found it.
        var next = new CompiledSetUp(plan.Next, setUp);
        var proof = LandingProof.Of(
            setUp,
            next,
            purpose,
            freeTripwires ? account => account is null || !setUp.Account(account)!.Tripwire : null
        );
        return new CompressView(setUp, found, proof, LandingMap.Stamp(setUp.SetUp, purpose))
        {
            Rows = rows,
            NewRecords = LandingProof.NewRecords(setUp, next, purpose),
        };
    }

    /// <summary>Makes it so, as one change; refused where somebody changed what decides there since it was
    /// seen.</summary>
    public async Task<Outcome<(EditResult Edit, CompressView Of)>> CompressNowAsync(
        Visit visit,
        Purpose purpose,
        bool freeTripwires,
        string stamp,
        string? reason,
        CancellationToken stop
    )
    {
        var found = await CompressAsync(visit, purpose, freeTripwires, stop);
        if (found.Result is not { } of)
            return found.Pass<(EditResult, CompressView)>();
        if (of.Proof is not { Moved: var moved } || moved > 0)
            return Outcome<(EditResult, CompressView)>.No(
                Refusal.Invalid,
                "not-proved",
                "There are too many combinations to prove it: nothing was changed."
            );
        var made = await MakeAsync(
            visit,
            purpose,
            $"{purpose.Title} compressed: {of.Found.Before} assignments became {of.Found.After}",
            reason,
            of.Rows,
            stamp,
            stop
        );
        return made.Result is { } done ? (done, of) : made.Pass<(EditResult, CompressView)>();
    }

    private Task<Outcome<EditResult>> MakeAsync(
        Visit visit,
        Purpose purpose,
        string what,
        string? reason,
        IReadOnlyList<RowChange> rows,
        string stamp,
        CancellationToken stop
    ) =>
        edit.MakeAsync(
            visit.Actor,
            visit.State.Code,
            what,
            reason,
            (now, faults) =>
            {
                if (Changed(now, purpose, stamp) is not { } changed)
                    return rows;
                faults.Add(changed);
                return [];
            },
            stop
        );

    private static Fault? Changed(SetUp now, Purpose purpose, string stamp) =>
        LandingMap.Stamp(now, purpose) == stamp
            ? null
            : new Fault(
                "changed-meanwhile",
                $"Somebody changed what decides {purpose.Title.ToLowerInvariant()} since you looked: it is shown as it is "
                    + "now, and what you marked is kept. History says who it was. Look at it and do it again.",
                "stamp"
            );

    private static string Short(string text) => text.Length > 40 ? text[..40] : text;

    private static MapQuestion? QuestionOf(CompiledSetUp setUp, MapAsk ask, List<Fault> faults)
    {
        var sides = LandingMap.Sides(setUp, ask.Purpose);
        foreach (var (side, field) in new[] { (ask.Down, "down"), (ask.Across, "across") })
            if (side is { } of && !sides.Contains(of))
                faults.Add(
                    new Fault(
                        "no-side",
                        $"The ladder of {ask.Purpose.Title.ToLowerInvariant()} does not ask for {Words.Of(of)}: choose "
                            + "another side.",
                        field
                    )
                );
        if (sides.Count == 0)
            faults.Add(
                new Fault(
                    "no-sides",
                    $"{ask.Purpose.Title} has one account for all: its ladder asks for nothing, so there is no map of it.",
                    "purpose"
                )
            );
        if (faults.Count > 0)
            return null;
        var down = ask.Down ?? sides.FirstOrDefault(s => s != ask.Across, sides[0]);
        var across = sides
            .Where(s => s != down)
            .Cast<Dimension?>()
            .FirstOrDefault(s => ask.Across is null || s == ask.Across);
        return new MapQuestion(
            ask.Purpose,
            down,
            across,
            ask.Open ?? (Groups(down) <= FewRows ? ["*"] : []),
            ask.Wide ?? (across is null || Groups(across.Value) <= FewColumns ? ["*"] : [])
        );

        int Groups(Dimension of) =>
            setUp.SetUp.Groups.Count(g =>
                of switch
                {
                    Dimension.Item => g.Kind == GroupKind.Item,
                    Dimension.Project => g.Kind == GroupKind.Project,
                    Dimension.Party => g.Kind is GroupKind.Customer or GroupKind.Supplier,
                    _ => false,
                }
            );
    }
}
