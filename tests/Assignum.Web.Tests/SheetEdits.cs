using System.IO.Compression;

namespace Assignum.Web.Tests;

/// <summary>Edits of a workbook as a spreadsheet program makes them, in the sheet that people see.</summary>
internal static class SheetEdits
{
    /// <summary>The workbook with cells replaced, as they stand in its first sheet.</summary>
    public static byte[] Replace(byte[] book, params (string Was, string Is)[] cells)
    {
        using var result = new MemoryStream();
        using (var to = new ZipArchive(result, ZipArchiveMode.Create, true))
        {
            using var from = new ZipArchive(new MemoryStream(book));
            foreach (var entry in from.Entries)
            {
                using var reader = new StreamReader(entry.Open());
                var text = reader.ReadToEnd();
                if (entry.FullName.EndsWith("worksheets/sheet1.xml", StringComparison.Ordinal))
                    foreach (var (was, now) in cells)
                    {
                        text.ShouldContain(was);
                        text = text.Replace(was, now, StringComparison.Ordinal);
                    }
                using var writer = new StreamWriter(to.CreateEntry(entry.FullName).Open());
                writer.Write(text);
            }
        }
        return result.ToArray();
    }
}
