using System.Globalization;
using System.Text.Json;
using System.Text.Json.Nodes;
using Assignum.Core;
using Assignum.Core.Events;
using Assignum.Core.Pairing;

namespace Assignum.Formats.Json;

/// <summary>An event of theirs as its JSON says it.</summary>
/// <param name="Faults">Why it can never post as it is.</param>
/// <param name="Voids">The event that it declares void; null: it is no such event.</param>
public sealed record TheirEvent(
    BusinessEvent Event,
    string Canonical,
    long? Sequence,
    string? Voids,
    IReadOnlyList<Fault> Faults,
    IReadOnlyCollection<string> Unknown
)
{
    /// <summary>What the document says that it comes to: <c>gross</c> and <c>tax</c>, in its currency; null where it does not
    /// say.</summary>
    public (decimal? Gross, decimal? Tax) Totals { get; init; }

    /// <summary>About what the event comes to without tax: its amount, or what its lines and charges add up to.</summary>
    public decimal Amount
    {
        get
        {
            if (Event.Amount is { } amount)
                return Math.Abs(amount);
            try
            {
                return Math.Abs(
                    Event.Lines.Sum(l =>
                        l.Amount ?? (l.Quantity ?? 1) * (l.UnitPrice ?? l.UnitCost ?? 0) - (l.Discount ?? 0)
                    ) + Event.Charges.Sum(c => c.Amount)
                );
            }
            catch (OverflowException)
            {
                return 0;
            }
        }
    }
}

/// <summary>Reads what the link gives: records and events, as far as they can be read.</summary>
public static class LinkJson
{
    /// <summary>Longest id, name and word of theirs, in characters.</summary>
    public const int LongestId = 200,
        LongestName = 1000;

    private const int LongestBody = 20_000;

    private static readonly string[] OfAll = ["id", "name", "status", "mergedInto", "changed"];

    private static readonly Dictionary<string, string[]> Known = new(StringComparer.Ordinal)
    {
        ["account"] = ["type", "parent", "path", "currency"],
        ["tax-code"] = ["rate", "from", "authority", "direction"],
        ["party"] = ["kind", "taxNumber", "country", "currency"],
        ["item"] = ["nature", "group", "cost", "costing", "accounts"],
        ["project"] = ["parent", "customer"],
        ["person"] = ["email", "team"],
    };

    /// <summary>Reads a record.</summary>
    /// <returns>The record, or what is wrong with it.</returns>
    public static (CameRecord? Record, string? Wrong) Record(string kind, JsonElement json)
    {
        if (json.ValueKind != JsonValueKind.Object)
            return (null, "a record is no JSON object");
        string? Text(string name) =>
            json.TryGetProperty(name, out var value) && value.ValueKind == JsonValueKind.String
                ? value.GetString()
                : null;
        try
        {
            if (Text("id") is not { Length: > 0 } id)
                return (null, "a record has no id");
            if (id.Length > LongestId || Unclean(id))
                return (null, $"a record's id has more than {LongestId} characters, or signs that are no text");
            var name = Text("name") ?? "";
            if (name.Length > LongestName || Unclean(name))
                return (null, $"{id}: its name has more than {LongestName} characters, or signs that are no text");
            if (json.GetRawText().Length > LongestBody)
                return (null, $"{id}: the record is larger than {LongestBody} characters");
            var status = Text("status") ?? "active";
            if (status is not ("active" or "archived" or "deleted"))
                return (null, $"{id}: its status is '{(status.Length > 20 ? status[..20] : status)}', which is none");
            var merged = Text("mergedInto") is { Length: > 0 and <= LongestId } into && !Unclean(into) ? into : null;
            var known = Known.GetValueOrDefault(kind, []);
            var body = new JsonObject();
            var unknown = new List<string>();
            foreach (var property in json.EnumerateObject())
                if (!OfAll.Contains(property.Name))
                {
                    if (!known.Contains(property.Name))
                        unknown.Add(property.Name.Length > 60 ? property.Name[..60] : property.Name);
                    if (!Unclean(property.Value.GetRawText()))
                        body[property.Name] = JsonNode.Parse(property.Value.GetRawText());
                }
            decimal? rate =
                json.TryGetProperty("rate", out var r)
                && r.ValueKind == JsonValueKind.Number
                && r.TryGetDecimal(out var percent)
                && percent is >= 0 and <= 1000
                    ? percent
                    : null;
            return (new CameRecord(id, name, status, merged, rate, body.ToJsonString(), unknown), null);
        }
        catch (InvalidOperationException)
        {
            return (null, "a record holds half a character");
        }
    }

    // What the database cannot hold as text.
    private static bool Unclean(string text) =>
        text.Contains('\0', StringComparison.Ordinal) || text.Contains("\\u0000", StringComparison.Ordinal);

    /// <summary>Reads an event. Its source is ours to say; fields that nobody knows are left out, unless they are a
    /// letter away from one that is known.</summary>
    /// <param name="source">Code of the connection.</param>
    public static TheirEvent Event(string source, JsonElement json)
    {
        static TheirEvent No(string canonical, string message) =>
            new(new BusinessEvent(), canonical, null, null, [new Fault("unreadable", message)], []);
        if (json.ValueKind != JsonValueKind.Object)
            return No("null", "It is no JSON object.");
        string canonical;
        var unknown = new HashSet<string>(StringComparer.Ordinal);
        JsonObject cleaned;
        try
        {
            canonical = CanonicalJson.Of(json);
            if (Unclean(canonical))
                return No("null", "It holds signs that are no text.");
            cleaned = (JsonObject)JsonNode.Parse(json.GetRawText())!;
            cleaned["source"] = source;
            Clean(cleaned, OfEvent, unknown);
            foreach (var list in EventFields.Lists)
                if (cleaned[list] is JsonArray rows)
                    foreach (var row in rows.OfType<JsonObject>())
                        Clean(row, [.. EventFields.Of(list).Select(f => f.Name)], unknown);
        }
        catch (Exception e) when (e is InvalidOperationException or JsonException or ArgumentException)
        {
            return No("null", "It holds half a character, or a name twice.");
        }
        var totals = cleaned["totals"] as JsonObject;
        cleaned.Remove("totals");
        decimal? Total(string name) =>
            totals?[name] is JsonValue value && value.TryGetValue<decimal>(out var of) ? of : null;
        var voids = (string?)null;
        if (cleaned["kind"] is JsonValue k && k.TryGetValue<string>(out var kind) && kind == LinkKind.Void)
        {
            voids = cleaned["voids"] is JsonValue v && v.TryGetValue<string>(out var of) ? of : "";
            cleaned.Remove("voids");
        }
        using var document = JsonDocument.Parse(cleaned.ToJsonString());
        var read = EventReader.Read(document.RootElement);
        var faults = read.Faults.ToList();
        if (voids is { Length: 0 } or { Length: > LongestId })
            faults.Add(new Fault("missing-field", "It does not say which event it declares void.", "voids"));
        long? sequence = null;
        if (read.Event.Sequence is { } number)
            if (number >= 1 && number <= long.MaxValue / 2 && number == decimal.Truncate(number))
                sequence = (long)number;
            else
                faults.Add(new Fault("out-of-range", "Its sequence is a whole number from 1 on.", "sequence"));
        return new TheirEvent(read.Event, canonical, sequence, voids, faults, unknown)
        {
            Totals = (Total("gross"), Total("tax")),
        };
    }

    private static readonly string[] OfEvent =
    [
        "source",
        "id",
        "kind",
        "voids",
        "totals",
        .. EventFields.Lists,
        .. EventFields.OfEvent.Select(f => f.Name),
    ];

    private static void Clean(JsonObject row, IReadOnlyCollection<string> known, HashSet<string> unknown)
    {
        foreach (var name in row.Select(p => p.Key).ToList())
            if (!known.Contains(name) && !Nearest.Among(name, known, 1).Any())
            {
                row.Remove(name);
                unknown.Add((name.Length > 60 ? name[..60] : name).Replace(' ', '_'));
            }
    }
}
