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
using Item = Assignum.Core.Records.Item;

namespace Assignum.Formats.Tests;

/// <summary>A view as a workbook that is edited and comes back.</summary>
public class ViewBooks
{
    private static readonly SetUp Small = SetUpDefaults.Empty(new Entity("SKERROW", "Skerrow", "EUR")) with
    {
        Accounts =
        [
            new("1", "Assets", AccountClass.Asset, AccountKind.Heading),
            new("1400", "Stock", AccountClass.Asset, AccountKind.Posting, "1", Control: Control.Stock),
            new("4000", "=Sales", AccountClass.Revenue, AccountKind.Posting, ShortCode: "SAL"),
        ],
        Groups = [new(GroupKind.Item, "BARO", "Barometers", null), new(GroupKind.Item, "RAIN", "Rain gauges", null)],
        Assignments =
        [
            new("stock", "1400", []),
            new("sales-revenue", "4000", [new(Dimension.ItemGroup, "RAIN")], "since 2026"),
            new("sales-revenue", "4000", []),
        ],
    };

    private static byte[] Book(SetUp setUp, Part part)
    {
        using var bytes = new MemoryStream();
        ViewBook.Write(setUp, part, part.Write(setUp), bytes);
        return bytes.ToArray();
    }

    [Fact]
    public void It_is_a_sound_document_with_lists_a_legend_folded_columns_and_what_was_taken_out_of_sight()
    {
        using var book = SpreadsheetDocument.Open(new MemoryStream(Book(Small, Parts.Assignments)), false);
        new DocumentFormat.OpenXml.Validation.OpenXmlValidator()
            .Validate(book, TestContext.Current.CancellationToken)
            .Select(e => e.Description)
            .ShouldBeEmpty();
        var sheets = book.WorkbookPart!.Workbook!.Sheets!.Elements<DocumentFormat.OpenXml.Spreadsheet.Sheet>().ToList();
        sheets.Select(s => s.Name!.Value).ShouldBe(["assignments", "accounts", "groups", "legend", "as taken out"]);
        sheets[^1].State!.Value.ShouldBe(SheetStateValues.VeryHidden);
        Worksheet Sheet(int n) => ((WorksheetPart)book.WorkbookPart.GetPartById(sheets[n].Id!.Value!)).Worksheet!;
        Sheet(0).Descendants<Pane>().ShouldHaveSingleItem();
        // Accounts, purposes and groups can be chosen; columns without a value are folded, the ones that are used are
        // not.
        Sheet(0).Descendants<DataValidation>().Select(v => v.Formula1!.Text).ShouldContain("'accounts'!$A$2:$A$4");
        Sheet(0)
            .Descendants<DocumentFormat.OpenXml.Spreadsheet.Column>()
            .Where(c => c.Hidden?.Value == true)
            .Select(c => (int)c.Min!.Value)
            .ShouldBe([3, .. Enumerable.Range(5, 11)]);
        Sheet(1).Descendants<Row>().Skip(2).First().InnerText.ShouldContain("Assets › Stock");
        Sheet(3).InnerText.ShouldContain("Change cells, add rows below");
    }

    [Fact]
    public void What_goes_out_comes_back_as_it_went_whatever_it_holds() =>
        Gen.Select(Gen.String[Gen.Char["ab=+-@'\" _x0D5F\n;,\u00e9\u4e00"], 1, 20].List[1, 6], Gen.Int[0, 1])
            .Sample(
                (texts, which) =>
                {
                    var setUp = Small with
                    {
                        Items =
                        [
                            .. texts.Select(
                                (t, i) =>
                                    new Item(
                                        "I" + i,
                                        t,
                                        ItemNature.Goods,
                                        i % 2 == 0,
                                        i % 3 == 0 ? "RAIN" : null,
                                        null,
                                        Costing.Standard,
                                        i * 1.25m
                                    )
                            ),
                        ],
                    };
                    var part = which == 0 ? Parts.Items : Parts.Assignments;
                    var faults = new List<Fault>();
                    var sheet = ViewBook.Read(new MemoryStream(Book(setUp, part)), part, faults, out var taken);
                    faults.ShouldBeEmpty();
                    taken!
                        .Select(r => string.Join('|', r))
                        .ShouldBe(part.Write(setUp).Select(r => string.Join('|', r)));
                    var plan = SheetReturn.Plan(
                        setUp,
                        new Core.Tables.Sheet(
                            part,
                            sheet!.Columns,
                            [
                                .. sheet.Rows.Select(r =>
                                    (r.Row, r.Cells.Select((c, i) => TypedCell.Of(part.Columns[i], c)).ToArray())
                                ),
                            ]
                        ),
                        taken,
                        new HashSet<string>()
                    );
                    (plan.Edits.Count, plan.WithValues.Count, plan.Conflicts.Count, plan.Faults.Count).ShouldBe(
                        (0, 0, 0, 0),
                        string.Join("; ", plan.WithValues.SelectMany(e => e.Cells))
                    );
                },
                iter: 150
            );

    [Fact]
    public void Damaged_and_foreign_workbooks_are_refused_in_words_and_never_thrown()
    {
        var sound = Book(Small, Parts.Assignments);
        var faults = new List<Fault>();
        ViewBook.Read(new MemoryStream(sound), Parts.Items, faults, out _).ShouldBeNull();
        faults.ShouldHaveSingleItem().Message.ShouldContain("has no sheet 'items'");
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
                        SheetReturn.Plan(Small, sheet, taken, new HashSet<string>()).ShouldNotBeNull();
                },
                iter: 400
            );
    }
}
