using System.Globalization;
using System.Text;
using System.Text.RegularExpressions;
using System.Xml;
using DocumentFormat.OpenXml;
using DocumentFormat.OpenXml.Packaging;
using DocumentFormat.OpenXml.Spreadsheet;

namespace Assignum.Formats.Lists;

/// <summary>A value list on a column: what a spreadsheet offers there.</summary>
/// <param name="Column">Counts from 0.</param>
/// <param name="Source">A range such as <c>accounts!$A$2:$A$65</c>, or words in quotation marks joined by
/// commas.</param>
/// <param name="Only">Whether other values are turned away; otherwise they are asked about.</param>
public sealed record ValueList(int Column, string Source, bool Only);

/// <summary>How a cell's text stands out.</summary>
public enum Tone
{
    Firm,
    Light,
}

/// <summary>Text that stands out in a sheet.</summary>
public sealed record Toned(string Text, Tone Tone);

/// <summary>How a sheet looks.</summary>
/// <param name="Hidden">It is not shown, and a person cannot unhide it from the menu.</param>
/// <param name="Folded">Columns that are there and not shown, counted from 0.</param>
public sealed record SheetLook(bool Hidden = false, IReadOnlySet<int>? Folded = null);

/// <summary>Writes sheets of a workbook (ECMA-376): frozen header, filter, value lists; text is never a
/// formula.</summary>
public static partial class XlsxSheet
{
    /// <summary>Most rows a sheet can have, the header among them.</summary>
    public const int MostRows = 1_048_576;

    private const uint Heading = 1,
        Day = 2,
        Grey = 3;

    /// <summary>Opens a workbook with the styles that sheets use.</summary>
    public static WorkbookPart Begin(SpreadsheetDocument book)
    {
        var workbook = book.AddWorkbookPart();
        workbook.Workbook = new Workbook(new Sheets());
        workbook.AddNewPart<WorkbookStylesPart>().Stylesheet = new Stylesheet(
            new NumberingFormats(new NumberingFormat { NumberFormatId = 164, FormatCode = "yyyy\\-mm\\-dd" }),
            new Fonts(new Font(), new Font(new Bold()), new Font(new Italic(), new Color { Rgb = "FF5B6472" })),
            new Fills(
                new Fill(new PatternFill { PatternType = PatternValues.None }),
                new Fill(new PatternFill { PatternType = PatternValues.Gray125 })
            ),
            new Borders(new Border()),
            new CellStyleFormats(new CellFormat()),
            new CellFormats(
                new CellFormat(),
                new CellFormat { FontId = 1, ApplyFont = true },
                new CellFormat { NumberFormatId = 164, ApplyNumberFormat = true },
                new CellFormat { FontId = 2, ApplyFont = true }
            )
        );
        return workbook;
    }

    /// <summary>Adds a sheet. Cells are null, text, <see cref="Toned"/>, <see cref="decimal"/>, <see cref="int"/> or
    /// <see cref="DateOnly"/>; rows are streamed.</summary>
    public static void Add(
        WorkbookPart workbook,
        string name,
        IReadOnlyList<string> header,
        IEnumerable<object?[]> rows,
        IReadOnlyList<ValueList> lists,
        SheetLook? look = null
    )
    {
        var sheet = workbook.AddNewPart<WorksheetPart>();
        var last = 1;
        using (var writer = OpenXmlWriter.Create(sheet))
        {
            writer.WriteStartElement(new Worksheet());
            writer.WriteElement(
                new SheetViews(
                    new SheetView(
                        new Pane
                        {
                            VerticalSplit = 1,
                            TopLeftCell = "A2",
                            ActivePane = PaneValues.BottomLeft,
                            State = PaneStateValues.Frozen,
                        }
                    )
                    {
                        WorkbookViewId = 0,
                    }
                )
            );
            writer.WriteElement(
                new Columns(
                    header.Select(
                        (h, i) =>
                            new Column
                            {
                                Min = (uint)i + 1,
                                Max = (uint)i + 1,
                                Width = Math.Clamp(h.Length + 4, 12, 30),
                                CustomWidth = true,
                                Hidden = look?.Folded?.Contains(i) == true ? true : null,
                            }
                    )
                )
            );
            writer.WriteStartElement(new SheetData());
            writer.WriteElement(new Row(header.Select(h => Text(h, Heading))));
            foreach (var row in rows)
            {
                writer.WriteElement(new Row(row.Select(Cell)));
                last++;
            }
            writer.WriteEndElement();
            if (header.Count > 0)
                writer.WriteElement(new AutoFilter { Reference = $"A1:{Letters(header.Count)}{last}" });
            if (lists.Count > 0)
                writer.WriteElement(
                    new DataValidations(lists.Select(l => Validation(l, Math.Min(MostRows, last + 1000))))
                    {
                        Count = (uint)lists.Count,
                    }
                );
            writer.WriteEndElement();
        }
        var sheets = workbook.Workbook!.Sheets!;
        sheets.Append(
            new Sheet
            {
                Id = workbook.GetIdOfPart(sheet),
                SheetId = (uint)sheets.Count() + 1,
                Name = name,
                State = look?.Hidden == true ? SheetStateValues.VeryHidden : null,
            }
        );
    }

    /// <summary>A column's letters: 1 is A, 27 is AA.</summary>
    public static string Letters(int column) => Core.Tables.Foreign.ForeignProposal.Letters(column);

    private static DataValidation Validation(ValueList list, int last) =>
        new(new Formula1(list.Source))
        {
            Type = DataValidationValues.List,
            AllowBlank = true,
            ShowErrorMessage = true,
            ShowInputMessage = true,
            ErrorStyle = list.Only ? DataValidationErrorStyleValues.Stop : DataValidationErrorStyleValues.Warning,
            SequenceOfReferences = new ListValue<StringValue>
            {
                InnerText = $"{Letters(list.Column + 1)}2:{Letters(list.Column + 1)}{last}",
            },
        };

    private static Cell Cell(object? value) =>
        value switch
        {
            null => new Cell(),
            decimal number => new Cell
            {
                DataType = CellValues.Number,
                CellValue = new CellValue(number.ToString(CultureInfo.InvariantCulture)),
            },
            int number => new Cell { DataType = CellValues.Number, CellValue = new CellValue(number) },
            DateOnly day when day.Year >= 1901 => new Cell
            {
                StyleIndex = Day,
                CellValue = new CellValue(day.ToDateTime(default).ToOADate().ToString(CultureInfo.InvariantCulture)),
            },
            Toned toned => Text(toned.Text, toned.Tone == Tone.Firm ? Heading : Grey),
            IFormattable other => Text(other.ToString(null, CultureInfo.InvariantCulture), 0),
            _ => Text(value.ToString()!, 0),
        };

    // Inline text is never a formula, whatever it begins with.
    private static Cell Text(string text, uint style) =>
        new(new InlineString(new Text(Escape(text)) { Space = SpaceProcessingModeValues.Preserve }))
        {
            DataType = CellValues.InlineString,
            StyleIndex = style,
        };

    // What XML cannot hold is written _xHHHH_ (ECMA-376 part 1, 22.4.2.4), and so is what looks like it.
    private static string Escape(string text)
    {
        if (!text.Contains('_') && text.All(c => c != '\r' && XmlConvert.IsXmlChar(c)))
            return text;
        var escaped = new StringBuilder(text.Length + 16);
        text = LooksEscaped().Replace(text, "_x005F_$1");
        for (var i = 0; i < text.Length; i++)
        {
            var pair = i + 1 < text.Length && char.IsSurrogatePair(text[i], text[i + 1]);
            if (pair)
                escaped.Append(text[i++]).Append(text[i]);
            else if (text[i] == '\r' || !XmlConvert.IsXmlChar(text[i]))
                escaped.Append(CultureInfo.InvariantCulture, $"_x{(int)text[i]:X4}_");
            else
                escaped.Append(text[i]);
        }
        return escaped.ToString();
    }

    [GeneratedRegex("_(x[0-9A-Fa-f]{4}_)")]
    private static partial Regex LooksEscaped();
}
