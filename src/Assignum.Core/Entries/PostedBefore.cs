using Assignum.Core.Landing;

namespace Assignum.Core.Entries;

/// <summary>A line as it was posted.</summary>
/// <param name="Account">By the number of today.</param>
/// <param name="Purpose">Null: by hand.</param>
/// <param name="Context">What it is about; the reference is that of the document that it moved, the currency and amount
/// settled are of that document where they are not the entry's.</param>
public sealed record PostedLine(
    string Account,
    decimal Debit,
    decimal Credit,
    decimal? CurrencyDebit,
    decimal? CurrencyCredit,
    decimal? Rate,
    Purpose? Purpose,
    string? TaxCode,
    string? Text,
    int? EventLine,
    bool ByDefault,
    LegContext Context
);

/// <summary>An entry as it was posted.</summary>
public sealed record PostedEntry(
    DateOnly Date,
    string Currency,
    decimal Rate,
    IReadOnlyList<PostedLine> Lines,
    IReadOnlyList<EntryTax> Tax
);

/// <summary>What an event did when it was posted: all of it, so that it can be turned back.</summary>
/// <param name="Kind">The kind that its lines count as.</param>
/// <param name="Entry">Null: it made no entry.</param>
/// <param name="TurnsBackOn">The day on which it turns itself back; null: it does not.</param>
/// <param name="Mirror">Its entry in another entity; null: none.</param>
/// <param name="Quiet">What subledgers keep of it without a line.</param>
/// <param name="ReversedBy">The event that turned it back, as source and id; null: none did.</param>
public sealed record PostedBefore(
    string Kind,
    PostedEntry? Entry,
    DateOnly? TurnsBackOn,
    (string Entity, PostedEntry Entry)? Mirror,
    IReadOnlyList<QuietMove> Quiet,
    string? ReversedBy
);
