using Assignum.Core;
using Assignum.Core.Chart;
using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.Landing;
using Assignum.Core.Ledger;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk.Posting;

/// <summary>What events settle, apply, relieve and correct, read as they name it.</summary>
/// <param name="documents">Takes it.</param>
/// <param name="begin">The id of the first event that is not read: from there on what comes about is noted.</param>
internal sealed class PostingDocuments(DocumentRegister documents, long begin = long.MaxValue)
{
    private readonly HashSet<(Control, string Party, string Reference)> asked = [];
    private readonly HashSet<(Purpose Purpose, string Who, string Item)> askedLots = [];
    private readonly HashSet<(string Party, string Reference)> askedCorrected = [];
    private readonly HashSet<string> askedPosted = new(StringComparer.Ordinal);

    /// <summary>What was read so far, and what was noted since.</summary>
    public DocumentRegister Register => documents;

    /// <summary>How many names were asked for.</summary>
    public int Count => asked.Count + askedLots.Count + askedCorrected.Count + askedPosted.Count;

    /// <summary>What these events name.</summary>
    /// <param name="before">The id of an entry: as it was before that one.</param>
    public static async Task<DocumentRegister> ForAsync(
        NpgsqlConnection db,
        int entity,
        IEnumerable<BusinessEvent> events,
        CancellationToken stop,
        long before = long.MaxValue
    )
    {
        var begin =
            before == long.MaxValue
                ? before
                : await HistoryStore.EventOfAsync(db, entity, before, stop) ?? long.MaxValue;
        var read = new PostingDocuments(new DocumentRegister(), begin);
        await read.ReadAsync(db, entity, [.. events], stop);
        return read.Register;
    }

    /// <summary>Reads what these events name and was not asked for before: a query for each sort of thing that any of
    /// them names.</summary>
    public async Task ReadAsync(
        NpgsqlConnection db,
        int entity,
        IReadOnlyList<BusinessEvent> events,
        CancellationToken stop
    )
    {
        var known = events
            .Select(e => (Event: e, Kind: EventKinds.Find(e.Kind)))
            .Where(e => e.Kind is not null)
            .Select(e => (e.Event, Kind: e.Kind!))
            .ToList();
        await SettledAsync(db, entity, known, stop);
        foreach (var of in known.SelectMany(e => Named(e.Event, e.Kind)).Where(askedLots.Add).GroupBy(n => n.Purpose))
            await LotsAsync(db, entity, of.Key, [.. of.Select(n => (n.Who, n.Item))], stop);
        var corrected = known
            .Where(e => e.Event.Corrects is not null && e.Kind.Corrects != Correcting.Nothing)
            .Select(e => (Party: e.Event.Party ?? "", Reference: e.Event.Corrects!))
            .Where(askedCorrected.Add)
            .ToList();
        foreach (
            var (party, reference, document) in await HistoryStore.CorrectedAsync(
                db,
                entity,
                [.. corrected.Select(c => c.Party)],
                [.. corrected.Select(c => c.Reference)],
                begin,
                stop
            )
        )
            documents.Add(party.Length == 0 ? null : party, reference, document);
        var turned = known
            .Where(e => e.Kind.TurnsBack && e.Event.Reverses is not null)
            .Select(e => e.Event.Reverses!)
            .Where(askedPosted.Add)
            .ToList();
        foreach (var name in turned)
            documents.Expect(name);
        foreach (var (name, there) in await PostedStore.OfAsync(db, entity, turned, begin, stop))
            documents.Add(name, there);
    }

    private async Task SettledAsync(
        NpgsqlConnection db,
        int entity,
        List<(BusinessEvent Event, EventKind Kind)> events,
        CancellationToken stop
    )
    {
        var fresh = events.SelectMany(e => Settled(e.Event, e.Kind)).Where(asked.Add).ToList();
        foreach (
            var row in await HistoryStore.DocumentsAsync(
                db,
                entity,
                [.. fresh.Select(a => Words.Of(a.Subledger))],
                [.. fresh.Select(a => a.Party)],
                [.. fresh.Select(a => a.Reference)],
                begin,
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

    private static IEnumerable<(Control Subledger, string Party, string Reference)> Settled(
        BusinessEvent e,
        EventKind kind
    )
    {
        if (e.Party is not { } party)
            yield break;
        if (kind.Settles)
            foreach (var settled in e.Settles)
                yield return (kind.SubledgerOf(e), party, settled.Reference);
        if (kind.SettlesPayables)
            foreach (var settled in e.SettlesPayables)
                yield return (Control.Payables, party, settled.Reference);
        if (e.Corrects is { } corrects && kind.Corrects == Correcting.All)
            yield return (kind.FromSupplier ? Control.Payables : Control.Receivables, party, corrects);
    }

    // Deposits of a party, gift cards of a channel, receipts of a party and item, shipments of an item.
    private static IEnumerable<(Purpose Purpose, string Who, string Item)> Named(BusinessEvent e, EventKind kind)
    {
        if (e is { DepositApplied: not null, Party: { } party } && kind.Takes.Contains("depositApplied"))
            yield return (kind.FromSupplier ? Purposes.SupplierDeposits : Purposes.CustomerDeposits, party, "");
        if (e.GiftCardApplied is not null && kind.Takes.Contains("giftCardApplied"))
            yield return (Purposes.GiftCards, e.GiftCardChannel ?? e.Channel ?? "", "");
        var settlesReceipts = kind.LineTakes.Contains("receipt");
        var isReceipt = kind.FromSupplier && kind.LineTakes.Contains("order") && !settlesReceipts;
        var settlesShipments = kind.LineTakes.Contains("shipment");
        foreach (var line in e.Lines)
        {
            if (e.Party is { } of && (settlesReceipts || isReceipt && (line.Order ?? e.Order) is not null))
                yield return (Purposes.ReceivedNotInvoiced, of, line.Item ?? "");
            if (settlesShipments && line.Item is { } item && (line.Shipment ?? line.Order ?? e.Order) is not null)
                yield return (Purposes.ShippedNotInvoiced, "", item);
        }
    }

    private async Task LotsAsync(
        NpgsqlConnection db,
        int entity,
        Purpose purpose,
        IReadOnlyList<(string Who, string Item)> names,
        CancellationToken stop
    )
    {
        var lots = await HistoryStore.LotsAsync(
            db,
            entity,
            purpose,
            [.. names.Select(n => n.Who)],
            [.. names.Select(n => n.Item)],
            begin,
            stop
        );
        foreach (var (channel, lot) in lots)
            documents.Add(purpose, channel, lot);
        if (purpose != Purposes.CustomerDeposits)
            return;
        // The tax that they carried goes with them.
        var deposits = lots.Select(l => (Party: l.Lot.Party!, l.Lot.Document)).Distinct().ToList();
        await LotsAsync(db, entity, Purposes.OutputTax, deposits, stop);
        foreach (
            var (party, deposit, tax) in await HistoryStore.CarriedAsync(
                db,
                entity,
                [.. deposits.Select(d => d.Party)],
                [.. deposits.Select(d => d.Document)],
                begin,
                stop
            )
        )
            documents.Add(party, deposit, tax);
    }
}
