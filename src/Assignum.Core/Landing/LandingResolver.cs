using System.Collections.Concurrent;
using Assignum.Core.Chart;

namespace Assignum.Core.Landing;

/// <summary>What the compiled resolver answers for a leg.</summary>
/// <param name="Account">Account number, or null when unresolved.</param>
/// <param name="Assignment">
/// Number of the assignment among those of its purpose (see <see cref="LandingResolver.AssignmentsOf"/>; of the purpose
/// borrowed
/// from where it is), or −1: unresolved, or written on the document.
/// </param>
/// <param name="ByLine">The account was written on the document and is allowed.</param>
/// <param name="LineRefused">The account written on the document is not allowed on this control purpose.</param>
/// <param name="LineUnused">An account was written and no rung of the ladder asks for it.</param>
/// <param name="Borrowed">The ladder of the purpose borrowed from decided.</param>
/// <param name="ByDefault">The default decided.</param>
public readonly record struct Landed(
    string? Account,
    int Assignment,
    bool ByLine,
    bool LineRefused,
    bool LineUnused,
    bool Borrowed,
    bool ByDefault
);

/// <summary>What decides landings in one set-up.</summary>
public sealed record LandingTerms(
    IReadOnlyList<Account> Accounts,
    IReadOnlyList<ReliefAccount> ReliefAccounts,
    IReadOnlyList<LadderRow> Ladders,
    IReadOnlyList<Borrow> Borrows,
    IReadOnlyList<Assignment> Assignments
);

/// <summary>Finds the account of a leg: the ladders and assignments of one set-up, compiled.</summary>
/// <remarks>Immutable and safe to share between threads; traces are remembered and shared by legs that have the
/// same.</remarks>
public sealed class LandingResolver
{
    private readonly LandingTerms terms;
    private readonly Ladder[] ladders;
    private readonly PurposeResolver[] resolvers;
    private readonly Purpose?[] borrows;
    private readonly HashSet<(string, string)> relief;
    private readonly Tracer tracer;
    private readonly Assignment[][] assignments;
    private readonly Lazy<Dictionary<string, Assignment>>[] identities;
    private readonly HashSet<string> tripwires;
    private readonly ConcurrentDictionary<TraceKey, Trace> traces = new();
    private readonly ConcurrentDictionary<Shape, LandingPattern> shapes = new();
    private readonly ConcurrentDictionary<string, LandingPattern> patterns = new(StringComparer.Ordinal);

    // By purpose: the dimensions that its ladder asks for, and whether an assignment above its default names a tripwire.
    private readonly int[] asked;
    private readonly bool[] trips;
    private const int TraceMemory = 200_000;
    private int remembered;

    /// <summary>Compiles a set-up that has no faults of form.</summary>
    /// <param name="previous">An earlier one that this set-up was changed from: what it changed nothing of is taken
    /// over.</param>
    public LandingResolver(
        LandingTerms setUp,
        LandingIndex index,
        IReadOnlyDictionary<string, Account> accounts,
        LandingResolver? previous = null
    )
    {
        Index = index;
        ladders = Ladder.InForce(setUp.Ladders);
        borrows = new Purpose?[Purposes.All.Count];
        foreach (var borrow in setUp.Borrows)
            borrows[Purposes.Find(borrow.Purpose)!.Index] = Purposes.Find(borrow.From);
        relief = [.. setUp.ReliefAccounts.Select(r => (r.Account, r.Relief))];
        tripwires = [.. setUp.Accounts.Where(a => a.Tripwire).Select(a => a.Number)];

        terms = setUp;
        if (previous is not null && ReferenceEquals(previous.terms.Assignments, setUp.Assignments))
            assignments = previous.assignments;
        else
        {
            var byPurpose = setUp.Assignments.ToLookup(a => a.Purpose, StringComparer.Ordinal);
            assignments = [.. Purposes.All.Select(p => byPurpose[p.Name].ToArray())];
        }
        if (previous is not null && (!index.Extends(previous.Index) || !previous.tripwires.SetEquals(tripwires)))
            previous = null;
        bool SameLadder(Purpose p) =>
            previous is not null && previous.ladders[p.Index].Rungs.SequenceEqual(ladders[p.Index].Rungs);
        bool Same(Purpose p) =>
            SameLadder(p)
            && previous!
                .assignments[p.Index]
                .AsSpan()
                .SequenceEqual(assignments[p.Index], ReferenceEqualityComparer.Instance);
        // Where accounts alone were changed, every key is found where it was: only what the answers mean is new.
        bool SameKeys(Purpose p)
        {
            if (!SameLadder(p))
                return false;
            var (was, now) = (previous!.assignments[p.Index], assignments[p.Index]);
            if (was.Length != now.Length)
                return false;
            for (var i = 0; i < now.Length; i++)
                if (
                    !ReferenceEquals(was[i], now[i])
                    && (
                        !was[i].Key.SequenceEqual(now[i].Key)
                        || tripwires.Contains(was[i].Account) != tripwires.Contains(now[i].Account)
                    )
                )
                    return false;
            return true;
        }
        // A tripwire decides nothing except as a default (posting rules, purposes).
        bool Decides(Assignment a) => a.Set == 0 || !tripwires.Contains(a.Account);
        resolvers = new PurposeResolver[Purposes.All.Count];
        identities = new Lazy<Dictionary<string, Assignment>>[Purposes.All.Count];
        foreach (var p in Purposes.All)
        {
            var own = assignments[p.Index];
            if (Same(p))
                (resolvers[p.Index], identities[p.Index]) = (
                    previous!.resolvers[p.Index],
                    previous.identities[p.Index]
                );
            else
            {
                resolvers[p.Index] = SameKeys(p)
                    ? previous!.resolvers[p.Index]
                    : new PurposeResolver(
                        index,
                        ladders[p.Index],
                        own.Select((a, i) => (Number: i, Assignment: a)).Where(a => Decides(a.Assignment)),
                        previous?.resolvers[p.Index]
                    );
                identities[p.Index] = Identities(own, previous?.assignments[p.Index], previous?.identities[p.Index]);
            }
        }
        asked = [.. ladders.Select(l => l.Rungs.Aggregate(0, (set, r) => set | r.Set))];
        trips =
        [
            .. assignments.Select(of =>
                tripwires.Count > 0 && of.Any(a => a.Set != 0 && tripwires.Contains(a.Account))
            ),
        ];
        tracer = new Tracer(identities, index, ladders, borrows, relief, accounts);
    }

    /// <summary>The numbers that leg values are made of.</summary>
    public LandingIndex Index { get; }

    /// <summary>The ladder in force for a purpose.</summary>
    public Ladder LadderOf(Purpose purpose) => ladders[purpose.Index];

    /// <summary>The purpose it borrows from, or null.</summary>
    public Purpose? BorrowOf(Purpose purpose) => borrows[purpose.Index];

    /// <summary>The account of a leg. <paramref name="line"/> is the account written on the document, or
    /// null.</summary>
    public Landed Resolve(Purpose purpose, in LegValues values, string? line = null)
    {
        if (line is null)
            return Walk(purpose, values);
        var own = ladders[purpose.Index];
        var from = borrows[purpose.Index];
        if (own.LinePosition < 0 && (from is null || ladders[from.Index].LinePosition < 0))
            return Walk(purpose, values) with { LineUnused = true };
        // Rare enough that the literal walk serves: where `line` stands on the ladder matters only with an account
        // written.
        var trace = TraceOf(purpose, values, line);
        var byLine = trace.Rung == "line";
        return new Landed(
            trace.Account,
            trace.Account is null || byLine ? -1 : Walk(purpose, values).Assignment,
            byLine,
            trace.LineRefused,
            false,
            trace.BorrowedFrom is not null,
            trace.Rung == "default"
        );
    }

    /// <summary>
    /// The assignments that decide many legs of one purpose, without accounts written on documents: for replays and
    /// checks. An answer is the assignment's number among those of the purpose, −1 for unresolved; of one that the
    /// purpose
    /// borrows, −2 less its number among those of the other purpose.
    /// </summary>
    public void ResolveAll(Purpose purpose, ReadOnlySpan<LegValues> legs, Span<int> answers)
    {
        resolvers[purpose.Index].ResolveAll(legs, answers);
        if (borrows[purpose.Index] is not { } from)
            return;
        for (var i = 0; i < legs.Length; i++)
            if (answers[i] < 0 && resolvers[from.Index].Resolve(legs[i]) is var found and >= 0)
                answers[i] = -2 - found;
    }

    /// <summary>The assignments of a purpose, in the order of the set-up.</summary>
    public IReadOnlyList<Assignment> AssignmentsOf(Purpose purpose) => assignments[purpose.Index];

    /// <summary>The reasoning behind <see cref="Resolve"/>, from memory where the same has been asked before.</summary>
    public Trace TraceOf(Purpose purpose, in LegValues values, string? line = null)
    {
        var key = new TraceKey(purpose, Used(purpose, values), line);
        if (traces.TryGetValue(key, out var known))
            return known;
        // Counting a concurrent dictionary locks all of it; an own count may be a little off.
        if (Interlocked.Increment(ref remembered) > TraceMemory)
        {
            traces.Clear();
            remembered = 0;
        }
        return traces[key] = tracer.Walk(purpose, values, line);
    }

    /// <summary>The account that values land on where one of the purpose's own assignments, by its number, is not
    /// there; null: none.</summary>
    public string? Without(Purpose purpose, int number, in LegValues values)
    {
        if (resolvers[purpose.Index].ResolveOther(values, number) is var found and >= 0)
            return assignments[purpose.Index][found].Account;
        return borrows[purpose.Index] is { } from && resolvers[from.Index].Resolve(values) is var borrowed and >= 0
            ? assignments[from.Index][borrowed].Account
            : null;
    }

    /// <summary>What decides for an assignment's own key where it is not there: what it overrides. An account of null:
    /// nothing would.</summary>
    public Trace Overridden(Purpose purpose, Assignment assignment, in LegValues ofItsKey) =>
        tracer.Walk(purpose, ofItsKey, null, assignment);

    /// <summary>What the rungs below the one that decided would give, in their order.</summary>
    /// <param name="unneeded">Those rungs, as <see cref="TraceOf"/> has them for the same values.</param>
    /// <param name="borrowedFrom">The purpose whose ladder decided in place of its own, or null.</param>
    public IReadOnlyList<RungGives> Below(
        Purpose purpose,
        in LegValues values,
        IReadOnlyList<string> unneeded,
        string? borrowedFrom
    ) => tracer.Below(borrowedFrom is null ? purpose : Purposes.Find(borrowedFrom)!, values, unneeded);

    private Landed Walk(Purpose purpose, in LegValues values)
    {
        var number = resolvers[purpose.Index].Resolve(values);
        if (number >= 0)
            return Found(purpose, number, false);
        if (borrows[purpose.Index] is not { } from)
            return default(Landed) with { Assignment = -1 };
        number = resolvers[from.Index].Resolve(values);
        return number < 0 ? default(Landed) with { Assignment = -1 } : Found(from, number, true);
    }

    private Landed Found(Purpose at, int number, bool borrowed)
    {
        return new Landed(
            assignments[at.Index][number].Account,
            number,
            false,
            false,
            false,
            borrowed,
            number == resolvers[at.Index].Default
        );
    }

    /// <summary>What the assignment that decided notes, or null.</summary>
    internal string? NoteOf(Purpose purpose, in Landed landed) => Decided(purpose, landed)?.Note;

    private Assignment? Decided(Purpose purpose, in Landed landed) =>
        landed.ByLine || landed.Assignment < 0
            ? null
            : assignments[(landed.Borrowed ? borrows[purpose.Index]! : purpose).Index][landed.Assignment];

    /// <summary>The pattern of a landing: from memory where one of the same shape was made before.</summary>
    internal LandingPattern PatternOf(
        Purpose purpose,
        in LegValues values,
        string? written,
        in Landed landed,
        Func<Dimension, string?> own,
        string account,
        LegLanding landing
    )
    {
        if (ShapeOf(purpose, values, written, landed, own) is not { } shape)
            return Slowly(values, own, account, landing);
        if (shapes.TryGetValue(shape, out var known))
            return known;
        return shapes.GetOrAdd(shape, Slowly(values, own, account, landing));
    }

    // Reasonings that come out alike have one pattern, however they were come to.
    private LandingPattern Slowly(LegValues values, Func<Dimension, string?> own, string account, LegLanding landing)
    {
        var pattern = LandingPattern.Of(landing.Trace, d => d == Dimension.Line ? [account]
            : LandingIndex.IsNested(d) ? Index.Chain(d, values[d])
            : own(d) is { } value ? [value]
            : []);
        var places = pattern.Places;
        var said = new System.Text.StringBuilder(places.Purpose).Append('|').Append(places.Rung).Append('|');
        said.AppendJoin(',', places.Key).Append('|').Append(places.BorrowedFrom);
        foreach (var tried in places.Tried)
            said.Append('|')
                .Append(tried.Rung)
                .Append((int)tried.Outcome)
                .Append(tried.Purpose)
                .AppendJoin(',', tried.Key);
        return patterns.GetOrAdd(said.ToString(), pattern);
    }

    // Everything that a pattern can depend on: how deep the leg's values stand, and where on the ladder which of them
    // hit. Null where more can play a part: an account that is written, a tripwire on the way, a value that is not the
    // line's.
    private Shape? ShapeOf(
        Purpose purpose,
        in LegValues values,
        string? written,
        in Landed landed,
        Func<Dimension, string?> own
    )
    {
        if (written is not null && !landed.LineUnused || trips[purpose.Index])
            return null;
        var from = borrows[purpose.Index];
        if (from is not null && trips[from.Index] || Decided(purpose, landed) is not { } decided)
            return null;
        var depths = 0UL;
        var used = asked[purpose.Index] | (from is null ? 0 : asked[from.Index]);
        for (var d = 1; d < LegValues.Count; d++)
        {
            if ((used & 1 << d) == 0 || values[d] == 0)
                continue;
            var dimension = (Dimension)d;
            var deep = LandingIndex.IsNested(dimension) ? Index.Chain(dimension, values[d]).Count : 1;
            if (deep > 15 || !LandingIndex.IsNested(dimension) && own(dimension) != Index.Key(dimension, values[d]))
                return null;
            depths |= (ulong)deep << d * 4;
        }
        var hit = 0;
        foreach (var part in decided.Key)
        {
            var at = 0;
            for (var n = values[part.Dimension]; Index.Key(part.Dimension, n) != part.Value; at++)
                if ((n = Index.Parent(part.Dimension, n)) == 0 || at > 14)
                    return null;
            hit = hit << 4 | at;
        }
        return new Shape(purpose.Index, depths, decided.Set, hit, landed.Borrowed);
    }

    private readonly record struct Shape(int Purpose, ulong Depths, int Rung, int Hit, bool Borrowed);

    // Only the dimensions that the ladders ask for, so that legs that differ elsewhere share a trace.
    private LegValues Used(Purpose purpose, in LegValues values)
    {
        var used = default(LegValues);
        foreach (var rung in ladders[purpose.Index].Rungs)
        foreach (var d in rung.Dimensions)
            used[d] = values[d];
        if (borrows[purpose.Index] is { } from)
            foreach (var rung in ladders[from.Index].Rungs)
            foreach (var d in rung.Dimensions)
                used[d] = values[d];
        return used;
    }

    // By purpose and key; from what was known before where that is there, so that unchanged ones are not written out
    // again.
    private static Lazy<Dictionary<string, Assignment>> Identities(
        Assignment[] own,
        Assignment[]? was,
        Lazy<Dictionary<string, Assignment>>? known
    )
    {
        if (was is null || known is not { IsValueCreated: true })
            return new(() => own.ToDictionary(a => a.Identity, StringComparer.Ordinal));
        var before = known.Value;
        return new(() =>
        {
            var now = new Dictionary<string, Assignment>(before, StringComparer.Ordinal);
            var gone = new HashSet<Assignment>(was, ReferenceEqualityComparer.Instance);
            var came = own.Where(a => !gone.Remove(a)).ToList();
            foreach (var a in gone)
                now.Remove(a.Identity);
            foreach (var a in came)
                now.Add(a.Identity, a);
            return now;
        });
    }

    private readonly record struct TraceKey(Purpose Purpose, LegValues Values, string? Line);
}
