using System.Globalization;
using System.Text.Json.Nodes;

namespace Assignum.StandIns;

/// <summary>A system that can be joined: its records, what happened in it, and what is wrong with it just now.</summary>
public abstract class StandIn
{
    private readonly List<JsonObject> feed = [];
    private readonly List<JsonObject> happened = [];
    private readonly Dictionary<string, RecordTable> tables = new(StringComparer.Ordinal);
    private readonly List<JsonObject> held = [];
    private long sequence;

    protected StandIn(World world, string path, string name, string kind)
    {
        (World, Path, Name, Kind) = (world, path, name, kind);
        Life = world.Chance(path + "/life").Next().ToString("x8", CultureInfo.InvariantCulture);
    }

    protected World World { get; }

    /// <summary>Under which path it is found, without slashes.</summary>
    public string Path { get; }
    public string Name { get; }

    /// <summary>The kind of connection that it is joined as.</summary>
    public string Kind { get; }

    /// <summary>Changes when it is restored or copied: cursors of another life are of no use.</summary>
    public string Life { get; private set; }

    public FaultBoard Faults { get; } = new();

    /// <summary>Whom it calls when something happened, and with what it signs that; null: nobody.</summary>
    public (Uri Address, string Secret)? Hook { get; set; }

    /// <summary>What its last call was answered with.</summary>
    public int? Called { get; set; }

    /// <summary>What was asked of it last, the newest first.</summary>
    public LinkedList<string> Requests { get; } = [];
    public IReadOnlyDictionary<string, RecordTable> Records => tables;

    /// <summary>Kinds of records that may be made or changed from outside.</summary>
    public abstract IReadOnlyList<string> Writes { get; }

    /// <summary>Controls whose lists it has.</summary>
    public virtual IReadOnlyList<string> Lists => [];

    /// <summary>What it tells of what happened, in the order in which it tells it.</summary>
    public IReadOnlyList<JsonObject> Feed => feed;

    /// <summary>What it was told of its events.</summary>
    public List<JsonObject> Outcomes { get; } = [];

    /// <summary>The rows of a list as they were on a day.</summary>
    public virtual IEnumerable<JsonObject> ListOf(string control, DateOnly at) => [];

    protected RecordTable Table(string kind) =>
        tables.TryGetValue(kind, out var there) ? there : tables[kind] = new(kind);

    /// <summary>What happens in it on a day.</summary>
    protected abstract void Business(DateOnly day, Random chance);

    internal void DoBusiness(DateOnly day)
    {
        var begun = feed.Count;
        // What was late yesterday comes today.
        var late = held.ToList();
        held.Clear();
        Business(day, World.Chance(Path, day));
        var today = feed[begun..];
        if (Faults.Take("events-late"))
        {
            held.AddRange(today);
            feed.RemoveRange(begun, today.Count);
        }
        else if (Faults.Take("events-out-of-order"))
        {
            feed.RemoveRange(begun, today.Count);
            World.Chance(Path + "/order", day).Shuffle(System.Runtime.InteropServices.CollectionsMarshal.AsSpan(today));
            feed.AddRange(today);
        }
        else if (Faults.Take("events-repeated"))
            feed.AddRange(today.Select(e => (JsonObject)e.DeepClone()));
        feed.AddRange(late);
    }

    /// <summary>Something that happened: it gets the next number.</summary>
    protected void Happens(string id, string kind, DateOnly day, JsonObject with)
    {
        var e = new JsonObject
        {
            ["id"] = id,
            ["kind"] = kind,
            ["date"] = day.ToString("yyyy-MM-dd"),
            ["sequence"] = ++sequence,
        };
        foreach (var (name, value) in with.ToList())
        {
            with.Remove(name);
            e[name] = value;
        }
        happened.Add(e);
        feed.Add(e);
    }

    /// <summary>How many events there are of a day, the last number given, and sums by kind.</summary>
    public JsonObject Totals(DateOnly day)
    {
        var of = happened.Where(e => (string)e["date"]! == day.ToString("yyyy-MM-dd")).ToList();
        return new JsonObject
        {
            ["count"] = of.Count,
            ["lastSequence"] = sequence,
            ["byKind"] = new JsonArray([
                .. of.GroupBy(e => (string)e["kind"]!)
                    .OrderBy(g => g.Key, StringComparer.Ordinal)
                    .Select(g => new JsonObject
                    {
                        ["kind"] = g.Key,
                        ["count"] = g.Count(),
                        ["amount"] = g.Sum(AmountOf),
                    }),
            ]),
        };
    }

    // What an event comes to, without tax: its amount, or what its lines and charges add up to.
    private static decimal AmountOf(JsonObject e)
    {
        static decimal Of(JsonNode? value) => value is null ? 0 : (decimal)value;
        if (e["amount"] is { } amount)
            return Of(amount);
        var lines = (e["lines"] as JsonArray ?? []).Sum(l =>
            Of(l!["quantity"]) * (Of(l["unitPrice"]) + (l["unitPrice"] is null ? Of(l["unitCost"]) : 0))
            - Of(l["discount"])
        );
        return lines + (e["charges"] as JsonArray ?? []).Sum(c => Of(c!["amount"]));
    }

    /// <summary>Takes back the last thing that happened: a void of its number.</summary>
    public void VoidLast()
    {
        if (happened.LastOrDefault(e => (string)e["kind"]! != "void") is { } last)
            Happens($"V-{last["id"]}", "void", World.Day, new JsonObject { ["voids"] = (string)last["id"]! });
    }

    /// <summary>As if it had been restored from a copy.</summary>
    /// <param name="life">Which; null: the next of its seed.</param>
    public void BeginAnotherLife(string? life = null) =>
        Life = life ?? World.Chance($"{Path}/life/{Life}").Next().ToString("x8", CultureInfo.InvariantCulture);

    /// <summary>Changes a record of a kind as a person there would: one that was not changed so before.</summary>
    /// <param name="how">renamed, archived, merged or deleted.</param>
    /// <returns>Its id; null: there is none left.</returns>
    public string? ChangeOne(string kind, string how)
    {
        var table = Table(kind);
        var there = table.All.Where(r => (string)r["status"]! == "active").ToList();
        if (there.Count < 2)
            return null;
        var chance = World.Chance($"{Path}/{kind}/{how}/{there.Count}");
        var place = chance.Next(there.Count);
        var (one, other) = (there[place], there[(place + 1) % there.Count]);
        switch (how)
        {
            case "renamed":
                one["name"] = (string)one["name"]! + " (new name)";
                break;
            case "merged":
                (one["status"], one["mergedInto"]) = ("archived", (string)other["id"]!);
                break;
            default:
                one["status"] = how;
                break;
        }
        table.Touch(one, World.Day);
        return (string)one["id"]!;
    }
}
