using Assignum.Core.Chart;

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
        // Renumbering comes first: what names the account follows, and all edits look at it as it is then.
        var carried = Carry(ref current, ref edits, faults);
        if (faults.Count > 0) return new ImportPlan(current, [], faults, []);
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
        return new ImportPlan(next, faults.Count > 0 ? [] : [.. carried, .. SetUpImport.Difference(current, next, parts)], faults, []);
    }

    // Takes the new numbers into the set-up and the edits; returns the changes that this alone makes.
    private static List<RowChange> Carry(ref SetUp current, ref IReadOnlyList<RowChange> edits, List<FormFault> faults)
    {
        var (part, was) = (Parts.Accounts, current);
        if (!edits.Any(Renumbering.Renumbers)) return [];
        var held = current.Accounts.Select(a => a.Number).ToHashSet(StringComparer.Ordinal);
        var numbers = new Dictionary<string, string>(StringComparer.Ordinal);
        var taken = new HashSet<string>(StringComparer.Ordinal);
        for (var i = 0; i < edits.Count; i++)
        {
            if (!Renumbering.Renumbers(edits[i]) || !held.Contains(edits[i].Key)) continue;
            var to = part.KeyOf(edits[i].After!);
            if (to.Length == 0) faults.Add(new FormFault(part.Name, i + 1, "number", "missing-value", $"Account {edits[i].Key} needs a number."));
            else if (!taken.Add(to)) faults.Add(new FormFault(part.Name, i + 1, "number", "exists", $"Two accounts would become {to}: choose a number for each."));
            else numbers[edits[i].Key] = to;
        }
        foreach (var (from, to) in numbers)
            if (held.Contains(to) && !numbers.ContainsKey(to))
                faults.Add(new FormFault(part.Name, edits.ToList().FindIndex(e => e.Key == from && e.Part == part) + 1, "number", "exists", $"{to} is {was.Accounts.First(a => a.Number == to).Name}: choose a free number."));
        if (faults.Count > 0) return [];

        current = Renumbering.Carry(current, numbers);
        var (at, parent) = (part.Keys[0], part.Columns.ToList().FindIndex(c => c.Name == "parent"));
        string?[]? Now(string?[]? cells, string?[]? seen)
        {
            if (cells is null) return null;
            var row = cells.ToArray();
            // A parent that its author left as it was follows too; one that was chosen anew is meant as it is said.
            if (row[parent] is { } heading && (seen is null || seen[parent] == heading)) row[parent] = numbers.GetValueOrDefault(heading, heading);
            if (seen is null && row[at] is { } own) row[at] = numbers.GetValueOrDefault(own, own);
            return row;
        }
        edits = [.. edits.Select(e => e.Part != part || e.Before is null ? e : e with { Key = numbers.GetValueOrDefault(e.Key, e.Key), Before = Now(e.Before, null), After = Now(e.After, e.Before) })];
        var rows = part.Write(current).ToDictionary(part.KeyOf, StringComparer.Ordinal);
        return [.. part.Write(was).Where(r => numbers.ContainsKey(r[at]!)).Select(r => new RowChange(part, ChangeKind.Changed, r[at]!, r, rows[numbers[r[at]!]]))];
    }

    /// <summary>The edits that turn changes back, last first. An account that was renumbered and changed is one edit.</summary>
    public static IReadOnlyList<RowChange> Reverse(IReadOnlyList<RowChange> changes)
    {
        var renumbered = changes.Where(Renumbering.Renumbers).ToDictionary(c => c.Part.KeyOf(c.After!), StringComparer.Ordinal);
        var joined = changes.Where(c => !Renumbering.Renumbers(c) && c.Part == Parts.Accounts && c.Before is not null && c.After is not null && renumbered.ContainsKey(c.Key)).ToDictionary(c => c.Key, StringComparer.Ordinal);
        return [.. changes.Reverse().Where(c => c.Part != Parts.Accounts || !joined.TryGetValue(c.Key, out var j) || !ReferenceEquals(j, c)).Select(c =>
        {
            var (before, after) = (c.After, c.Before);
            if (Renumbering.Renumbers(c) && joined.TryGetValue(c.Part.KeyOf(c.After!), out var more)) before = more.After;
            return new RowChange(c.Part, before is null ? ChangeKind.Added : after is null ? ChangeKind.Removed : ChangeKind.Changed, c.Part.KeyOf((before ?? after)!), before, after);
        })];
    }

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
