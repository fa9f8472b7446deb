using Assignum.Core.Chart;
using Assignum.Core.Entries;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using static Assignum.Core.Tests.Books;

namespace Assignum.Core.Tests;

/// <summary>Examples of the kinds, life cycles as T-accounts, and edits of rows.</summary>
public class ExamplesAndEdits
{
    private static readonly DateOnly Day = new(2026, 3, 14);

    [Fact]
    public void Every_kind_has_an_example_or_says_which_record_it_lacks()
    {
        var full = new CompiledSetUp(
            Shop with
            {
                Accounts =
                [
                    .. Shop.Accounts.Select(a => a.Number == "1100" ? a with { Revalue = true } : a),
                    Account("3000", AccountClass.Equity),
                ],
                OtherEntities = ["OTHER"],
                Items =
                [
                    .. Shop.Items,
                    new("MADE", "Made", Records.ItemNature.Goods, true, null, "standard"),
                    new("HAND", "Labour", Records.ItemNature.Labour, false, null, "standard"),
                ],
                Parties =
                [
                    new("ANN", "Ann", Records.PartyKind.Customer, null, null, "domestic"),
                    new("BOB", "Bob", Records.PartyKind.Supplier, null, null, "domestic"),
                    new("CAT", "Cat", Records.PartyKind.Both, null, null, "domestic"),
                ],
                Locations = [new("CORK", "Cork"), new("UTR", "Utrecht")],
                Channels = [new("WEB", "Web")],
                Methods = [new("BANK", "Bank"), new("CARD", "Card")],
                Projects = [new("SITE", "Site", Recognise: Records.Recognise.ByCostShare)],
            }
        );
        foreach (var kind in EventKinds.All)
        {
            var (example, lacks) = Examples.Of(kind, full, Day);
            lacks.ShouldBeNull(kind.Name);
            // The form is sound: no unknown record, no missing field. (Whether it lands is the set-up's business.)
            new EntryBuilder(full, (_, _) => full, new ExampleDocuments(full))
                .Build(example!)
                .Errors.ShouldAllBe(
                    e =>
                        e.Code == "unresolved"
                        || e.Code == "no-tax-code"
                        // Nothing landed, so there is nothing to move.
                        || kind.Name == "allocation" && e.Code == "document-unknown",
                    kind.Name
                );
        }
        var empty = new CompiledSetUp(SetUpDefaults.Empty(new Entity("NEW", "New", "EUR")));
        Examples.Of(EventKinds.Find("sales-invoice")!, empty, Day).ShouldBe((null, "a customer"));
        Examples.Of(EventKinds.Find("stock-adjusted")!, empty, Day).ShouldBe((null, "a stock item"));
    }

    [Fact]
    public void Kinds_are_each_in_one_family() => EventKinds.Families.SelectMany(f => f.Kinds).ShouldBe(EventKinds.All);

    [Fact]
    public void A_life_cycle_shows_running_balances_and_which_accounts_between_come_to_zero()
    {
        // Received at 420, invoiced at 430: what was received is settled, 10 is variance.
        var setUp = new CompiledSetUp(Shop);
        var builder = new EntryBuilder(setUp);
        var received = builder.Build(
            Event(
                "goods-received",
                e => e.Party = "SUPP",
                new Events.EventLine
                {
                    Item = "GAUGE",
                    Quantity = 10,
                    UnitCost = 42,
                }
            )
        );
        var invoiced = builder.Build(
            Event(
                "supplier-invoice",
                e => e.Party = "SUPP",
                new Events.EventLine
                {
                    Item = "GAUGE",
                    Quantity = 10,
                    UnitPrice = 43,
                    ReceiptCost = 420,
                    TaxCode = "P",
                }
            )
        );
        received.Errors.Concat(invoiced.Errors).ShouldBeEmpty();
        var accounts = LifeCycle.Of([received.Entry, null, invoiced.Entry]).ToDictionary(a => a.Number);
        accounts["2150"].Lines.ShouldBe([new TLine(1, 0, 420, -420), new TLine(3, 420, 0, 0)]);
        (accounts["2150"].Between, accounts["2150"].Balance).ShouldBe((true, 0m));
        (accounts["2100"].Between, accounts["2100"].Balance).ShouldBe((true, -528.90m));
        accounts.Values.Sum(a => a.Balance).ShouldBe(0);
    }

    [Fact]
    public void Under_other_policies_landings_stay_and_patterns_change()
    {
        var setUp = new CompiledSetUp(Shop);
        var periodic = setUp.Under([new PolicyRow("stock-method", "periodic")]);
        periodic.Landings.ShouldBeSameAs(setUp.Landings);
        Reach
            .Idle(setUp)
            .Keys.ShouldBe(
                [
                    Purposes.ShippedNotInvoiced,
                    Purposes.PurchaseDiscount,
                    Purposes.DeferredRevenue,
                    Purposes.UnbilledRevenue,
                ],
                ignoreOrder: true
            );
        Reach.Idle(periodic)[Purposes.CostOfSales].ShouldBe("stock-method periodic");
        Reach.Needed(periodic).ShouldContain(Purposes.Stock);
        var shipped = Event(
            "goods-shipped",
            e => e.Party = "CUST",
            new Events.EventLine { Item = "GAUGE", UnitCost = 5 }
        );
        new EntryBuilder(setUp).Build(shipped).Outcome.ShouldBe("posted");
        new EntryBuilder(periodic).Build(shipped).Outcome.ShouldBe("nothing");
    }

    private static string?[] Cell(SetUp setUp, string standing) =>
        Parts.TaxMatrix.Write(setUp).First(r => r[0] == standing && r[2] == "output");

    [Fact]
    public void An_edit_against_what_was_seen_is_made_and_turned_back()
    {
        var seen = Cell(Shop, "domestic");
        var edit = SetUpEdit.Row(Parts.TaxMatrix, seen, new Dictionary<string, string?> { ["code"] = "Z" });
        var withZ = Shop with { TaxCodes = [.. Shop.TaxCodes, new("Z", "Zero", Core.Tax.TaxDirection.Output, "Z")] };
        var plan = SetUpEdit.Plan(withZ, [edit], (_, _) => false);
        plan.Faults.ShouldBeEmpty();
        plan.Changes.ShouldHaveSingleItem().Cells.ShouldBe([("code", seen[3], "Z")]);
        var back = SetUpEdit.Plan(plan.Next, SetUpEdit.Reverse(plan.Changes), (_, _) => false);
        back.Faults.ShouldBeEmpty();
        SetUpImport.Difference(withZ, back.Next).ShouldBeEmpty();
    }

    [Fact]
    public void An_edit_of_what_somebody_else_changed_is_refused_cell_by_cell()
    {
        var seen = Parts.Parties.Write(Shop)[0];
        var theirs = Shop with
        {
            Parties = [.. Shop.Parties.Select(p => p.Code == seen[0] ? p with { Country = "NL" } : p)],
        };
        var mine = SetUpEdit.Row(Parts.Parties, seen, new Dictionary<string, string?> { ["name"] = "New name" });
        var fault = SetUpEdit.Plan(theirs, [mine], (_, _) => false).Faults.ShouldHaveSingleItem();
        (fault.Code, fault.Column).ShouldBe(("changed-meanwhile", "country"));
        fault.Message.ShouldContain("to 'NL'");

        SetUpEdit
            .Plan(Shop, [new RowChange(Parts.Parties, ChangeKind.Added, seen[0]!, null, seen)], (_, _) => false)
            .Faults.ShouldHaveSingleItem()
            .Code.ShouldBe("exists");
        SetUpEdit
            .Plan(Shop, [new RowChange(Parts.Parties, ChangeKind.Removed, seen[0]!, seen, null)], (_, _) => true)
            .Faults.ShouldContain(f => f.Code == "in-use");
        var orphan = SetUpEdit.Row(
            Parts.Items,
            Parts.Items.Write(Shop)[0],
            new Dictionary<string, string?> { ["group"] = "NOWHERE" }
        );
        SetUpEdit
            .Plan(Shop, [orphan], (_, _) => false)
            .Faults.ShouldHaveSingleItem()
            .Code.ShouldBe("unknown-reference");
    }
}
