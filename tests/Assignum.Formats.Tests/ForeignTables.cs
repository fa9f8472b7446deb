using System.IO.Compression;
using System.Text;
using Assignum.Core;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Core.Tables.Foreign;
using Assignum.Formats.Bundles;
using Assignum.Formats.Charts;
using Assignum.Formats.Lists;
using CsCheck;
using DocumentFormat.OpenXml;
using DocumentFormat.OpenXml.Packaging;
using DocumentFormat.OpenXml.Spreadsheet;
using Book = DocumentFormat.OpenXml.Spreadsheet.Workbook;

namespace Assignum.Formats.Tests;

/// <summary>Tables of anyone's making: encodings, separators, and everything a spreadsheet can hold.</summary>
public class ForeignTables
{
    private static IReadOnlyList<ForeignSheet> Read(byte[] file, params string[] faults)
    {
        var found = new List<Fault>();
        var sheets = ForeignFiles.Read(file, found);
        found.Select(f => f.Code).ShouldBe(faults);
        return sheets;
    }

    private static string[] Cells(ForeignRow row) => [.. row.Cells.Select(c => c.Text)];

    [Fact]
    public void Text_is_read_in_the_encodings_and_with_the_separators_that_spreadsheets_write()
    {
        const string text = "Konto;Bezeichnung\r\n1000;Gebäude, Grundstücke\r\n\r\n1200;\"Bank; laufend\"\r\n";
        string[][] rows =
        [
            ["Konto", "Bezeichnung"],
            ["1000", "Gebäude, Grundstücke"],
            ["1200", "Bank; laufend"],
        ];
        foreach (
            var bytes in new[]
            {
                Encoding.UTF8.GetBytes(text),
                [0xEF, 0xBB, 0xBF, .. Encoding.UTF8.GetBytes(text)],
                Encoding.Latin1.GetBytes(text),
                [0xFF, 0xFE, .. Encoding.Unicode.GetBytes(text)],
                [0xFE, 0xFF, .. Encoding.BigEndianUnicode.GetBytes(text)],
                Encoding.Unicode.GetBytes(text),
            }
        )
        {
            var sheet = Read(bytes).Single();
            sheet.Rows.Where(r => !r.Empty).Select(Cells).ShouldBe(rows);
            sheet.Rows.First(r => r[0].Text == "1200").Line.ShouldBe(4);
            sheet.Notes.ShouldContain("Its cells are parted by semicolons.");
        }
        Read(Encoding.Latin1.GetBytes(text)).Single().Notes[0].ShouldContain("Windows-1252");
        foreach (var separator in new[] { ",", "\t", "|" })
            Read(
                    Encoding.UTF8.GetBytes(
                        $"A title, with a comma\nNo{separator}Name\n1{separator}One\n2{separator}Two\n"
                    )
                )
                .Single()
                .Rows.Skip(1)
                .Select(Cells)
                .ShouldBe([
                    ["No", "Name"],
                    ["1", "One"],
                    ["2", "Two"],
                ]);
        // A value that our own list led with an apostrophe comes back as it was; indentation stays.
        Cells(Read(Encoding.UTF8.GetBytes("No,Name\n1,'=SUM\n2,  In\n3,''=x\n")).Single().Rows[1])
            .ShouldBe(["1", "=SUM"]);
        Read(Encoding.UTF8.GetBytes("No,Name\n1,'=SUM\n2,  In\n")).Single().Rows[2].Indent(1).ShouldBe(2);
    }

    [Fact]
    public void What_is_no_table_is_said_so()
    {
        Read([], "empty-file");
        Read("  \n \n"u8.ToArray(), "empty-file");
        Read([0xD0, 0xCF, 0x11, 0xE0, 1, 2, 3], "old-workbook");
        Read("PK\u0003\u0004rubbish"u8.ToArray(), "not-a-workbook");
        Read(Encoding.UTF8.GetBytes("a,b\n1,\"" + new string('x', 70_000)), "cell-too-long");
        Read(
            Encoding.UTF8.GetBytes(
                string.Join('\n', Enumerable.Range(0, ForeignFiles.MostRows + 1).Select(i => $"{i},x"))
            ),
            "too-many-rows"
        );
        Read(Encoding.UTF8.GetBytes(string.Join(',', Enumerable.Range(0, 300))), "too-many-columns");
        Read("[1,2]"u8.ToArray(), "bad-json");
        Read("{\"a\":1}"u8.ToArray(), "bad-json");
        Read("[{\"a\":{}}]"u8.ToArray(), "bad-json");
        Read("[{\"a\":1}"u8.ToArray(), "bad-json");
        using var zip = new MemoryStream();
        using (var archive = new ZipArchive(zip, ZipArchiveMode.Create, true))
            archive.CreateEntry("accounts.csv");
        Read(zip.ToArray(), "not-a-workbook");
    }

    [Fact]
    public void A_hundred_thousand_rows_are_read()
    {
        var sheet = Read(
                Encoding.UTF8.GetBytes(
                    "No,Name\n"
                        + string.Join(
                            '\n',
                            Enumerable.Range(1, ForeignFiles.MostRows - 1).Select(i => $"{i},Account {i}")
                        )
                )
            )
            .Single();
        sheet.Rows.Count.ShouldBe(ForeignFiles.MostRows);
        sheet.Rows[^1][0].Text.ShouldBe("99999");
    }

    [Fact]
    public void Objects_of_json_are_rows_whatever_their_order()
    {
        var sheet = Read(
                """
                [{"number":"1010","name":"Bank","capital":true},{"name":"Till","number":1020,"note":null}]
                """u8.ToArray()
            )
            .Single();
        sheet
            .Rows.Select(Cells)
            .ShouldBe([
                ["number", "name", "capital", "note"],
                ["1010", "Bank", "yes"],
                ["1020", "Till", "", ""],
            ]);
    }

    // A workbook as people make them: merged cells, indents, formulas, days, errors, a hidden sheet, macros, a link
    // outside.
    private static byte[] Spreadsheet()
    {
        using var bytes = new MemoryStream();
        using (var book = SpreadsheetDocument.Create(bytes, SpreadsheetDocumentType.MacroEnabledWorkbook))
        {
            var workbook = book.AddWorkbookPart();
            workbook.Workbook = new Book(new Sheets());
            workbook.AddNewPart<WorkbookStylesPart>().Stylesheet = new Stylesheet(
                new Fonts(new Font()),
                new Fills(new Fill(new PatternFill { PatternType = PatternValues.None })),
                new Borders(new Border()),
                new CellStyleFormats(new CellFormat()),
                new CellFormats(
                    new CellFormat(),
                    new CellFormat
                    {
                        Alignment = new Alignment { Indent = 2 },
                        ApplyAlignment = true,
                    },
                    new CellFormat { NumberFormatId = 14, ApplyNumberFormat = true }
                )
            );
            static Cell Text(string at, string text, uint style = 0) =>
                new(new InlineString(new Text(text)))
                {
                    CellReference = at,
                    DataType = CellValues.InlineString,
                    StyleIndex = style,
                };
            static Cell Number(string at, double number, uint style = 0) =>
                new()
                {
                    CellReference = at,
                    CellValue = new CellValue(number),
                    StyleIndex = style,
                };
            void Add(string name, SheetStateValues state, params OpenXmlElement[] content)
            {
                var sheet = workbook.AddNewPart<WorksheetPart>();
                sheet.Worksheet = new Worksheet(content);
                workbook.Workbook.Sheets!.Append(
                    new DocumentFormat.OpenXml.Spreadsheet.Sheet
                    {
                        Id = workbook.GetIdOfPart(sheet),
                        SheetId = (uint)workbook.Workbook.Sheets.Count() + 1,
                        Name = name,
                        State = state,
                    }
                );
            }
            Add(
                "Chart",
                SheetStateValues.Visible,
                new SheetData(
                    new Row(Text("A1", "Chart of the works")) { RowIndex = 1 },
                    new Row(Text("A3", "No"), Text("B3", "Name"), Text("C3", "Type")) { RowIndex = 3 },
                    new Row(Number("A4", 1010), Text("B4", "Bank"), Text("C4", "Asset")) { RowIndex = 4 },
                    new Row(Number("A5", 1020), Text("B5", "Till", 1)) { RowIndex = 5 },
                    new Row(Number("A6", 46143, 2), Text("B6", "Day", 1), Text("C6", "Asset")) { RowIndex = 6 },
                    new Row(
                        new Cell
                        {
                            CellReference = "A7",
                            CellFormula = new CellFormula("A5+10"),
                            CellValue = new CellValue(1030),
                        },
                        Text("B7", "Made"),
                        new Cell
                        {
                            CellReference = "C7",
                            DataType = CellValues.Error,
                            CellValue = new CellValue("#REF!"),
                        }
                    )
                    {
                        RowIndex = 7,
                    },
                    // A format at the very bottom, and nothing in it.
                    new Row(new Cell { CellReference = "A1048576", StyleIndex = 1 }) { RowIndex = 1_048_576 }
                ),
                new MergeCells(new MergeCell { Reference = "A1:C1" }, new MergeCell { Reference = "C4:C5" })
            );
            Add("Old", SheetStateValues.Hidden, new SheetData(new Row(Text("A1", "secret"))));
            workbook.AddNewPart<VbaProjectPart>().FeedData(new MemoryStream([1, 2, 3]));
            workbook.AddNewPart<ExternalWorkbookPart>().ExternalLink = new ExternalLink();
        }
        return bytes.ToArray();
    }

    [Fact]
    public void A_workbook_is_read_by_values_with_what_was_done_to_it_said()
    {
        var sheet = Read(Spreadsheet()).Single();
        sheet.Name.ShouldBe("Chart");
        var rows = sheet.Rows;
        rows.Select(r => r.Line).ShouldBe([1, 3, 4, 5, 6, 7]);
        rows[2][0].Text.ShouldBe("1010");
        // One type over two rows counts for both; the title over three columns stays where it is.
        rows[3][2].Text.ShouldBe("Asset");
        rows[0][1].Empty.ShouldBeTrue();
        rows[3].Indent(1).ShouldBe(4);
        (rows[4][0].Kind, rows[4][0].Text).ShouldBe((ForeignCellKind.Date, "2026-05-01"));
        (rows[5][0].Text, rows[5][2].Kind).ShouldBe(("1030", ForeignCellKind.Error));
        sheet.Notes.Count.ShouldBe(3);
        sheet.Notes.ShouldContain(n => n.Contains("macros"));
        sheet.Notes.ShouldContain(n => n.Contains("links to other files"));
        sheet.Notes.ShouldContain(n => n.Contains("merged"));

        var current = SetUpDefaults.Empty(new Entity("NEW", "New", "EUR"));
        var settings = ForeignProposal.Of([sheet], current);
        settings.HeaderLine.ShouldBe(3);
        ForeignReader
            .Read(sheet, settings, current)
            .Faults.Select(f => (f.Row, f.Code))
            .ShouldBe([(6, "date-for-number"), (7, "cell-error")]);
    }

    // The long run tries far more.
    private static readonly int Times = Environment.GetEnvironmentVariable("ASSIGNUM_LONG") is null ? 1 : 30;

    [Fact]
    public void A_damaged_file_is_a_fault_and_never_an_exception()
    {
        var good = Spreadsheet();
        Gen.Select(Gen.Int[0, good.Length - 1], Gen.Byte, Gen.Int[0, good.Length])
            .Sample(
                (at, value, length) =>
                {
                    var bad = good.ToArray();
                    bad[at] = value;
                    if (length % 5 == 0)
                        bad = bad[..length];
                    var faults = new List<Fault>();
                    var sheets = ForeignFiles.Read(bad, faults);
                    if (faults.Count > 0)
                        sheets.ShouldBeEmpty();
                },
                iter: 100 * Times
            );
        Gen.Byte.Array[0, 300].Sample(bytes => ForeignFiles.Read(bytes, []), iter: 1000 * Times);
    }

    [Fact]
    public void Any_text_that_a_list_neutralised_comes_back_as_it_was() =>
        Gen.OneOf(Gen.String, Gen.Char["='+-@\t a"].Array[0, 6].Select(c => new string(c)))
            .Sample(text =>
            {
                ListWriter.Plain(ListWriter.Neutral(text)).ShouldBe(text);
                if (ListWriter.Neutral(text) is [var first, ..])
                    "=+-@\t\r".ShouldNotContain(first);
            });

    [Fact]
    public void Each_template_is_a_sound_chart_in_which_every_default_suits_its_purpose()
    {
        foreach (var template in ChartTemplates.All)
        {
            var empty = SetUpDefaults.Empty(new Entity("NEW", "New", "EUR"));
            var plan = SetUpImport.Plan(empty, ChartTemplates.Find(template.Code)!, true, (_, _) => false);
            plan.Faults.ShouldBeEmpty(template.Code);
            plan.Next.Accounts.Count.ShouldBe(template.Accounts);
            var accounts = plan.Next.Accounts.ToDictionary(a => a.Number);
            var numbers = new Core.Chart.ChartNumbers(plan.Next.Accounts, plan.Next.NumberBands);
            foreach (var assignment in plan.Next.Assignments)
                Core.Landing.Fitness.Of(
                        accounts[assignment.Account],
                        Core.Landing.Purposes.Find(assignment.Purpose),
                        true
                    )
                    .ShouldBeNull($"{template.Code}: {assignment.Purpose}");
            foreach (var account in plan.Next.Accounts.Where(a => a.Kind == Core.Chart.AccountKind.Posting))
                numbers.Disagrees(account.Number, account.Class).ShouldBeNull(account.Number);
            plan.Next.Assignments.Select(a => a.Purpose).ShouldContain("sales-revenue");
            // Making and trading hold stock, services do not; making makes, services have projects.
            plan.Next.Assignments.Any(a => a.Purpose == "stock").ShouldBe(template.Code != "services");
            plan.Next.Assignments.Any(a => a.Purpose == "production-wip").ShouldBe(template.Code == "making");
            plan.Next.Assignments.Any(a => a.Purpose == "project-wip").ShouldBe(template.Code == "services");
        }
        ChartTemplates.Find("nothing").ShouldBeNull();
    }

    [Fact]
    public void A_chart_taken_out_as_a_workbook_of_its_own_comes_back_without_a_difference()
    {
        var setUp = SetUpImport
            .Plan(SetUpDefaults.Empty(new Entity("NEW", "New", "EUR")), ChartTemplates.Find("making")!, true, (_, _) =>
                false
            )
            .Next;
        using var bytes = new MemoryStream();
        Bundles.Workbook.Write(setUp, bytes, [Parts.Accounts, Parts.TaxCodes]);
        var sheets = Read(bytes.ToArray());
        var settings = ForeignProposal.Of(sheets, setUp);
        settings.Sheet.ShouldBe("accounts");
        var reading = ForeignReader.Read(sheets.Single(s => s.Name == "accounts"), settings, setUp);
        reading.Faults.ShouldBeEmpty();
        SetUpImport.Plan(setUp, [reading.Sheet], false, (_, _) => false).Changes.ShouldBeEmpty();
    }
}
