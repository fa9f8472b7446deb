using System.Globalization;
using Assignum.Core.Calendar;
using Assignum.Core.Entries;
using Assignum.Core.Landing;
using Assignum.Core.Money;
using Assignum.Core.SetUps;

namespace Assignum.Web.Pages;

/// <summary>How numbers and days are written on pages.</summary>
internal static class Show
{
    internal const char ThinGap = '\u00A0';

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

    /// <inheritdoc cref="Count(int)"/>
    public static string Count(Int128 count) =>
        count == 0 ? "" : count.ToString("N0", CultureInfo.InvariantCulture).Replace(',', ThinGap);

    /// <summary>So many of something: <c>1 change</c>, <c>2 changes</c>.</summary>
    public static string Some(int count, string one) =>
        $"{(count == 0 ? "0" : Count(count))} {one}{(count == 1 ? "" : "s")}";

    /// <summary>A rate of tax as a percentage.</summary>
    public static string Percent(decimal rate) => (rate * 100).ToString("0.###", CultureInfo.InvariantCulture) + " %";

    /// <summary>A number as it is, without trailing zeros.</summary>
    public static string Plain(decimal? number) =>
        number?.ToString("0.############", CultureInfo.InvariantCulture) ?? "";

    /// <summary>A day in the form of whoever reads: 14 Mar 2026 as shipped.</summary>
    public static string Day(DateOnly? day) => WrittenDay.Say(day);

    /// <summary>An instant in UTC.</summary>
    public static string Instant(DateTime? at) => at is { } of ? WrittenDay.Say(of) : "";

    /// <summary>A purpose by its title; what is none, such as "by hand", as it is.</summary>
    public static string Purpose(string? name) => name is null ? "" : Purposes.Find(name)?.Title ?? name;

    /// <summary>A kind of event by its title.</summary>
    public static string Kind(string? name) => name is null ? "" : EventKinds.Find(name)?.Title ?? name;

    /// <summary>A policy by its title, or one of its values.</summary>
    public static string Policy(string policy, string? value = null) =>
        PolicyWords.Find(policy) is not { } words ? Words(value ?? policy)
        : value is null ? words.Title
        : words.ValueTitle(value);

    /// <summary>What leaves a purpose idle: a policy and its value, or a plain sentence.</summary>
    public static string Idle(string because) =>
        because.Split(' ') is [var policy, var value] && PolicyWords.Find(policy) is { } words
            ? $"{words.Title}: {words.ValueTitle(value)}"
            : because;

    /// <summary>A rung in words: what a document writes itself is the account on the line.</summary>
    public static string Rung(string? rung) =>
        rung switch
        {
            "line" => "account on the line",
            Core.Landing.LegLanding.Document => "the document it settles",
            _ => Words(rung),
        };

    /// <summary>A word of the product with spaces: <c>sales-revenue</c> as "sales revenue".</summary>
    public static string Words(string? word) =>
        word is null ? "" : word.Replace("+", " + ", StringComparison.Ordinal).Replace('-', ' ');
}
