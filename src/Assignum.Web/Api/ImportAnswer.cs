using System.Text.Json.Serialization;
using Assignum.Core;
using Assignum.Core.Tables;
using Assignum.Desk.SetUps;

namespace Assignum.Web.Api;

/// <summary>What an import did or would do, as the interface says it.</summary>
/// <param name="Change">The number by which it can be undone, when something was changed.</param>
internal sealed record ImportAnswer(
    bool Applied,
    long? Change,
    IReadOnlyList<ImportAnswer.FileCount> Files,
    IReadOnlyList<ImportAnswer.RowDone> Changes,
    IReadOnlyList<ImportAnswer.FaultRow> Errors,
    IReadOnlyList<string> Notes
)
{
    // A preview of a large bundle names its first changes; the counts are of all.
    private const int MostChanges = 1000;

    /// <summary>What was changed here since the bundle was taken out and is otherwise in it; absent where nothing
    /// is.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingNull)]
    public IReadOnlyList<ConflictRow>? Conflicts { get; init; }

    /// <summary>Values that it changes, apart from where things land; absent where it changes none.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingNull)]
    public IReadOnlyList<ValueRow>? Values { get; init; }

    public sealed record ConflictRow(
        string File,
        int Row,
        string Key,
        string Column,
        string? Was,
        string? Here,
        string? Bundle
    );

    public sealed record ValueRow(
        string File,
        int Row,
        string Key,
        string Column,
        decimal? Before,
        decimal? After,
        decimal? OnHand,
        decimal? StockWorth
    );

    public sealed record FileCount(string File, int Added, int Changed, int Removed, int Archived);

    public sealed record RowDone(string File, string Kind, string Key, IReadOnlyDictionary<string, string?[]> Cells);

    public sealed record FaultRow(string File, int Row, string Column, string Code, string Message);

    public static ImportAnswer Of(ImportResult result) =>
        new(
            result.Applied,
            result.Change,
            [
                .. result
                    .Plan.Changes.GroupBy(c => c.Part)
                    .Select(g => new FileCount(
                        g.Key.Name + ".csv",
                        Count(g, ChangeKind.Added),
                        Count(g, ChangeKind.Changed),
                        Count(g, ChangeKind.Removed),
                        Count(g, ChangeKind.Archived)
                    )),
            ],
            [
                .. result
                    .Plan.Changes.Take(MostChanges)
                    .Select(c => new RowDone(
                        c.Part.Name + ".csv",
                        Words.Of(c.Kind),
                        c.Label,
                        c.Cells.ToDictionary(x => x.Column, x => new[] { x.Before, x.After })
                    )),
            ],
            [
                .. result.Plan.Faults.Select(f => new FaultRow(
                    f.Part.Length == 0 ? "" : f.Part + ".csv",
                    f.Row,
                    f.Column,
                    f.Code,
                    f.Message
                )),
            ],
            result.Plan.Notes
        )
        {
            Conflicts =
                result.Conflicts.Count == 0
                    ? null
                    :
                    [
                        .. result
                            .Conflicts.Take(MostChanges)
                            .Select(c => new ConflictRow(
                                c.Part.Name + ".csv",
                                c.Of.Row,
                                c.Of.Label,
                                c.Of.Column,
                                c.Of.Was,
                                c.Of.Here,
                                c.Of.Theirs
                            )),
                    ],
            Values =
                result.Values.Count == 0
                    ? null
                    :
                    [
                        .. result
                            .Values.Take(MostChanges)
                            .Select(v => new ValueRow(
                                Parts.Items.Name + ".csv",
                                v.Change.Row,
                                v.Change.Label,
                                v.Change.Column,
                                v.Change.From,
                                v.Change.To,
                                v.OnHand,
                                v.Effect
                            )),
                    ],
        };

    private static int Count(IEnumerable<RowChange> changes, ChangeKind kind) => changes.Count(c => c.Kind == kind);
}
