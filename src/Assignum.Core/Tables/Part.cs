using System.Runtime.CompilerServices;
using Assignum.Core.SetUps;

namespace Assignum.Core.Tables;

/// <summary>What a column's cells are, and so how they are stored and offered for choice.</summary>
public enum CellType
{
    Text,
    Word,
    YesNo,
    Number,
    Whole,
    Date,
}

/// <summary>A column of a part of the set-up.</summary>
/// <param name="Words">The words it takes, for <see cref="CellType.Word"/>.</param>
/// <param name="Unset">The word that an empty cell means, or null.</param>
public sealed record Column(
    string Name,
    CellType Type,
    bool Key,
    bool Required,
    IReadOnlyList<string> Words,
    string? Unset = null
)
{
    /// <summary>What the column is called where people read it.</summary>
    public string Title =>
        Name switch
        {
            "class" => "Statement class",
            "kind" => "Kind",
            "control" => "Control account of",
            "party_kinds" => "Parties admitted",
            "hand_entries" => "Entries by hand",
            "tax_admits" => "Directions of tax admitted",
            "tax_code" => "Tax code",
            "capital" => "Capital goods",
            "revalue" => "Revalued at month end",
            "dimension_rules" => "Reporting dimensions",
            "usual_side" => "Usual side",
            "stocked" => "Kept in stock",
            _ => char.ToUpperInvariant(Name[0]) + Name[1..].Replace('_', ' '),
        };
}

/// <summary>Whether an edition holds a part (changed in a draft) or it is records (changed at once).</summary>
public enum HeldBy
{
    Edition,
    Records,
}

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

    /// <summary>A fault in one of its rows.</summary>
    /// <param name="key">The row's key as <see cref="KeyOf"/> gives it.</param>
    public Fault Fault(string key, string column, string code, string message) =>
        new(code, message)
        {
            Part = Name,
            Key = key,
            Column = column,
        };

    /// <summary>In file order, key columns first.</summary>
    public IReadOnlyList<Column> Columns { get; }

    /// <summary>Positions of the key columns.</summary>
    public IReadOnlyList<int> Keys { get; }

    /// <summary>The rows of a set-up as canonical cells, in file order; null is an empty cell.</summary>
    public abstract IReadOnlyList<string?[]> Write(SetUp setUp);

    /// <summary>The set-up with this part's rows replaced. Faulty rows are left out and named in <paramref
    /// name="faults"/>.</summary>
    /// <param name="rows">Cells by column position, with the line each stands on.</param>
    /// <param name="lenient">Rows that were stored: one that offends against a rule of today stays, as far as it can be
    /// read, so that a rule that became stricter locks nobody out.</param>
    public abstract SetUp Read(
        SetUp setUp,
        IEnumerable<(int Row, string?[] Cells)> rows,
        List<Fault> faults,
        bool lenient = false
    );

    /// <summary>The rows that differ between two set-ups, by key; records that both share are not looked
    /// into.</summary>
    public abstract IReadOnlyList<(string Key, string?[]? Before, string?[]? After)> Differing(
        SetUp before,
        SetUp after
    );

    /// <summary>The row with a key as canonical cells, or null. The keys of a set-up are looked through once and
    /// remembered.</summary>
    public abstract string?[]? Row(SetUp setUp, string key);

    /// <summary>The set-up with some rows changed: all others stay the records they are. Faulty rows are named in
    /// <paramref name="faults"/>.</summary>
    /// <param name="edits">By the key a row has now; no cells: it goes. A key that is not there is a new row.</param>
    public abstract SetUp With(
        SetUp setUp,
        IReadOnlyList<(int Row, string Key, string?[]? Cells)> edits,
        List<Fault> faults,
        bool lenient = false
    );

    /// <summary>The cells of a row by the names of columns; those of columns that were not there yet are as if nothing
    /// were said.</summary>
    public string?[] CellsOf(IReadOnlyDictionary<string, string?> named) =>
        [.. Columns.Select(c => named.TryGetValue(c.Name, out var cell) ? cell : c.Unset)];

    /// <summary>The names of columns with the cells of a row; without those that say nothing, where saying nothing is
    /// the same.</summary>
    public Dictionary<string, string?> Named(string?[] cells)
    {
        var named = new Dictionary<string, string?>(Columns.Count, StringComparer.Ordinal);
        for (var i = 0; i < Columns.Count; i++)
            if (cells[i] is not null || Columns[i].Unset is not null)
                named[Columns[i].Name] = cells[i];
        return named;
    }

    /// <summary>The position of a column.</summary>
    /// <exception cref="InvalidOperationException">The part has no such column.</exception>
    public int At(string column)
    {
        for (var i = 0; i < Columns.Count; i++)
            if (Columns[i].Name == column)
                return i;
        throw new InvalidOperationException($"{Name} has no column {column}.");
    }

    /// <summary>The key of a row as one text.</summary>
    public string KeyOf(string?[] cells) =>
        Keys.Count == 1 ? cells[Keys[0]] ?? "" : string.Join('\u001f', Keys.Select(k => cells[k]));

    /// <summary>The key as a person reads it.</summary>
    public string Describe(string?[] cells) =>
        string.Join(" · ", Keys.Select(k => cells[k]).Where(c => !string.IsNullOrEmpty(c)));
}

/// <summary>A part whose rows are records of one type.</summary>
internal sealed class Part<T>(
    string name,
    HeldBy heldBy,
    IReadOnlyList<Column> columns,
    Func<SetUp, IReadOnlyList<T>> get,
    Func<SetUp, IReadOnlyList<T>, SetUp> with,
    Func<CellReader, T?> read,
    Func<T, string?[]> write,
    Func<T, IComparable>? order = null
) : Part(name, heldBy, columns)
    where T : class
{
    public override IReadOnlyList<string?[]> Write(SetUp setUp)
    {
        var rows = get(setUp).Select(write).ToArray();
        if (order is null)
            Array.Sort([.. rows.Select(KeyOf)], rows, StringComparer.Ordinal);
        return rows;
    }

    public override IReadOnlyList<(string Key, string?[]? Before, string?[]? After)> Differing(
        SetUp before,
        SetUp after
    )
    {
        var (was, now) = (get(before), get(after));
        if (ReferenceEquals(was, now))
            return [];
        var gone = new HashSet<T>(was, ReferenceEqualityComparer.Instance);
        var came = now.Where(r => !gone.Remove(r)).Select(write).ToList();
        var old = new Dictionary<string, string?[]>(gone.Count, StringComparer.Ordinal);
        foreach (var record in gone)
        {
            var cells = write(record);
            old[KeyOf(cells)] = cells;
        }
        var differing = new List<(string Key, string?[]? Before, string?[]? After)>();
        foreach (var cells in came)
        {
            var key = KeyOf(cells);
            old.Remove(key, out var had);
            if (had is null || !had.AsSpan().SequenceEqual(cells))
                differing.Add((key, had, cells));
        }
        differing.Sort((a, b) => string.CompareOrdinal(a.Key, b.Key));
        return
        [
            .. differing,
            .. old.Select(o => (o.Key, (string?[]?)o.Value, (string?[]?)null))
                .OrderBy(o => o.Key, StringComparer.Ordinal),
        ];
    }

    public override SetUp Read(
        SetUp setUp,
        IEnumerable<(int Row, string?[] Cells)> rows,
        List<Fault> faults,
        bool lenient = false
    )
    {
        var records = new List<T>();
        var seen = new Dictionary<string, int>(StringComparer.Ordinal);
        foreach (var (row, cells) in rows)
        {
            var reader = new CellReader(this, row, cells, faults);
            var before = faults.Count;
            var record = read(reader);
            if (record is null || faults.Count > before && !lenient)
                continue;
            var key = KeyOf(write(record));
            if (!seen.TryAdd(key, row))
            {
                reader.Fault(
                    Columns[Keys[0]].Name,
                    "duplicate-key",
                    $"The same key stands on line {seen[key]}: keep one of the two."
                );
                continue;
            }
            records.Add(record);
        }
        if (order is not null)
            records = [.. records.OrderBy(order)];
        return with(setUp, records);
    }

    // Where each key stands in a list of records; lists never change once made.
    private readonly ConditionalWeakTable<IReadOnlyList<T>, Places> places = [];

    private Places PlacesIn(IReadOnlyList<T> records) => places.GetValue(records, list =>
        {
            var at = new Dictionary<string, int>(list.Count, StringComparer.Ordinal);
            for (var i = 0; i < list.Count; i++)
                at[KeyOf(write(list[i]))] = i;
            return new Places(at, new Dictionary<string, int>(StringComparer.Ordinal));
        });

    public override string?[]? Row(SetUp setUp, string key)
    {
        var records = get(setUp);
        // The entity is a list made anew at each look: it is too short to remember.
        return records.Count == 1
            ? write(records[0]) is var only && KeyOf(only) == key
                ? only
                : null
            : PlacesIn(records).Find(key) is var at and >= 0
                ? write(records[at])
                : null;
    }

    public override SetUp With(
        SetUp setUp,
        IReadOnlyList<(int Row, string Key, string?[]? Cells)> edits,
        List<Fault> faults,
        bool lenient = false
    )
    {
        var was = get(setUp);
        var at = PlacesIn(was).Beside();
        var records = new List<T?>(was);
        var place = new int[edits.Count];
        // Keys go before they come, so that two rows may change theirs for each other's.
        for (var i = 0; i < edits.Count; i++)
            place[i] = at.Take(edits[i].Key);
        var line = new Dictionary<string, int>(StringComparer.Ordinal);
        var gone = false;
        for (var i = 0; i < edits.Count; i++)
        {
            var (row, _, cells) = edits[i];
            if (cells is null)
            {
                if (place[i] >= 0)
                {
                    records[place[i]] = null;
                    gone = true;
                }
                continue;
            }
            var reader = new CellReader(this, row, cells, faults);
            var before = faults.Count;
            var record = read(reader);
            if (record is null || faults.Count > before && !lenient)
                continue;
            var key = KeyOf(write(record));
            if (!at.Put(key, place[i] < 0 ? records.Count : place[i]))
            {
                reader.Fault(
                    Columns[Keys[0]].Name,
                    "duplicate-key",
                    line.TryGetValue(key, out var other)
                        ? $"The same key stands on line {other}: keep one of the two."
                        : "Another row has this key already."
                );
                continue;
            }
            line[key] = row;
            if (place[i] < 0)
                records.Add(record);
            else
                records[place[i]] = record;
        }
        if (order is not null)
            return with(setUp, [.. records.OfType<T>().OrderBy(order)]);
        if (gone)
            return with(setUp, [.. records.OfType<T>()]);
        IReadOnlyList<T> now = records!;
        if (faults.Count == 0)
            places.AddOrUpdate(now, at);
        return with(setUp, now);
    }
}

/// <summary>Where each key of a list stands; what was changed since the list it comes from is laid over.</summary>
internal sealed class Places(Dictionary<string, int> ground, Dictionary<string, int> over)
{
    // Laid over more than this, all of it is made one again.
    private const int Thin = 4096;

    /// <summary>The place of a key, or −1.</summary>
    public int Find(string key) => over.TryGetValue(key, out var at) || ground.TryGetValue(key, out at) ? at : -1;

    /// <summary>The same places, to be changed.</summary>
    public Places Beside()
    {
        if (over.Count <= Thin)
            return new Places(ground, new Dictionary<string, int>(over, StringComparer.Ordinal));
        var all = new Dictionary<string, int>(ground, StringComparer.Ordinal);
        foreach (var (key, at) in over)
            if (at < 0)
                all.Remove(key);
            else
                all[key] = at;
        return new Places(all, new Dictionary<string, int>(StringComparer.Ordinal));
    }

    /// <summary>Takes a key away; returns where it stood, or −1.</summary>
    public int Take(string key)
    {
        var at = Find(key);
        if (at >= 0)
            over[key] = -1;
        return at;
    }

    /// <summary>Puts a key to a place; false where it stands somewhere.</summary>
    public bool Put(string key, int at)
    {
        if (Find(key) >= 0)
            return false;
        over[key] = at;
        return true;
    }
}
