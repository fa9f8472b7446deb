using Assignum.Core;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;

namespace Assignum.Desk.SetUps;

/// <summary>Explains where a purpose lands for any values, without an event.</summary>
public static class Explanation
{
    /// <summary>
    /// The trace for values by dimension name (<c>item</c>, <c>party</c>, <c>item-group</c> …; <c>account</c> is the
    /// line
    /// rung). An item brings its group, a party its group, a task its project's; a group given beside it wins.
    /// </summary>
    public static Trace Of(
        CompiledSetUp setUp,
        Purpose purpose,
        IReadOnlyDictionary<string, string> given,
        List<Fault> faults
    ) =>
        setUp.Landings.TraceOf(
            purpose,
            ValuesOf(setUp, given, faults),
            given.TryGetValue("account", out var account) && account.Length > 0 ? account : null
        );

    /// <summary>What the rungs below the one that decided would give for the same values.</summary>
    public static IReadOnlyList<RungGives> Below(
        CompiledSetUp setUp,
        Purpose purpose,
        IReadOnlyDictionary<string, string> given,
        IReadOnlyList<string> unneeded,
        string? borrowedFrom
    ) => setUp.Landings.Below(purpose, ValuesOf(setUp, given, []), unneeded, borrowedFrom);

    private static LegValues ValuesOf(
        CompiledSetUp setUp,
        IReadOnlyDictionary<string, string> given,
        List<Fault> faults
    )
    {
        var values = default(LegValues);
        var index = setUp.Index;
        foreach (var dimension in Enum.GetValues<Dimension>())
        {
            if (
                dimension == Dimension.Line
                || !given.TryGetValue(Words.Of(dimension), out var code)
                || code.Length == 0
            )
                continue;
            var number = dimension switch
            {
                Dimension.ItemGroup => index.OfGroup(GroupKind.Item, code),
                Dimension.ProjectGroup => index.OfGroup(GroupKind.Project, code),
                Dimension.PartyGroup => index.OfGroup(GroupKind.Customer, code) is var c and > 0
                    ? c
                    : index.OfGroup(GroupKind.Supplier, code),
                _ => index.Of(dimension, code),
            };
            if (number == 0)
                faults.Add(
                    new Fault("unknown-record", $"There is no {Words.Of(dimension)} {code}.", Words.Of(dimension))
                );
            values[dimension] = number;
        }
        if (given.TryGetValue("item", out var item) && values[Dimension.ItemGroup] == 0)
            values[Dimension.ItemGroup] = setUp.Item(item)?.Group ?? 0;
        if (given.TryGetValue("project", out var project) && values[Dimension.ProjectGroup] == 0)
            values[Dimension.ProjectGroup] = setUp.Project(project)?.Group ?? 0;
        if (
            given.TryGetValue("party", out var party)
            && values[Dimension.PartyGroup] == 0
            && setUp.Party(party) is { } known
        )
            values[Dimension.PartyGroup] =
                known.Party.Kind == PartyKind.Supplier ? known.SupplierGroup : known.CustomerGroup;
        return values;
    }
}
