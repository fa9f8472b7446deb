using System.Text.Json.Nodes;
using Assignum.Core.Events;

namespace Assignum.Formats.Json;

/// <summary>The accounts that a document names, in every field that takes one.</summary>
public static class EventAccounts
{
    private static readonly string[] OfEvent =
    [
        .. EventFields.OfEvent.Where(f => f.Type == FieldType.Account).Select(f => f.Name),
    ];

    private static readonly (string List, string[] Fields)[] OfLists =
    [
        .. EventFields.Lists.Select(list =>
            (list, EventFields.Of(list).Where(f => f.Type == FieldType.Account).Select(f => f.Name).ToArray())
        ),
    ];

    /// <summary>A document in which accounts bear other numbers; the text as it was where it names none of
    /// them.</summary>
    /// <param name="document">JSON of one event, as it was kept.</param>
    public static string Renumber(string document, IReadOnlyDictionary<string, string> numbers)
    {
        if (
            !numbers.Keys.Any(n => document.Contains(n, StringComparison.Ordinal))
            || JsonNode.Parse(document) is not JsonObject root
        )
            return document;
        var changed = Rename(root, OfEvent, numbers);
        foreach (var (list, fields) in OfLists)
        foreach (var row in (root[list] as JsonArray ?? []).OfType<JsonObject>())
            changed |= Rename(row, fields, numbers);
        return changed ? root.ToJsonString() : document;
    }

    private static bool Rename(JsonObject row, string[] fields, IReadOnlyDictionary<string, string> numbers)
    {
        var changed = false;
        foreach (var field in fields)
            if (
                row[field] is JsonValue value
                && value.TryGetValue<string>(out var number)
                && numbers.TryGetValue(number, out var now)
            )
            {
                row[field] = now;
                changed = true;
            }
        return changed;
    }
}
