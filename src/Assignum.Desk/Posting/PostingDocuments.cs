using Assignum.Core;
using Assignum.Core.Chart;
using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.Ledger;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk.Posting;

/// <summary>Reads the open documents that a batch of events can settle.</summary>
internal static class PostingDocuments
{
    /// <summary>What the settlements of these events name, in one query.</summary>
    public static async Task<DocumentRegister> ForAsync(
        NpgsqlConnection db,
        int entity,
        IEnumerable<BusinessEvent> events,
        CancellationToken stop
    )
    {
        var register = new DocumentRegister();
        var asked = events
            .Where(e => e is { Party: not null, Settles.Count: > 0 })
            .Select(e => (Event: e, Subledger: EventKinds.Find(e.Kind)?.SettledSubledger ?? Control.None))
            .Where(e => e.Subledger != Control.None)
            .SelectMany(e => e.Event.Settles.Select(s => (e.Subledger, Party: e.Event.Party!, s.Reference)))
            .Distinct()
            .ToList();
        foreach (
            var row in await JournalStore.DocumentsAsync(
                db,
                entity,
                [.. asked.Select(a => Words.Of(a.Subledger))],
                [.. asked.Select(a => a.Party)],
                [.. asked.Select(a => a.Reference)],
                stop
            )
        )
            if (Words.TryParse<Control>(row.Control, out var control))
                register.Add(control, row.Party, row.Reference, row.Account, row.Rate, row.Open, row.Currency);
        return register;
    }
}
