using Assignum.Core.Chart;
using Assignum.Core.Entries;

namespace Assignum.Core.Ledger;

/// <summary>What a line does to a subledger.</summary>
public enum MovementKind
{
    /// <summary>It makes a document, or adds to one of the same reference.</summary>
    Opens,

    /// <summary>It settles a document, in part or wholly.</summary>
    Clears,
}

/// <summary>What one line of an entry does to a subledger.</summary>
/// <param name="Line">Place of the line in the entry, from 0.</param>
/// <param name="Control">The subledger of the account that it landed on; <see cref="Control.None"/>: of none.</param>
/// <param name="Document">The subledger whose documents it opens or clears, wherever it landed; <see
/// cref="Control.None"/>: it is of no document.</param>
/// <param name="Reference">The document's: the one that is settled, else the entry's own.</param>
/// <param name="Amount">Debit less credit, base currency.</param>
/// <param name="Currency">The document's.</param>
/// <param name="CurrencyAmount">Debit less credit in the document's currency; null where the line exists in base
/// currency only.</param>
public sealed record SubledgerMovement(
    int Line,
    MovementKind Kind,
    Control Control,
    Control Document,
    string? Party,
    string? Reference,
    decimal Amount,
    string Currency,
    decimal? CurrencyAmount
);

/// <summary>What entries open, clear and move. Storage writes it and decides nothing.</summary>
public static class EntryEffects
{
    /// <summary>The movements of an entry, in the order of its lines: those on accounts of a subledger, and those of
    /// documents wherever they landed.</summary>
    public static IReadOnlyList<SubledgerMovement> Of(JournalEntry entry)
    {
        var movements = new List<SubledgerMovement>(entry.Lines.Count);
        for (var i = 0; i < entry.Lines.Count; i++)
        {
            var line = entry.Lines[i];
            var control = line.AccountRecord?.Control ?? Control.None;
            if (control == Control.None && line.Document == Control.None)
                continue;
            movements.Add(
                new SubledgerMovement(
                    i,
                    line.Context.Reference is null ? MovementKind.Opens : MovementKind.Clears,
                    control,
                    line.Document,
                    line.Context.Party,
                    line.Context.Reference ?? entry.Reference,
                    line.Signed,
                    line.DocumentCurrency(entry.Currency),
                    line.DocumentSigned
                )
            );
        }
        return movements;
    }
}
