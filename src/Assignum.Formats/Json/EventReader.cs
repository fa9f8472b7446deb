using System.Buffers;
using System.Globalization;
using System.Runtime.InteropServices;
using System.Text;
using System.Text.Json;
using Assignum.Core;
using Assignum.Core.Events;
using Assignum.Core.Money;

namespace Assignum.Formats.Json;

/// <summary>An event as it was sent: the parsed event, or what is wrong with its form.</summary>
/// <param name="Canonical">The JSON with its properties sorted and numbers plain: equal for events that are equal as
/// parsed JSON.</param>
public sealed record ReadEvent(BusinessEvent Event, IReadOnlyList<Fault> Faults, string Canonical);

/// <summary>Reads the JSON of events by the table of <see cref="EventFields"/>. Money is read as decimal, never as
/// binary floating point.</summary>
public static class EventReader
{
    /// <summary>Most lines, charges or settlements one event may have.</summary>
    public const int MostLines = 10_000;

    /// <summary>Longest text of a field, in characters.</summary>
    public const int LongestText = 2_000;

    /// <summary>How event JSON is parsed: depth bounded, comments and trailing commas refused.</summary>
    public static readonly JsonDocumentOptions Options = new() { MaxDepth = 16, AllowDuplicateProperties = false };

    /// <summary>Reads one event from a JSON value.</summary>
    public static ReadEvent Read(JsonElement json)
    {
        var source = new BusinessEvent();
        var faults = new List<Fault>();
        if (json.ValueKind != JsonValueKind.Object)
            return new ReadEvent(source, [new Fault("not-an-event", "An event is a JSON object.", "")], "null");
        try
        {
            Fill(source, json, faults);
        }
        // Of a name that is no text nothing can be said but that.
        catch (InvalidOperationException)
        {
            faults.Add(BadName());
            return new ReadEvent(source, faults, "");
        }
        Needed("source", source.Source, faults);
        Needed("id", source.Id, faults);
        Needed("kind", source.Kind, faults);
        return new ReadEvent(source, faults, CanonicalJson.Of(json));
    }

    /// <summary>What is wrong with an event whose JSON holds a name that is no text.</summary>
    public static Fault BadName() =>
        new("bad-character", "A name in it holds bytes that are no text (UTF-8), or half a character.");

    private static void Fill(BusinessEvent source, JsonElement json, List<Fault> faults)
    {
        foreach (var property in json.EnumerateObject())
        {
            var name = FieldNames.Of(property);
            switch (name)
            {
                case "source":
                    source.Source = Text(property.Value, new("source"), 100, faults) ?? "";
                    break;
                case "id":
                    source.Id = Text(property.Value, new("id"), 200, faults) ?? "";
                    break;
                case "kind":
                    source.Kind = Text(property.Value, new("kind"), 100, faults) ?? "";
                    break;
                case "lines":
                    source.Lines = List(property.Value, "lines", EventFields.OfLine, faults);
                    break;
                case "charges":
                    source.Charges = List(property.Value, "charges", EventFields.OfCharge, faults);
                    break;
                case "settles":
                    source.Settles = List(property.Value, "settles", EventFields.OfSettlement, faults);
                    break;
                case "settlesPayables":
                    source.SettlesPayables = List(property.Value, "settlesPayables", EventFields.OfSettlement, faults);
                    break;
                case "deposits":
                    source.Deposits = List(property.Value, "deposits", EventFields.OfDeposit, faults);
                    break;
                default:
                    Field(source, name, property.Value, null, 0, EventFields.OfEvent, faults);
                    break;
            }
        }
    }

    private static void Needed(string name, string value, List<Fault> faults)
    {
        if (value.Length == 0 && !faults.Any(f => f.Path == name))
            faults.Add(
                new Fault("missing-field", $"{EventPlace.InWords(name)} is missing; every event needs it.", name)
            );
    }

    /// <summary>Reads one event from text; text that is no JSON becomes an event with that fault.</summary>
    public static ReadEvent Parse(string text)
    {
        try
        {
            using var json = JsonDocument.Parse(text, Options);
            return Read(json.RootElement);
        }
        catch (JsonException)
        {
            return new ReadEvent(new BusinessEvent(), [new Fault("bad-json", "This is no valid JSON.")], "");
        }
        catch (InvalidOperationException)
        {
            return new ReadEvent(new BusinessEvent(), [BadName()], "");
        }
    }

    private static List<T> List<T>(JsonElement json, string name, EventFieldTable<T> fields, List<Fault> faults)
        where T : new()
    {
        var list = new List<T>();
        if (json.ValueKind == JsonValueKind.Null)
            return list;
        if (json.ValueKind != JsonValueKind.Array)
        {
            faults.Add(new Fault("wrong-type", $"'{name}' is a JSON array.", name));
            return list;
        }
        if (json.GetArrayLength() > MostLines)
        {
            faults.Add(
                new Fault(
                    "too-many",
                    $"'{name}' has {json.GetArrayLength()} entries; at most {MostLines} are taken.",
                    name
                )
            );
            return list;
        }
        foreach (var element in json.EnumerateArray())
        {
            var entry = new T();
            if (element.ValueKind != JsonValueKind.Object)
                faults.Add(new Fault("wrong-type", $"{name}[{list.Count}] is a JSON object.", $"{name}[{list.Count}]"));
            else
                foreach (var property in element.EnumerateObject())
                    Field(entry, FieldNames.Of(property), property.Value, name, list.Count, fields, faults);
            list.Add(entry);
        }
        return list;
    }

    private static void Field<T>(
        T target,
        string name,
        JsonElement json,
        string? list,
        int at,
        EventFieldTable<T> fields,
        List<Fault> faults
    )
    {
        if (fields.Find(name) is not { } field)
        {
            var path = Cut(new FieldPlace(name, list, at));
            faults.Add(
                new Fault(
                    "unknown-field",
                    $"{EventPlace.InWords(path)} is no field here; did you mean "
                        + $"'{Nearest.To(name, fields.Select(f => f.Name))}'?",
                    path
                )
            );
            return;
        }
        if (json.ValueKind == JsonValueKind.Null)
            return;
        if (Value(json, field.Type, new(field.Name, list, at), faults) is { } value)
            field.Set(target, value);
    }

    private static string? Word(JsonElement json, FieldPlace path, IReadOnlyList<string> words, List<Fault> faults)
    {
        var word = Text(json, path, LongestText, faults);
        if (word is null || words.Contains(word))
            return word;
        faults.Add(
            new Fault(
                "unknown-word",
                $"{EventPlace.InWords(path)} is {string.Join(" or ", words.Select(w => $"'{w}'"))}.",
                path
            )
        );
        return null;
    }

    private static object? Value(JsonElement json, FieldType type, FieldPlace path, List<Fault> faults)
    {
        switch (type)
        {
            case FieldType.Amount
            or FieldType.Price
            or FieldType.Quantity
            or FieldType.Rate
            or FieldType.Percent
            or FieldType.Share:
                return Number(json, path, faults);
            case FieldType.Date:
                return Date(json, path, faults);
            case FieldType.Flag:
                if (json.ValueKind is JsonValueKind.True or JsonValueKind.False)
                    return json.GetBoolean();
                faults.Add(new Fault("wrong-type", $"{EventPlace.InWords(path)} is true or false.", path));
                return null;
            case FieldType.Dimensions:
                return Dimensions(json, path, faults);
            case FieldType.Transit:
                return Word(json, path, ["in", "out"], faults);
            case FieldType.Side:
                return Word(json, path, ["customer", "supplier"], faults);
            case FieldType.CutOff:
                return Word(json, path, Core.Entries.Kinds.CutOff.Words, faults);
            default:
                var text = Text(json, path, LongestText, faults);
                return text is { Length: 0 } ? null : text;
        }
    }

    private static string? Text(JsonElement json, FieldPlace path, int longest, List<Fault> faults)
    {
        if (json.ValueKind != JsonValueKind.String)
        {
            faults.Add(new Fault("wrong-type", $"{EventPlace.InWords(path)} is a text in quotation marks.", path));
            return null;
        }
        string text;
        try
        {
            text = json.GetString()!;
        }
        catch (InvalidOperationException)
        {
            faults.Add(
                new Fault(
                    "bad-character",
                    $"{EventPlace.InWords(path)} holds half a character (an unpaired surrogate).",
                    path
                )
            );
            return null;
        }
        if (text.Length > longest)
        {
            faults.Add(
                new Fault(
                    "too-long",
                    $"{EventPlace.InWords(path)} has {text.Length} characters; at most {longest} are taken.",
                    path
                )
            );
            return null;
        }
        if (text.Contains('\0'))
        {
            faults.Add(new Fault("bad-character", $"{EventPlace.InWords(path)} holds a zero character.", path));
            return null;
        }
        return text;
    }

    private static string Short(string text) => text.Length <= 40 ? $"'{text}'" : $"'{text[..40]}…'";

    private static object? Number(JsonElement json, FieldPlace path, List<Fault> faults)
    {
        if (json.ValueKind != JsonValueKind.Number)
        {
            // A form passes on what it cannot read as a number.
            var why = "";
            if (json.ValueKind == JsonValueKind.String)
                WrittenNumber.Of(json.ToString(), out why);
            faults.Add(
                new Fault(
                    "wrong-type",
                    why.Length > 0
                        ? $"{EventPlace.InWords(path)}: {Short(json.ToString())} {why}."
                        : $"{EventPlace.InWords(path)} is a number, without quotation marks.",
                    path
                )
            );
            return null;
        }
        if (!json.TryGetDecimal(out var number) || Math.Abs(number) > EventFields.LargestAmount || number.Scale > 12)
        {
            faults.Add(
                new Fault(
                    "too-large",
                    $"{EventPlace.InWords(path)} has too many digits: at most 12 before the point and 12 after it are taken.",
                    path
                )
            );
            return null;
        }
        return number;
    }

    private static object? Date(JsonElement json, FieldPlace path, List<Fault> faults)
    {
        Span<char> text = stackalloc char[12];
        if (
            json.ValueKind == JsonValueKind.String
            && JsonMarshal.GetRawUtf8Value(json) is { Length: 12 } raw
            && Ascii.ToUtf16(raw, text, out _) == OperationStatus.Done
            && DateOnly.TryParseExact(
                text[1..11],
                "yyyy-MM-dd",
                CultureInfo.InvariantCulture,
                DateTimeStyles.None,
                out var date
            )
            && date.Year is >= 1900 and <= 2200
        )
            return date;
        faults.Add(
            new Fault(
                "bad-date",
                $"{EventPlace.InWords(path)} is no date between 1900 and 2200: write it as YYYY-MM-DD.",
                path
            )
        );
        return null;
    }

    private static Dictionary<string, string>? Dimensions(JsonElement json, FieldPlace path, List<Fault> faults)
    {
        if (json.ValueKind != JsonValueKind.Object)
        {
            faults.Add(new Fault("wrong-type", $"{EventPlace.InWords(path)} is a JSON object of texts.", path));
            return null;
        }
        var values = new Dictionary<string, string>(StringComparer.Ordinal);
        foreach (var property in json.EnumerateObject())
        {
            var name = property.Name;
            if (name.Contains('\0'))
                faults.Add(
                    new Fault("bad-character", $"A name in {EventPlace.InWords(path)} holds a zero character.", path)
                );
            else if (name.Length > 100)
                faults.Add(
                    new Fault("too-long", $"A name in {EventPlace.InWords(path)} has more than 100 characters.", path)
                );
            else if (Text(property.Value, new($"{path}.{name}"), 100, faults) is { } text)
                values[name] = text;
        }
        return values;
    }

    private static string Cut(string text) => text.Length > 60 ? text[..60] + "…" : text;
}
