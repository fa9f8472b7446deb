using System.Text.Json.Nodes;

namespace Assignum.StandIns;

/// <summary>A web shop with a marketplace: sales with discounts and carriage, gift cards, refunds.</summary>
internal sealed class Shop : StandIn
{
    private readonly List<(string Sku, decimal Price)> goods = [];
    private readonly List<(string Id, string Sku, decimal Price, string Channel, string Method)> sold = [];
    private readonly Dictionary<string, decimal> giftCards = new(StringComparer.Ordinal);
    private int number = 4000;

    public Shop(World world)
        : base(world, "shop", "Lantern shop", "shop")
    {
        var chance = world.Chance("shop/records");
        foreach (var (code, name) in new[] { ("web", "Own web shop"), ("fair", "Craft fair online") })
            Table("channels").Put(new JsonObject { ["id"] = code, ["name"] = name }, world.Day);
        foreach (
            var (code, name) in new[] { ("card", "Card payment"), ("purse", "Phone purse"), ("voucher", "Gift card") }
        )
            Table("methods").Put(new JsonObject { ["id"] = code, ["name"] = name }, world.Day);
        // A rate that is not ours.
        foreach (
            var (code, name, rate) in new[]
            {
                ("FULL", "Full rate", 22.5m),
                ("MID", "Middle rate", 13.5m),
                ("NIL", "No tax", 0m),
            }
        )
            Table("tax-codes")
                .Put(
                    new JsonObject
                    {
                        ["id"] = code,
                        ["name"] = name,
                        ["rate"] = rate,
                        ["from"] = "2020-01-01",
                        ["authority"] = "home",
                        ["direction"] = "sales",
                    },
                    world.Day
                );
        foreach (var (i, item) in MadeRecords.Of("items.csv").Where(i => i["status"] == "active").Index())
        {
            if (i % 13 == 4)
                continue;
            var price = chance.Next(500, 40_000) / 100m;
            var sku = $"sku-{800 + i * 3}";
            goods.Add((sku, price));
            Table("items")
                .Put(
                    new JsonObject
                    {
                        ["id"] = sku,
                        ["name"] = MadeRecords.Typed(item["name"], chance),
                        ["nature"] = item["nature"] == "goods" ? "physical" : "digital",
                        ["group"] = item["group"],
                    },
                    world.Day
                );
        }
        var parties = MadeRecords.Of("parties.csv").Where(p => p["kind"] is "customer" or "both").ToList();
        foreach (var party in parties)
            Customer(MadeRecords.Typed(party["name"], chance), party["country"]);
        while (Table("parties").Count < 2000)
            Customer(MadeRecords.Person(chance), chance.Next(4) == 0 ? "NL" : "IE");
    }

    private void Customer(string name, string country)
    {
        var id = $"c{20_000 + Table("parties").Count}";
        Table("parties")
            .Put(
                new JsonObject
                {
                    ["id"] = id,
                    ["name"] = name,
                    ["kind"] = "buyer",
                    ["country"] = country,
                },
                World.Day
            );
    }

    public override IReadOnlyList<string> Writes => ["items", "parties", "outcomes"];
    public override IReadOnlyList<string> Lists => ["gift-cards"];

    public override IEnumerable<JsonObject> ListOf(string control, DateOnly at) =>
        giftCards
            .Where(g => g.Value != 0)
            .OrderBy(g => g.Key, StringComparer.Ordinal)
            .Select(g => new JsonObject { ["channel"] = g.Key, ["amount"] = -g.Value });

    protected override void Business(DateOnly day, Random chance)
    {
        for (var i = chance.Next(4, 9); i > 0; i--)
            Sell(day, chance);
        if (sold.Count > 5 && chance.Next(3) == 0)
            Refund(day, chance);
    }

    private void Sell(DateOnly day, Random chance)
    {
        var channel = chance.Next(4) == 0 ? "fair" : "web";
        var method = chance.Next(3) == 0 ? "purse" : "card";
        var (sku, price) = goods[chance.Next(goods.Count)];
        var id = $"W{++number}";
        var line = new JsonObject
        {
            ["item"] = sku,
            ["quantity"] = (decimal)chance.Next(1, 4),
            ["unitPrice"] = price,
            ["taxCode"] = "FULL",
        };
        if (chance.Next(6) == 0)
            line["discount"] = decimal.Round(price * 0.1m, 2, MidpointRounding.AwayFromZero);
        var sale = new JsonObject
        {
            ["reference"] = id,
            ["channel"] = channel,
            ["method"] = method,
            ["standing"] = "home",
            ["lines"] = new JsonArray(line),
        };
        if (chance.Next(2) == 0)
            sale["charges"] = new JsonArray(new JsonObject { ["amount"] = 4.90m, ["text"] = "Carriage" });
        if (giftCards.GetValueOrDefault(channel) >= 10 && chance.Next(5) == 0)
        {
            sale["giftCardApplied"] = 10m;
            giftCards[channel] -= 10;
        }
        if (chance.Next(12) == 0)
        {
            // A gift card is sold beside it.
            var gifts = (JsonArray)sale["lines"]!;
            gifts.Add(
                new JsonObject
                {
                    ["item"] = "sku-gift",
                    ["quantity"] = 1m,
                    ["unitPrice"] = 25m,
                }
            );
            if (Table("items").Find("sku-gift") is null)
                Table("items")
                    .Put(
                        new JsonObject
                        {
                            ["id"] = "sku-gift",
                            ["name"] = "Gift card",
                            ["nature"] = "voucher",
                            ["group"] = "",
                        },
                        day
                    );
            giftCards[channel] = giftCards.GetValueOrDefault(channel) + 25;
        }
        sold.Add((id, sku, price, channel, method));
        Happens(id, "channel-sale", day, sale);
    }

    private void Refund(DateOnly day, Random chance)
    {
        var (id, sku, price, channel, method) = sold[chance.Next(sold.Count)];
        Happens(
            $"B{++number}",
            "channel-refund",
            day,
            new JsonObject
            {
                ["reference"] = $"B{number}",
                ["corrects"] = id,
                ["channel"] = channel,
                ["method"] = method,
                ["standing"] = "home",
                ["lines"] = new JsonArray(
                    new JsonObject
                    {
                        ["item"] = sku,
                        ["quantity"] = 1m,
                        ["unitPrice"] = price,
                        ["taxCode"] = "FULL",
                    }
                ),
            }
        );
    }

    /// <summary>What was sold by a method that a provider collects on a day, tax included.</summary>
    internal decimal Takings(DateOnly day, string channel, string method) =>
        Feed.Where(e =>
                (string)e["kind"]! == "channel-sale"
                && (string)e["date"]! == day.ToString("yyyy-MM-dd")
                && (string)e["channel"]! == channel
                && (string)e["method"]! == method
            )
            .Sum(e =>
                decimal.Round(
                    ((JsonArray)e["lines"]!).Sum(l =>
                        ((decimal)l!["quantity"]! * (decimal)l["unitPrice"]! - (decimal)(l["discount"] ?? 0m)!)
                        * (l["taxCode"] is null ? 1 : 1.225m)
                    ),
                    2,
                    MidpointRounding.AwayFromZero
                )
            );
}
