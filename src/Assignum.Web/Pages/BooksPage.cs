using Assignum.Core;
using Assignum.Core.Calendar;
using Assignum.Desk;

namespace Assignum.Web.Pages;

/// <summary>A page of the books: it reads days as people write them.</summary>
public abstract class BooksPage(DeskContext desk) : EntityPage(desk)
{
    public override string Place => "books";

    /// <summary>What was done, told once after it.</summary>
    [Microsoft.AspNetCore.Mvc.TempData]
    public string? Done { get; set; }

    /// <summary>A day as it was written; <paramref name="otherwise"/> where nothing is. What is no day becomes a
    /// fault.</summary>
    private protected DateOnly DayOf(string? written, DateOnly otherwise, string field)
    {
        if (string.IsNullOrWhiteSpace(written))
            return otherwise;
        if (WrittenDay.Of(written) is { } day)
            return day;
        Faults =
        [
            .. Faults,
            new Fault(
                "bad-date",
                $"'{(written.Length > 40 ? written[..40] : written)}' is no day: write it as "
                    + $"{WrittenDay.Say(new DateOnly(2026, 3, 14))}.",
                field
            ),
        ];
        return otherwise;
    }

    /// <summary>A day as fields hold it.</summary>
    public static string Iso(DateOnly day) =>
        day.ToString("yyyy-MM-dd", System.Globalization.CultureInfo.InvariantCulture);

    /// <summary>The last day of the month before today, or today where that is one.</summary>
    public DateOnly LastMonthEnd
    {
        get
        {
            var today = State.Today;
            var end = new DateOnly(today.Year, today.Month, DateTime.DaysInMonth(today.Year, today.Month));
            return today == end ? end : new DateOnly(today.Year, today.Month, 1).AddDays(-1);
        }
    }
}
