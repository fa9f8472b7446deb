using Assignum.Core;
using Assignum.Core.Feeding;
using Assignum.Core.Pairing;
using Assignum.Formats.Json;
using Assignum.Storage;

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

    /// <summary>An event as it is kept: what it comes to, where it is, and what it names.</summary>
    /// <param name="faults">Why it is dead; empty: it is not.</param>
    public static CameEvent Came(TheirEvent read, IReadOnlyList<Fault> faults)
    {
        var e = read.Event;
        return new CameEvent(
            e.Id.Length > 0 ? e.Id : Nameless(),
            read.Sequence,
            e.Kind.Length > 0 ? e.Kind : "?",
            e.Date == default ? null : e.Date,
            Math.Min(read.Amount, Core.Events.EventFields.LargestAmount),
            read.Canonical,
            (e.Channel ?? "", e.Method ?? e.ClearingMethod ?? "", e.Location ?? e.FromLocation ?? ""),
            faults.Count > 0 ? Reasons(faults) : null,
            read.Voids is null ? Translator.NamedIn(e) : [],
            read.Unknown,
            read.Voids
        );
    }

    /// <summary>Something that came where an event should, and cannot be read.</summary>
    public static CameEvent Unreadable(Fault why) =>
        new(Nameless(), null, "?", null, 0, "null", ("", "", ""), Reasons([why]), [], []);

    /// <summary>Why an event of a known id is dead.</summary>
    public static (string Code, string Json) OtherContent { get; } =
        Reasons([
            new Fault(
                FeedReasons.OtherContent,
                "An event of this id came before with other content: whoever made it says which of the two is right."
            ),
        ]);

    /// <summary>Why an event whose number another has is dead.</summary>
    public static (string Code, string Json) SameSequence { get; } =
        Reasons([
            new Fault(
                FeedReasons.SameSequence,
                "Another event came under its number: whoever made them says which of the two is meant.",
                "sequence"
            ),
        ]);

    private static (string Code, string Json) Reasons(IReadOnlyList<Fault> faults) =>
        (faults[0].Code, FeedJson.Reasons(faults));

    private static string Nameless() => "?" + Guid.NewGuid().ToString("n");
}
