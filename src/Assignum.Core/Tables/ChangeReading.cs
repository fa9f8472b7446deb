namespace Assignum.Core.Tables;

/// <summary>A change that was made, without its rows.</summary>
/// <param name="Draft">The draft it was made in; null where it changed records only.</param>
/// <param name="DraftOpen">Whether that draft is still one.</param>
public sealed record ChangeHead(
    long Id,
    DateTime At,
    string Who,
    string What,
    string? Reason,
    int? Draft,
    bool DraftOpen,
    int Rows,
    long? Undoes,
    long? UndoneBy
);

/// <summary>Which changes are asked for; null does not narrow.</summary>
/// <param name="Before">Only those older than this one.</param>
/// <param name="Text">In what was done or why, or a part or a code among its rows.</param>
public sealed record ChangeQuery(long? Before, string? Who, string? Text, int Limit);

/// <summary>Who changed a row last, when and why.</summary>
/// <param name="What">What was done, in words.</param>
public sealed record LastChange(string Who, DateTime At, string What, string? Reason);

/// <summary>What a change made of one row.</summary>
/// <param name="Draft">The draft that it waited in; null: it counted at once.</param>
public sealed record RowHistory(
    long Change,
    DateTime At,
    string Who,
    string What,
    string? Reason,
    int? Draft,
    RowChange Row
);

/// <summary>A record whose place in a group is not in force yet.</summary>
/// <param name="Part">Of the record: items, parties or projects.</param>
/// <param name="Column">Which of its groups.</param>
/// <param name="Group">The group it is in from then on.</param>
public sealed record Waiting(string Part, string Key, string Column, string Group);

/// <summary>A balance that came with a chart.</summary>
/// <param name="Amount">Debit less credit, base currency.</param>
public sealed record OpeningRow(string Account, string Name, decimal Amount, string File, string Who, DateTime At);
