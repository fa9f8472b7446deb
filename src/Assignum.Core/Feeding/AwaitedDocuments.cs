using Assignum.Core.Chart;
using Assignum.Core.Entries;
using Assignum.Core.Events;

namespace Assignum.Core.Feeding;

/// <summary>A document that an event settles, corrects or relieves.</summary>
/// <param name="Party">Whose it is; empty: nobody's, or that of any.</param>
/// <param name="BroughtBy">Kinds of event that make such a document.</param>
public sealed record AwaitedDocument(string Party, string Name, IReadOnlyList<string> BroughtBy);

/// <summary>The documents that have to be posted before an event.</summary>
public static class AwaitedDocuments
{
    private static readonly string[] Sold = ["sales-invoice", "channel-sale", "interest-charged"];
    private static readonly string[] Bought = ["supplier-invoice"];
    private static readonly string[] Received = ["goods-received"];
    private static readonly string[] Shipped = ["goods-shipped", "goods-returned"];

    /// <summary>Each of them once.</summary>
    public static IReadOnlyList<AwaitedDocument> Of(BusinessEvent source)
    {
        if (EventKinds.Find(source.Kind) is not { } kind)
            return [];
        var found = new Dictionary<(string, string), AwaitedDocument>();
        void Add(string? name, string? party, IReadOnlyList<string> by)
        {
            if (!string.IsNullOrEmpty(name) && name != source.Reference)
                found.TryAdd((party ?? "", name), new AwaitedDocument(party ?? "", name, by));
        }
        if (kind.Settles)
            foreach (var settled in source.Settles)
                Add(settled.Reference, source.Party, kind.SubledgerOf(source) == Control.Payables ? Bought : Sold);
        if (kind.SettlesPayables)
            foreach (var settled in source.SettlesPayables)
                Add(settled.Reference, source.Party, Bought);
        if (kind.Corrects != Correcting.Nothing)
            Add(source.Corrects, source.Party, kind.FromSupplier ? Bought : Sold);
        foreach (var deposit in source.Deposits)
            Add(deposit.Reference, source.Party, [kind.FromSupplier ? "supplier-deposit" : "customer-deposit"]);
        foreach (var line in source.Lines)
        {
            if (kind.LineTakes.Contains("receipt"))
                Add(line.Receipt, source.Party, Received);
            // Whoever ships need not know who is invoiced.
            if (kind.LineTakes.Contains("shipment"))
                Add(line.Shipment, null, Shipped);
        }
        return [.. found.Values];
    }
}
