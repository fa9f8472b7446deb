using System.Globalization;
using System.Text.RegularExpressions;
using Assignum.Core.Money;
using Assignum.Core.SetUps;

namespace Assignum.Core.Tables.Foreign;

/// <summary>Proposes how somebody else's file is to be read, by what its headers say and by what its columns
/// hold.</summary>
public static partial class ForeignProposal
{
    // A header stands near the top; content is judged by so many rows.
    private const int HeaderWithin = 60,
        Judged = 2000;

    [GeneratedRegex(@"^\p{L}{0,4}[-. ]?\d[\d./-]*[\p{L}\d]{0,4}([ .\-/]\d+)*$")]
    private static partial Regex LooksLikeNumber();

    /// <summary>A number, then a name: <c>1010 Bank</c>, <c>1010 - Bank</c>.</summary>
    [GeneratedRegex(@"^\s*(?<number>[\p{L}]{0,3}\d[\d.\-/]*)\s*[-–—:·]?\s+(?<name>\S.*)$")]
    internal static partial Regex NumberThenName();

    /// <summary>The sheet most like a chart of accounts, its header, its columns and its shape.</summary>
    public static ForeignSettings Of(IReadOnlyList<ForeignSheet> sheets, SetUp current)
    {
        var best = sheets
            .Select((sheet, i) => (sheet, i))
            .OrderByDescending(x => Likeness(x.sheet, current))
            .ThenBy(x => x.i)
            .Select(x => x.sheet)
            .FirstOrDefault()
            ?? new ForeignSheet("", [], []);
        return Of(best, FindHeader(best), current);
    }

    /// <summary>The columns and the shape of a sheet whose header is known.</summary>
    public static ForeignSettings Of(ForeignSheet sheet, int headerLine, SetUp current)
    {
        var columns = Columns(sheet, headerLine, current).Select(c => c.Field).ToList();
        return new ForeignSettings(
            sheet.Name,
            headerLine,
            columns,
            new Dictionary<string, TypeMeaning>(),
            ShapeOf(sheet, headerLine, columns),
            new HashSet<int>()
        );
    }

    /// <summary>The line of the header: the row near the top whose cells say most columns; 0 where none does.</summary>
    public static int FindHeader(ForeignSheet sheet)
    {
        var (line, most) = (0, 0.0);
        foreach (var row in sheet.Rows.Take(HeaderWithin))
        {
            var said = row
                .Cells.Where(c => c.Kind == ForeignCellKind.Text && !c.Empty && c.Trimmed.Length <= 60)
                .Select(c => ForeignFields.Surest(c.Trimmed))
                .Where(x => x.Says >= 0.5)
                .ToList();
            var sum =
                said.GroupBy(s => s.Field).Sum(g => g.Max(x => x.Says))
                + 0.2 * (said.Count - said.Select(s => s.Field).Distinct().Count());
            if (said.Count >= 2 && sum > most + 0.3)
                (line, most) = (row.Line, sum);
        }
        return line;
    }

    /// <summary>What each column is probably for. A field is proposed once; what nothing speaks for is left
    /// out.</summary>
    public static IReadOnlyList<ForeignColumn> Columns(ForeignSheet sheet, int headerLine, SetUp current)
    {
        var header = sheet.Rows.FirstOrDefault(r => r.Line == headerLine);
        var rows = sheet.Rows.Where(r => r.Line > headerLine && !r.Empty).Take(Judged).ToList();
        var columns = Enumerable
            .Range(0, sheet.Width)
            .Select(i => new ForeignColumn(i, Letters(i + 1), header?[i].Trimmed ?? "", "", ""))
            .ToList();
        var contents = columns.Select(c => new Content(rows, c.Index)).ToList();
        var numbers = contents
            .Where(c => c.Numbers > 0.7)
            .MaxBy(c => c.Numbers * c.Distinct)
            ?.Values.ToHashSet(StringComparer.Ordinal)
            ?? [];
        var tree = TreeColumns(rows, contents, columns);
        var scores = new List<(int Column, string Field, double Score, string Why)>();
        foreach (var column in columns)
        foreach (var field in ForeignFields.All)
        {
            var (says, holds) = (
                ForeignFields.Says(column.Header, field),
                contents[column.Index].Filled == 0 ? 0 : Holds(contents[column.Index], field, numbers, current)
            );
            if (field == ForeignFields.NumberAndName && holds > 0.6)
                says = Math.Max(ForeignFields.Says(column.Header, "number"), ForeignFields.Says(column.Header, "name"));
            if (
                holds < 0 && (says < 0.9 || field is "number" or "name" or ForeignFields.NumberAndName)
                || says < 0.5 && holds < 0.45
                || contents[column.Index].Filled == 0 && says < 1
            )
                continue;
            scores.Add(
                (
                    column.Index,
                    field,
                    says + 0.7 * Math.Max(0, holds),
                    says >= 0.5 ? $"its header says {field.Replace('_', ' ').Replace('-', ' ')}" : "by what it holds"
                )
            );
        }
        foreach (var index in tree)
            columns[index] = columns[index] with
            {
                Field = ForeignFields.Tree,
                Why = "one of its columns is filled in each row",
            };
        var taken = new HashSet<string>(StringComparer.Ordinal);
        // Names of their own stay the names; without them the tree's columns hold the names too.
        if (tree.Count > 0)
            taken.UnionWith([ForeignFields.Path, ForeignFields.Level]);
        if (
            tree.Count > 0
            && !scores.Any(s =>
                s.Field == "name"
                && columns[s.Column].Field.Length == 0
                && ForeignFields.Says(columns[s.Column].Header, "name") >= 0.5
            )
        )
            taken.Add("name");
        foreach (var (index, field, _, why) in scores.OrderByDescending(s => s.Score).ThenBy(s => s.Column))
        {
            if (columns[index].Field.Length > 0 || taken.Contains(field))
                continue;
            if (
                field == ForeignFields.NumberAndName
                    && (taken.Contains("number") && taken.Contains("name") || tree.Count > 0)
                || field is "number" or "name" && taken.Contains(ForeignFields.NumberAndName)
            )
                continue;
            taken.Add(field);
            columns[index] = columns[index] with { Field = field, Why = why };
        }
        Headings(rows, contents, columns);
        return columns;
    }

    // What is left and holds a word for many rows each, all of whose rows are of one class (or the other way round),
    // are headings.
    private static void Headings(List<ForeignRow> rows, List<Content> contents, List<ForeignColumn> columns)
    {
        if (columns.Any(c => c.Field is "parent" or ForeignFields.Level or ForeignFields.Tree))
            return;
        var name = columns.FirstOrDefault(c => c.Field is "name" or ForeignFields.NumberAndName);
        var class_ = columns.FirstOrDefault(c => c.Field == "class");
        if (name is null || class_ is null)
            return;
        foreach (var column in columns.Where(c => c.Field.Length == 0).ToList())
        {
            var content = contents[column.Index];
            var says = Math.Max(
                ForeignFields.Says(column.Header, "class"),
                Math.Max(
                    ForeignFields.Says(column.Header, "parent"),
                    ForeignFields.Says(column.Header, ForeignFields.Path)
                )
            );
            if (
                content.Filled < 0.5
                || content.Letters < 0.8
                || content.Distinct > (says >= 0.9 ? 0.8 : 0.5)
                || content.Values.Distinct(StringComparer.Ordinal).Count() < 2
            )
                continue;
            var pairs = rows.Where(r => !r[column.Index].Empty && !r[class_.Index].Empty)
                .Select(r =>
                    (
                        Own: r[column.Index].Trimmed,
                        Class: TypeWords.Of(r[class_.Index].Trimmed)?.Meaning.Class is { } known
                            ? Words.Of(known)
                            : r[class_.Index].Trimmed
                    )
                )
                .ToList();
            bool Within(Func<(string Own, string Class), string> of, Func<(string Own, string Class), string> one) =>
                pairs.GroupBy(of).Count(g => g.Select(one).Distinct().Count() == 1) is var alone
                && alone >= 0.9 * pairs.Select(of).Distinct().Count();
            if (pairs.Count == 0 || says < 0.5 && column.Header.Length > 0 || !Within(p => p.Own, p => p.Class))
                continue;
            columns[column.Index] = column with
            {
                Field = ForeignFields.Path,
                Why = "its words repeat, each within one class: headings",
            };
        }
    }

    /// <summary>How the headings above an account are found, by the columns there are and how the rows stand.</summary>
    public static ForeignShape ShapeOf(ForeignSheet sheet, int headerLine, IReadOnlyList<string> fields)
    {
        if (fields.Contains("parent"))
            return ForeignShape.Parents;
        if (fields.Contains(ForeignFields.Path))
            return ForeignShape.Path;
        if (fields.Contains(ForeignFields.Tree))
            return ForeignShape.Columns;
        if (fields.Contains(ForeignFields.Level))
            return ForeignShape.Levels;
        var rows = sheet.Rows.Where(r => r.Line > headerLine && !r.Empty).Take(Judged).ToList();
        int At(string field) => fields.ToList().IndexOf(field);
        var (number, name) = (At("number"), At("name") < 0 ? At(ForeignFields.NumberAndName) : At("name"));
        foreach (var column in new[] { name, number })
            if (
                column >= 0
                && rows.Where(r => !r[column].Empty).Select(r => r.Indent(column)).ToList() is var indents
                && indents.Distinct().Count() > 1
                && indents.Count(i => i > indents.Min()) > rows.Count / 20
            )
                return ForeignShape.Indents;
        if (
            name >= 0
            && number >= 0
            && rows.Count(r => r[number].Empty && !r[name].Empty && !IsTotal(r[name].Trimmed)) is >= 2 and var titles
            && titles < rows.Count / 2
        )
            return ForeignShape.Titles;
        if (number < 0)
            return ForeignShape.Flat;
        var held = rows.Select(r => r[number].Trimmed).Where(t => t.Length > 0).ToHashSet(StringComparer.Ordinal);
        var shorter = held.Count(n => Enumerable.Range(1, Math.Max(0, n.Length - 1)).Any(k => held.Contains(n[..k])));
        return
            shorter > held.Count / 3
            || At("kind") >= 0
            || At("class") is >= 0 and var type
                && rows.Count(r => r[type].Empty && !r[number].Empty) is > 0 and var blank
                && blank < rows.Count / 2
            ? ForeignShape.Numbers
            : ForeignShape.Flat;
    }

    /// <summary>A column's letters: 1 is A, 27 is AA.</summary>
    public static string Letters(int column) =>
        column <= 26
            ? ((char)('A' + column - 1)).ToString()
            : Letters((column - 1) / 26) + Letters((column - 1) % 26 + 1);

    internal static bool IsTotal(string name) =>
        ForeignFields.Plain(name) is var plain
        && (
            plain.StartsWith("total ", StringComparison.Ordinal)
            || plain.EndsWith(" total", StringComparison.Ordinal)
            || plain is "total" or "summe" or "sum"
        );

    private static double Likeness(ForeignSheet sheet, SetUp current)
    {
        if (sheet.Rows.Count == 0)
            return -1;
        var fields = Columns(sheet, FindHeader(sheet), current).Select(c => c.Field).ToHashSet();
        var both =
            fields.Contains("number") && fields.Contains("name")
            || fields.Contains(ForeignFields.NumberAndName)
            || fields.Contains("number") && fields.Contains(ForeignFields.Tree);
        return (both ? 2 : 0)
            + (fields.Contains("class") ? 1 : 0)
            + (sheet.Name == Parts.Accounts.Name ? 3 : 0)
            + Math.Min(0.9, sheet.Rows.Count / 10_000.0);
    }

    // What a column holds, in numbers between 0 and 1.
    private sealed class Content
    {
        public Content(List<ForeignRow> rows, int column)
        {
            Cells = [.. rows.Select(r => r[column]).Where(c => !c.Empty)];
            Values = [.. Cells.Select(c => c.Trimmed)];
            Filled = rows.Count == 0 ? 0 : (double)Values.Count / rows.Count;
            if (Values.Count == 0)
                return;
            Distinct = (double)Values.Distinct(StringComparer.Ordinal).Count() / Values.Count;
            Numbers = Share(v => v.Length <= 24 && LooksLikeNumber().IsMatch(v));
            Letters = Share(v => v.Any(char.IsLetter));
            Length = Values.Average(v => v.Length);
        }

        public IReadOnlyList<ForeignCell> Cells { get; }
        public IReadOnlyList<string> Values { get; }
        public double Filled { get; }
        public double Distinct { get; }
        public double Numbers { get; }
        public double Letters { get; }
        public double Length { get; }

        public double Share(Func<string, bool> of) => Values.Count == 0 ? 0 : (double)Values.Count(of) / Values.Count;
    }

    // How well a column's content suits a field; negative: it cannot be that.
    private static double Holds(Content c, string field, HashSet<string> numbers, SetUp current)
    {
        switch (field)
        {
            case "number":
                return c.Numbers < 0.5 ? -1
                    : c.Share(v => v.Length > 12) > 0.3 ? 0
                    : c.Numbers * c.Distinct * (c.Filled > 0.3 ? 0.9 : 0.4);
            case "name":
                return c.Letters < 0.5 || c.Numbers > 0.8
                    ? -1
                    : c.Letters * c.Distinct * Math.Min(1, c.Length / 10) * (c.Filled > 0.5 ? 0.8 : 0.3);
            case ForeignFields.NumberAndName:
                return c.Share(v => NumberThenName().IsMatch(v)) is var both && both < 0.6
                    ? -1
                    : both * c.Distinct * (c.Letters > 0.9 ? 1 : 0.3);
            case "class":
                if (c.Distinct * c.Values.Count > Math.Max(40, c.Values.Count / 3.0))
                    return -1;
                var known = c
                    .Values.Distinct(StringComparer.Ordinal)
                    .ToDictionary(v => v, v => TypeWords.Of(v), StringComparer.Ordinal);
                return
                    c.Share(v => known[v] is { Meaning.Class: not null, Sure: >= 0.7 }) is var classes
                    && c.Letters > 0.5
                    && classes > 0.4
                    ? classes
                    : 0;
            case "kind":
                if (c.Values.Distinct(StringComparer.Ordinal).Count() > 8)
                    return -1;
                return c.Share(v => v.Length > 1 && TypeWords.Of(v) is { Meaning.Kind: not null, Sure: 1 }) > 0.8
                    ? 0.7
                    : 0;
            case "parent":
                return numbers.Count > 0 && c.Share(numbers.Contains) > 0.9 && c.Distinct < 0.6 ? 0.8 : 0;
            case ForeignFields.Path:
                return c.Share(v => Separator(v) is not null) is var steps && steps > 0.5 && c.Letters > 0.5
                    ? steps
                    : -1;
            case ForeignFields.Level:
                return
                    c.Share(v =>
                        v.Length <= 2 && int.TryParse(v, NumberStyles.None, CultureInfo.InvariantCulture, out _)
                    ) > 0.95
                    ? 0.2
                    : -1;
            case ForeignFields.Balance or ForeignFields.Debit or ForeignFields.Credit:
                return c.Share(v => ForeignAmounts.Of(v) is not null) < 0.9 ? -1
                    : c.Share(v =>
                        v.Contains('.', StringComparison.Ordinal) || v.Contains(',', StringComparison.Ordinal)
                    ) > 0.3
                        ? 0.3
                    : 0;
            case "currency":
                return c.Share(v => v.Length == 3 && Currencies.Exists(v.ToUpperInvariant())) > 0.95 ? 0.8 : -1;
            case "tax_code":
                return current.TaxCodes.Count > 0 && c.Share(v => current.TaxCodes.Any(t => t.Code == v)) > 0.95
                    ? 0.8
                    : 0;
            default:
                return 0;
        }
    }

    /// <summary>What parts the steps of a path, or null where it is none.</summary>
    internal static string? Separator(string text) =>
        new[] { " > ", ">", " / ", " \\ ", "\\", "|", "»", "→", " : ", ":", "/" }.FirstOrDefault(s =>
            text.Contains(s, StringComparison.Ordinal)
        );

    // A tree spread over columns: neighbours of which each row fills at most one, and each is filled somewhere.
    private static List<int> TreeColumns(List<ForeignRow> rows, List<Content> contents, List<ForeignColumn> columns)
    {
        var best = new List<int>();
        for (var first = 0; first < contents.Count; first++)
        for (var last = first + 1; last < contents.Count && last < first + 10; last++)
        {
            var span = Enumerable.Range(first, last - first + 1).ToList();
            if (
                span.Any(i =>
                    ForeignFields.All.Any(f =>
                        f is not ("name" or ForeignFields.Level or ForeignFields.Path)
                        && ForeignFields.Says(columns[i].Header, f) > 0.9
                    )
                    || contents[i].Filled is 0 or > 0.9
                    || contents[i].Letters < 0.9
                    || contents[i].Distinct < 0.6
                )
            )
                break;
            if (rows.Count(r => span.Count(i => !r[i].Empty) == 1) > rows.Count * 0.9 && span.Count > best.Count)
                best = span;
        }
        return best;
    }
}
