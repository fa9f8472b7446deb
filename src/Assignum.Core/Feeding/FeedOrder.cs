namespace Assignum.Core.Feeding;

/// <summary>Numbers that did not come, and when the first after them did.</summary>
public readonly record struct MissingNumbers(long From, long To, DateTime Since);

/// <summary>How far the numbers of a feed may be gone through.</summary>
/// <param name="Passed">Everything up to this number came or was given up.</param>
/// <param name="GivenUp">What was waited for long enough.</param>
/// <param name="Waits">The first that is still waited for; null: nothing is missing.</param>
public sealed record FeedOrder(long Passed, IReadOnlyList<MissingNumbers> GivenUp, MissingNumbers? Waits)
{
    /// <summary>Goes through what is missing, from the lowest.</summary>
    /// <param name="passed">The number up to which everything was gone through before.</param>
    /// <param name="highest">The highest number that came.</param>
    /// <param name="missing">Stretches above <paramref name="passed"/>, in their order.</param>
    /// <param name="patience">How long a missing number is waited for.</param>
    public static FeedOrder Of(
        long passed,
        long highest,
        IReadOnlyList<MissingNumbers> missing,
        TimeSpan patience,
        DateTime now
    )
    {
        var given = new List<MissingNumbers>();
        foreach (var gap in missing)
        {
            if (now - gap.Since < patience)
                return new FeedOrder(Math.Max(passed, gap.From - 1), given, gap);
            given.Add(gap);
        }
        return new FeedOrder(Math.Max(passed, highest), given, null);
    }
}
