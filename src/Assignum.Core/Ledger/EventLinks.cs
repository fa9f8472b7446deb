using Assignum.Core.Entries;
using Assignum.Core.Events;

namespace Assignum.Core.Ledger;

/// <summary>A name under which an event is found from others.</summary>
/// <param name="Party">Whose document or order it is; empty: nobody's.</param>
/// <param name="Order">Whether it is an order; otherwise a document.</param>
public readonly record struct EventLink(string Party, bool Order, string Name);

/// <summary>What an event is about: its own document, those that it names or was bound to, and its orders.</summary>
public static class EventLinks
{
    /// <summary>The document that an event makes, whether or not it calls it so.</summary>
    public static EventLink Own(BusinessEvent source) =>
        new(source.Party ?? "", false, source.Reference ?? $"{source.Source}/{source.Id}");

    /// <summary>Every name of an event once.</summary>
    public static IReadOnlyCollection<EventLink> Of(BusinessEvent source, EntryResult result)
    {
        var links = new HashSet<EventLink> { Own(source) };
        var party = source.Party ?? "";
        void Document(string? name, string? of = null)
        {
            if (!string.IsNullOrEmpty(name))
                links.Add(new EventLink(of ?? party, false, name));
        }
        void Order(string? name)
        {
            if (!string.IsNullOrEmpty(name))
                links.Add(new EventLink(party, true, name));
        }
        Document(source.Corrects);
        Document(source.Reverses);
        Order(source.Order);
        foreach (var settled in source.Settles.Concat(source.SettlesPayables).Concat(source.Deposits))
            Document(settled.Reference);
        foreach (var line in source.Lines)
        {
            Document(line.Receipt);
            Document(line.Shipment);
            Document(line.Document, line.Party);
            Order(line.Order);
        }
        // What was found without being named.
        foreach (var line in result.Entry?.Lines ?? [])
            Document(line.Context.Reference, line.Context.Party);
        foreach (var move in result.Quiet)
            Document(move.Leg.Context.Reference);
        return links;
    }
}
