using Assignum.Core.SetUps;
using Assignum.Core.Tax;

namespace Assignum.Core.Pairing;

/// <summary>A tax code of theirs.</summary>
/// <param name="Rate">Percent; null: it does not say.</param>
/// <param name="From">The day from which it has that rate.</param>
/// <param name="Direction">In our words; null: it does not say, or its word is not known.</param>
public sealed record TheirTax(string Id, decimal? Rate, DateOnly? From, string? Direction, string? Authority);

/// <summary>Where a tax code of theirs is not what ours is.</summary>
public static class TaxLikeness
{
    /// <summary>Their difference from ours on a day, as sentences that say what to change where; empty: they agree.</summary>
    /// <param name="today">On which our rate is looked up; where theirs begins later, on that day.</param>
    public static IReadOnlyList<string> Differences(TheirTax theirs, string ours, SetUp setUp, DateOnly today)
    {
        if (setUp.TaxCodes.FirstOrDefault(c => c.Code == ours) is not { } code)
            return [$"Tax code {ours} is not here any more: pair {theirs.Id} with another."];
        var found = new List<string>();
        var day = theirs.From is { } from && from > today ? from : today;
        var rate = setUp.TaxRates.Where(r => r.Code == ours && r.From <= day).MaxBy(r => r.From)?.Rate * 100;
        if (theirs.Rate is { } said && said != (rate ?? 0))
            found.Add(
                $"{theirs.Id} has {Percent(said)} there and {ours} {Percent(rate ?? 0)} here on {day:yyyy-MM-dd}: "
                    + $"change the rate there, add a rate of {Percent(said)} to {ours} in the draft, or pair another."
            );
        if (theirs.Direction is { } way && way != Words.Of(code.Direction))
            found.Add(
                $"{theirs.Id} is for {(way == "output" ? "sales" : "purchases")}, {ours} for "
                    + $"{(code.Direction == TaxDirection.Output ? "sales" : "purchases")}: pair another."
            );
        if (theirs.Authority is { } authority && code.Authority is { } here && authority != here)
            found.Add($"{theirs.Id} goes to the authority {authority}, {ours} to {here}: pair a code of the same one.");
        return found;
    }

    private static string Percent(decimal rate) =>
        rate.ToString("0.####", System.Globalization.CultureInfo.InvariantCulture) + " %";
}
