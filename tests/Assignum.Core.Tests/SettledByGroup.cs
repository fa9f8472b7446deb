using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.Landing;
using Assignum.Core.Pairing;
using Assignum.Core.SetUps;
using static Assignum.Core.Tests.Books;

namespace Assignum.Core.Tests;

/// <summary>What somebody settled stays settled where an item decides and another item comes first.</summary>
public class SettledByGroup
{
    private static readonly SetUp Grouped = With(
        Assign(Purposes.CostOfSales, "5100", (Dimension.ItemGroup, "GAUGES")),
        Assign(Purposes.CostOfSales, "5400", (Dimension.ItemGroup, "GOODS"))
    );

    private static BusinessEvent Shipped(string item) =>
        Event(
            "goods-shipped",
            e =>
            {
                e.Party = "CUST";
                e.Location = "CORK";
            },
            new EventLine
            {
                Item = item,
                Quantity = 1,
                UnitCost = 4,
            }
        );

    private static PurposeLanding CostOfSales(SetUp setUp) =>
        ReachedPurposes
            .Of(
                new CompiledSetUp(setUp),
                [EventKinds.Find("goods-shipped")!],
                ([], [], []),
                [Shipped("GAUGE"), Shipped("GLASS")],
                new(2026, 3, 14),
                new Dictionary<string, string>()
            )
            .Single(l => l.Purpose == Purposes.CostOfSales);

    private static SettledPurpose Said(string how, string account, string rung) =>
        new(Purposes.CostOfSales.Name, "", "", "", how, account, rung, null, "nora", default);

    [Fact]
    public void What_was_meant_for_one_group_stands_though_an_item_of_another_comes_first()
    {
        var landing = CostOfSales(Grouped);
        (landing.Account, landing.Rung).ShouldBe(("5100", "item-group"));
        landing.Examples.ShouldBe([("item-group", "5100"), ("item-group", "5400")], ignoreOrder: true);
        landing.As(Said("confirmed", "5400", "item-group"))!.Account.ShouldBe("5400");
        landing.As(Said("confirmed", "5100", "item-group"))!.Account.ShouldBe("5100");
        // It was given an account: that is on a rung which did not decide when it was said.
        landing.As(Said("account", "5400", "default"))!.Rung.ShouldBe("item-group");
    }

    [Fact]
    public void What_lands_elsewhere_than_when_it_was_said_is_open_again()
    {
        var landing = CostOfSales(Grouped);
        // Nothing falls to the default any more, nor to a rung by which something else lands there.
        landing.As(Said("default", "5000", "default")).ShouldBeNull();
        landing.As(Said("confirmed", "5400", "item")).ShouldBeNull();
        CostOfSales(
                With(
                    Assign(Purposes.CostOfSales, "5100", (Dimension.ItemGroup, "GAUGES")),
                    Assign(Purposes.CostOfSales, "5000", (Dimension.ItemGroup, "GOODS"))
                )
            )
            .As(Said("confirmed", "5400", "item-group"))
            .ShouldBeNull();
    }
}
