using Assignum.Core;
using Assignum.Core.Chart;
using Assignum.Core.Entries;
using Assignum.Core.Landing;
using Assignum.Core.Ledger;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tax;
using Assignum.Desk.Access;
using Assignum.Storage;

namespace Assignum.Desk.Tax;

/// <summary>A cell of the tax matrix with what practice says of it.</summary>
/// <param name="Lines">Lines of the newest entries that stood here.</param>
/// <param name="Reachable">An active party of the standing and an active item of the category (or a charge) can meet
/// here.</param>
public sealed record MatrixCell(string Standing, string Category, string? Code, int Lines, bool Reachable)
{
    /// <summary>Empty although something can stand here: its lines fall to the account's code, or have none.</summary>
    public bool Gap => Code is null && (Lines > 0 || Reachable);
}

/// <summary>One direction of the matrix: standings down, categories across.</summary>
public sealed record MatrixView(
    IReadOnlyList<string> Standings,
    IReadOnlyList<string> Categories,
    IReadOnlyDictionary<(string, string), MatrixCell> Cells
);

/// <summary>Says how tax is set up and used.</summary>
public sealed class TaxUse(DeskContext desk)
{
    // What each kind says of its lines.
    private static readonly IReadOnlyList<(string, string, string)> Taxed =
    [
        .. EventKinds.All.SelectMany(k =>
            Purposes
                .All.Select(p => (k.Name, Purpose: p.Name, Direction: k.TaxedAs(p)))
                .Where(t => t.Direction is not null)
                .Select(t => (t.Name, t.Purpose, Words.Of(t.Direction!.Value)))
        ),
    ];

    /// <summary>How many of the newest entries count as practice.</summary>
    public const int Recent = 20_000;

    /// <summary>The matrix of a direction, with rows and columns for everything that records name, and for those asked
    /// for.</summary>
    public async Task<Outcome<MatrixView>> MatrixAsync(
        Actor actor,
        string entity,
        SetUp setUp,
        TaxDirection direction,
        string? standing,
        string? category,
        CancellationToken stop
    )
    {
        await using var db = await desk.Database.OpenAsync(stop);
        var entered = await desk.EnterAsync(db, actor, entity, Role.Viewer, false, stop);
        if (entered.Result is not { State: var state } visit)
            return entered.Pass<MatrixView>();
        var lines = (await TaxStore.MatrixUseAsync(db, state.Id, Recent, Taxed, stop))
            .Where(u => u.Direction == Words.Of(direction))
            .ToDictionary(u => (u.Standing, u.Category), u => u.Lines);
        return Of(setUp, direction, lines, standing, category);
    }

    /// <summary>What the boxes of the return hold over tax dates.</summary>
    public async Task<Outcome<IReadOnlyList<BoxAmount>>> BoxesAsync(
        Actor actor,
        string entity,
        DateOnly from,
        DateOnly to,
        CancellationToken stop
    )
    {
        await using var db = await desk.Database.OpenAsync(stop);
        var entered = await desk.EnterAsync(db, actor, entity, Role.Viewer, false, stop);
        if (entered.Result is not { State: var state } visit)
            return entered.Pass<IReadOnlyList<BoxAmount>>();
        return new Outcome<IReadOnlyList<BoxAmount>>(await TaxStore.BoxesAsync(db, state.Id, from, to, stop), null, []);
    }

    private static MatrixView Of(
        SetUp setUp,
        TaxDirection direction,
        Dictionary<(string, string), int> lines,
        string? standing,
        string? category
    )
    {
        var sells = direction == TaxDirection.Output;
        var codes = setUp
            .TaxMatrix.Where(c => c.Direction == direction)
            .ToDictionary(c => (c.Standing, c.Category), c => c.Code);
        var parties = setUp
            .Parties.Where(p =>
                p.Status == RecordStatus.Active
                && p.TaxStanding is not null
                && (p.Kind == PartyKind.Both || p.Kind == (sells ? PartyKind.Customer : PartyKind.Supplier))
            )
            .Select(p => p.TaxStanding!)
            .ToHashSet(StringComparer.Ordinal);
        // Gift cards carry no tax when they are sold; a charge is of the category standard.
        var items = setUp
            .Items.Where(i =>
                i.Status == RecordStatus.Active && i.TaxCategory is not null && i.Nature != ItemNature.GiftCard
            )
            .Select(i => i.TaxCategory!)
            .Append("standard")
            .ToHashSet(StringComparer.Ordinal);
        List<string> Sorted(IEnumerable<string> all, string? asked) =>
            [
                .. all.Concat(string.IsNullOrWhiteSpace(asked) ? [] : [asked.Trim()])
                    .Distinct()
                    .Order(StringComparer.Ordinal),
            ];
        var standings = Sorted(parties.Concat(codes.Keys.Select(k => k.Item1)), standing);
        var categories = Sorted(items.Concat(codes.Keys.Select(k => k.Item2)), category);
        return new MatrixView(
            standings,
            categories,
            standings
                .SelectMany(s =>
                    categories.Select(c => new MatrixCell(
                        s,
                        c,
                        codes.GetValueOrDefault((s, c)),
                        lines.GetValueOrDefault((s, c)),
                        parties.Contains(s) && items.Contains(c)
                    ))
                )
                .ToDictionary(c => (c.Standing, c.Category))
        );
    }
}
