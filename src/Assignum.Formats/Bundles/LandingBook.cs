using System.Text.Json;
using Assignum.Core;
using Assignum.Core.Landing;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Formats.Lists;
using DocumentFormat.OpenXml;
using DocumentFormat.OpenXml.Packaging;
using ExcelDataReader;

namespace Assignum.Formats.Bundles;

/// <summary>A row of where things land: a purpose, alone or with one more value.</summary>
/// <param name="Band">The part of life that it belongs to, for the eye.</param>
/// <param name="Cells">For each column the account that results (null: none), and whether it is assigned right
/// there.</param>
public sealed record LandingLine(
    string Band,
    string Purpose,
    KeyPart? With,
    IReadOnlyList<(string? Account, bool Own)> Cells
);

/// <summary>
/// Where groups or records land as a workbook that is edited and brought back: purposes down, groups or records across.
/// A cell that comes
/// back changed is an assignment at that place; one of its own that comes back empty is an assignment that goes; what
/// was inherited and is
/// left alone, or emptied, is no assignment. Rows and columns that were deleted say nothing.
/// </summary>
public static class LandingBook
{
    /// <summary>The sheet that is edited.</summary>
    public const string Name = "life-cycle";

    // How a column's code and its name stand in the header.
    private const string Between = " · ";
    private static readonly string[] Fixed = ["band" + ViewBook.NotRead, "purpose", "with", "with_code"];

    private static readonly string[] HowTo =
    [
        "Change cells and bring the workbook back on the page of assignments from a spreadsheet. Nothing changes "
            + "before you have seen what would.",
        "Bold accounts are assigned right there; grey ones are inherited. Write an account in a cell and it gets an "
            + "assignment of its own; empty a bold one and it inherits again.",
        "Accounts can be written as number, short code, name, or path from the top of the chart: Assets › Stock › "
            + "Instruments.",
        "Rows and columns that you delete stay as they are here. Rows can be added: a purpose, and what it is "
            + "crossed with in 'with' and 'with_code'.",
        "What others changed meanwhile is told as a conflict.",
    ];

    /// <summary>Writes a view.</summary>
    /// <param name="across">What the columns fill of an assignment's key.</param>
    public static void Write(
        SetUp setUp,
        Dimension across,
        IReadOnlyList<(string Code, string Name)> columns,
        IReadOnlyList<LandingLine> lines,
        Stream to
    )
    {
        using var book = SpreadsheetDocument.Create(to, SpreadsheetDocumentType.Workbook);
        var workbook = XlsxSheet.Begin(book);
        var range = $"'{Parts.Accounts.Name}'!$A$2:$A${setUp.Accounts.Count + 1}";
        ValueList[] lists =
            setUp.Accounts.Count == 0
                ? []
                : [.. columns.Select((_, i) => new ValueList(Fixed.Length + i, range, false))];
        XlsxSheet.Add(
            workbook,
            Name,
            [.. Fixed, .. columns.Select(c => c.Code + Between + c.Name)],
            lines.Select(l =>
                (object?[])
                    [
                        l.Band,
                        l.Purpose,
                        l.With is { } w ? Words.Of(w.Dimension) : null,
                        l.With?.Value,
                        .. l.Cells.Select(c =>
                            c.Account is null ? null : new Toned(c.Account, c.Own ? Tone.Firm : Tone.Light)
                        ),
                    ]
            ),
            lists
        );
        ViewBook.AddAccounts(workbook, setUp);
        XlsxSheet.Add(
            workbook,
            Workbook.Legend,
            ["purpose", "what it is for", "", "how to"],
            Enumerable
                .Range(0, Math.Max(Purposes.All.Count, HowTo.Length))
                .Select(i =>
                    (object?[])
                        [
                            Purposes.All.ElementAtOrDefault(i)?.Name,
                            Purposes.All.ElementAtOrDefault(i)?.Explain,
                            null,
                            HowTo.ElementAtOrDefault(i),
                        ]
                ),
            []
        );
        // Beside each other: the assignments that are shown as their own, and all that is shown.
        var own = lines
            .SelectMany(l => columns.Select((c, i) => (l.Cells[i].Own, Key: KeyOf(l.Purpose, across, c.Code, l.With))))
            .Where(c => c.Own)
            .Select(c => Parts.Assignments.Row(setUp, c.Key))
            .OfType<string?[]>()
            .Select(r => JsonSerializer.Serialize(r))
            .ToList();
        var shown = lines
            .Select(l =>
                JsonSerializer.Serialize(
                    (string?[])
                        [
                            l.Purpose,
                            l.With is { } w ? Words.Of(w.Dimension) : null,
                            l.With?.Value,
                            .. l.Cells.Select(c => c.Account),
                        ]
                )
            )
            .ToList();
        XlsxSheet.Add(
            workbook,
            ViewBook.Taken,
            [setUp.Entity.Code, Name, Words.Of(across), .. columns.Select(c => c.Code)],
            Enumerable
                .Range(0, Math.Max(own.Count, shown.Count))
                .Select(i => (object?[])[own.ElementAtOrDefault(i), shown.ElementAtOrDefault(i)]),
            [],
            new SheetLook(Hidden: true)
        );
    }

    /// <summary>What a view showed when it was taken out.</summary>
    internal sealed record Seen(
        Dimension Across,
        IReadOnlyList<string> Columns,
        Dictionary<(string Purpose, string? With, string? Code), string?[]> Rows
    );

    /// <summary>Reads what was shown, beside the assignments; null where nothing can be made of it.</summary>
    internal static Seen? ReadSeen(IReadOnlyList<string> header, IEnumerable<string> texts)
    {
        if (header.Count < 4 || !Words.TryParse<Dimension>(header[2], out var across) || across == Dimension.Line)
            return null;
        string[] columns = [.. header.Skip(3)];
        var rows = new Dictionary<(string, string?, string?), string?[]>();
        foreach (var text in texts)
        {
            try
            {
                if (
                    JsonSerializer.Deserialize<string?[]>(text) is not { } cells
                    || cells.Length != columns.Length + 3
                    || cells[0] is null
                )
                    return null;
                if (!rows.TryAdd((cells[0]!, cells[1], cells[2]), cells[3..]))
                    return null;
            }
            catch (JsonException)
            {
                return null;
            }
        }
        return new Seen(across, columns, rows);
    }

    /// <summary>The sheet as it comes back: its first line, and the cells of the others by line.</summary>
    /// <param name="Errors">Cells that hold an error of the spreadsheet, by line and column.</param>
    internal sealed record Grid(
        string[] Header,
        List<(int Line, string?[] Cells)> Rows,
        IReadOnlySet<(int, int)> Errors
    );

    /// <summary>Reads the sheet cell by cell.</summary>
    internal static Grid ReadGrid(IExcelDataReader reader, IReadOnlySet<(int, int)> errors)
    {
        string[] header = reader.Read()
            ? [.. Enumerable.Range(0, reader.FieldCount).Select(i => reader.GetValue(i)?.ToString() ?? "")]
            : [];
        var rows = new List<(int, string?[])>();
        while (reader.Read() && rows.Count < CsvSheet.MostRows)
            rows.Add(
                (
                    reader.Depth + 1,
                    [
                        .. Enumerable
                            .Range(0, reader.FieldCount)
                            .Select(i => Workbook.Cell(reader.GetValue(i), CellType.Text)),
                    ]
                )
            );
        return new Grid(header, rows, errors);
    }

    /// <summary>Makes rows of assignments of what came back.</summary>
    /// <param name="own">Assignments that were shown as their own when the view was taken out.</param>
    internal static Sheet? AsAssignments(Grid grid, Seen seen, IReadOnlyList<string?[]> own, List<Fault> faults)
    {
        var header = grid.Header;
        void Fault(int line, string column, string code, string message) =>
            faults.Add(new Fault(Name, line, column, code, message));
        int At(string name) => Array.FindIndex(header, h => h.Trim() == name);
        var (purposeAt, withAt, codeAt) = (At("purpose"), At("with"), At("with_code"));
        if (purposeAt < 0)
        {
            Fault(
                1,
                "purpose",
                "missing-column",
                "The sheet lacks the column 'purpose': take the view out again and edit that."
            );
            return null;
        }
        var columns = new List<(int At, int Seen)>();
        for (var i = 0; i < header.Length; i++)
        {
            if (
                i == purposeAt
                || i == withAt
                || i == codeAt
                || header[i].Length == 0
                || header[i].EndsWith(ViewBook.NotRead, StringComparison.Ordinal)
            )
                continue;
            var number = -1;
            for (var c = 0; c < seen.Columns.Count && number < 0; c++)
                if (
                    header[i] == seen.Columns[c]
                    || header[i].StartsWith(seen.Columns[c] + Between, StringComparison.Ordinal)
                )
                    number = c;
            if (number < 0)
                Fault(
                    1,
                    header[i],
                    "unknown-column",
                    $"'{header[i]}' was no column of this view. To see more side by side, take the view out with it."
                );
            else if (columns.Any(c => c.Seen == number))
                Fault(1, header[i], "duplicate-column", $"The column '{header[i]}' is there twice.");
            else
                columns.Add((i, number));
        }
        var part = Parts.Assignments;
        var before = own.ToDictionary(part.KeyOf, StringComparer.Ordinal);
        var rows = new List<(int, string?[])>();
        var places = new Dictionary<string, string>(StringComparer.Ordinal);
        var told = new HashSet<(string, string?, string?)>();
        var left = new Dictionary<string, string?[]>(before, StringComparer.Ordinal);
        foreach (var (line, cells) in grid.Rows)
        {
            string? Cell(int at) =>
                at < 0 || at >= cells.Length || string.IsNullOrWhiteSpace(cells[at]) ? null : cells[at]!.Trim();
            if (cells.All(string.IsNullOrWhiteSpace))
                continue;
            if (Cell(purposeAt) is not { } purpose || Purposes.Find(purpose) is null)
            {
                Fault(
                    line,
                    "purpose",
                    "unknown-purpose",
                    Cell(purposeAt) is { } wrong
                        ? $"'{wrong}' is no purpose; the legend lists them."
                        : "This line has no purpose."
                );
                continue;
            }
            KeyPart? with = null;
            if (Cell(withAt) is { } dimension)
            {
                if (
                    !Words.TryParse<Dimension>(dimension, out var beside)
                    || beside == Dimension.Line
                    || beside == seen.Across
                )
                {
                    Fault(
                        line,
                        "with",
                        "unknown-dimension",
                        $"'{dimension}' is nothing that stands beside {Words.Of(seen.Across)} here."
                    );
                    continue;
                }
                if (Cell(codeAt) is not { } code)
                {
                    Fault(line, "with_code", "missing", $"Say which {dimension.Replace('-', ' ')} in with_code.");
                    continue;
                }
                with = new KeyPart(beside, code);
            }
            else if (Cell(codeAt) is not null)
            {
                Fault(line, "with", "missing", "Say in 'with' what with_code is.");
                continue;
            }
            var row = (purpose, with is { } w ? Words.Of(w.Dimension) : null, with?.Value);
            if (!told.Add(row))
            {
                Fault(line, "purpose", "duplicate-key", "This purpose stands here twice: keep one of the two lines.");
                continue;
            }
            var shown = seen.Rows.GetValueOrDefault(row);
            foreach (var (at, number) in columns)
            {
                if (grid.Errors.Contains((line, at)) || Cell(at) is { } text && Workbook.CellErrors.Contains(text))
                {
                    Fault(
                        line,
                        seen.Columns[number],
                        "cell-error",
                        "This cell holds an error of the spreadsheet, such as #REF!: give it a value."
                    );
                    continue;
                }
                var key = KeyOf(purpose, seen.Across, seen.Columns[number], with);
                if (Cell(at) == shown?[number])
                    continue;
                var had = before.GetValueOrDefault(key);
                if (Cell(at) is not { } account)
                {
                    left.Remove(key);
                    continue;
                }
                var made = had?.ToArray() ?? Cells(purpose, account, seen.Across, seen.Columns[number], with);
                made[Account] = account;
                left.Remove(key);
                places[key] = seen.Columns[number];
                rows.Add((line, made));
            }
        }
        // What was not touched stands as it was taken out.
        rows.AddRange(left.Values.Select(r => (0, r)));
        return new Sheet(part, Enumerable.Range(0, part.Columns.Count).ToHashSet(), rows) { Places = places };
    }

    private static readonly int Account = Parts.Assignments.Columns.ToList().FindIndex(c => c.Name == "account");

    private static string?[] Cells(string purpose, string account, Dimension across, string code, KeyPart? with) =>
        Parts.CellsOf(
            new Assignment(
                purpose,
                account,
                with is { } other ? [new KeyPart(across, code), other] : [new KeyPart(across, code)]
            )
        );

    private static string KeyOf(string purpose, Dimension across, string code, KeyPart? with) =>
        Parts.Assignments.KeyOf(Cells(purpose, "", across, code, with));
}
