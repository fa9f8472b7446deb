using Assignum.Core.SetUps;

namespace Assignum.Core.Tables;

/// <summary>A cell that somebody changed here after a sheet was taken out, and that the sheet changes
/// otherwise.</summary>
/// <param name="Row">The line of the sheet; 0 where the row is gone from it.</param>
/// <param name="Column">Empty: the whole row, which came or went on one side.</param>
/// <param name="Was">What the sheet had when it was taken out.</param>
/// <param name="Here">What is here now; null: nothing, or no row.</param>
/// <param name="Theirs">What the sheet has; null: nothing, or no row.</param>
public sealed record SheetConflict(
    string Key,
    string Label,
    int Row,
    string Column,
    string? Was,
    string? Here,
    string? Theirs
)
{
    /// <summary>Names the conflict in a form.</summary>
    public string Id => Column.Length == 0 ? Key : $"{Key}\u001f\u001f{Column}";
}

/// <summary>A value that a sheet changes: no landing, but what things are worth.</summary>
/// <param name="From">Null: none.</param>
public sealed record ValueChange(string Key, string Label, int Row, string Column, decimal? From, decimal? To);

/// <summary>What a sheet that was taken out, edited and brought back would change.</summary>
/// <param name="Edits">Changes without values.</param>
/// <param name="WithValues">The same with the values that the sheet changes.</param>
/// <param name="Lines">The line of the sheet that each key stands on.</param>
public sealed record SheetPlan(
    IReadOnlyList<RowChange> Edits,
    IReadOnlyList<RowChange> WithValues,
    IReadOnlyList<SheetConflict> Conflicts,
    IReadOnlyList<ValueChange> Values,
    IReadOnlyDictionary<string, int> Lines,
    IReadOnlyList<Fault> Faults
);

/// <summary>
/// Compares three states of a view cell by cell: as it was taken out, as it is in the sheet that comes back, and as it
/// is here now. What
/// only the sheet changed is wanted, what only others changed stays, what both changed differently is a conflict that a
/// person decides.
/// </summary>
public static class SheetReturn
{
    // Values beside landings: a sheet must not change what stock is worth unseen.
    private static readonly HashSet<(string Part, string Column)> ValueColumns = [("items", "standard_cost")];

    /// <summary>The values that changes of rows which are there change.</summary>
    /// <param name="line">The line that a row stands on; 0: none.</param>
    public static IReadOnlyList<ValueChange> ValuesOf(IEnumerable<RowChange> changes, Func<RowChange, int> line) =>
        [
            .. changes
                .Where(c => c.Before is not null && c.After is not null)
                .SelectMany(c =>
                    c.Cells.Where(x => ValueColumns.Contains((c.Part.Name, x.Column)))
                        .Select(x => new ValueChange(
                            c.Key,
                            c.Label,
                            line(c),
                            x.Column,
                            Number(x.Before),
                            Number(x.After)
                        ))
                ),
        ];

    /// <summary>The same files with the values of rows that are there as they are here.</summary>
    public static IReadOnlyList<Sheet> WithoutValues(SetUp current, IReadOnlyList<Sheet> sheets) =>
        [
            .. sheets.Select(sheet =>
            {
                var columns = Enumerable
                    .Range(0, sheet.Part.Columns.Count)
                    .Where(i =>
                        sheet.Columns.Contains(i)
                        && ValueColumns.Contains((sheet.Part.Name, sheet.Part.Columns[i].Name))
                    )
                    .ToList();
                return columns.Count == 0
                    ? sheet
                    : sheet with
                    {
                        Rows =
                        [
                            .. sheet.Rows.Select(r =>
                                (
                                    r.Row,
                                    sheet.Part.Row(current, sheet.Part.KeyOf(r.Cells)) is { } here
                                        ? r.Cells.Select((c, i) => columns.Contains(i) ? here[i] : c).ToArray()
                                        : r.Cells
                                )
                            ),
                        ],
                    };
            }),
        ];

    /// <summary>Makes the plan.</summary>
    /// <param name="sheet">The rows that came back, codes and numbers resolved.</param>
    /// <param name="taken">The rows as they were taken out; null where the sheet no longer says: then nothing goes, and
    /// what is here counts as what was taken out.</param>
    /// <param name="takeTheirs">Conflicts in which the sheet wins; in all others what is here stays.</param>
    public static SheetPlan Plan(
        SetUp current,
        Sheet sheet,
        IReadOnlyList<string?[]>? taken,
        IReadOnlySet<string> takeTheirs
    )
    {
        var part = sheet.Part;
        var faults = new List<Fault>();
        var (edits, withValues, conflicts, values) = (
            new List<RowChange>(),
            new List<RowChange>(),
            new List<SheetConflict>(),
            new List<ValueChange>()
        );
        var base0 = taken?.ToDictionary(part.KeyOf, StringComparer.Ordinal);
        var lines = new Dictionary<string, int>(StringComparer.Ordinal);
        foreach (var (row, given) in sheet.Rows)
        {
            var key = part.KeyOf(given);
            if (!lines.TryAdd(key, row))
            {
                faults.Add(
                    new Fault(
                        part.Name,
                        row,
                        part.Columns[part.Keys[0]].Name,
                        "duplicate-key",
                        $"The same key stands on line {lines[key]}: keep one of the two."
                    )
                );
                continue;
            }
            var here = part.Row(current, key);
            var was = base0 is null ? here : base0.GetValueOrDefault(key);
            // Cells that the sheet does not have are as they are here; of a new row as they are when nothing is said.
            var theirs = given
                .Select(
                    (c, i) =>
                        sheet.Columns.Contains(i)
                            ? c ?? part.Columns[i].Unset
                            : (here ?? was)?[i] ?? part.Columns[i].Unset
                )
                .ToArray();
            // Spaces about a cell are lost on the way and no change.
            for (var i = 0; was is not null && i < theirs.Length; i++)
                if ((theirs[i] ?? "").Trim() == (was[i] ?? "").Trim())
                    theirs[i] = was[i];
            Put(here, ThreeWay.Row(was, here, theirs, Said, clash => Takes(key, here, theirs, row, clash)));
        }
        foreach (var (key, was) in base0 ?? [])
            if (!lines.ContainsKey(key) && part.Row(current, key) is { } here)
                Put(here, ThreeWay.Row(was, here, null, Said, clash => Takes(key, here, null, 0, clash)));
        return new SheetPlan(edits, withValues, conflicts, values, lines, faults);

        bool Takes(string key, string?[]? here, string?[]? theirs, int row, Clash clash)
        {
            var conflict = new SheetConflict(
                key,
                part.Describe((clash.Column < 0 ? theirs ?? here : here)!),
                row,
                clash.Column < 0 ? "" : part.Columns[clash.Column].Name,
                clash.Was,
                clash.Here,
                clash.Theirs
            );
            conflicts.Add(conflict);
            return takeTheirs.Contains(conflict.Id);
        }

        string Said(string?[] cells) =>
            string.Join(
                " · ",
                cells.Where((c, i) => !part.Columns[i].Key && c is not null && c != part.Columns[i].Unset)
            );

        void Put(string?[]? before, string?[]? after)
        {
            if (ThreeWay.Same(before, after))
                return;
            var key = part.KeyOf((after ?? before)!);
            if (before is not null && after is not null)
            {
                var plain = after.ToArray();
                for (var i = 0; i < after.Length; i++)
                {
                    if (before[i] == after[i] || !ValueColumns.Contains((part.Name, part.Columns[i].Name)))
                        continue;
                    values.Add(
                        new ValueChange(
                            key,
                            part.Describe(after),
                            lines.GetValueOrDefault(key),
                            part.Columns[i].Name,
                            Number(before[i]),
                            Number(after[i])
                        )
                    );
                    plain[i] = before[i];
                }
                if (!ThreeWay.Same(before, plain))
                    edits.Add(new RowChange(part, ChangeKind.Changed, key, before, plain));
                withValues.Add(new RowChange(part, ChangeKind.Changed, key, before, after));
                return;
            }
            var change = new RowChange(part, key, before, after);
            edits.Add(change);
            withValues.Add(change);
        }
    }

    private static decimal? Number(string? cell) =>
        decimal.TryParse(
            cell,
            System.Globalization.NumberStyles.Number,
            System.Globalization.CultureInfo.InvariantCulture,
            out var number
        )
            ? number
            : null;
}
