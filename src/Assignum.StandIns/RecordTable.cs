using System.Text.Json.Nodes;

namespace Assignum.StandIns;

/// <summary>Records of one kind, with the order in which they were changed: a cursor is a place in it.</summary>
public sealed class RecordTable(string kind)
{
    private readonly Dictionary<string, JsonObject> byId = new(StringComparer.Ordinal);
    private readonly List<string> changes = [];

    public string Kind => kind;

    /// <summary>How many there are, deleted ones too.</summary>
    public int Count => byId.Count;

    /// <summary>All of them, in the order in which they were made.</summary>
    public IEnumerable<JsonObject> All => byId.Values;

    public JsonObject? Find(string id) => byId.GetValueOrDefault(id);

    /// <summary>Makes a record, or puts another in its place.</summary>
    public JsonObject Put(JsonObject record, DateOnly day)
    {
        var id = (string)record["id"]!;
        record["status"] ??= "active";
        record["changed"] = day.ToString("yyyy-MM-dd");
        byId[id] = record;
        changes.Add(id);
        return record;
    }

    /// <summary>Says that a record was changed.</summary>
    public void Touch(JsonObject record, DateOnly day) => Put(record, day);

    /// <summary>What was changed since a place: each record once, as it is now, at most so many.</summary>
    public (List<JsonObject> Records, int Next, bool More) After(int place, int limit)
    {
        var found = new Dictionary<string, JsonObject>(StringComparer.Ordinal);
        var at = Math.Clamp(place, 0, changes.Count);
        for (; at < changes.Count && found.Count < limit; at++)
            found.TryAdd(changes[at], byId[changes[at]]);
        return ([.. found.Values], at, at < changes.Count);
    }
}
