using Assignum.Core.Events;

namespace Assignum.Core.Books;

/// <summary>Under which keys of a subledger events were received that wait or are dead.</summary>
public sealed class WaitingKeys
{
    /// <summary>Nothing waits.</summary>
    public static WaitingKeys None { get; } = new([]);

    private readonly List<HashSet<(SubledgerKey, string)>> events = [];
    private readonly Dictionary<(SubledgerKey, string), List<int>> by = [];

    private static readonly HashSet<SubledgerKey> Asked =
    [
        SubledgerKey.Party,
        SubledgerKey.Document,
        SubledgerKey.Item,
        SubledgerKey.Location,
        SubledgerKey.Order,
        SubledgerKey.Project,
        SubledgerKey.Channel,
        SubledgerKey.Method,
    ];

    /// <param name="waiting">The events, in our codes as far as they are paired.</param>
    public WaitingKeys(IEnumerable<BusinessEvent> waiting)
    {
        foreach (var e in waiting)
        {
            var names = Of(e);
            foreach (var name in names)
            {
                if (!by.TryGetValue(name, out var list))
                    by[name] = list = [];
                list.Add(events.Count);
            }
            events.Add(names);
        }
    }

    private static HashSet<(SubledgerKey, string)> Of(BusinessEvent e)
    {
        var names = new HashSet<(SubledgerKey, string)>();
        void Add(SubledgerKey key, string? name)
        {
            if (!string.IsNullOrEmpty(name))
                names.Add((key, name));
        }
        Add(SubledgerKey.Party, e.Party);
        Add(SubledgerKey.Document, e.Reference ?? $"{e.Source}/{e.Id}");
        Add(SubledgerKey.Document, e.Corrects);
        Add(SubledgerKey.Channel, e.Channel);
        Add(SubledgerKey.Channel, e.GiftCardChannel);
        Add(SubledgerKey.Method, e.Method);
        Add(SubledgerKey.Method, e.ClearingMethod);
        Add(SubledgerKey.Item, e.Output);
        Add(SubledgerKey.Project, e.Project);
        Add(SubledgerKey.Order, e.Order);
        foreach (var location in new[] { e.Location, e.FromLocation, e.ToLocation })
            Add(SubledgerKey.Location, location);
        foreach (var settled in e.Settles.Concat(e.SettlesPayables))
            Add(SubledgerKey.Document, settled.Reference);
        foreach (var deposit in e.Deposits)
            Add(SubledgerKey.Document, deposit.Reference);
        foreach (var line in e.Lines)
        {
            Add(SubledgerKey.Item, line.Item);
            Add(SubledgerKey.Location, line.Location);
            Add(SubledgerKey.Project, line.Project);
            Add(SubledgerKey.Party, line.Party);
            Add(SubledgerKey.Order, line.Order);
            Add(SubledgerKey.Document, line.Receipt);
            Add(SubledgerKey.Document, line.Shipment);
        }
        return names;
    }

    /// <summary>Whether one of them has all of a key.</summary>
    public bool Has(IReadOnlyDictionary<SubledgerKey, string> keys)
    {
        var asked = keys.Where(k => Asked.Contains(k.Key)).Select(k => (k.Key, k.Value)).ToList();
        if (asked.Count == 0 || events.Count == 0)
            return false;
        List<int>? fewest = null;
        foreach (var key in asked)
        {
            if (!by.TryGetValue(key, out var list))
                return false;
            if (fewest is null || list.Count < fewest.Count)
                fewest = list;
        }
        return fewest!.Any(i => asked.TrueForAll(events[i].Contains));
    }
}
