using System.Text.Json;
using System.Text.Json.Serialization;
using Assignum.Core;

namespace Assignum.Formats.Json;

/// <summary>A fault as JSON: code, message, path, purpose and account. Where it stands in a table is told by those who
/// answer about tables.</summary>
public sealed class FaultJson : JsonConverter<Fault>
{
    private sealed record Told(string Code, string Message, string Path, string? Purpose, string? Account);

    /// <inheritdoc/>
    public override Fault? Read(ref Utf8JsonReader reader, Type typeToConvert, JsonSerializerOptions options) =>
        JsonSerializer.Deserialize<Told>(ref reader, options) is { } told
            ? new Fault(told.Code, told.Message, told.Path, told.Purpose, told.Account)
            : null;

    /// <inheritdoc/>
    public override void Write(Utf8JsonWriter writer, Fault value, JsonSerializerOptions options) =>
        JsonSerializer.Serialize(
            writer,
            new Told(value.Code, value.Message, value.Path, value.Purpose, value.Account),
            options
        );
}
