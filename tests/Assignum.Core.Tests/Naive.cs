using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Core.SetUps;

namespace Assignum.Core.Tests;

/// <summary>The posting rules on ladders, walked as literally as can be: lists and loops, no index, no
/// memory.</summary>
internal static class Naive
{
    public static string? Walk(CompiledSetUp setUp, Purpose purpose, LegValues values, string? line)
    {
        if (Ladder(setUp, purpose, purpose, values, line) is { Decided: true } own)
            return own.Account;
        return setUp.SetUp.Borrows.FirstOrDefault(b => b.Purpose == purpose.Name) is { } borrow
            ? Ladder(setUp, purpose, Purposes.Find(borrow.From)!, values, line).Account
            : null;
    }

    private static (bool Decided, string? Account) Ladder(
        CompiledSetUp setUp,
        Purpose leg,
        Purpose at,
        LegValues values,
        string? line
    )
    {
        var rows = setUp
            .SetUp.Ladders.Where(l => l.Purpose == at.Name)
            .OrderBy(l => l.Position)
            .Select(l => l.Rung)
            .ToList();
        if (rows.Count == 0)
            rows = [.. at.Shipped];
        foreach (var rung in rows.Where(r => r != Rung.Default).Append(Rung.Default))
        {
            if (rung == Rung.Line)
            {
                if (line is null)
                    continue;
                if (leg.Control == Control.None)
                    return (true, line);
                var rest = Walk(setUp, leg, values, null);
                return (
                    true,
                    rest is not null
                    && (rest == line || setUp.SetUp.ReliefAccounts.Any(r => r.Account == rest && r.Relief == line))
                        ? line
                        : null
                );
            }
            foreach (var key in Keys(setUp, [.. rung.Dimensions], values))
            {
                var found = setUp.SetUp.Assignments.FirstOrDefault(a =>
                    a.Purpose == at.Name && a.Key.Count == key.Count && key.All(k => a.Value(k.Dimension) == k.Value)
                );
                if (
                    found is not null
                    && (rung == Rung.Default || setUp.Account(found.Account) is not { Tripwire: true })
                )
                    return (true, found.Account);
            }
        }
        return (false, null);
    }

    private static List<List<KeyPart>> Keys(CompiledSetUp setUp, Dimension[] dimensions, LegValues values)
    {
        if (dimensions.Length == 0)
            return
            [
                [],
            ];
        var keys = new List<List<KeyPart>>();
        for (var at = values[dimensions[0]]; at != 0; at = setUp.Index.Parent(dimensions[0], at))
            foreach (var rest in Keys(setUp, dimensions[1..], values))
                keys.Add([new KeyPart(dimensions[0], setUp.Index.Key(dimensions[0], at)), .. rest]);
        return keys;
    }
}
