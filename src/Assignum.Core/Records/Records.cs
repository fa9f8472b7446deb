using Assignum.Core.Chart;

namespace Assignum.Core.Records;

/// <summary>What a landing group groups.</summary>
public enum GroupKind
{
    Item,
    Customer,
    Supplier,
    Project,
}

/// <summary>Records that are posted alike; nests through <paramref name="Parent"/> (a code of the same kind).</summary>
public sealed record LandingGroup(GroupKind Kind, string Code, string Name, string? Parent);

/// <summary>What an item is by nature.</summary>
public enum ItemNature : byte
{
    Goods,
    Service,
    Labour,
    Overhead,
    GiftCard,
}

/// <summary>How an item's stock is valued.</summary>
public enum Costing : byte
{
    Average,
    Standard,
}

/// <summary>Something bought, made, sold or used.</summary>
/// <param name="Stocked">Goods only; stocked goods are called stock items.</param>
/// <param name="StandardCost">Base currency per unit; zero or more.</param>
public sealed record Item(
    string Code,
    string Name,
    ItemNature Nature,
    bool Stocked,
    string? Group = null,
    string? TaxCategory = null,
    Costing Costing = Costing.Average,
    decimal? StandardCost = null,
    RecordStatus Status = RecordStatus.Active
)
{
    // Few items have one, and sets of a hundred thousand are held: it takes its place where it is.
    private readonly object? cost = StandardCost;

    /// <summary>Base currency per unit; zero or more.</summary>
    public decimal? StandardCost
    {
        get => (decimal?)cost;
        init => cost = value;
    }

    /// <summary>Stocked goods: the items whose value passes through stock accounts.</summary>
    public bool IsStockItem => Nature == ItemNature.Goods && Stocked;
}

/// <summary>What a party is to us; <see cref="Both"/> is customer and supplier.</summary>
public enum PartyKind : byte
{
    Customer,
    Supplier,
    Both,
    Other,
}

/// <summary>A customer, a supplier or another party.</summary>
public sealed record Party(
    string Code,
    string Name,
    PartyKind Kind,
    string? CustomerGroup = null,
    string? SupplierGroup = null,
    string? TaxStanding = null,
    string? TaxNumber = null,
    string? Country = null,
    string? Currency = null,
    RecordStatus Status = RecordStatus.Active
);

/// <summary>When a project's revenue and cost are recognised.</summary>
public enum Recognise
{
    AsBilled,
    OnCompletion,
    ByCostShare,
}

/// <summary>A project, or a task of one (then <paramref name="Parent"/> names the project).</summary>
/// <param name="Recognise">Null on a task: it inherits. Null on a project means as billed.</param>
public sealed record Project(
    string Code,
    string Name,
    string? Parent = null,
    string? Group = null,
    string? Customer = null,
    Recognise? Recognise = null,
    RecordStatus Status = RecordStatus.Active
);

/// <summary>A location, channel, method or reason.</summary>
public sealed record PlainRecord(string Code, string Name);

/// <summary>A value of a reporting dimension such as a cost centre; it never decides a landing.</summary>
public sealed record DimensionValue(string Dimension, string Code, string Name);
