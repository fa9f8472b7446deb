namespace Assignum.Core.Work;

/// <summary>A piece of work that outlives its request.</summary>
/// <param name="Status"><c>waiting</c>, <c>running</c>, <c>done</c>, <c>failed</c> or <c>cancelled</c>.</param>
/// <param name="Done">Steps done, of <paramref name="Steps"/>; null: nobody knows how many there are.</param>
/// <param name="Says">What it does now, or why it failed.</param>
/// <param name="Due">When it may be tried next.</param>
/// <param name="Cancel">Whether somebody asked it to stop.</param>
public sealed record WorkRow(
    long Id,
    int Entity,
    string Code,
    string Kind,
    string Subject,
    string Who,
    string Input,
    string Status,
    int Done,
    int? Steps,
    string? Says,
    string? Result,
    int Attempts,
    DateTime Due,
    bool Cancel,
    DateTime At,
    DateTime? StartedAt,
    DateTime? FinishedAt
);

/// <summary>Somebody's documents in order, as JSON.</summary>
/// <param name="Revision">Moves with every change; 0 where nothing was kept yet.</param>
public sealed record WorkbenchRow(IReadOnlyList<string> Documents, IReadOnlyList<string> Before, long Revision)
{
    /// <summary>The document that was rehearsed last; null: none.</summary>
    public string? Last { get; init; }
}
