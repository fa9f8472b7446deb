using Assignum.Core;
using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Formats.Bundles;
using CsCheck;
using DocumentFormat.OpenXml.Packaging;
using DocumentFormat.OpenXml.Spreadsheet;
using Control = Assignum.Core.Chart.Control;
using Dimension = Assignum.Core.Landing.Dimension;

namespace Assignum.Formats.Tests;

/// <summary>Where groups land, as a workbook that is edited and comes back as assignments.</summary>
public class LandingBooks
{
    private static readonly SetUp Small = SetUpDefaults.Empty(new Entity("SKERROW", "Skerrow", "EUR")) with
    {
        Accounts =
        [
            new("1400", "Stock", AccountClass.Asset, AccountKind.Posting, Control: Control.Stock),
            new("1410", "Rain stock", AccountClass.Asset, AccountKind.Posting, Control: Control.Stock),
            new("4000", "Sales", AccountClass.Revenue, AccountKind.Posting),
            new("4010", "Sales of barometers", AccountClass.Revenue, AccountKind.Posting),
            new("4020", "Sales to schools", AccountClass.Revenue, AccountKind.Posting),
        ],
        Groups =
        [
            new(GroupKind.Item, "BARO", "Barometers", null),
            new(GroupKind.Item, "RAIN", "Rain gauges", null),
            new(GroupKind.Customer, "SCHOOLS", "Schools", null),
        ],
        Assignments =
        [
            new("stock", "1400", []),
            new("sales-revenue", "4000", [new(Dimension.ItemGroup, "RAIN")], "since 2026"),
            new("sales-revenue", "4000", []),
        ],
    };

    private static readonly (string, string)[] Columns = [("BARO", "Barometers"), ("RAIN", "Rain gauges")];
    private static readonly HashSet<string> NoChoice = [];

    // What the small company shows: stock inherited by both, revenue by one, and revenue from schools by both.
    private static readonly LandingLine[] Lines =
    [
        new("held", "stock", null, [("1400", false), ("1400", false)]),
        new("sold", "sales-revenue", null, [("4000", false), ("4000", true)]),
        new("sold", "sales-revenue", new KeyPart(Dimension.PartyGroup, "SCHOOLS"), [("4000", false), ("4000", false)]),
    ];

    private static byte[] Book(SetUp setUp, IReadOnlyList<LandingLine> lines)
    {
        using var bytes = new MemoryStream();
        LandingBook.Write(setUp, Dimension.ItemGroup, Columns, lines, bytes);
        return bytes.ToArray();
    }

    // Changes the first sheet as a person would: cells by row and column, the header being row 0.
    private static byte[] Edited(byte[] book, Action<List<List<string?>>> edit, bool forget = false)
    {
        using var bytes = new MemoryStream();
        bytes.Write(book);
        using (var document = SpreadsheetDocument.Open(bytes, true))
        {
            var sheets = document
                .WorkbookPart!.Workbook!.Sheets!.Elements<DocumentFormat.OpenXml.Spreadsheet.Sheet>()
                .ToList();
            var sheet = ((WorksheetPart)document.WorkbookPart.GetPartById(sheets[0].Id!.Value!)).Worksheet!;
            var data = sheet.GetFirstChild<SheetData>()!;
            var cells = data.Elements<Row>()
                .Select(r => r.Elements<Cell>().Select(c => c.InlineString?.InnerText).ToList())
                .ToList();
            edit(cells);
            data.RemoveAllChildren();
            data.Append(
                cells.Select(r => new Row(
                    r.Select(t =>
                        t is null
                            ? new Cell()
                            : new Cell(new InlineString(new Text(t))) { DataType = CellValues.InlineString }
                    )
                ))
            );
            if (forget)
                sheets[^1].Remove();
        }
        return bytes.ToArray();
    }

    private static SheetPlan Plan(SetUp now, byte[] book, IReadOnlySet<string>? theirs = null)
    {
        var faults = new List<Fault>();
        var sheet = ViewBook.Read(new MemoryStream(book), Parts.Assignments, faults, out var taken);
        faults.ShouldBeEmpty();
        return SheetReturn.Plan(now, sheet!, taken, theirs ?? NoChoice);
    }

    private static List<Fault> Faults(byte[] book)
    {
        var faults = new List<Fault>();
        ViewBook.Read(new MemoryStream(book), Parts.Assignments, faults, out _);
        return faults;
    }

    private static string[] Said(SheetPlan plan) =>
        [
            .. plan
                .Edits.Select(e => $"{e.Kind} {e.Label}: {e.Before?[1] ?? "-"} → {e.After?[1] ?? "-"}")
                .Order(StringComparer.Ordinal),
        ];

    [Fact]
    public void It_is_a_sound_document_with_names_value_lists_and_two_tones()
    {
        using var book = SpreadsheetDocument.Open(new MemoryStream(Book(Small, Lines)), false);
        new DocumentFormat.OpenXml.Validation.OpenXmlValidator()
            .Validate(book, TestContext.Current.CancellationToken)
            .Select(e => e.Description)
            .ShouldBeEmpty();
        var sheets = book.WorkbookPart!.Workbook!.Sheets!.Elements<DocumentFormat.OpenXml.Spreadsheet.Sheet>().ToList();
        sheets.Select(s => s.Name!.Value).ShouldBe(["life-cycle", "accounts", "legend", "as taken out"]);
        var grid = ((WorksheetPart)book.WorkbookPart.GetPartById(sheets[0].Id!.Value!)).Worksheet!;
        var rows = grid.Descendants<Row>().ToList();
        rows[0]
            .Elements<Cell>()
            .Select(c => c.InnerText)
            .ShouldBe(["band (not read)", "purpose", "with", "with_code", "BARO · Barometers", "RAIN · Rain gauges"]);
        rows[3]
            .Elements<Cell>()
            .Select(c => c.InnerText)
            .ShouldBe(["sold", "sales-revenue", "party-group", "SCHOOLS", "4000", "4000"]);
        rows[2].Elements<Cell>().Skip(4).Select(c => c.StyleIndex!.Value).ShouldBe([3u, 1u]);
        grid.Descendants<DataValidation>()
            .Select(v => (v.SequenceOfReferences!.InnerText, v.Formula1!.Text))
            .ShouldBe([("E2:E1004", "'accounts'!$A$2:$A$6"), ("F2:F1004", "'accounts'!$A$2:$A$6")]);
    }

    [Fact]
    public void Left_as_it_is_it_changes_nothing_and_neither_do_rows_and_columns_that_are_deleted()
    {
        Said(Plan(Small, Book(Small, Lines))).ShouldBeEmpty();
        Said(Plan(Small, Edited(Book(Small, Lines), c => c.RemoveAt(2)))).ShouldBeEmpty();
        Said(Plan(Small, Edited(Book(Small, Lines), c => c.ForEach(r => r.RemoveAt(5))))).ShouldBeEmpty();
    }

    [Fact]
    public void A_changed_cell_is_an_assignment_there_an_emptied_own_one_goes_and_an_emptied_inherited_one_is_nothing()
    {
        var plan = Plan(Small, Edited(Book(Small, Lines), c =>
            {
                c[1][4] = null;
                c[1][5] = "1410";
                c[2][4] = "4010";
                c[2][5] = " ";
                c[3][5] = "4020";
            }));
        Said(plan)
            .ShouldBe([
                "Added sales-revenue · BARO: - → 4010",
                "Added sales-revenue · RAIN · SCHOOLS: - → 4020",
                "Added stock · RAIN: - → 1410",
                "Removed sales-revenue · RAIN: 4000 → -",
            ]);
        // Its line tells where a fault of it stands.
        plan.Edits.Where(e => e.After is not null).Select(e => plan.Lines[e.Key]).Order().ShouldBe([2, 3, 4]);
    }

    [Fact]
    public void An_own_assignment_with_another_account_keeps_its_note_and_lines_can_be_added()
    {
        var plan = Plan(Small, Edited(Book(Small, Lines), c =>
            {
                c[2][5] = "4010";
                c.Add([null, "sales-discount", null, null, "4020"]);
            }));
        Said(plan).ShouldBe(["Added sales-discount · BARO: - → 4020", "Changed sales-revenue · RAIN: 4000 → 4010"]);
        plan.Edits.Single(e => e.Kind == ChangeKind.Changed).After![^1].ShouldBe("since 2026");
    }

    [Fact]
    public void What_others_changed_meanwhile_is_a_conflict_and_only_where_the_sheet_changed_it_too()
    {
        var rain = new Assignment("sales-revenue", "4020", [new(Dimension.ItemGroup, "RAIN")], "since 2026");
        var now = Small with
        {
            Assignments =
            [
                Small.Assignments[0],
                rain,
                Small.Assignments[2],
                new("sales-revenue", "4020", [new(Dimension.ItemGroup, "BARO")]),
            ],
        };
        Said(Plan(now, Book(Small, Lines))).ShouldBeEmpty();
        var book = Edited(Book(Small, Lines), c =>
        {
            c[2][4] = "4010";
            c[2][5] = "4010";
            c[1][5] = "1410";
        });
        var plan = Plan(now, book);
        plan.Conflicts.Select(c => $"{c.Label} {c.Column}: {c.Was} | {c.Here} | {c.Theirs}")
            .Order(StringComparer.Ordinal)
            .ShouldBe(["sales-revenue · BARO :  | 4020 | 4010", "sales-revenue · RAIN account: 4000 | 4020 | 4010"]);
        Said(plan).ShouldBe(["Added stock · RAIN: - → 1410"]);
        Said(Plan(now, book, plan.Conflicts.Select(c => c.Id).ToHashSet()))
            .ShouldBe([
                "Added stock · RAIN: - → 1410",
                "Changed sales-revenue · BARO: 4020 → 4010",
                "Changed sales-revenue · RAIN: 4020 → 4010",
            ]);
    }

    [Fact]
    public void What_cannot_be_read_is_named_by_line_and_column()
    {
        var faults = Faults(Edited(Book(Small, Lines), c =>
            {
                c[0][5] = "SNOW · Snow gauges";
                c[1][1] = "stocks";
                c[2][4] = "#REF!";
                c[3][3] = null;
                c.Add([null, "sales-revenue", null, null, "4010"]);
                c.Add([null, "stock", "item-group", "RAIN", "1410"]);
                c.Add([null, "stock", null, "RAIN", "1410"]);
            }));
        faults
            .Select(f => (f.Row, f.Column, f.Code))
            .ShouldBe([
                (1, "SNOW · Snow gauges", "unknown-column"),
                (2, "purpose", "unknown-purpose"),
                (3, "BARO", "cell-error"),
                (4, "with_code", "missing"),
                (5, "purpose", "duplicate-key"),
                (6, "with", "unknown-dimension"),
                (7, "with", "missing"),
            ]);
        Faults(Edited(Book(Small, Lines), _ => { }, forget: true)).ShouldHaveSingleItem().Code.ShouldBe("not-compared");
        Faults(Edited(Book(Small, Lines), c => c[0][1] = "what for")).ShouldContain(f => f.Code == "missing-column");
    }

    private static Gen<string?> OneOf(params string?[] texts) => Gen.Int[0, texts.Length - 1].Select(i => texts[i]);

    [Fact]
    public void Whatever_is_typed_the_assignments_after_are_those_of_the_cells() =>
        Gen.Select(OneOf(null, "1400", "1410", "4000", "4010").Array[6], OneOf(null, "1400", "4010").Array[6])
            .Sample(
                (typed, owned) =>
                {
                    var keys = Lines
                        .SelectMany(l =>
                            Columns.Select(c => new Assignment(
                                l.Purpose,
                                "",
                                l.With is { } w
                                    ? [new(Dimension.ItemGroup, c.Item1), w]
                                    : [new(Dimension.ItemGroup, c.Item1)]
                            ))
                        )
                        .ToList();
                    var setUp = Small with
                    {
                        Assignments =
                        [
                            .. keys.Select((k, i) => k with { Account = owned[i] ?? "" })
                                .Where(a => a.Account.Length > 0),
                        ],
                    };
                    // What is not its own shows 4000.
                    LandingLine[] lines =
                    [
                        .. Lines.Select(
                            (l, row) =>
                                l with
                                {
                                    Cells =
                                    [
                                        .. Columns
                                            .Select(
                                                (_, c) => (owned[row * 2 + c] ?? "4000", owned[row * 2 + c] is not null)
                                            )
                                            .Select(x => ((string?)x.Item1, x.Item2)),
                                    ],
                                }
                        ),
                    ];
                    var plan = Plan(setUp, Edited(Book(setUp, lines), c =>
                        {
                            for (var i = 0; i < 6; i++)
                                c[1 + i / 2][4 + i % 2] = typed[i];
                        }));
                    var after = Parts
                        .Assignments.With(setUp, [.. plan.Edits.Select(e => (0, e.Key, e.After))], [])
                        .Assignments;
                    after
                        .Select(a => $"{a.Identity} {a.Account}")
                        .Order(StringComparer.Ordinal)
                        .ShouldBe(
                            keys.Select(
                                    (k, i) =>
                                        k with
                                        {
                                            Account =
                                                typed[i] is null ? ""
                                                : typed[i] == (owned[i] ?? "4000") ? owned[i] ?? ""
                                                : typed[i]!,
                                        }
                                )
                                .Where(a => a.Account.Length > 0)
                                .Select(a => $"{a.Identity} {a.Account}")
                                .Order(StringComparer.Ordinal)
                        );
                },
                iter: 100
            );

    [Fact]
    public void Damaged_it_is_refused_in_words_and_never_thrown()
    {
        var sound = Book(Small, Lines);
        Gen.Select(Gen.Int[0, sound.Length - 1], Gen.Byte, Gen.Int[1, 40], Gen.Bool)
            .Sample(
                (at, value, length, cut) =>
                {
                    var damaged = cut ? sound[..at] : [.. sound];
                    for (var i = at; !cut && i < Math.Min(at + length, damaged.Length); i++)
                        damaged[i] ^= (byte)(value | 1);
                    var said = new List<Fault>();
                    var sheet = ViewBook.Read(new MemoryStream(damaged), Parts.Assignments, said, out var taken);
                    if (sheet is null)
                        said.ShouldAllBe(f => f.Message.Length > 10);
                    else
                        SheetReturn.Plan(Small, sheet, taken, NoChoice).ShouldNotBeNull();
                },
                iter: 300
            );
    }
}
