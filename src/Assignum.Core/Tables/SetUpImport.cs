using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Core.SetUps;

namespace Assignum.Core.Tables;

/// <summary>The rows of one part as a file gave them.</summary>
/// <param name="Columns">Positions of the columns that the file has; others keep what they were, or are unset on new
/// rows.</param>
/// <param name="Rows">Cells by column position of the part, with the line of the file.</param>
public sealed record Sheet(Part Part, IReadOnlySet<int> Columns, IReadOnlyList<(int Row, string?[] Cells)> Rows)
{
    /// <summary>Where a file's cells are rows of the part: the column of the file that a row stands in, by the row's
    /// key. Null: its rows are rows.</summary>
    public IReadOnlyDictionary<string, string>? Places { get; init; }
}

/// <summary>What an import does to a row.</summary>
public enum ChangeKind
{
    Added,
    Changed,
    Removed,
    Archived,
}

/// <summary>One row that an import adds, changes, removes or archives.</summary>
public sealed record RowChange(Part Part, ChangeKind Kind, string Key, string?[]? Before, string?[]? After)
{
    /// <summary>What became of a row: added where there was none before, removed where there is none after, else
    /// changed.</summary>
    public RowChange(Part part, string key, string?[]? before, string?[]? after)
        : this(
            part,
            before is null ? ChangeKind.Added
                : after is null ? ChangeKind.Removed
                : ChangeKind.Changed,
            key,
            before,
            after
        ) { }

    /// <summary>The key as a person reads it.</summary>
    public string Label => Part.Describe(After ?? Before!);

    /// <summary>The columns whose cells differ.</summary>
    public IEnumerable<(string Column, string? Before, string? After)> Cells =>
        Part.Columns.Select((c, i) => (c.Name, Before?[i], After?[i])).Where(x => x.Item2 != x.Item3);
}

/// <summary>What an import would do: the set-up after it, the rows it touches, and everything that is wrong.</summary>
public sealed record ImportPlan(
    SetUp Next,
    IReadOnlyList<RowChange> Changes,
    IReadOnlyList<Fault> Faults,
    IReadOnlyList<string> Notes
);

/// <summary>Brings files into a set-up: a plan first, which storage then applies whole or not at all.</summary>
public static class SetUpImport
{
    /// <summary>Makes the plan.</summary>
    /// <param name="current">The draft (or, without one, the edition in force) and the records.</param>
    /// <param name="partial">Rows that a file lacks stay.</param>
    /// <param name="inUse">Whether anything outside this set-up (a live edition, the journal) refers to a record of a
    /// part.</param>
    public static ImportPlan Plan(
        SetUp current,
        IReadOnlyList<Sheet> sheets,
        bool partial,
        Func<Part, string, bool> inUse
    )
    {
        var faults = new List<Fault>();
        var notes = new List<string>();
        var lineOf = new Dictionary<(Part, string), int>();
        var next = Taken(current, sheets, partial, faults, lineOf);
        if (next.Entity.Code != current.Entity.Code)
            faults.Add(
                new Fault(
                    "entity",
                    2,
                    "code",
                    "wrong-entity",
                    $"This bundle is of entity {next.Entity.Code}; it is brought into {current.Entity.Code}. Change "
                        + "the code in entity.csv, or leave the file out."
                )
            );
        next = Keep(current, next, sheets, inUse, notes);
        var changes = faults.Count > 0 ? [] : Difference(current, next);
        foreach (var fault in SetUpRules.Check(next).Concat(NewRowRules.Check(next, changes)))
            faults.Add(fault with { Row = lineOf.GetValueOrDefault((Parts.Find(fault.Part)!, fault.Key)) });
        return new ImportPlan(next, faults.Count > 0 ? [] : changes, faults, notes);
    }

    /// <summary>The rows that files mean, part by part: cells that they lack as they are here. Null where any is
    /// wrong.</summary>
    public static IReadOnlyDictionary<Part, IReadOnlyList<string?[]>>? Meant(SetUp current, IReadOnlyList<Sheet> sheets)
    {
        var faults = new List<Fault>();
        var meant = Taken(current, sheets, false, faults, []);
        return faults.Count > 0 ? null : sheets.ToDictionary(s => s.Part, s => s.Part.Write(meant));
    }

    private static SetUp Taken(
        SetUp current,
        IReadOnlyList<Sheet> sheets,
        bool partial,
        List<Fault> faults,
        Dictionary<(Part, string), int> lineOf
    )
    {
        var next = current;
        foreach (var sheet in sheets)
            next = Take(current, next, sheet, partial, faults, lineOf);
        return next;
    }

    /// <summary>The rows in which two set-ups differ, part by part; of some parts only where they are named.</summary>
    public static IReadOnlyList<RowChange> Difference(SetUp before, SetUp after, IReadOnlyList<Part>? parts = null) =>
        [
            .. (parts ?? Parts.All).SelectMany(part =>
                part.Differing(before, after).Select(d => Changed(part, d.Key, d.Before, d.After)).OfType<RowChange>()
            ),
        ];

    /// <summary>What happened to a row, or null where it is the same.</summary>
    internal static RowChange? Changed(Part part, string key, string?[]? before, string?[]? after) =>
        before is null
            ? after is null
                ? null
                : new RowChange(part, ChangeKind.Added, key, null, after)
            : after is null
                ? new RowChange(part, ChangeKind.Removed, key, before, null)
                : before.AsSpan().SequenceEqual(after)
                    ? null
                    : new RowChange(
                        part,
                        Archives(part, before, after) ? ChangeKind.Archived : ChangeKind.Changed,
                        key,
                        before,
                        after
                    );

    private static SetUp Take(
        SetUp current,
        SetUp next,
        Sheet sheet,
        bool partial,
        List<Fault> faults,
        Dictionary<(Part, string), int> lineOf
    )
    {
        var part = sheet.Part;
        var existing = part.Write(current).ToDictionary(part.KeyOf, StringComparer.Ordinal);
        var rows = new List<(int, string?[])>(sheet.Rows.Count);
        foreach (var (line, cells) in sheet.Rows)
        {
            var key = part.KeyOf(cells);
            lineOf.TryAdd((part, key), line);
            existing.Remove(key, out var old);
            // A column the file lacks keeps its value on rows that exist.
            if (old is not null && sheet.Columns.Count < part.Columns.Count)
                for (var i = 0; i < cells.Length; i++)
                    if (!sheet.Columns.Contains(i))
                        cells[i] = old[i];
            rows.Add((line, cells));
        }
        if (partial)
            rows.AddRange(existing.Values.Select(old => (0, old)));
        return part.Read(next, rows, faults);
    }

    private static bool Archives(Part part, string?[] before, string?[] after)
    {
        for (var i = 0; i < before.Length; i++)
            if (part.Columns[i].Name == "status" && before[i] == "active" && after[i] == "archived")
                return true;
        return false;
    }

    // A record that anything refers to is archived, or kept where it cannot be, instead of removed.
    private static SetUp Keep(
        SetUp current,
        SetUp next,
        IReadOnlyList<Sheet> sheets,
        Func<Part, string, bool> inUse,
        List<string> notes
    )
    {
        var present = sheets.Select(s => s.Part).ToHashSet();
        var uses = new Lazy<HashSet<(Part, string)>>(() => [.. References(next)]);
        bool Used(Part part, string code) => uses.Value.Contains((part, code)) || inUse(part, code);

        List<T> Missing<T>(
            Part part,
            IReadOnlyList<T> before,
            IReadOnlyList<T> after,
            Func<T, string> code,
            Func<T, T> archive
        )
        {
            var kept = new List<T>();
            if (!present.Contains(part))
                return kept;
            var have = after.Select(code).ToHashSet(StringComparer.Ordinal);
            foreach (var record in before.Where(r => !have.Contains(code(r)) && Used(part, code(r))))
            {
                var archived = archive(record);
                notes.Add(
                    ReferenceEquals(archived, record)
                        ? $"{part.Name}: {code(record)} is missing from the file and stays, because something refers "
                            + "to it."
                        : $"{part.Name}: {code(record)} is missing from the file; something refers to it, so it is "
                            + "archived instead of removed."
                );
                kept.Add(archived);
            }
            return kept;
        }

        next = next with
        {
            Accounts =
            [
                .. next.Accounts,
                .. Missing(
                    Parts.Accounts,
                    current.Accounts,
                    next.Accounts,
                    a => a.Number,
                    a => a with { Status = RecordStatus.Archived }
                ),
            ],
        };
        next = next with
        {
            Items =
            [
                .. next.Items,
                .. Missing(
                    Parts.Items,
                    current.Items,
                    next.Items,
                    a => a.Code,
                    a => a with { Status = RecordStatus.Archived }
                ),
            ],
        };
        next = next with
        {
            Parties =
            [
                .. next.Parties,
                .. Missing(
                    Parts.Parties,
                    current.Parties,
                    next.Parties,
                    a => a.Code,
                    a => a with { Status = RecordStatus.Archived }
                ),
            ],
        };
        next = next with
        {
            Projects =
            [
                .. next.Projects,
                .. Missing(
                    Parts.Projects,
                    current.Projects,
                    next.Projects,
                    a => a.Code,
                    a => a with { Status = RecordStatus.Archived }
                ),
            ],
        };
        next = next with
        {
            Locations =
            [
                .. next.Locations,
                .. Missing(Parts.Locations, current.Locations, next.Locations, a => a.Code, a => a),
            ],
        };
        next = next with
        {
            Channels =
            [
                .. next.Channels,
                .. Missing(Parts.Channels, current.Channels, next.Channels, a => a.Code, a => a),
            ],
        };
        next = next with
        {
            Methods = [.. next.Methods, .. Missing(Parts.Methods, current.Methods, next.Methods, a => a.Code, a => a)],
        };
        return next with
        {
            Reasons = [.. next.Reasons, .. Missing(Parts.Reasons, current.Reasons, next.Reasons, a => a.Code, a => a)],
        };
    }

    /// <summary>Every record that a row of the set-up refers to.</summary>
    public static IEnumerable<(Part Part, string Code)> References(SetUp setUp)
    {
        foreach (var assignment in setUp.Assignments)
        {
            yield return (Parts.Accounts, assignment.Account);
            foreach (var part in assignment.Key)
                if (RecordsOf(part.Dimension) is { } records)
                    yield return (records, part.Value);
        }
        foreach (var account in setUp.Accounts)
            if (account.Parent is not null)
                yield return (Parts.Accounts, account.Parent);
        foreach (var relief in setUp.ReliefAccounts)
        {
            yield return (Parts.Accounts, relief.Account);
            yield return (Parts.Accounts, relief.Relief);
        }
        foreach (var row in setUp.Crosswalk)
            yield return (Parts.Accounts, row.Account);
        foreach (var project in setUp.Projects)
        {
            if (project.Parent is not null)
                yield return (Parts.Projects, project.Parent);
            if (project.Customer is not null)
                yield return (Parts.Parties, project.Customer);
        }
    }

    private static Part? RecordsOf(Dimension dimension) =>
        dimension switch
        {
            Dimension.Item => Parts.Items,
            Dimension.Party => Parts.Parties,
            Dimension.Project => Parts.Projects,
            Dimension.Location => Parts.Locations,
            Dimension.Channel => Parts.Channels,
            Dimension.Method => Parts.Methods,
            Dimension.Reason => Parts.Reasons,
            _ => null,
        };
}
