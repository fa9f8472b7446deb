using Assignum.Core;
using Assignum.Core.Chart;
using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Desk.SetUps;
using Assignum.Storage;

namespace Assignum.Desk.Posting;

/// <summary>What somebody who rehearses a document should think of, though nothing refuses it: a reference that was used
/// before, a day that no period holds, goods that would stand in stock twice.</summary>
public sealed class Doubts(DeskContext desk, ViewSetUp view)
{
    /// <summary>The doubts about an event, each a sentence with its place.</summary>
    /// <param name="before">The id of an entry: what was posted since does not count.</param>
    public async Task<IReadOnlyList<Fault>> OfAsync(
        Visit visit,
        BusinessEvent source,
        string? edition,
        long before,
        CancellationToken stop
    )
    {
        if (source.Date == default || EventKinds.Find(source.Kind) is null)
            return [];
        if ((await view.OfAsync(visit, edition, source.Date, stop)).Result is not { SetUp: var setUp })
            return [];
        var doubts = new List<Fault>();
        var periods = setUp.SetUp.Periods;
        if (periods.Count > 0 && !periods.Any(p => p.From <= source.Date && source.Date <= p.To))
            doubts.Add(
                new Fault(
                    "no-period",
                    $"Date: no period holds {source.Date:yyyy-MM-dd}; they run from {periods.Min(p => p.From):yyyy-MM-dd} "
                        + $"to {periods.Max(p => p.To):yyyy-MM-dd}.",
                    "date"
                )
            );
        var isInvoice = source.Kind is "sales-invoice" or "supplier-invoice";
        if (source.Party is not { } party || !isInvoice)
            return doubts;
        await using var db = await desk.Database.OpenAsync(stop);
        if (
            source.Reference is { } reference
            && await JournalStore.ReferenceUsedAsync(
                db,
                visit.State.Id,
                Words.Of(source.Kind == "sales-invoice" ? Control.Receivables : Control.Payables),
                party,
                reference,
                before,
                stop
            )
                is { } entry
        )
            doubts.Add(
                new Fault(
                    "reference-used",
                    $"Reference {reference} of {party} was used before, by entry {entry}: is this the same document?",
                    "reference"
                )
            );
        if (source.Kind != "supplier-invoice" || !setUp.Policies.Perpetual || !setUp.Policies.ReceiptAccrual)
            return doubts;
        // Goods that came and wait for their invoice come a second time where their invoice does not say that it is theirs.
        var lines = source
            .Lines.Index()
            .Where(l =>
                l.Item is { Item: { } code, ReceiptCost: null, Quantity: > 0 }
                && setUp.Item(code)?.Item.IsStockItem == true
            )
            .ToList();
        if (lines.Count == 0)
            return doubts;
        var waiting = await StockStore.WaitingAsync(
            db,
            visit.State.Id,
            party,
            [.. lines.Select(l => l.Item.Item!).Distinct()],
            before,
            stop
        );
        foreach (var (i, line) in lines)
            if (waiting.TryGetValue(line.Item!, out var amount))
                doubts.Add(
                    new Fault(
                        "goods-twice",
                        $"{EventPlace.InWords($"lines[{i}].receiptCost")} is empty, and {line.Item} of {party} worth "
                            + $"{amount} was received and waits for its invoice: without it the goods stand in stock "
                            + "twice.",
                        $"lines[{i}].receiptCost"
                    )
                );
        return doubts;
    }
}
