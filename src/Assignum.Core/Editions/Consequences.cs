using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.Landing;

namespace Assignum.Core.Editions;

/// <summary>An amount that lands elsewhere.</summary>
/// <param name="Purpose">What it was posted for; null: by hand.</param>
/// <param name="From">Where it lands before; null: there is no such leg before.</param>
/// <param name="To">Where it lands after; null: there is no such leg after.</param>
/// <param name="Amount">Debit less credit in base currency.</param>
public sealed record Moved(string? Purpose, string? From, string? To, decimal Amount);

/// <summary>An event that does something else.</summary>
/// <param name="Moved">The amounts that land elsewhere, in the order of the entry.</param>
/// <param name="Appear">What is said of it after and not before: remarks, and errors that keep it from posting.</param>
/// <param name="Gone">What is said of it before and no longer after.</param>
public sealed record Consequence(
    BusinessEvent Event,
    string Before,
    string After,
    IReadOnlyList<Moved> Moved,
    IReadOnlyList<Said> Appear,
    IReadOnlyList<Said> Gone
);

/// <summary>Something a guard or a rule says of an event.</summary>
/// <param name="Purpose">The purpose that it names, or null.</param>
/// <param name="Account">The account that it names, or null.</param>
public sealed record Said(Severity Severity, string Message, string? Purpose = null, string? Account = null)
{
    /// <summary>What its message names.</summary>
    public IEnumerable<Mention> Mentions() => new Fault("", Message, "", Purpose, Account).Mentions();
}

/// <summary>What many events together do elsewhere.</summary>
/// <param name="Events">How many of them.</param>
public sealed record MovedInAll(string? Purpose, string? From, string? To, int Events, decimal Amount);

/// <summary>Which events do something else under another set-up: the same builder, twice.</summary>
public static class Consequences
{
    /// <summary>
    /// Whether changed assignments can make an event do something else, by what was looked for when it landed: a leg
    /// whose reasoning never
    /// came to the key of one of them lands where it did. Where something is not in the reasoning, the answer is yes.
    /// </summary>
    /// <param name="before">What the event makes without the changes.</param>
    /// <param name="identities">Of the assignments that come, go or get another account; see <see
    /// cref="Assignment.Identity"/>.</param>
    /// <param name="purposes">Their purposes and those that borrow from them.</param>
    public static bool Touched(
        BusinessEvent source,
        EntryResult before,
        IReadOnlySet<string> identities,
        IReadOnlySet<string> purposes
    )
    {
        // What kept it from landing may be mended; a movement within one account leaves no leg behind to tell by.
        if (before.Errors.Count > 0 || EventKinds.Find(source.Kind) is { MayLeaveNoLine: true })
            return true;
        if (before.Entry is not { } entry)
            return false;
        if (entry.Mirror is not null || entry.Tax.Any(t => t.DecidedBy == "account"))
            return true;
        foreach (var line in entry.Lines)
        {
            if (line.Purpose is null || !purposes.Contains(line.Purpose.Name))
                continue;
            // An account written on a document is judged by the rest of the ladder, which is not in its reasoning.
            if (line.Landing.Rung == "line")
                return true;
            foreach (var tried in line.Landing.Tried)
                if (
                    tried.Outcome != TryOutcome.Absent
                    && tried.Rung is not ("line" or LegLanding.Document)
                    && identities.Contains(Assignment.IdentityOf(tried.Purpose ?? line.Purpose.Name, tried.Key))
                )
                    return true;
        }
        return false;
    }

    /// <summary>The same for results that are known already, each at the place of its event.</summary>
    public static IReadOnlyList<Consequence> Of(
        IReadOnlyList<BusinessEvent> events,
        IReadOnlyList<EntryResult> before,
        IReadOnlyList<EntryResult> after
    )
    {
        var found = new List<Consequence>();
        for (var i = 0; i < events.Count; i++)
        {
            var (old, now) = (before[i], after[i]);
            var moved = Compare(Legs(old), Legs(now));
            var (said, says) = (Says(old), Says(now));
            var (appear, gone) = (says.Except(said).ToList(), said.Except(says).ToList());
            if (moved.Count + appear.Count + gone.Count > 0 || old.Outcome != now.Outcome)
                found.Add(new Consequence(events[i], old.Outcome, now.Outcome, moved, appear, gone));
        }
        return found;
    }

    /// <summary>The same movements of many events added up, the most frequent first; of events that are posted before
    /// and after.</summary>
    public static IReadOnlyList<MovedInAll> InAll(IEnumerable<Consequence> consequences) =>
        [
            .. consequences
                .Where(c => c.Before == c.After)
                .SelectMany(c => c.Moved.Select(m => (c.Event, m)))
                .GroupBy(x => (x.m.Purpose, x.m.From, x.m.To))
                .Select(g => new MovedInAll(
                    g.Key.Purpose,
                    g.Key.From,
                    g.Key.To,
                    g.Select(x => x.Event).Distinct().Count(),
                    g.Sum(x => x.m.Amount)
                ))
                .OrderByDescending(m => m.Events)
                .ThenBy(m => m.Purpose, StringComparer.Ordinal)
                .ThenBy(m => m.From, StringComparer.Ordinal),
        ];

    // What called for a leg: the same in both entries, wherever it lands. An entry's own legs, its reversal's and its
    // mirror's are apart.
    private sealed record Called(string Part, string? Purpose, int? Line, string? TaxCode, string? Reference);

    private readonly record struct Landed(Called By, string Account, decimal Amount);

    // An entry that a guard refuses lands nowhere.
    private static List<Landed> Legs(EntryResult result)
    {
        var legs = new List<Landed>();
        if (result.Outcome != "posted")
            return legs;
        void Add(JournalEntry entry, string part) =>
            legs.AddRange(
                entry.Lines.Select(l => new Landed(
                    new Called(part, l.Purpose?.Name, l.EventLine, l.TaxCode, l.Context.Reference),
                    l.Account,
                    l.Signed
                ))
            );
        Add(result.Entry!, "");
        if (result.Entry!.Reversal is { } reversal)
            Add(reversal, "reversal");
        if (result.Entry.Mirror is { } mirror)
            Add(mirror.Entry, mirror.Entity);
        return legs;
    }

    // Leg by leg: each is met by the one that the same line of the document calls for in the other entry. Only legs
    // whose amount differs too,
    // or that have no other, are compared by what stands on each account.
    private static List<Moved> Compare(List<Landed> before, List<Landed> after)
    {
        var (left, came) = (new List<Landed>(), new List<Landed>());
        var moved = new List<Moved>();
        var now = after.GroupBy(l => l.By).ToDictionary(g => g.Key, g => g.ToList());
        foreach (var was in before.GroupBy(l => l.By))
        {
            now.Remove(was.Key, out var others);
            var (old, other) = (was.ToList(), others ?? []);
            for (var i = 0; i < Math.Max(old.Count, other.Count); i++)
            {
                if (i < old.Count && i < other.Count && old[i].Amount == other[i].Amount)
                {
                    if (old[i].Account != other[i].Account)
                        moved.Add(new Moved(was.Key.Purpose, old[i].Account, other[i].Account, old[i].Amount));
                    continue;
                }
                if (i < old.Count)
                    left.Add(old[i]);
                if (i < other.Count)
                    came.Add(other[i]);
            }
        }
        came.AddRange(now.Values.SelectMany(l => l));
        moved.AddRange(BySums(left, came));
        return
        [
            .. moved
                .GroupBy(m => (m.Purpose, m.From, m.To))
                .Select(g => new Moved(g.Key.Purpose, g.Key.From, g.Key.To, g.Sum(m => m.Amount)))
                .Where(m => m.Amount != 0),
        ];
    }

    private static List<Moved> BySums(List<Landed> before, List<Landed> after)
    {
        var moved = new List<Moved>();
        foreach (var key in before.Concat(after).Select(l => (l.By.Purpose, l.By.Part)).Distinct())
        {
            bool Of(Landed l) => (l.By.Purpose, l.By.Part) == key;
            decimal At(List<Landed> legs, string account) =>
                legs.Where(l => Of(l) && l.Account == account).Sum(l => l.Amount);
            var differs = before
                .Concat(after)
                .Where(Of)
                .Select(l => l.Account)
                .Distinct()
                .Select(a => (Account: a, Left: At(before, a), Came: At(after, a)))
                .Where(d => d.Left != d.Came)
                .ToList();
            // What left one account for the same purpose came to another, as far as the amounts go.
            var left = new Queue<(string Account, decimal Amount)>(
                differs.Where(d => Less(d.Left, d.Came)).Select(d => (d.Account, d.Left - d.Came))
            );
            var came = new Queue<(string Account, decimal Amount)>(
                differs.Where(d => !Less(d.Left, d.Came)).Select(d => (d.Account, d.Came - d.Left))
            );
            while (left.Count > 0 && came.Count > 0 && Math.Sign(left.Peek().Amount) == Math.Sign(came.Peek().Amount))
            {
                var (from, to) = (left.Dequeue(), came.Dequeue());
                var amount = Math.Abs(from.Amount) < Math.Abs(to.Amount) ? from.Amount : to.Amount;
                moved.Add(new Moved(key.Purpose, from.Account, to.Account, amount));
                if (from.Amount != amount)
                    left = new([(from.Account, from.Amount - amount), .. left]);
                if (to.Amount != amount)
                    came = new([(to.Account, to.Amount - amount), .. came]);
            }
            moved.AddRange(left.Select(l => new Moved(key.Purpose, l.Account, null, l.Amount)));
            moved.AddRange(came.Select(c => new Moved(key.Purpose, null, c.Account, c.Amount)));
        }
        return moved;
    }

    // An account gives when less stands on it, whichever side.
    private static bool Less(decimal before, decimal after) =>
        Math.Abs(after) < Math.Abs(before) && (after == 0 || Math.Sign(after) == Math.Sign(before));

    private static List<Said> Says(EntryResult result) =>
        [
            .. result.Errors.Select(e => new Said(Severity.Error, e.Message, e.Purpose, e.Account)),
            .. result.Entry is { } entry
                ? entry
                    .Remarks.Concat(entry.Mirror?.Entry.Remarks ?? [])
                    .Select(r => new Said(r.Severity, r.Message, r.Purpose, r.Account))
                : [],
        ];
}
