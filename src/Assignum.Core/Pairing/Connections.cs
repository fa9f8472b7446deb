namespace Assignum.Core.Pairing;

/// <summary>A joined system.</summary>
/// <param name="Code">The source of its events; never used for another.</param>
/// <param name="Kind">A word of <see cref="LinkKind"/>.</param>
/// <param name="GapMinutes">How long a missing number is waited for.</param>
/// <param name="PatienceDays">How long after its date an event waits for another system's document.</param>
/// <param name="ClosedPeriod"><c>refuse</c> or <c>next-open</c>: what becomes of an event of a closed month.</param>
/// <param name="State">draft, joining, live, paused or closed.</param>
/// <param name="Why">Why it is paused, where the program did it.</param>
/// <param name="PausedFrom">The state that resuming leads to.</param>
/// <param name="Life">Theirs, as it said when it was joined; null: it was not asked yet.</param>
/// <param name="Admits">Kinds of event that an administrator admits beside those of its kind.</param>
/// <param name="LiveFrom">The first day that posts.</param>
/// <param name="Version">Counts its changes: who changes it names the one that was seen.</param>
/// <param name="HasKey">Whether a key is kept; the key itself is never shown.</param>
/// <param name="Contact">When it answered last.</param>
/// <param name="Trouble">What went wrong when it was asked last; null: nothing.</param>
/// <param name="Sends">Of a ledger: <c>entries</c>, each as a journal, or <c>day-sums</c>.</param>
/// <param name="ParallelFrom">From that day on its events are rehearsed beside what is booked elsewhere, and nothing posts.</param>
/// <param name="Failures">How often asking it failed in a row.</param>
/// <param name="SendsBy">Of a ledger: <c>interface</c>, or <c>file</c>: a numbered file a run, which its people
/// confirm.</param>
/// <param name="Folder">Of files: the folder of the server from which they are taken; null: they are uploaded.</param>
public sealed record Connection(
    int Id,
    string Code,
    string Kind,
    string Name,
    string Address,
    string Currency,
    int GapMinutes,
    int PatienceDays,
    string ClosedPeriod,
    string State,
    string? Why,
    string? PausedFrom,
    string? Life,
    IReadOnlyList<string> Admits,
    DateOnly? LiveFrom,
    int Version,
    bool HasKey,
    int Refusals,
    DateTime? Contact,
    string? Trouble,
    string MadeBy,
    DateTime MadeAt,
    string Sends = "entries",
    DateOnly? ParallelFrom = null,
    int Failures = 0,
    string SendsBy = "interface",
    string? Folder = null
)
{
    /// <summary>What it is.</summary>
    public LinkKind Of => LinkKind.Find(Kind)!;

    /// <summary>Whether there is a system behind it that is asked. A ledger that gets files need have none.</summary>
    public bool IsAsked => Of.IsAsked && !(SendsBy == "file" && Address.Length == 0);
}

/// <summary>A record of theirs as it came.</summary>
/// <param name="Rate">Percent, of a tax code.</param>
/// <param name="Body">All fields but those beside, as a JSON object.</param>
/// <param name="Unknown">Names of fields that are none of the link's.</param>
public sealed record CameRecord(
    string Id,
    string Name,
    string Status,
    string? MergedInto,
    decimal? Rate,
    string Body,
    IReadOnlyList<string> Unknown
);

/// <summary>A record of theirs as it is kept.</summary>
/// <param name="Fields">Its other fields as text, see <see cref="LinkFields"/>.</param>
/// <param name="Body">The same as it was sent; nothing here looks into it.</param>
/// <param name="KnownName">As somebody looked at it last; likewise the three after it.</param>
public sealed record LinkRecord(
    string Id,
    string Name,
    string Status,
    string? MergedInto,
    decimal? Rate,
    IReadOnlyDictionary<string, string> Fields,
    string Body,
    string KnownName,
    string KnownStatus,
    string? KnownMerged,
    decimal? KnownRate
)
{
    /// <summary>What changed since somebody looked at it, in words; empty: nothing.</summary>
    public IReadOnlyList<string> Changed =>
        [
            .. Name != KnownName ? [$"renamed from {KnownName}"] : (string[])[],
            .. MergedInto is not null && MergedInto != KnownMerged ? [$"merged into {MergedInto}"] : (string[])[],
            .. Status != KnownStatus && (MergedInto is null || MergedInto == KnownMerged)
                ? [Status == "active" ? "active again" : Status]
                : (string[])[],
            .. Rate != KnownRate ? [$"rate changed from {Percent(KnownRate)} to {Percent(Rate)}"] : (string[])[],
        ];

    private static string Percent(decimal? rate) =>
        rate is { } r ? r.ToString("0.####", System.Globalization.CultureInfo.InvariantCulture) + " %" : "none";
}

/// <summary>How much waits for something.</summary>
/// <param name="Amount">Sum of what the events come to, in the connection's currency.</param>
public readonly record struct Waits(long Events, decimal Amount);

/// <summary>A record of theirs that events wait for.</summary>
public sealed record RecordNeed(string Record, string Theirs, string? Name, string? Status, Waits Waits);

/// <summary>An event of theirs as it is kept.</summary>
public sealed record LinkEvent(
    long Row,
    string Id,
    long? Sequence,
    string Kind,
    DateOnly? Date,
    decimal Amount,
    string Body,
    string State,
    string Reasons,
    string? Number,
    DateTime Received,
    long? HeldBy = null,
    bool Late = false,
    bool Unmatched = false,
    string? ReplacedBy = null
);

/// <summary>What a purpose was settled to be, for one channel, method and location.</summary>
/// <param name="How"><c>confirmed</c>: as it lands; <c>account</c>: given one; <c>default</c>: left to the default on
/// purpose.</param>
/// <param name="Account">On which it landed when that was said.</param>
public sealed record SettledPurpose(
    string Purpose,
    string Channel,
    string Method,
    string Location,
    string How,
    string Account,
    string Rung,
    string? Reason,
    string Who,
    DateTime At
);

/// <summary>A difference that somebody accepted.</summary>
public sealed record AcceptedDifference(
    string Record,
    string Theirs,
    string Said,
    string Reason,
    string Who,
    DateTime At
);

/// <summary>An hour of asking.</summary>
public sealed record LinkHour(DateTime Hour, int Asked, int Failed, int Records, int Events);
