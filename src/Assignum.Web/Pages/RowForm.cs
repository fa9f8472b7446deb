using Assignum.Core.Calendar;
using Assignum.Core.Tables;
using Assignum.Core.Upkeep;

namespace Assignum.Web.Pages;

/// <summary>One of several parts of a cell.</summary>
/// <param name="Words">What it can be; one word: it is marked or not; none: it is picked or typed.</param>
/// <param name="Pick">Where choices come from.</param>
public sealed record CellPart(string Name, string? Value, IReadOnlyList<string> Words, string? Pick);

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
        More = "more.",
        Of = "of.";

    /// <summary>What accounts say already, where the row is one: several words of a column are chosen and not
    /// typed.</summary>
    public Core.SetUps.SetUp? SetUp { get; init; }

    /// <summary>The parts that a column's cell is made of, each chosen by itself; null: it is one value. Those that the
    /// row has stand first, as they stand there.</summary>
    public IReadOnlyList<CellPart>? PartsOf(Column column, int at)
    {
        if (SetUp is not { } setUp || Part != Parts.Accounts)
            return null;
        var cell = Value(at);
        IReadOnlyList<CellPart> Named(IEnumerable<string> names, Func<string, CellPart> other) =>
            [
                .. Core.Chart.Account.Pairs(cell).Select(p => other(p.Name) with { Value = p.Value }),
                .. names.Except(Core.Chart.Account.Pairs(cell).Select(p => p.Name)).Select(other),
            ];
        return column.Name switch
        {
            "party_kinds" =>
            [
                .. PartyWords.Select(w => new CellPart(w, (cell ?? "").Split(' ').Contains(w) ? w : null, [w], null)),
            ],
            "report_codes" => Named(AccountChoices.ReportNames(setUp), n => new CellPart(
                n,
                null,
                [],
                $"/e/{Entity}/pick?type=report-code&kind={Uri.EscapeDataString(n)}"
            )),
            "dimension_rules" => Named(AccountChoices.ReportingDimensions(setUp), n => new CellPart(
                n,
                null,
                ["required", "forbidden"],
                null
            )),
            _ => null,
        };
    }

    private static readonly string[] PartyWords = ["customers", "suppliers", "others"];

    /// <summary>Whether a field is added to and not written over: a note that says something already.</summary>
    public bool Adds(Column column, int at) => column.Name == "note" && !string.IsNullOrEmpty(Cells?[at]);

    /// <summary>What a field shows.</summary>
    public string? Value(int column) =>
        Given is not null && Given.TryGetValue(Part.Columns[column].Name, out var given) ? given : Cells?[column];

    /// <summary>Where choices for a column come from, or null where none are offered.</summary>
    public string? Pick(Column column)
    {
        if (Part == Parts.Accounts && column.Name is "family" or "currency")
            return $"/e/{Entity}/pick?type={column.Name}";
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
            .ToDictionary(
                c => c.Name,
                c => c.Type == CellType.Date ? WrittenDay.Canonical(Cell(form[New + c.Name])) : Cell(form[New + c.Name])
            );
        // A cell of several parts, each chosen by itself, and what was typed beside them.
        foreach (var column in part.Columns.Where(c => form.ContainsKey(Of + c.Name)))
            cells[column.Name] = Composed(form, column.Name);
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
            .Columns.Where(c => form.ContainsKey(New + c.Name) || form.ContainsKey(Of + c.Name))
            .ToDictionary(
                c => c.Name,
                c => form.ContainsKey(Of + c.Name) ? Composed(form, c.Name) : Cell(form[New + c.Name])
            );

    private static string? Composed(IFormCollection form, string column)
    {
        var begins = Of + column + ".";
        var parts = form.Where(f => f.Key.StartsWith(begins, StringComparison.Ordinal) && Cell(f.Value) is not null)
            .Select(f => (Name: f.Key[begins.Length..], Value: Cell(f.Value)!))
            .Select(p => p.Name == p.Value ? p.Value : $"{p.Name}={p.Value}");
        return Cell(string.Join(' ', parts.Append(Cell(form[New + column])).OfType<string>()));
    }

    private static string? Cell(string? text) => string.IsNullOrWhiteSpace(text) ? null : text.Trim();
}
