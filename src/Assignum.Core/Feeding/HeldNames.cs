using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.Ledger;

namespace Assignum.Core.Feeding;

/// <summary>The documents and orders that events which cannot post are about: what comes after them about the same waits
/// behind.</summary>
public sealed class HeldNames
{
    private readonly Dictionary<EventLink, long> by = [];

    /// <summary>What an event is about, as far as it can be told before it is posted.</summary>
    /// <param name="awaited">Documents that it waits for: whoever brings them is not to wait for it.</param>
    public static IReadOnlyCollection<EventLink> Of(BusinessEvent source, IEnumerable<AwaitedDocument>? awaited = null)
    {
        var names = EventLinks.Of(source, new EntryResult(null, []));
        if (awaited is null)
            return names;
        var without = awaited.Select(a => a.Name).ToHashSet(StringComparer.Ordinal);
        return [.. names.Where(n => n.Order || !without.Contains(n.Name))];
    }

    /// <summary>Says that these wait.</summary>
    /// <param name="row">The event that holds them.</param>
    public void Add(IEnumerable<EventLink> names, long row)
    {
        foreach (var name in names)
            by.TryAdd(name, row);
    }

    /// <summary>The event behind which one about these names has to wait; null: none.</summary>
    public long? Holder(IEnumerable<EventLink> names)
    {
        foreach (var name in names)
            if (by.TryGetValue(name, out var row))
                return row;
        return null;
    }
}
