using Assignum.Core;
using Assignum.Core.Chart;
using Assignum.Core.Editions;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Desk.Access;
using Assignum.Formats.Bundles;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk.SetUps;

/// <summary>What a changed value makes of what stands in stock.</summary>
/// <param name="OnHand">Quantity; null where nothing of it ever moved.</param>
/// <param name="Effect">How much more (or less) stock is worth at the new cost, base currency; null where its cost does
/// not follow the value.</param>
public sealed record ValueEffect(ValueChange Change, decimal? OnHand, decimal? Effect);

/// <summary>A view that came back from a spreadsheet, looked at.</summary>
/// <param name="Counts">Rows added, changed and removed.</param>
/// <param name="Compared">Whether the workbook still says what was taken out; without, nothing goes and no conflict is
/// seen.</param>
/// <param name="Foreseen">What the newest events would do; null where there are faults.</param>
public sealed record BroughtSheet(
    SheetPlan Plan,
    (int Added, int Changed, int Removed) Counts,
    IReadOnlyList<Fault> Faults,
    IReadOnlyList<ValueEffect> Values,
    bool Compared,
    Foreseen? Foreseen
)
{
    /// <summary>Conflicts that nobody decided yet.</summary>
    public IReadOnlyList<SheetConflict> Open { get; init; } = [];
}

/// <summary>Brings a view back from a spreadsheet: compared cell by cell with what was taken out and with what is here
/// now, then whole or not at all.</summary>
public sealed class BringSheet(DeskContext desk, ViewSetUp view, EditSetUp edit, CompareSetUps compare)
{
    /// <summary>Looks at a workbook; nothing is changed.</summary>
    /// <param name="decided">Of conflicts that were decided, by their id: whether the sheet wins.</param>
    /// <param name="values">Whether changed values are taken too.</param>
    public async Task<Outcome<BroughtSheet>> LookAsync(
        Visit visit,
        Part part,
        byte[] content,
        IReadOnlyDictionary<string, bool> decided,
        bool values,
        CancellationToken stop
    )
    {
        var (actor, state) = visit;
        if (!actor.May(Role.Preparer, state.Code))
            return Outcome<BroughtSheet>.No(
                Refusal.Forbidden,
                "role-needed",
                $"This needs the role preparer in {state.Code}."
            );
        var current = await view.OfAsync(state, "draft", null, stop);
        if (current.Result is not { SetUp: var compiled })
            return current.Pass<BroughtSheet>();
        var read = Read(part, content, compiled.SetUp);
        if (read.Sheet is null || read.Faults.Count > 0)
            return new BroughtSheet(
                new SheetPlan([], [], [], [], new Dictionary<string, int>(), []),
                default,
                read.Faults,
                [],
                read.Taken is not null,
                null
            );
        var plan = Plan(compiled.SetUp, read.Sheet, read.Taken, decided);
        var edits = values ? plan.WithValues : plan.Edits;
        var faults = plan.Faults.Concat(Faults(compiled.SetUp, read.Sheet, plan, edits)).ToList();
        await using var db = await desk.Database.OpenAsync(stop);
        var effects = await EffectsAsync(db, state, compiled, plan.Values, stop);
        var foreseen =
            faults.Count > 0 || edits.Count == 0
                ? null
                : (await compare.OfEditsAsync(visit, (_, _) => edits, stop)).Result;
        return new BroughtSheet(
            plan,
            (
                edits.Count(e => e.Before is null),
                edits.Count(e => e is { Before: not null, After: not null }),
                edits.Count(e => e.After is null)
            ),
            faults,
            effects,
            read.Taken is not null,
            foreseen
        )
        {
            Open = [.. plan.Conflicts.Where(c => !decided.ContainsKey(c.Id))],
        };
    }

    /// <summary>Applies a workbook to what is there now; refused where a conflict is not decided or a cell is
    /// wrong.</summary>
    public async Task<Outcome<EditResult>> ApplyAsync(
        Actor actor,
        string entity,
        Part part,
        byte[] content,
        string name,
        string? reason,
        IReadOnlyDictionary<string, bool> decided,
        bool values,
        CancellationToken stop
    ) =>
        await edit.MakeAsync(
            actor,
            entity,
            $"{part.Name.Replace('-', ' ')} brought back from {name}",
            reason,
            (now, faults) =>
            {
                var read = Read(part, content, now);
                faults.AddRange(read.Faults.Select(Fault));
                if (read.Sheet is null || faults.Count > 0)
                    return [];
                var plan = Plan(now, read.Sheet, read.Taken, decided);
                var edits = values ? plan.WithValues : plan.Edits;
                foreach (var open in plan.Conflicts.Where(c => !decided.ContainsKey(c.Id)))
                    faults.Add(
                        new Fault(
                            "changed-meanwhile",
                            $"{open.Label}{(open.Column.Length == 0 ? "" : $", {open.Column.Replace('_', ' ')}")}: "
                                + "somebody changed it here after it was taken out. Decide which stays.",
                            $"{part.Name}:{open.Row}"
                        )
                    );
                faults.AddRange(plan.Faults.Concat(Faults(now, read.Sheet, plan, edits)).Select(Fault));
                return faults.Count > 0 ? [] : edits;
            },
            stop
        );

    private static (Sheet? Sheet, IReadOnlyList<string?[]>? Taken, List<Fault> Faults) Read(
        Part part,
        byte[] content,
        SetUp now
    )
    {
        var faults = new List<Fault>();
        var sheet = ViewBook.Read(new MemoryStream(content), part, faults, out var taken);
        if (sheet is null)
            return (null, taken, faults);
        // As people write: words in any case, accounts by number, short code, name or path.
        var accounts = new AccountWords(now.Accounts, now.FormerNumbers);
        foreach (var (row, cells) in sheet.Rows)
        foreach (var i in sheet.Columns)
        {
            cells[i] = TypedCell.Of(part, part.Columns[i], cells[i], accounts, out var why);
            if (why.Length > 0)
                faults.Add(
                    new Fault(
                        part.Name,
                        row,
                        sheet.Places?.GetValueOrDefault(part.KeyOf(cells)) ?? part.Columns[i].Name,
                        "unknown-reference",
                        why
                    )
                );
        }
        return (sheet, taken, faults);
    }

    private static SheetPlan Plan(
        SetUp now,
        Sheet sheet,
        IReadOnlyList<string?[]>? taken,
        IReadOnlyDictionary<string, bool> decided
    ) =>
        SheetReturn.Plan(
            now,
            sheet,
            taken,
            decided.Where(d => d.Value).Select(d => d.Key).ToHashSet(StringComparer.Ordinal)
        );

    // What keeps the edits from being made, by line of the sheet and, where its cells are rows, by its column.
    private static IEnumerable<Fault> Faults(SetUp now, Sheet sheet, SheetPlan plan, IReadOnlyList<RowChange> edits)
    {
        Fault At(int number, Fault fault)
        {
            var key = number > 0 && number <= edits.Count ? edits[number - 1].Key : null;
            return fault with
            {
                Row = key is null ? 0 : plan.Lines.GetValueOrDefault(key),
                Column = key is not null && sheet.Places?.GetValueOrDefault(key) is { } place ? place : fault.Column,
            };
        }
        return SetUpEdit
            .Plan(now, edits, (_, _) => false)
            .Faults.Select(f => At(f.Row, f))
            .Concat(
                UnfitEdits
                    .Refused(now, edits)
                    .Select(r => At(r.Edit + 1, new Fault(sheet.Part.Name, 0, r.Column, "unfit", r.Message)))
            );
    }

    /// <summary>What changed values make of what stands in stock.</summary>
    internal static async Task<IReadOnlyList<ValueEffect>> EffectsAsync(
        NpgsqlConnection db,
        EntityState state,
        CompiledSetUp now,
        IReadOnlyList<ValueChange> values,
        CancellationToken stop
    )
    {
        if (values.Count == 0)
            return [];
        var hand = await StockStore.OnHandAsync(db, state.Id, [.. values.Select(v => v.Key).Distinct()], stop);
        return
        [
            .. values.Select(v =>
            {
                var held = hand.TryGetValue(v.Key, out var quantity) ? quantity : (decimal?)null;
                // Only of an item costed at standard does what stands in stock follow its standard cost.
                var standard = now.Item(v.Key)?.Item is { Costing: Core.Records.Costing.Standard, IsStockItem: true };
                return new ValueEffect(
                    v,
                    held,
                    standard && v.To is not null
                        ? now.Rounding.Round((held ?? 0) * (v.To.Value - (v.From ?? 0)), now.BaseDecimals)
                        : null
                );
            }),
        ];
    }

    private static Fault Fault(Fault f) =>
        new(f.Code, f.Row > 0 ? $"Line {f.Row}: {f.Message}" : f.Message, $"{f.Part}:{f.Row}:{f.Column}");
}
