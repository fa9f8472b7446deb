using System.Globalization;
using Assignum.Core.Money;

namespace Assignum.Web.Pages;

/// <summary>How numbers and days are written on pages.</summary>
internal static class Show
{
    private const char ThinGap = '\u00A0';

    /// <summary>An amount with its currency's decimals, digits in threes, a true minus sign.</summary>
    public static string Amount(decimal amount, string currency)
    {
        var decimals = Currencies.Decimals(currency) ?? 2;
        var text = Math.Abs(amount).ToString("N" + decimals, CultureInfo.InvariantCulture).Replace(',', ThinGap);
        return amount < 0 ? "\u2212" + text : text;
    }

    /// <summary>An amount, or nothing for zero: the empty side of a line.</summary>
    public static string Side(decimal amount, string currency) => amount == 0 ? "" : Amount(amount, currency);

    /// <summary>A count, or nothing for none.</summary>
    public static string Count(int count) =>
        count == 0 ? "" : count.ToString("N0", CultureInfo.InvariantCulture).Replace(',', ThinGap);

    /// <summary>A rate of tax as a percentage.</summary>
    public static string Percent(decimal rate) => (rate * 100).ToString("0.###", CultureInfo.InvariantCulture) + " %";

    /// <summary>A number as it is, without trailing zeros.</summary>
    public static string Plain(decimal? number) =>
        number?.ToString("0.############", CultureInfo.InvariantCulture) ?? "";

    /// <summary>A day as people read it: 14 Mar 2026.</summary>
    public static string Day(DateOnly? day) => day?.ToString("d MMM yyyy", CultureInfo.InvariantCulture) ?? "";

    /// <summary>An instant in UTC.</summary>
    public static string Instant(DateTime? at) =>
        at?.ToString("d MMM yyyy HH:mm 'UTC'", CultureInfo.InvariantCulture) ?? "";

    /// <summary>A word of the product with spaces: <c>sales-revenue</c> as "sales revenue".</summary>
    public static string Words(string? word) =>
        word is null ? "" : word.Replace("+", " + ", StringComparison.Ordinal).Replace('-', ' ');
}
