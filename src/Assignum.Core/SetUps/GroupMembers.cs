using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Core.Records;

namespace Assignum.Core.SetUps;

/// <summary>Where the members of a group land for a purpose.</summary>
/// <param name="Account">Null: nothing decides.</param>
/// <param name="By">The assignment that decides; null: nothing does.</param>
/// <param name="Members">How many members land there, and the first of them by code.</param>
public sealed record MemberLanding(
    Purpose Purpose,
    string? Account,
    Assignment? By,
    bool Borrowed,
    int Members,
    IReadOnlyList<string> First
);

/// <summary>The records in a group and in those below it.</summary>
public static class GroupMembers
{
    /// <summary>A group and all below it.</summary>
    public static IReadOnlySet<string> Below(SetUp setUp, GroupKind kind, string code)
    {
        var children = setUp
            .Groups.Where(g => g.Kind == kind && g.Parent is not null)
            .ToLookup(g => g.Parent!, g => g.Code, StringComparer.Ordinal);
        var below = new HashSet<string>(StringComparer.Ordinal);
        var open = new Stack<string>([code]);
        while (open.TryPop(out var at))
            if (below.Add(at))
                foreach (var child in children[at])
                    open.Push(child);
        return below;
    }

    /// <summary>The codes of active records whose own group is one of those given.</summary>
    public static IEnumerable<string> In(SetUp setUp, GroupKind kind, IReadOnlySet<string> groups) =>
        kind switch
        {
            GroupKind.Item => setUp
                .Items.Where(i => i.Status == RecordStatus.Active && i.Group is not null && groups.Contains(i.Group))
                .Select(i => i.Code),
            GroupKind.Customer => setUp
                .Parties.Where(p =>
                    p.Status == RecordStatus.Active && p.CustomerGroup is not null && groups.Contains(p.CustomerGroup)
                )
                .Select(p => p.Code),
            GroupKind.Supplier => setUp
                .Parties.Where(p =>
                    p.Status == RecordStatus.Active && p.SupplierGroup is not null && groups.Contains(p.SupplierGroup)
                )
                .Select(p => p.Code),
            _ => setUp
                .Projects.Where(p => p.Status == RecordStatus.Active && p.Group is not null && groups.Contains(p.Group))
                .Select(p => p.Code),
        };

    /// <summary>The purposes that the members of a group meet, in bands; all of the kind where it has no
    /// members.</summary>
    public static IReadOnlyList<(string Band, IReadOnlyList<Purpose> Purposes)> Bands(
        CompiledSetUp setUp,
        GroupKind kind,
        string code
    )
    {
        if (kind != GroupKind.Item)
            return LifeBands.Of(LifeBands.Of(kind), setUp);
        var items = In(setUp.SetUp, kind, Below(setUp.SetUp, kind, code)).Select(c => setUp.Item(c)!.Item).ToList();
        return LifeBands.Of(
            LifeOf.Item,
            setUp,
            items.Count == 0 || items.Exists(i => i.IsStockItem),
            items.Count == 0 || items.Exists(i => !i.IsStockItem)
        );
    }

    /// <summary>
    /// For each purpose where the members land that meet it, those that land alike together, the most first. Legs have
    /// the member's own
    /// values and nothing else.
    /// </summary>
    public static IReadOnlyList<MemberLanding> Landings(CompiledSetUp setUp, GroupKind kind, string code)
    {
        var members = In(setUp.SetUp, kind, Below(setUp.SetUp, kind, code))
            .Order(StringComparer.Ordinal)
            .Select(c => (Code: c, Values: Values(setUp, kind, c)))
            .ToList();
        var found = new List<MemberLanding>();
        foreach (var purpose in Bands(setUp, kind, code).SelectMany(b => b.Purposes))
        {
            var meeting =
                kind == GroupKind.Item
                    ? members.Where(m => LifeBands.Of(setUp.Item(m.Code)!.Item, setUp).Contains(purpose))
                    : members;
            found.AddRange(
                meeting
                    .Select(m => (m.Code, Landed: setUp.Landings.Resolve(purpose, m.Values)))
                    .GroupBy(m => (m.Landed.Account, m.Landed.Assignment, m.Landed.Borrowed))
                    .OrderByDescending(g => g.Count())
                    .Select(g => new MemberLanding(
                        purpose,
                        g.Key.Account,
                        By(setUp, purpose, g.First().Landed),
                        g.Key.Borrowed,
                        g.Count(),
                        [.. g.Take(5).Select(m => m.Code)]
                    ))
            );
        }
        return found;
    }

    /// <summary>A leg that has a group alone.</summary>
    public static LegValues OfGroup(CompiledSetUp setUp, GroupKind kind, string code)
    {
        var values = default(LegValues);
        values[LifeBands.DimensionOf(kind)] = setUp.Index.OfGroup(kind, code);
        return values;
    }

    private static LegValues Values(CompiledSetUp setUp, GroupKind kind, string code)
    {
        var values = default(LegValues);
        switch (kind)
        {
            case GroupKind.Item:
                var item = setUp.Item(code)!;
                (values[Dimension.Item], values[Dimension.ItemGroup]) = (item.Number, item.Group);
                break;
            case GroupKind.Project:
                var project = setUp.Project(code)!;
                (values[Dimension.Project], values[Dimension.ProjectGroup]) = (project.Number, project.Group);
                break;
            default:
                var party = setUp.Party(code)!;
                (values[Dimension.Party], values[Dimension.PartyGroup]) = (
                    party.Number,
                    kind == GroupKind.Customer ? party.CustomerGroup : party.SupplierGroup
                );
                break;
        }
        return values;
    }

    private static Assignment? By(CompiledSetUp setUp, Purpose purpose, Landed landed) =>
        landed.Assignment < 0
            ? null
            : setUp.Landings.AssignmentsOf(landed.Borrowed ? setUp.Landings.BorrowOf(purpose)! : purpose)[
                landed.Assignment
            ];
}
