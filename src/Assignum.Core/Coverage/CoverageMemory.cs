using System.Collections.Concurrent;
using Assignum.Core.Landing;
using Assignum.Core.SetUps;

namespace Assignum.Core.Coverage;

/// <summary>Something that was worked out from the assignments of a purpose, and from those of the one it borrows
/// from.</summary>
internal sealed record Worked<T>(T Value, IReadOnlyList<Assignment> Own, IReadOnlyList<Assignment> Borrowed);

/// <summary>
/// What coverage and dead weight of one compiled set-up are worked out with, and what is remembered of them. A set-up
/// that was changed
/// from another one starts from what that one knew: only what the changed assignments can have changed is worked out
/// anew.
/// </summary>
internal sealed class CoverageMemory
{
    /// <summary>Changed assignments up to which the difference is worked out; beyond, all of it is.</summary>
    public const int FewChanges = 24;

    private readonly CompiledSetUp setUp;
    private readonly ConcurrentDictionary<Purpose, Worked<BoxList>> boxes;
    private readonly ConcurrentDictionary<Purpose, Worked<PurposeCoverage>> coverage = new();
    private readonly ConcurrentDictionary<Purpose, Worked<PurposeDead>> dead = new();
    private readonly ConcurrentDictionary<PartySide, IReadOnlyList<Axis>> whatever;

    /// <summary>That of a set-up.</summary>
    public static CoverageMemory Of(CompiledSetUp setUp) =>
        setUp.Workings.Of<CoverageMemory>((now, was) => new CoverageMemory(now, was));

    /// <param name="previous">That of the set-up this one was changed from.</param>
    private CoverageMemory(CompiledSetUp setUp, CoverageMemory? previous)
    {
        this.setUp = setUp;
        Tripwires = [.. setUp.SetUp.Accounts.Where(a => a.Tripwire).Select(a => a.Number)];
        var (was, now) = (previous?.setUp.SetUp, setUp.SetUp);
        // Ranks, slots and whether an assignment decides at all rest on these.
        if (previous is null || !setUp.Index.Same(previous.setUp.Index) || !previous.Tripwires.SetEquals(Tripwires))
        {
            (boxes, TakingPart, whatever) = (new(), new TakingPart(setUp), new());
            return;
        }
        bool SameLadders(Purpose p) =>
            setUp.Landings.LadderOf(p).Rungs.SequenceEqual(previous.setUp.Landings.LadderOf(p).Rungs);
        bool Serves(Purpose p) =>
            setUp.Landings.BorrowOf(p) == previous.setUp.Landings.BorrowOf(p)
            && SameLadders(p)
            && (setUp.Landings.BorrowOf(p) is not { } from || SameLadders(from));
        boxes = new(previous.boxes.Where(b => Serves(b.Key)));
        var sameRecords =
            ReferenceEquals(was!.Items, now.Items)
            && ReferenceEquals(was.Parties, now.Parties)
            && ReferenceEquals(was.Projects, now.Projects)
            && ReferenceEquals(was.Groups, now.Groups);
        whatever = sameRecords ? previous.whatever : new();
        if (sameRecords)
            dead = new(previous.dead.Where(b => Serves(b.Key)));
        // Which tax codes and currencies take part is said by tax codes, parties and accounts; which items, by the
        // stock method; and
        // which of a party's groups, by the rungs of the ladders.
        if (
            sameRecords
            && setUp.Policies.Perpetual == previous.setUp.Policies.Perpetual
            && was.Entity.TaxRegistered == now.Entity.TaxRegistered
            && ReferenceEquals(was.TaxCodes, now.TaxCodes)
            && was.Entity.Currency == now.Entity.Currency
            // An assignment may name an entity that is there no more: the index knows it still.
            && was.OtherEntities.SequenceEqual(now.OtherEntities)
            && (ReferenceEquals(was.Accounts, now.Accounts) || Currencies(was).SetEquals(Currencies(now)))
        )
        {
            TakingPart = Purposes.All.All(Serves) ? previous.TakingPart : new TakingPart(setUp);
            coverage = new(previous.coverage.Where(b => Serves(b.Key)));
        }
        else
            TakingPart = new TakingPart(setUp);
    }

    public TakingPart TakingPart { get; }

    /// <summary>Accounts that nothing should land on.</summary>
    public HashSet<string> Tripwires { get; }

    /// <summary>Everything that any leg of a purpose could have.</summary>
    public IReadOnlyList<Axis> Whatever(Purpose purpose) =>
        whatever.GetOrAdd(PartySides.Of(purpose), side => TakingPart.Whatever(setUp, side));

    /// <summary>The assignments of a purpose, in the order in which they are tried.</summary>
    public BoxList Boxes(Purpose purpose) =>
        Current(
            boxes,
            purpose,
            () => BoxList.Of(SlotsOf(purpose), Own(purpose), Borrowed(purpose)),
            (known, changes) =>
                known.With(
                    b => changes.Gone.Contains(b.Assignment),
                    changes.Came.SelectMany(c => Box.Of(SlotsOf(purpose), c.At, c.Assignment))
                )
        );

    /// <summary>How the combinations of a purpose are decided.</summary>
    public PurposeCoverage Coverage(Purpose purpose) =>
        Current(
            coverage,
            purpose,
            () => PurposeCoverage.Count(setUp, purpose),
            (known, changes) => PurposeCoverage.After(setUp, purpose, known, changes)
        );

    /// <summary>What of a purpose's assignments could as well not be there.</summary>
    public PurposeDead Dead(Purpose purpose) =>
        Current(
            dead,
            purpose,
            () => DeadWeight.Find(setUp, purpose, null),
            (known, changes) => DeadWeight.After(setUp, purpose, known, changes)
        );

    /// <summary>What is counted of a purpose.</summary>
    public Slots SlotsOf(Purpose purpose) => new(setUp.Landings, purpose, Tripwires);

    private IReadOnlyList<Assignment> Own(Purpose purpose) => setUp.Landings.AssignmentsOf(purpose);

    private IReadOnlyList<Assignment> Borrowed(Purpose purpose) =>
        setUp.Landings.BorrowOf(purpose) is { } from ? setUp.Landings.AssignmentsOf(from) : [];

    private static HashSet<string?> Currencies(SetUp of) => [.. of.Accounts.Select(a => a.Currency)];

    // What is known for exactly these assignments; else worked out from what is known of those before, where few were
    // changed.
    private T Current<T>(
        ConcurrentDictionary<Purpose, Worked<T>> known,
        Purpose purpose,
        Func<T> anew,
        Func<T, Changes, T> after
    )
    {
        var (own, borrowed) = (Own(purpose), Borrowed(purpose));
        if (known.TryGetValue(purpose, out var worked))
        {
            if (ReferenceEquals(worked.Own, own) && ReferenceEquals(worked.Borrowed, borrowed))
                return worked.Value;
            var changes = new Changes(
                purpose,
                setUp.Landings.BorrowOf(purpose),
                worked.Own,
                own,
                worked.Borrowed,
                borrowed
            );
            if (changes.Count == 0)
            {
                known[purpose] = worked with { Own = own, Borrowed = borrowed };
                return worked.Value;
            }
            if (changes.Count <= FewChanges || typeof(T) == typeof(BoxList))
                return (known[purpose] = new Worked<T>(after(worked.Value, changes), own, borrowed)).Value;
        }
        return (known[purpose] = new Worked<T>(anew(), own, borrowed)).Value;
    }

    /// <summary>Assignments that went and came, of a purpose and of the one it borrows from.</summary>
    internal sealed class Changes
    {
        public Changes(
            Purpose purpose,
            Purpose? borrowing,
            IReadOnlyList<Assignment> wasOwn,
            IReadOnlyList<Assignment> own,
            IReadOnlyList<Assignment> wasBorrowed,
            IReadOnlyList<Assignment> borrowed
        )
        {
            Compare(purpose, wasOwn, own);
            if (borrowing is not null)
                Compare(borrowing, wasBorrowed, borrowed);
            Gone = new HashSet<Assignment>(gone.Select(g => g.Assignment), ReferenceEqualityComparer.Instance);
        }

        private readonly List<(Purpose At, Assignment Assignment)> gone = [],
            came = [];

        public IReadOnlySet<Assignment> Gone { get; }
        public IReadOnlyList<(Purpose At, Assignment Assignment)> Went => gone;
        public IReadOnlyList<(Purpose At, Assignment Assignment)> Came => came;
        public int Count => gone.Count + came.Count;

        // Most stand where they stood: only what is between the first and the last that differ is looked up.
        private void Compare(Purpose at, IReadOnlyList<Assignment> was, IReadOnlyList<Assignment> now)
        {
            if (ReferenceEquals(was, now))
                return;
            var start = 0;
            while (start < was.Count && start < now.Count && ReferenceEquals(was[start], now[start]))
                start++;
            var end = 0;
            while (
                end < was.Count - start && end < now.Count - start && ReferenceEquals(was[^(end + 1)], now[^(end + 1)])
            )
                end++;
            var left = new HashSet<Assignment>(
                was.Skip(start).Take(was.Count - start - end),
                ReferenceEqualityComparer.Instance
            );
            came.AddRange(
                now.Skip(start).Take(now.Count - start - end).Where(a => !left.Remove(a)).Select(a => (at, a))
            );
            gone.AddRange(left.Select(a => (at, a)));
        }
    }
}

/// <summary>What coverage keeps with a compiled set-up.</summary>
internal static class Remembered
{
    extension(CompiledSetUp setUp)
    {
        /// <summary>Coverage and dead weight, as far as they were asked for.</summary>
        internal CoverageMemory Memory => CoverageMemory.Of(setUp);
    }
}
