using Assignum.Core.Landing;

namespace Assignum.Core.Coverage;

/// <summary>What a box asks of one axis.</summary>
/// <param name="Single">The record's number; 0: none in particular.</param>
/// <param name="Group">The group's number; 0: none in particular.</param>
internal readonly record struct Ask(int Axis, int Single, int Group);

/// <summary>An assignment as the set of combinations it has the key for: a product of one part of each axis.</summary>
internal sealed class Box
{
    private readonly Ask[] asks;

    private Box(long rank, int slot, Assignment assignment, Purpose at, Ask[] asks)
    {
        (Rank, Slot, Assignment, At, this.asks) = (rank, slot, assignment, at, asks);
        foreach (var ask in asks)
            Mask |= 1 << ask.Axis;
    }

    /// <summary>
    /// Its place in the order in which keys are tried: the purpose's own ladder before the one borrowed, rung by rung,
    /// on each the
    /// nearest groups first. Two of one rank never fit the same combination.
    /// </summary>
    public long Rank { get; }

    /// <summary>What is counted when it decides: its rung, the default, a tripwire or borrowing; see <see
    /// cref="Slots"/>.</summary>
    public int Slot { get; }
    public Assignment Assignment { get; }

    /// <summary>The purpose whose ladder it stands on.</summary>
    public Purpose At { get; }

    /// <summary>The axes it asks something of, as bits.</summary>
    public int Mask { get; }

    /// <summary>What it asks, at most three.</summary>
    public ReadOnlySpan<Ask> Asks => asks;

    /// <summary>The record it asks for on an axis; 0: none in particular.</summary>
    public int Single(int axis) => On(axis).Single;

    /// <summary>The group it asks for on an axis; 0: none in particular.</summary>
    public int Group(int axis) => On(axis).Group;

    /// <summary>The same box, counted apart under a slot of its own.</summary>
    public Box CountedAs(int slot) => new(Rank, slot, Assignment, At, asks);

    /// <summary>Whether another stands in the same place and asks the same, whatever its account.</summary>
    public bool AlikeIn(Box other) =>
        At == other.At && Rank == other.Rank && Slot == other.Slot && asks.AsSpan().SequenceEqual(other.asks);

    private Ask On(int axis)
    {
        foreach (var ask in asks)
            if (ask.Axis == axis)
                return ask;
        return default;
    }

    /// <summary>
    /// The boxes of one assignment of a purpose, or of the one that purpose borrows from; none where it can decide
    /// nothing: a tripwire
    /// above the default, a key off the ladder. A code that customers and suppliers both have a group of makes a box
    /// for each.
    /// </summary>
    public static IEnumerable<Box> Of(Slots slots, Purpose at, Assignment assignment)
    {
        if (slots.RungOf(at, assignment) is not { } rung)
            yield break;
        var index = slots.Index;
        foreach (var nodes in Nodes(index, rung.Rung, assignment, 0))
        {
            // Deeper groups are nearer, the last listed dimension walks first: 16 bits a dimension below 6 of the rung.
            long rank = at == slots.Purpose ? rung.Place : 32 + rung.Place;
            for (var d = 0; d < 3; d++)
                rank =
                    rank << 16
                    | (
                        d < nodes.Length && LandingIndex.IsNested(rung.Rung.Dimensions[d])
                            ? (uint)(0xFFFF - index.Depth(rung.Rung.Dimensions[d], nodes[d]))
                            : 0u
                    );
            var asks = new List<Ask>(3);
            for (var d = 0; d < nodes.Length; d++)
            {
                var dimension = rung.Rung.Dimensions[d];
                for (var axis = 0; axis < Axis.Kinds.Count; axis++)
                {
                    var single = Axis.Kinds[axis].Single == dimension;
                    if (!single && Axis.Kinds[axis].Group != dimension)
                        continue;
                    var known = asks.FindIndex(a => a.Axis == axis);
                    var ask = known < 0 ? new Ask(axis, 0, 0) : asks[known];
                    ask = single ? ask with { Single = nodes[d] } : ask with { Group = nodes[d] };
                    if (known < 0)
                        asks.Add(ask);
                    else
                        asks[known] = ask;
                }
            }
            yield return new Box(rank, slots.Of(at, rung.Place, assignment), assignment, at, [.. asks]);
        }
    }

    private static IEnumerable<int[]> Nodes(LandingIndex index, Rung rung, Assignment assignment, int at)
    {
        if (at == rung.Dimensions.Count)
            return [new int[at]];
        return Nodes(index, rung, assignment, at + 1)
            .SelectMany(rest =>
                index
                    .Nodes(rung.Dimensions[at], assignment.Value(rung.Dimensions[at])!)
                    .Select(node =>
                    {
                        int[] nodes = [.. rest];
                        nodes[at] = node;
                        return nodes;
                    })
            );
    }
}

/// <summary>What is counted of a purpose: its rungs in order, then the default, a tripwire, borrowing, and
/// nothing.</summary>
internal sealed class Slots
{
    private readonly Dictionary<int, (Rung Rung, int Place)> own;
    private readonly Dictionary<int, (Rung Rung, int Place)>? borrowed;
    private readonly HashSet<string> tripwires;

    public Slots(LandingResolver landings, Purpose purpose, HashSet<string> tripwires)
    {
        (Index, Purpose, this.tripwires) = (landings.Index, purpose, tripwires);
        static Dictionary<int, (Rung, int)> Places(Ladder ladder) =>
            ladder
                .Rungs.Where(r => r != Rung.Line)
                .Append(Rung.Default)
                .Select((r, i) => (r, i))
                .ToDictionary(x => x.r.Set, x => (x.r, x.i));
        own = Places(landings.LadderOf(purpose));
        Borrowing = landings.BorrowOf(purpose);
        borrowed = Borrowing is null ? null : Places(landings.LadderOf(Borrowing));
        Names =
        [
            .. landings.LadderOf(purpose).Rungs.Where(r => r != Rung.Line).Select(r => r.Name),
            "default",
            "tripwire",
            "borrowed",
            "none",
        ];
    }

    public LandingIndex Index { get; }
    public Purpose Purpose { get; }
    public Purpose? Borrowing { get; }

    /// <summary>The name of each slot, the last being what nothing decides.</summary>
    public IReadOnlyList<string> Names { get; }

    /// <summary>The slot of what nothing decides.</summary>
    public int None => Names.Count - 1;

    /// <summary>The rung an assignment stands on, and the place of that rung in its ladder; null where it can decide
    /// nothing.</summary>
    public (Rung Rung, int Place)? RungOf(Purpose at, Assignment assignment) =>
        assignment.Key.Count > 0 && tripwires.Contains(assignment.Account) ? null
        : (at == Purpose ? own : borrowed!).TryGetValue(assignment.Set, out var rung) ? rung
        : null;

    /// <summary>The slot of an assignment that decides.</summary>
    public int Of(Purpose at, int place, Assignment assignment) =>
        assignment.Key.Count == 0 && tripwires.Contains(assignment.Account) ? None - 2
        : at != Purpose ? None - 1
        : assignment.Key.Count == 0 ? None - 3
        : place;
}
