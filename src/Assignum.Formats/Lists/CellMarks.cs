using DocumentFormat.OpenXml;
using DocumentFormat.OpenXml.Packaging;
using DocumentFormat.OpenXml.Spreadsheet;

namespace Assignum.Formats.Lists;

/// <summary>
/// What a workbook says of cells beside their values, which the reader of values leaves out: how far their format
/// indents
/// them (ECMA-376 part 1, 18.8.1) and which hold an error of the spreadsheet (18.18.11). Lines count from 1, columns
/// from 0.
/// </summary>
internal sealed record CellMarks(
    IReadOnlyDictionary<(int Line, int Column), int> Indents,
    IReadOnlySet<(int Line, int Column)> Errors
)
{
    /// <summary>Nothing stands in and nothing is wrong.</summary>
    public static readonly CellMarks None = new(new Dictionary<(int, int), int>(), new HashSet<(int, int)>());

    /// <summary>The marks of each sheet that has any, by its name. What cannot be read has none: the reader of values
    /// says so.</summary>
    public static IReadOnlyDictionary<string, CellMarks> Of(Stream file)
    {
        var sheets = new Dictionary<string, CellMarks>(StringComparer.Ordinal);
        try
        {
            file.Position = 0;
            using var book = SpreadsheetDocument.Open(file, false);
            var workbook = book.WorkbookPart!;
            var formats = workbook
                .WorkbookStylesPart?.Stylesheet?.CellFormats?.Elements<CellFormat>()
                .Select(f => (int)(f.Alignment?.Indent?.Value ?? 0))
                .ToArray()
                ?? [];
            var indented = formats.Any(i => i > 0);
            foreach (var sheet in workbook.Workbook!.Sheets!.Elements<Sheet>())
                if (
                    sheet is { Id.Value: { } id, Name.Value: { } name }
                    && workbook.GetPartById(id) is WorksheetPart part
                    && (indented || HoldsErrors(part))
                )
                    sheets[name] = Marks(part, formats);
        }
        catch (Exception e) when (e is not OutOfMemoryException)
        {
            // This library names no exceptions for damaged parts.
            return new Dictionary<string, CellMarks>();
        }
        return sheets;
    }

    // Large sheets are read a second time only where there is something to find.
    private static bool HoldsErrors(WorksheetPart part)
    {
        using var stream = part.GetStream(FileMode.Open, FileAccess.Read);
        var buffer = new byte[1 << 16];
        var kept = 0;
        for (int read; (read = stream.Read(buffer, kept, buffer.Length - kept)) > 0; )
        {
            var have = buffer.AsSpan(0, kept + read);
            if (have.IndexOf("t=\"e\""u8) >= 0 || have.IndexOf("t='e'"u8) >= 0)
                return true;
            kept = Math.Min(4, have.Length);
            have[^kept..].CopyTo(buffer);
        }
        return false;
    }

    private static CellMarks Marks(WorksheetPart part, int[] formats)
    {
        var (indents, errors) = (new Dictionary<(int, int), int>(), new HashSet<(int, int)>());
        using var reader = OpenXmlReader.Create(part);
        while (reader.Read())
        {
            if (reader.ElementType != typeof(Cell) || !reader.IsStartElement)
                continue;
            var (at, style, error) = ((string?)null, 0, false);
            foreach (var attribute in reader.Attributes)
                if (attribute.LocalName == "r")
                    at = attribute.Value;
                else if (attribute.LocalName == "s" && int.TryParse(attribute.Value, out var number))
                    style = number;
                else if (attribute.LocalName == "t")
                    error = attribute.Value == "e";
            if (at is null || Place(at) is not { } place)
                continue;
            if (error)
                errors.Add(place);
            if (style > 0 && style < formats.Length && formats[style] > 0)
                indents[place] = formats[style];
        }
        return new CellMarks(indents, errors);
    }

    // B12 is line 12, column 1.
    private static (int Line, int Column)? Place(string reference)
    {
        var letters = reference.TakeWhile(char.IsAsciiLetterUpper).ToArray();
        return letters.Length is > 0 and < 4 && int.TryParse(reference.AsSpan(letters.Length), out var line)
            ? (line, letters.Aggregate(0, (n, c) => n * 26 + c - 'A' + 1) - 1)
            : null;
    }
}
