namespace Assignum.StandIns;

/// <summary>What is wrong with a system: by switch, for so many requests or days; or by seed, for a share of
/// requests.</summary>
public sealed class FaultBoard
{
    /// <summary>Faults of answers, in the order in which they are looked at.</summary>
    public static readonly IReadOnlyList<string> OfAnswers =
    [
        "down",
        "slow",
        "500",
        "429",
        "wrong-key",
        "redirect",
        "not-json",
        "half-page",
        "repeated-page",
        "accepted-then-timeout",
        "clock-off",
    ];

    /// <summary>Faults of what a day tells.</summary>
    public static readonly IReadOnlyList<string> OfDays =
    [
        "events-late",
        "events-repeated",
        "events-out-of-order",
        "hook-signed-wrongly",
    ];

    /// <summary>What is done once, when it is said.</summary>
    public static readonly IReadOnlyList<string> Acts =
    [
        "record-renamed",
        "record-archived",
        "record-merged",
        "record-deleted",
        "event-voided",
        "another-life",
    ];

    private readonly Dictionary<string, int> times = new(StringComparer.Ordinal);
    private Random? chance;
    private double share;

    /// <summary>What is switched on, with how many times are left.</summary>
    public IReadOnlyDictionary<string, int> On => times;

    /// <summary>Switches a fault on for so many times; 0: off.</summary>
    public void Switch(string fault, int count)
    {
        if (count <= 0)
            times.Remove(fault);
        else
            times[fault] = count;
    }

    /// <summary>Switches everything off.</summary>
    public void Clear()
    {
        times.Clear();
        chance = null;
    }

    /// <summary>From now on a share of answers, 0 to 1, has some fault, by a seed.</summary>
    public void BySeed(int seed, double of) => (chance, share) = (new Random(seed), of);

    /// <summary>Whether a fault is on; it is used up by one.</summary>
    public bool Take(string fault)
    {
        if (!times.TryGetValue(fault, out var left))
            return false;
        Switch(fault, left - 1);
        return true;
    }

    /// <summary>The fault of this answer, or null.</summary>
    public string? OfThisAnswer()
    {
        foreach (var fault in OfAnswers)
            if (Take(fault))
                return fault;
        // By seed nothing is slow: whoever waits learns no more from it.
        return chance is not null && chance.NextDouble() < share
            ? OfAnswers.Where(f => f != "slow").ElementAt(chance.Next(OfAnswers.Count - 1))
            : null;
    }
}
