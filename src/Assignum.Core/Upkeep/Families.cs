using Assignum.Core.Chart;
using Assignum.Core.Checks;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;

namespace Assignum.Core.Upkeep;

/// <summary>An item group with where its stock, revenue and cost land.</summary>
/// <param name="Depth">0 at the top.</param>
/// <param name="Items">Active stock items in it and below it.</param>
/// <param name="Mixed">The accounts are of more than one family.</param>
public sealed record FamilyGroup(
    LandingGroup Group,
    int Depth,
    int Items,
    IReadOnlyList<ItemLanding> Landings,
    bool Mixed
);

/// <summary>What a family has for a purpose.</summary>
/// <param name="Accounts">Its accounts that assignments of the purpose name; empty: none of its own.</param>
/// <param name="Missing">It has none, and another family has.</param>
public sealed record FamilyCell(Purpose Purpose, IReadOnlyList<Account> Accounts, bool Missing);

/// <summary>A family that an account without one seems to be of.</summary>
/// <param name="Why">What speaks for it.</param>
/// <param name="Sure">Whether what speaks for it is more than a number.</param>
public sealed record FamilyProposal(Account Account, string Family, string Why, bool Sure = true);

/// <summary>Product lines as accounts tell them: who lands where, what each has for which purpose, and which accounts
/// seem to be of one.</summary>
public sealed class Families
{
    private readonly CompiledSetUp compiled;
    private readonly CheckInput input;

    public Families(CompiledSetUp compiled, DateOnly today) =>
        (this.compiled, input) = (compiled, new CheckInput(compiled, today));

    private SetUp SetUp => compiled.SetUp;

    /// <summary>The purposes whose accounts make a family, as far as they are needed.</summary>
    public IReadOnlyList<Purpose> Three => [.. input.FamilyPurposes];

    /// <summary>The families that accounts name, by name.</summary>
    public IReadOnlyList<string> All =>
        [
            .. SetUp
                .Accounts.Select(a => a.Family)
                .OfType<string>()
                .Distinct(StringComparer.Ordinal)
                .Order(StringComparer.Ordinal),
        ];

    /// <summary>The item groups with stock items, each under its parent.</summary>
    public IReadOnlyList<FamilyGroup> Groups()
    {
        var groups = SetUp.Groups.Where(g => g.Kind == GroupKind.Item).ToList();
        var items = input.StockItemsBelow;
        var below = groups.ToLookup(g => g.Parent ?? "", StringComparer.Ordinal);
        var rows = new List<FamilyGroup>();
        void Add(string under, int depth)
        {
            foreach (var group in below[under].Where(g => items.ContainsKey(g.Code)))
            {
                var values = default(LegValues);
                values[Dimension.ItemGroup] = compiled.Index.OfGroup(GroupKind.Item, group.Code);
                var lands = Three.Select(p => input.Lands(p, values)).ToList();
                rows.Add(
                    new FamilyGroup(
                        group,
                        depth,
                        items[group.Code],
                        lands,
                        ItemLanding.FamilyOf(lands, out var several) is not null && several
                    )
                );
                Add(group.Code, depth + 1);
            }
        }
        Add("", 0);
        return rows;
    }

    /// <summary>What each family has of its own for every purpose that asks for items and that some family has an account
    /// for.</summary>
    public IReadOnlyList<(string Family, IReadOnlyList<FamilyCell> Cells)> Matrix()
    {
        var named = SetUp
            .Assignments.Where(a => !input.IsMiss(a))
            .Select(a => (a.Purpose, Account: input.AccountOf(a)))
            .Where(a => a.Account.Family is not null)
            .Distinct()
            .ToLookup(a => (a.Purpose, a.Account.Family!), a => a.Account);
        var purposes = Purposes
            .All.Where(p => input.Needed.Contains(p) && ItemReach.Of(p) is not (ItemSide.None or ItemSide.GroupAlone))
            .Where(p => All.Any(f => named[(p.Name, f)].Any()))
            .ToList();
        return
        [
            .. All.Select(f =>
                (
                    f,
                    (IReadOnlyList<FamilyCell>)
                        [
                            .. purposes.Select(p =>
                            {
                                var own = named[(p.Name, f)].OrderBy(a => a.Number, StringComparer.Ordinal).ToList();
                                return new FamilyCell(p, own, own.Count == 0);
                            }),
                        ]
                )
            ),
        ];
    }

    /// <summary>Families for accounts of stock, revenue and cost without one: by what the item groups that land there have
    /// elsewhere, by their names, by their numbers.</summary>
    public IReadOnlyList<FamilyProposal> Proposals()
    {
        var without = SetUp
            .Accounts.Where(a =>
                a is { Kind: AccountKind.Posting, Status: RecordStatus.Active, Tripwire: false, Family: null }
                && (a.Control == Control.Stock || a.Class is AccountClass.Revenue or AccountClass.CostOfSales)
            )
            .ToList();
        var habits = new Dictionary<string, HashSet<string>>(StringComparer.Ordinal);
        foreach (var (_, landings) in input.StockItems)
            if (
                landings.Select(l => l.Family).OfType<string>().Distinct(StringComparer.Ordinal).ToList()
                is [var family]
            )
                foreach (var landing in landings)
                    if (landing is { Family: null, Account: { Tripwire: false } account })
                        (habits.TryGetValue(account.Number, out var of) ? of : habits[account.Number] = []).Add(family);
        // A family's names: its own, and those of the groups that land in it.
        var words = All.ToDictionary(f => f, f => new HashSet<string>(Words(f), StringComparer.Ordinal));
        foreach (var group in Groups())
            if (
                group.Landings.Select(l => l.Family).OfType<string>().Distinct(StringComparer.Ordinal).ToList()
                is [var family]
            )
                words[family].UnionWith(Words(group.Group.Name));
        var shared = words
            .Values.SelectMany(w => w)
            .GroupBy(w => w, StringComparer.Ordinal)
            .Where(g => g.Count() > 1)
            .Select(g => g.Key)
            .ToHashSet(StringComparer.Ordinal);
        var proposals = new List<FamilyProposal>();
        foreach (var account in without)
        {
            if (habits.GetValueOrDefault(account.Number) is { Count: 1 } habit)
            {
                proposals.Add(
                    new FamilyProposal(account, habit.First(), "what lands here has its other accounts there")
                );
                continue;
            }
            var byName = words
                .Where(w => Words(account.Name).Any(x => w.Value.Contains(x) && !shared.Contains(x)))
                .Select(w => w.Key)
                .ToList();
            if (byName is [var named])
            {
                proposals.Add(new FamilyProposal(account, named, "its name"));
                continue;
            }
            var byNumber = SetUp
                .Accounts.Where(a => a.Family is not null && Ends(a.Number) == Ends(account.Number))
                .Select(a => a.Family!)
                .Distinct(StringComparer.Ordinal)
                .ToList();
            if (byNumber is [var numbered] && Ends(account.Number).Length > 0)
                proposals.Add(
                    new FamilyProposal(
                        account,
                        numbered,
                        $"its number ends in {Ends(account.Number)} as others of it do",
                        false
                    )
                );
        }
        return proposals;
    }

    /// <summary>The rows that give accounts their families.</summary>
    public static IReadOnlyList<RowChange> Rows(SetUp setUp, IReadOnlyDictionary<string, string> families)
    {
        var part = Parts.Accounts;
        return
        [
            .. setUp
                .Accounts.Where(a => families.ContainsKey(a.Number))
                .Select(a =>
                    SetUpEdit.Row(
                        part,
                        part.Row(setUp, a.Number),
                        new Dictionary<string, string?> { ["family"] = families[a.Number] }
                    )
                ),
        ];
    }

    private static string Ends(string number) => number.Length >= 4 ? number[^2..] : "";

    private static IEnumerable<string> Words(string text) =>
        text.Split([' ', ',', '-', '/', '&'], StringSplitOptions.RemoveEmptyEntries)
            .Select(w => w.ToLowerInvariant())
            .Select(w => w.Length > 4 && w.EndsWith('s') && !w.EndsWith("ss", StringComparison.Ordinal) ? w[..^1] : w)
            .Where(w => w.Length > 3);
}
