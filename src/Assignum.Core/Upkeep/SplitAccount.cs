using Assignum.Core.Chart;
using Assignum.Core.Coverage;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Core.Tax;

namespace Assignum.Core.Upkeep;

/// <summary>What an account is split by.</summary>
public enum SplitBy
{
    /// <summary>The tax code that the matrix gives, or on tax accounts the code itself.</summary>
    Tax,
    ItemGroup,
    PartyGroup,
    Location,
    Channel,
}

/// <summary>One account that comes out of a split.</summary>
/// <param name="Tag">A tax code, or the code of a group, location or channel.</param>
/// <param name="Title">What the tag stands for.</param>
/// <param name="TaxCode">The tax code it gives where nothing else does; null: the account's own.</param>
/// <param name="Combinations">How many combinations land on the account that is split and would land on it.</param>
public sealed record SplitPart(
    string Tag,
    string Title,
    string Number,
    string Name,
    string? TaxCode,
    Int128 Combinations
);

/// <summary>What stands on an account of lines that are alike.</summary>
public sealed record StandingAmount(
    string? TaxCode,
    string? Item,
    string? Party,
    string? Location,
    string? Channel,
    decimal Amount
);

/// <summary>
/// Splits an account that is in use: sub-accounts beside it, each with its tax code, and the fewest assignments found
/// that make what lands on it land on them; what is posted already stays, and can be moved by an entry of its own.
/// </summary>
public sealed class SplitAccount
{
    private readonly CompiledSetUp setUp;
    private readonly Account account;
    private readonly SplitBy by;
    private readonly Dictionary<(Dimension, string), string?> groupAbove = [];

    /// <summary>The ways to split, by title.</summary>
    public static IReadOnlyList<(SplitBy By, string Title)> Ways { get; } =
    [
        (SplitBy.Tax, "Tax treatment"),
        (SplitBy.ItemGroup, "Item group"),
        (SplitBy.PartyGroup, "Customer or supplier group"),
        (SplitBy.Location, "Location"),
        (SplitBy.Channel, "Channel"),
    ];

    /// <summary>A split of an account.</summary>
    public SplitAccount(CompiledSetUp setUp, Account account, SplitBy by) =>
        (this.setUp, this.account, this.by) = (setUp, account, by);

    /// <summary>The purposes whose assignments name the account.</summary>
    public IEnumerable<Purpose> Purposes =>
        Core.Landing.Purposes.All.Where(p => setUp.Landings.AssignmentsOf(p).Any(a => a.Account == account.Number));

    /// <summary>What it could be split into: what lands on it now, told apart; numbers are the next free ones beside
    /// it. Empty where nothing on it differs so.</summary>
    /// <param name="tooMany">Purposes with too many combinations to be looked through.</param>
    public IReadOnlyList<SplitPart> Parts(out IReadOnlyList<Purpose> tooMany)
    {
        var found = new Dictionary<string, Int128>(StringComparer.Ordinal);
        var skipped = new List<Purpose>();
        foreach (var purpose in Purposes)
            if (TagsOn(purpose) is { } tags)
                foreach (var (tag, count) in tags)
                    found[tag] = found.GetValueOrDefault(tag) + count;
            else
                skipped.Add(purpose);
        tooMany = skipped;
        var beside = new List<Account>(setUp.SetUp.Accounts);
        var parts = new List<SplitPart>();
        foreach (var (tag, count) in found.OrderByDescending(f => f.Value).ThenBy(f => f.Key, StringComparer.Ordinal))
        {
            var number = new ChartNumbers(beside, setUp.SetUp.NumberBands).Beside(account.Number) ?? "";
            var title = Title(tag);
            parts.Add(
                new SplitPart(tag, title, number, $"{account.Name}, {title.ToLowerInvariant()}", TaxOf(tag), count)
            );
            if (number.Length > 0)
                beside.Add(account with { Number = number });
        }
        return parts;
    }

    /// <summary>The rows that split it.</summary>
    /// <param name="chosen">What it is split into; what is not chosen stays on it.</param>
    /// <param name="left">How many combinations of each purpose should land elsewhere and cannot, because the ladder has
    /// no rung that tells them apart.</param>
    public IReadOnlyList<RowChange> Rows(
        IReadOnlyList<SplitPart> chosen,
        List<Fault> faults,
        out IReadOnlyDictionary<Purpose, Int128> left
    )
    {
        var unreached = new Dictionary<Purpose, Int128>();
        left = unreached;
        var rows = new List<RowChange>();
        var numbers = setUp.SetUp.Accounts.Select(a => a.Number).ToHashSet(StringComparer.Ordinal);
        foreach (var (part, i) in chosen.Select((p, i) => (p, i)))
        {
            if (part.Number.Length == 0)
                faults.Add(
                    new Fault("number-missing", $"{part.Title}: give the new account a number.", $"part[{i}].number")
                );
            else if (!numbers.Add(part.Number))
                faults.Add(
                    new Fault(
                        "number-taken",
                        $"{part.Title}: {part.Number} is taken, choose another number.",
                        $"part[{i}].number"
                    )
                );
            var cells = NewAccount.Beside(setUp.SetUp, account);
            (cells["number"], cells["name"]) = (part.Number, part.Name);
            if (part.TaxCode is not null && account.Control == Control.None)
                cells["tax_code"] = part.TaxCode;
            rows.Add(SetUpEdit.Row(Tables.Parts.Accounts, null, cells));
        }
        if (chosen.Count == 0)
            faults.Add(
                new Fault("nothing-chosen", "Choose at least one part that gets an account of its own.", "part")
            );
        if (faults.Count > 0)
            return [];
        var to = chosen.ToDictionary(p => p.Tag, p => p.Number, StringComparer.Ordinal);
        foreach (var purpose in Purposes)
        {
            var painted = Painting.Of(
                setUp,
                purpose,
                (d, code) => TagOf(purpose, d, code),
                (tags, lands) =>
                    lands == account.Number && Told(purpose, tags) is { } tag ? to.GetValueOrDefault(tag) : null
            );
            if (painted is null)
                continue;
            if (painted.Left > 0)
                unreached[purpose] = painted.Left;
            rows.AddRange(painted.Rows(setUp.SetUp));
        }
        return rows;
    }

    /// <summary>What stands on the account by the parts that it is split into; what belongs to none is under an empty
    /// tag.</summary>
    public IReadOnlyDictionary<string, decimal> Standing(IEnumerable<StandingAmount> amounts)
    {
        var purposes = Purposes.ToList();
        var side = purposes.Select(PartySides.Of).FirstOrDefault(s => s != PartySide.Any);
        return amounts
            .GroupBy(a => Belongs(a, side) ?? "", StringComparer.Ordinal)
            .ToDictionary(g => g.Key, g => g.Sum(a => a.Amount), StringComparer.Ordinal);
    }

    private string? Belongs(StandingAmount a, PartySide side) =>
        by switch
        {
            SplitBy.Tax => a.TaxCode,
            SplitBy.Location => a.Location,
            SplitBy.Channel => a.Channel,
            SplitBy.ItemGroup => a.Item is null ? null : Group(Dimension.Item, a.Item, side),
            _ => a.Party is null ? null : Group(Dimension.Party, a.Party, side),
        };

    // By tag, the combinations that land on the account; null: too many.
    private Dictionary<string, Int128>? TagsOn(Purpose purpose)
    {
        var found = new Dictionary<string, Int128>(StringComparer.Ordinal);
        return Painting.Visit(
            setUp,
            purpose,
            (d, code) => TagOf(purpose, d, code),
            (tags, lands, size) =>
            {
                if (lands == account.Number && Told(purpose, tags) is { } tag)
                    found[tag] = found.GetValueOrDefault(tag) + size;
            }
        )
            ? found
            : null;
    }

    private string? TagOf(Purpose purpose, Dimension dimension, string code) =>
        (by, dimension) switch
        {
            (SplitBy.Tax, Dimension.Item) => setUp.Item(code)?.Item.TaxCategory,
            (SplitBy.Tax, Dimension.Party) => setUp.Party(code)?.Party.TaxStanding,
            (SplitBy.Tax, Dimension.TaxCode) => code,
            (SplitBy.ItemGroup, Dimension.Item) or (SplitBy.PartyGroup, Dimension.Party) => Group(
                dimension,
                code,
                PartySides.Of(purpose)
            ),
            (SplitBy.Location, Dimension.Location) or (SplitBy.Channel, Dimension.Channel) => code,
            _ => null,
        };

    private string? Told(Purpose purpose, IReadOnlyDictionary<Dimension, string?> tags)
    {
        string? Tag(Dimension d) => tags.GetValueOrDefault(d);
        if (by != SplitBy.Tax)
            return by switch
            {
                SplitBy.ItemGroup => Tag(Dimension.Item),
                SplitBy.PartyGroup => Tag(Dimension.Party),
                SplitBy.Location => Tag(Dimension.Location),
                _ => Tag(Dimension.Channel),
            };
        if (Tag(Dimension.TaxCode) is { } code)
            return code;
        return PartySides.Of(purpose) switch
        {
            PartySide.Customers => setUp.Taxes.Matrix(Tag(Dimension.Party), Tag(Dimension.Item), TaxDirection.Output),
            PartySide.Suppliers => setUp.Taxes.Matrix(Tag(Dimension.Party), Tag(Dimension.Item), TaxDirection.Input),
            _ => null,
        };
    }

    // The outermost group of a record; its own one where all are in one.
    private string? Group(Dimension dimension, string code, PartySide side)
    {
        if (groupAbove.TryGetValue((dimension, code), out var known))
            return known;
        var (of, number) =
            dimension == Dimension.Item
                ? (Dimension.ItemGroup, setUp.Item(code)?.Group ?? 0)
                : (
                    Dimension.PartyGroup,
                    setUp.Party(code) is not { } party ? 0
                    : side == PartySide.Suppliers ? party.SupplierGroup
                    : party.CustomerGroup
                );
        return groupAbove[(dimension, code)] = setUp.Index.Chain(of, number) is [.., var top] ? top : null;
    }

    private string? TaxOf(string tag) => by == SplitBy.Tax ? tag : null;

    private string Title(string tag) =>
        by switch
        {
            SplitBy.Tax => setUp.Taxes.Code(tag)?.Name,
            SplitBy.ItemGroup => Named(GroupKind.Item, tag),
            SplitBy.PartyGroup => Named(GroupKind.Customer, tag) ?? Named(GroupKind.Supplier, tag),
            SplitBy.Location => setUp.SetUp.Locations.FirstOrDefault(l => l.Code == tag)?.Name,
            _ => setUp.SetUp.Channels.FirstOrDefault(l => l.Code == tag)?.Name,
        } ?? tag;

    private string? Named(GroupKind kind, string code) =>
        setUp.SetUp.Groups.FirstOrDefault(g => g.Kind == kind && g.Code == code)?.Name;
}
