using System.Buffers;
using System.Globalization;
using System.Text;
using System.Text.Json;

namespace Assignum.Formats.Json;

/// <summary>JSON written one way: properties sorted by name, nulls left out, numbers without trailing zeros, no white
/// space.</summary>
/// <remarks>Two events are the same when their canonical forms are: spacing, order and 1.0 against 1 make no
/// difference.</remarks>
public static class CanonicalJson
{
    /// <summary>The canonical form of a JSON value.</summary>
    public static string Of(JsonElement json)
    {
        var buffer = new ArrayBufferWriter<byte>(512);
        using (var writer = new Utf8JsonWriter(buffer, new JsonWriterOptions { SkipValidation = true }))
            Write(json, writer);
        return Encoding.UTF8.GetString(buffer.WrittenSpan);
    }

    private static void Write(JsonElement json, Utf8JsonWriter writer)
    {
        switch (json.ValueKind)
        {
            case JsonValueKind.Object:
                writer.WriteStartObject();
                var properties = new List<(string Name, JsonElement Value)>(8);
                foreach (var property in json.EnumerateObject())
                    if (property.Value.ValueKind != JsonValueKind.Null)
                        properties.Add((property.Name, property.Value));
                properties.Sort(static (a, b) => string.CompareOrdinal(a.Name, b.Name));
                foreach (var (name, value) in properties)
                {
                    writer.WritePropertyName(name);
                    Write(value, writer);
                }
                writer.WriteEndObject();
                break;
            case JsonValueKind.Array:
                writer.WriteStartArray();
                foreach (var element in json.EnumerateArray())
                    Write(element, writer);
                writer.WriteEndArray();
                break;
            case JsonValueKind.Number when json.TryGetDecimal(out var number):
                writer.WriteRawValue(
                    number == 0 ? "0" : number.ToString("0.############################", CultureInfo.InvariantCulture),
                    skipInputValidation: true
                );
                break;
            default:
                try
                {
                    json.WriteTo(writer);
                }
                catch (InvalidOperationException)
                {
                    writer.WriteNullValue();
                }
                break;
        }
    }
}
