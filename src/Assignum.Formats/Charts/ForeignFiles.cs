using System.Globalization;
using System.IO.Compression;
using System.Text;
using System.Text.Json;
using Assignum.Core;
using Assignum.Core.Tables.Foreign;
using Assignum.Formats.Bundles;
using Assignum.Formats.Lists;
using CsvHelper;
using CsvHelper.Configuration;
using ExcelDataReader;

namespace Assignum.Formats.Charts;

/// <summary>
/// Reads tables of anyone's making: CSV in the encodings and with the separators that spreadsheets write, workbooks
/// (.xlsx, .xlsm), JSON arrays of flat objects. Macros are not run, links not followed: formulas count with the value
/// that was last calculated.
/// </summary>
public static class ForeignFiles
{
    /// <summary>Most rows taken from a sheet, not counting empty ones.</summary>
    public const int MostRows = 100_000;

    /// <summary>Most columns taken from a sheet.</summary>
    public const int MostColumns = 200;

    private static readonly Encoding Latin;

    static ForeignFiles()
    {
        Encoding.RegisterProvider(CodePagesEncodingProvider.Instance);
        Latin = Encoding.GetEncoding(1252);
    }

    /// <summary>The sheets of a file. What cannot be read is named in <paramref name="faults"/>, never
    /// thrown.</summary>
    public static IReadOnlyList<ForeignSheet> Read(byte[] file, List<Fault> faults)
    {
        var before = faults.Count;
        IReadOnlyList<ForeignSheet> sheets = [];
        if (file.Length == 0)
            Say(faults, "empty-file", "The file is empty.");
        else if (file.AsSpan().StartsWith("PK"u8))
            sheets = Book(file, faults);
        else if (file.AsSpan().StartsWith((ReadOnlySpan<byte>)[0xD0, 0xCF, 0x11, 0xE0]))
            Say(
                faults,
                "old-workbook",
                "This is a workbook of the old binary kind, or one that is locked with a password: save it as .xlsx "
                    + "without one, or as CSV."
            );
        else if (Text(file) is var (text, note))
            sheets = text.AsSpan().TrimStart() is ['[' or '{', ..] ? Json(text, faults) : Csv(text, note, faults);
        if (faults.Count == before && sheets.All(s => s.Rows.All(r => r.Empty)))
            Say(faults, "empty-file", "The file has no row with anything in it.");
        return faults.Count > before ? [] : sheets;
    }

    private static void Say(List<Fault> faults, string code, string message, int line = 0) =>
        faults.Add(new Fault("", line, "", code, message));

    // By its mark where there is one, by its zero bytes, by being valid UTF-8; else as older spreadsheets write it.
    private static (string Text, string? Note) Text(byte[] file)
    {
        if (file.AsSpan().StartsWith((ReadOnlySpan<byte>)[0xEF, 0xBB, 0xBF]))
            return (Encoding.UTF8.GetString(file.AsSpan(3)), null);
        if (file.AsSpan().StartsWith((ReadOnlySpan<byte>)[0xFF, 0xFE]))
            return (Encoding.Unicode.GetString(file.AsSpan(2)), "The file is UTF-16 text.");
        if (file.AsSpan().StartsWith((ReadOnlySpan<byte>)[0xFE, 0xFF]))
            return (Encoding.BigEndianUnicode.GetString(file.AsSpan(2)), "The file is UTF-16 text.");
        var (even, odd, looked) = (0, 0, Math.Min(file.Length, 4000));
        for (var i = 0; i < looked; i++)
            if (file[i] == 0)
            {
                if (i % 2 == 0)
                    even++;
                else
                    odd++;
            }
        if (odd > looked / 4 && even < looked / 20)
            return (Encoding.Unicode.GetString(file), "The file is UTF-16 text.");
        if (even > looked / 4 && odd < looked / 20)
            return (Encoding.BigEndianUnicode.GetString(file), "The file is UTF-16 text.");
        try
        {
            return (CsvSheet.Utf8.GetString(file), null);
        }
        catch (DecoderFallbackException)
        {
            return (Latin.GetString(file), "The file is not UTF-8; it is read as Windows-1252 (Latin 1).");
        }
    }

    private static IReadOnlyList<ForeignSheet> Csv(string text, string? note, List<Fault> faults)
    {
        var settings = new CsvConfiguration(CultureInfo.InvariantCulture)
        {
            Delimiter = Separator(text),
            Mode = CsvMode.RFC4180,
            BadDataFound = null,
            MaxFieldSize = CsvSheet.LongestCell,
            LineBreakInQuotedFieldIsBadData = false,
            IgnoreBlankLines = false,
            TrimOptions = TrimOptions.None,
        };
        using var parser = new CsvParser(new StringReader(text), settings);
        var rows = new List<ForeignRow>();
        try
        {
            while (parser.Read())
            {
                if (rows.Count == MostRows)
                {
                    TooMany(faults);
                    return [];
                }
                if (parser.Count > MostColumns)
                {
                    Say(
                        faults,
                        "too-many-columns",
                        $"Line {parser.RawRow} has {parser.Count} columns; at most {MostColumns} are taken.",
                        parser.RawRow
                    );
                    return [];
                }
                var cells = new ForeignCell[parser.Count];
                for (var i = 0; i < cells.Length; i++)
                    cells[i] = Typed(parser[i]);
                if (!cells.All(c => c.Empty))
                    rows.Add(new ForeignRow(parser.RawRow, cells));
            }
        }
        catch (MaxFieldSizeException)
        {
            Say(
                faults,
                "cell-too-long",
                $"A cell is longer than {CsvSheet.LongestCell} characters, or a quotation mark is never closed.",
                parser.RawRow
            );
            return [];
        }
        catch (CsvHelperException)
        {
            Say(faults, "bad-csv", $"Line {parser.RawRow} is no valid CSV: check its quotation marks.", parser.RawRow);
            return [];
        }
        var separator = parser.Delimiter switch
        {
            ";" => "semicolons",
            "\t" => "tabs",
            "|" => "upright strokes",
            _ => null,
        };
        return
        [
            new ForeignSheet(
                "",
                rows,
                [.. new[] { note, separator is null ? null : $"Its cells are parted by {separator}." }.OfType<string>()]
            ),
        ];
    }

    // The separator by which most of the first lines have the same number of cells, more than one; titles above the
    // header and
    // commas in names mislead a guess by the first line.
    private static string Separator(string text)
    {
        var start = text.Length > 60_000 ? text[..60_000] : text;
        return new[] { ",", ";", "\t", "|" }
            .Select(separator =>
            {
                using var parser = new CsvParser(
                    new StringReader(start),
                    new CsvConfiguration(CultureInfo.InvariantCulture)
                    {
                        Delimiter = separator,
                        Mode = CsvMode.RFC4180,
                        BadDataFound = null,
                        IgnoreBlankLines = true,
                    }
                );
                var counts = new List<int>();
                try
                {
                    while (counts.Count < 300 && parser.Read())
                        counts.Add(parser.Count);
                }
                catch (CsvHelperException) { }
                var most = counts
                    .Where(c => c > 1)
                    .GroupBy(c => c)
                    .OrderByDescending(g => g.Count())
                    .ThenByDescending(g => g.Key)
                    .FirstOrDefault();
                return (
                    separator,
                    Share: most is null ? 0 : (double)most.Count() / counts.Count,
                    Width: most?.Key ?? 1
                );
            })
            .OrderByDescending(s => Math.Round(s.Share, 1))
            .ThenByDescending(s => s.Width)
            .First()
            .separator;
    }

    private static ForeignCell Typed(string? text) =>
        string.IsNullOrEmpty(text) ? new ForeignCell("")
        : Workbook.CellErrors.Contains(text) ? new ForeignCell(text, ForeignCellKind.Error)
        : new ForeignCell(ListWriter.Plain(text));

    private static IReadOnlyList<ForeignSheet> Json(string text, List<Fault> faults)
    {
        try
        {
            using var document = JsonDocument.Parse(text, new JsonDocumentOptions { MaxDepth = 8 });
            if (document.RootElement.ValueKind != JsonValueKind.Array)
            {
                Say(faults, "bad-json", "The JSON must be an array with one object for each account.");
                return [];
            }
            if (document.RootElement.GetArrayLength() >= MostRows)
            {
                TooMany(faults);
                return [];
            }
            var names = new List<string>();
            var at = new Dictionary<string, int>(StringComparer.Ordinal);
            var rows = new List<ForeignRow>();
            foreach (var item in document.RootElement.EnumerateArray())
            {
                if (item.ValueKind != JsonValueKind.Object)
                {
                    Say(faults, "bad-json", $"Element {rows.Count + 1} of the array is no object.", rows.Count + 2);
                    return [];
                }
                var cells = new List<ForeignCell>();
                foreach (var property in item.EnumerateObject())
                {
                    if (!at.TryGetValue(property.Name, out var column))
                    {
                        at[property.Name] = column = names.Count;
                        names.Add(property.Name);
                    }
                    if (column >= MostColumns)
                    {
                        Say(
                            faults,
                            "too-many-columns",
                            $"The objects have more than {MostColumns} names.",
                            rows.Count + 2
                        );
                        return [];
                    }
                    if (property.Value.ValueKind is JsonValueKind.Object or JsonValueKind.Array)
                    {
                        Say(
                            faults,
                            "bad-json",
                            $"Element {rows.Count + 1}: "
                                + $"'{(property.Name.Length > 40 ? property.Name[..40] : property.Name)}' holds a "
                                + "list or an object; only plain values are taken.",
                            rows.Count + 2
                        );
                        return [];
                    }
                    while (cells.Count <= column)
                        cells.Add(new ForeignCell(""));
                    cells[column] = property.Value.ValueKind switch
                    {
                        JsonValueKind.Null => new ForeignCell(""),
                        JsonValueKind.True => new ForeignCell("yes"),
                        JsonValueKind.False => new ForeignCell("no"),
                        JsonValueKind.Number => new ForeignCell(property.Value.GetRawText(), ForeignCellKind.Number),
                        _ => new ForeignCell(property.Value.GetString()!),
                    };
                }
                rows.Add(new ForeignRow(rows.Count + 2, cells));
            }
            return [new ForeignSheet("", [new ForeignRow(1, [.. names.Select(n => new ForeignCell(n))]), .. rows], [])];
        }
        catch (Exception e) when (e is JsonException or InvalidOperationException)
        {
            Say(faults, "bad-json", "This begins like JSON and is none, or it is damaged.");
            return [];
        }
    }

    private static void TooMany(List<Fault> faults) =>
        Say(
            faults,
            "too-many-rows",
            $"The file has more than {MostRows} rows: no chart is that long. Is it a list of postings?"
        );

    private static List<ForeignSheet> Book(byte[] file, List<Fault> faults)
    {
        var notes = new List<string>();
        try
        {
            using var archive = new ZipArchive(new MemoryStream(file), ZipArchiveMode.Read);
            if (archive.GetEntry("xl/workbook.xml") is null)
            {
                Say(faults, "not-a-workbook", "This is a zip, but no workbook. A bundle is brought in under Files.");
                return [];
            }
            if (WorkbookBounds.Exceeded(new MemoryStream(file)) is { } exceeded)
            {
                Say(faults, "too-large", $"The workbook has {exceeded}: nothing was read.");
                return [];
            }
            if (archive.Entries.Any(e => e.Name.Equals("vbaProject.bin", StringComparison.OrdinalIgnoreCase)))
                notes.Add("The workbook holds macros; they are not run.");
            if (
                archive.Entries.Any(e =>
                    e.FullName.StartsWith("xl/externalLink", StringComparison.OrdinalIgnoreCase)
                    || e.FullName.StartsWith("xl/externalReference", StringComparison.OrdinalIgnoreCase)
                )
            )
                notes.Add(
                    "The workbook has links to other files; they are not followed: cells count with the values last "
                        + "calculated."
                );
            using var reader = ExcelReaderFactory.CreateOpenXmlReader(new MemoryStream(file));
            var marks = CellMarks.Of(new MemoryStream(file));
            var sheets = new List<ForeignSheet>();
            do
            {
                if (reader.VisibleState == "visible" && reader.Name != Workbook.Legend)
                {
                    if (
                        Sheet(reader, marks.GetValueOrDefault(reader.Name) ?? CellMarks.None, notes, faults)
                        is not { } sheet
                    )
                        return [];
                    sheets.Add(sheet);
                }
            } while (reader.NextResult());
            return sheets;
        }
        catch (Exception e) when (e is not OutOfMemoryException)
        {
            // Neither library names its exceptions for damaged parts: whatever is thrown, the file cannot be read.
            Say(faults, "not-a-workbook", "This is no workbook (.xlsx), or it is damaged.");
            return [];
        }
    }

    private static ForeignSheet? Sheet(IExcelDataReader reader, CellMarks marks, List<string> notes, List<Fault> faults)
    {
        var rows = new List<ForeignRow>();
        var merged = reader.MergeCells ?? [];
        while (reader.Read())
        {
            if (rows.Count == MostRows)
            {
                TooMany(faults);
                return null;
            }
            var width = Math.Min(reader.FieldCount, MostColumns);
            var cells = new ForeignCell[width];
            var indents = new int[width];
            for (var i = 0; i < width; i++)
            {
                cells[i] = marks.Errors.Contains((reader.Depth + 1, i))
                    ? new ForeignCell("#", ForeignCellKind.Error)
                    : Cell(reader.GetValue(i));
                if (!cells[i].Empty)
                    indents[i] = marks.Indents.GetValueOrDefault((reader.Depth + 1, i));
            }
            // A format that somebody gave to a whole column makes a million rows of nothing.
            if (!cells.All(c => c.Empty))
                rows.Add(new ForeignRow(reader.Depth + 1, cells, indents.Any(i => i > 0) ? indents : null));
        }
        // One value over several rows counts for each of them; over several columns it is a title and stays where it
        // is.
        var filled = 0;
        var byLine = merged.Length == 0 || rows.Count == 0 ? [] : rows.ToDictionary(r => r.Line);
        foreach (
            var range in merged.Where(m =>
                m.ToRow > m.FromRow && m.FromColumn == m.ToColumn && m.FromColumn < MostColumns
            )
        )
        {
            if (!byLine.TryGetValue(range.FromRow + 1, out var first) || first[range.FromColumn].Empty)
                continue;
            for (var line = range.FromRow + 2; line <= Math.Min(range.ToRow + 1, rows[^1].Line); line++)
                if (
                    byLine.TryGetValue(line, out var row)
                    && row.Cells is ForeignCell[] own
                    && range.FromColumn < own.Length
                    && own[range.FromColumn].Empty
                    && !row.Empty
                )
                {
                    own[range.FromColumn] = first[range.FromColumn];
                    filled++;
                }
        }
        return new ForeignSheet(
            reader.Name,
            rows,
            filled == 0
                ? [.. notes]
                : [.. notes, $"{filled} cells that are merged with the one above them have its value."]
        );
    }

    private static ForeignCell Cell(object? value) =>
        value switch
        {
            null => new ForeignCell(""),
            string text => Typed(text),
            double number when number is > -1e15 and < 1e15 => new ForeignCell(
                ((decimal)number).ToString("0.##########", CultureInfo.InvariantCulture),
                ForeignCellKind.Number
            ),
            double number => new ForeignCell(
                number.ToString("R", CultureInfo.InvariantCulture),
                ForeignCellKind.Number
            ),
            bool truth => new ForeignCell(truth ? "yes" : "no"),
            DateTime at => new ForeignCell(
                at.ToString(at.TimeOfDay == default ? "yyyy-MM-dd" : "yyyy-MM-dd HH:mm", CultureInfo.InvariantCulture),
                ForeignCellKind.Date
            ),
            TimeSpan time => new ForeignCell(time.ToString("c", CultureInfo.InvariantCulture), ForeignCellKind.Date),
            _ => new ForeignCell(Convert.ToString(value, CultureInfo.InvariantCulture) ?? ""),
        };
}
