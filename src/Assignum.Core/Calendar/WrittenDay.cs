using System.Globalization;

namespace Assignum.Core.Calendar;

/// <summary>How a day is written for people.</summary>
public enum DayForm
{
    /// <summary>14 Mar 2026.</summary>
    DayFirst,

    /// <summary>Mar 14, 2026.</summary>
    MonthFirst,

    /// <summary>2026-03-14.</summary>
    YearFirst,
}

/// <summary>Days as people read and write them. Files and the HTTP interface have one form, <c>YYYY-MM-DD</c>, and do not
/// come here.</summary>
public static class WrittenDay
{
    // Of who reads what is being said; set once a request.
    private static readonly AsyncLocal<DayForm> Reader = new();

    /// <summary>The form of whoever reads what is said now; day first where nobody said otherwise.</summary>
    public static DayForm Form
    {
        get => Reader.Value;
        set => Reader.Value = value;
    }

    private static readonly string[] Said = ["d MMM yyyy", "MMM d, yyyy", "yyyy-MM-dd"];

    // With a month's name or the year first nothing is in doubt; digits alone are taken in the order of the reader.
    private static readonly string[] Plain =
    [
        "yyyy-M-d",
        "d MMM yyyy",
        "d MMMM yyyy",
        "MMM d yyyy",
        "MMMM d yyyy",
        "d MMM yy",
        "MMM d yy",
    ];
    private static readonly string[] Digits = ["d/M/yyyy", "d/M/yy"];
    private static readonly string[] Turned = ["M/d/yyyy", "M/d/yy"];

    /// <summary>A day in the reader's form; nothing for none.</summary>
    public static string Say(DateOnly? day) => day?.ToString(Said[(int)Form], CultureInfo.InvariantCulture) ?? "";

    /// <summary>An instant of UTC in the reader's form.</summary>
    public static string Say(DateTime at) =>
        $"{Say(DateOnly.FromDateTime(at))} {at.ToString("HH:mm", CultureInfo.InvariantCulture)} UTC";

    /// <summary>The day that somebody wrote, such as <c>14 Mar 2026</c>, <c>14/3/2026</c>, <c>14.3.26</c> or
    /// <c>2026-03-14</c>; null where it is none.</summary>
    public static DateOnly? Of(string? text)
    {
        if (string.IsNullOrWhiteSpace(text) || text.Length > 40)
            return null;
        var plain = string.Join(' ', text.Replace(',', ' ').Split(' ', StringSplitOptions.RemoveEmptyEntries));
        var sliced = plain.Replace('.', '/').Replace('-', '/');
        return Parsed(plain, Plain) ?? Parsed(sliced, Form == DayForm.MonthFirst ? Turned : Digits);
    }

    /// <summary>What was written as <c>YYYY-MM-DD</c>; what is no day stays as it is.</summary>
    public static string? Canonical(string? text) =>
        Of(text)?.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture) ?? text;

    private static DateOnly? Parsed(string text, string[] forms) =>
        DateOnly.TryParseExact(text, forms, CultureInfo.InvariantCulture, DateTimeStyles.None, out var day)
            ? day
            : null;
}
