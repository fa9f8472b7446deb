using System.Globalization;
using System.IO.Compression;
using System.Xml;

namespace Assignum.Formats.Lists;

/// <summary>
/// How much a workbook may hold, looked at before anything reads it: a few kilobytes can unpack to gigabytes, name row
/// 100,000,000, or have columns enough to keep a processor busy for minutes.
/// </summary>
internal static class WorkbookBounds
{
    private const long LargestPart = 128L << 20,
        LargestAll = 256L << 20,
        LargestStyles = 4L << 20;
    private const int MostParts = 500,
        MostColumns = 512,
        MostMerged = 2_000;

    // A format in the last row that a sheet can have is common, and leaves this many for the columns beside it.
    private const long MostCells = 40_000_000;

    private static readonly XmlReaderSettings Settings = new()
    {
        DtdProcessing = DtdProcessing.Prohibit,
        XmlResolver = null,
        IgnoreWhitespace = true,
        IgnoreComments = true,
        MaxCharactersFromEntities = 1,
    };

    /// <summary>Says what is more than is taken.</summary>
    /// <returns>Whether nothing is.</returns>
    public static bool Hold(Stream file, List<Core.Fault> faults)
    {
        if (Exceeded(file) is not { } exceeded)
            return true;
        faults.Add(new Core.Fault("", 0, "", "too-large", $"The workbook has {exceeded}: nothing was read."));
        return false;
    }

    /// <summary>What is more than is taken, in words; null: all of it is within bounds, or it is no workbook at all, which
    /// its reader says.</summary>
    public static string? Exceeded(Stream file)
    {
        var at = file.Position;
        try
        {
            using var archive = new ZipArchive(file, ZipArchiveMode.Read, leaveOpen: true);
            if (archive.Entries.Count > MostParts)
                return $"more than {MostParts} parts";
            var all = new Budget(LargestAll);
            foreach (var entry in archive.Entries)
            {
                var styles = entry.Name.Equals("styles.xml", StringComparison.OrdinalIgnoreCase);
                using var packed = entry.Open();
                using var counted = new CountedStream(
                    new CountedStream(packed, all),
                    new Budget(styles ? LargestStyles : LargestPart)
                );
                if (!entry.FullName.StartsWith("xl/worksheets/", StringComparison.OrdinalIgnoreCase))
                    counted.CopyTo(Stream.Null);
                else if (Sheet(counted) is { } exceeded)
                    return exceeded;
            }
            return null;
        }
        catch (TooLargeException)
        {
            return $"more than {LargestPart >> 20} MB in a part, {LargestStyles >> 20} MB of styles or "
                + $"{LargestAll >> 20} MB "
                + "in all, unpacked";
        }
        catch (Exception e) when (e is InvalidDataException or XmlException or IOException or NotSupportedException)
        {
            return null;
        }
        finally
        {
            file.Position = at;
        }
    }

    // Rows may be left out, and cells: what counts is the rectangle that a reader walks over.
    private static string? Sheet(Stream part)
    {
        using var xml = XmlReader.Create(part, Settings);
        var (rows, last, columns, merged, cells) = (0L, 0L, 0, 0, 0L);
        while (xml.Read())
        {
            if (xml.NodeType != XmlNodeType.Element)
                continue;
            switch (xml.LocalName)
            {
                case "row":
                    rows++;
                    if (xml.GetAttribute("r") is { } number)
                        last = long.TryParse(number, NumberStyles.None, CultureInfo.InvariantCulture, out var at)
                            ? Math.Max(last, at)
                            : long.MaxValue;
                    if (Math.Max(rows, last) > XlsxSheet.MostRows)
                        return $"more than {XlsxSheet.MostRows} rows in a sheet";
                    break;
                case "c":
                    cells++;
                    if (xml.GetAttribute("r") is { } place)
                        columns = Math.Max(columns, Column(place));
                    if (columns > MostColumns)
                        return $"more than {MostColumns} columns in a sheet";
                    break;
                case "mergeCell":
                    if (++merged > MostMerged)
                        return $"more than {MostMerged} merged cells in a sheet";
                    break;
            }
            if (Math.Max(cells, Math.Max(rows, last) * columns) > MostCells)
                return $"more than {MostCells} cells in a sheet";
        }
        return null;
    }

    private static int Column(string place)
    {
        var column = 0;
        foreach (var c in place)
            if (char.IsAsciiLetter(c) && column < 1_000_000)
                column = column * 26 + (char.ToUpperInvariant(c) - 'A' + 1);
            else
                break;
        return column;
    }
}
