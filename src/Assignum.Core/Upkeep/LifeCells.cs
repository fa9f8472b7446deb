using Assignum.Core.Landing;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;

namespace Assignum.Core.Upkeep;

/// <summary>Cells of a life cycle: a purpose, or a purpose and what it is crossed with, by the codes of one
/// dimension.</summary>
public static class LifeCells
{
    /// <summary>A cell names a purpose and a code: as edits of the assignments at that rung.</summary>
    /// <param name="dimension">What the columns are.</param>
    /// <param name="shown">Takes, by the row of an edit, the row and column of the cell that asked for it.</param>
    public static CellEdits AsAssignments(
        Dimension dimension,
        CellEdits sent,
        SetUp now,
        Dictionary<string, (string, string)> shown
    )
    {
        if (sent.Edits is null)
            return sent;
        var edits = new List<CellEdit>();
        var gone = new List<RowGone>();
        static string ColumnOf(Dimension of) => Words.Of(of).Replace('-', '_');
        var fresh = 0;
        foreach (var cell in sent.Edits.OfType<CellEdit>())
        {
            // A row is a purpose, or a purpose and what it is crossed with.
            var parts = (cell.Number ?? "").Split('~', 3);
            Dimension? with =
                parts.Length == 3 && Words.TryParse<Dimension>(parts[1], out var crossed) ? crossed : null;
            var key = new string?[Parts.Assignments.Columns.Count];
            (key[0], key[1 + (int)dimension]) = (parts[0], cell.Column);
            if (with is { } w)
                key[1 + (int)w] = parts[2];
            var row = Parts.Assignments.Row(now, Parts.Assignments.KeyOf(key));
            var number = row is not null ? RowCells.KeyOf(Parts.Assignments, row) : $"new:{++fresh}";
            shown[number] = (cell.Number ?? "", cell.Column ?? "");
            if (string.IsNullOrWhiteSpace(cell.Value))
            {
                if (row is not null)
                    gone.Add(new RowGone(number, RowCells.Stamp(row)));
            }
            else if (row is not null)
                edits.Add(new CellEdit(number, "account", null, cell.Value));
            else
            {
                edits.AddRange([
                    new CellEdit(number, "purpose", null, parts[0]),
                    new CellEdit(number, ColumnOf(dimension), null, cell.Column),
                    new CellEdit(number, "account", null, cell.Value),
                ]);
                if (with is { } other)
                    edits.Add(new CellEdit(number, ColumnOf(other), null, parts[2]));
            }
        }
        return sent with { Edits = edits, Gone = gone };
    }
}
