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
        // Reused: every event that comes is written once.
        var (buffer, writer) = tools ??= NewTools();
        try
        {
            Write(json, writer);
            writer.Flush();
            return Encoding.UTF8.GetString(buffer.WrittenSpan);
        }
        finally
        {
            buffer.ResetWrittenCount();
            writer.Reset();
            if (buffer.Capacity > LargestKept)
                tools = null;
        }
    }

    private const int LargestKept = 1 << 16;

    [ThreadStatic]
    private static (ArrayBufferWriter<byte> Buffer, Utf8JsonWriter Writer)? tools;

    private static (ArrayBufferWriter<byte>, Utf8JsonWriter) NewTools()
    {
        var buffer = new ArrayBufferWriter<byte>(1 << 12);
        return (buffer, new Utf8JsonWriter(buffer, new JsonWriterOptions { SkipValidation = true }));
    }

    private static void Number(decimal number, Utf8JsonWriter writer)
    {
        Span<byte> text = stackalloc byte[64];
        number.TryFormat(text, out var length, default, CultureInfo.InvariantCulture);
        text = text[..length];
        if (text.Contains((byte)'.'))
            text = text.TrimEnd((byte)'0').TrimEnd((byte)'.');
        writer.WriteRawValue(number == 0 ? "0"u8 : text, skipInputValidation: true);
    }

    private static void Properties(JsonElement json, Utf8JsonWriter writer)
    {
        var rented = ArrayPool<(string Name, JsonElement Value)>.Shared.Rent(json.GetPropertyCount());
        var count = 0;
        try
        {
            foreach (var property in json.EnumerateObject())
                if (property.Value.ValueKind != JsonValueKind.Null)
                    rented[count++] = (FieldNames.Of(property), property.Value);
            var properties = rented.AsSpan(0, count);
            properties.Sort(static (a, b) => string.CompareOrdinal(a.Name, b.Name));
            foreach (var (name, value) in properties)
            {
                writer.WritePropertyName(name);
                Write(value, writer);
            }
        }
        finally
        {
            rented.AsSpan(0, count).Clear();
            ArrayPool<(string Name, JsonElement Value)>.Shared.Return(rented);
        }
    }

    private static void Write(JsonElement json, Utf8JsonWriter writer)
    {
        switch (json.ValueKind)
        {
            case JsonValueKind.Object:
                writer.WriteStartObject();
                Properties(json, writer);
                writer.WriteEndObject();
                break;
            case JsonValueKind.Array:
                writer.WriteStartArray();
                foreach (var element in json.EnumerateArray())
                    Write(element, writer);
                writer.WriteEndArray();
                break;
            case JsonValueKind.Number when json.TryGetDecimal(out var number):
                Number(number, writer);
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
