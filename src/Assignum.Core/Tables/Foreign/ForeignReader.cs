using System.Globalization;
using Assignum.Core.Chart;
using Assignum.Core.SetUps;

namespace Assignum.Core.Tables.Foreign;

/// <summary>A word that a file has for types of account, and what it is taken to mean.</summary>
/// <param name="Sure">1: known or said by a person; less: proposed; 0: nothing is like it.</param>
public sealed record ForeignWord(string Word, int Count, string Example, TypeMeaning Meaning, double Sure);

/// <summary>A foreign chart read as rows of accounts.csv.</summary>
/// <param name="Sheet">What an import takes.</param>
/// <param name="Faults">What is wrong with rows, with their lines in the file.</param>
public sealed record ForeignReading(
    Sheet Sheet,
    IReadOnlyList<Fault> Faults,
    IReadOnlyList<string> Notes,
    IReadOnlyList<ForeignWord> Words
)
{
    /// <summary>The words of its tax columns with what they are taken to mean.</summary>
    public IReadOnlyList<ForeignTaxWord> TaxWords { get; init; } = [];

    /// <summary>The balances that the file gives, where a column is taken for them.</summary>
    public IReadOnlyList<OpeningAmount> Openings { get; init; } = [];
}

/// <summary>A word of a tax column and what it is taken to mean.</summary>
/// <param name="Field">A column of accounts.csv: tax_code or tax_admits.</param>
/// <param name="Meaning">Our code or word; empty: the cell is left empty.</param>
/// <param name="Sure">1: known or said by a person; less: proposed; 0: nothing is like it.</param>
public sealed record ForeignTaxWord(string Field, string Word, int Count, string Example, string Meaning, double Sure);

/// <summary>Reads somebody else's chart by its settings: values translated, headings inferred, classes found.</summary>
public static class ForeignReader
{
    private static readonly HashSet<string> Special =
    [
        ForeignFields.NumberAndName,
        ForeignFields.Path,
        ForeignFields.Level,
        ForeignFields.Tree,
        ForeignFields.Balance,
        ForeignFields.Debit,
        ForeignFields.Credit,
        "number",
        "name",
        "class",
        "kind",
        "parent",
    ];

    /// <summary>Reads it. Nothing is thrown for what a file holds.</summary>
    /// <param name="current">The chart it is brought into: accounts it has keep what the file does not say.</param>
    public static ForeignReading Read(ForeignSheet sheet, ForeignSettings settings, SetUp current)
    {
        var faults = new List<Fault>();
        var notes = new List<string>(sheet.Notes);
        var existing = current.Accounts.ToDictionary(a => a.Number, StringComparer.Ordinal);
        var columns = settings
            .Columns.Select((field, i) => (Field: field, Index: i))
            .Where(c => c.Field.Length > 0)
            .ToList();
        if (!columns.Any(c => c.Field is "number" or ForeignFields.NumberAndName))
            faults.Add(
                Fault(
                    settings.HeaderLine,
                    "number",
                    "missing-column",
                    "No column is taken for the account number: choose it above."
                )
            );
        if (!columns.Any(c => c.Field is "name" or ForeignFields.NumberAndName or ForeignFields.Tree))
            faults.Add(
                Fault(
                    settings.HeaderLine,
                    "name",
                    "missing-column",
                    "No column is taken for the name: choose it above."
                )
            );
        foreach (
            var twice in columns
                .Where(c => c.Field is not (ForeignFields.Tree or ForeignFields.Path))
                .GroupBy(c => c.Field)
                .Where(g => g.Count() > 1)
        )
            faults.Add(
                Fault(
                    settings.HeaderLine,
                    twice.Key,
                    "duplicate-column",
                    $"Columns {string.Join(" and ", twice.Select(c => ForeignProposal.Letters(c.Index + 1)))} are "
                        + $"both taken for {twice.Key.Replace('_', ' ')}: keep one."
                )
            );
        if (faults.Count > 0)
            return new ForeignReading(new Tables.Sheet(Parts.Accounts, new HashSet<int>(), []), faults, notes, []);

        var words = new WordBook(settings.Words);
        var tax = new TaxBook(settings.TaxWords, current);
        bool? comma = ForeignAmounts.Comma(
            columns
                .Where(c => c.Field is ForeignFields.Balance or ForeignFields.Debit or ForeignFields.Credit)
                .SelectMany(c =>
                    sheet
                        .Rows.Where(r => r.Line > settings.HeaderLine && !r[c.Index].Empty)
                        .Select(r => r[c.Index].Trimmed)
                )
        );
        var drafts = new List<Draft>();
        var header = sheet.Rows.FirstOrDefault(r => r.Line == settings.HeaderLine);
        var (repeated, totals) = (0, 0);
        foreach (var row in sheet.Rows)
        {
            if (row.Line <= settings.HeaderLine || row.Empty || settings.LeftOut.Contains(row.Line))
                continue;
            if (header is not null && columns.All(c => row[c.Index].Trimmed == header[c.Index].Trimmed))
            {
                repeated++;
                continue;
            }
            var draft = Take(row, columns, settings, header, words, tax, comma, faults, out var leftOut);
            if (leftOut)
                totals++;
            else if (draft is not null)
                drafts.Add(draft);
        }
        if (repeated > 0)
            notes.Add($"The header is repeated {repeated} times further down; those rows are left out.");
        if (totals > 0)
            notes.Add(totals == 1 ? "One row of totals is left out." : $"{totals} rows of totals are left out.");

        ForeignTree.Build(drafts, settings.Shape, columns.Any(c => c.Field == "class"));
        ForeignDrafts.Kinds(drafts, existing, faults);
        ForeignDrafts.Numbers(drafts, existing, faults, notes);
        ForeignDrafts.Classes(drafts, existing, current, faults, columns.Any(c => c.Field == "class"));
        ForeignDrafts.Places(drafts, existing, notes);
        var openings = drafts
            .Where(d => d is { Opening: not null and not 0, Number: not null, KindSaid: AccountKind.Posting })
            .Select(d => new OpeningAmount(d.Number!, d.Opening!.Value, d.Line))
            .ToList();
        if (openings.Sum(o => o.Amount) is var off && off != 0)
            notes.Add(
                string.Create(
                    CultureInfo.InvariantCulture,
                    $"The balances of the file do not balance: {(off > 0 ? "debits" : "credits")} are "
                        + $"{Math.Abs(off):0.00} more."
                )
            );
        return new ForeignReading(Rows(drafts, columns, settings.Shape, existing), faults, notes, words.All)
        {
            TaxWords = tax.All,
            Openings = openings,
        };
    }

    // What a row's balance columns say: debit less credit; null: nothing.
    private static decimal? Opening(
        ForeignRow row,
        List<(string Field, int Index)> columns,
        bool? comma,
        List<Fault> faults
    )
    {
        decimal? opening = null;
        foreach (var (field, index) in columns)
        {
            if (
                field is not (ForeignFields.Balance or ForeignFields.Debit or ForeignFields.Credit)
                || Text(row, index, "balance", faults) is not { } text
                || text is "-" or "–"
            )
                continue;
            if (ForeignAmounts.Of(text, row[index].Kind == ForeignCellKind.Number ? false : comma) is not { } amount)
            {
                faults.Add(
                    Fault(
                        row.Line,
                        field,
                        "bad-amount",
                        $"'{Cut(text)}' is no amount: correct it, or leave the column out."
                    )
                );
                continue;
            }
            opening = (opening ?? 0) + (field == ForeignFields.Credit ? -amount : amount);
        }
        return opening;
    }

    internal static Fault Fault(int line, string column, string code, string message) =>
        new(Parts.Accounts.Name, line, column, code, message);

    private static Draft? Take(
        ForeignRow row,
        List<(string Field, int Index)> columns,
        ForeignSettings settings,
        ForeignRow? header,
        WordBook words,
        TaxBook tax,
        bool? comma,
        List<Fault> faults,
        out bool leftOut
    )
    {
        leftOut = false;
        var before = faults.Count;
        string? Cell(string field)
        {
            foreach (var column in columns)
                if (column.Field == field)
                    return Text(row, column.Index, field, faults);
            return null;
        }
        var (number, name, depth) = (Cell("number"), Cell("name"), 0);
        if (
            columns.FirstOrDefault(c => c.Field == ForeignFields.NumberAndName) is { Field: not null } both
            && Text(row, both.Index, "number", faults) is { } joined
        )
        {
            var match = ForeignProposal.NumberThenName().Match(joined);
            (number, name) = match.Success
                ? (match.Groups["number"].Value, match.Groups["name"].Value)
                : (null, joined);
            depth = row.Indent(both.Index);
        }
        foreach (var (field, index) in columns)
            // A name of its own stays the name; the tree's column says how deep it stands.
            if (field == ForeignFields.Tree && Text(row, index, "name", faults) is { } here)
                (name, depth) = (Cell("name") ?? here, index);
            else if (settings.Shape == ForeignShape.Indents && field is "name" or "number" && row.Indent(index) > depth)
                depth = row.Indent(index);
        if (Cell(ForeignFields.Level) is { } level)
        {
            if (int.TryParse(level, NumberStyles.None, CultureInfo.InvariantCulture, out var steps))
                depth = steps;
            else if (settings.Shape == ForeignShape.Levels)
                faults.Add(Fault(row.Line, "parent", "bad-level", $"'{Cut(level)}' is no depth: use whole numbers."));
        }
        var (type, kind) = (Cell("class"), Cell("kind"));
        var meaning = type is null ? null : words.Of(type, name ?? number ?? "");
        var saidKind = kind is null ? null : KindOf(kind, header, columns);
        if (kind is not null && saidKind is null)
            faults.Add(Fault(row.Line, "kind", "unknown-word", $"'{Cut(kind)}' is neither posting nor heading."));
        if (
            meaning?.LeftOut == true
            || saidKind?.LeftOut == true
            || number is null && name is not null && ForeignProposal.IsTotal(name)
        )
        {
            leftOut = true;
            return null;
        }
        // A number that cannot be read was said to be so; the row is no title for that.
        if (number is null && faults.Skip(before).Any(f => f.Column == "number"))
            return null;
        if (number is null && name is null)
        {
            if (faults.Count == before && columns.Any(c => !row[c.Index].Empty))
                faults.Add(
                    Fault(
                        row.Line,
                        "number",
                        "missing-value",
                        "This row has neither a number nor a name: fill them in, or leave the row out."
                    )
                );
            return null;
        }
        var draft = new Draft
        {
            Line = row.Line,
            Number = number,
            Name = name ?? "",
            Depth = depth,
            TypeWord = type,
            Type = meaning,
            KindSaid = saidKind?.Kind ?? meaning?.Kind,
            ParentText = Cell("parent"),
            PathSteps =
            [
                .. columns
                    .Where(c => c.Field == ForeignFields.Path)
                    .Select(c => Text(row, c.Index, ForeignFields.Path, faults))
                    .OfType<string>()
                    .SelectMany(Steps),
            ],
            Opening = Opening(row, columns, comma, faults),
        };
        foreach (var (field, index) in columns)
            if (!Special.Contains(field))
                draft.Cells[field] = tax.Of(
                    field,
                    Translate(field, Text(row, index, field, faults), header?[index].Text),
                    name ?? number ?? "",
                    row.Line,
                    faults
                );
        return draft;
    }

    // A cell's text; what a spreadsheet made of a number that looks like a day cannot be turned back.
    private static string? Text(ForeignRow row, int index, string field, List<Fault> faults)
    {
        var cell = row[index];
        if (cell.Empty)
            return null;
        if (cell.Kind == ForeignCellKind.Error)
        {
            faults.Add(
                Fault(
                    row.Line,
                    field,
                    "cell-error",
                    $"The cell {ForeignProposal.Letters(index + 1)}{row.Line} holds an error of the spreadsheet: "
                        + "give it a value."
                )
            );
            return null;
        }
        if (cell.Kind == ForeignCellKind.Date && field is ("number" or "parent" or "short_code"))
        {
            faults.Add(
                Fault(
                    row.Line,
                    field,
                    "date-for-number",
                    $"The cell {ForeignProposal.Letters(index + 1)}{row.Line} holds the day {cell.Trimmed}: the "
                        + "spreadsheet took a number for a day. Format the column as text and type the number again."
                )
            );
            return null;
        }
        if (cell.Text.Contains('\0'))
        {
            faults.Add(
                Fault(
                    row.Line,
                    field,
                    "bad-character",
                    "This row holds a zero character: the file is damaged or no text."
                )
            );
            return null;
        }
        return cell.Trimmed;
    }

    private static (AccountKind? Kind, bool LeftOut)? KindOf(
        string word,
        ForeignRow? header,
        List<(string Field, int Index)> columns
    )
    {
        if (Yes(word) is { } yes)
        {
            var said = ForeignFields.Plain(header?[columns.First(c => c.Field == "kind").Index].Text ?? "");
            var headings =
                said.Contains("head", StringComparison.Ordinal)
                || said.Contains("group", StringComparison.Ordinal)
                || said.Contains("summary", StringComparison.Ordinal)
                || said.Contains("parent", StringComparison.Ordinal);
            return (yes == headings ? AccountKind.Heading : AccountKind.Posting, false);
        }
        return TypeWords.Of(word)?.Meaning is { } meaning && (meaning.Kind is not null || meaning.LeftOut)
            ? (meaning.Kind, meaning.LeftOut)
            : null;
    }

    private static bool? Yes(string word) =>
        ForeignFields.Plain(word) switch
        {
            "yes" or "y" or "true" or "1" or "x" or "ja" or "oui" or "si" => true,
            "no" or "n" or "false" or "0" or "nein" or "non" or "nee" => false,
            _ => null,
        };

    // What other columns hold, in our words where theirs are plain; what is not understood stays and is named as a
    // fault.
    private static string? Translate(string field, string? value, string? header)
    {
        if (value is null)
            return null;
        var plain = ForeignFields.Plain(value);
        switch (field)
        {
            case "status":
                if (Yes(value) is { } yes)
                {
                    var said = ForeignFields.Plain(header ?? "");
                    var off =
                        said.Contains("inactive", StringComparison.Ordinal)
                        || said.Contains("block", StringComparison.Ordinal)
                        || said.Contains("disabled", StringComparison.Ordinal)
                        || said.Contains("archiv", StringComparison.Ordinal)
                        || said.Contains("closed", StringComparison.Ordinal)
                        || said.Contains("gesperrt", StringComparison.Ordinal);
                    return yes == off ? "archived" : "active";
                }
                return plain switch
                {
                    "active" or "open" or "aktiv" or "enabled" => "active",
                    "archived" or "inactive" or "blocked" or "closed" or "disabled" or "obsolete" => "archived",
                    _ => value,
                };
            case "usual_side":
                return plain switch
                {
                    "debit" or "d" or "dr" or "soll" => "debit",
                    "credit" or "c" or "cr" or "haben" or "k" => "credit",
                    "either" or "both" => "either",
                    _ => value,
                };
            case "currency":
                return value.ToUpperInvariant();
            case "control":
                return Core.Words.All<Control>().Contains(value) ? value
                    : TypeWords.Of(value)?.Meaning.Control is { } control and not Control.None ? Core.Words.Of(control)
                    : value;
            case "tripwire" or "capital" or "revalue":
                return Yes(value) is { } truth
                    ? truth
                        ? "yes"
                        : "no"
                    : value;
            default:
                return value;
        }
    }

    private static string[] Steps(string path) =>
        ForeignProposal.Separator(path) is { } separator
            ? path.Split(separator.Trim(), StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries)
            : [path];

    private static Tables.Sheet Rows(
        List<Draft> drafts,
        List<(string Field, int Index)> columns,
        ForeignShape shape,
        Dictionary<string, Account> existing
    )
    {
        var part = Parts.Accounts;
        var position = part
            .Columns.Select((c, i) => (c.Name, i))
            .ToDictionary(x => x.Name, x => x.i, StringComparer.Ordinal);
        // What the file does not say stays as it is on accounts that are there already.
        var given = columns
            .Select(c => c.Field)
            .Where(position.ContainsKey)
            .Append("number")
            .Append("name")
            .ToHashSet(StringComparer.Ordinal);
        if (shape != ForeignShape.Flat)
            given.UnionWith(["parent", "kind"]);
        var rows = new List<(int, string?[])>();
        foreach (var draft in drafts.OrderBy(d => d.Line))
        {
            if (draft.Number is null || draft.Class is null && !existing.ContainsKey(draft.Number))
                continue;
            var cells = new string?[part.Columns.Count];
            foreach (var (field, value) in draft.Cells)
                cells[position[field]] = value;
            cells[position["number"]] = draft.Number;
            cells[position["name"]] = draft.Name.Length == 0 ? null : draft.Name;
            cells[position["class"]] = draft.Class is { } c ? Words.Of(c) : Words.Of(existing[draft.Number].Class);
            cells[position["kind"]] = Words.Of(draft.KindSaid ?? AccountKind.Posting);
            cells[position["parent"]] = draft.Parent?.Number ?? draft.ParentNumber;
            if (
                draft.KindSaid == AccountKind.Posting
                && draft.Type is { Control: not Control.None } owned
                && cells[position["control"]] is null
            )
                cells[position["control"]] = Words.Of(owned.Control);
            rows.Add((draft.Line, cells));
        }
        return new Tables.Sheet(part, given.Select(n => position[n]).ToHashSet(), rows);
    }

    internal static string Cut(string text) => text.Length > 60 ? text[..60] + "…" : text;
}
