using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.Tax;

namespace Assignum.Core.SetUps;

/// <summary>The entity itself. Row of <c>entity.csv</c>.</summary>
/// <param name="Currency">Base currency, ISO 4217.</param>
/// <param name="FiscalYearStart">Month and day as <c>MM-DD</c>; null is <c>01-01</c>.</param>
/// <param name="TimeZone">IANA name; null is UTC.</param>
public sealed record Entity(
    string Code,
    string Name,
    string Currency,
    bool TaxRegistered = true,
    string? FiscalYearStart = null,
    string? TimeZone = null
);

/// <summary>A stretch of days, both ends inclusive, that is open or closed for posting.</summary>
public sealed record Period(DateOnly From, DateOnly To, bool Closed);

/// <summary>A policy's chosen value; see <see cref="Policies"/>.</summary>
public sealed record PolicyRow(string Policy, string Value);

/// <summary>Says which record of a connected system is which record of ours.</summary>
public sealed record PairingRow(
    string Connection,
    string Record,
    string Theirs,
    string? Ours,
    string? State,
    string? Note
);

/// <summary>
/// The records of an entity, as one revision of it has them: the same for every edition. Immutable; every set-up of a
/// revision shares one.
/// </summary>
public sealed record RecordSet
{
    public IReadOnlyList<Period> Periods { get; init; } = [];
    public IReadOnlyList<NumberBand> NumberBands { get; init; } = [];
    public IReadOnlyList<Item> Items { get; init; } = [];
    public IReadOnlyList<Party> Parties { get; init; } = [];
    public IReadOnlyList<PlainRecord> Locations { get; init; } = [];
    public IReadOnlyList<PlainRecord> Channels { get; init; } = [];
    public IReadOnlyList<PlainRecord> Methods { get; init; } = [];
    public IReadOnlyList<PlainRecord> Reasons { get; init; } = [];
    public IReadOnlyList<Project> Projects { get; init; } = [];
    public IReadOnlyList<DimensionValue> DimensionValues { get; init; } = [];
    public IReadOnlyList<PairingRow> Pairings { get; init; } = [];
}

/// <summary>What one edition, or a draft over one, holds: what decides landings. Immutable.</summary>
/// <remarks>An account is a record and, in what decides, held by the edition: it stands here as the edition has
/// it.</remarks>
public sealed record Terms
{
    public IReadOnlyList<Account> Accounts { get; init; } = [];
    public IReadOnlyList<ReliefAccount> ReliefAccounts { get; init; } = [];
    public IReadOnlyList<LandingGroup> Groups { get; init; } = [];
    public IReadOnlyList<TaxCode> TaxCodes { get; init; } = [];
    public IReadOnlyList<TaxRate> TaxRates { get; init; } = [];
    public IReadOnlyList<TaxMatrixCell> TaxMatrix { get; init; } = [];
    public IReadOnlyList<PolicyRow> Policies { get; init; } = [];
    public IReadOnlyList<LadderRow> Ladders { get; init; } = [];
    public IReadOnlyList<Borrow> Borrows { get; init; } = [];
    public IReadOnlyList<Assignment> Assignments { get; init; } = [];
    public IReadOnlyList<CrosswalkRow> Crosswalk { get; init; } = [];
}

/// <summary>
/// Everything that one edition holds and the records beside it, as read from storage or a bundle; immutable.
/// </summary>
/// <remarks>The lists have no faults of form (see <c>SetUpRules</c>); weak choices in them are findings.</remarks>
public sealed record SetUp
{
    public required Entity Entity { get; init; }

    /// <summary>The records beside the edition, shared by all set-ups of one revision.</summary>
    public RecordSet Records { get; init; } = new();

    /// <summary>What the edition holds.</summary>
    public Terms Terms { get; init; } = new();

    /// <summary>Stored rows that do not keep a rule of today, each with its place (<c>items.csv:KEY:column</c>): they
    /// serve as far as they can be read.</summary>
    public IReadOnlyList<Fault> Offences { get; init; } = [];

    /// <summary>Codes of the other entities kept beside this one: what a leg's counterparty can be.</summary>
    public IReadOnlyList<string> OtherEntities { get; init; } = [];

    /// <summary>Numbers that accounts bore before, with the number each has now; none of them is anybody's number
    /// today.</summary>
    public IReadOnlyDictionary<string, string> FormerNumbers { get; init; } =
        System.Collections.Frozen.FrozenDictionary<string, string>.Empty;

    public IReadOnlyList<Period> Periods
    {
        get => Records.Periods;
        init => Records = Records with { Periods = value };
    }
    public IReadOnlyList<NumberBand> NumberBands
    {
        get => Records.NumberBands;
        init => Records = Records with { NumberBands = value };
    }
    public IReadOnlyList<Item> Items
    {
        get => Records.Items;
        init => Records = Records with { Items = value };
    }
    public IReadOnlyList<Party> Parties
    {
        get => Records.Parties;
        init => Records = Records with { Parties = value };
    }
    public IReadOnlyList<PlainRecord> Locations
    {
        get => Records.Locations;
        init => Records = Records with { Locations = value };
    }
    public IReadOnlyList<PlainRecord> Channels
    {
        get => Records.Channels;
        init => Records = Records with { Channels = value };
    }
    public IReadOnlyList<PlainRecord> Methods
    {
        get => Records.Methods;
        init => Records = Records with { Methods = value };
    }
    public IReadOnlyList<PlainRecord> Reasons
    {
        get => Records.Reasons;
        init => Records = Records with { Reasons = value };
    }
    public IReadOnlyList<Project> Projects
    {
        get => Records.Projects;
        init => Records = Records with { Projects = value };
    }
    public IReadOnlyList<DimensionValue> DimensionValues
    {
        get => Records.DimensionValues;
        init => Records = Records with { DimensionValues = value };
    }
    public IReadOnlyList<PairingRow> Pairings
    {
        get => Records.Pairings;
        init => Records = Records with { Pairings = value };
    }
    public IReadOnlyList<Account> Accounts
    {
        get => Terms.Accounts;
        init => Terms = Terms with { Accounts = value };
    }
    public IReadOnlyList<ReliefAccount> ReliefAccounts
    {
        get => Terms.ReliefAccounts;
        init => Terms = Terms with { ReliefAccounts = value };
    }
    public IReadOnlyList<LandingGroup> Groups
    {
        get => Terms.Groups;
        init => Terms = Terms with { Groups = value };
    }
    public IReadOnlyList<TaxCode> TaxCodes
    {
        get => Terms.TaxCodes;
        init => Terms = Terms with { TaxCodes = value };
    }
    public IReadOnlyList<TaxRate> TaxRates
    {
        get => Terms.TaxRates;
        init => Terms = Terms with { TaxRates = value };
    }
    public IReadOnlyList<TaxMatrixCell> TaxMatrix
    {
        get => Terms.TaxMatrix;
        init => Terms = Terms with { TaxMatrix = value };
    }
    public IReadOnlyList<PolicyRow> Policies
    {
        get => Terms.Policies;
        init => Terms = Terms with { Policies = value };
    }
    public IReadOnlyList<LadderRow> Ladders
    {
        get => Terms.Ladders;
        init => Terms = Terms with { Ladders = value };
    }
    public IReadOnlyList<Borrow> Borrows
    {
        get => Terms.Borrows;
        init => Terms = Terms with { Borrows = value };
    }
    public IReadOnlyList<Assignment> Assignments
    {
        get => Terms.Assignments;
        init => Terms = Terms with { Assignments = value };
    }
    public IReadOnlyList<CrosswalkRow> Crosswalk
    {
        get => Terms.Crosswalk;
        init => Terms = Terms with { Crosswalk = value };
    }
}
