namespace Assignum.Core.Pairing;

/// <summary>A record of either side as pairing looks at it.</summary>
/// <param name="Id">Its number or code.</param>
public sealed record PairRecord(string Id, string Name)
{
    /// <summary>Registration for tax, as written; compared without punctuation.</summary>
    public string? TaxNumber { get; init; }

    /// <summary>Country, two letters (ISO 3166-1).</summary>
    public string? Country { get; init; }

    /// <summary>What it is, in our words: an account's class, a party's kind, an item's nature, a tax code's
    /// direction.</summary>
    public string? Class { get; init; }

    /// <summary>The group or parent that it is in, in our words where that is paired.</summary>
    public string? Group { get; init; }

    /// <summary>Currency (ISO 4217).</summary>
    public string? Currency { get; init; }

    /// <summary>Percent, of a tax code.</summary>
    public decimal? Rate { get; init; }
}

/// <summary>What speaks for two records being one, and against.</summary>
[Flags]
public enum Evidence
{
    None = 0,
    SameNumber = 1,
    SameTaxNumber = 1 << 1,
    OtherTaxNumber = 1 << 2,
    SameName = 1 << 3,
    NamesAlike = 1 << 4,
    SameCountry = 1 << 5,
    OtherCountry = 1 << 6,
    SameClass = 1 << 7,
    OtherClass = 1 << 8,
    SameGroup = 1 << 9,
    OtherGroup = 1 << 10,
    SameRate = 1 << 11,
    OtherRate = 1 << 12,
    OtherCurrency = 1 << 13,
    NumbersInNames = 1 << 14,
}

/// <summary>That a record of theirs may be one of ours.</summary>
/// <param name="Theirs">Place in their list.</param>
/// <param name="Ours">Place in our list.</param>
/// <param name="Score">About which share of proposals with this score is right; those of a record sum to at most
/// 1.</param>
/// <param name="Trap">Equal numbers with unlike names or classes: held back for a person.</param>
/// <param name="Mutual">Ours has no better one among theirs.</param>
public sealed record Proposal(int Theirs, int Ours, double Score, bool Trap, bool Mutual, Evidence Evidence)
{
    /// <summary>The evidence in sentences: what speaks for it first.</summary>
    public IReadOnlyList<string> Reasons =>
        [
            .. Sentences.Where(s => Evidence.HasFlag(s.Of)).Select(s => s.Says),
            .. Trap ? ["The equal number is held back: what it stands for looks like two things."] : (string[])[],
        ];

    private static readonly (Evidence Of, string Says)[] Sentences =
    [
        (Evidence.SameTaxNumber, "Both have the same tax number."),
        (Evidence.SameNumber, "Both have the same number."),
        (Evidence.SameName, "The names are the same but for case, accents, order or legal form."),
        (Evidence.NamesAlike, "The names are alike: a slip or an abbreviation apart."),
        (Evidence.SameRate, "Both have the same rate."),
        (Evidence.SameClass, "Both are of the same class."),
        (Evidence.SameGroup, "Both are in the same group."),
        (Evidence.SameCountry, "Both are in the same country."),
        (Evidence.OtherTaxNumber, "Their tax numbers differ."),
        (Evidence.OtherCountry, "They are in different countries."),
        (Evidence.OtherClass, "They are of different classes."),
        (Evidence.OtherGroup, "They are in different groups."),
        (Evidence.OtherRate, "Their rates differ."),
        (Evidence.OtherCurrency, "Their currencies differ."),
        (Evidence.NumbersInNames, "The numbers in their names differ."),
    ];
}

/// <summary>Several of theirs that are best one of ours: all the same thing, or all but one mistaken.</summary>
public sealed record Doubles(int Ours, IReadOnlyList<int> Theirs);

/// <summary>What was found for every record of theirs.</summary>
/// <param name="Of">For each of theirs in order, at most three, the best first.</param>
public sealed record Proposals(IReadOnlyList<IReadOnlyList<Proposal>> Of, IReadOnlyList<Doubles> Doubles)
{
    /// <summary>By how much a proposal leads the next of its record to be accepted in bulk.</summary>
    public const double Lead = 0.05;

    /// <summary>The best of each record that has at least this score, is mutual and leads its second.</summary>
    public IEnumerable<Proposal> Acceptable(double above) =>
        Of.Where(p =>
                p.Count > 0
                && p[0].Score >= above
                && p[0] is { Mutual: true, Trap: false }
                && (p.Count == 1 || p[0].Score - p[1].Score >= Lead)
            )
            .Select(p => p[0]);
}
