using Assignum.Core.Chart;

namespace Assignum.Core.Books;

/// <summary>What remains of a difference when a month is signed off.</summary>
/// <param name="Since">The month that it was first carried from.</param>
/// <param name="Clears">Who clears it.</param>
public sealed record Remaining(string Cause, decimal Amount, string Note, string Clears, DateOnly? Since = null);

/// <summary>How far a control is signed off for a month.</summary>
/// <param name="Month">Its first day.</param>
/// <param name="State"><c>open</c>, <c>prepared</c> or <c>confirmed</c>.</param>
/// <param name="Later">Entries that were posted into the month after it was signed.</param>
public sealed record SignOff(
    Control Control,
    DateOnly Month,
    string State,
    decimal Ledger,
    decimal Documents,
    IReadOnlyList<Remaining> Remains,
    string? PreparedBy,
    DateTime? PreparedAt,
    string? ConfirmedBy,
    DateTime? ConfirmedAt,
    string? Reason,
    IReadOnlyList<string> Later
);
