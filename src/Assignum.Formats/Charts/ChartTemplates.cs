using System.Globalization;
using Assignum.Core.Tables;
using CsvHelper;

namespace Assignum.Formats.Charts;

/// <summary>A chart that an empty entity can begin with.</summary>
/// <param name="Code">The word it is asked for by.</param>
/// <param name="Accounts">How many accounts it has, headings among them.</param>
public sealed record ChartTemplate(string Code, string Title, string Says, int Accounts);

/// <summary>Three charts of our own with number bands and a default for every purpose they need; shipped as
/// CSV.</summary>
public static class ChartTemplates
{
    private static readonly (string Code, string Title, string Says)[] Known =
    [
        ("trading", "Trading", "Goods are bought, held and sold; card takings, gift cards."),
        ("making", "Making", "Materials become products: production in progress, own work, differences."),
        ("services", "Services", "Work and projects are sold: progress, billings, bought-in services."),
    ];

    private static readonly Part[] Held = [Parts.NumberBands, Parts.Accounts, Parts.Assignments];

    /// <summary>The templates.</summary>
    public static IReadOnlyList<ChartTemplate> All { get; } =
    [.. Known.Select(k => new ChartTemplate(k.Code, k.Title, k.Says, Rows(Parts.Accounts, k.Code).Rows.Count))];

    /// <summary>The rows of a template for an import, or null where there is none of that code.</summary>
    public static IReadOnlyList<Sheet>? Find(string code) =>
        Known.Any(k => k.Code == code) ? [.. Held.Select(p => Rows(p, code))] : null;

    private static Sheet Rows(Part part, string code)
    {
        using var stream = typeof(ChartTemplates).Assembly.GetManifestResourceStream($"template-{part.Name}.csv")!;
        using var csv = new CsvReader(new StreamReader(stream), CultureInfo.InvariantCulture);
        csv.Read();
        csv.ReadHeader();
        var columns = part
            .Columns.Select((c, i) => (Position: i, At: Array.IndexOf(csv.HeaderRecord!, c.Name)))
            .Where(c => c.At >= 0)
            .ToList();
        var rows = new List<(int, string?[])>();
        while (csv.Read())
        {
            if (!csv.GetField(0)!.Contains(code[0], StringComparison.Ordinal))
                continue;
            var cells = new string?[part.Columns.Count];
            foreach (var (position, at) in columns)
                cells[position] = csv.GetField(at) is { Length: > 0 } text ? text : null;
            rows.Add((csv.Parser.RawRow, cells));
        }
        return new Sheet(part, columns.Select(c => c.Position).ToHashSet(), rows);
    }
}
