using System.Collections.Frozen;
using System.Runtime.InteropServices;
using System.Text;
using System.Text.Json;
using Assignum.Core.Events;

namespace Assignum.Formats.Json;

/// <summary>The names of properties, without making a text anew for those that events have.</summary>
internal static class FieldNames
{
    private const int Longest = 64;

    private static readonly FrozenSet<string>.AlternateLookup<ReadOnlySpan<char>> Known = new[]
    {
        "source",
        "id",
        "kind",
    }
        .Concat(EventFields.Lists)
        .Concat(EventFields.OfEvent.Select(f => f.Name))
        .Concat(EventFields.OfLine.Select(f => f.Name))
        .Concat(EventFields.OfCharge.Select(f => f.Name))
        .Concat(EventFields.OfSettlement.Select(f => f.Name))
        .Concat(EventFields.OfDeposit.Select(f => f.Name))
        .ToFrozenSet(StringComparer.Ordinal)
        .GetAlternateLookup<ReadOnlySpan<char>>();

    /// <summary>The name of a property.</summary>
    /// <exception cref="InvalidOperationException">It is no text.</exception>
    public static string Of(JsonProperty property)
    {
        var raw = JsonMarshal.GetRawUtf8PropertyName(property);
        if (raw.Length > Longest)
            return property.Name;
        Span<char> text = stackalloc char[Longest];
        // A name that is written with escapes is none of these as it stands, and is read the slow way.
        return
            Ascii.ToUtf16(raw, text, out var length) == System.Buffers.OperationStatus.Done
            && Known.TryGetValue(text[..length], out var name)
            ? name
            : property.Name;
    }
}
