using Assignum.Core.Landing;
using Assignum.Core.SetUps;

namespace Assignum.Core.Coverage;

/// <summary>An assignment that could as well not be there.</summary>
/// <param name="NeverWins">It can never decide; else it decides, and what comes after it would give the same account
/// every time.</param>
/// <param name="Proof">The assignments that are always before it, or that give the same after it.</param>
/// <param name="Removable">Whether it can go together with all others that are: of two that give the same, one must
/// stay.</param>
public sealed record DeadAssignment(
    Assignment Assignment,
    bool NeverWins,
    string Why,
    IReadOnlyList<Assignment> Proof,
    bool Removable
);

/// <summary>Finds assignments that can never win and those that change nothing, whatever records a leg may
/// have.</summary>
/// <remarks>
/// Taken as possible are all records (archived ones too), none, and a group without a record, of parties those of the
/// side that can occur: what is prepared for a group that has no
/// members yet is not dead. First each assignment is asked with its own key alone; only those that fall through, or
/// whose next gives the
/// same, are looked into exactly, by classes of records that behave alike.
/// </remarks>
public static class DeadWeight
{
    /// <summary>Every such assignment, in the order of the purposes.</summary>
    public static IReadOnlyList<DeadAssignment> Of(CompiledSetUp setUp) =>
        [.. Purposes.All.SelectMany(p => setUp.Memory.Dead(p).Found)];

    /// <summary>Whether an assignment changes nothing: whatever a leg has that it decides for, what comes after it
    /// gives the same account.</summary>
    public static bool ChangesNothing(CompiledSetUp setUp, Purpose purpose, Assignment assignment)
    {
        var search = new BoxSearch(setUp.Memory.Whatever(purpose), setUp.Memory.Boxes(purpose));
        var alone = new HashSet<Assignment>(ReferenceEqualityComparer.Instance) { assignment };
        return Box.Of(setUp.Memory.SlotsOf(purpose), purpose, assignment).All(b => search.SameAfter(b, alone, null));
    }

    /// <summary>Of some that could go, those that cannot go together without the others: without them something would land
    /// elsewhere.</summary>
    public static IReadOnlyList<DeadAssignment> Needing(CompiledSetUp setUp, IReadOnlyList<DeadAssignment> chosen)
    {
        var gone = chosen.Select(d => d.Assignment).ToHashSet<Assignment>(ReferenceEqualityComparer.Instance);
        return
        [
            .. chosen.Where(d =>
            {
                // What always is before it stays: it never wins without the others too.
                if (d.NeverWins && !d.Proof.Any(gone.Contains))
                    return false;
                var purpose = Purposes.Find(d.Assignment.Purpose)!;
                var search = new BoxSearch(setUp.Memory.Whatever(purpose), setUp.Memory.Boxes(purpose));
                return !Box.Of(setUp.Memory.SlotsOf(purpose), purpose, d.Assignment)
                    .All(b => search.SameAfter(b, gone, null));
            }),
        ];
    }

    /// <summary>Those of a purpose after few of its assignments changed: only what meets one of the changed ones is
    /// looked at again.</summary>
    internal static PurposeDead After(
        CompiledSetUp setUp,
        Purpose purpose,
        PurposeDead known,
        CoverageMemory.Changes changes
    )
    {
        var (slots, boxes, axes) = (
            setUp.Memory.SlotsOf(purpose),
            setUp.Memory.Boxes(purpose),
            setUp.Memory.Whatever(purpose)
        );
        var again = new HashSet<Assignment>(
            changes.Came.Where(c => c.At == purpose).Select(c => c.Assignment),
            ReferenceEqualityComparer.Instance
        );
        foreach (var (at, assignment) in changes.Came.Concat(changes.Went))
        foreach (var box in Box.Of(slots, at, assignment))
            again.UnionWith(boxes.Meeting(box, axes).Where(b => b.At == purpose).Select(b => b.Assignment));
        return Find(
            setUp,
            purpose,
            [.. known.Dead.Where(d => !again.Contains(d.Assignment) && !changes.Gone.Contains(d.Assignment))],
            again
        );
    }

    /// <summary>Those of a purpose.</summary>
    /// <param name="kept">Found before, and as they were; null: none.</param>
    /// <param name="among">The others that are looked at; null: all.</param>
    internal static PurposeDead Find(
        CompiledSetUp setUp,
        Purpose purpose,
        IReadOnlyList<PurposeDead.One>? kept,
        IReadOnlySet<Assignment>? among = null
    )
    {
        var (landings, tripwires) = (setUp.Landings, setUp.Memory.Tripwires);
        var suspects = new List<(Assignment Assignment, bool Wins)>();
        var dead = new List<PurposeDead.One>(kept ?? []);
        var all = landings.AssignmentsOf(purpose);
        for (var n = 0; n < all.Count; n++)
        {
            var assignment = all[n];
            if (among?.Contains(assignment) == false)
                continue;
            if (assignment.Key.Count > 0 && tripwires.Contains(assignment.Account))
            {
                dead.Add(new PurposeDead.One(assignment, true, true, []));
                continue;
            }
            var values = LegValuesOf.Key(setUp, assignment);
            // A key that names a record and a group beside it may be of nothing that is: that is looked into.
            var sure = !Axis.Kinds.Any(k =>
                k.Group is { } group && assignment.Value(k.Single) is not null && assignment.Value(group) is not null
            );
            var wins =
                sure && landings.Resolve(purpose, values) is { Borrowed: false, Assignment: var number } && number == n;
            if (!wins)
                suspects.Add((assignment, false));
            else if (landings.Without(purpose, n, values) == assignment.Account)
                suspects.Add((assignment, true));
        }
        if (suspects.Count == 0 && dead.TrueForAll(d => d.NeverWins))
            return new PurposeDead(dead, Told(dead, null));
        var (slots, boxes) = (setUp.Memory.SlotsOf(purpose), setUp.Memory.Boxes(purpose));
        var search = new BoxSearch(setUp.Memory.Whatever(purpose), boxes);
        foreach (var (assignment, wins) in suspects)
        {
            var own = Box.Of(slots, purpose, assignment).ToList();
            var proof = new HashSet<Assignment>(ReferenceEqualityComparer.Instance);
            var alone = new HashSet<Assignment>(ReferenceEqualityComparer.Instance) { assignment };
            if (!wins && own.TrueForAll(b => search.Covered(b, proof)))
                dead.Add(new PurposeDead.One(assignment, true, false, [.. proof]));
            else if (own.TrueForAll(b => search.SameAfter(b, alone, proof)))
                dead.Add(new PurposeDead.One(assignment, false, false, [.. proof]));
        }
        // Together they may go only where what is left still gives the same: whoever would be missed stays, and the
        // others are asked again. Of two that give the same the first stays, whichever was found before.
        var place = new Dictionary<Assignment, int>(all.Count, ReferenceEqualityComparer.Instance);
        for (var n = 0; n < all.Count; n++)
            place[all[n]] = n;
        dead.Sort((a, b) => place[a.Assignment].CompareTo(place[b.Assignment]));
        var going = new HashSet<Assignment>(dead.Select(d => d.Assignment), ReferenceEqualityComparer.Instance);
        for (var again = true; again; )
        {
            again = false;
            foreach (var one in dead)
                if (
                    !one.NeverWins
                    && going.Contains(one.Assignment)
                    && !Box.Of(slots, purpose, one.Assignment).All(b => search.SameAfter(b, going, null))
                )
                    again |= going.Remove(one.Assignment);
        }
        return new PurposeDead(dead, Told(dead, going));
    }

    private static List<DeadAssignment> Told(List<PurposeDead.One> dead, HashSet<Assignment>? going) =>
        [
            .. dead.Select(d => new DeadAssignment(
                d.Assignment,
                d.NeverWins,
                Why(d),
                d.Proof,
                going?.Contains(d.Assignment) ?? true
            )),
        ];

    private static string Why(PurposeDead.One dead) =>
        dead.OnTripwire ? $"Account {dead.Assignment.Account} is a tripwire: above the default it decides nothing."
        : dead.NeverWins
            ? dead.Proof.Count == 0 ? NobodyHas(dead.Assignment)
                : $"Whatever a leg has, {Said(dead.Proof)} comes first."
        : dead.Proof.Count == 0 ? "Nothing lands otherwise without it."
        : $"Without it {Said(dead.Proof)} would give {dead.Assignment.Account} as well.";

    // A key can ask for what no leg has as the records are grouped now; a record that is put into another group may
    // have it.
    private static string NobodyHas(Assignment assignment)
    {
        var groups = assignment
            .Key.Where(k => k.Dimension is Dimension.ItemGroup or Dimension.PartyGroup or Dimension.ProjectGroup)
            .ToList();
        var records = assignment
            .Key.Where(k => k.Dimension is Dimension.Item or Dimension.Party or Dimension.Project)
            .ToList();
        if (records.Count > 0 && groups.Count > 0)
            return $"{records[0].Value} is not in {groups[0].Value}: it would decide only if it were put there.";
        return groups.Count > 0
            ? $"No leg of {assignment.Purpose.Replace('-', ' ')} has {groups[0].Value}: "
                + $"it groups {Others(assignment)} only."
            : "No leg has what it names.";
    }

    private static string Others(Assignment assignment) =>
        PartySides.Of(Purposes.Find(assignment.Purpose)!) == PartySide.Customers ? "suppliers" : "customers";

    private static string Said(IReadOnlyList<Assignment> proof)
    {
        if (proof.Count == 0)
            return "another";
        var first = proof[0].Key.Count == 0 ? "the default" : string.Join(" · ", proof[0].Key.Select(k => k.Value));
        return proof.Count switch
        {
            1 => first,
            2 => first + " or one other",
            var n => $"{first} or one of {n - 1} others",
        };
    }
}

/// <summary>What of a purpose's assignments could as well not be there.</summary>
/// <param name="Dead">Each with what proves it, whether or not it can go with the others.</param>
/// <param name="Found">The same as they are told.</param>
internal sealed record PurposeDead(IReadOnlyList<PurposeDead.One> Dead, IReadOnlyList<DeadAssignment> Found)
{
    /// <summary>One of them. Whether it can go with others is asked anew each time.</summary>
    public sealed record One(Assignment Assignment, bool NeverWins, bool OnTripwire, IReadOnlyList<Assignment> Proof);
}
