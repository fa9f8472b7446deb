using Assignum.Core.SetUps;
using Assignum.Core.Tables;

namespace Assignum.Core.Editions;

/// <summary>A cell, a row or a ladder that two drafts changed differently.</summary>
/// <param name="Column">The column; empty where the row as a whole is at odds: taken away here and changed there, or a
/// whole ladder.</param>
/// <param name="Was">What it was before both; null: nothing.</param>
/// <param name="Here">What it is in the set-up that is merged into.</param>
/// <param name="Theirs">What the draft that is merged makes of it.</param>
public sealed record MergeConflict(
    Part Part,
    string Key,
    string Column,
    string Label,
    string? Was,
    string? Here,
    string? Theirs
)
{
    /// <summary>Names the conflict, so that a choice can be given for it.</summary>
    public string Id => string.Join('|', Part.Name, Key.Replace('\u001f', '~'), Column);
}

/// <summary>What merging would do.</summary>
/// <param name="Edits">The edits of what is merged into; without those that a conflict still stands in the way
/// of.</param>
/// <param name="Conflicts">Every conflict, decided or not.</param>
/// <param name="Open">Those that nobody decided.</param>
public sealed record MergePlan(
    IReadOnlyList<RowChange> Edits,
    IReadOnlyList<MergeConflict> Conflicts,
    IReadOnlyList<MergeConflict> Open
);

/// <summary>Brings what one draft changes into another set-up, cell by cell: what only one of the two changed is taken,
/// what both changed alike is there already.</summary>
/// <remarks>A purpose's ladder is one thing: rungs of two orders are never mixed.</remarks>
public static class Merging
{
    /// <summary>Plans the merge.</summary>
    /// <param name="was">What the draft is based on.</param>
    /// <param name="theirs">The draft that is merged.</param>
    /// <param name="now">The set-up that is merged into. Records are the same in all three, save their places in groups
    /// that wait with a draft.</param>
    /// <param name="takes">By a conflict's <see cref="MergeConflict.Id"/>: true takes what the draft makes of it, false
    /// keeps what is here.</param>
    public static MergePlan Of(SetUp was, SetUp theirs, SetUp now, IReadOnlyDictionary<string, bool> takes)
    {
        var changes = SetUpImport.Difference(was, theirs, Difference.Compared);
        var edits = new List<RowChange>();
        var (conflicts, open) = (new List<MergeConflict>(), new List<MergeConflict>());
        bool Takes(MergeConflict conflict)
        {
            conflicts.Add(conflict);
            if (takes.TryGetValue(conflict.Id, out var chosen))
                return chosen;
            open.Add(conflict);
            return false;
        }
        foreach (var change in changes.Where(c => c.Part != Parts.Ladders))
        {
            var part = change.Part;
            var here = part.Row(now, change.Key);
            var after = ThreeWay.Row(
                change.Before,
                here,
                change.After,
                row => Row(part, row),
                clash =>
                    Takes(
                        new MergeConflict(
                            part,
                            change.Key,
                            clash.Column < 0 ? "" : part.Columns[clash.Column].Name,
                            change.Label,
                            clash.Was,
                            clash.Here,
                            clash.Theirs
                        )
                    )
            );
            if (SetUpImport.Changed(part, change.Key, here, after) is { } edit)
                edits.Add(edit);
        }
        var (before0, made0, here0) = (Ladders(was), Ladders(theirs), Ladders(now));
        foreach (
            var purpose in changes
                .Where(c => c.Part == Parts.Ladders)
                .Select(c => (c.Before ?? c.After!)[0]!)
                .Distinct()
        )
        {
            var (before, made, here) = (Of(before0, purpose), Of(made0, purpose), Of(here0, purpose));
            if (Alike(here, made))
                continue;
            if (
                !Alike(here, before)
                && !Takes(
                    new MergeConflict(
                        Parts.Ladders,
                        purpose,
                        "",
                        $"the ladder of {purpose}",
                        Rungs(before),
                        Rungs(here),
                        Rungs(made)
                    )
                )
            )
                continue;
            edits.AddRange(
                here.Keys.Union(made.Keys)
                    .Select(k =>
                        SetUpImport.Changed(Parts.Ladders, k, here.GetValueOrDefault(k), made.GetValueOrDefault(k))
                    )
                    .OfType<RowChange>()
            );
        }
        return new MergePlan(edits, conflicts, open);
    }

    private static string Row(Part part, string?[] cells) =>
        string.Join(
            ", ",
            part.Columns.Select((c, i) => (c, i))
                .Where(x => !x.c.Key && cells[x.i] is not null)
                .Select(x => $"{x.c.Name.Replace('_', ' ')} {cells[x.i]}")
        );

    private static ILookup<string, string?[]> Ladders(SetUp setUp) => Parts.Ladders.Write(setUp).ToLookup(r => r[0]!);

    private static Dictionary<string, string?[]> Of(ILookup<string, string?[]> ladders, string purpose) =>
        ladders[purpose].ToDictionary(Parts.Ladders.KeyOf, StringComparer.Ordinal);

    private static bool Alike(Dictionary<string, string?[]> one, Dictionary<string, string?[]> other) =>
        one.Count == other.Count && one.All(r => ThreeWay.Same(r.Value, other.GetValueOrDefault(r.Key)));

    private static string? Rungs(Dictionary<string, string?[]> rows) =>
        rows.Count == 0 ? null : string.Join(", ", rows.Values.Select(r => r[2]));
}
