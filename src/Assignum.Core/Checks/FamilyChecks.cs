using System.Runtime.InteropServices;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;

namespace Assignum.Core.Checks;

/// <summary>Stock items whose stock, revenue and cost belong to different families.</summary>
public sealed class MixedFamily() : Check("mixed-family", "Accounts of several families")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.All;

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input)
    {
        var mixed = input
            .StockItems.Where(x => ItemLanding.FamilyOf(x.Landings, out var several) is not null && several)
            .Select(x => (x.Item, Told: x.Landings.Where(l => l.Family is not null).ToList()))
            .GroupBy(x => string.Join(" \u00b7 ", x.Told.Select(l => l.Account!.Number)), StringComparer.Ordinal)
            .OrderBy(g => g.Key, StringComparer.Ordinal);
        foreach (var of in mixed)
        {
            var told = of.First().Told;
            var odd = Odd(told);
            var items = of.Select(x => CheckInput.Place(x.Item)).ToList();
            var rows = odd is null
                ? []
                : of.Select(x => x.Told.First(l => l.Purpose == odd.Purpose).By!)
                    .DistinctBy(a => a.Identity)
                    .Select(CheckInput.Place)
                    .ToList();
            var amount = odd is null
                ? 0
                : of.Select(x => x.Told.First(l => l.Purpose == odd.Purpose).By!.Identity)
                    .Distinct(StringComparer.Ordinal)
                    .Sum(i => input.Posted.ByAssignment.GetValueOrDefault(i));
            yield return new Finding(
                Code,
                FindingSeverity.Warning,
                // What decided the odd one is listed first: it is what wants a mend.
                [.. rows, .. items.Take(Finding.MostPlaces - Math.Min(rows.Count, Finding.MostPlaces))],
                of.Key,
                odd?.Account!.Number ?? told[0].Account!.Number,
                odd?.Purpose.Name,
                items.Count,
                amount,
                $"{CheckInput.Some(items.Count, "stock item")}, {of.First().Item.Code} first, "
                    + $"{(items.Count == 1 ? "lands" : "land")} on accounts of several families: "
                    + $"{string.Join(", ", told.Select(l => $"{l.Purpose.Title} {l.Account!.Number} ({l.Family})"))}.",
                "Gross profit by family is wrong for two of them." + input.Passed(amount)
            );
        }
    }

    // Where two of three agree, the third.
    private static ItemLanding? Odd(List<ItemLanding> told)
    {
        if (told.Count != 3)
            return null;
        var most = told.GroupBy(l => l.Family, StringComparer.Ordinal).FirstOrDefault(g => g.Count() == 2)?.Key;
        return most is null ? null : told.First(l => l.Family != most);
    }
}

/// <summary>An item group that lands in another family than its sisters.</summary>
public sealed class FamilyStray() : Check("family-stray", "Group in another family than its sisters", "groups")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.All;

    private const int Least = 3;

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input)
    {
        var groups = input.SetUp.Groups.Where(g => g.Kind == GroupKind.Item).ToList();
        var parents = groups.ToDictionary(g => g.Code, g => g.Parent, StringComparer.Ordinal);
        // Of each group and all below it, how many items have which family.
        var counts = groups.ToDictionary(
            g => g.Code,
            _ => new Dictionary<string, int>(StringComparer.Ordinal),
            StringComparer.Ordinal
        );
        var direct = new Dictionary<(string Group, string Family), int>();
        foreach (var (item, landings) in input.StockItems)
            if (item.Group is not null && ItemLanding.FamilyOf(landings, out var several) is { } one && !several)
                CollectionsMarshal.GetValueRefOrAddDefault(direct, (item.Group, one), out _)++;
        foreach (var ((inside, of), count) in direct)
            for (var at = inside; at is not null; at = parents.GetValueOrDefault(at))
                counts[at][of] = counts[at].GetValueOrDefault(of) + count;
        foreach (var group in groups)
        {
            var own = counts[group.Code];
            var all = own.Values.Sum();
            if (all < Least)
                continue;
            var sisters = groups
                .Where(g => g.Parent == group.Parent && g.Code != group.Code)
                .SelectMany(g => counts[g.Code])
                .GroupBy(f => f.Key, StringComparer.Ordinal)
                .Select(f => (Family: f.Key, Items: f.Sum(x => x.Value)))
                .ToList();
            var theirs = sisters.Sum(s => s.Items);
            var family = sisters.Where(s => 10 * s.Items >= 9 * theirs).Select(s => s.Family).FirstOrDefault();
            if (theirs == 0 || family is null || 10 * (all - own.GetValueOrDefault(family)) < 9 * all)
                continue;
            yield return new Finding(
                Code,
                FindingSeverity.Info,
                [CheckInput.Place(group)],
                null,
                null,
                null,
                all,
                0,
                $"{group.Code} {group.Name} lands in {own.MaxBy(f => f.Value).Key}; the groups beside it land in {family}.",
                "Perhaps it is meant so; perhaps its accounts were copied from elsewhere."
            );
        }
    }
}

/// <summary>An item group with accounts of its own for some of stock, revenue and cost, and the default for another.</summary>
public sealed class HalfOwn() : Check("half-own", "Own accounts for a part only")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.All;

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input)
    {
        var purposes = input.FamilyPurposes.ToList();
        var named = input
            .SetUp.Assignments.Where(a => !input.IsMiss(a) && a.Value(Dimension.ItemGroup) is not null)
            .Select(a => (Group: a.Value(Dimension.ItemGroup)!, a.Purpose))
            .ToHashSet();
        var items = input.StockItemsBelow;
        foreach (var group in input.SetUp.Groups.Where(g => g.Kind == GroupKind.Item && items.ContainsKey(g.Code)))
        {
            var missing = purposes.Where(p => !named.Contains((group.Code, p.Name))).ToList();
            if (missing.Count == 0 || missing.Count == purposes.Count)
                continue;
            var values = default(LegValues);
            values[Dimension.ItemGroup] = input.Compiled.Index.OfGroup(GroupKind.Item, group.Code);
            var fallen = missing.Where(p => input.Lands(p, values).By is { Key.Count: 0 }).ToList();
            if (fallen.Count == 0)
                continue;
            yield return new Finding(
                Code,
                FindingSeverity.Warning,
                [CheckInput.Place(group)],
                null,
                input.Lands(fallen[0], values).Account!.Number,
                fallen[0].Name,
                items[group.Code],
                0,
                $"{group.Code} {group.Name} has accounts of its own, but none for "
                    + $"{string.Join(" and ", fallen.Select(p => p.Title))}: there it falls to the default.",
                $"{CheckInput.Some(items[group.Code], "stock item")} of it stand half here and half there."
            );
        }
    }
}
