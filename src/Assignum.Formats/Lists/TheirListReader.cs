using System.Globalization;
using System.Text;
using System.Text.Json;
using Assignum.Core;
using CsvHelper;
using CsvHelper.Configuration;

namespace Assignum.Formats.Lists;

/// <summary>A row of a list of another system: its cells by column.</summary>
public sealed record TheirListRow(IReadOnlyDictionary<string, string> Cells)
{
    /// <summary>A cell; null: it is empty or not there.</summary>
    public string? Text(string column) => Cells.GetValueOrDefault(column);
}

/// <summary>Reads lists of subledgers, as CSV with a header row or as a JSON array of rows.</summary>
public static class TheirListReader
{
    /// <summary>Most rows of a list.</summary>
    public const int MostRows = 200_000;

    /// <summary>Columns that hold numbers.</summary>
    public static IReadOnlyList<string> Numbers { get; } =
    ["quantity", "currencyAmount", "amount", "rate", "debit", "credit"];

    /// <summary>Columns of a trial balance: an amount, debits less credits, or the two sides.</summary>
    public static IReadOnlyList<string> OfTrialBalance { get; } = ["account", "name", "debit", "credit", "amount"];

    /// <summary>All columns that a list can have.</summary>
    public static IReadOnlyList<string> Columns { get; } =
    [
        "party",
        "document",
        "item",
        "location",
        "project",
        "channel",
        "method",
        "order",
        "quantity",
        "currency",
        "currencyAmount",
        "amount",
        "date",
    ];

    /// <summary>Columns of a list that an opening is made of: with the account that each row stands on, its rate and due
    /// day.</summary>
    public static IReadOnlyList<string> OfOpenings { get; } = ["account", .. Columns, "rate", "due"];

    /// <summary>The rows, or every fault with its row.</summary>
    /// <param name="json">Whether it is JSON; otherwise CSV in UTF-8, its cells parted by commas, semicolons or
    /// tabs.</param>
    /// <param name="columns">The columns that it can have; null: <see cref="Columns"/>.</param>
    /// <param name="amounts">Whether every row has an amount.</param>
    public static IReadOnlyList<TheirListRow> Read(
        byte[] body,
        bool json,
        List<Fault> faults,
        IReadOnlyList<string>? columns = null,
        bool amounts = true
    )
    {
        columns ??= Columns;
        var rows = json ? FromJson(body, columns, faults) : FromCsv(body, columns, faults);
        var sides = columns.Contains("debit");
        if (rows.Count > MostRows)
            faults.Add(new Fault("too-many", $"The list has more than {MostRows} rows: send it in parts by source."));
        for (var i = 0; i < rows.Count && faults.Count < 50; i++)
        {
            foreach (var column in Numbers)
                if (rows[i].Text(column) is { } text && Number(text) is null)
                    faults.Add(Of(i, column, "bad-number", $"'{Cut(text)}' is no number: write it as 1234.50."));
            if (
                amounts
                && rows[i].Text("amount") is null
                && !(sides && (rows[i].Text("debit") ?? rows[i].Text("credit")) is not null)
            )
                faults.Add(Of(i, "amount", "missing-field", "the amount is missing."));
            if (sides && rows[i].Text("account") is null)
                faults.Add(Of(i, "account", "missing-field", "the account is missing."));
            foreach (var column in Days)
                if (rows[i].Text(column) is { } day && Day(day) is null)
                    faults.Add(Of(i, column, "bad-date", $"'{Cut(day)}' is no day: write it as YYYY-MM-DD."));
        }
        return rows;
    }

    /// <summary>A number as it is written in a list; null: it is none.</summary>
    public static decimal? Number(string text) =>
        decimal.TryParse(
            text,
            NumberStyles.AllowLeadingSign | NumberStyles.AllowDecimalPoint,
            CultureInfo.InvariantCulture,
            out var number
        )
        && Math.Abs(number) < 1_000_000_000_000_000m
            ? number
            : null;

    /// <summary>A day as it is written in a list; null: it is none.</summary>
    public static DateOnly? Day(string text) =>
        DateOnly.TryParseExact(text, "yyyy-MM-dd", CultureInfo.InvariantCulture, DateTimeStyles.None, out var day)
            ? day
            : null;

    private static readonly string[] Days = ["date", "due"];

    private static Fault Of(int row, string column, string code, string what) =>
        new(code, $"Row {row + 1}, {column}: {what}", $"rows[{row}].{column}");

    private static string Cut(string text) => text.Length > 40 ? text[..40] : text;

    private static List<TheirListRow> FromCsv(byte[] body, IReadOnlyList<string> columns, List<Fault> faults)
    {
        var rows = new List<TheirListRow>();
        try
        {
            using var reader = new StreamReader(new MemoryStream(body), new UTF8Encoding(false, true), true);
            using var csv = new CsvReader(
                reader,
                new CsvConfiguration(CultureInfo.InvariantCulture)
                {
                    MissingFieldFound = null,
                    BadDataFound = null,
                    DetectDelimiter = true,
                    DetectDelimiterValues = [",", ";", "\t"],
                }
            );
            if (!csv.Read() || !csv.ReadHeader() || csv.HeaderRecord is not { } header)
            {
                faults.Add(new Fault("empty", "The list is empty: its first row names the columns."));
                return rows;
            }
            Known(header, columns, faults);
            if (header.Distinct(StringComparer.Ordinal).Count() != header.Length)
                faults.Add(new Fault("twice", "A column is named twice."));
            if (faults.Count > 0)
                return rows;
            while (csv.Read() && rows.Count <= MostRows)
            {
                var cells = new Dictionary<string, string>(StringComparer.Ordinal);
                foreach (var column in header)
                    if (csv.GetField(column)?.Trim() is { Length: > 0 } cell)
                        cells[column] = cell;
                if (cells.Count > 0)
                    rows.Add(new TheirListRow(cells));
            }
        }
        catch (Exception e) when (e is CsvHelperException or DecoderFallbackException)
        {
            faults.Add(new Fault("bad-csv", "The list is no CSV in UTF-8 with a header row."));
        }
        return rows;
    }

    private static List<TheirListRow> FromJson(byte[] body, IReadOnlyList<string> columns, List<Fault> faults)
    {
        var rows = new List<TheirListRow>();
        try
        {
            using var json = JsonDocument.Parse(body, Json.EventReader.Options);
            if (json.RootElement.ValueKind != JsonValueKind.Array)
            {
                faults.Add(new Fault("wrong-type", "A list is a JSON array of rows."));
                return rows;
            }
            foreach (var element in json.RootElement.EnumerateArray())
            {
                if (rows.Count > MostRows)
                    break;
                if (element.ValueKind != JsonValueKind.Object)
                {
                    faults.Add(new Fault("wrong-type", $"Row {rows.Count + 1} is no JSON object."));
                    return rows;
                }
                var cells = new Dictionary<string, string>(StringComparer.Ordinal);
                Known(element.EnumerateObject().Select(p => p.Name), columns, faults);
                if (faults.Count > 0)
                    return rows;
                foreach (var property in element.EnumerateObject())
                    if (property.Value.ValueKind is JsonValueKind.String or JsonValueKind.Number)
                        cells[property.Name] =
                            property.Value.ValueKind == JsonValueKind.String
                                ? property.Value.GetString()!.Trim()
                                : property.Value.GetRawText();
                    else if (property.Value.ValueKind != JsonValueKind.Null)
                        faults.Add(Of(rows.Count, property.Name, "wrong-type", "it is a text or a number."));
                rows.Add(new TheirListRow(cells.Where(c => c.Value.Length > 0).ToDictionary(StringComparer.Ordinal)));
            }
        }
        catch (Exception e) when (e is JsonException or InvalidOperationException)
        {
            faults.Add(new Fault("bad-json", "This is no valid JSON."));
        }
        return rows;
    }

    private static void Known(IEnumerable<string> named, IReadOnlyList<string> columns, List<Fault> faults)
    {
        foreach (var column in named)
            if (!columns.Contains(column))
                faults.Add(
                    new Fault(
                        "unknown-field",
                        $"'{Cut(column)}' is no column of a list; did you mean '{Nearest.To(Cut(column), columns)}'?",
                        Cut(column)
                    )
                );
    }
}
