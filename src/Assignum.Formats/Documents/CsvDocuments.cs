using System.Globalization;
using System.Text.Json.Nodes;
using Assignum.Core;
using Assignum.Core.Events;
using CsvHelper;
using CsvHelper.Configuration;

namespace Assignum.Formats.Documents;

/// <summary>Reads CSV with a row a document line: rows of the same <c>id</c> are one document, a line for each. Columns bear
/// the names of an event's fields; those of a line stand for the row's line.</summary>
internal static class CsvDocuments
{
    private static readonly Dictionary<string, FieldType> OfEvent = EventFields
        .OfEvent.Select(f => (f.Name, f.Type))
        .Concat([("id", FieldType.Text), ("kind", FieldType.Text)])
        .ToDictionary(f => f.Item1, f => f.Item2, StringComparer.OrdinalIgnoreCase);

    private static readonly Dictionary<string, FieldType> OfLine = EventFields.OfLine.ToDictionary(
        f => f.Name,
        f => f.Type,
        StringComparer.OrdinalIgnoreCase
    );

    // Of fields that both have, these are the document's.
    private static readonly HashSet<string> Heads = new(StringComparer.OrdinalIgnoreCase)
    {
        "party",
        "location",
        "currency",
        "rate",
        "channel",
        "method",
        "amount",
        "due",
        "order",
        "reference",
        "date",
    };

    public static IEnumerable<FileDocument> Read(Stream file, FileReading how, Action<IReadOnlyList<string>>? columns)
    {
        using var text = new StreamReader(file);
        using var csv = new CsvReader(
            text,
            new CsvConfiguration(CultureInfo.InvariantCulture)
            {
                DetectDelimiter = true,
                DetectDelimiterValues = [",", ";", "\t"],
                BadDataFound = null,
                MissingFieldFound = null,
                IgnoreBlankLines = true,
                TrimOptions = TrimOptions.Trim,
            }
        );
        if (!csv.Read() || !csv.ReadHeader() || csv.HeaderRecord is not { Length: > 0 } header)
        {
            yield return new FileDocument("", null, new Fault("empty-file", "The file has no header."));
            yield break;
        }
        var unknown = header.Where(h => !OfEvent.ContainsKey(h) && !OfLine.ContainsKey(h)).ToList();
        if (unknown.Count > 0 || !header.Contains("id", StringComparer.OrdinalIgnoreCase))
        {
            yield return new FileDocument(
                "line 1",
                null,
                new Fault(
                    "unknown-column",
                    unknown.Count > 0
                        ? $"No field is called {Named(unknown)}: columns bear " + "the names of an event's fields."
                        : "A column 'id' says which rows are one document.",
                    "line 1"
                )
            );
            yield break;
        }
        if (how.Columns is { } before && !before.SequenceEqual(header, StringComparer.OrdinalIgnoreCase))
        {
            yield return new FileDocument(
                "line 1",
                null,
                new Fault(
                    "columns-changed",
                    "Its columns are others than before: "
                        + string.Join(
                            ", ",
                            header
                                .Except(before, StringComparer.OrdinalIgnoreCase)
                                .Take(5)
                                .DefaultIfEmpty("fewer, or in another order")
                        )
                        + ". Say that these are meant from now on.",
                    "line 1"
                )
            );
            yield break;
        }
        columns?.Invoke(header);
        JsonObject? current = null;
        var place = "";
        while (csv.Read())
        {
            var row = csv.Parser.RawRow;
            var id = csv.GetField("id") ?? "";
            if (current is null || (string?)current["id"] != id)
            {
                if (current is not null)
                    yield return new FileDocument(place, current, null);
                (current, place) = (new JsonObject { ["id"] = id, ["lines"] = new JsonArray() }, $"line {row}");
                foreach (
                    var name in header.Where(h =>
                        OfEvent.ContainsKey(h) && (Heads.Contains(h) || !OfLine.ContainsKey(h))
                    )
                )
                    Put(current, name, OfEvent[name], csv.GetField(name));
            }
            var line = new JsonObject();
            foreach (var name in header.Where(h => OfLine.ContainsKey(h) && !Heads.Contains(h)))
                Put(line, name, OfLine[name], csv.GetField(name));
            if (line.Count > 0)
                ((JsonArray)current["lines"]!).Add(line);
        }
        if (current is not null)
            yield return new FileDocument(place, current, null);
    }

    private static string Named(IEnumerable<string> columns) =>
        string.Join(", ", columns.Take(5).Select(u => u.Length > 40 ? u[..40] : u));

    private static void Put(JsonObject to, string column, FieldType type, string? text)
    {
        if (string.IsNullOrEmpty(text))
            return;
        var name = (OfEvent.Keys.Concat(OfLine.Keys)).First(k => k.Equals(column, StringComparison.OrdinalIgnoreCase));
        to[name] =
            decimal.TryParse(
                text,
                NumberStyles.AllowLeadingSign | NumberStyles.AllowDecimalPoint,
                CultureInfo.InvariantCulture,
                out var number
            ) && IsNumber(type)
                ? JsonValue.Create(number)
            : text is "true" or "false" && type == FieldType.Flag ? JsonValue.Create(text == "true")
            : JsonValue.Create(text);
    }

    private static bool IsNumber(FieldType type) =>
        type
            is FieldType.Amount
                or FieldType.Price
                or FieldType.Quantity
                or FieldType.Rate
                or FieldType.Percent
                or FieldType.Share;
}
