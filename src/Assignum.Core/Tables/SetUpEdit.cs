using Assignum.Core.Records;
using Assignum.Core.SetUps;

namespace Assignum.Core.Tables;

/// <summary>Changes rows of a set-up one by one: what pages edit and what undoing turns back.</summary>
public static class SetUpEdit
{
    /// <summary>
    /// Plans edits. Each names the row as its author saw it: where it is no longer so, a fault says which cells
    /// somebody
    /// else changed. The result has no fault of form, or the faults say what is wrong and nothing is changed.
    /// </summary>
    /// <param name="edits">Before: the row as seen, null for a new one. After: the row wanted, null to take it
    /// away.</param>
    /// <param name="inUse">Whether the journal or a live edition refers to a record, which then cannot be taken
    /// away.</param>
    public static ImportPlan Plan(SetUp current, IReadOnlyList<RowChange> edits, Func<Part, string, bool> inUse)
    {
        var faults = new List<Fault>();
        // Renumbering comes first: what names the account follows, and all edits look at it as it is then.
        var carried = Carry(ref current, ref edits, faults);
        if (faults.Count == 0)
            carried.AddRange(CarryGroups(ref current, ref edits, faults));
        if (faults.Count > 0)
            return new ImportPlan(current, [], faults, []);
        var next = current;
        var lineOf = new Dictionary<(Part, string), int>();
        var touched = new List<(Part Part, string Key)>();
        foreach (var part in edits.Select(e => e.Part).Distinct().OrderBy(Order).ToList())
        {
            var rows = new Dictionary<string, (int Row, string?[]? Cells)>(StringComparer.Ordinal);
            for (var number = 0; number < edits.Count; number++)
            {
                var edit = edits[number];
                if (edit.Part != part)
                    continue;
                lineOf[(part, edit.After is null ? edit.Key : part.KeyOf(edit.After))] = number + 1;
                var now = rows.TryGetValue(edit.Key, out var earlier) ? earlier.Cells : part.Row(current, edit.Key);
                if (Changed(edit, now, number + 1) is { } fault)
                {
                    faults.Add(fault);
                    continue;
                }
                if (edit.After is null && inUse(part, edit.Key))
                    faults.Add(
                        new Fault(
                            part.Name,
                            number + 1,
                            "",
                            "in-use",
                            $"{part.Describe(edit.Before!)} cannot go: something posted or live refers to it."
                        )
                    );
                rows[edit.Key] = (number + 1, edit.After);
            }
            next = part.With(next, [.. rows.Select(r => (r.Value.Row, r.Key, r.Value.Cells))], faults);
            touched.AddRange(
                rows.Keys.Concat(rows.Values.Where(r => r.Cells is not null).Select(r => part.KeyOf(r.Cells!)))
                    .Distinct(StringComparer.Ordinal)
                    .Order(StringComparer.Ordinal)
                    .Select(k => (part, k))
            );
        }
        if (faults.Count > 0)
            return new ImportPlan(next, [], faults, []);
        if (next.Offences.Count > 0)
            next = next with
            {
                Offences =
                [
                    .. next.Offences.Where(o =>
                        !touched.Exists(t => o.Path.StartsWith(OffencePlace(t.Part, t.Key), StringComparison.Ordinal))
                    ),
                ],
            };
        var changes = touched
            .Select(t => SetUpImport.Changed(t.Part, t.Key, t.Part.Row(current, t.Key), t.Part.Row(next, t.Key)))
            .OfType<RowChange>()
            .ToList();
        foreach (
            var fault in (carried.Count > 0 ? SetUpRules.Check(next) : SetUpRules.CheckAfter(next, changes)).Concat(
                NewRowRules.Check(next, [.. carried, .. changes])
            )
        )
            faults.Add(fault with { Row = lineOf.GetValueOrDefault((Parts.Find(fault.Part)!, fault.Key)) });
        return new ImportPlan(next, faults.Count > 0 ? [] : [.. carried, .. changes], faults, []);
    }

    // Takes the new numbers into the set-up and the edits; returns the changes that this alone makes.
    private static List<RowChange> Carry(ref SetUp current, ref IReadOnlyList<RowChange> edits, List<Fault> faults)
    {
        var (part, was) = (Parts.Accounts, current);
        if (!edits.Any(Renumbering.Renumbers))
            return [];
        var held = current.Accounts.Select(a => a.Number).ToHashSet(StringComparer.Ordinal);
        var numbers = new Dictionary<string, string>(StringComparer.Ordinal);
        var taken = new HashSet<string>(StringComparer.Ordinal);
        for (var i = 0; i < edits.Count; i++)
        {
            if (!Renumbering.Renumbers(edits[i]) || !held.Contains(edits[i].Key))
                continue;
            var to = part.KeyOf(edits[i].After!);
            if (to.Length == 0)
                faults.Add(
                    new Fault(part.Name, i + 1, "number", "missing-value", $"Account {edits[i].Key} needs a number.")
                );
            else if (!taken.Add(to))
                faults.Add(
                    new Fault(
                        part.Name,
                        i + 1,
                        "number",
                        "exists",
                        $"Two accounts would become {to}: choose a number for each."
                    )
                );
            else
                numbers[edits[i].Key] = to;
        }
        foreach (var (from, to) in numbers)
            if (held.Contains(to) && !numbers.ContainsKey(to))
                faults.Add(
                    new Fault(
                        part.Name,
                        edits.ToList().FindIndex(e => e.Key == from && e.Part == part) + 1,
                        "number",
                        "exists",
                        $"{to} is {was.Accounts.First(a => a.Number == to).Name}: choose a free number."
                    )
                );
        if (faults.Count > 0)
            return [];

        current = Renumbering.Carry(current, numbers);
        var (at, parent) = (part.Keys[0], part.Columns.ToList().FindIndex(c => c.Name == "parent"));
        string?[]? Now(string?[]? cells, string?[]? seen)
        {
            if (cells is null)
                return null;
            var row = cells.ToArray();
            // A parent that its author left as it was follows too; one that was chosen anew is meant as it is said.
            if (row[parent] is { } heading && (seen is null || seen[parent] == heading))
                row[parent] = numbers.GetValueOrDefault(heading, heading);
            if (seen is null && row[at] is { } own)
                row[at] = numbers.GetValueOrDefault(own, own);
            return row;
        }
        edits =
        [
            .. edits.Select(e =>
                e.Part != part || e.Before is null
                    ? e
                    : e with
                    {
                        Key = numbers.GetValueOrDefault(e.Key, e.Key),
                        Before = Now(e.Before, null),
                        After = Now(e.After, e.Before),
                    }
            ),
        ];
        var rows = part.Write(current).ToDictionary(part.KeyOf, StringComparer.Ordinal);
        return
        [
            .. part.Write(was)
                .Where(r => numbers.ContainsKey(r[at]!))
                .Select(r => new RowChange(part, ChangeKind.Changed, r[at]!, r, rows[numbers[r[at]!]])),
        ];
    }

    // Takes the new codes of groups into the set-up and the edits; returns the changes that this alone makes.
    private static List<RowChange> CarryGroups(
        ref SetUp current,
        ref IReadOnlyList<RowChange> edits,
        List<Fault> faults
    )
    {
        var part = Parts.Groups;
        if (!edits.Any(GroupRenaming.Renames))
            return [];
        faults.AddRange(
            GroupRenaming
                .Faults(current, edits)
                .Select(f => new Fault(part.Name, f.Edit + 1, "code", f.Code, f.Message))
        );
        if (faults.Count > 0)
            return [];
        var was = current;
        var codes = GroupRenaming.In(edits.Where(e => e.Part == part && part.Row(was, e.Key) is not null));
        current = GroupRenaming.Carry(current, codes);
        string?[] Now(string?[] cells)
        {
            var row = cells.ToArray();
            if (row[0] is not { } word || !Words.TryParse<GroupKind>(word, out var kind))
                return row;
            if (row[1] is { } code)
                row[1] = codes.GetValueOrDefault((kind, code), code);
            if (row[3] is { } parent)
                row[3] = codes.GetValueOrDefault((kind, parent), parent);
            return row;
        }
        var next = current;
        edits =
        [
            .. edits.Select(e =>
            {
                if (e.Part != part || e.Before is null)
                    return e;
                var before = Now(e.Before);
                // A parent that its author left as it was follows too; one that was chosen anew is meant as it is said.
                var after = e.After is null || e.Before[3] != e.After[3] ? e.After : Now(e.After);
                return e with { Key = part.KeyOf(before), Before = before, After = after };
            }),
        ];
        return
        [
            .. codes
                .Select(c =>
                    (
                        Was: part.Row(was, $"{Words.Of(c.Key.Kind)}\u001f{c.Key.Code}")!,
                        Is: part.Row(next, $"{Words.Of(c.Key.Kind)}\u001f{c.Value}")!
                    )
                )
                .Select(r => new RowChange(part, ChangeKind.Changed, part.KeyOf(r.Was), r.Was, r.Is)),
        ];
    }

    /// <summary>Whether a change gives an account or a group another key: then all that names it follows.</summary>
    public static bool Rekeys(RowChange change) => Renumbering.Renumbers(change) || GroupRenaming.Renames(change);

    /// <summary>The edits that turn changes back, last first. An account or a group that got another key and was
    /// changed is one edit.</summary>
    public static IReadOnlyList<RowChange> Reverse(IReadOnlyList<RowChange> changes)
    {
        var rekeyed = changes.Where(Rekeys).ToDictionary(c => (c.Part, c.Part.KeyOf(c.After!)));
        var joined = changes
            .Where(c =>
                !Rekeys(c) && c.Before is not null && c.After is not null && rekeyed.ContainsKey((c.Part, c.Key))
            )
            .ToDictionary(c => (c.Part, c.Key));
        return
        [
            .. changes
                .Reverse()
                .Where(c => !joined.TryGetValue((c.Part, c.Key), out var j) || !ReferenceEquals(j, c))
                .Select(c =>
                {
                    var (before, after) = (c.After, c.Before);
                    if (Rekeys(c) && joined.TryGetValue((c.Part, c.Part.KeyOf(c.After!)), out var more))
                        before = more.After;
                    return new RowChange(c.Part, c.Part.KeyOf((before ?? after)!), before, after);
                }),
        ];
    }

    /// <summary>An edit of a part's row by column name; null takes the row away. Cells not named stay as they
    /// are.</summary>
    public static RowChange Row(Part part, string?[]? before, IReadOnlyDictionary<string, string?>? cells)
    {
        string?[]? after = null;
        if (cells is not null)
        {
            after = before?.ToArray() ?? new string?[part.Columns.Count];
            for (var i = 0; i < part.Columns.Count; i++)
                if (cells.TryGetValue(part.Columns[i].Name, out var cell))
                    after[i] = string.IsNullOrEmpty(cell) ? null : cell;
        }
        return new RowChange(part, part.KeyOf(before ?? after!), before, after);
    }

    private static Fault? Changed(RowChange edit, string?[]? now, int number)
    {
        if (edit.Before is null)
            return now is null
                ? null
                : new Fault(
                    edit.Part.Name,
                    number,
                    edit.Part.Columns[edit.Part.Keys[0]].Name,
                    "exists",
                    $"{edit.Part.Describe(now)} exists already."
                );
        if (now is null)
            return new Fault(
                edit.Part.Name,
                number,
                "",
                "changed-meanwhile",
                $"{edit.Part.Describe(edit.Before)} is no longer there: somebody took it away."
            );
        for (var i = 0; i < now.Length; i++)
            if (now[i] != edit.Before[i])
                return new Fault(
                    edit.Part.Name,
                    number,
                    edit.Part.Columns[i].Name,
                    "changed-meanwhile",
                    $"{edit.Part.Describe(now)}: somebody else changed {edit.Part.Columns[i].Name} from "
                        + $"{Said(edit.Before[i])} to {Said(now[i])}. Look at it again before you change it."
                );
        return null;
    }

    /// <summary>How the place of an offence in a stored row begins.</summary>
    public static string OffencePlace(Part part, string key) => $"{part.Name}.csv:{key.Replace('\u001f', ' ')}:";

    private static string Said(string? cell) => cell is null ? "nothing" : $"'{cell}'";

    private static int Order(Part part) => Parts.All.ToList().IndexOf(part);
}
