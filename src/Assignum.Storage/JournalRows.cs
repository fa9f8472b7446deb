using Assignum.Core.Entries;
using Assignum.Core.Ledger;

namespace Assignum.Storage;

/// <summary>An event that is kept: it was posted, or makes no entry.</summary>
/// <param name="Body">Canonical JSON.</param>
/// <param name="CountsAs">The kind that what it does without a line counts as.</param>
/// <param name="Reverses">The event that it turns back, source and id; null: none.</param>
public sealed record EventRow(
    long Id,
    string Source,
    string ExternalId,
    string Kind,
    DateOnly Date,
    string Body,
    string Outcome,
    int Edition,
    string CountsAs,
    EventLink About,
    string? Reverses = null
);

/// <summary>An entry to be written: the core's entry and what posting adds to it.</summary>
/// <param name="Role"><c>entry</c>, <c>reversal</c> or <c>mirror</c>.</param>
public sealed record EntryToPost(
    int Entity,
    long Id,
    string Number,
    int Year,
    int Sequence,
    int EventEntity,
    long EventId,
    string Role,
    string Kind,
    int Edition,
    string? Party,
    JournalEntry Entry,
    string? RemarksJson
)
{
    /// <summary>What it does to subledgers, in the order of its lines.</summary>
    public IReadOnlyList<SubledgerMovement> Movements { get; } = EntryEffects.Of(Entry);
}

/// <summary>A stored line. <paramref name="Account"/> is the number as posted; <paramref name="AccountNow"/> what it is
/// today.</summary>
public sealed record StoredLine(
    long EntryId,
    int Line,
    string Account,
    string AccountNow,
    string AccountName,
    decimal Debit,
    decimal Credit,
    decimal? CurrencyDebit,
    decimal? CurrencyCredit,
    string? Purpose,
    string? Party,
    string? Item,
    string? TaxCode,
    string? Text,
    int? EventLine,
    LineReasoning Reasoning
);

/// <summary>What is stored of a line's landing: a pattern with the values of the line, or, of lines posted before there
/// were patterns, the whole trace.</summary>
/// <param name="Trace">The whole trace as JSON; null: see the pattern.</param>
/// <param name="Pattern">A trace as JSON with places instead of values; null where nothing is kept.</param>
/// <param name="Note">What the assignment that decided notes.</param>
/// <param name="Values">What the line has of each dimension by name, its own first, then outward.</param>
public sealed record LineReasoning(
    string? Trace,
    string? Pattern,
    string? Note,
    IReadOnlyDictionary<string, string[]> Values
);

/// <summary>What may stand in the way of posting an event: the same source and id, kept before.</summary>
public sealed record KeptEvent(string Source, string ExternalId, string Body, string Outcome, string? Number);

/// <summary>What is known of a document that a payment names.</summary>
/// <param name="Account">That and <paramref name="Rate"/> and <paramref name="Currency"/>: of the latest of that
/// reference.</param>
/// <param name="Open">Debit less credit of all that moved it in <paramref name="OpenCurrency"/>.</param>
/// <param name="OpenBase">The same in base currency.</param>
/// <param name="ByDefault">It landed on the default of its ladder.</param>
public sealed record DocumentRow(
    string Control,
    string Party,
    string Reference,
    string Account,
    decimal Rate,
    string Currency,
    string OpenCurrency,
    decimal Open,
    decimal OpenBase,
    bool ByDefault
);
