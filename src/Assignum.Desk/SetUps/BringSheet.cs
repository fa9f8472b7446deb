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
    /// <summary>The cells that are wrong, to be mended where they are listed.</summary>
    public IReadOnlyList<WrongCell> Wrong { get; init; } = [];

    /// <summary>What is wrong and left out, where only what is good was asked for.</summary>
    public int LeftOut { get; init; }

    /// <summary>Whether what is good can be taken without what is wrong.</summary>
    public bool GoodCanBeTaken { get; init; }

    /// <summary>Conflicts that nobody decided yet.</summary>
    public IReadOnlyList<SheetConflict> Open { get; init; } = [];
}

/// <summary>A cell of a workbook that cannot be taken as it is.</summary>
/// <param name="Row">Its line in the workbook.</param>
/// <param name="Text">What stands in it, or what was written in its place.</param>
/// <param name="Account">Whether it names an account.</param>
public sealed record WrongCell(int Row, string Column, string Text, string Message, bool Account);

/// <summary>What is said on the page about a workbook: cells written anew, and whether what is wrong is left out.</summary>
/// <param name="Cells">By line and column, as <see cref="WrongCell"/> names them.</param>
public sealed record SheetMends(IReadOnlyDictionary<(int Row, string Column), string> Cells, bool GoodOnly)
{
    /// <summary>Nothing is said.</summary>
    public static SheetMends None { get; } = new(new Dictionary<(int, string), string>(), false);
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
        SheetMends mends,
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
        var looked = Check(part, content, compiled.SetUp, decided, values, mends);
        var (plan, edits, faults) = (looked.Plan, looked.Edits, looked.Faults);
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
            looked.Compared,
            foreseen
        )
        {
            Wrong = looked.Wrong,
            LeftOut = looked.LeftOut,
            GoodCanBeTaken = looked.GoodCanBeTaken,
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
        SheetMends mends,
        CancellationToken stop
    ) =>
        await edit.MakeAsync(
            actor,
            entity,
            $"{part.Name.Replace('-', ' ')} brought back from {name}",
            reason,
            (now, faults) =>
            {
                var looked = Check(part, content, now, decided, values, mends);
                var (plan, edits) = (looked.Plan, looked.Edits);
                foreach (var open in plan.Conflicts.Where(c => !decided.ContainsKey(c.Id)))
                    faults.Add(
                        new Fault(
                            "changed-meanwhile",
                            $"{open.Label}{(open.Column.Length == 0 ? "" : $", {open.Column.Replace('_', ' ')}")}: "
                                + "somebody changed it here after it was taken out. Decide which stays.",
                            $"{part.Name}:{open.Row}"
                        )
                    );
                faults.AddRange(looked.Faults.Select(Fault));
                return faults.Count > 0 ? [] : edits;
            },
            stop
        );

    private sealed record Checked(
        SheetPlan Plan,
        IReadOnlyList<RowChange> Edits,
        List<Fault> Faults,
        bool Compared,
        IReadOnlyList<WrongCell> Wrong,
        int LeftOut,
        bool GoodCanBeTaken
    );

    // Everything that is wrong in one round: a cell that cannot be read is taken as it was downloaded, so that the others
    // are looked at too.
    private static Checked Check(
        Part part,
        byte[] content,
        SetUp now,
        IReadOnlyDictionary<string, bool> decided,
        bool values,
        SheetMends mends
    )
    {
        var (sheet, taken, texts, faults) = Read(part, content, now, mends);
        var nothing = new SheetPlan([], [], [], [], new Dictionary<string, int>(), []);
        if (sheet is null || (AsItWas(now, sheet, taken, faults) is not { } rest))
            return new Checked(nothing, [], faults, taken is not null, Wrong(faults), 0, false);
        var (plan, edits, more) = Planned(rest);
        faults.AddRange(more);
        var good = faults.Count == 0 ? rest : AsItWas(now, sheet, taken, faults);
        var wrong = Wrong(faults);
        var (left, canBeTaken) = (0, good is not null && faults.Count > 0);
        if (canBeTaken && mends.GoodOnly)
        {
            left = faults.Select(f => (f.Row, f.Column)).Distinct().Count();
            (plan, edits, faults) = Planned(good!);
        }
        return new Checked(plan, edits, faults, taken is not null, wrong, left, canBeTaken);

        (SheetPlan, IReadOnlyList<RowChange>, List<Fault>) Planned(Sheet of)
        {
            var made = Plan(now, of, taken, decided);
            var changes = values ? made.WithValues : made.Edits;
            return (made, changes, [.. made.Faults, .. Faults(now, of, made, changes)]);
        }

        List<WrongCell> Wrong(List<Fault> of) =>
            [
                .. of.Where(f => texts.ContainsKey((f.Row, f.Column)))
                    .DistinctBy(f => (f.Row, f.Column))
                    .Select(f => new WrongCell(
                        f.Row,
                        f.Column,
                        texts[(f.Row, f.Column)] ?? "",
                        f.Message,
                        sheet?.Places is not null || Parts.Refers(part, f.Column)?.Part == Parts.Accounts
                    )),
            ];
    }

    // The sheet with the cells that are wrong as they were downloaded, or as they are here; a new row that has one is
    // left out. Null: what is wrong cannot be told from what is good.
    private static Sheet? AsItWas(SetUp now, Sheet sheet, IReadOnlyList<string?[]>? taken, IReadOnlyList<Fault> faults)
    {
        if (faults.Count == 0)
            return sheet;
        var part = sheet.Part;
        var was = taken?.ToDictionary(part.KeyOf, StringComparer.Ordinal);
        var keys = sheet.Rows.Select(r => part.KeyOf(r.Cells)).ToHashSet(StringComparer.Ordinal);
        // A row that lost its key may be one that was downloaded: left out, it would count as deleted.
        var renamed = was is not null && was.Keys.Any(k => !keys.Contains(k));
        var at = faults.ToLookup(f => f.Row);
        var rows = new List<(int Row, string?[] Cells)>(sheet.Rows.Count);
        var found = 0;
        foreach (var (row, cells) in sheet.Rows)
        {
            var key = part.KeyOf(cells);
            var columns = at[row]
                .Where(f => sheet.Places is null || sheet.Places.GetValueOrDefault(key) == f.Column)
                .Select(f => f.Column)
                .ToList();
            found += columns.Count;
            if (columns.Count == 0)
            {
                rows.Add((row, cells));
                continue;
            }
            var before = was?.GetValueOrDefault(key) ?? part.Row(now, key);
            if (before is null)
            {
                if (renamed)
                    return null;
                continue;
            }
            var mended = cells.ToArray();
            for (var i = 0; i < cells.Length; i++)
                if (sheet.Places is not null || columns.Contains("") || columns.Contains(part.Columns[i].Name))
                    mended[i] = before[i];
            rows.Add((row, mended));
        }
        return found == faults.Count ? sheet with { Rows = rows } : null;
    }

    private static (
        Sheet? Sheet,
        IReadOnlyList<string?[]>? Taken,
        Dictionary<(int Row, string Column), string?> Texts,
        List<Fault> Faults
    ) Read(Part part, byte[] content, SetUp now, SheetMends mends)
    {
        var faults = new List<Fault>();
        var texts = new Dictionary<(int, string), string?>();
        var sheet = ViewBook.Read(new MemoryStream(content), part, faults, out var taken);
        if (sheet is null)
            return (null, taken, texts, faults);
        // As people write: words in any case, accounts by number, short code, name or path.
        var accounts = new AccountWords(now.Accounts, now.FormerNumbers);
        foreach (var (row, cells) in sheet.Rows)
        {
            var place = sheet.Places?.GetValueOrDefault(part.KeyOf(cells));
            foreach (var i in sheet.Columns)
            {
                var column = place ?? part.Columns[i].Name;
                // Where a cell of the file is a row, what stands in it is the row's account.
                if (place is null || part.Columns[i].Name == "account")
                {
                    if (mends.Cells.TryGetValue((row, column), out var written))
                        cells[i] = written.Trim() is { Length: > 0 } text ? text : null;
                    texts[(row, column)] = cells[i];
                }
                cells[i] = TypedCell.Of(part, part.Columns[i], cells[i], accounts, out var why);
                if (why.Length > 0)
                    faults.Add(new Fault(part.Name, row, column, "unknown-reference", why));
            }
        }
        return (sheet, taken, texts, faults);
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
