using System.Globalization;
using Assignum.Core;
using CsvHelper;
using CsvHelper.Configuration;

namespace Assignum.Formats.Lists;

/// <summary>Lines that were pasted out of a spreadsheet: cells parted by tabs, semicolons or commas, a line a row.</summary>
public static class PastedLines
{
    /// <summary>The rows by column: a first row that names columns does so, otherwise they are in the given order.</summary>
    /// <param name="most">How many rows are taken; more are a fault.</param>
    public static IReadOnlyList<IReadOnlyDictionary<string, string>> Read(
        string text,
        IReadOnlyList<string> columns,
        int most,
        List<Fault> faults
    )
    {
        var rows = new List<IReadOnlyDictionary<string, string>>();
        var first = text.AsSpan();
        if (first.IndexOf('\n') is >= 0 and var end)
            first = first[..end];
        var delimiter =
            first.Contains('\t') ? "\t"
            : first.Contains(';') ? ";"
            : ",";
        using var csv = new CsvReader(
            new StringReader(text),
            new CsvConfiguration(CultureInfo.InvariantCulture)
            {
                HasHeaderRecord = false,
                BadDataFound = null,
                Delimiter = delimiter,
            }
        );
        IReadOnlyList<string>? header = null;
        var count = 0;
        try
        {
            while (csv.Read())
            {
                var cells = csv.Parser.Record ?? [];
                if (header is null)
                {
                    var named = cells.Select(c => Named(c, columns)).ToArray();
                    header = named.Contains("account") ? [.. named.Select(n => n ?? "")] : columns;
                    if (!ReferenceEquals(header, columns))
                        continue;
                }
                if (++count > most)
                    continue;
                var row = new Dictionary<string, string>(StringComparer.Ordinal);
                for (var i = 0; i < cells.Length; i++)
                    if (cells[i].Trim() is { Length: > 0 } cell)
                        if (i < header.Count && header[i].Length > 0)
                            row[header[i]] = cell;
                        else if (faults.Count < 20)
                            faults.Add(
                                new Fault(
                                    "too-wide",
                                    $"Pasted row {count}: '{(cell.Length > 40 ? cell[..40] : cell)}' is in no known column.",
                                    "bulk"
                                )
                            );
                if (row.Count > 0)
                    rows.Add(row);
            }
        }
        catch (CsvHelperException)
        {
            faults.Add(
                new Fault("bad-csv", "What was pasted is no table: a line a row, cells parted by tabs.", "bulk")
            );
        }
        if (count > most)
            faults.Add(
                new Fault(
                    "too-many",
                    $"{count} lines were pasted; an entry takes at most {most}. Divide them over several entries, or send them "
                        + "as events.",
                    "bulk"
                )
            );
        return rows;
    }

    // taxCode is also "Tax code", whatever its case.
    private static string? Named(string cell, IReadOnlyList<string> columns)
    {
        var plain = cell.Replace(" ", "").Replace("-", "").Replace("_", "").Trim();
        return columns.FirstOrDefault(c => c.Equals(plain, StringComparison.OrdinalIgnoreCase));
    }
}
