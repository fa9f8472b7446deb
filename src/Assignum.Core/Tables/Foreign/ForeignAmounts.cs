using System.Globalization;

namespace Assignum.Core.Tables.Foreign;

/// <summary>A balance that a file gives of an account.</summary>
/// <param name="Amount">Debit less credit.</param>
/// <param name="Line">Its line in the file.</param>
public sealed record OpeningAmount(string Account, decimal Amount, int Line);

/// <summary>Reads amounts as people and programs write them.</summary>
public static class ForeignAmounts
{
    /// <summary>
    /// An amount: <c>1,234.50</c>, <c>1.234,50</c>, <c>1 234.5</c>, <c>(12.00)</c>, <c>12.00-</c>, <c>12.00 Cr</c>;
    /// null where it is none. The last of
    /// two different separators parts the decimals; one alone does where other than three digits follow it, or where
    /// the column says so.
    /// </summary>
    /// <param name="comma">Whether the column's decimals are parted by a comma; null: nothing says.</param>
    public static decimal? Of(string text, bool? comma = null)
    {
        var plain = text.Trim()
            .Replace("\u00a0", "", StringComparison.Ordinal)
            .Replace("\u202f", "", StringComparison.Ordinal)
            .Replace("'", "", StringComparison.Ordinal)
            .Replace('\u2212', '-');
        var negative = false;
        if (plain.StartsWith('(') && plain.EndsWith(')'))
            (negative, plain) = (true, plain[1..^1].Trim());
        foreach (
            var (end, sign) in new[]
            {
                ("cr", true),
                ("credit", true),
                ("c", true),
                ("h", true),
                ("dr", false),
                ("debit", false),
                ("d", false),
                ("s", false),
            }
        )
            if (
                plain.Length > end.Length
                && plain.EndsWith(end, StringComparison.OrdinalIgnoreCase)
                && !char.IsLetter(plain[^(end.Length + 1)])
            )
            {
                (negative, plain) = (negative ^ sign, plain[..^end.Length].Trim());
                break;
            }
        if (plain.EndsWith('-'))
            (negative, plain) = (!negative, plain[..^1].Trim());
        plain = new string([
            .. plain.Where(c => !char.IsWhiteSpace(c) && char.GetUnicodeCategory(c) != UnicodeCategory.CurrencySymbol),
        ]);
        var (point, coma) = (plain.LastIndexOf('.'), plain.LastIndexOf(','));
        var decimals = point >= 0 && coma >= 0 ? Math.Max(point, coma) : Alone(plain, Math.Max(point, coma), comma);
        var digits = string.Concat(
            plain.Select(
                (c, i) =>
                    c is '.' or ','
                        ? i == decimals
                            ? "."
                            : ""
                        : c.ToString()
            )
        );
        if (
            digits.Length is 0 or > 28
            || !decimal.TryParse(
                digits,
                NumberStyles.AllowLeadingSign | NumberStyles.AllowDecimalPoint,
                CultureInfo.InvariantCulture,
                out var amount
            )
        )
            return null;
        return negative ? -amount : amount;
    }

    /// <summary>Whether a column's values part decimals by a comma, where any of them says so; null: none
    /// does.</summary>
    public static bool? Comma(IEnumerable<string> values)
    {
        foreach (var value in values)
        {
            var (point, comma) = (value.LastIndexOf('.'), value.LastIndexOf(','));
            if (point >= 0 && comma >= 0)
                return comma > point;
            var at = Math.Max(point, comma);
            if (at >= 0 && value.IndexOf(value[at]) == at && value[(at + 1)..].TakeWhile(char.IsDigit).Count() != 3)
                return value[at] == ',';
        }
        return null;
    }

    // Where the only separator parts decimals; -1: it parts thousands.
    private static int Alone(string text, int at, bool? comma)
    {
        if (at < 0)
            return -1;
        if (text.IndexOf(text[at]) != at)
            return -1;
        if (comma is { } said)
            return (text[at] == ',') == said ? at : -1;
        return text[(at + 1)..].TakeWhile(char.IsDigit).Count() == 3 ? -1 : at;
    }
}
