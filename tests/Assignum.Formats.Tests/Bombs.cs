using System.Diagnostics;
using System.IO.Compression;
using System.Text;
using Assignum.Core;
using Assignum.Core.Tables;
using Assignum.Formats.Bundles;
using Assignum.Formats.Charts;
using Assignum.Formats.Lists;

namespace Assignum.Formats.Tests;

/// <summary>Small files that would be minutes of work or gigabytes: refused in words, quickly, in little
/// memory.</summary>
public class Bombs
{
    private const string Head =
        "<?xml version=\"1.0\"?><worksheet xmlns=\"http://schemas.openxmlformats.org/spreadsheetml/2006/main\">";

    private static byte[] Book(Action<StreamWriter> sheet, Action<StreamWriter>? styles = null)
    {
        using var bytes = new MemoryStream();
        using (var zip = new ZipArchive(bytes, ZipArchiveMode.Create, leaveOpen: true))
        {
            void Part(string name, Action<StreamWriter> write)
            {
                using var writer = new StreamWriter(zip.CreateEntry(name).Open(), new UTF8Encoding(false));
                write(writer);
            }
            const string office = "http://schemas.openxmlformats.org/officeDocument/2006/relationships";
            Part("[Content_Types].xml", w =>
                w.Write(
                    "<Types xmlns=\"http://schemas.openxmlformats.org/package/2006/content-types\">"
                        + "<Default Extension=\"rels\" ContentType=\"application/vnd.openxmlformats-package."
                        + "relationships+xml\"/><Default Extension=\"xml\" ContentType=\"application/xml\"/>"
                        + "<Override PartName=\"/xl/workbook.xml\" ContentType=\"application/vnd.openxmlformats-"
                        + "officedocument.spreadsheetml.sheet.main+xml\"/><Override PartName=\"/xl/worksheets/"
                        + "sheet1.xml\" ContentType=\"application/vnd.openxmlformats-officedocument."
                        + "spreadsheetml.worksheet+xml\"/></Types>"
                )
            );
            Part("_rels/.rels", w =>
                w.Write(
                    "<Relationships xmlns=\"http://schemas.openxmlformats.org/package/2006/relationships\">"
                        + $"<Relationship Id=\"r1\" Type=\"{office}/officeDocument\" Target=\"xl/workbook.xml\"/>"
                        + "</Relationships>"
                )
            );
            Part("xl/workbook.xml", w =>
                w.Write(
                    "<workbook xmlns=\"http://schemas.openxmlformats.org/spreadsheetml/2006/main\" "
                        + $"xmlns:r=\"{office}\"><sheets><sheet name=\"channels\" sheetId=\"1\" r:id=\"r1\"/>"
                        + "</sheets></workbook>"
                )
            );
            Part("xl/_rels/workbook.xml.rels", w =>
                w.Write(
                    "<Relationships xmlns=\"http://schemas.openxmlformats.org/package/2006/relationships\">"
                        + $"<Relationship Id=\"r1\" Type=\"{office}/worksheet\" Target=\"worksheets/sheet1.xml\"/>"
                        + "</Relationships>"
                )
            );
            if (styles is not null)
                Part("xl/styles.xml", styles);
            Part("xl/worksheets/sheet1.xml", sheet);
        }
        return bytes.ToArray();
    }

    private static string Cell(string at, string text) => $"<c r=\"{at}\" t=\"inlineStr\"><is><t>{text}</t></is></c>";

    private static readonly string Header = $"<row r=\"1\">{Cell("A1", "code")}{Cell("B1", "name")}</row>";

    private static byte[] Made(string bomb) =>
        bomb switch
        {
            "a row of number 100,000,000" => Book(w =>
                w.Write(
                    $"{Head}<sheetData>{Header}<row r=\"100000000\">{Cell("A100000000", "x")}</row></sheetData></worksheet>"
                )
            ),
            "a last column and a last row" => Book(w =>
                w.Write(
                    $"{Head}<sheetData><row r=\"1\">{Cell("A1", "code")}{Cell("XFD1", "name")}</row>"
                        + $"<row r=\"1000000\">{Cell("A1000000", "x")}</row></sheetData></worksheet>"
                )
            ),
            "empty styles" => Book(
                w => w.Write($"{Head}<sheetData>{Header}</sheetData></worksheet>"),
                w =>
                {
                    w.Write(
                        "<styleSheet xmlns=\"http://schemas.openxmlformats.org/spreadsheetml/2006/main\"><cellXfs>"
                    );
                    for (var i = 0; i < 13_000_000; i++)
                        w.Write("<xf/>\n ");
                    w.Write("</cellXfs></styleSheet>");
                }
            ),
            "merged cells" => Book(w =>
            {
                w.Write($"{Head}<sheetData>{Header}</sheetData><mergeCells>");
                for (var i = 1; i <= 60_000; i++)
                    w.Write($"<mergeCell ref=\"A{i}:B{i}\"/>");
                w.Write("</mergeCells></worksheet>");
            }),
            "rows without end" => Book(w =>
            {
                w.Write($"{Head}<sheetData>");
                for (var i = 0; i < 8_000_000; i++)
                    w.Write("<row/>");
                w.Write("</sheetData></worksheet>");
            }),
            "an entity of entities" => Book(w =>
                w.Write(
                    "<?xml version=\"1.0\"?><!DOCTYPE x [<!ENTITY a \"aaaaaaaaaa\"><!ENTITY b \"&a;&a;&a;&a;&a;&a;&a;\">]>"
                        + "<worksheet xmlns=\"http://schemas.openxmlformats.org/spreadsheetml/2006/main\"><sheetData>"
                        + "<row r=\"1\"><c t=\"inlineStr\"><is><t>&b;</t></is></c></row></sheetData></worksheet>"
                )
            ),
            _ => throw new ArgumentOutOfRangeException(nameof(bomb)),
        };

    public static TheoryData<string> All =>
        [
            "a row of number 100,000,000",
            "a last column and a last row",
            "empty styles",
            "merged cells",
            "rows without end",
            "an entity of entities",
        ];

    [Theory]
    [MemberData(nameof(All))]
    public void A_workbook_that_would_be_too_much_is_refused_in_words_wherever_it_is_read(string bomb)
    {
        var file = Made(bomb);
        file.Length.ShouldBeLessThan(2 << 20);
        foreach (
            var read in new Action<List<Fault>>[]
            {
                faults => Bundle.FromFile(new MemoryStream(file), faults).ShouldBeEmpty(),
                faults => ViewBook.Read(new MemoryStream(file), Parts.Channels, faults, out _).ShouldBeNull(),
                faults => ForeignFiles.Read(file, faults).ShouldBeEmpty(),
            }
        )
        {
            var (faults, watch, before) = (
                new List<Fault>(),
                Stopwatch.StartNew(),
                GC.GetAllocatedBytesForCurrentThread()
            );
            read(faults);
            faults.ShouldNotBeEmpty();
            faults.ShouldAllBe(f => f.Message.Length > 20);
            watch.Elapsed.TotalSeconds.ShouldBeLessThan(30);
            (GC.GetAllocatedBytesForCurrentThread() - before).ShouldBeLessThan(300L << 20);
        }
    }

    [Fact]
    public void A_sound_workbook_is_within_bounds()
    {
        var faults = new List<Fault>();
        var file = Book(w =>
            w.Write(
                $"{Head}<sheetData>{Header}<row r=\"3\">{Cell("A3", "X")}{Cell("B3", "An x")}</row></sheetData></worksheet>"
            )
        );
        Bundle.FromFile(new MemoryStream(file), faults).ShouldHaveSingleItem().Rows.ShouldHaveSingleItem();
        faults.ShouldBeEmpty();
    }

    [Fact]
    public void Ten_files_of_very_many_rows_are_refused_before_all_are_read()
    {
        using var bytes = new MemoryStream();
        using (var zip = new ZipArchive(bytes, ZipArchiveMode.Create, leaveOpen: true))
            foreach (var part in Parts.All.Take(10))
            {
                using var writer = new StreamWriter(zip.CreateEntry(part.Name + ".csv").Open());
                writer.Write(string.Join(',', part.Columns.Select(c => c.Name)) + "\n");
                for (var i = 0; i < 1_200_000; i++)
                    writer.Write("1\n");
            }
        bytes.Position = 0;
        var faults = new List<Fault>();
        var before = GC.GetAllocatedBytesForCurrentThread();
        Bundle.FromFile(bytes, faults);
        faults.ShouldContain(f => f.Code == "too-many-rows" || faults.Count > 10_000);
        (GC.GetAllocatedBytesForCurrentThread() - before).ShouldBeLessThan(2000L << 20);
    }

    [Fact]
    public void A_header_is_neutralised_as_cells_are()
    {
        using var bytes = new MemoryStream();
        ListWriter.Csv(
            ["=cmd()", "plain"],
            [
                ["=1+1", "x"],
            ],
            bytes
        );
        Encoding.UTF8.GetString(bytes.ToArray()).ShouldBe("'=cmd(),plain\r\n'=1+1,x\r\n");
    }
}
