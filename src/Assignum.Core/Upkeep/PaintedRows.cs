using Assignum.Core.Coverage;
using Assignum.Core.Landing;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;

namespace Assignum.Core.Upkeep;

/// <summary>What was painted, as rows of a draft.</summary>
public static class PaintedRows
{
    /// <summary>The rows that are to change; a row that is there keeps its note.</summary>
    public static IEnumerable<RowChange> Rows(this Painted painted, SetUp setUp) =>
        Rows(setUp, painted.Set, painted.Gone);

    /// <inheritdoc cref="Rows(Painted, SetUp)"/>
    public static IEnumerable<RowChange> Rows(this Compressed compressed, SetUp setUp) =>
        Rows(setUp, compressed.Set, compressed.Gone);

    private static IEnumerable<RowChange> Rows(
        SetUp setUp,
        IReadOnlyList<Assignment> set,
        IReadOnlyList<Assignment> gone
    )
    {
        var part = Parts.Assignments;
        foreach (var assignment in set)
        {
            var cells = part.Write(setUp with { Assignments = [assignment] })[0];
            if (part.Row(setUp, part.KeyOf(cells)) is { } row)
                yield return SetUpEdit.Row(
                    part,
                    row,
                    new Dictionary<string, string?> { ["account"] = assignment.Account }
                );
            else
                yield return SetUpEdit.Row(part, null, part.Named(cells));
        }
        foreach (var assignment in gone)
        {
            var cells = part.Write(setUp with { Assignments = [assignment] })[0];
            if (part.Row(setUp, part.KeyOf(cells)) is { } row)
                yield return SetUpEdit.Row(part, row, null);
        }
    }
}
