using System.Runtime.InteropServices;

namespace Assignum.Core.Pairing;

/// <summary>Finds which records of two lists may be the same.</summary>
/// <remarks>
/// Records that share a word, a slip of one, a tax number or a number are looked at; of those, evidence is added up as log
/// odds, and the candidates of a record compete with each other and with there being none. The weights were set on made lists
/// and are held there (docs/performance.md has the calibration).
/// </remarks>
public sealed class Proposer
{
    private const int MostLookedAt = 8,
        Most = 3,
        MostLikeWords = 60;

    /// <summary>The highest score of equal numbers with unlike names or classes.</summary>
    public const double TrapScore = 0.3;

    // How much a name's likeness speaks for it: log odds at some likenesses, straight lines between them.
    private static readonly (double Like, double Odds)[] NameOdds =
    [
        (0, -8),
        (0.5, -5.5),
        (0.6, -4.5),
        (0.7, -2.8),
        (0.8, -0.4),
        (0.85, 1.2),
        (0.9, 2.8),
        (0.95, 3.8),
        (0.999, 4.4),
        (1, 5.4),
    ];

    private readonly IReadOnlyList<PairRecord> theirs;
    private readonly IReadOnlyList<PairRecord> ours;
    private readonly NameWords[] theirNames;
    private readonly NameWords[] ourNames;
    private readonly string?[] theirTaxes;
    private readonly string?[] ourTaxes;
    private readonly Dictionary<string, double> weights = new(StringComparer.Ordinal);
    private readonly Dictionary<string, List<int>> byWord = new(StringComparer.Ordinal);
    private readonly Dictionary<string, List<int>> byJoined = new(StringComparer.Ordinal);
    private readonly Dictionary<string, List<int>> byTax = new(StringComparer.Ordinal);
    private readonly Dictionary<string, List<int>> byId = new(StringComparer.OrdinalIgnoreCase);
    private readonly Dictionary<string, (string Word, double Like)[]> like = new(StringComparer.Ordinal);

    private Proposer(IReadOnlyList<PairRecord> theirs, IReadOnlyList<PairRecord> ours)
    {
        (this.theirs, this.ours) = (theirs, ours);
        (theirNames, ourNames) = (
            [.. theirs.Select(r => NameWords.Of(r.Name))],
            [.. ours.Select(r => NameWords.Of(r.Name))]
        );
        theirTaxes = [.. theirs.Select(r => NameWords.TaxNumber(r.TaxNumber, r.Country))];
        ourTaxes = [.. ours.Select(r => NameWords.TaxNumber(r.TaxNumber, r.Country))];
        for (var i = 0; i < ours.Count; i++)
        {
            foreach (var word in ourNames[i].Words.Distinct(StringComparer.Ordinal))
                Put(byWord, word, i);
            if (ourNames[i].Joined.Length > 0)
                Put(byJoined, ourNames[i].Joined, i);
            if (ourTaxes[i] is { } tax)
                Put(byTax, tax, i);
            Put(byId, ours[i].Id, i);
        }
        Weigh();
        LikeWords();
    }

    private static void Put(Dictionary<string, List<int>> to, string key, int place)
    {
        ref var list = ref CollectionsMarshal.GetValueRefOrAddDefault(to, key, out _);
        (list ??= []).Add(place);
    }

    /// <summary>What was found for each of theirs.</summary>
    public static Proposals Propose(IReadOnlyList<PairRecord> theirs, IReadOnlyList<PairRecord> ours)
    {
        var proposer = new Proposer(theirs, ours);
        var scored = new List<Scored>[theirs.Count];
        Parallel.For(
            0,
            theirs.Count,
            () => (new double[ours.Count], new List<int>()),
            (i, _, room) =>
            {
                scored[i] = proposer.Score(i, room.Item1, room.Item2);
                return room;
            },
            _ => { }
        );
        return Result(scored, ours.Count);
    }

    private static Proposals Result(List<Scored>[] scored, int ourCount)
    {
        // The best of theirs for each of ours; of equals the first.
        var best = new (double Odds, int Theirs)[ourCount];
        Array.Fill(best, (double.NegativeInfinity, -1));
        for (var i = 0; i < scored.Length; i++)
            foreach (var one in scored[i])
                if (!one.Trap && one.Odds > best[one.Ours].Odds)
                    best[one.Ours] = (one.Odds, i);
        var all = new IReadOnlyList<Proposal>[scored.Length];
        var likely = new Dictionary<int, List<int>>();
        for (var i = 0; i < scored.Length; i++)
        {
            all[i] =
            [
                .. scored[i]
                    .Where(s => s.Score >= 0.01)
                    .OrderByDescending(s => s.Score)
                    .ThenByDescending(s => s.Odds)
                    .Take(Most)
                    .Select(s => new Proposal(i, s.Ours, s.Score, s.Trap, best[s.Ours].Theirs == i, s.Evidence)),
            ];
            if (all[i] is [{ Trap: false, Score: >= 0.5 } first, ..])
                (CollectionsMarshal.GetValueRefOrAddDefault(likely, first.Ours, out _) ??= []).Add(i);
        }
        return new Proposals(
            all,
            [.. likely.Where(l => l.Value.Count > 1).OrderBy(l => l.Key).Select(l => new Doubles(l.Key, l.Value))]
        );
    }

    private readonly record struct Scored(int Ours, double Odds, double Score, bool Trap, Evidence Evidence);

    // A word that many names have says little.
    private void Weigh()
    {
        var counts = new Dictionary<string, (int Theirs, int Ours)>(StringComparer.Ordinal);
        foreach (var (names, mine) in new[] { (theirNames, false), (ourNames, true) })
        foreach (var name in names)
        foreach (var word in name.Words)
        {
            ref var count = ref CollectionsMarshal.GetValueRefOrAddDefault(counts, word, out _);
            count = mine ? (count.Theirs, count.Ours + 1) : (count.Theirs + 1, count.Ours);
        }
        double all = Math.Max(theirs.Count, ours.Count);
        foreach (var (word, (a, b)) in counts)
            weights[word] = Math.Log(2 + all / Math.Max(a, b));
    }

    // Which words of ours each word of theirs may be: itself, a slip of one, a word cut off.
    private void LikeWords()
    {
        var shorter = new Dictionary<string, List<string>>(StringComparer.Ordinal);
        foreach (var word in byWord.Keys)
            if (MaySlip(word))
                foreach (var key in Shorter(word))
                    (CollectionsMarshal.GetValueRefOrAddDefault(shorter, key, out _) ??= []).Add(word);
        string[] sorted = [.. byWord.Keys.Order(StringComparer.Ordinal)];
        foreach (var word in theirNames.SelectMany(n => n.Words).Distinct(StringComparer.Ordinal))
        {
            var found = new Dictionary<string, double>(StringComparer.Ordinal);
            if (byWord.ContainsKey(word))
                found[word] = 1;
            if (MaySlip(word))
                foreach (var key in Shorter(word))
                    if (shorter.TryGetValue(key, out var words))
                        foreach (var other in words)
                            if (!found.ContainsKey(other) && Alike(word, other) is > 0 and var alike)
                                found[other] = alike;
            foreach (var other in Beginning(sorted, word))
                found.TryAdd(other, 0.75);
            for (var length = 3; length < word.Length; length++)
                if (byWord.ContainsKey(word[..length]) && !word.Any(char.IsDigit))
                    found.TryAdd(word[..length], 0.75);
            like[word] = [.. found.OrderByDescending(f => f.Value).Take(MostLikeWords).Select(f => (f.Key, f.Value))];
        }
    }

    private static IEnumerable<string> Beginning(string[] sorted, string word)
    {
        if (word.Length < 3 || word.Any(char.IsDigit))
            yield break;
        var at = Array.BinarySearch(sorted, word, StringComparer.Ordinal);
        var first = at < 0 ? ~at : at + 1;
        for (var i = first; i < sorted.Length && i < first + MostLikeWords; i++)
            if (sorted[i].StartsWith(word, StringComparison.Ordinal))
                yield return sorted[i];
            else
                yield break;
    }

    private static bool MaySlip(string word) => word.Length >= 4 && !word.Any(char.IsDigit);

    private static IEnumerable<string> Shorter(string word)
    {
        yield return word;
        for (var i = 0; i < word.Length; i++)
            yield return word.Remove(i, 1);
    }

    // How alike two words are that may be one with a slip: 0 where they are not.
    private static double Alike(string a, string b)
    {
        if (Math.Abs(a.Length - b.Length) > 2)
            return 0;
        var away = Swapped(a, b) ? 1 : Nearest.Distance(a, b);
        var longer = Math.Max(a.Length, b.Length);
        // Slips seldom begin a word.
        var first = a[0] == b[0] ? 0 : 0.12;
        return away switch
        {
            1 => (longer >= 6 ? 0.9 : 0.8) - first,
            2 when longer >= 8 => 0.75 - first,
            _ => 0,
        };
    }

    private static bool Swapped(string a, string b)
    {
        if (a.Length != b.Length)
            return false;
        for (var i = 0; i + 1 < a.Length; i++)
            if (a[i] != b[i])
                return a[i] == b[i + 1] && a[i + 1] == b[i] && a.AsSpan(i + 2).SequenceEqual(b.AsSpan(i + 2));
        return false;
    }

    private List<Scored> Score(int i, double[] gained, List<int> touched)
    {
        void Gain(int place, double amount)
        {
            if (gained[place] == 0)
                touched.Add(place);
            gained[place] += amount;
        }
        var name = theirNames[i];
        foreach (var word in name.Words.Distinct(StringComparer.Ordinal))
        foreach (var (other, alike) in like[word])
        {
            var weight = alike * weights[other];
            foreach (var place in byWord[other])
                Gain(place, weight);
        }
        if (byJoined.TryGetValue(name.Joined, out var joined))
            foreach (var place in joined)
                Gain(place, 50);
        if (theirTaxes[i] is { } tax && byTax.TryGetValue(tax, out var taxed))
            foreach (var place in taxed)
                Gain(place, 100);
        if (byId.TryGetValue(theirs[i].Id, out var same))
            foreach (var place in same)
                Gain(place, 100);
        // The few that gained most; of equals those that come first.
        var top = new List<(double Gained, int Place)>(MostLookedAt + 1);
        foreach (var place in touched)
        {
            var mine = gained[place];
            gained[place] = 0;
            if (top.Count == MostLookedAt && (mine, -place).CompareTo((top[^1].Gained, -top[^1].Place)) <= 0)
                continue;
            var at = top.FindIndex(t => (mine, -place).CompareTo((t.Gained, -t.Place)) > 0);
            top.Insert(at < 0 ? top.Count : at, (mine, place));
            if (top.Count > MostLookedAt)
                top.RemoveAt(MostLookedAt);
        }
        touched.Clear();
        var odds = top.Select(t => Judge(i, t.Place)).ToList();
        var none = 1 + odds.Sum(o => Math.Exp(o.Odds));
        return [.. odds.Select(o => o with { Score = Math.Min(Math.Exp(o.Odds) / none, o.Trap ? TrapScore : 1) })];
    }

    // The log odds that two records are one, with what speaks for it.
    private Scored Judge(int i, int j)
    {
        var (a, b) = (theirs[i], ours[j]);
        var names = NamesAlike(theirNames[i], ourNames[j], out var numbersDiffer);
        var odds = OddsOf(names);
        var evidence =
            names >= 1 ? Evidence.SameName
            : names >= 0.8 ? Evidence.NamesAlike
            : Evidence.None;
        void Say(bool? same, Evidence yes, double speaks, Evidence no, double against)
        {
            if (same is not { } equal)
                return;
            evidence |= equal ? yes : no;
            odds += equal ? speaks : against;
        }
        static bool? Equal(string? x, string? y) =>
            string.IsNullOrEmpty(x) || string.IsNullOrEmpty(y)
                ? null
                : string.Equals(x, y, StringComparison.OrdinalIgnoreCase);
        if (numbersDiffer)
            (evidence, odds) = (evidence | Evidence.NumbersInNames, odds - 4);
        if (names >= 1 && theirNames[i].Form is { Length: > 0 } f && ourNames[j].Form is { Length: > 0 } g && f != g)
            odds -= 0.7;
        Say(Equal(theirTaxes[i], ourTaxes[j]), Evidence.SameTaxNumber, 6, Evidence.OtherTaxNumber, -5);
        Say(Equal(a.Country, b.Country), Evidence.SameCountry, 0.3, Evidence.OtherCountry, -2.5);
        Say(Equal(a.Class, b.Class), Evidence.SameClass, 0.3, Evidence.OtherClass, -3.5);
        Say(Equal(a.Group, b.Group), Evidence.SameGroup, 0.8, Evidence.OtherGroup, -0.5);
        Say(Equal(a.Currency, b.Currency), Evidence.None, 0, Evidence.OtherCurrency, -1);
        Say(a.Rate is { } r && b.Rate is { } s ? r == s : null, Evidence.SameRate, 2, Evidence.OtherRate, -5);
        var trap = false;
        if (string.Equals(a.Id, b.Id, StringComparison.OrdinalIgnoreCase))
        {
            evidence |= Evidence.SameNumber;
            trap = names < 0.55 && !evidence.HasFlag(Evidence.SameTaxNumber) || evidence.HasFlag(Evidence.OtherClass);
            odds += trap ? 0 : 2;
        }
        return new Scored(j, odds, 0, trap, evidence);
    }

    private static double OddsOf(double likeness)
    {
        for (var i = 1; i < NameOdds.Length; i++)
            if (likeness <= NameOdds[i].Like)
            {
                var ((from, low), (to, high)) = (NameOdds[i - 1], NameOdds[i]);
                return low + (high - low) * (likeness - from) / (to - from);
            }
        return NameOdds[^1].Odds;
    }

    // The share of two names that is the same, each word by what it says; 1: the same words.
    private double NamesAlike(NameWords a, NameWords b, out bool numbersDiffer)
    {
        numbersDiffer = false;
        if (a.Joined.Length == 0 || b.Joined.Length == 0)
            return 0;
        if (a.Joined == b.Joined)
            return 1;
        Span<bool> taken = stackalloc bool[Math.Min(b.Words.Count, 64)];
        double same = 0,
            all = 0;
        var exact = true;
        var (theirNumbers, ourNumbers) = (0, 0);
        var left = new List<string>();
        foreach (var word in a.Words)
            if (Take(taken, b.Words, word))
            {
                same += 2 * weights[word];
                all += 2 * weights[word];
            }
            else
                left.Add(word);
        foreach (var word in left)
        {
            var (at, alike) = (-1, 0.0);
            for (var k = 0; k < taken.Length; k++)
                if (!taken[k] && LikeWord(word, b.Words[k]) is var found && found > alike)
                    (at, alike) = (k, found);
            exact = false;
            if (at < 0)
            {
                all += weights[word];
                theirNumbers += word.Any(char.IsDigit) ? 1 : 0;
                continue;
            }
            taken[at] = true;
            // A slip is rare by itself: the word that it is says how much it tells.
            var weight = Math.Min(weights[word], weights[b.Words[at]]);
            same += 2 * weight * alike;
            all += 2 * weight;
        }
        for (var k = 0; k < taken.Length; k++)
            if (!taken[k])
            {
                exact = false;
                all += weights[b.Words[k]];
                ourNumbers += b.Words[k].Any(char.IsDigit) ? 1 : 0;
            }
        numbersDiffer = theirNumbers > 0 && ourNumbers > 0;
        return exact ? 1
            : all == 0 ? 0
            : Math.Min(same / all, 0.999);
    }

    private double LikeWord(string word, string other)
    {
        foreach (var (candidate, alike) in like[word])
            if (candidate == other)
                return alike;
        // Initials stand for words.
        return word[0] == other[0] && (word.Length == 1 || other.Length == 1) ? 0.6 : 0;
    }

    private static bool Take(Span<bool> taken, IReadOnlyList<string> words, string word)
    {
        for (var k = 0; k < taken.Length; k++)
            if (!taken[k] && words[k] == word)
                return taken[k] = true;
        return false;
    }
}
