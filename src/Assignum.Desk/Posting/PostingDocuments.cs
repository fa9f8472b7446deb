using Assignum.Core;
using Assignum.Core.Chart;
using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.Ledger;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk.Posting;

/// <summary>The open documents that events can settle, read as they are asked for.</summary>
/// <param name="documents">Takes them.</param>
internal sealed class PostingDocuments(DocumentRegister documents)
{
    private readonly HashSet<(Control, string Party, string Reference)> asked = [];

    /// <summary>What was read so far, and what was noted since.</summary>
    public DocumentRegister Register => documents;

    /// <summary>How many references were asked for.</summary>
    public int Count => asked.Count;

    /// <summary>What the settlements of these events name.</summary>
    /// <param name="before">The id of an entry: as it was before that one.</param>
    public static async Task<DocumentRegister> ForAsync(
        NpgsqlConnection db,
        int entity,
        IEnumerable<BusinessEvent> events,
        CancellationToken stop,
        long before = long.MaxValue
    )
    {
        var read = new PostingDocuments(new DocumentRegister());
        await read.ReadAsync(db, entity, events, stop, before);
        return read.Register;
    }

    /// <summary>Reads what these events name and was not asked for before, in one query.</summary>
    public async Task ReadAsync(
        NpgsqlConnection db,
        int entity,
        IEnumerable<BusinessEvent> events,
        CancellationToken stop,
        long before = long.MaxValue
    )
    {
        var fresh = events
            .Where(e => e is { Party: not null } and ({ Settles.Count: > 0 } or { SettlesPayables.Count: > 0 }))
            .Select(e => (Event: e, Kind: EventKinds.Find(e.Kind)))
            .Where(e => e.Kind is { Settles: true })
            .SelectMany(e =>
                e.Event.Settles.Select(s => (Subledger: e.Kind!.SettledSubledger, Party: e.Event.Party!, s.Reference))
                    .Concat(
                        e.Event.SettlesPayables.Where(_ => e.Kind!.SettlesPayables)
                            .Select(s => (Subledger: Control.Payables, Party: e.Event.Party!, s.Reference))
                    )
            )
            .Where(asked.Add)
            .ToList();
        foreach (
            var row in await JournalStore.DocumentsAsync(
                db,
                entity,
                [.. fresh.Select(a => Words.Of(a.Subledger))],
                [.. fresh.Select(a => a.Party)],
                [.. fresh.Select(a => a.Reference)],
                before,
                stop
            )
        )
            if (Words.TryParse<Control>(row.Control, out var control))
                documents.Add(
                    control,
                    row.Party,
                    row.Reference,
                    row.Account,
                    row.Rate,
                    row.Currency,
                    row.OpenCurrency,
                    row.Open,
                    row.OpenBase,
                    row.ByDefault
                );
    }
}
