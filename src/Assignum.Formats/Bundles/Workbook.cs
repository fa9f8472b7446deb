using System.Globalization;
using Assignum.Core;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Formats.Lists;
using DocumentFormat.OpenXml;
using DocumentFormat.OpenXml.Packaging;
using ExcelDataReader;

namespace Assignum.Formats.Bundles;

/// <summary>The bundle as one workbook: a sheet a file, with frozen headers and value lists, and a legend.</summary>
public static class Workbook
{
    /// <summary>Name of the sheet that explains the others; it is not read.</summary>
    public const string Legend = "legend";

    /// <summary>Media type of a workbook.</summary>
    public const string MediaType = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet";

    // A list written into a validation may have 255 characters (ECMA-376 part 1, 18.3.1.32).
    private const int LongestList = 255;

    // How a formula that fails shows (ECMA-376 part 1, 18.17.3).
    internal static readonly HashSet<string> CellErrors =
    [
        "#DIV/0!",
        "#N/A",
        "#NAME?",
        "#NULL!",
        "#NUM!",
        "#REF!",
        "#VALUE!",
        "#GETTING_DATA",
    ];

    // The reader asks for Windows' code page even where, as in .xlsx, all text is Unicode.
    static Workbook() => System.Text.Encoding.RegisterProvider(System.Text.CodePagesEncodingProvider.Instance);

    /// <summary>The part that has more rows than a sheet can hold, or null.</summary>
    public static Part? TooLong(SetUp setUp) =>
        Parts.All.FirstOrDefault(p => p.Write(setUp).Count >= XlsxSheet.MostRows);

    /// <summary>Writes a set-up, or some parts of it.</summary>
    public static void Write(SetUp setUp, Stream to, IReadOnlyList<Part>? parts = null)
    {
        parts ??= Parts.All;
        using var book = SpreadsheetDocument.Create(to, SpreadsheetDocumentType.Workbook);
        var workbook = XlsxSheet.Begin(book);
        var sheets = parts.ToDictionary(p => p, p => p.Write(setUp));
        foreach (var part in parts)
            XlsxSheet.Add(
                workbook,
                part.Name,
                [.. part.Columns.Select(c => c.Name)],
                sheets[part].Select(r => Cells(part, r)),
                [.. Lists(part, sheets)]
            );
        XlsxSheet.Add(
            workbook,
            Legend,
            ["sheet", "column", "key", "needed", "holds", "words", "", "purpose", "what it is for"],
            LegendRows(parts),
            []
        );
    }

    /// <summary>Reads a workbook. Anything wrong is named in <paramref name="faults"/>, never thrown.</summary>
    public static IReadOnlyList<Sheet> Read(Stream bytes, List<Fault> faults)
    {
        var sheets = new List<Sheet>();
        bytes.Position = 0;
        if (!WorkbookBounds.Hold(bytes, faults))
            return [];
        try
        {
            var marks = CellMarks.Of(bytes);
            bytes.Position = 0;
            using var reader = ExcelReaderFactory.CreateOpenXmlReader(
                bytes,
                new ExcelReaderConfiguration { LeaveOpen = true }
            );
            do
            {
                if (reader.Name == Legend)
                    continue;
                if (Parts.Find(reader.Name) is not { } part)
                    faults.Add(
                        new Fault(
                            Cut(reader.Name),
                            0,
                            "",
                            "unknown-file",
                            $"The workbook has a sheet '{Cut(reader.Name)}', which is no file of a bundle; the "
                                + $"sheets are {string.Join(", ", Parts.All.Select(p => p.Name))}."
                        )
                    );
                else if (
                    ReadSheet(
                        part,
                        reader,
                        marks.GetValueOrDefault(reader.Name)?.Errors ?? CellMarks.None.Errors,
                        faults
                    ) is
                    { } sheet
                )
                    sheets.Add(sheet);
            } while (reader.NextResult());
        }
        catch (Exception e) when (e is not OutOfMemoryException)
        {
            // The reader names no exceptions for damaged parts: whatever it throws, the file cannot be read.
            faults.Add(new Fault("", 0, "", "not-a-workbook", "This is no workbook (.xlsx), or it is damaged."));
            return [];
        }
        return sheets;
    }

    internal static Sheet? ReadSheet(
        Part part,
        IExcelDataReader reader,
        IReadOnlySet<(int, int)> errors,
        List<Fault> faults
    )
    {
        if (!reader.Read())
            return null;
        var names = Enumerable.Range(0, reader.FieldCount).Select(i => reader.GetValue(i)?.ToString() ?? "").ToList();
        while (names.Count > 0 && names[^1].Length == 0)
            names.RemoveAt(names.Count - 1);
        // What is there for the eye alone is not read.
        int[] read =
        [
            .. Enumerable
                .Range(0, names.Count)
                .Where(i => !names[i].EndsWith(ViewBook.NotRead, StringComparison.Ordinal)),
        ];
        names = [.. read.Select(i => names[i])];
        if (HeaderRow.Read(part, $"The sheet {part.Name}", names, faults) is not { } header)
            return null;
        var types = names.Select(n => part.Columns.FirstOrDefault(c => c.Name == n)?.Type ?? CellType.Text).ToArray();
        var rows = new List<(int, string?[])>();
        while (reader.Read())
        {
            if (rows.Count == CsvSheet.MostRows)
                break;
            var line = reader.Depth + 1;
            var broken = Enumerable
                .Range(0, names.Count)
                .FirstOrDefault(
                    i =>
                        errors.Contains((line, read[i]))
                        || reader.GetValue(read[i]) is string text && CellErrors.Contains(text),
                    -1
                );
            if (broken >= 0)
            {
                faults.Add(
                    new Fault(
                        part.Name,
                        line,
                        names[broken],
                        "cell-error",
                        "This cell holds an error of the spreadsheet, such as #REF!: give it a value."
                    )
                );
                continue;
            }
            if (Enumerable.Range(0, names.Count).All(i => reader.GetValue(read[i]) is null or ""))
                continue;
            if (header.Cells(line, names.Count, i => Cell(reader.GetValue(read[i]), types[i]), faults) is { } cells)
                rows.Add((line, cells));
        }
        return new Sheet(part, header.Known, rows);
    }

    // What a person types in a spreadsheet comes as a number, a day or a truth value; a cell of the bundle is text.
    internal static string? Cell(object? value, CellType type) =>
        value switch
        {
            null => null,
            string text => text,
            double number => ((decimal)number).ToString("0.##########", CultureInfo.InvariantCulture),
            bool truth => type == CellType.YesNo
                ? truth
                    ? "yes"
                    : "no"
                : truth
                    ? "TRUE"
                    : "FALSE",
            DateTime at => at.ToString(
                at.TimeOfDay == default ? "yyyy-MM-dd" : "yyyy-MM-ddTHH:mm:ss",
                CultureInfo.InvariantCulture
            ),
            IFormattable other => other.ToString(null, CultureInfo.InvariantCulture),
            _ => value.ToString(),
        };

    internal static object?[] Cells(Part part, string?[] row)
    {
        var cells = new object?[row.Length];
        for (var i = 0; i < row.Length; i++)
            cells[i] = row[i] is not { } text
                ? null
                : part.Columns[i].Type switch
                {
                    CellType.Whole => int.Parse(text, CultureInfo.InvariantCulture),
                    CellType.Date => DateOnly.ParseExact(text, "yyyy-MM-dd", CultureInfo.InvariantCulture),
                    // A spreadsheet's number has 15 digits; a longer one stays text and so stays exact.
                    CellType.Number
                        when (decimal)(double)decimal.Parse(text, CultureInfo.InvariantCulture)
                            == decimal.Parse(text, CultureInfo.InvariantCulture) => decimal.Parse(
                        text,
                        CultureInfo.InvariantCulture
                    ),
                    _ => text,
                };
        return cells;
    }

    internal static IEnumerable<ValueList> Lists(Part part, Dictionary<Part, IReadOnlyList<string?[]>> sheets)
    {
        for (var i = 0; i < part.Columns.Count; i++)
        {
            var column = part.Columns[i];
            if (
                column.Words.Count > 0
                && column.Words.Sum(w => w.Length + 1) <= LongestList
                && column.Name != "party_kinds"
            )
                yield return new ValueList(i, $"\"{string.Join(',', column.Words)}\"", true);
            else if (column.Name == "purpose" || (part, column.Name) == (Parts.Borrows, "from"))
                yield return new ValueList(i, $"{Legend}!$H$2:$H${Purposes.All.Count + 1}", true);
            else if ((part, column.Name) == (Parts.Policies, "policy"))
                yield return new ValueList(i, $"\"{string.Join(',', Core.SetUps.Policies.Known.Keys)}\"", true);
            else if (Parts.Refers(part, column.Name) is { } to && Range(to.Part, to.Kind, sheets) is { } range)
                yield return new ValueList(i, range, false);
        }
    }

    private static string? Range(Part part, GroupKind? kind, Dictionary<Part, IReadOnlyList<string?[]>> sheets)
    {
        if (!sheets.TryGetValue(part, out var rows))
            return null;
        var (first, count, column) = (0, rows.Count, "A");
        if (kind is { } of)
        {
            var word = Words.Of(of);
            first = rows.TakeWhile(r => r[0] != word).Count();
            (count, column) = (rows.Skip(first).TakeWhile(r => r[0] == word).Count(), "B");
        }
        return count == 0 ? null : $"'{part.Name}'!${column}${first + 2}:${column}${first + count + 1}";
    }

    internal static IEnumerable<object?[]> LegendRows(IReadOnlyList<Part> parts)
    {
        var columns = parts.SelectMany(p => p.Columns.Select(c => (Part: p, Column: c))).ToList();
        for (var i = 0; i < Math.Max(columns.Count, Purposes.All.Count); i++)
        {
            var row = new object?[9];
            if (i < columns.Count)
            {
                var (part, column) = columns[i];
                (row[0], row[1], row[2], row[3]) = (
                    part.Name,
                    column.Name,
                    column.Key ? "key" : null,
                    column.Required ? "needed" : null
                );
                (row[4], row[5]) = (
                    Words.Of(column.Type),
                    column.Words.Count == 0 ? null : string.Join(", ", column.Words)
                );
            }
            if (i < Purposes.All.Count)
                (row[7], row[8]) = (Purposes.All[i].Name, Purposes.All[i].Explain);
            yield return row;
        }
    }

    private static string Cut(string text) => text.Length > 60 ? text[..60] + "…" : text;
}
