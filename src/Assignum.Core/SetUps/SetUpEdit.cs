namespace Assignum.Core.SetUps;

/// <summary>Changes rows of a set-up one by one: what pages edit and what undoing turns back.</summary>
public static class SetUpEdit
{
    /// <summary>
    /// Plans edits. Each names the row as its author saw it: where it is no longer so, a fault says which cells somebody
    /// else changed. The result has no fault of form, or the faults say what is wrong and nothing is changed.
    /// </summary>
    /// <param name="edits">Before: the row as seen, null for a new one. After: the row wanted, null to take it away.</param>
    /// <param name="inUse">Whether the journal or a live edition refers to a record, which then cannot be taken away.</param>
    public static ImportPlan Plan(SetUp current, IReadOnlyList<RowChange> edits, Func<Part, string, bool> inUse)
    {
        var faults = new List<FormFault>();
        var next = current;
        var parts = edits.Select(e => e.Part).Distinct().OrderBy(Order).ToList();
        var lineOf = new Dictionary<(Part, string), int>();
        foreach (var part in parts)
        {
            var rows = part.Write(current).Select(r => (Key: part.KeyOf(r), Cells: r)).ToList();
            var at = new Dictionary<string, int>(rows.Count, StringComparer.Ordinal);
            for (var i = 0; i < rows.Count; i++) at[rows[i].Key] = i;
            var kept = rows.Select(r => (Row: 0, Cells: (string?[]?)r.Cells)).ToList();
            for (var number = 0; number < edits.Count; number++)
            {
                var edit = edits[number];
                if (edit.Part != part) continue;
                lineOf[(part, edit.After is null ? edit.Key : part.KeyOf(edit.After))] = number + 1;
                var now = at.TryGetValue(edit.Key, out var position) ? kept[position].Cells : null;
                if (Changed(edit, now, number + 1) is { } fault) { faults.Add(fault); continue; }
                if (edit.After is null && inUse(part, edit.Key))
                    faults.Add(new FormFault(part.Name, number + 1, "", "in-use", $"{part.Describe(edit.Before!)} cannot go: something posted or live refers to it."));
                if (now is null) kept.Add((number + 1, edit.After));
                else kept[position] = (number + 1, edit.After);
            }
            next = part.Read(next, kept.Where(r => r.Cells is not null).Select(r => (r.Row, r.Cells!)), faults);
        }
        if (faults.Count == 0)
            foreach (var fault in SetUpRules.Check(next))
                faults.Add(new FormFault(fault.Part.Name, lineOf.GetValueOrDefault((fault.Part, fault.Key)), fault.Column, fault.Code, fault.Message));
        return new ImportPlan(next, faults.Count > 0 ? [] : SetUpImport.Difference(current, next, parts), faults, []);
    }

    /// <summary>The edits that turn changes back, last first.</summary>
    public static IReadOnlyList<RowChange> Reverse(IReadOnlyList<RowChange> changes) => [.. changes.Reverse().Select(c =>
        new RowChange(c.Part, c.After is null ? ChangeKind.Added : c.Before is null ? ChangeKind.Removed : ChangeKind.Changed, c.Key, c.After, c.Before))];

    /// <summary>An edit of a part's row by column name; null takes the row away. Cells not named stay as they are.</summary>
    public static RowChange Row(Part part, string?[]? before, IReadOnlyDictionary<string, string?>? cells)
    {
        string?[]? after = null;
        if (cells is not null)
        {
            after = before?.ToArray() ?? new string?[part.Columns.Count];
            for (var i = 0; i < part.Columns.Count; i++)
                if (cells.TryGetValue(part.Columns[i].Name, out var cell)) after[i] = string.IsNullOrEmpty(cell) ? null : cell;
        }
        return new RowChange(part, before is null ? ChangeKind.Added : after is null ? ChangeKind.Removed : ChangeKind.Changed, part.KeyOf(before ?? after!), before, after);
    }

    private static FormFault? Changed(RowChange edit, string?[]? now, int number)
    {
        if (edit.Before is null)
            return now is null ? null : new FormFault(edit.Part.Name, number, edit.Part.Columns[edit.Part.Keys[0]].Name, "exists", $"{edit.Part.Describe(now)} exists already.");
        if (now is null) return new FormFault(edit.Part.Name, number, "", "changed-meanwhile", $"{edit.Part.Describe(edit.Before)} is no longer there: somebody took it away.");
        for (var i = 0; i < now.Length; i++)
            if (now[i] != edit.Before[i])
                return new FormFault(edit.Part.Name, number, edit.Part.Columns[i].Name, "changed-meanwhile",
                    $"{edit.Part.Describe(now)}: somebody else changed {edit.Part.Columns[i].Name} from {Said(edit.Before[i])} to {Said(now[i])}. Look at it again before you change it.");
        return null;
    }

    private static string Said(string? cell) => cell is null ? "nothing" : $"'{cell}'";
    private static int Order(Part part) => Parts.All.ToList().IndexOf(part);
}
