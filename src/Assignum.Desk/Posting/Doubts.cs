using Assignum.Core;
using Assignum.Core.Calendar;
using Assignum.Core.Chart;
using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.Ledger;
using Assignum.Desk.SetUps;
using Assignum.Storage;

namespace Assignum.Desk.Posting;

/// <summary>What somebody who rehearses a document should think of, though nothing refuses it: a reference that was used
/// before, a day that no period holds.</summary>
public sealed class Doubts(DeskContext desk, ViewSetUp view)
{
    /// <summary>The doubts about an event, each a sentence with its place.</summary>
    /// <param name="entry">The entry it would make; null: none.</param>
    /// <param name="before">The id of an entry: what was posted since does not count.</param>
    public async Task<IReadOnlyList<Fault>> OfAsync(
        Visit visit,
        BusinessEvent source,
        JournalEntry? entry,
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
                    $"Date: no period holds {WrittenDay.Say(source.Date)}; they run from {WrittenDay.Say(periods.Min(p => p.From))} "
                        + $"to {WrittenDay.Say(periods.Max(p => p.To))}.",
                    "date"
                )
            );
        await using var db = await desk.Database.OpenAsync(stop);
        // What it would open is told by its entry, whatever its kind.
        foreach (
            var (document, of, reference) in (entry is null ? [] : EntryEffects.Of(entry))
                .Where(m => m is { Kind: MovementKind.Opens, Document: Control.Receivables or Control.Payables })
                .Select(m => (m.Document, m.Party, m.Reference))
                .Distinct()
        )
            if (
                of is not null
                && reference is not null
                && await JournalStore.ReferenceUsedAsync(
                    db,
                    visit.State.Id,
                    Words.Of(document),
                    of,
                    reference,
                    before,
                    stop
                )
                    is { } used
            )
                doubts.Add(
                    new Fault(
                        "reference-used",
                        $"Reference {reference} of {of} was used before, by entry {used}: is this the same document?",
                        "reference"
                    )
                );
        return doubts;
    }
}
