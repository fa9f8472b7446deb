using System.Globalization;
using System.Text.Json;
using Assignum.Core.Tables;
using Npgsql;

namespace Assignum.Storage;

/// <summary>Which table holds which columns of a part, and how cells become values of the database and back.</summary>
/// <remarks>The SQL of all parts is made here once, from their columns; the names are the product's own, never a
/// user's.</remarks>
internal sealed class PartTable
{
    // An account's identity and records stand in one table, what the edition holds of it in another.
    private static readonly HashSet<string> AccountRecordColumns =
    [
        "number",
        "name",
        "parent",
        "short_code",
        "usual_side",
        "revalue",
        "report_codes",
        "note",
    ];

    private PartTable(Part part, string name, bool held, IEnumerable<int> columns)
    {
        Part = part;
        Name = name;
        Held = held;
        Positions = [.. columns];
        ColumnList = string.Join(", ", Positions.Select(p => Quote(part.Columns[p].Name)));
        // The same text as Part.KeyOf, so that rows are matched by one hashable expression.
        // One column of text is its own key, and its index serves.
        KeyExpression =
            part.Keys.Count == 1 && part.Columns[part.Keys[0]].Type is CellType.Text or CellType.Word
                ? Quote(part.Columns[part.Keys[0]].Name)
                : string.Join(
                    " || E'\\x1f' || ",
                    part.Keys.Select(k => $"coalesce({Quote(part.Columns[k].Name)}::text, '')")
                );
        OneByOne = name == "assignments" || KeyExpression.StartsWith('"') ? "offset 0" : "";
    }

    public Part Part { get; }
    public string Name { get; }

    /// <summary>Whether its rows carry the editions they are valid in.</summary>
    public bool Held { get; }

    /// <summary>Positions of the part's columns that this table has.</summary>
    public IReadOnlyList<int> Positions { get; }
    public string ColumnList { get; }
    public string KeyExpression { get; }

    /// <summary>Ends a lateral query that finds a row by its key: where an index has the keys, they are looked up there
    /// one by one, and a planner who knows nothing yet of a table just filled does not compare all with all.</summary>
    public string OneByOne { get; }

    /// <summary>The columns under an alias, to be compared as a row.</summary>
    public string Columns(string alias) =>
        string.Join(", ", Positions.Select(p => $"{alias}.{Quote(Part.Columns[p].Name)}"));

    /// <summary>The account's identity and records.</summary>
    public static readonly PartTable Accounts = new(
        Parts.Accounts,
        "accounts",
        false,
        Positioned(c => AccountRecordColumns.Contains(c.Name))
    );

    /// <summary>What an edition holds of an account.</summary>
    public static readonly PartTable AccountTerms = new(
        Parts.Accounts,
        "account_terms",
        true,
        Positioned(c => c.Key || !AccountRecordColumns.Contains(c.Name))
    );

    /// <summary>The tables of all parts but the entity and the accounts.</summary>
    public static readonly IReadOnlyList<PartTable> Plain =
    [
        .. Parts
            .All.Where(p => p != Parts.Entity && p != Parts.Accounts)
            .Select(p => new PartTable(
                p,
                p.Name.Replace('-', '_'),
                p.HeldBy == HeldBy.Edition,
                Enumerable.Range(0, p.Columns.Count)
            )),
    ];

    /// <summary>Every table whose rows an edition holds.</summary>
    public static readonly IReadOnlyList<PartTable> AllHeld = [.. Plain.Where(t => t.Held), AccountTerms];

    /// <summary>The condition under which a row is part of a view, by the parameters of <see cref="View"/>.</summary>
    public string Visible(string alias) =>
        !Held
            ? "true"
            : $"""
                (({alias}.since <= @number and ({alias}.until is null or {alias}.until > @number)
                  and not exists (select from draft_removal r where r.entity_id = {alias}.entity_id and r.edition_id =
                    @draft and r.part = '{Name}' and r.row_id = {alias}.row_id))
                 or {alias}.draft = @draft)
                """;

    /// <summary>Adds the parameters that <see cref="Visible"/> names.</summary>
    public static void View(NpgsqlParameterCollection parameters, int entity, EditionView view)
    {
        parameters.AddWithValue("entity", entity);
        parameters.AddWithValue("number", view.Number);
        parameters.AddWithValue("draft", view.Draft ?? -1);
    }

    /// <summary>The current row of a reader as cells of the part; <paramref name="first"/> is the reader's first
    /// column.</summary>
    public void ReadCells(NpgsqlDataReader reader, int first, string?[] cells)
    {
        for (var i = 0; i < Positions.Count; i++)
            if (!reader.IsDBNull(first + i))
                cells[Positions[i]] = Cell(reader, first + i, Part.Columns[Positions[i]].Type);
    }

    /// <summary>Writes this table's columns of a row after what its row began with.</summary>
    public void WriteCells(CopyRows rows, string?[] cells)
    {
        foreach (var position in Positions)
        {
            var cell = cells[position];
            if (cell is null)
            {
                rows.Null();
                continue;
            }
            _ = Part.Columns[position].Type switch
            {
                CellType.YesNo => rows.Bool(cell == "yes"),
                CellType.Number => rows.Num(decimal.Parse(cell, CultureInfo.InvariantCulture)),
                CellType.Whole => rows.Int(int.Parse(cell, CultureInfo.InvariantCulture)),
                CellType.Date => rows.Day(DateOnly.ParseExact(cell, "yyyy-MM-dd", CultureInfo.InvariantCulture)),
                _ => rows.Text(cell),
            };
        }
    }

    /// <summary>A row as a JSON object of its filled cells, for history and audit.</summary>
    public static string? Json(Part part, string?[]? cells) =>
        cells is null
            ? null
            : JsonSerializer.Serialize(
                part.Columns.Select((c, i) => (c.Name, Cell: cells[i]))
                    .Where(x => x.Cell is not null)
                    .ToDictionary(x => x.Name, x => x.Cell)
            );

    private static string Cell(NpgsqlDataReader reader, int ordinal, CellType type) =>
        type switch
        {
            CellType.YesNo => reader.GetBoolean(ordinal) ? "yes" : "no",
            CellType.Number => reader.GetDecimal(ordinal).ToString(CultureInfo.InvariantCulture),
            CellType.Whole => reader.GetInt32(ordinal).ToString(CultureInfo.InvariantCulture),
            CellType.Date => reader
                .GetFieldValue<DateOnly>(ordinal)
                .ToString("yyyy-MM-dd", CultureInfo.InvariantCulture),
            _ => reader.GetString(ordinal),
        };

    private static IEnumerable<int> Positioned(Func<Column, bool> which) =>
        Parts.Accounts.Columns.Select((c, i) => (c, i)).Where(x => which(x.c)).Select(x => x.i);

    private static string Quote(string name) => $"\"{name}\"";
}

/// <summary>Which edition is looked at: a published one, or a draft over the one it is based on.</summary>
/// <param name="Number">The published edition, or the draft's base; 0 is before the first.</param>
/// <param name="Draft">The draft's edition id, or null.</param>
public readonly record struct EditionView(int Number, int? Draft);
