using System.Collections.Concurrent;
using Assignum.Core.Chart;
using Assignum.Core.SetUps;

namespace Assignum.Core.Landing;

/// <summary>What the compiled resolver answers for a leg.</summary>
/// <param name="Account">Account number, or null when unresolved.</param>
/// <param name="Assignment">Number of the assignment in the set-up, or −1 (unresolved, or written on the document).</param>
/// <param name="ByLine">The account was written on the document and is allowed.</param>
/// <param name="LineRefused">The account written on the document is not allowed on this control purpose.</param>
/// <param name="LineUnused">An account was written and no rung of the ladder asks for it.</param>
/// <param name="Borrowed">The ladder of the purpose borrowed from decided.</param>
public readonly record struct Landed(string? Account, int Assignment, bool ByLine, bool LineRefused, bool LineUnused, bool Borrowed);

/// <summary>Finds the account of a leg: the ladders and assignments of one set-up, compiled.</summary>
/// <remarks>Immutable and safe to share between threads; traces are remembered and shared by legs that have the same.</remarks>
public sealed class LandingResolver
{
    private readonly Ladder[] ladders;
    private readonly PurposeResolver[] resolvers;
    private readonly Purpose?[] borrows;
    private readonly HashSet<(string, string)> relief;
    private readonly Tracer tracer;
    private readonly string[] accountOf;
    private readonly ConcurrentDictionary<TraceKey, Trace> traces = new();
    private const int TraceMemory = 200_000;
    private int remembered;

    /// <summary>Compiles a set-up that has no faults of form.</summary>
    public LandingResolver(SetUp setUp, LandingIndex index, IReadOnlyDictionary<string, Account> accounts)
    {
        accountOf = [.. setUp.Assignments.Select(a => a.Account)];
        Index = index;
        ladders = Ladders(setUp);
        borrows = new Purpose?[Purposes.All.Count];
        foreach (var borrow in setUp.Borrows) borrows[Purposes.Find(borrow.Purpose)!.Index] = Purposes.Find(borrow.From);
        relief = [.. setUp.ReliefAccounts.Select(r => (r.Account, r.Relief))];

        // A tripwire decides nothing except as a default (posting rules, purposes).
        bool Decides(Assignment a) => a.Set == 0 || !(accounts.TryGetValue(a.Account, out var account) && account.Tripwire);
        var byPurpose = setUp.Assignments.Select((a, i) => (Number: i, Assignment: a))
            .Where(a => Decides(a.Assignment)).ToLookup(a => a.Assignment.Purpose);
        resolvers = [.. Purposes.All.Select(p => new PurposeResolver(index, ladders[p.Index], byPurpose[p.Name]))];
        tracer = new Tracer(setUp, index, ladders, borrows, relief, accounts);
    }

    /// <summary>The numbers that leg values are made of.</summary>
    public LandingIndex Index { get; }

    /// <summary>The ladder in force for a purpose.</summary>
    public Ladder LadderOf(Purpose purpose) => ladders[purpose.Index];

    /// <summary>The purpose it borrows from, or null.</summary>
    public Purpose? BorrowOf(Purpose purpose) => borrows[purpose.Index];

    /// <summary>The account of a leg. <paramref name="line"/> is the account written on the document, or null.</summary>
    public Landed Resolve(Purpose purpose, in LegValues values, string? line = null)
    {
        if (line is null) return Walk(purpose, values);
        var own = ladders[purpose.Index];
        var from = borrows[purpose.Index];
        if (own.LinePosition < 0 && (from is null || ladders[from.Index].LinePosition < 0))
            return Walk(purpose, values) with { LineUnused = true };
        // Rare enough that the literal walk serves: where `line` stands on the ladder matters only with an account written.
        var trace = TraceOf(purpose, values, line);
        var byLine = trace.Rung == "line";
        return new Landed(trace.Account, trace.Account is null || byLine ? -1 : Walk(purpose, values).Assignment, byLine,
            trace.LineRefused, false, trace.BorrowedFrom is not null);
    }

    /// <summary>
    /// The assignments that decide many legs of one purpose, without accounts written on documents: for replays and
    /// checks. An answer is the assignment's number in the set-up, −1 for unresolved.
    /// </summary>
    public void ResolveAll(Purpose purpose, ReadOnlySpan<LegValues> legs, Span<int> answers)
    {
        resolvers[purpose.Index].ResolveAll(legs, answers);
        if (borrows[purpose.Index] is not { } from) return;
        for (var i = 0; i < legs.Length; i++)
            if (answers[i] < 0) answers[i] = resolvers[from.Index].Resolve(legs[i]);
    }

    /// <summary>The reasoning behind <see cref="Resolve"/>, from memory where the same has been asked before.</summary>
    public Trace TraceOf(Purpose purpose, in LegValues values, string? line = null)
    {
        var key = new TraceKey(purpose, Used(purpose, values), line);
        if (traces.TryGetValue(key, out var known)) return known;
        // Counting a concurrent dictionary locks all of it; an own count may be a little off.
        if (Interlocked.Increment(ref remembered) > TraceMemory)
        {
            traces.Clear();
            remembered = 0;
        }
        return traces[key] = tracer.Walk(purpose, values, line);
    }

    private Landed Walk(Purpose purpose, in LegValues values)
    {
        var number = resolvers[purpose.Index].Resolve(values);
        if (number >= 0) return new Landed(accountOf[number], number, false, false, false, false);
        for (var from = borrows[purpose.Index]; from is not null;)
        {
            number = resolvers[from.Index].Resolve(values);
            return number < 0 ? default(Landed) with { Assignment = -1 }
                : new Landed(accountOf[number], number, false, false, false, true);
        }
        return default(Landed) with { Assignment = -1 };
    }

    // Only the dimensions that the ladders ask for, so that legs that differ elsewhere share a trace.
    private LegValues Used(Purpose purpose, in LegValues values)
    {
        var used = default(LegValues);
        foreach (var rung in ladders[purpose.Index].Rungs)
            foreach (var d in rung.Dimensions) used[d] = values[d];
        if (borrows[purpose.Index] is { } from)
            foreach (var rung in ladders[from.Index].Rungs)
                foreach (var d in rung.Dimensions) used[d] = values[d];
        return used;
    }

    private static Ladder[] Ladders(SetUp setUp)
    {
        var own = setUp.Ladders.ToLookup(r => r.Purpose);
        return [.. Purposes.All.Select(p => new Ladder(p,
            own.Contains(p.Name) ? own[p.Name].OrderBy(r => r.Position).Select(r => r.Rung) : p.Shipped))];
    }

    private readonly record struct TraceKey(Purpose Purpose, LegValues Values, string? Line);
}
