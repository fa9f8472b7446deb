using Assignum.Core.Pairing;

namespace Assignum.Core.Feeding;

/// <summary>Events that wait for the same, or are dead of the same.</summary>
/// <param name="Subject">What of; empty: each of its own.</param>
/// <param name="First">The one that came first.</param>
public sealed record WaitingGroup(
    int Connection,
    string Code,
    string ConnectionName,
    string Currency,
    string State,
    string Reason,
    string Subject,
    Waits Waits,
    long First,
    DateTime Since
);

/// <summary>Which events somebody acts on: by their rows, or all of a state with a reason, and what of.</summary>
public sealed record EventChoice(
    IReadOnlyCollection<long>? Rows,
    string? State = null,
    string? Reason = null,
    string? Subject = null
);

/// <summary>A journal on its way to a ledger.</summary>
/// <param name="Entry">The entry that it is; null: a sum of a day.</param>
/// <param name="Body">As it was sent first, and is ever after; null: it was not sent yet.</param>
public sealed record LinkJournal(
    long Id,
    string Key,
    DateOnly Date,
    string Number,
    long? Entry,
    decimal Amount,
    string State,
    string Reasons,
    string? Reason,
    string? Body,
    string? TheirId,
    int Tries,
    DateTime? Sent
);

/// <summary>A journal that is there and was not sent by what is known here.</summary>
public sealed record ForeignJournal(
    string Id,
    string? Key,
    string Origin,
    string State,
    DateOnly Date,
    string Number,
    string Text,
    string Body,
    byte[]? Content
);

/// <summary>A file in which journals go on to a ledger.</summary>
/// <param name="Open">Journals of which it was not said what became of them.</param>
public sealed record JournalRun(
    int Number,
    int Journals,
    decimal Amount,
    string Who,
    DateTime At,
    string? ConfirmedBy,
    DateTime? ConfirmedAt,
    long Open
);

/// <summary>A file of documents that was taken.</summary>
public sealed record LinkFile(long Id, string Name, int Documents, int Fresh, string Who, DateTime At);
