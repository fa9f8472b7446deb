using System.Globalization;
using System.Text.Json;
using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Formats.Json;

namespace Assignum.Web.Start;

/// <summary>
/// The large set, made anew the same way every time: 5,000 accounts, 200,000 items in 400 nested groups, 50,000
/// parties,
/// 60,000 assignments, 1,000,000 event lines. It grows on the small demo's chart, taxes and policies.
/// </summary>
internal static class LargeDemo
{
    /// <summary>Code of its entity.</summary>
    public const string Code = "LARGE";

    /// <summary>Events and lines of each: a million lines in all.</summary>
    public const int Events = 40_000,
        LinesEach = 25;

    private const int Accounts = 5_000,
        Items = 200_000,
        ItemGroups = 400,
        Parties = 50_000,
        PartyGroups = 60,
        Assignments = 60_000;

    /// <summary>The set-up, on a small one.</summary>
    public static SetUp Grow(SetUp small)
    {
        var random = new Random(5);
        var accounts = small.Accounts.ToList();
        for (var i = 0; accounts.Count < Accounts; i++)
            accounts.Add(
                i % 2 == 0
                    ? new Account(
                        Number("41", i),
                        $"Revenue of line {i:0000}",
                        AccountClass.Revenue,
                        AccountKind.Posting,
                        "4000",
                        TaxAdmits: TaxAdmits.Output,
                        TaxCode: "S23"
                    )
                    : new Account(
                        Number("51", i),
                        $"Cost of line {i:0000}",
                        AccountClass.CostOfSales,
                        AccountKind.Posting,
                        "5000"
                    )
            );
        var groups = small.Groups.ToList();
        for (var i = 0; i < ItemGroups; i++)
            groups.Add(
                new LandingGroup(
                    GroupKind.Item,
                    Group("LG", i),
                    $"Line {i:000}",
                    i < 20 ? "INSTR" : Group("LG", random.Next(i / 4))
                )
            );
        for (var i = 0; i < PartyGroups; i++)
            groups.Add(
                new LandingGroup(
                    GroupKind.Customer,
                    Group("CG", i),
                    $"Customers {i:00}",
                    i < 6 ? null : Group("CG", random.Next(i / 3))
                )
            );
        var revenue = accounts
            .Where(a => a.Number.StartsWith("41", StringComparison.Ordinal) && a.Number.Length > 4)
            .ToArray();
        var cost = accounts
            .Where(a => a.Number.StartsWith("51", StringComparison.Ordinal) && a.Number.Length > 4)
            .ToArray();
        return small with
        {
            Entity = small.Entity with { Code = Code, Name = "Skerrow, grown large" },
            Accounts = accounts,
            Groups = groups,
            Items =
            [
                .. small.Items,
                .. Enumerable
                    .Range(0, Items - small.Items.Count)
                    .Select(i => new Item(
                        ItemCode(i),
                        $"Instrument {i:000000}",
                        ItemNature.Goods,
                        true,
                        Group("LG", random.Next(ItemGroups)),
                        "standard"
                    )),
            ],
            Parties =
            [
                .. small.Parties,
                .. Enumerable
                    .Range(0, Parties - small.Parties.Count)
                    .Select(i => new Party(
                        PartyCode(i),
                        $"Customer {i:00000}",
                        PartyKind.Customer,
                        Group("CG", random.Next(PartyGroups)),
                        TaxStanding: "domestic",
                        Country: "IE"
                    )),
            ],
            Assignments = Assign(small, random, revenue, cost),
        };
    }

    /// <summary>An event: an invoice of <see cref="LinesEach"/> lines.</summary>
    public static ReadEvent Event(int number)
    {
        var random = new Random(number);
        var json = new System.Text.StringBuilder(2600);
        json.Append(
            CultureInfo.InvariantCulture,
            $$"""{"source":"large","id":"L-{{number}}","kind":"sales-invoice","""
                + $$""" "date":"{{new DateOnly(2026, 5, 1).AddDays(number % 180):yyyy-MM-dd}}","""
                + $$""" "reference":"L-{{number}}","party":"{{PartyCode(random.Next(Parties - 100))}}","""
                + $$""" "location":"CORK","lines":["""
        );
        for (var i = 0; i < LinesEach; i++)
            json.Append(i == 0 ? "" : ",")
                .Append(
                    CultureInfo.InvariantCulture,
                    $$"""{"item":"{{ItemCode(random.Next(Items - 100))}}","""
                        + $$""" "quantity":{{random.Next(1, 9)}},"""
                        + $$""" "unitPrice":{{random.Next(100, 90_000) / 100m}}}"""
                );
        using var document = JsonDocument.Parse(json.Append("]}").ToString(), EventReader.Options);
        return EventReader.Read(document.RootElement);
    }

    private static List<Assignment> Assign(SetUp small, Random random, Account[] revenue, Account[] cost)
    {
        var made = small.Assignments.ToDictionary(a => a.Identity);
        void Add(string purpose, Account[] among, params KeyPart[] key)
        {
            var assignment = new Assignment(purpose, among[random.Next(among.Length)].Number, key);
            made.TryAdd(assignment.Identity, assignment);
        }
        for (var i = 0; i < ItemGroups; i++)
        {
            Add("sales-revenue", revenue, new KeyPart(Dimension.ItemGroup, Group("LG", i)));
            Add("cost-of-sales", cost, new KeyPart(Dimension.ItemGroup, Group("LG", i)));
        }
        while (made.Count < Assignments)
        {
            var item = new KeyPart(Dimension.Item, ItemCode(random.Next(Items - 100)));
            switch (random.Next(5))
            {
                case 0:
                    Add(
                        "sales-revenue",
                        revenue,
                        item,
                        new KeyPart(Dimension.Party, PartyCode(random.Next(Parties - 100)))
                    );
                    break;
                case 1:
                    Add("sales-revenue", revenue, new KeyPart(Dimension.Party, PartyCode(random.Next(Parties - 100))));
                    break;
                case 2:
                    Add(
                        "sales-revenue",
                        revenue,
                        new KeyPart(Dimension.ItemGroup, Group("LG", random.Next(ItemGroups))),
                        new KeyPart(Dimension.PartyGroup, Group("CG", random.Next(PartyGroups)))
                    );
                    break;
                case 3:
                    Add("cost-of-sales", cost, item);
                    break;
                default:
                    Add("sales-revenue", revenue, item);
                    break;
            }
        }
        return [.. made.Values];
    }

    private static string Number(string prefix, int i) => prefix + i.ToString("0000", CultureInfo.InvariantCulture);

    private static string Group(string prefix, int i) => prefix + i.ToString("000", CultureInfo.InvariantCulture);

    private static string ItemCode(int i) => "L" + i.ToString("000000", CultureInfo.InvariantCulture);

    private static string PartyCode(int i) => "C" + i.ToString("00000", CultureInfo.InvariantCulture);
}
