using System.Text.Json.Serialization;
using Assignum.Core;
using Assignum.Core.Checks;
using Assignum.Core.Tables;

namespace Assignum.Formats.Json;

/// <summary>A place of a finding as JSON has it.</summary>
public sealed record PlaceDocument(string Part, IReadOnlyDictionary<string, string> Key);

/// <summary>A row that a mend changes: null before is a new row, null after one that goes.</summary>
public sealed record RowDocument(
    string Part,
    IReadOnlyDictionary<string, string> Key,
    IReadOnlyDictionary<string, string?>? Before,
    IReadOnlyDictionary<string, string?>? After
)
{
    /// <summary>Writes a row change.</summary>
    public static RowDocument Of(RowChange change)
    {
        IReadOnlyDictionary<string, string?>? Cells(string?[]? row) =>
            row is null
                ? null
                : change
                    .Part.Columns.Select((c, i) => (c.Name, Cell: row[i]))
                    .Where(c => c.Cell is not null)
                    .ToDictionary(c => c.Name, c => c.Cell);
        var row = (change.Before ?? change.After)!;
        return new RowDocument(
            change.Part.Name,
            change
                .Part.Keys.Where(k => row[k] is not null)
                .ToDictionary(k => change.Part.Columns[k].Name, k => row[k]!),
            Cells(change.Before),
            Cells(change.After)
        );
    }
}

/// <summary>A mend as JSON has it.</summary>
public sealed record MendDocument(string Says, IReadOnlyList<RowDocument> Rows);

/// <summary>An acceptance as JSON has it.</summary>
public sealed record AcceptedDocument(string By, DateTime At, string Reason, DateOnly Until);

/// <summary>A finding as JSON has it.</summary>
public sealed record FindingDocument(
    string Code,
    string Severity,
    IReadOnlyList<PlaceDocument> Places,
    string? Of,
    string? Account,
    string? Purpose,
    decimal Count,
    decimal Amount,
    string Message,
    string Consequence,
    [property: JsonIgnore(Condition = JsonIgnoreCondition.Never)] MendDocument? Mend,
    [property: JsonIgnore(Condition = JsonIgnoreCondition.Never)] AcceptedDocument? Accepted
)
{
    /// <summary>The combinations it is about, as groups and records that an assignment could name.</summary>
    public IReadOnlyList<string>? Combinations { get; init; }

    /// <summary>Writes a finding.</summary>
    public static FindingDocument From(
        Finding finding,
        Mend? mend = null,
        AcceptedDocument? accepted = null,
        IReadOnlyList<string>? combinations = null
    ) =>
        new(
            finding.Code,
            Words.Of(finding.Severity),
            [.. finding.Places.Select(p => new PlaceDocument(p.Part, p.Key.ToDictionary(k => k.Key, k => k.Value)))],
            finding.Of,
            finding.Account,
            finding.Purpose,
            (decimal)finding.Count,
            finding.Amount,
            finding.Message,
            finding.Consequence,
            mend is null ? null : new MendDocument(mend.Says, [.. mend.Rows.Select(RowDocument.Of)]),
            accepted
        )
        {
            Combinations = combinations is { Count: > 0 } ? combinations : null,
        };
}
