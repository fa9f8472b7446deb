using Assignum.Core.Chart;
using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;

namespace Assignum.Core.Upkeep;

/// <summary>An account that a sibling group has of its own, and what the new line gets in its place.</summary>
/// <param name="Like">The sibling's account.</param>
/// <param name="Purposes">What it serves there.</param>
/// <param name="Shared">Other groups use it too: then the new line does as well, unless it is told otherwise.</param>
/// <param name="Inherited">The sibling has it from a group above or a default: the new line does too, unless it is told
/// otherwise.</param>
/// <param name="Number">The next free number beside it; null where none is left.</param>
public sealed record LikeAccount(
    Account Like,
    IReadOnlyList<string> Purposes,
    bool Shared,
    bool Inherited,
    string? Number,
    string? Name
);

/// <summary>A new line of business as it is asked for.</summary>
/// <param name="Sibling">The item group that it is like.</param>
/// <param name="Accounts">New number and name by the sibling's account; an account that is not named stays
/// shared.</param>
/// <param name="Items">The first items; may be none.</param>
public sealed record NewLineWish(
    string Sibling,
    string Code,
    string Name,
    string? Parent,
    string? TaxCategory,
    IReadOnlyDictionary<string, (string Number, string Name)> Accounts,
    IReadOnlyList<(string Code, string Name)> Items
);

/// <summary>
/// A new line of business in one step: a group beside a sibling, accounts like the sibling's, the assignments that send
/// it there, and its
/// first items. One change, undone as one.
/// </summary>
public static class NewLine
{
    /// <summary>The accounts that the sibling has of its own, then those it inherits, each with what would stand beside
    /// it.</summary>
    public static IReadOnlyList<LikeAccount> Propose(CompiledSetUp setUp, string sibling, string name)
    {
        if (setUp.SetUp.Groups.FirstOrDefault(g => g.Kind == GroupKind.Item && g.Code == sibling) is not { } group)
            return [];
        var elsewhere = setUp
            .SetUp.Assignments.Where(a => a.Value(Dimension.ItemGroup) != sibling)
            .Select(a => a.Account)
            .ToHashSet(StringComparer.Ordinal);
        var accounts = setUp.SetUp.Accounts.ToList();
        var proposed = new List<LikeAccount>();
        void Add(string number, IEnumerable<string> purposes, bool inherited)
        {
            if (setUp.Account(number) is not { Tripwire: false } like)
                return;
            // Numbers already given out here are held, so that two accounts do not get the same.
            var free = new ChartNumbers(accounts, setUp.SetUp.NumberBands).Beside(number);
            if (free is not null)
                accounts.Add(like with { Number = free });
            proposed.Add(
                new LikeAccount(
                    like,
                    [.. purposes.Distinct()],
                    inherited || elsewhere.Contains(number),
                    inherited,
                    free,
                    Called(like.Name, group.Name, name)
                )
            );
        }
        var own = Own(setUp.SetUp, sibling).ToList();
        foreach (var of in own.GroupBy(a => a.Account).OrderBy(g => g.Key, StringComparer.Ordinal))
            Add(of.Key, of.Select(a => a.Purpose), false);
        foreach (
            var of in Inherited(setUp, sibling).GroupBy(i => i.Account).OrderBy(g => g.Key, StringComparer.Ordinal)
        )
            if (proposed.TrueForAll(p => p.Like.Number != of.Key))
                Add(of.Key, of.Select(i => i.Purpose.Name), true);
        return proposed;
    }

    // Where the sibling lands for want of an account of its own, for purposes that have a rung for one.
    private static IEnumerable<(Purpose Purpose, string Account)> Inherited(CompiledSetUp setUp, string sibling)
    {
        var rung = 1 << (int)Dimension.ItemGroup;
        foreach (
            var purpose in GroupMembers
                .Bands(setUp, GroupKind.Item, sibling)
                .SelectMany(b => b.Purposes)
                .Where(p => setUp.Landings.LadderOf(p).Holding(rung) is not null)
        )
            if (
                setUp.Landings.AssignmentsOf(purpose).All(a => a.Set != rung || a.Value(Dimension.ItemGroup) != sibling)
                && setUp.Landings.TraceOf(purpose, GroupMembers.OfGroup(setUp, GroupKind.Item, sibling)).Account
                    is { } account
            )
                yield return (purpose, account);
    }

    /// <summary>The edits of a wish; faults say what cannot be.</summary>
    public static IReadOnlyList<RowChange> Edits(SetUp setUp, NewLineWish wish, List<Fault> faults)
    {
        if (setUp.Groups.FirstOrDefault(g => g.Kind == GroupKind.Item && g.Code == wish.Sibling) is not { } sibling)
        {
            faults.Add(
                new Fault(
                    "unknown-record",
                    $"There is no item group {wish.Sibling}: choose the one that the new line is like.",
                    "sibling"
                )
            );
            return [];
        }
        if (wish.Code.Length == 0)
            faults.Add(new Fault("missing-value", "The new group needs a code.", "code"));
        else if (setUp.Groups.Any(g => g.Kind == GroupKind.Item && g.Code == wish.Code))
            faults.Add(
                new Fault("exists", $"There is an item group {wish.Code} already: choose another code.", "code")
            );
        if (wish.Name.Length == 0)
            faults.Add(new Fault("missing-value", "The new group needs a name.", "name"));
        var held = setUp.Accounts.ToDictionary(a => a.Number, StringComparer.Ordinal);
        foreach (var (like, wanted) in wish.Accounts)
        {
            if (!held.ContainsKey(like))
                faults.Add(new Fault("unknown-record", $"There is no account {like}.", $"number:{like}"));
            if (held.TryGetValue(wanted.Number, out var holder))
                faults.Add(
                    new Fault("exists", $"{wanted.Number} is {holder.Name}: choose a free number.", $"number:{like}")
                );
            if (wanted.Name.Length == 0)
                faults.Add(new Fault("missing-value", $"The account like {like} needs a name.", $"name:{like}"));
        }
        foreach (var twice in wish.Accounts.GroupBy(a => a.Value.Number).Where(g => g.Count() > 1))
            faults.Add(new Fault("exists", $"Two accounts would become {twice.Key}.", $"number:{twice.First().Key}"));
        if (faults.Count > 0)
            return [];

        var edits = new List<RowChange>();
        foreach (var (like, wanted) in wish.Accounts.OrderBy(a => a.Value.Number, StringComparer.Ordinal))
        {
            // All of the sibling's account but what is its own; a family of its own, where the sibling has one.
            var row = Parts.Accounts.Row(setUp, like)!.ToArray();
            void Set(string column, string? value) =>
                row[Parts.Accounts.Columns.ToList().FindIndex(c => c.Name == column)] = value;
            Set("number", wanted.Number);
            Set("name", wanted.Name);
            Set("short_code", null);
            Set("note", null);
            Set("status", "active");
            if (held[like].Family is { } family && family.Equals(wish.Sibling, StringComparison.OrdinalIgnoreCase))
                Set("family", wish.Code.ToLowerInvariant());
            edits.Add(new RowChange(Parts.Accounts, ChangeKind.Added, wanted.Number, null, row));
        }
        edits.Add(
            SetUpEdit.Row(
                Parts.Groups,
                null,
                new Dictionary<string, string?>
                {
                    ["kind"] = "item",
                    ["code"] = wish.Code,
                    ["name"] = wish.Name,
                    ["parent"] = wish.Parent ?? sibling.Parent,
                }
            )
        );
        var like0 = Own(setUp, wish.Sibling)
            .Select(a =>
                a with
                {
                    Account = wish.Accounts.TryGetValue(a.Account, out var wanted) ? wanted.Number : a.Account,
                    Key = [.. a.Key.Select(k => k.Dimension == Dimension.ItemGroup ? k with { Value = wish.Code } : k)],
                }
            );
        // What the sibling inherits and the new line gets of its own stands on the rung of its group.
        var compiled = new Lazy<CompiledSetUp>(() => new CompiledSetUp(setUp));
        var own = Own(setUp, wish.Sibling).Select(a => a.Account).ToHashSet(StringComparer.Ordinal);
        var more = wish.Accounts.Keys.All(own.Contains)
            ? []
            : Inherited(compiled.Value, wish.Sibling)
                .Where(i => !own.Contains(i.Account) && wish.Accounts.ContainsKey(i.Account))
                .Select(i => new Assignment(
                    i.Purpose.Name,
                    wish.Accounts[i.Account].Number,
                    [new KeyPart(Dimension.ItemGroup, wish.Code)]
                ));
        edits.AddRange(
            Parts
                .Assignments.Write(setUp with { Assignments = [.. like0, .. more] })
                .Select(r => new RowChange(Parts.Assignments, ChangeKind.Added, Parts.Assignments.KeyOf(r), null, r))
        );
        var pattern = Pattern(setUp, wish.Sibling);
        foreach (var (code, name) in wish.Items)
            edits.Add(
                SetUpEdit.Row(
                    Parts.Items,
                    null,
                    new Dictionary<string, string?>
                    {
                        ["code"] = code,
                        ["name"] = name,
                        ["nature"] = pattern is null ? "goods" : Words.Of(pattern.Nature),
                        ["stocked"] = pattern?.Stocked == false ? "no" : "yes",
                        ["group"] = wish.Code,
                        ["tax_category"] = wish.TaxCategory ?? pattern?.TaxCategory,
                        ["costing"] = "average",
                        ["status"] = "active",
                    }
                )
            );
        return edits;
    }

    /// <summary>An item of the new line to rehearse with: its first one, or, where it has none yet, one like the
    /// sibling's that is not kept.</summary>
    public static (SetUp SetUp, Item Item) Specimen(SetUp planned, NewLineWish wish)
    {
        if (wish.Items.Count > 0 && planned.Items.FirstOrDefault(i => i.Code == wish.Items[0].Code) is { } first)
            return (planned, first);
        var like = Pattern(planned, wish.Sibling);
        var item = new Item(
            wish.Code + "-1",
            wish.Name,
            like?.Nature ?? ItemNature.Goods,
            like?.Stocked ?? true,
            wish.Code,
            wish.TaxCategory ?? like?.TaxCategory
        );
        return (planned with { Items = [.. planned.Items.Where(i => i.Code != item.Code), item] }, item);
    }

    /// <summary>A purchase and a sale of an item, as documents that follow one another.</summary>
    public static IReadOnlyList<BusinessEvent> PurchaseAndSale(CompiledSetUp setUp, Item item, DateOnly day)
    {
        var kinds = item.IsStockItem
            ? setUp.Policies.Perpetual && setUp.Policies.ReceiptAccrual
                ? ["goods-received", "supplier-invoice", "goods-shipped", "sales-invoice"]
                : new[] { "supplier-invoice", "goods-shipped", "sales-invoice" }
            : ["supplier-invoice", "sales-invoice"];
        var documents = kinds
            .Select(k => Examples.Of(EventKinds.Find(k)!, setUp, day, item.Code).Event)
            .OfType<BusinessEvent>()
            .ToList();
        // What is not received into stock settles no receipt.
        if (kinds[0] != "goods-received")
            foreach (var line in documents.SelectMany(d => d.Lines))
                line.ReceiptCost = null;
        return documents;
    }

    // What its items are like: the first active one of the group, or of those below it.
    private static Item? Pattern(SetUp setUp, string group) =>
        GroupMembers
            .In(setUp, GroupKind.Item, GroupMembers.Below(setUp, GroupKind.Item, group))
            .Order(StringComparer.Ordinal)
            .Select(c => setUp.Items.First(i => i.Code == c))
            .FirstOrDefault();

    private static IEnumerable<Assignment> Own(SetUp setUp, string group) =>
        setUp.Assignments.Where(a => a.Value(Dimension.ItemGroup) == group);

    // "Rain gauges, Cork" of Rain gauges becomes "Snow gauges, Cork" of Snow gauges.
    private static string Called(string account, string sibling, string name) =>
        name.Length == 0 ? ""
        : account.StartsWith(sibling, StringComparison.OrdinalIgnoreCase) ? name + account[sibling.Length..]
        : account.Contains(sibling, StringComparison.OrdinalIgnoreCase)
            ? account.Replace(sibling, name.ToLowerInvariant(), StringComparison.OrdinalIgnoreCase)
        : $"{account}, {name.ToLowerInvariant()}";
}
