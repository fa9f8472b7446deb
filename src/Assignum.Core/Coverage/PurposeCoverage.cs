using Assignum.Core.Landing;
using Assignum.Core.SetUps;

namespace Assignum.Core.Coverage;

/// <summary>How the combinations of a purpose are decided, counted exactly.</summary>
/// <param name="Combinations">How many there are: every record of each side with every other.</param>
/// <param name="By">
/// How many each rung of its ladder decides, then <c>default</c>, <c>tripwire</c> (an account that should never be
/// reached),
/// <c>borrowed</c> (the ladder of the purpose borrowed from) and <c>none</c>. They add up to all of them.
/// </param>
public sealed record PurposeCoverage(Purpose Purpose, Int128 Combinations, IReadOnlyDictionary<string, Int128> By)
{
    /// <summary>What lands where it was meant to: on a rung of its own.</summary>
    public Int128 Assigned => Combinations - By["default"] - By["tripwire"] - By["none"];

    /// <summary>Coverage of every purpose that is needed. Retained earnings, which the year's close asks for, has one
    /// combination.</summary>
    public static IReadOnlyList<PurposeCoverage> Of(CompiledSetUp setUp) =>
        [.. Reach.Needed(setUp).Select(p => Of(setUp, p))];

    /// <summary>Coverage of one purpose, worked out once for a set-up and, after a change of few assignments, from what
    /// it was before.</summary>
    public static PurposeCoverage Of(CompiledSetUp setUp, Purpose purpose) => setUp.Memory.Coverage(purpose);

    /// <summary>
    /// How many records each assignment of a purpose decides where nothing is known but what its key asks for: of a
    /// rung of one side
    /// the records, of several every one with every other. What exceptions that ask for more take of them is not
    /// subtracted.
    /// </summary>
    /// <remarks>The default asks for nothing: 1 where it decides at all.</remarks>
    public static IReadOnlyList<Int128> Decides(
        CompiledSetUp setUp,
        Purpose purpose,
        IEnumerable<Assignment> assignments
    )
    {
        var (slots, axes, boxes) = (
            setUp.Memory.SlotsOf(purpose),
            setUp.Memory.TakingPart.Of(purpose),
            setUp.Memory.Boxes(purpose)
        );
        Int128 Decides(Box box)
        {
            var before = boxes.Meeting(box.Asks, axes, box.Mask, box.Rank);
            return new BoxCounter(Within(axes, box), slots.None).Count(before, box.Mask)[slots.None];
        }
        return
        [
            .. assignments.Select(a =>
                Box.Of(slots, purpose, a).Aggregate(Int128.Zero, (sum, box) => sum + Decides(box))
            ),
        ];
    }

    // The axes with what a box asks for only.
    private static IReadOnlyList<Axis> Within(IReadOnlyList<Axis> axes, Box box) =>
        [
            .. axes.Select(a =>
                (box.Mask & 1 << a.Kind) != 0 ? a.Only(a.Holding(box.Single(a.Kind), box.Group(a.Kind))) : a
            ),
        ];

    internal static PurposeCoverage Count(CompiledSetUp setUp, Purpose purpose) =>
        Tally(setUp, purpose, setUp.Memory.TakingPart.Of(purpose), setUp.Memory.Boxes(purpose).Boxes);

    /// <summary>Coverage over records that are given.</summary>
    /// <param name="boxes">The assignments that can decide for any of them, in order.</param>
    internal static PurposeCoverage Tally(
        CompiledSetUp setUp,
        Purpose purpose,
        IReadOnlyList<Axis> axes,
        IReadOnlyList<Box> boxes
    )
    {
        var slots = setUp.Memory.SlotsOf(purpose);
        var dims = Dimensions(setUp.Landings, purpose);
        return Told(purpose, slots, axes, dims, new BoxCounter(axes, slots.None).Count(boxes, dims));
    }

    /// <summary>Coverage after few assignments changed: what each of them changes lies within its own key, so that
    /// alone is counted, without it and with it.</summary>
    internal static PurposeCoverage After(
        CompiledSetUp setUp,
        Purpose purpose,
        PurposeCoverage known,
        CoverageMemory.Changes changes
    )
    {
        var (slots, axes, dims) = (
            setUp.Memory.SlotsOf(purpose),
            setUp.Memory.TakingPart.Of(purpose),
            Dimensions(setUp.Landings, purpose)
        );
        var tally = slots.Names.Select(n => known.By[n]).ToArray();
        // Another account alone moves nothing: the same key decides the same, unless it is a default that becomes a
        // tripwire.
        var came = changes.Came.SelectMany(c => Box.Of(slots, c.At, c.Assignment)).ToList();
        var went = new List<Box>();
        foreach (var box in changes.Went.SelectMany(c => Box.Of(slots, c.At, c.Assignment)))
            if (came.FindIndex(box.AlikeIn) is var same and >= 0)
                came.RemoveAt(same);
            else
                went.Add(box);
        var now = setUp.Memory.Boxes(purpose);
        // From what there is back to what there was: those that came are taken away one by one, then those that went
        // are put in.
        foreach (var (box, sign) in came.Select(b => (b, 1)).Concat(went.Select(b => (b, -1))))
        {
            var without = sign > 0 ? now.With(b => b.AlikeIn(box), []) : now;
            var with = sign > 0 ? now : now.With(_ => false, [box]);
            var meeting = with.Meeting(box, axes);
            // What meets nearly everything is counted as fast all at once.
            if (meeting.Count > 2000 && meeting.Count > now.Boxes.Count / 2)
                return Count(setUp, purpose);
            var within = Within(axes, box);
            var decided = new BoxCounter(within, slots.None).Count(meeting, dims);
            var otherwise = new BoxCounter(within, slots.None).Count(meeting.FindAll(b => !b.AlikeIn(box)), dims);
            for (var i = 0; i < tally.Length; i++)
                tally[i] += sign * (decided[i] - otherwise[i]);
            now = sign > 0 ? without : with;
        }
        return Told(purpose, slots, axes, dims, tally);
    }

    private static PurposeCoverage Told(
        Purpose purpose,
        Slots slots,
        IReadOnlyList<Axis> axes,
        int dims,
        Int128[] tally
    )
    {
        Int128 all = 1;
        for (var a = 0; a < axes.Count; a++)
            if ((dims & 1 << a) != 0)
                all *= axes[a].Leaves.Count;
        return new PurposeCoverage(
            purpose,
            all,
            slots.Names.Select((n, i) => (n, i)).ToDictionary(x => x.n, x => tally[x.i], StringComparer.Ordinal)
        );
    }

    /// <summary>The axes of a purpose's combinations, as bits: what its ladder asks for and that of the purpose it
    /// borrows from.</summary>
    internal static int Dimensions(LandingResolver landings, Purpose purpose)
    {
        var dims = 0;
        foreach (var at in new[] { purpose, landings.BorrowOf(purpose) }.OfType<Purpose>())
        foreach (var dimension in landings.LadderOf(at).Rungs.Where(r => r != Rung.Line).SelectMany(r => r.Dimensions))
            for (var a = 0; a < Axis.Kinds.Count; a++)
                if (Axis.Kinds[a].Single == dimension || Axis.Kinds[a].Group == dimension)
                    dims |= 1 << a;
        return dims;
    }
}
