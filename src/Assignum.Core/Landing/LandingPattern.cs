using System.Globalization;

namespace Assignum.Core.Landing;

/// <summary>
/// A reasoning without its values: which rungs were tried and how each came out. Many legs share one; what they were
/// asked with stands on their lines.
/// </summary>
public sealed class LandingPattern
{
    // What is no value of the line is kept as it is, behind this sign.
    private const char Literally = '=';

    private LandingPattern(Trace places) => Places = places;

    /// <summary>
    /// The reasoning with, for each value, its place among those that the line has of its dimension: 0 is the line's
    /// own, 1 what that is in, and so on outward.
    /// </summary>
    public Trace Places { get; }

    /// <summary>The pattern of a reasoning.</summary>
    /// <param name="values">What the line has of each dimension, its own first, then outward.</param>
    public static LandingPattern Of(Trace trace, Func<Dimension, IReadOnlyList<string>> values)
    {
        IReadOnlyList<KeyPart> Place(IReadOnlyList<KeyPart> key) =>
            key.Count == 0
                ? key
                :
                [
                    .. key.Select(k =>
                        k with
                        {
                            Value = IndexOf(values(k.Dimension), k.Value) is var at and >= 0
                                ? at.ToString(CultureInfo.InvariantCulture)
                                : Literally + k.Value,
                        }
                    ),
                ];
        return new LandingPattern(
            trace with
            {
                Account = null,
                Note = null,
                Key = Place(trace.Key),
                Tried = [.. trace.Tried.Select(t => t with { Key = Place(t.Key) })],
            }
        );
    }

    /// <summary>The value that a place in a pattern stands for.</summary>
    /// <param name="values">What the line has of the dimension; see <see cref="Of"/>.</param>
    /// <returns>The place itself where the line has no such value.</returns>
    public static string Value(string place, IReadOnlyList<string> values) =>
        place.StartsWith(Literally) ? place[1..]
        : int.TryParse(place, NumberStyles.None, CultureInfo.InvariantCulture, out var at) && at < values.Count
            ? values[at]
        : place;

    private static int IndexOf(IReadOnlyList<string> values, string value)
    {
        for (var i = 0; i < values.Count; i++)
            if (values[i] == value)
                return i;
        return -1;
    }
}
