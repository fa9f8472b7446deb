using Assignum.Core.Chart;

namespace Assignum.Core.Entries;

/// <summary>A posted document of a party that payments can settle.</summary>
/// <param name="Account">The account it was booked on, whatever that is.</param>
/// <param name="Rate">Base units for one unit of its currency, as booked.</param>
/// <param name="Open">What is left of it in its currency; positive is owed by a customer, or to a supplier.</param>
/// <param name="Currency">ISO 4217.</param>
/// <param name="OpenBase">What is left of that in base currency; signed likewise.</param>
/// <param name="ByDefault">It landed on the default of its ladder: what settles it is guarded as it was.</param>
public sealed record OpenDocument(
    string Account,
    decimal Rate,
    decimal Open,
    string Currency,
    decimal OpenBase = 0,
    bool ByDefault = false
);

/// <summary>What was posted before: asked for the documents a payment settles.</summary>
public interface IOpenDocuments
{
    /// <summary>The party's latest posted document of that reference in a subledger, wherever it landed, or
    /// null.</summary>
    OpenDocument? Find(Control subledger, string party, string reference);
}

/// <summary>No document was posted before: each event is looked at on its own.</summary>
public sealed class NoDocuments : IOpenDocuments
{
    /// <summary>The one instance.</summary>
    public static readonly NoDocuments Instance = new();

    private NoDocuments() { }

    /// <inheritdoc/>
    public OpenDocument? Find(Control subledger, string party, string reference) => null;
}
