namespace Assignum.Core.Entries;

/// <summary>What a line of goods did.</summary>
public enum GoodsFact
{
    Shipped,
    Invoiced,
    Received,

    /// <summary>Invoiced by the supplier.</summary>
    Billed,
}
