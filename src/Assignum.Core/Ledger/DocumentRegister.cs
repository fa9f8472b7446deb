using Assignum.Core.Chart;
using Assignum.Core.Entries;

namespace Assignum.Core.Ledger;

/// <summary>The open documents that events can settle: those of before, and those that came about on the way.</summary>
public sealed class DocumentRegister : IOpenDocuments
{
    private readonly Dictionary<(Control, string, string), Kept> known = [];

    /// <summary>What is known of a reference: its latest document, and what is open of it by currency.</summary>
    private sealed class Kept
    {
        public required OpenDocument Latest { get; set; }
        public Dictionary<string, (decimal Amount, decimal Base)> Open { get; } = new(1, StringComparer.Ordinal);
    }

    /// <summary>Adds a document of before; once for each currency in which something of it was posted.</summary>
    /// <param name="account">That and <paramref name="rate"/> and <paramref name="currency"/> are of the latest document
    /// of the reference.</param>
    /// <param name="openCurrency">The currency of <paramref name="open"/>.</param>
    /// <param name="open">Debit less credit of all that moved it in that currency.</param>
    /// <param name="openBase">The same in base currency.</param>
    /// <param name="byDefault">It landed on the default of its ladder.</param>
    public void Add(
        Control subledger,
        string party,
        string reference,
        string account,
        decimal rate,
        string currency,
        string openCurrency,
        decimal open,
        decimal openBase,
        bool byDefault
    )
    {
        if (!known.TryGetValue((subledger, party, reference), out var kept))
            known[(subledger, party, reference)] = kept = new Kept
            {
                Latest = new(account, rate, 0, currency, 0, byDefault),
            };
        kept.Open[openCurrency] = (Turn(subledger, open), Turn(subledger, openBase));
    }

    /// <inheritdoc/>
    public OpenDocument? Find(Control subledger, string party, string reference) =>
        known.TryGetValue((subledger, party, reference), out var kept)
            ? kept.Latest with
            {
                Open = kept.Open.GetValueOrDefault(kept.Latest.Currency).Amount,
                OpenBase = kept.Open.GetValueOrDefault(kept.Latest.Currency).Base,
            }
            : null;

    /// <summary>Takes in what an entry did, so that a later payment sees it as it sees what was posted
    /// before.</summary>
    public void Note(JournalEntry entry)
    {
        // Of several lines of an entry the first says on which account the document is.
        var opened = new HashSet<(Control, string, string)>();
        foreach (var m in EntryEffects.Of(entry))
        {
            if (m.Document == Control.None || m.Party is not { } party || m.Reference is not { } reference)
                continue;
            var key = (m.Document, party, reference);
            var there = known.TryGetValue(key, out var kept);
            if (m.Kind == MovementKind.Opens && opened.Add(key))
            {
                var line = entry.Lines[m.Line];
                var latest = new OpenDocument(
                    line.Account,
                    line.Rate ?? entry.Rate,
                    0,
                    m.Currency,
                    0,
                    line.Landing.Rung == "default"
                );
                if (there)
                    kept!.Latest = latest;
                else
                    known[key] = kept = new Kept { Latest = latest };
            }
            if (kept is null)
                continue;
            var (amount, worth) = kept.Open.GetValueOrDefault(m.Currency);
            kept.Open[m.Currency] = (
                amount + Turn(m.Document, m.CurrencyAmount ?? 0),
                worth + Turn(m.Document, m.Amount)
            );
        }
    }

    // Open is positive for what a customer owes and for what is owed to a supplier.
    private static decimal Turn(Control control, decimal debit) => control == Control.Payables ? -debit : debit;
}
