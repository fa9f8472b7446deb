using System.Globalization;
using NodaTime;

namespace Assignum.Core.Calendar;

/// <summary>The days of an entity: when its fiscal years begin, and which day it is where it is.</summary>
public sealed record EntityCalendar
{
    private readonly (int Month, int Day) start;
    private readonly DateTimeZone zone;

    /// <param name="fiscalYearStart">Month and day as <c>MM-DD</c>; null, and what is no day, is <c>01-01</c>.</param>
    /// <param name="timeZone">IANA name; null, and what is no time zone, is UTC.</param>
    public EntityCalendar(string? fiscalYearStart, string? timeZone)
    {
        start =
            fiscalYearStart is not null
            && DateOnly.TryParseExact(
                "2000-" + fiscalYearStart,
                "yyyy-MM-dd",
                CultureInfo.InvariantCulture,
                DateTimeStyles.None,
                out var day
            )
                ? (day.Month, day.Day)
                : (1, 1);
        zone = (timeZone is null ? null : DateTimeZoneProviders.Tzdb.GetZoneOrNull(timeZone)) ?? DateTimeZone.Utc;
    }

    /// <summary>Whether there is a time zone of that IANA name.</summary>
    public static bool Knows(string timeZone) => DateTimeZoneProviders.Tzdb.GetZoneOrNull(timeZone) is not null;

    /// <summary>The day that it is for the entity at an instant of a clock.</summary>
    public DateOnly Today(TimeProvider clock) =>
        Instant.FromDateTimeOffset(clock.GetUtcNow()).InZone(zone).Date.ToDateOnly();

    /// <summary>The fiscal year of a day, named by the calendar year in which it begins.</summary>
    public int YearOf(DateOnly day) => day < FirstDay(day.Year) ? day.Year - 1 : day.Year;

    /// <summary>The calendar year in which the fiscal year of a day ends.</summary>
    public int EndsIn(DateOnly day) => FirstDay(YearOf(day) + 1).AddDays(-1).Year;

    /// <summary>The last day of the fiscal year that ends in a calendar year.</summary>
    public DateOnly LastDay(int endsIn) =>
        FirstDay(endsIn + 1).AddDays(-1) is var day && day.Year == endsIn ? day : FirstDay(endsIn).AddDays(-1);

    /// <summary>The first day of the fiscal year that begins in a calendar year; where it begins on 29 February, on the
    /// 28th of other years.</summary>
    public DateOnly FirstDay(int year) =>
        new(year, start.Month, Math.Min(start.Day, DateTime.DaysInMonth(year, start.Month)));
}
