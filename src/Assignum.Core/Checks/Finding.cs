using Assignum.Core.Tables;

namespace Assignum.Core.Checks;

/// <summary>How much a finding weighs, the gravest first.</summary>
public enum FindingSeverity
{
    /// <summary>Something cannot post, or lands where it must not.</summary>
    Error,

    /// <summary>Something lands, or will, where it was hardly meant to.</summary>
    Warning,

    /// <summary>Worth knowing.</summary>
    Info,
}

/// <summary>Where a finding is: a row of the set-up, a purpose or an event.</summary>
/// <param name="Part">The bundle's file without its ending, <c>purposes</c> or <c>events</c>.</param>
/// <param name="Key">Its filled key columns, by name.</param>
public sealed record FindingPlace(string Part, IReadOnlyList<KeyValuePair<string, string>> Key)
{
    /// <summary>A row of a part as a place, by its filled key columns.</summary>
    public static FindingPlace Of(Part part, IReadOnlyList<string?> cells) =>
        new(
            part.Name,
            [
                .. part
                    .Keys.Where(k => cells[k] is not null)
                    .Select(k => KeyValuePair.Create(part.Columns[k].Name, cells[k]!)),
            ]
        );

    /// <summary>The place as one text, unique among places.</summary>
    public string Identity => Part + "|" + string.Join('|', Key.Select(k => k.Key + "=" + k.Value));

    /// <summary>The key's values, as a person reads a place.</summary>
    public string Label => string.Join(" \u00b7 ", Key.Select(k => k.Value));
}

/// <summary>What would make a finding go.</summary>
/// <param name="Says">What it does, in a sentence.</param>
/// <param name="Rows">The edits.</param>
public sealed record Mend(string Says, IReadOnlyList<RowChange> Rows);

/// <summary>A weakness that a check found. It is worked out and never stored.</summary>
/// <param name="Of">Of what it tells several places together; null: it tells one.</param>
/// <param name="Count">Combinations, records or lines; of several places, how many there are.</param>
/// <param name="Amount">What passed there lately, in base currency: the absolute amounts of lines that the assignment
/// decided, or of the account or purpose.</param>
public sealed record Finding(
    string Code,
    FindingSeverity Severity,
    IReadOnlyList<FindingPlace> Places,
    string? Of,
    string? Account,
    string? Purpose,
    Int128 Count,
    decimal Amount,
    string Message,
    string Consequence
)
{
    /// <summary>Places that are listed, at most.</summary>
    public const int MostPlaces = 500;

    /// <summary>What it is known by from one run to the next: its code with its place, or with what it is of.</summary>
    public string Identity => Code + "|" + (Of is null ? Places[0].Identity : "of " + Of);
}

/// <summary>Two events that may be one.</summary>
public sealed record LikelyDouble(
    string Source,
    string Id,
    string OtherSource,
    string OtherId,
    string Kind,
    string? Party,
    DateOnly Date,
    decimal Total
);

/// <summary>What checks ask of the books.</summary>
/// <param name="From">First day of the days that amounts are of: the last closed month, else the last 30 days.</param>
/// <param name="Balances">Debit less credit today, by account.</param>
/// <param name="Recent">Accounts with a line in the last 365 days.</param>
/// <param name="ByAssignment">Amounts by the identity of the assignment that decided.</param>
/// <param name="HandEntries">Lines by hand of the last 365 days, by account: how many, how much.</param>
public sealed record PostedFacts(
    DateOnly From,
    DateOnly To,
    IReadOnlyDictionary<string, decimal> Balances,
    IReadOnlySet<string> Recent,
    IReadOnlyDictionary<string, decimal> ByAssignment,
    IReadOnlyDictionary<string, decimal> ByAccount,
    IReadOnlyDictionary<string, decimal> ByPurpose,
    IReadOnlyDictionary<string, (int Lines, decimal Amount)> HandEntries,
    IReadOnlyList<LikelyDouble> Doubles
)
{
    /// <summary>What connections say, however it stands with the books.</summary>
    public IReadOnlyList<LinkFact> Links { get; init; } = [];

    /// <summary>Nothing was posted.</summary>
    public static PostedFacts None { get; } =
        new(
            DateOnly.MinValue,
            DateOnly.MinValue,
            new Dictionary<string, decimal>(),
            new HashSet<string>(),
            new Dictionary<string, decimal>(),
            new Dictionary<string, decimal>(),
            new Dictionary<string, decimal>(),
            new Dictionary<string, (int, decimal)>(),
            []
        );
}
