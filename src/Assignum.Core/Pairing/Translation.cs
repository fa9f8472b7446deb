using Assignum.Core.Events;

namespace Assignum.Core.Pairing;

/// <summary>Something that an event names and that is not settled yet.</summary>
/// <param name="Record">A kind of record, or of a word: then <see cref="WordPrefix"/> stands before it.</param>
/// <param name="Theirs">As the event has it.</param>
public readonly record struct Named(string Record, string Theirs)
{
    /// <summary>Stands before the name of a word list's field.</summary>
    public const string WordPrefix = "word:";

    /// <summary>Whether it is a word, not a record.</summary>
    public bool IsWord => Record.StartsWith(WordPrefix, StringComparison.Ordinal);
}

/// <summary>What a connection's codes and words are here.</summary>
/// <param name="Find">Our code of a record of theirs; null: it is not paired; empty: it is not needed.</param>
/// <param name="Word">Our word of one of theirs, by field (<c>standing</c>, <c>taxCategory</c>); null: not said yet.</param>
public sealed record Translator(Func<RecordKind, string, string?> Find, Func<string, string, string?> Word)
{
    /// <summary>Fields whose values are words of the connection's own.</summary>
    public static readonly IReadOnlyList<string> WordsOfEvents = ["standing", "taxCategory"];

    /// <summary>Everything that an event names in a connection's own codes and words, each once.</summary>
    public static IReadOnlyCollection<Named> NamedIn(BusinessEvent source)
    {
        var found = new HashSet<Named>();
        Each(source, (record, theirs) =>
        {
            found.Add(new Named(record, theirs));
            return theirs;
        });
        return found;
    }

    /// <summary>Puts our codes and words in the place of theirs.</summary>
    /// <returns>What is not settled; where there is any, the event is of no use.</returns>
    public IReadOnlyCollection<Named> Translate(BusinessEvent source)
    {
        var missing = new HashSet<Named>();
        Each(source, (record, theirs) =>
        {
            var ours = record.StartsWith(Named.WordPrefix, StringComparison.Ordinal)
                ? Word(record[Named.WordPrefix.Length..], theirs)
                : Find(RecordKind.Find(record)!, theirs);
            if (ours is null)
                missing.Add(new Named(record, theirs));
            // What is not needed is left out: the line is then without it.
            return ours is { Length: 0 } ? null : ours ?? theirs;
        });
        return missing;
    }

    private static void Each(BusinessEvent source, Func<string, string, string?> turn)
    {
        Fields(source, OfEvent, turn);
        foreach (var line in source.Lines)
            Fields(line, OfLine, turn);
        foreach (var charge in source.Charges)
            Fields(charge, OfCharge, turn);
        foreach (var settled in source.Settles.Concat(source.SettlesPayables))
            Fields(settled, OfSettlement, turn);
    }

    private static void Fields<T>(
        T of,
        (EventField<T> Field, string Record)[] fields,
        Func<string, string, string?> turn
    )
    {
        foreach (var (field, record) in fields)
            if (field.Get(of) is string { Length: > 0 } theirs && turn(record, theirs) is var ours && ours != theirs)
                field.Set(of, ours);
    }

    private static readonly (EventField<BusinessEvent> Field, string Record)[] OfEvent = Naming(EventFields.OfEvent);
    private static readonly (EventField<EventLine> Field, string Record)[] OfLine = Naming(EventFields.OfLine);
    private static readonly (EventField<EventCharge> Field, string Record)[] OfCharge = Naming(EventFields.OfCharge);
    private static readonly (EventField<Settlement> Field, string Record)[] OfSettlement = Naming(
        EventFields.OfSettlement
    );

    private static (EventField<T> Field, string Record)[] Naming<T>(IEnumerable<EventField<T>> fields) =>
        [
            .. fields
                .Select(f =>
                    (
                        f,
                        RecordKind.Of(f.Type)?.Name
                            ?? (WordsOfEvents.Contains(f.Name) ? Named.WordPrefix + f.Name : null)
                    )
                )
                .Where(f => f.Item2 is not null)
                .Select(f => (f.f, f.Item2!)),
        ];
}
