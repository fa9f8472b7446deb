using Assignum.Core.Chart;

namespace Assignum.Core.Books;

/// <summary>What a subledger tells its rows apart by.</summary>
public enum SubledgerKey
{
    Party,
    Document,
    Item,
    State,
    Location,
    Shipment,
    Order,
    Project,
    Purpose,
    Channel,
    Method,
    TaxCode,
    Counterparty,
    Currency,
}

/// <summary>A row of a subledger: what stands on one account under one key.</summary>
/// <param name="Account">Null: goods whose account no assignment gave.</param>
/// <param name="Keys">Those of <see cref="Subledgers.KeysOf"/> that it has.</param>
/// <param name="Amount">Debit less credit, base currency.</param>
/// <param name="Currency">Null where the control is not kept by currency.</param>
/// <param name="CurrencyAmount">Debit less credit in that currency.</param>
/// <param name="Quantity">Units, debit less credit.</param>
/// <param name="Order">The order of a receipt, which is no key of it.</param>
/// <param name="Since">The day of its first movement.</param>
/// <param name="Cause">Empty: automatic, of a purpose of the control; else <c>hand-entry</c>, <c>opening</c>,
/// <c>other-purpose</c>, <c>mixed</c> or <c>landed-elsewhere</c>.</param>
/// <param name="Entries">How many entries moved it.</param>
public sealed record SubledgerRow(
    string? Account,
    IReadOnlyDictionary<SubledgerKey, string> Keys,
    decimal Amount,
    string? Currency,
    decimal? CurrencyAmount,
    decimal Quantity,
    string? Order,
    DateOnly Since,
    DateOnly? Due,
    string Cause,
    long Entries
)
{
    /// <summary>Whether it stands off the control's accounts, outside of their sum.</summary>
    public bool Elsewhere => Cause == Subledgers.LandedElsewhere;

    /// <summary>A key's value; null: it has none.</summary>
    public string? Of(SubledgerKey key) => Keys.GetValueOrDefault(key);
}

/// <summary>Which rows of a subledger are asked for; null does not narrow.</summary>
/// <param name="At">Movements of later days do not count.</param>
/// <param name="Known">What was posted after this instant does not count.</param>
/// <param name="OpenOnly">Leaves out rows of no amount, no currency amount and no quantity.</param>
public sealed record SubledgerQuery(
    DateOnly At,
    DateTime? Known = null,
    string? Account = null,
    string? Party = null,
    string? Item = null,
    bool OpenOnly = false,
    int After = 0,
    int Limit = 500
);

/// <summary>An event that has to do with a document, by a name that they share.</summary>
/// <param name="Entry">The number of its entry; null: it made none.</param>
/// <param name="Document">What its own document is called.</param>
/// <param name="Leaves">What that has open after it; base currency, debit less credit.</param>
public sealed record FootprintRow(
    string Source,
    string ExternalId,
    string? Entry,
    DateOnly Date,
    string Kind,
    string Document,
    decimal Leaves
);

/// <summary>What is open of a party in a currency, by how long it is past its day.</summary>
/// <param name="Brackets">In that currency, one for each of <see cref="Subledgers.Brackets"/>; open is positive on the
/// side that the control grows by.</param>
/// <param name="Base">All of it in base currency.</param>
public sealed record AgeingRow(string Party, string Currency, IReadOnlyList<decimal> Brackets, decimal Base)
{
    /// <summary>All brackets together.</summary>
    public decimal Total => Brackets.Sum();
}

/// <summary>How each control's subledger is kept.</summary>
public static class Subledgers
{
    /// <summary>The cause of rows off the control's accounts.</summary>
    public const string LandedElsewhere = "landed-elsewhere";

    /// <summary>The last day past due of each bracket of the ageing; the first is not due yet, the last is open.</summary>
    public static IReadOnlyList<int?> Brackets { get; } = [0, 30, 60, 90, null];

    /// <summary>What a bracket is called.</summary>
    public static string BracketTitle(int at) =>
        at == 0 ? "not due"
        : Brackets[at] is { } last ? $"{Brackets[at - 1] + 1}–{last} days"
        : $"over {Brackets[at - 1]} days";

    /// <summary>What tells the rows of a control apart, beside the account.</summary>
    public static IReadOnlyList<SubledgerKey> KeysOf(Control control) =>
        control switch
        {
            Control.Receivables or Control.Payables or Control.Deposits =>
            [
                SubledgerKey.Party,
                SubledgerKey.Document,
                SubledgerKey.Currency,
            ],
            Control.Stock => [SubledgerKey.Item, SubledgerKey.Location, SubledgerKey.State, SubledgerKey.Shipment],
            Control.Receipts => [SubledgerKey.Party, SubledgerKey.Item, SubledgerKey.Document],
            Control.Production => [SubledgerKey.Item, SubledgerKey.Order, SubledgerKey.Location],
            Control.Projects => [SubledgerKey.Project, SubledgerKey.Purpose],
            Control.GiftCards => [SubledgerKey.Channel, SubledgerKey.Currency],
            Control.Clearing => [SubledgerKey.Channel, SubledgerKey.Method, SubledgerKey.Currency],
            Control.Bank => [SubledgerKey.Method, SubledgerKey.Currency],
            Control.Tax => [SubledgerKey.TaxCode],
            Control.Intercompany => [SubledgerKey.Counterparty, SubledgerKey.Document, SubledgerKey.Currency],
            _ => [],
        };

    /// <summary>Whether a control's rows have documents that fall due.</summary>
    public static bool HasDue(Control control) => control is Control.Receivables or Control.Payables;
}
