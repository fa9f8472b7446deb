using System.Collections.Frozen;

namespace Assignum.Core.Feeding;

/// <summary>Why an event that came cannot post: words of the program's own, and which faults of posting are the
/// event's.</summary>
public static class FeedReasons
{
    /// <summary>It names a record or a word that is not settled.</summary>
    public const string Unpaired = "unpaired";

    /// <summary>A number before it is missing.</summary>
    public const string Gap = "gap";

    /// <summary>One before it, about the same document or order, waits or is dead.</summary>
    public const string Behind = "behind";

    /// <summary>It settles, corrects or relieves a document that another system may still bring.</summary>
    public const string Awaits = "awaits-document";

    /// <summary>It reaches a purpose at a channel, method or location that nobody settled.</summary>
    public const string Unsettled = "purpose-open";

    /// <summary>It came after its number was given up, and something of its documents posted meanwhile.</summary>
    public const string Late = "late";

    /// <summary>It was declared void.</summary>
    public const string Voided = "voided";

    /// <summary>It is dated before the first day that posts.</summary>
    public const string BeforeOpening = "before-opening";

    /// <summary>It was replaced by an event made here.</summary>
    public const string Replaced = "replaced";

    /// <summary>Another event has its number.</summary>
    public const string SameSequence = "same-sequence";

    /// <summary>An event of its id came before with other content.</summary>
    public const string OtherContent = "other-content";

    // What is wrong in the event itself: nothing here can be changed so that it posts.
    private static readonly FrozenSet<string> OfEvent = new[]
    {
        Late,
        SameSequence,
        OtherContent,
        "bad-amount",
        "bad-character",
        "bad-date",
        "bad-json",
        "bad-number",
        "bad-rate",
        "bad-share",
        "broken",
        "conflict",
        "control-key",
        "document-amount",
        "document-currency",
        "document-unknown",
        "far-date",
        "kind-not-admitted",
        "missing-field",
        "missing-rate",
        "missing-value",
        "not-an-event",
        "one-side",
        "out-of-range",
        "over-allocated",
        "reversed-already",
        "too-large",
        "too-long",
        "too-many-decimals",
        "totals-differ",
        "unknown-field",
        "unknown-kind",
        "unreadable",
        "wrong-type",
    }.ToFrozenSet(StringComparer.Ordinal);

    /// <summary>Whether an event with these faults is dead; otherwise it waits until the set-up is other.</summary>
    public static bool Kills(IEnumerable<Fault> faults) => faults.Any(f => OfEvent.Contains(f.Code));
}
