using Assignum.Core.Landing;
using Assignum.Core.SetUps;

namespace Assignum.Core.Coverage;

/// <summary>What walking through every combination of a purpose in two set-ups has shown.</summary>
/// <param name="Combinations">How many there are.</param>
/// <param name="Moved">How many land elsewhere.</param>
/// <param name="First">One that does, in words; null: none.</param>
public sealed record LandingProof(Int128 Combinations, Int128 Moved, string? First)
{
    /// <summary>Groups of alike combinations up to which it is walked.</summary>
    public const long Most = 40_000_000;

    /// <summary>Walks through every combination, with the resolvers that post.</summary>
    /// <param name="after">The same records, with other assignments.</param>
    /// <param name="counts">Which combinations are to land as before, by the account they land on; null: all.</param>
    /// <returns>Null where there are too many.</returns>
    public static LandingProof? Of(
        CompiledSetUp before,
        CompiledSetUp after,
        Purpose purpose,
        Func<string?, bool>? counts = null
    )
    {
        var dims =
            PurposeCoverage.Dimensions(before.Landings, purpose) | PurposeCoverage.Dimensions(after.Landings, purpose);
        var sides = before
            .Memory.TakingPart.Of(purpose)
            .Where((_, a) => (dims & 1 << a) != 0)
            .Select(axis => Classes(before, after, purpose, axis))
            .ToList();
        if (sides.Aggregate(1.0, (n, s) => n * s.Count) > Most)
            return null;
        // The last side is gone through in one block; the others are counted like digits.
        var last = sides.Count > 0 ? sides[^1] : [(default(LegValues), 1)];
        var legs = new LegValues[last.Count];
        var (was, now) = (new int[last.Count], new int[last.Count]);
        var at = new int[Math.Max(0, sides.Count - 1)];
        Int128 all = 0,
            moved = 0;
        string? first = null;
        if (sides.Exists(s => s.Count == 0))
            return new LandingProof(0, 0, null);
        for (var more = true; more; )
        {
            var values = default(LegValues);
            Int128 size = 1;
            for (var s = 0; s < at.Length; s++)
            {
                var (own, records) = sides[s][at[s]];
                for (var d = 0; d < LegValues.Count; d++)
                    values[d] |= own[d];
                size *= records;
            }
            for (var i = 0; i < legs.Length; i++)
            {
                legs[i] = values;
                for (var d = 0; d < LegValues.Count; d++)
                    legs[i][d] |= last[i].Item1[d];
            }
            before.Landings.ResolveAll(purpose, legs, was);
            after.Landings.ResolveAll(purpose, legs, now);
            for (var i = 0; i < legs.Length; i++)
            {
                var landed = AccountOf(before, purpose, was[i]);
                if (counts is not null && !counts(landed))
                    continue;
                all += size * last[i].Item2;
                if (AccountOf(after, purpose, now[i]) is var lands && lands == landed)
                    continue;
                moved += size * last[i].Item2;
                first ??= $"{Said(before, legs[i])}: {landed ?? "nowhere"}, then {lands ?? "nowhere"}";
            }
            more = false;
            for (var s = at.Length - 1; s >= 0 && !more; s--)
            {
                more = ++at[s] < sides[s].Count;
                if (!more)
                    at[s] = 0;
            }
        }
        return new LandingProof(all, moved, first);
    }

    /// <summary>Groups in which a new record, with nothing else given, would land elsewhere than today: what no walk through
    /// the records that there are can say.</summary>
    public static IReadOnlyList<(Dimension Group, string Code, string? Was, string? Now)> NewRecords(
        CompiledSetUp before,
        CompiledSetUp after,
        Purpose purpose
    )
    {
        var dims = PurposeCoverage.Dimensions(before.Landings, purpose);
        var found = new List<(Dimension, string, string?, string?)>();
        foreach (var axis in before.Memory.TakingPart.Of(purpose).Where(a => (dims & 1 << a.Kind) != 0))
            if (Axis.Kinds[axis.Kind].Group is { } group)
                for (var number = 1; number < before.Index.Size(group); number++)
                {
                    var values = default(LegValues);
                    values[group] = number;
                    var (was, now) = (
                        before.Landings.Resolve(purpose, values).Account,
                        after.Landings.Resolve(purpose, values).Account
                    );
                    if (was != now)
                        found.Add((group, before.Index.Key(group, number), was, now));
                }
        return found;
    }

    // Records that either names are gone through one by one, others with their group.
    private static List<(LegValues, int)> Classes(CompiledSetUp before, CompiledSetUp after, Purpose purpose, Axis axis)
    {
        var named = new HashSet<int>();
        foreach (var of in new[] { before, after })
        foreach (var p in new[] { purpose, of.Landings.BorrowOf(purpose) }.OfType<Purpose>())
        foreach (var assignment in of.Landings.AssignmentsOf(p))
            if (assignment.Value(axis.Single) is { } code)
                named.Add(before.Index.Of(axis.Single, code));
        var group = Axis.Kinds[axis.Kind].Group;
        return
        [
            .. axis
                .Leaves.GroupBy(l => (Single: axis.Up(l.Single).Any(named.Contains) ? l.Single : 0, l.Group))
                .Select(g =>
                {
                    var values = default(LegValues);
                    values[axis.Single] = g.Key.Single;
                    if (group is { } of)
                        values[of] = g.Key.Group;
                    return (values, g.Count());
                }),
        ];
    }

    private static string? AccountOf(CompiledSetUp setUp, Purpose purpose, int answer) =>
        answer switch
        {
            >= 0 => setUp.Landings.AssignmentsOf(purpose)[answer].Account,
            -1 => null,
            _ => setUp.Landings.AssignmentsOf(setUp.Landings.BorrowOf(purpose)!)[-2 - answer].Account,
        };

    private static string Said(CompiledSetUp setUp, in LegValues values)
    {
        var parts = new List<string>();
        foreach (var dimension in Enum.GetValues<Dimension>())
            if (values[dimension] != 0)
                parts.Add($"{Words.Of(dimension)} {setUp.Index.Key(dimension, values[dimension])}");
        return parts.Count == 0 ? "what has none of them" : string.Join(", ", parts);
    }
}
