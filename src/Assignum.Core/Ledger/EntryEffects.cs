using Assignum.Core.Chart;
using Assignum.Core.Entries;
using Assignum.Core.Landing;

namespace Assignum.Core.Ledger;

/// <summary>What a line does to a subledger.</summary>
public enum MovementKind
{
    /// <summary>It makes a document, or adds to one of the same reference.</summary>
    Opens,

    /// <summary>It settles, relieves or uses one, in part or wholly.</summary>
    Clears,
}

/// <summary>Where goods are.</summary>
public enum StockState
{
    Held,
    InTransit,

    /// <summary>They left and wait for their invoice.</summary>
    Shipped,
}

/// <summary>What one line of an entry, or an event without a line, does to a subledger.</summary>
/// <param name="Line">Place of the line in the entry, from 0; null: no line says it.</param>
/// <param name="Control">The subledger of the account that it landed on; <see cref="Control.None"/>: of none.</param>
/// <param name="Document">The subledger of its purpose, wherever it landed, of a line by hand that of its account;
/// <see cref="Control.None"/>: of none.</param>
/// <param name="Account">Null: goods whose account no assignment gives.</param>
/// <param name="Purpose">Null: by hand.</param>
/// <param name="Reference">The document: the one that is settled or relieved, else the entry's own.</param>
/// <param name="Amount">Debit less credit, base currency.</param>
/// <param name="Currency">The document's.</param>
/// <param name="CurrencyAmount">Debit less credit in the document's currency; null where the line exists in base
/// currency only.</param>
/// <param name="Quantity">Units, debit less credit.</param>
/// <param name="Rate">Base units for one unit of the currency.</param>
public sealed record SubledgerMovement(
    int? Line,
    MovementKind Kind,
    Control Control,
    Control Document,
    string? Account,
    Purpose? Purpose,
    string Reference,
    decimal Amount,
    string Currency,
    decimal? CurrencyAmount,
    decimal Quantity,
    decimal? Rate,
    bool ByDefault,
    LegContext Context,
    string? TaxCode
)
{
    /// <summary>Whose it is; null: nobody's.</summary>
    public string? Party => Context.Party;

    /// <summary>Where goods are, of what is about stock; null: it is not.</summary>
    public StockState? State =>
        Control != Control.Stock && Document != Control.Stock ? null
        : Purpose == Purposes.StockInTransit ? StockState.InTransit
        : Purpose == Purposes.ShippedNotInvoiced ? StockState.Shipped
        : StockState.Held;
}

/// <summary>What entries open, clear and move. Storage writes it and decides nothing.</summary>
public static class EntryEffects
{
    /// <summary>The movements of an entry, in the order of its lines: those on accounts of a subledger, and those of a
    /// subledger's purposes wherever they landed.</summary>
    public static IReadOnlyList<SubledgerMovement> Of(JournalEntry entry)
    {
        var movements = new List<SubledgerMovement>(entry.Lines.Count);
        for (var i = 0; i < entry.Lines.Count; i++)
        {
            var line = entry.Lines[i];
            var control = line.AccountRecord?.Control ?? Control.None;
            if (control == Control.None && line.Subledger == Control.None)
                continue;
            movements.Add(
                new SubledgerMovement(
                    i,
                    line.Context.Reference is null ? MovementKind.Opens : MovementKind.Clears,
                    control,
                    line.Subledger,
                    line.Account,
                    line.Purpose,
                    line.Context.Reference ?? line.Context.Opened ?? entry.Document,
                    line.Signed,
                    line.DocumentCurrency(entry.Currency),
                    line.DocumentSigned(entry.Currency),
                    line.Quantity,
                    line.Rate,
                    line.ByDefault,
                    line.Context,
                    line.TaxCode
                )
            );
        }
        return movements;
    }

    /// <summary>The movements that an event makes without a line.</summary>
    /// <param name="currency">Of the event.</param>
    /// <param name="document">What its document is called.</param>
    public static IReadOnlyList<SubledgerMovement> Of(
        IReadOnlyList<QuietMove> quiet,
        string currency,
        string document
    ) =>
        [
            .. quiet.Select(q => new SubledgerMovement(
                null,
                q.Leg.Context.Reference is null ? MovementKind.Opens : MovementKind.Clears,
                q.Record?.Control ?? Control.None,
                q.Leg.Purpose.Control,
                q.Account,
                q.Leg.Purpose,
                q.Leg.Context.Reference ?? document,
                q.Leg.Amount.Base,
                q.Leg.Context.Settled?.Currency ?? currency,
                q.Leg.Amount.Foreign,
                q.Leg.Quantity,
                q.Leg.Rate,
                q.ByDefault,
                q.Leg.Context,
                q.Leg.Context.TaxCode
            )),
        ];
}
