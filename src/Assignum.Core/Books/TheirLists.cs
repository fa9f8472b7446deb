using Assignum.Core.Chart;

namespace Assignum.Core.Books;

/// <summary>Why our documents and the list of the system that owns the subledger differ; in the order in which they are
/// tried.</summary>
public enum TheirCause
{
    /// <summary>The same document moves by that within 35 days after the date.</summary>
    Timing,

    /// <summary>An event of that key was received, and waits or is dead.</summary>
    Waiting,

    /// <summary>One side has it twice.</summary>
    Doubled,

    /// <summary>The same document and amount stand under another key.</summary>
    OtherParty,

    /// <summary>As much in its currency, at another rate.</summary>
    Rate,

    /// <summary>Of stock: another quantity, at their cost.</summary>
    Quantity,

    /// <summary>Of stock: another cost of what is there.</summary>
    Cost,
    OnlyOurs,
    OnlyTheirs,
    Amount,
}

/// <summary>A row of either side under one key.</summary>
/// <param name="Keys">Those of the control that the list has.</param>
/// <param name="Rows">How many rows it was added up of.</param>
public sealed record KeyedSum(
    IReadOnlyDictionary<SubledgerKey, string> Keys,
    decimal Amount,
    decimal? CurrencyAmount,
    decimal Quantity,
    int Rows
);

/// <summary>What one cause explains of one key.</summary>
/// <param name="Amount">Of our documents less theirs.</param>
public sealed record TheirDifference(IReadOnlyDictionary<SubledgerKey, string> Keys, TheirCause Cause, decimal Amount);

/// <summary>What a cause explains of all keys.</summary>
public sealed record TheirCauseSum(TheirCause Cause, decimal Amount, long Count);

/// <summary>Our documents held against the list of the system that owns the subledger.</summary>
/// <param name="Sources">The systems whose lists they are.</param>
/// <param name="Differences">They add up to the difference, always.</param>
public sealed record TheirTieOut(
    IReadOnlyList<string> Sources,
    decimal Documents,
    decimal Theirs,
    IReadOnlyList<TheirDifference> Differences
)
{
    /// <summary>Our documents less theirs.</summary>
    public decimal Difference => Documents - Theirs;

    /// <summary>The differences by cause.</summary>
    public IReadOnlyList<TheirCauseSum> Causes =>
        [
            .. Differences
                .GroupBy(d => d.Cause)
                .OrderBy(g => g.Key)
                .Select(g => new TheirCauseSum(g.Key, g.Sum(d => d.Amount), g.Count())),
        ];
}

/// <summary>Compares by key, each cent once.</summary>
public static class TheirLists
{
    /// <summary>For how many days after the date a movement counts as timing.</summary>
    public const int Days = 35;

    /// <param name="later">What each key of ours moves by within the days after the date.</param>
    /// <param name="waiting">Keys of which events wait; null: none.</param>
    public static TheirTieOut Compare(
        Control control,
        IReadOnlyList<string> sources,
        IReadOnlyList<KeyedSum> ours,
        IReadOnlyList<KeyedSum> theirs,
        IReadOnlyList<(IReadOnlyDictionary<SubledgerKey, string> Keys, decimal Amount)> later,
        WaitingKeys? waiting = null
    )
    {
        var mine = ours.ToDictionary(o => Said(o.Keys), StringComparer.Ordinal);
        var other = theirs.ToDictionary(t => Said(t.Keys), StringComparer.Ordinal);
        var moves = later.ToLookup(l => Said(l.Keys), l => l.Amount, StringComparer.Ordinal);
        var open = new List<(string Key, KeyedSum? Ours, KeyedSum? Theirs, decimal Open)>();
        foreach (var key in mine.Keys.Union(other.Keys, StringComparer.Ordinal).Order(StringComparer.Ordinal))
        {
            var (o, t) = (mine.GetValueOrDefault(key), other.GetValueOrDefault(key));
            var rest = (o?.Amount ?? 0) - (t?.Amount ?? 0);
            if (rest != 0)
                open.Add((key, o, t, rest));
        }
        var found = new List<TheirDifference>();
        var taken = new HashSet<string>(StringComparer.Ordinal);
        void Say(string key, KeyedSum? o, KeyedSum? t, TheirCause cause, decimal amount)
        {
            taken.Add(key);
            if (amount != 0)
                found.Add(new TheirDifference((o ?? t)!.Keys, cause, amount));
        }
        foreach (var (key, o, t, rest) in open)
            if (moves[key].Any(m => m == -rest) || moves[key].Sum() == -rest && moves[key].Any())
                Say(key, o, t, TheirCause.Timing, rest);
            else if (waiting?.Has((o ?? t)!.Keys) == true)
                Say(key, o, t, TheirCause.Waiting, rest);
            else if (
                o is not null
                && t is not null
                && (t.Rows > 1 && t.Amount == 2 * o.Amount || o.Rows > 1 && o.Amount == 2 * t.Amount)
            )
                Say(key, o, t, TheirCause.Doubled, rest);
        Cross(open.Where(x => !taken.Contains(x.Key)).ToList(), Say);
        foreach (var (key, o, t, rest) in open.Where(x => !taken.Contains(x.Key)).ToList())
            if (o?.CurrencyAmount is { } a && a == t?.CurrencyAmount && a != 0)
                Say(key, o, t, TheirCause.Rate, rest);
            else if (o is null)
                Say(key, o, t, TheirCause.OnlyTheirs, rest);
            else if (t is null)
                Say(key, o, t, TheirCause.OnlyOurs, rest);
            else if (control == Control.Stock)
            {
                var unit =
                    t.Quantity != 0 ? t.Amount / t.Quantity
                    : o.Quantity != 0 ? o.Amount / o.Quantity
                    : 0;
                var quantity = decimal.Round((o.Quantity - t.Quantity) * unit, 2, MidpointRounding.AwayFromZero);
                Say(key, o, t, TheirCause.Quantity, quantity);
                Say(key, o, t, TheirCause.Cost, rest - quantity);
            }
            else
                Say(key, o, t, TheirCause.Amount, rest);
        return new TheirTieOut(sources, ours.Sum(o => o.Amount), theirs.Sum(t => t.Amount), found);
    }

    // The same document and amount that one side has under one key and the other under another.
    private static void Cross(
        List<(string Key, KeyedSum? Ours, KeyedSum? Theirs, decimal Open)> open,
        Action<string, KeyedSum?, KeyedSum?, TheirCause, decimal> say
    )
    {
        var used = new HashSet<string>(StringComparer.Ordinal);
        var waiting = open.Where(x => x.Ours is null && x.Theirs!.Keys.ContainsKey(SubledgerKey.Document))
            .ToLookup(x => (x.Theirs!.Keys[SubledgerKey.Document], x.Open));
        foreach (var x in open.Where(x => x.Theirs is null && x.Ours!.Keys.ContainsKey(SubledgerKey.Document)))
        {
            var match = waiting[(x.Ours!.Keys[SubledgerKey.Document], -x.Open)].FirstOrDefault(y => used.Add(y.Key));
            if (match.Key is null)
                continue;
            say(x.Key, x.Ours, x.Theirs, TheirCause.OtherParty, x.Open);
            say(match.Key, match.Ours, match.Theirs, TheirCause.OtherParty, match.Open);
        }
    }

    private static string Said(IReadOnlyDictionary<SubledgerKey, string> keys) =>
        string.Join('\u001f', keys.OrderBy(k => k.Key).Select(k => $"{k.Key}\u001e{k.Value}"));
}
