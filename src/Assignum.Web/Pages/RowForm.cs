using Assignum.Core.Tables;

namespace Assignum.Web.Pages;

/// <summary>A row of any part of the set-up as a form: fields made from the part's columns, with what its author saw
/// beside them.</summary>
/// <param name="Cells">The row as it is; null for a new one.</param>
/// <param name="Given">What was typed, where the form comes back with a fault.</param>
public sealed record RowForm(
    Part Part,
    string?[]? Cells,
    string Entity,
    IReadOnlyDictionary<string, string?>? Given = null
)
{
    /// <summary>The columns shown, in order; null: all of the part's.</summary>
    public IReadOnlyList<string>? Columns { get; init; }

    /// <summary>Positions of the columns shown.</summary>
    public IEnumerable<int> Positions =>
        Columns is null
            ? Enumerable.Range(0, Part.Columns.Count)
            : Columns.Select(n => Part.Columns.ToList().FindIndex(c => c.Name == n));

    /// <summary>Names of the fields begin with these.</summary>
    public const string New = "new.",
        Was = "was.",
        More = "more.";

    /// <summary>Whether a field is added to and not written over: a note that says something already.</summary>
    public bool Adds(Column column, int at) => column.Name == "note" && !string.IsNullOrEmpty(Cells?[at]);

    /// <summary>What a field shows.</summary>
    public string? Value(int column) =>
        Given is not null && Given.TryGetValue(Part.Columns[column].Name, out var given) ? given : Cells?[column];

    /// <summary>Where choices for a column come from, or null where none are offered.</summary>
    public string? Pick(Column column)
    {
        if (Parts.Refers(Part, column.Name) is not { } to)
            return null;
        return to.Part == Parts.Groups
            ? null
            : $"/e/{Entity}/pick?type={Parts.One(to.Part)}"
                + $"{((Part, column.Name) == (Parts.Accounts, "parent") ? "&headings=true" : "")}";
    }

    /// <summary>The edit that a form asks for. A key column of an existing row stays as it was.</summary>
    /// <param name="gone">Whether the row is to be taken away.</param>
    public static RowChange Read(Part part, IFormCollection form, bool gone = false)
    {
        var existed = part.Columns.Any(c => form.ContainsKey(Was + c.Name));
        string?[]? before = existed ? [.. part.Columns.Select(c => Cell(form[Was + c.Name]))] : null;
        if (gone)
            return SetUpEdit.Row(part, before, null);
        var cells = part
            .Columns.Where(c => form.ContainsKey(New + c.Name))
            .ToDictionary(c => c.Name, c => Cell(form[New + c.Name]));
        // What is added to a note stands below what it said.
        foreach (var column in part.Columns)
            if (Cell(form[More + column.Name]) is { } more)
                cells[column.Name] = cells.GetValueOrDefault(column.Name) is { } said ? $"{said}\n{more}" : more;
        if (before is null)
            foreach (
                var column in part.Columns.Where(c => c.Unset is not null && cells.GetValueOrDefault(c.Name) is null)
            )
                cells[column.Name] = column.Unset;
        return SetUpEdit.Row(part, before, cells);
    }

    /// <summary>What was typed, by column.</summary>
    public static IReadOnlyDictionary<string, string?> Typed(Part part, IFormCollection form) =>
        part
            .Columns.Where(c => form.ContainsKey(New + c.Name))
            .ToDictionary(c => c.Name, c => Cell(form[New + c.Name]));

    private static string? Cell(string? text) => string.IsNullOrWhiteSpace(text) ? null : text.Trim();
}
