using Assignum.Core.Records;
using Assignum.Core;
using Assignum.Core.Chart;
using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk.Posting;

/// <summary>The open documents that a batch of events can settle: read once, then kept up as the batch goes
/// on.</summary>
public sealed class PostingDocuments : IOpenDocuments
{
    private readonly Dictionary<(Control, string, string), OpenDocument> known = [];

    /// <summary>Reads what the settlements of these events name, in one query.</summary>
    public static async Task<PostingDocuments> ForAsync(
        NpgsqlConnection db,
        int entity,
        IEnumerable<BusinessEvent> events,
        CancellationToken stop
    )
    {
        var documents = new PostingDocuments();
        var asked = events
            .Where(e => e is { Party: not null, Settles.Count: > 0 })
            .SelectMany(e =>
                e.Settles.Select(s =>
                    (
                        Control: e.Kind == "supplier-payment" ? Control.Payables : Control.Receivables,
                        e.Party,
                        s.Reference
                    )
                )
            )
            .Distinct()
            .ToList();
        foreach (
            var row in await JournalStore.DocumentsAsync(
                db,
                entity,
                [.. asked.Select(a => Words.Of(a.Control))],
                [.. asked.Select(a => a.Party!)],
                [.. asked.Select(a => a.Reference)],
                stop
            )
        )
        {
            if (!Words.TryParse<Control>(row.Control, out var control))
                continue;
            documents.known[(control, row.Party, row.Reference)] = new OpenDocument(
                row.Account,
                row.Rate,
                Turn(control, row.Open),
                row.Currency
            );
        }
        return documents;
    }

    /// <inheritdoc/>
    public OpenDocument? Find(Control subledger, string party, string reference) =>
        known.GetValueOrDefault((subledger, party, reference));

    /// <summary>Takes in what an entry of the batch did, so that a later payment of the same batch sees it.</summary>
    public void Note(JournalEntry entry)
    {
        foreach (var line in entry.Lines)
        {
            if (line.Document == Control.None)
                continue;
            if (line.Context.Party is not { } party || (line.Context.Reference ?? entry.Reference) is not { } reference)
                continue;
            var key = (line.Document, party, reference);
            var amount = Turn(line.Document, line.DocumentSigned ?? 0);
            var currency = line.DocumentCurrency(entry.Currency);
            if (known.TryGetValue(key, out var document) && document.Currency == currency)
                known[key] = document with { Open = document.Open + amount };
            else if (line.Context.Reference is null)
                known[key] = new OpenDocument(line.Account, line.Rate ?? entry.Rate, amount, currency);
        }
    }

    // Open is positive for what a customer owes and for what is owed to a supplier.
    private static decimal Turn(Control control, decimal debit) => control == Control.Payables ? -debit : debit;
}
