using System.Text.Json;
using Assignum.Core;
using Assignum.Core.Chart;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Formats.Lists;
using DocumentFormat.OpenXml;
using DocumentFormat.OpenXml.Packaging;
using ExcelDataReader;

namespace Assignum.Formats.Bundles;

/// <summary>
/// A view of one part as a workbook that is edited and brought back: its rows with value lists and a frozen header, the
/// records that they can
/// name, a legend, and, out of sight, the rows as they were taken out, by which what changed on either side is told
/// apart.
/// </summary>
public static class ViewBook
{
    /// <summary>How the name of a column ends that is there for the eye alone.</summary>
    public const string NotRead = " (not read)";

    /// <summary>The sheet that keeps the rows as they were taken out.</summary>
    public const string Taken = "as taken out";

    // A value list of more rows than this helps nobody, and the workbook would carry them.
    private const int LongestList = 20_000;

    private static readonly string[] HowTo =
    [
        "Change cells, add rows below, delete rows that should go; then bring the workbook back on the page it came "
            + "from. Nothing changes before you have seen what would.",
        "Accounts can be written as number, short code, name, or path from the top of the chart: Assets › Stock › "
            + "Instruments.",
        "Columns whose name ends in (not read) are there to read only. Folded columns can be opened and filled.",
        "Rows that others changed meanwhile are told as conflicts; values such as a standard cost are shown apart "
            + "and taken only where you say so.",
    ];

    /// <summary>Writes rows of a part.</summary>
    /// <param name="rows">Canonical cells, as <see cref="Part.Write"/> gives them.</param>
    public static void Write(SetUp setUp, Part part, IReadOnlyList<string?[]> rows, Stream to)
    {
        using var book = SpreadsheetDocument.Create(to, SpreadsheetDocumentType.Workbook);
        var workbook = XlsxSheet.Begin(book);
        // What its columns can name, short enough to be chosen from.
        var named = part
            .Columns.Select(c => Parts.Refers(part, c.Name)?.Part)
            .OfType<Part>()
            .Distinct()
            .Where(p => p != part)
            .Select(p => (Part: p, Rows: p.Write(setUp)))
            .Where(p => p.Rows.Count is > 0 and <= LongestList)
            .ToList();
        var lists = named.ToDictionary(n => n.Part, n => n.Rows);
        lists[part] = rows;
        var names = setUp.Accounts.ToDictionary(a => a.Number, a => a.Name, StringComparer.Ordinal);
        int[] accounts =
        [
            .. Enumerable
                .Range(0, part.Columns.Count)
                .Where(i => Parts.Refers(part, part.Columns[i].Name)?.Part == Parts.Accounts && part != Parts.Accounts),
        ];
        // An account has its name beside it.
        var header = part
            .Columns.Select(c => c.Name)
            .Concat(accounts.Select(i => $"{part.Columns[i].Name} name{NotRead}"))
            .ToList();
        var folded = Enumerable
            .Range(0, part.Columns.Count)
            .Where(i =>
                !part.Columns[i].Required
                && rows.Count > 0
                && rows.All(r => r[i] is null || r[i] == part.Columns[i].Unset)
            )
            .ToHashSet();
        XlsxSheet.Add(
            workbook,
            part.Name,
            header,
            rows.Select(r =>
                (object?[])
                    [
                        .. Workbook.Cells(part, r),
                        .. accounts.Select(i => (object?)(r[i] is { } number ? names.GetValueOrDefault(number) : null)),
                    ]
            ),
            [.. Workbook.Lists(part, lists)],
            new SheetLook(Folded: folded)
        );
        foreach (var (other, others) in named)
        {
            if (other == Parts.Accounts)
                AddAccounts(workbook, setUp);
            else
                XlsxSheet.Add(
                    workbook,
                    other.Name,
                    [.. other.Columns.Select(c => c.Name)],
                    others.Select(r => Workbook.Cells(other, r)),
                    []
                );
        }
        var legend = Workbook.LegendRows([part]).ToList();
        for (var i = 0; i < HowTo.Length; i++)
            if (i < legend.Count)
                legend[i] = [.. legend[i], null, HowTo[i]];
            else
                legend.Add([null, null, null, null, null, null, null, null, null, null, HowTo[i]]);
        XlsxSheet.Add(
            workbook,
            Workbook.Legend,
            ["sheet", "column", "key", "needed", "holds", "words", "", "purpose", "what it is for", "", "how to"],
            legend,
            []
        );
        XlsxSheet.Add(
            workbook,
            Taken,
            [setUp.Entity.Code, part.Name],
            rows.Select(r => (object?[])[JsonSerializer.Serialize(r)]),
            [],
            new SheetLook(Hidden: true)
        );
    }

    /// <summary>The accounts that cells can name, with all that they can be called.</summary>
    internal static void AddAccounts(WorkbookPart workbook, SetUp setUp)
    {
        var words = new AccountWords(setUp.Accounts, setUp.FormerNumbers);
        XlsxSheet.Add(
            workbook,
            Parts.Accounts.Name,
            ["number", "name", "short_code", "path"],
            setUp
                .Accounts.OrderBy(a => a.Number, StringComparer.Ordinal)
                .Select(a => (object?[])[a.Number, a.Name, a.ShortCode, words.PathOf(a)]),
            []
        );
    }

    /// <summary>Reads a view that comes back; anything wrong is named in <paramref name="faults"/>, never
    /// thrown.</summary>
    /// <param name="taken">The rows as they were taken out; null where the workbook no longer says.</param>
    public static Sheet? Read(Stream bytes, Part part, List<Fault> faults, out IReadOnlyList<string?[]>? taken)
    {
        Sheet? sheet = null;
        taken = null;
        LandingBook.Grid? landings = null;
        LandingBook.Seen? seen = null;
        if (!WorkbookBounds.Hold(bytes, faults))
            return null;
        try
        {
            var marks = CellMarks.Of(bytes);
            bytes.Position = 0;
            System.Text.Encoding.RegisterProvider(System.Text.CodePagesEncodingProvider.Instance);
            using var reader = ExcelReaderFactory.CreateOpenXmlReader(
                bytes,
                new ExcelReaderConfiguration { LeaveOpen = true }
            );
            do
            {
                if (reader.Name == part.Name)
                    sheet = Workbook.ReadSheet(
                        part,
                        reader,
                        marks.GetValueOrDefault(reader.Name)?.Errors ?? CellMarks.None.Errors,
                        faults
                    );
                else if (part == Parts.Assignments && reader.Name == LandingBook.Name)
                    landings = LandingBook.ReadGrid(
                        reader,
                        marks.GetValueOrDefault(reader.Name)?.Errors ?? CellMarks.None.Errors
                    );
                else if (reader.Name == Taken)
                    (taken, seen) = ReadTaken(part, reader);
            } while (reader.NextResult());
        }
        catch (Exception e) when (e is not OutOfMemoryException)
        {
            // The reader names no exceptions for damaged parts: whatever it throws, the file cannot be read.
            faults.Add(new Fault("", 0, "", "not-a-workbook", "This is no workbook (.xlsx), or it is damaged."));
            return null;
        }
        if (sheet is null && landings is not null)
        {
            if (taken is null || seen is null)
                faults.Add(
                    new Fault(
                        LandingBook.Name,
                        0,
                        "",
                        "not-compared",
                        "The workbook no longer says what it showed when it was taken out, so what was changed in it "
                            + "cannot be told. Download the accounts by stage again and change that."
                    )
                );
            else
                sheet = LandingBook.AsAssignments(landings, seen, taken, faults);
        }
        if (sheet is null && faults.Count == 0)
            faults.Add(
                new Fault(
                    part.Name,
                    0,
                    "",
                    "missing-sheet",
                    $"The workbook has no sheet '{part.Name}': take the view out again and edit that."
                )
            );
        return sheet;
    }

    // A sheet that somebody tampered with says nothing: then what is here counts as what was taken out.
    private static (List<string?[]>? Rows, LandingBook.Seen? Seen) ReadTaken(Part part, IExcelDataReader reader)
    {
        var rows = new List<string?[]>();
        if (!reader.Read())
            return default;
        string[] header = [.. Enumerable.Range(0, reader.FieldCount).Select(i => reader.GetValue(i)?.ToString() ?? "")];
        var shown = new List<string>();
        while (reader.Read())
        {
            if (reader.FieldCount > 1 && reader.GetValue(1)?.ToString() is { Length: > 0 } beside)
                shown.Add(beside);
            if (reader.GetValue(0)?.ToString() is not { Length: > 0 } text)
                continue;
            try
            {
                if (JsonSerializer.Deserialize<string?[]>(text) is not { } cells || cells.Length != part.Columns.Count)
                    return default;
                rows.Add(cells);
            }
            catch (JsonException)
            {
                return default;
            }
        }
        if (rows.Select(part.KeyOf).Distinct(StringComparer.Ordinal).Count() != rows.Count)
            return default;
        return (rows, header.Length > 1 && header[1] == LandingBook.Name ? LandingBook.ReadSeen(header, shown) : null);
    }
}
