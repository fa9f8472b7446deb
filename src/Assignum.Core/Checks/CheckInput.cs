using System.Collections.Concurrent;
using System.Globalization;
using Assignum.Core.Chart;
using Assignum.Core.Coverage;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Core.Tax;

namespace Assignum.Core.Checks;

/// <summary>What checks look at, with what several of them need worked out once.</summary>
public sealed class CheckInput
{
    private readonly Dictionary<string, List<Assignment>> byAccount = new(StringComparer.Ordinal);
    private readonly Lazy<IReadOnlyList<(Item Item, IReadOnlyList<ItemLanding> Landings)>> stockLandings;
    private readonly Lazy<Dictionary<string, int>> stockItemsBelow;
    private readonly ConcurrentDictionary<TaxDirection, IReadOnlyList<string>> standings = [];
    private readonly ConcurrentDictionary<TaxDirection, IReadOnlyList<string>> categories = [];

    /// <param name="today">The entity's day.</param>
    public CheckInput(CompiledSetUp compiled, DateOnly today, PostedFacts? posted = null)
    {
        (Compiled, Today, Posted) = (compiled, today, posted ?? PostedFacts.None);
        foreach (var assignment in SetUp.Assignments)
            (byAccount.TryGetValue(assignment.Account, out var list) ? list : byAccount[assignment.Account] = []).Add(
                assignment
            );
        Needed = Reach.Needed(compiled).ToHashSet();
        stockItemsBelow = new(() => CheckMemory.Of(compiled).StockItemsBelow ??= CountBelow());
        stockLandings = new(() => StockLandings(CheckMemory.Of(compiled)));
    }

    public CompiledSetUp Compiled { get; }
    public SetUp SetUp => Compiled.SetUp;
    public DateOnly Today { get; }
    public PostedFacts Posted { get; }

    /// <summary>The purposes that some event can reach under the policies.</summary>
    public IReadOnlySet<Purpose> Needed { get; }

    /// <summary>Whether tax is registered for.</summary>
    public bool Registered => Compiled.Entity.TaxRegistered;

    /// <summary>The assignments that name an account.</summary>
    public IReadOnlyList<Assignment> Naming(string account) => byAccount.TryGetValue(account, out var list) ? list : [];

    /// <summary>The account of an assignment.</summary>
    public Account AccountOf(Assignment assignment) => Compiled.Account(assignment.Account)!;

    /// <summary>An assignment on another rung than the default that names a tripwire: it decides nothing, and has no
    /// other finding.</summary>
    public bool IsMiss(Assignment assignment) => assignment.Key.Count > 0 && AccountOf(assignment).Tripwire;

    /// <summary>A default that is a tripwire.</summary>
    public bool IsTripwireDefault(Assignment assignment) => assignment.Key.Count == 0 && AccountOf(assignment).Tripwire;

    /// <summary>An assignment names it, a line was posted to it in the last 365 days, or its balance is not zero.</summary>
    public bool InUse(Account account) =>
        byAccount.ContainsKey(account.Number)
        || Posted.Recent.Contains(account.Number)
        || Posted.Balances.GetValueOrDefault(account.Number) != 0;

    /// <summary>The standings that an active party of the direction has or a cell of it names.</summary>
    public IReadOnlyList<string> Standings(TaxDirection direction) =>
        Kept(standings, direction, () =>
            SetUp
                .Parties.Where(p => p.Status == RecordStatus.Active && p.Kind != PartyKind.Other)
                .Where(p => p.Kind == PartyKind.Both || p.Kind == KindOf(direction))
                .Select(p => p.TaxStanding)
                .OfType<string>()
                .Concat(SetUp.TaxMatrix.Where(c => c.Direction == direction).Select(c => c.Standing))
        );

    /// <summary>The categories that an active item has, for output of goods or services only, and <c>standard</c>.</summary>
    public IReadOnlyList<string> Categories(TaxDirection direction) =>
        Kept(categories, direction, () =>
            SetUp
                .Items.Where(i =>
                    i.Status == RecordStatus.Active
                    && (
                        direction == TaxDirection.Output
                            ? i.Nature is ItemNature.Goods or ItemNature.Service
                            : i.Nature != ItemNature.GiftCard
                    )
                )
                .Select(i => i.TaxCategory)
                .OfType<string>()
                .Append("standard")
        );

    private static PartyKind KindOf(TaxDirection direction) =>
        direction == TaxDirection.Output ? PartyKind.Customer : PartyKind.Supplier;

    private static IReadOnlyList<string> Kept(
        ConcurrentDictionary<TaxDirection, IReadOnlyList<string>> known,
        TaxDirection direction,
        Func<IEnumerable<string>> make
    ) => known.GetOrAdd(direction, _ => [.. make().Distinct(StringComparer.Ordinal).Order(StringComparer.Ordinal)]);

    /// <summary>Of every active stock item, where its stock, revenue and cost land with its group and nothing else
    /// given: of those purposes that are needed.</summary>
    public IReadOnlyList<(Item Item, IReadOnlyList<ItemLanding> Landings)> StockItems => stockLandings.Value;

    /// <summary>How many active stock items stand in each item group and those below it; groups without one are left
    /// out.</summary>
    public IReadOnlyDictionary<string, int> StockItemsBelow => stockItemsBelow.Value;

    private Dictionary<string, int> CountBelow()
    {
        var parents = SetUp
            .Groups.Where(g => g.Kind == GroupKind.Item)
            .ToDictionary(g => g.Code, g => g.Parent, StringComparer.Ordinal);
        var items = new Dictionary<string, int>(StringComparer.Ordinal);
        foreach (
            var (group, count) in SetUp
                .Items.Where(i => i.IsStockItem && i.Status == RecordStatus.Active && i.Group is not null)
                .CountBy(i => i.Group!, StringComparer.Ordinal)
        )
            for (var at = group; at is not null; at = parents.GetValueOrDefault(at))
                items[at] = items.GetValueOrDefault(at) + count;
        return items;
    }

    /// <summary>The purposes whose accounts make a family, as far as they are needed.</summary>
    public IEnumerable<Purpose> FamilyPurposes =>
        new[] { Purposes.Stock, Purposes.SalesRevenue, Purposes.CostOfSales }.Where(Needed.Contains);

    // Those of before where the change cannot have moved them.
    private IReadOnlyList<(Item Item, IReadOnlyList<ItemLanding> Landings)> StockLandings(CheckMemory memory)
    {
        var purposes = FamilyPurposes.ToList();
        if (memory.MovedItems(this) is { } moved)
        {
            var again = memory.StockItems!.ToArray();
            for (var i = 0; i < again.Length; i++)
                if (moved(again[i].Item))
                    again[i] = Landed(again[i].Item, purposes);
            return memory.StockItems = again;
        }
        return memory.StockItems = [
            .. SetUp
                .Items.Where(i => i.IsStockItem && i.Status == RecordStatus.Active)
                .AsParallel()
                .AsOrdered()
                .Select(i => Landed(i, purposes)),
        ];
    }

    private (Item Item, IReadOnlyList<ItemLanding> Landings) Landed(Item item, List<Purpose> purposes)
    {
        var known = Compiled.Item(item.Code)!;
        var values = default(LegValues);
        (values[Dimension.Item], values[Dimension.ItemGroup]) = (known.Number, known.Group);
        var lands = new ItemLanding[purposes.Count];
        for (var i = 0; i < lands.Length; i++)
            lands[i] = Lands(purposes[i], values);
        return (item, lands);
    }

    /// <summary>Where values land for a purpose.</summary>
    public ItemLanding Lands(Purpose purpose, in LegValues values)
    {
        var landed = Compiled.Landings.Resolve(purpose, values);
        var at = landed.Borrowed ? Compiled.Landings.BorrowOf(purpose)! : purpose;
        var by = landed.Assignment < 0 ? null : Compiled.Landings.AssignmentsOf(at)[landed.Assignment];
        var account = landed.Account is null ? null : Compiled.Account(landed.Account);
        return new ItemLanding(purpose, account, by, account is { Tripwire: false } ? account.Family : null);
    }

    /// <summary>Whether an assignment decides some combination of a purpose whose record on one side is one of
    /// those.</summary>
    /// <param name="kind">The side, see <see cref="Axis.Kinds"/>.</param>
    internal bool DecidesFor(Purpose purpose, Assignment assignment, int kind, Func<Leaf, bool> those)
    {
        var dims = PurposeCoverage.Dimensions(Compiled.Landings, purpose);
        if ((dims & 1 << kind) == 0)
            return false;
        var axes = Compiled
            .Memory.TakingPart.Of(purpose)
            .Select(a =>
                a.Kind == kind ? a.Only(Enumerable.Range(0, a.Leaves.Count).Where(i => those(a.Leaves[i]))) : a
            )
            .ToList();
        if (Enumerable.Range(0, axes.Count).Any(a => (dims & 1 << a) != 0 && axes[a].Leaves.Count == 0))
            return false;
        var at = Purposes.Find(assignment.Purpose)!;
        var search = new BoxSearch(axes, Compiled.Memory.Boxes(purpose));
        var proof = new HashSet<Assignment>(ReferenceEqualityComparer.Instance);
        return Box.Of(Compiled.Memory.SlotsOf(purpose), at, assignment).Any(b => !search.Covered(b, proof));
    }

    /// <summary>The purposes that an assignment can decide for: its own, and those needed ones that borrow from it.</summary>
    public IEnumerable<Purpose> ServedBy(Assignment assignment)
    {
        var own = Purposes.Find(assignment.Purpose)!;
        return Needed.Where(p => p == own || Compiled.Landings.BorrowOf(p) == own).OrderBy(p => p.Index);
    }

    /// <summary>A row as a place.</summary>
    public static FindingPlace Place(Assignment assignment) =>
        new(
            Parts.Assignments.Name,
            [
                new("purpose", assignment.Purpose),
                .. assignment.Key.Select(k => KeyValuePair.Create(Words.Of(k.Dimension).Replace('-', '_'), k.Value)),
            ]
        );

    /// <inheritdoc cref="Place(Assignment)"/>
    public static FindingPlace Place(Account account) => Place(Parts.Accounts, ("number", account.Number));

    /// <inheritdoc cref="Place(Assignment)"/>
    public static FindingPlace Place(Item item) => Place(Parts.Items, ("code", item.Code));

    /// <inheritdoc cref="Place(Assignment)"/>
    public static FindingPlace Place(LandingGroup group) =>
        Place(Parts.Groups, ("kind", Words.Of(group.Kind)), ("code", group.Code));

    /// <inheritdoc cref="Place(Assignment)"/>
    public static FindingPlace Place(Purpose purpose) => new("purposes", [new("purpose", purpose.Name)]);

    /// <inheritdoc cref="Place(Assignment)"/>
    public static FindingPlace Place(Part part, params (string Column, string Value)[] key) =>
        new(part.Name, [.. key.Select(k => KeyValuePair.Create(k.Column, k.Value))]);

    /// <summary>What an assignment is for, in words: its key, or "the default".</summary>
    public static string Said(Assignment assignment) =>
        $"{Purposes.Find(assignment.Purpose)!.Title}, "
        + (assignment.Key.Count == 0 ? "by default" : string.Join(" \u00b7 ", assignment.Key.Select(k => k.Value)));

    /// <summary>An account by number and name.</summary>
    public string Said(string number) => Compiled.Account(number) is { } account ? $"{number} {account.Name}" : number;

    /// <summary>What passed there lately, as the end of a consequence; empty where nothing did.</summary>
    public string Passed(decimal amount) =>
        amount == 0
            ? ""
            : $" {amount.ToString("N" + Compiled.BaseDecimals, CultureInfo.InvariantCulture)} passed here lately.";

    /// <summary>A count in words: <c>1 item</c>, <c>12 items</c>.</summary>
    public static string Some(Int128 count, string one) =>
        $"{count.ToString("N0", CultureInfo.InvariantCulture)} {one}{(count == 1 ? "" : "s")}";
}

/// <summary>Where an item, or a group, lands for a purpose.</summary>
/// <param name="By">What decides; null: nothing.</param>
/// <param name="Family">The account's family; null: none, a tripwire, or nothing decides.</param>
public sealed record ItemLanding(Purpose Purpose, Account? Account, Assignment? By, string? Family)
{
    /// <summary>The family of the first of some landings that has one; null: none has.</summary>
    /// <param name="several">Another of them has another one.</param>
    public static string? FamilyOf(IReadOnlyList<ItemLanding> landings, out bool several)
    {
        string? family = null;
        several = false;
        // Asked of 200,000 items: a loop, and nothing is made.
        for (var i = 0; i < landings.Count; i++)
            if (landings[i].Family is { } own)
                if (family is null)
                    family = own;
                else
                    several |= !string.Equals(own, family, StringComparison.Ordinal);
        return family;
    }
}

/// <summary>What a check looks at, beside the entity and the places: while none of it changes, what it found holds.</summary>
[Flags]
public enum Reads
{
    /// <summary>The chart, with accounts that may be used instead, number bands and the crosswalk.</summary>
    Accounts = 1,
    Assignments = 2,

    /// <summary>Ladders and borrowing.</summary>
    Ladders = 4,
    Groups = 8,
    Items = 16,
    Parties = 32,
    Projects = 64,

    /// <summary>Codes, rates and matrix, and the day.</summary>
    Tax = 128,
    Policies = 256,

    /// <summary>What was posted.</summary>
    Books = 512,
    All = 1023,
}

/// <summary>Looks for one kind of weakness.</summary>
/// <param name="code">Its code, fixed.</param>
/// <param name="title">What it is called where people read it.</param>
/// <param name="stage">The stage of the work that mends what it finds; see <see cref="Stages"/>.</param>
public abstract class Check(string code, string title, string stage = "assignments")
{
    public string Code { get; } = code;
    public string Title { get; } = title;
    public string Stage { get; } = stage;

    /// <summary>What it looks at.</summary>
    public abstract Reads Reads { get; }

    /// <summary>All findings of it, in any order.</summary>
    public abstract IEnumerable<Finding> Of(CheckInput input);

    private protected Finding OnAssignment(
        CheckInput input,
        Assignment assignment,
        FindingSeverity severity,
        string message,
        string consequence,
        Int128? count = null
    )
    {
        var amount = input.Posted.ByAssignment.GetValueOrDefault(assignment.Identity);
        return new Finding(
            Code,
            severity,
            [CheckInput.Place(assignment)],
            null,
            assignment.Account,
            assignment.Purpose,
            count ?? 1,
            amount,
            message,
            consequence + input.Passed(amount)
        );
    }

    private protected Finding OnAccount(
        CheckInput input,
        Account account,
        FindingSeverity severity,
        string message,
        string consequence,
        Int128? count = null,
        decimal? amount = null
    )
    {
        var passed = amount ?? input.Posted.ByAccount.GetValueOrDefault(account.Number);
        return new Finding(
            Code,
            severity,
            [CheckInput.Place(account)],
            null,
            account.Number,
            null,
            count ?? 1,
            passed,
            message,
            consequence + (amount is null ? input.Passed(passed) : "")
        );
    }

    private protected Finding OnPurpose(
        CheckInput input,
        Purpose purpose,
        FindingSeverity severity,
        string? account,
        Int128 count,
        string message,
        string consequence
    )
    {
        var amount = input.Posted.ByPurpose.GetValueOrDefault(purpose.Name);
        return new Finding(
            Code,
            severity,
            [CheckInput.Place(purpose)],
            null,
            account,
            purpose.Name,
            count,
            amount,
            message,
            consequence + input.Passed(amount)
        );
    }

    private protected Finding Grouped(
        FindingSeverity severity,
        string of,
        IReadOnlyCollection<FindingPlace> places,
        string message,
        string consequence,
        string? account = null,
        string? purpose = null,
        decimal amount = 0
    ) =>
        new(
            Code,
            severity,
            [.. places.Take(Finding.MostPlaces)],
            of,
            account,
            purpose,
            places.Count,
            amount,
            message,
            consequence
        );
}
