using Assignum.Core;
using Assignum.Core.Tables;

namespace Assignum.Formats.Bundles;

/// <summary>The header of a file or sheet of a bundle: which of its columns is which of the part.</summary>
internal sealed class HeaderRow
{
    private readonly Part part;
    private readonly string file;
    private readonly int[] positions;

    private HeaderRow(Part part, string file, int[] positions) =>
        (this.part, this.file, this.positions) = (part, file, positions);

    /// <summary>Positions of the part's columns that the file has.</summary>
    public IReadOnlySet<int> Known => positions.Where(p => p >= 0).ToHashSet();

    /// <summary>Reads the names; null, with faults, when a column is missing or there twice. Unknown names wait for a
    /// value.</summary>
    public static HeaderRow? Read(Part part, string file, IReadOnlyList<string> names, List<Fault> faults)
    {
        var positions = new int[names.Count];
        var seen = new HashSet<string>(StringComparer.Ordinal);
        var good = true;
        void Fault(string column, string code, string message)
        {
            faults.Add(new Fault(part.Name, 1, column, code, message));
            good = false;
        }
        for (var i = 0; i < names.Count; i++)
        {
            // A byte order mark is no part of the first name.
            var name = i == 0 ? names[i].TrimStart('\uFEFF') : names[i];
            positions[i] = part.Columns.ToList().FindIndex(c => c.Name == name);
            if (!seen.Add(name) && name.Length > 0)
                Fault(name, "duplicate-column", $"The column '{Cut(name)}' is there twice.");
        }
        foreach (var column in part.Columns.Where(c => c.Required && !seen.Contains(c.Name)))
            Fault(column.Name, "missing-column", $"{file} lacks the column '{column.Name}'.");
        return good ? new HeaderRow(part, file, positions) : null;
    }

    /// <summary>The cells of a row by column of the part; null, with a fault, when the row cannot be read.</summary>
    public string?[]? Cells(int row, int count, Func<int, string?> cell, List<Fault> faults)
    {
        string?[]? Fault(string code, string message)
        {
            faults.Add(new Fault(part.Name, row, "", code, message));
            return null;
        }
        if (count != positions.Length)
            return Fault("ragged-row", $"This line has {count} cells; the header has {positions.Length}.");
        var cells = new string?[part.Columns.Count];
        for (var i = 0; i < positions.Length; i++)
        {
            if (cell(i) is not { Length: > 0 } value)
                continue;
            if (value.Contains('\0'))
                return Fault("bad-character", "This line holds a zero character: the file is damaged or no text.");
            if (positions[i] < 0)
                return Fault(
                    "unknown-column",
                    $"{file} has a value in column {i + 1}, which the header names as none of: "
                        + $"{string.Join(", ", part.Columns.Select(c => c.Name))}."
                );
            cells[positions[i]] = value;
        }
        return cells;
    }

    private static string Cut(string text) => text.Length > 40 ? text[..40] + "…" : text;
}
