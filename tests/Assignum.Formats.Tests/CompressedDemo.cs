using Assignum.Core;
using Assignum.Core.Coverage;
using Assignum.Core.Landing;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Core.Upkeep;
using Assignum.Formats.Bundles;
using Assignum.Testing;

namespace Assignum.Formats.Tests;

/// <summary>The demo's assignments, made fewer where fewer do the same.</summary>
public class CompressedDemo
{
    private static CompiledSetUp Demo()
    {
        var faults = new List<Fault>();
        var sheets = Bundle.FromFolder(
            Path.Combine(ProjectFiles.Root, "demo", "skerrow", "1-skerrow", "bundle"),
            faults
        );
        faults.ShouldBeEmpty();
        return new CompiledSetUp(SetUpImport.Plan(NewEntity.Empty(sheets), sheets, false, (_, _) => false).Next);
    }

    private static CompiledSetUp With(CompiledSetUp setUp, Compressed found)
    {
        var plan = SetUpEdit.Plan(setUp.SetUp, [.. found.Rows(setUp.SetUp)], (_, _) => false);
        plan.Faults.ShouldBeEmpty();
        return new CompiledSetUp(plan.Next);
    }

    [Fact]
    public void Sales_revenue_has_none_too_many_and_is_bounded()
    {
        var demo = Demo();
        var found = Compressing.Of(demo, Purposes.SalesRevenue)!;
        (found.Before, found.After, found.Set.Count, found.Gone.Count).ShouldBe((15, 15, 0, 0));
        found.AtLeast.ShouldBeInRange(10, 15);
        var proof = LandingProof.Of(demo, With(demo, found), Purposes.SalesRevenue)!;
        (proof.Combinations, proof.Moved).ShouldBe((found.Combinations, (Int128)0));
        found.Combinations.ShouldBeGreaterThan(50_000);
    }

    [Fact]
    public void Item_by_item_it_is_made_what_it_was()
    {
        // Every instrument written out as an assignment of its own, and the group's own taken away.
        var demo = Demo();
        bool Below(string? group, string above)
        {
            for (
                var at = group;
                at is not null;
                at = demo.SetUp.Groups.First(g => g.Code == at && g.Kind == Core.Records.GroupKind.Item).Parent
            )
                if (at == above)
                    return true;
            return false;
        }
        var own = demo.Landings.AssignmentsOf(Purposes.SalesRevenue);
        var spares = demo.SetUp.Items.Where(i => Below(i.Group, "PARTS")).ToList();
        spares.Count.ShouldBeGreaterThan(40);
        var written = new CompiledSetUp(
            demo.SetUp with
            {
                Assignments =
                [
                    .. demo.SetUp.Assignments.Where(a =>
                        !(
                            a.Purpose == "sales-revenue"
                            && a.RungName == "item-group"
                            && a.Value(Dimension.ItemGroup) == "PARTS"
                        )
                    ),
                    .. spares.Select(i => new Assignment("sales-revenue", "4020", [new(Dimension.Item, i.Code)])),
                ],
            }
        );
        var found = Compressing.Of(written, Purposes.SalesRevenue)!;
        found.After.ShouldBe(own.Count - found.Untouched);
        var next = With(written, found);
        next.Landings.AssignmentsOf(Purposes.SalesRevenue).Count.ShouldBe(own.Count);
        LandingProof.Of(written, next, Purposes.SalesRevenue)!.Moved.ShouldBe(0);
    }
}
