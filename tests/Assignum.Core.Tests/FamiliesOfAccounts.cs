using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Core.Upkeep;
using static Assignum.Core.Tests.Books;

namespace Assignum.Core.Tests;

/// <summary>Product lines as accounts tell them.</summary>
public class FamiliesOfAccounts
{
    private static readonly DateOnly Today = new(2026, 11, 1);

    // Gauges on accounts of brass save their revenue, which has no family; glass has revenue of its own and no stock.
    private static readonly SetUp Lines = Shop with
    {
        Accounts =
        [
            .. Shop.Accounts.Select(a =>
                a.Number switch
                {
                    "1400" or "5000" => a with { Family = "brass" },
                    "4010" => a with { Family = "glass", Name = "Glass sold" },
                    "4020" => a with { Name = "Glassware, second choice" },
                    _ => a,
                }
            ),
            Account("1410", AccountClass.Asset, Control.Stock) with
            {
                Name = "Other glass",
            },
        ],
        Assignments =
        [
            .. Shop.Assignments,
            new Assignment("sales-revenue", "4010", [new KeyPart(Dimension.Item, "GLASS")]),
        ],
    };

    [Fact]
    public void Groups_stand_beside_their_sisters_with_three_accounts_each()
    {
        var rows = new Families(new CompiledSetUp(Lines), Today).Groups();
        rows.Select(r => (r.Group.Code, r.Depth, r.Items))
            .ShouldBe([("GOODS", 0, 2), ("GAUGES", 1, 1), ("RAIN", 2, 1)]);
        rows[0]
            .Landings.Select(l => (l.Account!.Number, l.Family))
            .ShouldBe([("1400", "brass"), ("4000", null), ("5000", "brass")]);
        rows.ShouldAllBe(r => !r.Mixed);
    }

    [Fact]
    public void A_family_lacks_what_another_has()
    {
        var matrix = new Families(new CompiledSetUp(Lines), Today).Matrix();
        matrix.Select(m => m.Family).ShouldBe(["brass", "glass"]);
        FamilyCell Of(string family, string purpose) =>
            matrix.Single(m => m.Family == family).Cells.Single(c => c.Purpose.Name == purpose);
        Of("brass", "stock").Accounts.Single().Number.ShouldBe("1400");
        Of("glass", "stock").Missing.ShouldBeTrue();
        Of("glass", "sales-revenue").Accounts.Single().Number.ShouldBe("4010");
        Of("brass", "sales-revenue").Missing.ShouldBeTrue();
        // Nobody has one for what no family has an account for.
        matrix[0].Cells.ShouldNotContain(c => c.Purpose.Name == "sales-discount");
    }

    [Fact]
    public void Families_are_proposed_by_habit_and_by_name_and_taken_as_rows()
    {
        var proposals = new Families(new CompiledSetUp(Lines), Today).Proposals();
        (string Family, string Why) For(string account)
        {
            var one = proposals.Single(p => p.Account.Number == account);
            return (one.Family, one.Why);
        }
        // What lands on 4000 has stock and cost on accounts of brass.
        For("4000").ShouldBe(("brass", "what lands here has its other accounts there"));
        For("1410").ShouldBe(("glass", "its name"));
        var faults = new List<Fault>();
        var rows = Families.Rows(Lines, new Dictionary<string, string> { ["4000"] = "brass" });
        var next = Parts.Accounts.With(Lines, [.. rows.Select((r, i) => (i, r.Key, r.After))], faults);
        faults.ShouldBeEmpty();
        next.Accounts.Single(a => a.Number == "4000").Family.ShouldBe("brass");
        new Families(new CompiledSetUp(next), Today).Proposals().ShouldNotContain(p => p.Account.Number == "4000");
    }
}
