using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;

namespace Assignum.Core.Coverage;

/// <summary>What lands on one account of a record's legs.</summary>
/// <param name="By">The broadest assignment to it that the record's legs may meet; null: nothing decides.</param>
/// <param name="Borrowed">It is of the purpose borrowed from.</param>
/// <param name="Keys">How many assignments to that account they may meet.</param>
/// <param name="Combinations">How many of the record's combinations land there.</param>
public sealed record DecidedShare(Assignment? By, bool Borrowed, int Keys, Int128 Combinations);

/// <summary>How everything that one record's legs of a purpose can have is decided, counted exactly: what lies on rungs
/// of more keys than its own is seen too.</summary>
public static class RecordShares
{
    /// <summary>The shares of an item, the largest first; empty where its legs have no combination (nobody is there to
    /// sell it to).</summary>
    public static IReadOnlyList<DecidedShare> Of(CompiledSetUp setUp, Purpose purpose, KnownItem item) =>
        Of(setUp, purpose, 0, [new Leaf(ItemReach.Of(purpose) == ItemSide.GroupAlone ? 0 : item.Number, item.Group)]);

    /// <summary>The shares of a party on one side.</summary>
    public static IReadOnlyList<DecidedShare> Of(
        CompiledSetUp setUp,
        Purpose purpose,
        KnownParty party,
        GroupKind side
    ) =>
        Of(
            setUp,
            purpose,
            1,
            [new Leaf(party.Number, side == GroupKind.Supplier ? party.SupplierGroup : party.CustomerGroup)]
        );

    /// <summary>The shares of a project or task.</summary>
    public static IReadOnlyList<DecidedShare> Of(CompiledSetUp setUp, Purpose purpose, KnownProject project) =>
        Of(setUp, purpose, 2, [new Leaf(project.Number, project.Group)]);

    private static List<DecidedShare> Of(CompiledSetUp setUp, Purpose purpose, int kind, Leaf[] leaves)
    {
        var axes = setUp
            .Memory.TakingPart.Of(purpose)
            .Select(a => a.Kind == kind ? new Axis(setUp.Index, kind, leaves) : a)
            .ToList();
        // Counted by account: of thousands of keys few accounts are left.
        var slots = new Dictionary<(string Account, Purpose At, bool Default), int>();
        var (boxes, named, keys) = (new List<Box>(), new List<Box>(), new List<int>());
        foreach (var box in setUp.Memory.Boxes(purpose).Boxes)
        {
            if ((box.Mask & 1 << kind) != 0 && !axes[kind].Holds(box.Single(kind), box.Group(kind), 0))
                continue;
            var key = (box.Assignment.Account, box.At, box.Assignment.Key.Count == 0);
            if (!slots.TryGetValue(key, out var slot))
            {
                slots[key] = slot = named.Count;
                named.Add(box);
                keys.Add(0);
            }
            // The broadest of its keys speaks for it.
            named[slot] = box;
            keys[slot]++;
            boxes.Add(box.CountedAs(slot));
        }
        var tally = new BoxCounter(axes, named.Count).Count(boxes, PurposeCoverage.Dimensions(setUp.Landings, purpose));
        return
        [
            .. tally
                .Select(
                    (n, i) =>
                        i < named.Count
                            ? new DecidedShare(named[i].Assignment, named[i].At != purpose, keys[i], n)
                            : new DecidedShare(null, false, 0, n)
                )
                .Where(s => s.Combinations > 0)
                .Reverse()
                .OrderByDescending(s => s.Combinations),
        ];
    }
}
