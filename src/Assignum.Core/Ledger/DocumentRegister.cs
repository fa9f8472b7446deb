using Assignum.Core.Chart;
using Assignum.Core.Entries;

namespace Assignum.Core.Ledger;

/// <summary>The open documents that events can settle: those of before, and those that came about on the way.</summary>
public sealed class DocumentRegister : IOpenDocuments
{
    private readonly Dictionary<(Control, string, string), OpenDocument> known = [];

    /// <summary>Adds a document of before.</summary>
    /// <param name="open">Debit less credit of all that moved it, in its currency.</param>
    public void Add(
        Control subledger,
        string party,
        string reference,
        string account,
        decimal rate,
        decimal open,
        string currency
    ) => known[(subledger, party, reference)] = new OpenDocument(account, rate, Turn(subledger, open), currency);

    /// <inheritdoc/>
    public OpenDocument? Find(Control subledger, string party, string reference) =>
        known.GetValueOrDefault((subledger, party, reference));

    /// <summary>Takes in what an entry did, so that a later payment sees it.</summary>
    public void Note(JournalEntry entry)
    {
        foreach (var m in EntryEffects.Of(entry))
        {
            if (m.Document == Control.None || m.Party is not { } party || m.Reference is not { } reference)
                continue;
            var key = (m.Document, party, reference);
            var amount = Turn(m.Document, m.CurrencyAmount ?? 0);
            if (known.TryGetValue(key, out var document) && document.Currency == m.Currency)
                known[key] = document with { Open = document.Open + amount };
            else if (m.Kind == MovementKind.Opens)
                known[key] = new OpenDocument(
                    entry.Lines[m.Line].Account,
                    entry.Lines[m.Line].Rate ?? entry.Rate,
                    amount,
                    m.Currency
                );
        }
    }

    // Open is positive for what a customer owes and for what is owed to a supplier.
    private static decimal Turn(Control control, decimal debit) => control == Control.Payables ? -debit : debit;
}
