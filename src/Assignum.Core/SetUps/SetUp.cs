using Assignum.Core.Chart;
using Assignum.Core.Groups;
using Assignum.Core.Landing;
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
/// Everything that one edition holds and the records beside it, as read from storage or a bundle; immutable.
/// </summary>
/// <remarks>The lists have no faults of form (see <see cref="SetUpRules"/>); weak choices in them are
/// findings.</remarks>
public sealed record SetUp
{
    public required Entity Entity { get; init; }

    /// <summary>Codes of the other entities kept beside this one: what a leg's counterparty can be.</summary>
    public IReadOnlyList<string> OtherEntities { get; init; } = [];
    public IReadOnlyList<Period> Periods { get; init; } = [];
    public IReadOnlyList<NumberBand> NumberBands { get; init; } = [];
    public IReadOnlyList<Account> Accounts { get; init; } = [];

    /// <summary>Numbers that accounts bore before, with the number each has now; none of them is anybody's number
    /// today.</summary>
    public IReadOnlyDictionary<string, string> FormerNumbers { get; init; } =
        System.Collections.Frozen.FrozenDictionary<string, string>.Empty;
    public IReadOnlyList<ReliefAccount> ReliefAccounts { get; init; } = [];
    public IReadOnlyList<LandingGroup> Groups { get; init; } = [];
    public IReadOnlyList<Item> Items { get; init; } = [];
    public IReadOnlyList<Party> Parties { get; init; } = [];
    public IReadOnlyList<PlainRecord> Locations { get; init; } = [];
    public IReadOnlyList<PlainRecord> Channels { get; init; } = [];
    public IReadOnlyList<PlainRecord> Methods { get; init; } = [];
    public IReadOnlyList<PlainRecord> Reasons { get; init; } = [];
    public IReadOnlyList<Project> Projects { get; init; } = [];
    public IReadOnlyList<DimensionValue> DimensionValues { get; init; } = [];
    public IReadOnlyList<TaxCode> TaxCodes { get; init; } = [];
    public IReadOnlyList<TaxRate> TaxRates { get; init; } = [];
    public IReadOnlyList<TaxMatrixCell> TaxMatrix { get; init; } = [];
    public IReadOnlyList<PolicyRow> Policies { get; init; } = [];
    public IReadOnlyList<LadderRow> Ladders { get; init; } = [];
    public IReadOnlyList<Borrow> Borrows { get; init; } = [];
    public IReadOnlyList<Assignment> Assignments { get; init; } = [];
    public IReadOnlyList<CrosswalkRow> Crosswalk { get; init; } = [];
    public IReadOnlyList<PairingRow> Pairings { get; init; } = [];
}
