using System.Globalization;

namespace Assignum.Web.Drawing;

/// <summary>Bars by group and series; the same figures stand in a table on the page.</summary>
/// <param name="Values">By group, then series.</param>
public sealed record Bars(
    string Title,
    IReadOnlyList<string> Groups,
    IReadOnlyList<string> Series,
    IReadOnlyList<IReadOnlyList<decimal>> Values,
    decimal Width = 640
)
{
    /// <summary>The largest and the smallest that is drawn; nothing is always among them.</summary>
    public (decimal Top, decimal Bottom) Range =>
        (Values.SelectMany(v => v).Append(0).Max(), Values.SelectMany(v => v).Append(0).Min());

    /// <summary>The bars in words.</summary>
    public string Said =>
        $"{Title}: "
        + string.Join(
            "; ",
            Groups.Select((g, i) => $"{g} {string.Join(", ", Series.Select((s, j) => $"{s} {Short(Values[i][j])}"))}")
        );

    /// <summary>An amount without its cents, digits in threes as on the page.</summary>
    public string Short(decimal value) =>
        (value < 0 ? "−" : "")
        + Math.Abs(decimal.Round(value))
            .ToString("#,##0", CultureInfo.InvariantCulture)
            .Replace(',', Pages.Show.ThinGap);
}
