using System.Text.Json.Nodes;

namespace Assignum.StandIns;

/// <summary>A payment provider: it collects what a shop sells, keeps its fee, charges back and pays out.</summary>
internal sealed class Payments : StandIn
{
    private readonly Dictionary<string, decimal> held = new(StringComparer.Ordinal);
    private int number;

    public Payments(World world)
        : base(world, "payments", "Pebble payments", "payments")
    {
        foreach (var (code, name) in new[] { ("acct-web", "Web account"), ("acct-fair", "Fair account") })
            Table("channels").Put(new JsonObject { ["id"] = code, ["name"] = name }, world.Day);
        foreach (
            var (code, name) in new[]
            {
                ("cards", "Cards collected"),
                ("phone", "Phone purse collected"),
                ("bank-1", "Account paid out to"),
            }
        )
            Table("methods").Put(new JsonObject { ["id"] = code, ["name"] = name }, world.Day);
        Table("parties")
            .Put(
                new JsonObject
                {
                    ["id"] = "pebble",
                    ["name"] = "Pebble Payments",
                    ["kind"] = "self",
                    ["country"] = "IE",
                },
                world.Day
            );
    }

    public override IReadOnlyList<string> Writes => ["outcomes"];
    public override IReadOnlyList<string> Lists => ["clearing"];

    public override IEnumerable<JsonObject> ListOf(string control, DateOnly at) =>
        held.Where(h => h.Value != 0)
            .OrderBy(h => h.Key, StringComparer.Ordinal)
            .Select(h => new JsonObject { ["channel"] = h.Key, ["amount"] = h.Value });

    protected override void Business(DateOnly day, Random chance)
    {
        foreach (var (ours, shop) in new[] { ("acct-web", "web"), ("acct-fair", "fair") })
        {
            var taken = World.Shop.Takings(day, shop, "card") + World.Shop.Takings(day, shop, "purse");
            if (taken == 0)
                continue;
            var fee = decimal.Round(taken * 0.019m, 2, MidpointRounding.AwayFromZero);
            held[ours] = held.GetValueOrDefault(ours) + taken - fee;
            Happens(
                $"F{++number:00000}",
                "channel-fee",
                day,
                new JsonObject
                {
                    ["reference"] = $"F{number:00000}",
                    ["channel"] = ours,
                    ["method"] = "cards",
                    ["party"] = "pebble",
                    ["amount"] = fee,
                }
            );
            if (chance.Next(25) == 0)
            {
                held[ours] -= 35;
                Happens(
                    $"D{++number:00000}",
                    "channel-chargeback",
                    day,
                    new JsonObject
                    {
                        ["reference"] = $"D{number:00000}",
                        ["channel"] = ours,
                        ["amount"] = 20m,
                        ["fee"] = 15m,
                    }
                );
            }
            if (day.DayOfWeek == DayOfWeek.Friday && held[ours] > 0)
            {
                Happens(
                    $"P{++number:00000}",
                    "channel-payout",
                    day,
                    new JsonObject
                    {
                        ["reference"] = $"P{number:00000}",
                        ["channel"] = ours,
                        ["method"] = "bank-1",
                        ["clearingMethod"] = "cards",
                        ["amount"] = held[ours],
                        ["text"] = $"Collected to {day:yyyy-MM-dd}, less fees and what was charged back",
                    }
                );
                held[ours] = 0;
            }
        }
    }
}
