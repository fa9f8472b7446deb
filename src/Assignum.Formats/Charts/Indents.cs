using DocumentFormat.OpenXml;
using DocumentFormat.OpenXml.Packaging;
using DocumentFormat.OpenXml.Spreadsheet;

namespace Assignum.Formats.Charts;

/// <summary>How far the format of a workbook's cells indents them (ECMA-376 part 1, 18.8.1): what people draw trees with.</summary>
internal static class Indents
{
    /// <summary>Nothing stands in.</summary>
    public static readonly IReadOnlyDictionary<(int Line, int Column), int> None = new Dictionary<(int, int), int>();

    /// <summary>The cells of each sheet that stand in, by sheet name; lines count from 1, columns from 0.</summary>
    public static IReadOnlyDictionary<string, IReadOnlyDictionary<(int Line, int Column), int>> Of(byte[] file)
    {
        var sheets = new Dictionary<string, IReadOnlyDictionary<(int, int), int>>(StringComparer.Ordinal);
        try
        {
            using var book = SpreadsheetDocument.Open(new MemoryStream(file), false);
            var workbook = book.WorkbookPart!;
            var formats = workbook.WorkbookStylesPart?.Stylesheet?.CellFormats?.Elements<CellFormat>().Select(f => (int)(f.Alignment?.Indent?.Value ?? 0)).ToArray() ?? [];
            if (formats.All(i => i == 0)) return sheets;
            foreach (var sheet in workbook.Workbook!.Sheets!.Elements<Sheet>())
                if (sheet is { Id.Value: { } id, Name.Value: { } name } && workbook.GetPartById(id) is WorksheetPart part) sheets[name] = Cells(part, formats);
        }
        catch (Exception e) when (e is not OutOfMemoryException)
        {
            // The values are read by another library; where this one cannot read the formats, nothing stands in.
            return new Dictionary<string, IReadOnlyDictionary<(int, int), int>>();
        }
        return sheets;
    }

    private static Dictionary<(int, int), int> Cells(WorksheetPart part, int[] formats)
    {
        var cells = new Dictionary<(int, int), int>();
        using var reader = OpenXmlReader.Create(part);
        while (reader.Read())
        {
            if (reader.ElementType != typeof(Cell) || !reader.IsStartElement) continue;
            var (at, style) = ((string?)null, 0);
            foreach (var attribute in reader.Attributes)
                if (attribute.LocalName == "r") at = attribute.Value;
                else if (attribute.LocalName == "s" && int.TryParse(attribute.Value, out var number)) style = number;
            if (at is not null && style > 0 && style < formats.Length && formats[style] > 0 && Place(at) is { } place) cells[place] = formats[style];
        }
        return cells;
    }

    // B12 is line 12, column 1.
    private static (int Line, int Column)? Place(string reference)
    {
        var letters = reference.TakeWhile(char.IsAsciiLetterUpper).ToArray();
        return letters.Length is > 0 and < 4 && int.TryParse(reference.AsSpan(letters.Length), out var line) ? (line, letters.Aggregate(0, (n, c) => n * 26 + c - 'A' + 1) - 1) : null;
    }
}
