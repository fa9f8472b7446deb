using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;

namespace Assignum.Bench;

/// <summary>The large set: 200,000 items in 400 groups, 50,000 parties, 60,000 assignments of one purpose with seven
/// rungs. Made, not shipped.</summary>
internal static class LargeSet
{
    public const int Items = 200_000,
        ItemGroups = 400,
        Parties = 50_000,
        PartyGroups = 60,
        Channels = 20,
        Assignments = 60_000,
        Legs = 1_000_000;

    /// <summary>The seven rungs, most specific first.</summary>
    public static readonly Rung[] Ladder =
    [
        .. new[]
        {
            "item+party",
            "item",
            "party",
            "item-group+party-group",
            "item-group+channel",
            "item-group",
            "party-group",
        }.Select(n => Rung.Parse(n, out _)!),
    ];

    public static SetUp Make()
    {
        var random = new Random(7);
        var groups = new List<LandingGroup>();
        for (var i = 0; i < ItemGroups; i++)
            groups.Add(new(GroupKind.Item, "IG" + i, "g", i < 20 ? null : "IG" + random.Next(i / 4)));
        for (var i = 0; i < PartyGroups; i++)
            groups.Add(new(GroupKind.Customer, "PG" + i, "g", i < 6 ? null : "PG" + random.Next(i / 3)));
        var accounts = Enumerable
            .Range(0, 5000)
            .Select(i => new Account(
                (4000 + i).ToString(System.Globalization.CultureInfo.InvariantCulture),
                "a",
                AccountClass.Revenue,
                AccountKind.Posting
            ))
            .ToList();
        var assignments = new Dictionary<string, Assignment>();
        void Add(params (Dimension D, string V)[] key)
        {
            var made = new Assignment(
                "sales-revenue",
                accounts[random.Next(accounts.Count)].Number,
                [.. key.Select(k => new KeyPart(k.D, k.V))]
            );
            assignments.TryAdd(made.Identity, made);
        }
        Add();
        while (assignments.Count < Assignments)
            switch (random.Next(100))
            {
                // As set-ups are: most exceptions on items, some on pairs, the groups filled once.
                case < 25:
                    Add((Dimension.Item, "I" + random.Next(Items)), (Dimension.Party, "P" + random.Next(Parties)));
                    break;
                case < 65:
                    Add((Dimension.Item, "I" + random.Next(Items)));
                    break;
                case < 80:
                    Add((Dimension.Party, "P" + random.Next(Parties)));
                    break;
                case < 90:
                    Add(
                        (Dimension.ItemGroup, "IG" + random.Next(ItemGroups)),
                        (Dimension.PartyGroup, "PG" + random.Next(PartyGroups))
                    );
                    break;
                case < 96:
                    Add(
                        (Dimension.ItemGroup, "IG" + random.Next(ItemGroups)),
                        (Dimension.Channel, "C" + random.Next(Channels))
                    );
                    break;
                case < 98:
                    Add((Dimension.ItemGroup, "IG" + random.Next(ItemGroups / 2)));
                    break;
                default:
                    Add((Dimension.PartyGroup, "PG" + random.Next(PartyGroups)));
                    break;
            }
        return new SetUp
        {
            Entity = new Entity("LARGE", "Large", "EUR"),
            Accounts = accounts,
            Groups = groups,
            Items =
            [
                .. Enumerable
                    .Range(0, Items)
                    .Select(i => new Item("I" + i, "i", ItemNature.Goods, true, "IG" + random.Next(ItemGroups))),
            ],
            Parties =
            [
                .. Enumerable
                    .Range(0, Parties)
                    .Select(i => new Party("P" + i, "p", PartyKind.Customer, "PG" + random.Next(PartyGroups))),
            ],
            Channels = [.. Enumerable.Range(0, Channels).Select(i => new PlainRecord("C" + i, "c"))],
            Ladders = [.. Ladder.Select((r, i) => new LadderRow("sales-revenue", i + 1, r))],
            Assignments = [.. assignments.Values],
        };
    }

    /// <summary>Random legs; one in ten is of an item and party that a pair names.</summary>
    public static LegValues[] MakeLegs(CompiledSetUp setUp)
    {
        var random = new Random(11);
        var pairs = setUp
            .SetUp.Assignments.Where(a => a.Key.Count == 2 && a.Key[0].Dimension == Dimension.Item)
            .ToArray();
        var legs = new LegValues[Legs];
        for (var i = 0; i < legs.Length; i++)
        {
            var pair = random.Next(10) == 0 ? pairs[random.Next(pairs.Length)] : null;
            var item = setUp.Item(pair?.Key[0].Value ?? "I" + random.Next(Items))!;
            var party = setUp.Party(pair?.Key[1].Value ?? "P" + random.Next(Parties))!;
            legs[i][Dimension.Item] = item.Number;
            legs[i][Dimension.ItemGroup] = item.Group;
            legs[i][Dimension.Party] = party.Number;
            legs[i][Dimension.PartyGroup] = party.CustomerGroup;
            if (random.Next(2) == 0)
                legs[i][Dimension.Channel] = setUp.Index.Of(Dimension.Channel, "C" + random.Next(Channels));
        }
        return legs;
    }
}
