using System.Globalization;
using System.Text;
using Assignum.Core;
using Assignum.Core.Tables;
using CsvHelper;
using CsvHelper.Configuration;

namespace Assignum.Formats.Bundles;

/// <summary>CSV by RFC 4180 with a header row: bytes to the rows of a part and back.</summary>
public static class CsvSheet
{
    /// <summary>Longest cell taken, in characters.</summary>
    public const int LongestCell = 65_536;

    /// <summary>Most rows taken from one file.</summary>
    public const int MostRows = 1_000_000;

    // Whoever has so many mends the first of them.
    private const int MostFaults = 10_000;

    /// <summary>Text that is not UTF-8 is an error, not a guess.</summary>
    public static readonly UTF8Encoding Utf8 = new(encoderShouldEmitUTF8Identifier: false, throwOnInvalidBytes: true);

    /// <summary>Reads a part's file. Faults of form go to <paramref name="faults"/>; null when the file cannot be read
    /// at all.</summary>
    public static Sheet? Read(Part part, Stream bytes, List<Fault> faults)
    {
        void Fault(int row, string column, string code, string message) =>
            faults.Add(new Fault(part.Name, row, column, code, message));
        var settings = new CsvConfiguration(CultureInfo.InvariantCulture)
        {
            Delimiter = ",",
            Mode = CsvMode.RFC4180,
            BadDataFound = null,
            MaxFieldSize = LongestCell,
            LineBreakInQuotedFieldIsBadData = false,
            AllowComments = false,
            TrimOptions = TrimOptions.None,
            IgnoreBlankLines = true,
            DetectDelimiter = false,
        };
        using var text = new StreamReader(bytes, Utf8, detectEncodingFromByteOrderMarks: false, leaveOpen: true);
        using var parser = new CsvParser(text, settings);
        try
        {
            if (!parser.Read())
            {
                Fault(0, "", "empty-file", $"{part.Name}.csv is empty: its first line must name the columns.");
                return null;
            }
            if (HeaderRow.Read(part, part.Name + ".csv", parser.Record!, faults) is not { } header)
                return null;
            var rows = new List<(int, string?[])>();
            while (parser.Read())
            {
                if (faults.Count > MostFaults)
                    return null;
                if (rows.Count == MostRows)
                {
                    Fault(parser.RawRow, "", "too-many-rows", $"{part.Name}.csv has more than {MostRows} rows.");
                    return null;
                }
                if (header.Cells(parser.RawRow, parser.Count, i => parser[i], faults) is { } cells)
                    rows.Add((parser.RawRow, cells));
            }
            return new Sheet(part, header.Known, rows);
        }
        catch (DecoderFallbackException)
        {
            Fault(0, "", "not-utf8", $"{part.Name}.csv is not UTF-8 text: save it as CSV UTF-8.");
        }
        catch (MaxFieldSizeException)
        {
            Fault(
                parser.RawRow,
                "",
                "cell-too-long",
                $"A cell is longer than {LongestCell} characters, or a quotation mark is never closed."
            );
        }
        catch (CsvHelperException)
        {
            Fault(parser.RawRow, "", "bad-csv", "This line is no valid CSV: check its quotation marks.");
        }
        return null;
    }

    /// <summary>Writes a part of a set-up: header, then rows in file order, lines ending with LF.</summary>
    public static void Write(Part part, IEnumerable<string?[]> rows, Stream to)
    {
        using var writer = new StreamWriter(to, Utf8, leaveOpen: true) { NewLine = "\n" };
        using var csv = new CsvWriter(writer, Canonical, leaveOpen: true);
        foreach (var column in part.Columns)
            csv.WriteField(column.Name);
        csv.NextRecord();
        foreach (var row in rows)
        {
            foreach (var cell in row)
                csv.WriteField(cell);
            csv.NextRecord();
        }
    }

    // Quoted only where it has to be: equal set-ups give equal bytes.
    private static readonly CsvConfiguration Canonical = new(CultureInfo.InvariantCulture)
    {
        NewLine = "\n",
        ShouldQuote = field => field.Field.AsSpan().IndexOfAny(",\"\r\n") >= 0,
    };
}
