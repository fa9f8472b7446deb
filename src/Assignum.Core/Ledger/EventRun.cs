using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.SetUps;

namespace Assignum.Core.Ledger;

/// <summary>Takes what a run makes, event by event: shows it, counts it or posts it.</summary>
public interface IEntrySink
{
    /// <summary>Takes what became of an event.</summary>
    /// <returns>Whether it stands, so that later events see its documents.</returns>
    bool Take(BusinessEvent source, EntryResult result);
}

/// <summary>
/// Events become entries, one after the other: the one way for all who rehearse, post, compare or replay. What differs
/// is whose documents are seen and what is done with the entries.
/// </summary>
/// <param name="others">Set-ups of entities that are charged; null: there are none.</param>
/// <param name="documents">Documents of before; what stands is noted in it.</param>
/// <param name="unforeseen">Hears of faults of the program that an event met: it is refused, those after it go
/// on.</param>
public sealed class EventRun(OtherSetUps? others, DocumentRegister documents, Action<Exception>? unforeseen = null)
{
    /// <summary>Makes the entry of an event by a set-up and gives it to the sink.</summary>
    public EntryResult Step(BusinessEvent source, CompiledSetUp setUp, IEntrySink sink)
    {
        var result = Build(source, new EntryBuilder(setUp, others, documents));
        if (sink.Take(source, result))
            documents.Note(source, result, setUp.Entity.Currency);
        return result;
    }

    /// <summary>What each event makes by itself, in order, with the documents of before alone; worked out side by side,
    /// since none sees another.</summary>
    public IReadOnlyList<EntryResult> Apart(IReadOnlyList<BusinessEvent> events, CompiledSetUp setUp)
    {
        var builder = new EntryBuilder(setUp, others, documents);
        return [.. events.AsParallel().AsOrdered().Select(e => Build(e, builder))];
    }

    private EntryResult Build(BusinessEvent source, EntryBuilder builder)
    {
        try
        {
            return builder.Build(source);
        }
        catch (Exception e)
        {
            unforeseen?.Invoke(e);
            return new EntryResult(
                null,
                [
                    new Fault(
                        "broken",
                        $"A fault of the program met this event ({e.GetType().Name}): nothing of it was posted."
                    ),
                ]
            );
        }
    }
}
