namespace Assignum.Core.Checks;

/// <summary>A finding that a reviewer lives with.</summary>
/// <param name="Until">The last day.</param>
/// <param name="Account">That and the next two are as they were.</param>
public sealed record AcceptedRow(
    string Identity,
    string Code,
    string Reason,
    DateOnly Until,
    string Who,
    DateTime At,
    string? Account,
    decimal Count,
    decimal Amount
);

/// <summary>A finding that was given to somebody.</summary>
public sealed record GivenRow(
    string Identity,
    string Code,
    string Message,
    string To,
    DateOnly? Day,
    string? Note,
    string Who,
    DateTime At
);
