using Assignum.Core.Landing;
using static Assignum.Core.Tables.Parts;

namespace Assignum.Core.Tables;

/// <summary>The assignments: purpose and filled key columns are the key, and the filled columns are the rung.</summary>
internal static class AssignmentPart
{
    /// <summary>The key columns: every dimension but <c>line</c>, which is never stored.</summary>
    public static readonly IReadOnlyList<(string Column, Dimension Dimension)> KeyColumns =
    [
        .. Enum.GetValues<Dimension>().Where(d => d != Dimension.Line).Select(d => (Words.Of(d).Replace('-', '_'), d)),
    ];

    public static Part<Assignment> Define() =>
        new(
            "assignments",
            HeldBy.Edition,
            [Key("purpose"), Need("account"), .. KeyColumns.Select(c => Text(c.Column, key: true)), Text("note")],
            s => s.Assignments,
            (s, rows) => s with { Assignments = rows },
            Read,
            Write
        );

    private static Assignment? Read(CellReader r)
    {
        var purpose = Purpose(r, "purpose");
        var account = r.Need("account");
        var key = new List<KeyPart>(2);
        foreach (var (column, dimension) in KeyColumns)
            if (r.Text(column) is { } value)
                key.Add(new KeyPart(dimension, value));
        var note = r.Text("note");
        return purpose is null ? null : new Assignment(purpose, account, key.Count == 0 ? [] : key.ToArray(), note);
    }

    internal static string?[] Write(Assignment a)
    {
        var cells = new string?[KeyColumns.Count + 3];
        cells[0] = a.Purpose;
        cells[1] = a.Account;
        foreach (var part in a.Key)
            cells[1 + (int)part.Dimension] = part.Value;
        cells[^1] = a.Note;
        return cells;
    }
}
