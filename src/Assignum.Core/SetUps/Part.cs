using Assignum.Core.Landing;

namespace Assignum.Core.SetUps;

/// <summary>What a column's cells are, and so how they are stored and offered for choice.</summary>
public enum CellType { Text, Word, YesNo, Number, Whole, Date }

/// <summary>A column of a part of the set-up.</summary>
/// <param name="Words">The words it takes, for <see cref="CellType.Word"/>.</param>
/// <param name="Unset">The word that an empty cell means, or null.</param>
public sealed record Column(string Name, CellType Type, bool Key, bool Required, IReadOnlyList<string> Words, string? Unset = null);

/// <summary>Whether an edition holds a part (changed in a draft) or it is records (changed at once).</summary>
public enum HeldBy { Edition, Records }

/// <summary>Where a fault of form stands in a file, or in a set-up's part.</summary>
/// <param name="Part">The file's name without its ending.</param>
/// <param name="Row">Line of the file, the header being 1; 0 where it concerns the whole.</param>
public sealed record FormFault(string Part, int Row, string Column, string Code, string Message);

/// <summary>
/// A part of a set-up: one file of the bundle, one sheet of the workbook, one table of the storage. Turns rows of cells
/// into records of the core and back, and says what is wrong with a cell.
/// </summary>
public abstract class Part
{
    private protected Part(string name, HeldBy heldBy, IReadOnlyList<Column> columns)
    {
        Name = name;
        HeldBy = heldBy;
        Columns = columns;
        Keys = [.. columns.Select((c, i) => (c, i)).Where(x => x.c.Key).Select(x => x.i)];
    }

    /// <summary>The file's name without its ending, e.g. <c>tax-codes</c>.</summary>
    public string Name { get; }
    public HeldBy HeldBy { get; }

    /// <summary>In file order, key columns first.</summary>
    public IReadOnlyList<Column> Columns { get; }

    /// <summary>Positions of the key columns.</summary>
    public IReadOnlyList<int> Keys { get; }

    /// <summary>The rows of a set-up as canonical cells, in file order; null is an empty cell.</summary>
    public abstract IReadOnlyList<string?[]> Write(SetUp setUp);

    /// <summary>The set-up with this part's rows replaced. Faulty rows are left out and named in <paramref name="faults"/>.</summary>
    /// <param name="rows">Cells by column position, with the line each stands on.</param>
    public abstract SetUp Read(SetUp setUp, IEnumerable<(int Row, string?[] Cells)> rows, List<FormFault> faults);

    /// <summary>The key of a row as one text.</summary>
    public string KeyOf(string?[] cells) => Keys.Count == 1 ? cells[Keys[0]] ?? "" : string.Join('\u001f', Keys.Select(k => cells[k]));

    /// <summary>The key as a person reads it.</summary>
    public string Describe(string?[] cells) => string.Join(" · ", Keys.Select(k => cells[k]).Where(c => !string.IsNullOrEmpty(c)));
}

/// <summary>A part whose rows are records of one type.</summary>
internal sealed class Part<T>(
    string name, HeldBy heldBy, IReadOnlyList<Column> columns, Func<SetUp, IReadOnlyList<T>> get, Func<SetUp, IReadOnlyList<T>, SetUp> with,
    Func<CellReader, T?> read, Func<T, string?[]> write, Func<T, IComparable>? order = null) : Part(name, heldBy, columns)
    where T : class
{
    public override IReadOnlyList<string?[]> Write(SetUp setUp)
    {
        var rows = get(setUp).Select(write).ToList();
        if (order is null) rows.Sort((a, b) => string.CompareOrdinal(KeyOf(a), KeyOf(b)));
        return rows;
    }

    public override SetUp Read(SetUp setUp, IEnumerable<(int Row, string?[] Cells)> rows, List<FormFault> faults)
    {
        var records = new List<T>();
        var seen = new Dictionary<string, int>(StringComparer.Ordinal);
        foreach (var (row, cells) in rows)
        {
            var reader = new CellReader(this, row, cells, faults);
            var before = faults.Count;
            var record = read(reader);
            if (record is null || faults.Count > before) continue;
            var key = KeyOf(write(record));
            if (!seen.TryAdd(key, row))
            {
                reader.Fault(Columns[Keys[0]].Name, "duplicate-key", $"The same key stands on line {seen[key]}: keep one of the two.");
                continue;
            }
            records.Add(record);
        }
        if (order is not null) records = [.. records.OrderBy(order)];
        return with(setUp, records);
    }
}
