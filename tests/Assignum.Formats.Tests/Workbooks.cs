using Assignum.Core;
using Assignum.Core.Chart;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Formats.Bundles;
using Assignum.Formats.Lists;
using CsCheck;
using DocumentFormat.OpenXml;
using DocumentFormat.OpenXml.Packaging;
using DocumentFormat.OpenXml.Spreadsheet;
using Workbook = Assignum.Formats.Bundles.Workbook;

namespace Assignum.Formats.Tests;

/// <summary>The bundle as one workbook, as people open, edit and send it back.</summary>
public class Workbooks
{
    private static readonly Entity Skerrow = new("SKERROW", "Skerrow", "EUR");

    private static byte[] Book(params (string Sheet, string[] Header, object?[][] Rows)[] sheets)
    {
        using var bytes = new MemoryStream();
        using (var book = SpreadsheetDocument.Create(bytes, SpreadsheetDocumentType.Workbook))
        {
            var workbook = XlsxSheet.Begin(book);
            foreach (var (sheet, header, rows) in sheets)
                XlsxSheet.Add(workbook, sheet, header, rows, []);
        }
        return bytes.ToArray();
    }

    private static (IReadOnlyList<Core.Tables.Sheet> Sheets, List<Fault> Faults) Read(byte[] book)
    {
        var faults = new List<Fault>();
        return (Bundle.FromFile(new MemoryStream(book), faults), faults);
    }

    [Fact]
    public void Numbers_and_days_typed_in_a_spreadsheet_are_the_codes_and_dates_they_look_like()
    {
        var (sheets, faults) = Read(
            Book(
                (
                    "accounts",
                    ["number", "name", "class", "kind"],
                    [
                        [1200, "Trade receivables", "asset", "posting"],
                        [4000m, "=1+1", "revenue", "posting"],
                        [null, null, null, null],
                    ]
                ),
                (
                    "tax-rates",
                    ["code", "from", "rate"],
                    [
                        ["S23", new DateOnly(2026, 1, 1), 0.23m],
                    ]
                )
            )
        );
        faults.ShouldBeEmpty();
        var plan = SetUpImport.Plan(
            SetUpDefaults.Empty(Skerrow) with
            {
                TaxCodes = [new("S23", "Standard", Core.Tax.TaxDirection.Output, "S")],
            },
            sheets,
            false,
            (_, _) => false
        );
        plan.Faults.ShouldBeEmpty();
        plan.Next.Accounts.Select(a => (a.Number, a.Name)).ShouldBe([("1200", "Trade receivables"), ("4000", "=1+1")]);
        plan.Next.TaxRates.ShouldHaveSingleItem()
            .ShouldBe(new Core.Tax.TaxRate("S23", new DateOnly(2026, 1, 1), 0.23m));
    }

    [Fact]
    public void A_fault_names_the_sheet_the_row_and_the_column()
    {
        var (sheets, faults) = Read(
            Book(
                (
                    "accounts",
                    ["number", "name", "class", "kind"],
                    [
                        ["1200", "Receivables", "asset", "posting"],
                        ["1300", "Stock", "assets", "posting"],
                    ]
                ),
                (
                    "holidays",
                    ["day"],
                    [
                        ["x"],
                    ]
                )
            )
        );
        faults.ShouldHaveSingleItem().Code.ShouldBe("unknown-file");
        var fault = SetUpImport
            .Plan(SetUpDefaults.Empty(Skerrow), sheets, false, (_, _) => false)
            .Faults.ShouldHaveSingleItem();
        (fault.Part, fault.Row, fault.Column).ShouldBe(("accounts", 3, "class"));

        Read(
            Book(
                (
                    "accounts",
                    ["number", "name", "name"],
                    [
                        ["1", "a", "b"],
                    ]
                )
            )
        )
            .Faults.Select(f => f.Code)
            .ShouldBe(["duplicate-column", "missing-column", "missing-column"]);
        Read(
            Book(
                (
                    "reasons",
                    ["code", "name"],
                    [
                        ["A", "#REF!"],
                    ]
                )
            )
        )
            .Faults.ShouldHaveSingleItem()
            .Code.ShouldBe("cell-error");
    }

    [Fact]
    public void It_opens_as_a_sound_document_with_frozen_headers_filters_and_value_lists()
    {
        var setUp = SetUpDefaults.Empty(Skerrow) with
        {
            Accounts =
            [
                new Account("1200", "Trade receivables", AccountClass.Asset, AccountKind.Posting),
                new Account("4000", "Sales", AccountClass.Revenue, AccountKind.Posting),
            ],
            Groups =
            [
                new(Core.Records.GroupKind.Customer, "TRADE", "Trade", null),
                new(Core.Records.GroupKind.Item, "BARO", "Barometers", null),
                new(Core.Records.GroupKind.Item, "RAIN", "Rain gauges", null),
            ],
        };
        using var bytes = new MemoryStream();
        Workbook.Write(setUp, bytes);
        using var book = SpreadsheetDocument.Open(bytes, false);
        new DocumentFormat.OpenXml.Validation.OpenXmlValidator()
            .Validate(book, TestContext.Current.CancellationToken)
            .Select(e => e.Description)
            .ShouldBeEmpty();

        var names = book.WorkbookPart!.Workbook!.Sheets!.Elements<DocumentFormat.OpenXml.Spreadsheet.Sheet>()
            .ToDictionary(s => s.Name!.Value!, s => s.Id!.Value!);
        names.Keys.ShouldBe([.. Parts.All.Select(p => p.Name), "legend"]);
        Worksheet Sheet(string name) => ((WorksheetPart)book.WorkbookPart.GetPartById(names[name])).Worksheet!;
        foreach (var name in names.Keys)
            Sheet(name).Descendants<Pane>().ShouldHaveSingleItem().VerticalSplit!.Value.ShouldBe(1);
        string List(string sheet, string column) =>
            Sheet(sheet)
                .Descendants<DataValidation>()
                .Single(v => v.SequenceOfReferences!.InnerText!.StartsWith(column + "2:", StringComparison.Ordinal))
                .Formula1!.Text;
        List("accounts", "C").ShouldStartWith("\"asset,liability,");
        List("assignments", "A").ShouldBe("legend!$H$2:$H$50");
        List("assignments", "B").ShouldBe("'accounts'!$A$2:$A$3");
        // Groups stand sorted by kind: customers first, then the two of items.
        List("items", "E").ShouldBe("'groups'!$B$3:$B$4");
    }

    [Fact]
    public void Any_text_comes_back_as_it_went()
    {
        var text = Gen.OneOf(
            Gen.String[Gen.Char[' ', '\ud7ff'], 1, 30],
            Gen.String[Gen.Char["_x0D5F\r\n\t <>&\"'\u0001\ufffe"], 1, 30]
        );
        text.List[1, 5]
            .Sample(
                texts =>
                {
                    var rows = texts.Select((t, i) => new object?[] { "R" + i, t }).ToArray();
                    var (sheets, faults) = Read(Book(("reasons", ["code", "name"], rows)));
                    faults.ShouldBeEmpty();
                    sheets.Single().Rows.Select(r => r.Cells[1]).ShouldBe(texts);
                },
                iter: 200
            );
    }

    [Fact]
    public void Damaged_workbooks_are_refused_in_words_and_never_thrown()
    {
        var sound = Book(
            (
                "accounts",
                ["number", "name", "class", "kind"],
                [
                    ["1200", "Trade receivables", "asset", "posting"],
                ]
            ),
            (
                "reasons",
                ["code", "name"],
                [
                    ["LOSS", "Loss"],
                ]
            )
        );
        Gen.Select(Gen.Int[0, sound.Length - 1], Gen.Byte, Gen.Int[1, 40], Gen.Bool)
            .Sample(
                (at, value, length, cut) =>
                {
                    var damaged = cut ? sound[..at] : [.. sound];
                    for (var i = at; !cut && i < Math.Min(at + length, damaged.Length); i++)
                        damaged[i] ^= (byte)(value | 1);
                    var (sheets, faults) = Read(damaged);
                    if (faults.Count == 0)
                        SetUpImport
                            .Plan(SetUpDefaults.Empty(Skerrow), sheets, false, (_, _) => false)
                            .ShouldNotBeNull();
                    else
                        faults.ShouldAllBe(f => f.Message.Length > 10);
                },
                iter: 500
            );
    }
}
