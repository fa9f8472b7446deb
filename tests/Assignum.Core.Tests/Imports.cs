using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using static Assignum.Core.Tests.Books;

namespace Assignum.Core.Tests;

/// <summary>What an import plans, and what a whole set-up must be.</summary>
public class Imports
{
    private static Sheet Sheet(Part part, string columns, params string[] rows)
    {
        var positions = columns.Split(',').Select(c => part.Columns.ToList().FindIndex(x => x.Name == c)).ToArray();
        return new Sheet(
            part,
            positions.ToHashSet(),
            [
                .. rows.Select(
                    (row, i) =>
                    {
                        var cells = new string?[part.Columns.Count];
                        foreach (var (cell, at) in row.Split(',').Zip(positions))
                            cells[at] = cell.Length == 0 ? null : cell;
                        return (i + 2, cells);
                    }
                ),
            ]
        );
    }

    private static ImportPlan Plan(params Sheet[] sheets) => SetUpImport.Plan(Shop, sheets, true, (_, _) => false);

    private static Fault Fault(SetUp setUp) => SetUpRules.Check(setUp).ShouldHaveSingleItem();

    [Fact]
    public void Cells_that_a_file_lacks_keep_what_they_were()
    {
        var plan = Plan(Sheet(Parts.Items, "code,name,nature", "GLASS,Glass tube,goods"));
        plan.Faults.ShouldBeEmpty();
        var change = plan.Changes.ShouldHaveSingleItem();
        change.Kind.ShouldBe(ChangeKind.Changed);
        change.Cells.ShouldBe([("name", "Glass", "Glass tube")]);
        plan.Next.Items.Single(i => i.Code == "GLASS").StandardCost.ShouldBe(4m);
    }

    [Fact]
    public void A_new_row_has_what_is_shipped_where_the_file_says_nothing()
    {
        var account = Plan(Sheet(Parts.Accounts, "number,name,class,kind", "4999,New,revenue,posting"))
            .Next.Accounts.Single(a => a.Number == "4999");
        (account.Status, account.HandEntries, account.TaxAdmits, account.Tripwire).ShouldBe(
            (RecordStatus.Active, (HandEntries?)null, TaxAdmits.Both, false)
        );
    }

    [Fact]
    public void An_assignment_is_known_by_purpose_and_keys_and_changes_its_account()
    {
        var plan = Plan(Sheet(Parts.Assignments, "purpose,account", "sales-revenue,4020"));
        plan.Changes.ShouldHaveSingleItem()
            .ShouldSatisfyAllConditions(
                c => c.Kind.ShouldBe(ChangeKind.Changed),
                c => c.Label.ShouldBe("sales-revenue"),
                c => c.Cells.ShouldBe([("account", "4000", "4020")])
            );
    }

    [Fact]
    public void Archiving_is_said_apart_from_other_changes() =>
        Plan(Sheet(Parts.Items, "code,name,nature,status", "ADVICE,Advice,service,archived"))
            .Changes.ShouldHaveSingleItem()
            .Kind.ShouldBe(ChangeKind.Archived);

    [Fact]
    public void A_bundle_of_another_entity_is_not_taken() =>
        Plan(Sheet(Parts.Entity, "code,name,currency", "OTHER,Other,EUR"))
            .Faults.ShouldHaveSingleItem()
            .Code.ShouldBe("wrong-entity");

    [Fact]
    public void Faults_between_files_name_the_line_they_stand_on()
    {
        var plan = Plan(Sheet(Parts.Items, "code,name,nature,group", "A,A,goods,RAIN", "B,B,goods,NOWHERE"));
        plan.Faults.ShouldHaveSingleItem()
            .ShouldSatisfyAllConditions(f => f.Row.ShouldBe(3), f => f.Column.ShouldBe("group"));
        plan.Changes.ShouldBeEmpty();
    }

    [Fact]
    public void The_difference_of_a_set_up_with_itself_is_nothing() =>
        SetUpImport.Difference(Shop, Shop).ShouldBeEmpty();

    [Fact]
    public void Written_and_read_a_set_up_is_the_same()
    {
        var faults = new List<Fault>();
        var read = new SetUp { Entity = Shop.Entity };
        foreach (var part in Parts.All)
            read = part.Read(read, part.Write(Shop).Select((r, i) => (i + 2, r)), faults);
        faults.ShouldBeEmpty();
        SetUpImport.Difference(Shop, read).ShouldBeEmpty();
    }

    [Fact]
    public void Groups_that_stand_under_each_other_are_a_cycle() =>
        SetUpRules
            .Check(
                Shop with
                {
                    Groups = [.. Shop.Groups.Select(g => g.Code == "GOODS" ? g with { Parent = "RAIN" } : g)],
                }
            )
            .ShouldAllBe(f => f.Code == "cycle");

    [Fact]
    public void A_task_under_itself_is_a_cycle() =>
        Fault(Shop with { Projects = [new("P", "P", "P")] }).Code.ShouldBe("cycle");

    [Fact]
    public void A_ladder_with_a_rung_twice_is_refused() =>
        Fault(
            Shop with
            {
                Ladders =
                [
                    .. new[] { "item", "party", "item" }.Select(
                        (n, i) => new LadderRow("sales-discount", i + 1, Rung.Parse(n, out _)!)
                    ),
                ],
            }
        )
            .Code.ShouldBe("duplicate-rung");

    [Fact]
    public void Default_stands_last_on_a_ladder() =>
        Fault(
            Shop with
            {
                Ladders =
                [
                    new("sales-discount", 1, Rung.Default),
                    new("sales-discount", 2, Rung.Parse("item", out _)!),
                ],
            }
        )
            .Code.ShouldBe("default-last");

    [Fact]
    public void A_ladder_of_default_alone_says_no_other_rung()
    {
        var shop = Shop with { Ladders = [new("sales-revenue", 1, Rung.Default)] };
        SetUpRules.Check(shop).ShouldBeEmpty();
        new CompiledSetUp(shop).Landings.LadderOf(Purposes.SalesRevenue).Rungs.ShouldBeEmpty();
    }

    [Fact]
    public void A_purpose_borrows_once_and_not_from_itself()
    {
        Fault(Shop with { Borrows = [new("sales-returns", "sales-returns")] }).Code.ShouldBe("cycle");
        SetUpRules
            .Check(
                Shop with
                {
                    Borrows = [new("sales-returns", "sales-revenue"), new("sales-revenue", "project-revenue")],
                }
            )
            .ShouldHaveSingleItem()
            .Code.ShouldBe("cycle");
    }

    [Fact]
    public void A_matrix_cell_holds_a_code_of_its_direction() =>
        Fault(Shop with { TaxMatrix = [new("domestic", "standard", Tax.TaxDirection.Output, "P")] })
            .Code.ShouldBe("wrong-direction");

    [Fact]
    public void Periods_do_not_overlap_and_do_not_end_before_they_begin()
    {
        Fault(
            Shop with
            {
                Periods =
                [
                    new(new(2026, 1, 1), new(2026, 1, 31), false),
                    new(new(2026, 1, 31), new(2026, 2, 28), false),
                ],
            }
        )
            .Code.ShouldBe("bad-period");
        Fault(Shop with { Periods = [new(new(2026, 2, 1), new(2026, 1, 1), false)] }).Code.ShouldBe("bad-period");
    }

    [Fact]
    public void Weak_choices_are_no_faults_of_form()
    {
        var weak = With(Assign(Purposes.SalesRevenue, "1100", (Dimension.Item, "GAUGE")));
        SetUpRules
            .Check(weak with { Accounts = [.. weak.Accounts.Select(a => a with { Status = RecordStatus.Archived })] })
            .ShouldBeEmpty();
    }

    [Fact]
    public void A_group_of_customers_and_one_of_suppliers_may_share_a_code_and_an_assignment_means_both()
    {
        var shop = With(
            Assign(Purposes.NonStockCost, "6100", (Dimension.PartyGroup, "LOCAL")),
            Assign(Purposes.SalesRevenue, "4010", (Dimension.PartyGroup, "LOCAL"))
        );
        shop = shop with
        {
            Groups = [.. shop.Groups, new(GroupKind.Customer, "LOCAL", "Local customers", null)],
            Parties = [.. shop.Parties.Select(p => p.Code == "CUST" ? p with { CustomerGroup = "LOCAL" } : p)],
        };
        var books = new Books(shop);
        books
            .Post(
                Event(
                    "supplier-invoice",
                    e => e.Party = "SUPP",
                    new Events.EventLine { Item = "ADVICE", UnitPrice = 1m }
                )
            )
            .Lines[0]
            .Account.ShouldBe("6100");
        books
            .Post(
                Event("sales-invoice", e => e.Party = "CUST", new Events.EventLine { Item = "ADVICE", UnitPrice = 1m })
            )
            .Lines[1]
            .Account.ShouldBe("4010");
    }
}
