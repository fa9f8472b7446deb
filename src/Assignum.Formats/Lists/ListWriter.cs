using System.Globalization;
using Assignum.Formats.Bundles;
using DocumentFormat.OpenXml;
using DocumentFormat.OpenXml.Packaging;

namespace Assignum.Formats.Lists;

/// <summary>Lists of pages as files for people: formulas are neutralised, numbers stay numbers.</summary>
public static class ListWriter
{
    /// <summary>Text that a spreadsheet would run is led by an apostrophe; numbers and other text stay as they are.
    /// <see cref="Plain"/> turns it back.</summary>
    public static string Neutral(string text) => Runs(text) ? "'" + text : text;

    /// <summary>Takes away the apostrophe that <see cref="Neutral"/> put before text.</summary>
    public static string Plain(string text) => text.StartsWith('\'') && Runs(text) ? text[1..] : text;

    // Also what is led by apostrophes already, so that each text is written in one way only.
    private static bool Runs(string text) =>
        text.TrimStart('\'') is { Length: > 0 } rest && rest[0] is '=' or '+' or '-' or '@' or '\t' or '\r';

    /// <summary>CSV with a header, UTF-8, RFC 4180.</summary>
    public static void Csv(IReadOnlyList<string> header, IEnumerable<object?[]> rows, Stream to)
    {
        using var writer = new StreamWriter(to, CsvSheet.Utf8, leaveOpen: true) { NewLine = "\r\n" };
        using var csv = new CsvHelper.CsvWriter(writer, CultureInfo.InvariantCulture);
        foreach (var name in header)
            csv.WriteField(Neutral(name));
        csv.NextRecord();
        foreach (var row in rows)
        {
            foreach (var cell in row)
                csv.WriteField(cell is string text ? Neutral(text) : Text(cell));
            csv.NextRecord();
        }
    }

    /// <summary>A workbook of one sheet with a frozen header and a filter.</summary>
    public static void Xlsx(string sheetName, IReadOnlyList<string> header, IEnumerable<object?[]> rows, Stream to)
    {
        using var book = SpreadsheetDocument.Create(to, SpreadsheetDocumentType.Workbook);
        XlsxSheet.Add(XlsxSheet.Begin(book), sheetName, header, rows, []);
    }

    private static string Text(object? value) =>
        value switch
        {
            null => "",
            DateOnly day => day.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture),
            IFormattable formattable => formattable.ToString(null, CultureInfo.InvariantCulture),
            _ => new string([.. value.ToString()!.Where(c => !char.IsControl(c) || c is '\n' or '\t')]),
        };
}
