using System.IO.Compression;
using Assignum.Core;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Formats.Lists;

namespace Assignum.Formats.Bundles;

/// <summary>The configuration bundle: a zip or a folder of CSV files, one a part, or a <see
/// cref="Workbook"/>.</summary>
public static class Bundle
{
    /// <summary>Most bytes a bundle may unpack to.</summary>
    public const long LargestUnpacked = 256L << 20;

    /// <summary>Most rows taken, over all files.</summary>
    public const int MostRows = 1_000_000;

    /// <summary>Most files in a bundle.</summary>
    public const int MostFiles = 100;

    // The zip format cannot say less than 1980; a fixed time makes equal bundles equal bytes.
    private static readonly DateTimeOffset FixedTime = new(1980, 1, 1, 0, 0, 0, TimeSpan.Zero);

    /// <summary>Reads a zip of CSV files, or a workbook, whichever it is. Anything wrong is named in <paramref
    /// name="faults"/>, never thrown.</summary>
    public static IReadOnlyList<Sheet> FromFile(Stream file, List<Fault> faults)
    {
        var sheets = new List<Sheet>();
        var isWorkbook = false;
        try
        {
            using var archive = new ZipArchive(file, ZipArchiveMode.Read, leaveOpen: true);
            isWorkbook = archive.GetEntry("xl/workbook.xml") is not null;
            if (archive.Entries.Count > MostFiles)
            {
                faults.Add(
                    new Fault(
                        "",
                        0,
                        "",
                        "too-many-files",
                        $"The bundle has {archive.Entries.Count} files; at most {MostFiles} are taken."
                    )
                );
                return [];
            }
            // A zip says what it unpacks to and may lie: the bytes are counted as they come.
            var budget = new Budget(LargestUnpacked);
            if (!isWorkbook)
                foreach (var entry in archive.Entries.Where(e => e.Name.Length > 0))
                {
                    using var bytes = entry.Open();
                    Add(entry.Name, new CountedStream(bytes, budget), sheets, faults);
                    if (sheets.Sum(s => s.Rows.Count) > MostRows)
                    {
                        faults.Add(
                            new Fault("", 0, "", "too-many-rows", $"The bundle has more than {MostRows} rows in all.")
                        );
                        return [];
                    }
                }
        }
        catch (InvalidDataException)
        {
            faults.Add(
                new Fault(
                    "",
                    0,
                    "",
                    "not-a-zip",
                    "This is neither a zip archive nor a workbook (.xlsx), or it is damaged."
                )
            );
        }
        catch (TooLargeException)
        {
            faults.Add(
                new Fault(
                    "",
                    0,
                    "",
                    "too-large",
                    $"The bundle unpacks to more than {LargestUnpacked >> 20} MB: nothing was read."
                )
            );
            return [];
        }
        if (!isWorkbook)
            return sheets;
        return Workbook.Read(file, faults);
    }

    /// <summary>Reads every CSV file of a folder.</summary>
    public static IReadOnlyList<Sheet> FromFolder(string folder, List<Fault> faults)
    {
        var sheets = new List<Sheet>();
        foreach (var path in Directory.EnumerateFiles(folder, "*.csv").Order(StringComparer.Ordinal))
        {
            using var bytes = File.OpenRead(path);
            Add(Path.GetFileName(path), bytes, sheets, faults);
        }
        return sheets;
    }

    /// <summary>Writes a set-up as a zip: files in alphabetical order, fixed times, the same bytes every
    /// time.</summary>
    public static void ToZip(SetUp setUp, Stream to)
    {
        using var archive = new ZipArchive(to, ZipArchiveMode.Create, leaveOpen: true);
        foreach (var part in Parts.All.OrderBy(p => p.Name, StringComparer.Ordinal))
        {
            var entry = archive.CreateEntry(part.Name + ".csv", CompressionLevel.Optimal);
            entry.LastWriteTime = FixedTime;
            using var bytes = entry.Open();
            CsvSheet.Write(part, part.Write(setUp), bytes);
        }
    }

    private static void Add(string fileName, Stream bytes, List<Sheet> sheets, List<Fault> faults)
    {
        var name = Path.GetFileNameWithoutExtension(fileName);
        if (!fileName.EndsWith(".csv", StringComparison.OrdinalIgnoreCase) || Parts.Find(name) is not { } part)
        {
            faults.Add(
                new Fault(
                    Cut(fileName),
                    0,
                    "",
                    "unknown-file",
                    $"'{Cut(fileName)}' is no file of a bundle; the files are "
                        + $"{string.Join(", ", Parts.All.Select(p => p.Name + ".csv"))}."
                )
            );
            return;
        }
        if (sheets.Any(s => s.Part == part))
        {
            faults.Add(new Fault(name, 0, "", "duplicate-file", $"{name}.csv is in the bundle twice."));
            return;
        }
        if (CsvSheet.Read(part, bytes, faults) is { } sheet)
            sheets.Add(sheet);
    }

    private static string Cut(string text) => text.Length > 60 ? text[..60] + "…" : text;
}
