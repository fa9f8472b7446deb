using System.Globalization;
using System.Text.RegularExpressions;

namespace Assignum.Core.Money;

/// <summary>Numbers as people write them into a field: <c>1,234.50</c>, <c>1 234.50</c>, <c>1234,5</c>,
/// <c>1.234,50</c>.</summary>
/// <remarks>What could be two numbers is none: <c>1,234</c> is asked about. A single point always parts decimals, as the
/// product itself writes them. Files have rules of their own: see Tables/Foreign.</remarks>
public static partial class WrittenNumber
{
    /// <summary>What is said of a text that is no number.</summary>
    internal const string Plainly = "is no number: write digits with a point, such as 1234.50";

    /// <summary>The number; null where the text is none, or could be two.</summary>
    /// <param name="why">What to write instead, as the end of a sentence; empty where it is a number.</param>
    public static decimal? Of(string text, out string why)
    {
        var plain = Gaps().Replace(text.Trim().Replace('\u2212', '-'), "");
        why = Plainly;
        if (plain.Length is 0 or > 28 || !Shape().IsMatch(plain))
            return null;
        var (comma, point) = (plain.LastIndexOf(','), plain.LastIndexOf('.'));
        var parts = Math.Max(comma, point) switch
        {
            < 0 => -1,
            var last when comma >= 0 && point >= 0 => last,
            var last when plain.IndexOf(plain[last]) != last => -1,
            var last => last,
        };
        var whole = parts < 0 ? plain : plain[..parts];
        var rest = parts < 0 ? "" : plain[(parts + 1)..];
        if (whole.AsSpan().IndexOfAny(',', '.') >= 0 && !Grouped().IsMatch(whole))
            return null;
        if (parts >= 0 && plain[parts] == ',' && point < 0 && rest.Length == 3 && Grouped().IsMatch(plain))
        {
            why = $"can be {plain.Replace(",", "")} or {plain.Replace(',', '.')}: write one of the two";
            return null;
        }
        var digits = whole.Replace(",", "").Replace(".", "") + (rest.Length > 0 ? "." + rest : "");
        if (
            !decimal.TryParse(
                digits,
                NumberStyles.AllowLeadingSign | NumberStyles.AllowDecimalPoint,
                CultureInfo.InvariantCulture,
                out var number
            )
        )
            return null;
        why = "";
        return number;
    }

    // A gap between digits in threes: a space of any width, or an apostrophe.
    [GeneratedRegex(@"(?<=\d)[ \u00a0\u2009\u202f'\u2019](?=\d{3}(\D|$))")]
    private static partial Regex Gaps();

    [GeneratedRegex(@"^[+-]?[0-9]*([.,][0-9]+)*$")]
    private static partial Regex Shape();

    [GeneratedRegex(@"^[+-]?[1-9][0-9]{0,2}([.,])[0-9]{3}(\1[0-9]{3})*$")]
    private static partial Regex Grouped();
}
