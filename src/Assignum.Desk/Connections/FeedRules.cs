using Assignum.Core;
using Assignum.Core.Pairing;
using Assignum.Formats.Json;

namespace Assignum.Desk.Connections;

/// <summary>Whether an event of a connection may be taken at all.</summary>
internal static class FeedRules
{
    /// <summary>How many days from today a date may be.</summary>
    public const int FarthestDay = 400;

    /// <summary>Why it is dead as it is; empty: it is not.</summary>
    public static IReadOnlyList<Fault> Faults(Connection link, TheirEvent read, DateOnly today)
    {
        if (read.Faults.Count > 0)
            return read.Faults;
        var e = read.Event;
        if (!link.Of.MaySend(e.Kind, link.Admits))
            return
            [
                new Fault(
                    "kind-not-admitted",
                    $"A {link.Of.Title.ToLowerInvariant()} does not send {e.Kind}: an administrator may admit that kind here.",
                    "kind"
                ),
            ];
        return Math.Abs(e.Date.DayNumber - today.DayNumber) > FarthestDay
            ?
            [
                new Fault(
                    "far-date",
                    $"Its date is {e.Date:yyyy-MM-dd}, more than {FarthestDay} days from today.",
                    "date"
                ),
            ]
            : [];
    }
}
