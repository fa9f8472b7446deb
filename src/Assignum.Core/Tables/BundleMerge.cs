using Assignum.Core.SetUps;

namespace Assignum.Core.Tables;

/// <summary>A row or cell that was changed here after a bundle was taken out, and that the bundle changes
/// otherwise.</summary>
public sealed record BundleConflict(Part Part, SheetConflict Of)
{
    /// <summary>Names the conflict in a form.</summary>
    public string Id => $"{Part.Name}\u001f\u001f\u001f{Of.Id}";

    /// <summary>The conflict as a fault at its file, line and column.</summary>
    public Fault Fault =>
        new(
            Part.Name,
            Of.Row,
            Of.Column,
            "conflict",
            $"{Of.Label}{(Of.Column.Length == 0 ? "" : $", {Of.Column.Replace('_', ' ')}")}: {Said(Of.Was)} when the "
                + $"bundle was taken out, {Said(Of.Here)} here now, {Said(Of.Theirs)} in the bundle. Decide which "
                + "stays."
        );

    private static string Said(string? cell) =>
        cell is null ? "nothing" : $"'{(cell.Length > 80 ? cell[..80] + "…" : cell)}'";
}

/// <summary>
/// A bundle that comes back over a set-up that went on meanwhile: compared row by row and cell by cell with the bundle
/// as it was taken out and
/// with what is here. What only the bundle changed is wanted, what only others changed stays, what both changed
/// differently is a conflict.
/// One that comes back as it was taken out has no changes of its own: it is wanted back, and rows that are new here
/// stay beside it.
/// </summary>
/// <param name="Sheets">What to bring in instead: the merged rows of each part that the bundle and its origin
/// have.</param>
/// <param name="Stay">Rows that are otherwise here than in the bundle, because they were changed here since.</param>
public sealed record BundleMerge(IReadOnlyList<Sheet> Sheets, IReadOnlyList<BundleConflict> Conflicts, int Stay)
{
    /// <summary>Merges.</summary>
    /// <param name="sheets">The bundle as it came.</param>
    /// <param name="theirs">Its rows as the bundle means them, part by part.</param>
    /// <param name="taken">The rows as they were taken out; a part that is not there is brought in as it stands. Null:
    /// the bundle is as it was taken out.</param>
    /// <param name="takes">Conflicts in which the bundle wins; in all others what is here stays.</param>
    public static BundleMerge Of(
        SetUp current,
        IReadOnlyList<Sheet> sheets,
        IReadOnlyDictionary<Part, IReadOnlyList<string?[]>> theirs,
        IReadOnlyDictionary<Part, IReadOnlyList<string?[]>>? taken,
        Func<BundleConflict, bool> takes
    )
    {
        var (merged, conflicts, stay) = (new List<Sheet>(sheets.Count), new List<BundleConflict>(), 0);
        foreach (var sheet in sheets)
        {
            var part = sheet.Part;
            IReadOnlyList<string?[]>? was;
            if (taken is null)
                was = [.. theirs[part].Select(r => part.Row(current, part.KeyOf(r))).OfType<string?[]>()];
            else if (!taken.TryGetValue(part, out was))
            {
                merged.Add(sheet);
                continue;
            }
            var lines = new Dictionary<string, int>(StringComparer.Ordinal);
            foreach (var (row, cells) in sheet.Rows)
                lines.TryAdd(part.KeyOf(cells), row);
            var given = new Sheet(
                part,
                Enumerable.Range(0, part.Columns.Count).ToHashSet(),
                [.. theirs[part].Select(r => (lines.GetValueOrDefault(part.KeyOf(r)), r))]
            );
            var found = SheetReturn
                .Plan(current, given, was, new HashSet<string>())
                .Conflicts.Select(c => new BundleConflict(part, c))
                .ToList();
            conflicts.AddRange(found);
            var plan = SheetReturn.Plan(
                current,
                given,
                was,
                found.Where(takes).Select(c => c.Of.Id).ToHashSet(StringComparer.Ordinal)
            );
            var rows = part.Write(current).ToDictionary(part.KeyOf, StringComparer.Ordinal);
            foreach (var change in plan.WithValues)
                if (change.After is { } after)
                    rows[change.Key] = after;
                else
                    rows.Remove(change.Key);
            var decided = found.Select(c => c.Of.Key).ToHashSet(StringComparer.Ordinal);
            var wanted = theirs[part].ToDictionary(part.KeyOf, StringComparer.Ordinal);
            stay += rows
                .Keys.Union(wanted.Keys)
                .Count(k =>
                    !decided.Contains(k) && !ThreeWay.Same(rows.GetValueOrDefault(k), wanted.GetValueOrDefault(k))
                );
            merged.Add(given with { Rows = [.. rows.Values.Select(r => (lines.GetValueOrDefault(part.KeyOf(r)), r))] });
        }
        return new BundleMerge(merged, conflicts, stay);
    }

    /// <summary>How alike two states of a part are: rows of the same key, and rows that differ or are on one side
    /// only.</summary>
    public static (int Shared, int Differing) Likeness(
        Part part,
        IReadOnlyList<string?[]> one,
        IReadOnlyList<string?[]> other
    )
    {
        var rows = one.ToDictionary(part.KeyOf, StringComparer.Ordinal);
        var (shared, same) = (0, 0);
        foreach (var row in other)
        {
            if (!rows.TryGetValue(part.KeyOf(row), out var its))
                continue;
            shared++;
            if (ThreeWay.Same(row, its))
                same++;
        }
        return (shared, one.Count + other.Count - shared - same);
    }
}
