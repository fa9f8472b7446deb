using System.Text.Json.Nodes;
using Assignum.Core.Events;

namespace Assignum.Formats.Json;

/// <summary>Writes an event as the JSON it would be sent as: the fields it has, in the order of the table.</summary>
public static class EventJson
{
    /// <summary>The event as a JSON object.</summary>
    public static JsonObject Of(BusinessEvent source)
    {
        var json = new JsonObject
        {
            ["source"] = source.Source,
            ["id"] = source.Id,
            ["kind"] = source.Kind,
        };
        Fill(json, source, EventFields.OfEvent);
        List(json, "lines", source.Lines, EventFields.OfLine);
        List(json, "charges", source.Charges, EventFields.OfCharge);
        List(json, "settles", source.Settles, EventFields.OfSettlement);
        List(json, "settlesPayables", source.SettlesPayables, EventFields.OfSettlement);
        List(json, "deposits", source.Deposits, EventFields.OfDeposit);
        return json;
    }

    private static void List<T>(JsonObject json, string name, IEnumerable<T> rows, IReadOnlyList<EventField<T>> fields)
    {
        var list = new JsonArray();
        foreach (var row in rows)
        {
            var one = new JsonObject();
            Fill(one, row, fields);
            list.Add(one);
        }
        if (list.Count > 0)
            json[name] = list;
    }

    private static void Fill<T>(JsonObject json, T from, IReadOnlyList<EventField<T>> fields)
    {
        foreach (var field in fields)
            if (field.Get(from) is { } value)
                json[field.Name] = value switch
                {
                    string text => text,
                    decimal number => number,
                    bool flag => flag,
                    DateOnly day => day.ToString("yyyy-MM-dd", System.Globalization.CultureInfo.InvariantCulture),
                    IReadOnlyDictionary<string, string> values => new JsonObject(
                        values.Select(v => KeyValuePair.Create(v.Key, (JsonNode?)v.Value))
                    ),
                    _ => value.ToString(),
                };
    }
}
