using Assignum.Core.Chart;
using Assignum.Core.Landing;

namespace Assignum.Core.Entries;

/// <summary>The account on which something posted before stands.</summary>
/// <param name="ByDefault">It landed on the default of its ladder: what is bound to it is guarded as it was.</param>
public sealed record PostedOn(string Account, bool ByDefault);

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
)
{
    /// <summary>Where it stands.</summary>
    public PostedOn Stands => new(Account, ByDefault);
}

/// <summary>What is left of a deposit, a gift card, a receipt or a shipment on one account.</summary>
/// <param name="Document">The reference of what was posted.</param>
/// <param name="Open">Debit less credit in its currency.</param>
/// <param name="OpenBase">Debit less credit in base currency.</param>
/// <param name="Quantity">Units, debit less credit.</param>
/// <param name="Age">The lower, the older.</param>
public sealed record OpenLot(
    string Document,
    string Account,
    bool ByDefault,
    decimal Rate,
    string Currency,
    decimal Open,
    decimal OpenBase,
    decimal Quantity,
    string? Party,
    string? Item,
    string? Order,
    string? Location,
    long Age
)
{
    /// <summary>Where it stands.</summary>
    public PostedOn Stands => new(Account, ByDefault);
}

/// <summary>The tax that a deposit carried when it was posted.</summary>
/// <param name="Tax">In its currency.</param>
public sealed record CarriedTax(string Code, decimal Rate, decimal Base, decimal Tax);

/// <summary>A posted invoice or sale, as a correction of it asks for it.</summary>
/// <param name="TaxDate">The day whose tax rates it used.</param>
/// <param name="CodeOf">The tax code of each of its items; of its charges under the empty name.</param>
/// <param name="Codes">All its tax codes.</param>
public sealed record CorrectedDocument(
    string Currency,
    decimal Rate,
    DateOnly TaxDate,
    IReadOnlyDictionary<string, string> CodeOf,
    IReadOnlyCollection<string> Codes
);

/// <summary>What was posted before: asked for what an event settles, applies, relieves or corrects.</summary>
public interface IOpenDocuments
{
    /// <summary>The party's latest posted document of that reference in a subledger, wherever it landed, or
    /// null.</summary>
    OpenDocument? Find(Control subledger, string party, string reference);

    /// <summary>What is open of a purpose, the oldest first: deposits of a party, gift cards of a channel, receipts of a
    /// party and item, shipments of an item.</summary>
    /// <param name="who">Party or channel; empty for shipments.</param>
    /// <param name="item">Empty where the purpose has none.</param>
    IReadOnlyList<OpenLot> Lots(Purpose purpose, string who, string item) => [];

    /// <summary>The tax that a party's deposit carried; empty: none, or no such deposit is known.</summary>
    IReadOnlyList<CarriedTax> TaxOf(string party, string deposit) => [];

    /// <summary>The document that a correction names, or null.</summary>
    CorrectedDocument? Corrected(string? party, string reference) => null;

    /// <summary>What an event did when it was posted, or null.</summary>
    /// <param name="name">Its source and id with a slash between.</param>
    PostedBefore? Posted(string name) => null;
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
