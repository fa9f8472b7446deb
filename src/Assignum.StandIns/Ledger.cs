using System.Text.Json.Nodes;

namespace Assignum.StandIns;

/// <summary>A general ledger with a chart of its own: it takes journals by key, and somebody books by hand in it.</summary>
internal sealed class Ledger : StandIn
{
    private readonly List<JsonObject> journals = [];
    private readonly Dictionary<string, (JsonObject Journal, string Content)> byKey = new(StringComparer.Ordinal);
    private readonly List<string> running = [];
    private int hand;

    public Ledger(World world)
        : base(world, "ledger", "Slate ledger", "ledger")
    {
        var chance = world.Chance("ledger/records");
        var ours = MadeRecords.Of("accounts.csv");
        var numbers = ours.Index().ToDictionary(a => a.Item["number"], a => $"{100_000 + a.Index * 110}");
        var names = ours.ToDictionary(a => a["number"], a => a);
        string PathOf(string number) =>
            names.TryGetValue(number, out var a)
                ? (a["parent"].Length > 0 ? PathOf(a["parent"]) + " / " : "") + a["name"]
                : "";
        foreach (var (i, account) in ours.Index())
        {
            // One in twenty-five has our number of another account.
            var id =
                i % 25 == 9 && account["kind"] == "posting"
                    ? ours[(i + 6) % ours.Count]["number"]
                    : numbers[account["number"]];
            Table("accounts")
                .Put(
                    new JsonObject
                    {
                        ["id"] = id,
                        ["name"] = MadeRecords.Typed(account["name"], chance),
                        ["type"] = TypeOf(account["class"]),
                        ["parent"] = account["parent"].Length > 0 ? numbers[account["parent"]] : null,
                        ["path"] = PathOf(account["number"]),
                        ["status"] = i % 37 == 11 ? "archived" : "active",
                    },
                    world.Day
                );
            if (account["class"] == "operating-cost" && account["kind"] == "posting")
                running.Add(id);
        }
        while (Table("accounts").Count < 400)
        {
            var name = MadeRecords.Thing(chance);
            Table("accounts")
                .Put(
                    new JsonObject
                    {
                        ["id"] = $"{900_000 + Table("accounts").Count}",
                        ["name"] = $"Sundry: {name}",
                        ["type"] = "expenditure",
                        ["parent"] = null,
                        ["path"] = $"Sundry / {name}",
                    },
                    world.Day
                );
        }
        foreach (var project in MadeRecords.Of("projects.csv"))
            Table("projects")
                .Put(
                    new JsonObject
                    {
                        ["id"] = "J-" + project["code"],
                        ["name"] = MadeRecords.Typed(project["name"], chance),
                        ["parent"] = project["parent"].Length > 0 ? "J-" + project["parent"] : null,
                        ["customer"] = null,
                    },
                    world.Day
                );
    }

    private static string TypeOf(string @class) =>
        @class switch
        {
            "asset" => "possession",
            "liability" => "debt",
            "equity" => "capital",
            "revenue" => "income",
            "cost-of-sales" => "direct expenditure",
            _ => "expenditure",
        };

    public override IReadOnlyList<string> Writes => ["accounts", "journals", "outcomes"];

    /// <summary>All journals, theirs and ours, in the order in which they came.</summary>
    public IReadOnlyList<JsonObject> Journals => journals;

    public JsonObject? Find(string key) => byKey.TryGetValue(key, out var there) ? there.Journal : null;

    /// <summary>Takes a journal: 201 with its id, 200 the same again, 409 other content, 422 why not.</summary>
    public (int Status, JsonObject Answer) Take(JsonObject journal)
    {
        var why = Faulty(journal);
        if (why is not null)
            return (422, new JsonObject { ["title"] = why });
        var key = (string)journal["key"]!;
        var content = journal.ToJsonString();
        if (byKey.TryGetValue(key, out var there))
            return there.Content == content
                ? (200, new JsonObject { ["id"] = (string)there.Journal["id"]! })
                : (409, new JsonObject { ["title"] = $"Journal {key} was taken with other content." });
        var kept = (JsonObject)journal.DeepClone();
        kept["id"] = $"L{journals.Count + 1:000000}";
        kept["origin"] = "link";
        kept["state"] = "posted";
        Keep(kept);
        byKey[key] = (kept, content);
        return (201, new JsonObject { ["id"] = (string)kept["id"]! });
    }

    private string? Faulty(JsonObject journal)
    {
        if (journal["key"] is not JsonValue k || !k.TryGetValue<string>(out var key) || key.Length is 0 or > 200)
            return "A journal needs a key of 1 to 200 characters.";
        if (
            journal["date"] is not JsonValue d
            || !d.TryGetValue<string>(out var date)
            || !DateOnly.TryParseExact(date, "yyyy-MM-dd", out _)
        )
            return "Its date is missing or wrong: YYYY-MM-DD.";
        if (journal["lines"] is not JsonArray { Count: > 0 } lines)
            return "A journal needs lines.";
        var sum = 0m;
        foreach (var line in lines)
        {
            if (
                line is not JsonObject of
                || of["account"] is not JsonValue a
                || !a.TryGetValue<string>(out var account)
            )
                return "A line needs an account.";
            if (Table("accounts").Find(account) is not { } there)
                return $"There is no account {account}.";
            if ((string)there["status"]! != "active")
                return $"Account {account} is {there["status"]}.";
            if (!Amount(of["debit"], out var debit) || !Amount(of["credit"], out var credit) || debit < 0 || credit < 0)
                return "Debit and credit are numbers that are not below zero.";
            sum += debit - credit;
        }
        return sum == 0 ? null : $"Debit and credit differ by {sum}.";
    }

    private static bool Amount(JsonNode? value, out decimal amount)
    {
        amount = 0;
        return value is null || value is JsonValue number && number.TryGetValue(out amount);
    }

    private void Keep(JsonObject journal) => journals.Add(journal);

    /// <summary>What every account that was posted to has up to and with a day: debit minus credit.</summary>
    public JsonArray Balances(DateOnly at)
    {
        var balances = new SortedDictionary<string, decimal>(StringComparer.Ordinal);
        foreach (var journal in journals)
        {
            if (string.CompareOrdinal((string)journal["date"]!, at.ToString("yyyy-MM-dd")) > 0)
                continue;
            foreach (var line in (JsonArray)journal["lines"]!)
            {
                _ = Amount(line!["debit"], out var debit);
                _ = Amount(line["credit"], out var credit);
                var account = (string)line["account"]!;
                balances[account] = balances.GetValueOrDefault(account) + debit - credit;
            }
        }
        return [.. balances.Select(b => (JsonNode)new JsonObject { ["account"] = b.Key, ["balance"] = b.Value })];
    }

    // Somebody books by hand now and then.
    protected override void Business(DateOnly day, Random chance)
    {
        if (chance.Next(4) != 0)
            return;
        var amount = chance.Next(500, 50_000) / 100m;
        var (one, other) = (running[chance.Next(running.Count)], running[chance.Next(running.Count)]);
        Keep(
            new JsonObject
            {
                ["id"] = $"H{++hand:00000}",
                ["key"] = null,
                ["date"] = day.ToString("yyyy-MM-dd"),
                ["number"] = $"H{hand:00000}",
                ["text"] = "Put right by hand",
                ["currency"] = "EUR",
                ["rate"] = 1,
                ["origin"] = "hand",
                ["state"] = "posted",
                ["lines"] = new JsonArray(
                    new JsonObject
                    {
                        ["account"] = one,
                        ["debit"] = amount,
                        ["credit"] = 0m,
                    },
                    new JsonObject
                    {
                        ["account"] = other,
                        ["debit"] = 0m,
                        ["credit"] = amount,
                    }
                ),
            }
        );
    }
}
