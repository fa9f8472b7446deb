using Assignum.Core.Chart;
using Assignum.Core.Landing;

namespace Assignum.Core.Entries;

/// <summary>A balanced entry, made of an event by one set-up.</summary>
/// <param name="Rate">Base units for one unit of <paramref name="Currency"/>.</param>
/// <param name="Reversal">The same entry turned round on a later day, where the event asked for it.</param>
/// <param name="Mirror">The other entity's side of a charge between entities.</param>
/// <param name="Document">What its document is called: the reference, else source and id of its event.</param>
/// <param name="CountsAs">The kind whose lines it turns back, and as which its own count; null: that of its event.</param>
public sealed record JournalEntry(
    DateOnly Date,
    string Currency,
    decimal Rate,
    string? Reference,
    IReadOnlyList<EntryLine> Lines,
    IReadOnlyList<EntryTax> Tax,
    IReadOnlyList<Fault> Remarks,
    JournalEntry? Reversal = null,
    MirrorEntry? Mirror = null,
    string Document = "",
    string? CountsAs = null
)
{
    /// <summary>Whether a guard refuses it: it may be looked at, not posted.</summary>
    public bool Refused =>
        Remarks.Any(r => r.Severity == Severity.Error)
        || Mirror is { Entry.Refused: true }
        || Reversal is { Refused: true };

    /// <summary>Sum of the debits in base currency; equals the credits.</summary>
    public decimal Total => Lines.Sum(l => l.Debit);
}

/// <summary>The entry another entity makes of the same event.</summary>
public sealed record MirrorEntry(string Entity, JournalEntry Entry);

/// <summary>A line of an entry: one leg with the account it landed on. Either debit or credit is zero.</summary>
/// <param name="CurrencyDebit">In the entry's currency; null on legs that exist in base currency only.</param>
/// <param name="Purpose">Null on lines written by hand.</param>
/// <param name="ByDefault">It landed on the default of its ladder, or settles what did.</param>
/// <param name="EventLine">Which line of the event called for it, from 0; null for the document as a whole.</param>
public sealed record EntryLine(
    Account? AccountRecord,
    string Account,
    decimal Debit,
    decimal Credit,
    decimal? CurrencyDebit,
    decimal? CurrencyCredit,
    Purpose? Purpose,
    LegContext Context,
    string? TaxCode,
    string? Text,
    decimal? Rate,
    LegLanding Landing,
    int? EventLine,
    bool ByDefault = false
)
{
    /// <summary>Debit minus credit, base currency.</summary>
    public decimal Signed => Debit - Credit;

    /// <summary>
    /// The subledger whose documents the line opens or settles: that of its purpose wherever it landed, and of a line
    /// by hand that of its
    /// account; <see cref="Control.None"/>: of no document.
    /// </summary>
    public Control Document =>
        Purpose is null
            ? AccountRecord is { Control: Control.Receivables or Control.Payables } own
                ? own.Control
                : Control.None
            : Purpose.Control is Control.Receivables or Control.Payables
                ? Purpose.Control
                : Control.None;

    /// <summary>The subledger that it is of: that of its purpose wherever it landed, of a line by hand that of its
    /// account.</summary>
    public Control Subledger => Purpose?.Control ?? AccountRecord?.Control ?? Control.None;

    /// <summary>The currency of the document that it opens or settles, given that of its entry; by hand, its own.</summary>
    public string DocumentCurrency(string entry) =>
        Context.Settled?.Currency ?? (Purpose is null ? Context.LegCurrency : null) ?? entry;

    /// <summary>Debit minus credit in the currency of its document; null on lines that exist in base currency
    /// only.</summary>
    /// <param name="entry">The currency of its entry.</param>
    public decimal? DocumentSigned(string entry) =>
        Context.Settled is { } settled
            ? Debit > 0
                ? Math.Abs(settled.Amount)
                : -Math.Abs(settled.Amount)
            : DocumentCurrency(entry) == entry
                ? CurrencySigned
                : null;

    /// <summary>Units, debit minus credit.</summary>
    public decimal Quantity => Debit > 0 ? Math.Abs(Context.Quantity) : -Math.Abs(Context.Quantity);

    /// <summary>The reasoning of its landing without the values that stand on the line.</summary>
    /// <param name="currency">Of its entry.</param>
    public LandingPattern Pattern(string currency) =>
        Landing.Pattern(
            d =>
                d switch
                {
                    Dimension.Item => Context.Item,
                    Dimension.Party => Context.Party,
                    Dimension.Location => Context.Location,
                    Dimension.Channel => Context.Channel,
                    Dimension.Method => Context.Method,
                    Dimension.Reason => Context.Reason,
                    Dimension.TaxCode => TaxCode,
                    Dimension.Currency => currency,
                    Dimension.Counterparty => Context.Counterparty,
                    _ => null,
                },
            Account
        );

    /// <summary>Debit minus credit, the entry's currency; null on base-only lines.</summary>
    public decimal? CurrencySigned => CurrencyDebit - CurrencyCredit;
}

/// <summary>A line of an entry as the return takes it: one a tax code, two where some lines land on capital accounts.
/// Negative on credit notes.</summary>
/// <param name="Base">In the entry's currency; <paramref name="EntityBase"/> and <paramref name="EntityTax"/> in base
/// currency.</param>
/// <param name="EntityReclaimed">Tax that is reclaimed, or owed on sales, in base currency: to the cent what the ledger
/// has of it.</param>
/// <param name="DecidedBy"><c>line</c>, <c>matrix</c> or <c>account</c>.</param>
public sealed record EntryTax(
    string Code,
    decimal Base,
    decimal Rate,
    decimal Tax,
    string DecidedBy,
    decimal EntityBase,
    decimal EntityTax,
    decimal NonDeductible,
    bool Capital,
    string? BaseBox,
    string? TaxBox,
    string? ReverseBaseBox,
    string? ReverseTaxBox,
    DateOnly TaxDate,
    decimal EntityReclaimed
);

/// <summary>What became of an event: an entry, nothing, or errors.</summary>
public sealed record EntryResult(JournalEntry? Entry, IReadOnlyList<Fault> Errors)
{
    /// <summary>What subledgers keep of it without a line.</summary>
    public IReadOnlyList<QuietMove> Quiet { get; init; } = [];

    /// <summary>The word of formats: <c>posted</c> (could be posted), <c>nothing</c> or <c>refused</c>.</summary>
    public string Outcome =>
        Errors.Count > 0 || Entry is { Refused: true } ? "refused"
        : Entry is null ? "nothing"
        : "posted";
}
