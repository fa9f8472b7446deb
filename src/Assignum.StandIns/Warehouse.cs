using System.Text.Json.Nodes;

namespace Assignum.StandIns;

/// <summary>A warehouse with a workshop: goods come in, are made, counted and moved.</summary>
internal sealed class Warehouse : StandIn
{
    private static readonly string[] Places = ["WH-1", "WH-2", "CO-1"];
    private readonly Dictionary<(string Item, string Place), (decimal Quantity, decimal Cost)> stock = [];
    private readonly List<string> suppliers = [];
    private readonly List<string> bought = [];
    private readonly List<string> made = [];
    private int number;

    public Warehouse(World world)
        : base(world, "warehouse", "Tarn warehouse", "warehouse")
    {
        var chance = world.Chance("warehouse/records");
        foreach (
            var (code, name) in new[] { ("WH-1", "Cork"), ("WH-2", "Utrecht hall"), ("CO-1", "Goods at customers") }
        )
            Table("locations").Put(new JsonObject { ["id"] = code, ["name"] = name }, world.Day);
        foreach (var (i, team) in new[] { "Goods in", "Goods in", "Workshop", "Workshop", "Office" }.Index())
            Table("people")
                .Put(
                    new JsonObject
                    {
                        ["id"] = $"P-{i + 1:00}",
                        ["name"] = MadeRecords.Person(world.Chance($"warehouse/people/{i}")),
                        ["email"] = $"p{i + 1:00}@tarn.example",
                        ["team"] = team,
                    },
                    world.Day
                );
        foreach (var (code, name) in new[] { ("CNT", "Counted"), ("BRK", "Breakage"), ("SMP", "Sample given") })
            Table("reasons").Put(new JsonObject { ["id"] = code, ["name"] = name }, world.Day);
        foreach (var party in MadeRecords.Of("parties.csv").Where(p => p["kind"] is "supplier" or "both"))
        {
            var id = $"V{suppliers.Count + 100:0000}";
            suppliers.Add(id);
            Table("parties")
                .Put(
                    new JsonObject
                    {
                        ["id"] = id,
                        ["name"] = MadeRecords.Typed(party["name"], chance),
                        ["kind"] = "vendor",
                        ["country"] = party["country"],
                    },
                    world.Day
                );
        }
        var ours = MadeRecords.Of("items.csv").Where(i => i["nature"] == "goods").ToList();
        foreach (var (i, item) in ours.Index())
        {
            // One in forty has a number that is another thing's with us.
            var id = i % 40 == 7 ? ours[(i + 11) % ours.Count]["code"] : $"T{10_000 + i * 7}";
            Add(
                id,
                MadeRecords.Typed(item["name"], chance),
                item["group"],
                chance,
                i % 29 == 5 ? "archived" : "active"
            );
            if (i % 50 == 3)
                Add($"T{10_001 + i * 7}", MadeRecords.Typed(item["name"], chance), item["group"], chance, "active");
        }
        while (Table("items").Count < 300)
            Add($"X{Table("items").Count:0000}", MadeRecords.Thing(chance), "OTHER", chance, "active");
    }

    private void Add(string id, string name, string group, Random chance, string status)
    {
        if (Table("items").Find(id) is not null)
            return;
        var isMade = chance.Next(3) == 0;
        Table("items")
            .Put(
                new JsonObject
                {
                    ["id"] = id,
                    ["name"] = name,
                    ["nature"] = isMade ? "assembled" : "purchased",
                    ["group"] = group,
                    ["cost"] = chance.Next(100, 20_000) / 100m,
                    ["costing"] = "moving",
                    ["status"] = status,
                    ["accounts"] = new JsonObject
                    {
                        ["stock"] = isMade ? "Assets / Stock / Finished instruments" : "Assets / Stock / Parts",
                        ["cost"] = chance.Next(12) == 0 ? "Cost / To be told" : "Cost of sales / Cost of instruments",
                        ["revenue"] = "Revenue / Instruments",
                    },
                },
                World.Day
            );
        if (status == "active")
            (isMade ? made : bought).Add(id);
    }

    public override IReadOnlyList<string> Writes => ["items", "outcomes"];
    public override IReadOnlyList<string> Lists => ["stock"];

    public override IEnumerable<JsonObject> ListOf(string control, DateOnly at) =>
        stock
            .Where(s => s.Value.Quantity != 0)
            .OrderBy(s => s.Key)
            .Select(s => new JsonObject
            {
                ["item"] = s.Key.Item,
                ["location"] = s.Key.Place,
                ["quantity"] = s.Value.Quantity,
                ["amount"] = decimal.Round(s.Value.Quantity * s.Value.Cost, 2, MidpointRounding.AwayFromZero),
            });

    protected override void Business(DateOnly day, Random chance)
    {
        for (var i = chance.Next(2, 5); i > 0; i--)
        {
            var place = Places[chance.Next(2)];
            var lines = Enumerable
                .Range(0, chance.Next(1, 4))
                .Select(_ => (Item: bought[chance.Next(bought.Count)], Quantity: chance.Next(2, 40)))
                .DistinctBy(l => l.Item)
                .Select(l => Line(l.Item, l.Quantity))
                .ToArray();
            Move(place, lines, 1);
            var order = $"TO-{++number:00000}";
            Happens(
                $"R-{number:00000}",
                "goods-received",
                day,
                new JsonObject
                {
                    ["reference"] = $"RC-{number:00000}",
                    ["order"] = order,
                    ["party"] = suppliers[chance.Next(suppliers.Count)],
                    ["location"] = place,
                    ["lines"] = new JsonArray([.. lines]),
                }
            );
        }
        Make(day, chance);
        if (day.Day % 7 == 3)
            Count(day, chance);
        if (day.Day % 5 == 1)
            Transfer(day, chance);
    }

    private void Make(DateOnly day, Random chance)
    {
        var output = made[chance.Next(made.Count)];
        var parts = stock
            .Where(s => s.Key.Place == "WH-1" && s.Value.Quantity >= 2)
            .OrderBy(s => s.Key)
            .Take(3)
            .ToList();
        if (parts.Count == 0)
            return;
        var lines = parts.Select(p => Line(p.Key.Item, 2)).ToArray();
        var cost = lines.Sum(l => (decimal)l["quantity"]! * (decimal)l["unitCost"]!);
        Move("WH-1", lines, -1);
        var name = $"MO-{++number:00000}";
        Happens(
            $"I-{number:00000}",
            "production-issued",
            day,
            new JsonObject
            {
                ["reference"] = name,
                ["output"] = output,
                ["location"] = "WH-1",
                ["lines"] = new JsonArray([.. lines]),
            }
        );
        Happens(
            $"C-{number:00000}",
            "production-completed",
            day,
            new JsonObject
            {
                ["reference"] = name,
                ["output"] = output,
                ["location"] = "WH-1",
                ["quantity"] = 1m,
                ["unitCost"] = cost,
                ["issuedCost"] = cost,
            }
        );
        stock[(output, "WH-1")] = (stock.GetValueOrDefault((output, "WH-1")).Quantity + 1, cost);
    }

    private void Count(DateOnly day, Random chance)
    {
        var counted = stock.Where(s => s.Value.Quantity > 3).OrderBy(s => s.Key).Skip(chance.Next(5)).FirstOrDefault();
        if (counted.Key.Item is null)
            return;
        var line = Line(counted.Key.Item, -1);
        line["reason"] = chance.Next(2) == 0 ? "CNT" : "BRK";
        Move(counted.Key.Place, [line], 1);
        Happens(
            $"N-{++number:00000}",
            "stock-adjusted",
            day,
            new JsonObject { ["location"] = counted.Key.Place, ["lines"] = new JsonArray(line) }
        );
    }

    private void Transfer(DateOnly day, Random chance)
    {
        var moved = stock
            .Where(s => s.Key.Place == "WH-1" && s.Value.Quantity > 4)
            .OrderBy(s => s.Key)
            .Skip(chance.Next(4))
            .FirstOrDefault();
        if (moved.Key.Item is null)
            return;
        var line = Line(moved.Key.Item, 2);
        Move("WH-1", [line], -1);
        Move("WH-2", [line], 1);
        Happens(
            $"M-{++number:00000}",
            "stock-moved",
            day,
            new JsonObject
            {
                ["fromLocation"] = "WH-1",
                ["toLocation"] = "WH-2",
                ["lines"] = new JsonArray(line),
            }
        );
    }

    private JsonObject Line(string item, decimal quantity) =>
        new()
        {
            ["item"] = item,
            ["quantity"] = quantity,
            ["unitCost"] = (decimal)Table("items").Find(item)!["cost"]!,
        };

    private void Move(string place, IEnumerable<JsonObject> lines, int sign)
    {
        foreach (var line in lines)
        {
            var key = ((string)line["item"]!, place);
            stock[key] = (
                stock.GetValueOrDefault(key).Quantity + sign * (decimal)line["quantity"]!,
                (decimal)line["unitCost"]!
            );
        }
    }
}
