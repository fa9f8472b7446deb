using System.Globalization;
using System.Xml.Linq;

namespace Assignum.Formats.Documents;

/// <summary>Reads elements by their names, whatever their namespace's prefix.</summary>
internal static class XmlParts
{
    /// <summary>The first element below, by the names on the way.</summary>
    public static XElement? Part(this XElement? of, params string[] way)
    {
        foreach (var name in way)
            of = of?.Elements().FirstOrDefault(e => e.Name.LocalName == name);
        return of;
    }

    /// <summary>All elements of a name below.</summary>
    public static IEnumerable<XElement> Parts(this XElement? of, string name) =>
        of?.Elements().Where(e => e.Name.LocalName == name) ?? [];

    /// <summary>The text there, each gap in it one blank; null: none.</summary>
    public static string? Text(this XElement? of, params string[] way) =>
        of.Part(way)?.Value is { } value
        && string.Join(' ', value.Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries)) is { Length: > 0 } text
            ? text
            : null;

    /// <summary>The number there; null: none.</summary>
    /// <exception cref="FormatException">It is no number.</exception>
    public static decimal? Number(this XElement? of, params string[] way) =>
        of.Text(way) is { } text
            ? decimal.TryParse(
                text,
                NumberStyles.AllowLeadingSign | NumberStyles.AllowDecimalPoint,
                CultureInfo.InvariantCulture,
                out var number
            )
                ? number
                : throw new FormatException(
                    $"{way[^1]} is '{(text.Length > 40 ? text[..40] : text)}', which is no number."
                )
            : null;

    /// <summary>The day there; null: none. A moment counts as its day.</summary>
    public static string? Day(this XElement? of, params string[] way) =>
        of.Text(way) is { Length: >= 10 } text && DateOnly.TryParseExact(text[..10], "yyyy-MM-dd", out _)
            ? text[..10]
            : null;
}
