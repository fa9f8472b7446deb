using Assignum.Core.Chart;
using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Core.Tax;
using Assignum.Core.Upkeep;
using static Assignum.Core.Tests.Books;

namespace Assignum.Core.Tests;

/// <summary>What forms and lists decide, without any form or list.</summary>
public class Upkeeping
{
    [Fact]
    public void A_documents_fields_are_those_its_kind_takes_and_what_it_needs_is_among_them()
    {
        foreach (var kind in EventKinds.All)
        {
            var fields = DocumentShape.Fields(kind).Select(f => f.Name).ToList();
            fields.ShouldContain("date", kind.Name);
            fields
                .Where(f => DocumentShape.IsNeeded(kind, f))
                .ShouldBe(fields.Where(f => f == "date" || kind.Needs.Contains(f)), kind.Name);
            DocumentShape
                .Columns(kind, "lines")
                .Select(c => c.Name)
                .ShouldBe(kind.LineTakes.Where(n => EventFields.OfLine.Any(f => f.Name == n)), kind.Name);
            (DocumentShape.Columns(kind, "charges").Count > 0).ShouldBe(kind.TakesCharges, kind.Name);
            (DocumentShape.Columns(kind, "settles").Count > 0).ShouldBe(kind.Settles, kind.Name);
        }
        // A charge of one's own carries no account; a supplier's does.
        DocumentShape.Columns(EventKinds.Find("sales-invoice")!, "charges").ShouldNotContain(c => c.Name == "account");
        DocumentShape.Columns(EventKinds.Find("supplier-invoice")!, "charges").ShouldContain(c => c.Name == "account");
    }

    [Theory]
    [InlineData("hand-entry", "lines", "hand-entry")]
    [InlineData("customer-payment", "settles", "receivables")]
    [InlineData("supplier-payment", "settles", "payables")]
    [InlineData("sales-invoice", "receivablesAccount", "receivables")]
    public void An_account_written_on_a_document_stands_for_a_purpose(string kind, string field, string purpose) =>
        DocumentShape.PurposeOf(EventKinds.Find(kind)!, field).ShouldBe(purpose);

    [Fact]
    public void A_new_account_is_like_the_one_that_serves_the_purpose_with_the_next_number()
    {
        var setUp = Shop with
        {
            Assignments = [.. Shop.Assignments, Assign(Purposes.SalesRevenue, "4010", (Dimension.Item, "GLASS"))],
        };
        var cells = NewAccount.For(setUp, Purposes.SalesRevenue, "Sleet gauges", out var like);
        like!.Number.ShouldBe("4000");
        (cells["name"], cells["class"], cells["kind"], cells["status"]).ShouldBe(
            ("Sleet gauges", "revenue", "posting", "active")
        );
        setUp.Accounts.ShouldNotContain(a => a.Number == cells["number"]);
        // A number is one that begins with a digit and has no blank.
        NewAccount.For(setUp, Purposes.SalesRevenue, " 4999 ", out _)["number"].ShouldBe("4999");
        NewAccount.For(setUp, Purposes.SalesRevenue, "4 seasons", out _)["name"].ShouldBe("4 seasons");
        // Nothing serves it yet: what the purpose accepts.
        var bare = setUp with { Accounts = [], Assignments = [] };
        var first = NewAccount.For(bare, Purposes.Receivables, null, out var none);
        none.ShouldBeNull();
        (first["class"], first["control"]).ShouldBe(("asset", "receivables"));
    }

    [Fact]
    public void An_account_is_shown_where_it_would_stand_before_it_is_saved()
    {
        var setUp = Shop with
        {
            Accounts =
            [
                .. Shop.Accounts,
                new Account("4", "Sales", AccountClass.Revenue, AccountKind.Heading),
                new Account("40", "Goods", AccountClass.Revenue, AccountKind.Heading, "4"),
            ],
        };
        var balances = new Dictionary<string, decimal>();
        Dictionary<string, string?> Typed(params (string, string?)[] cells) =>
            cells.ToDictionary(c => c.Item1, c => c.Item2);
        var rows = NewAccount.Place(
            setUp,
            null,
            Typed(("number", "4030"), ("name", "Sleet"), ("class", "revenue"), ("parent", "40")),
            balances,
            out var number
        );
        number.ShouldBe("4030");
        rows.ShouldContain(r => r.Number == "4030");
        // No class yet; a number that is taken; a heading below itself.
        NewAccount.Place(setUp, null, Typed(("number", "4031")), balances, out _).ShouldBeEmpty();
        NewAccount.Place(setUp, null, Typed(("number", "4000"), ("class", "asset")), balances, out _).ShouldBeEmpty();
        var heading = setUp.Accounts.Single(a => a.Number == "4");
        NewAccount.Place(setUp, heading, Typed(("parent", "40")), balances, out _).ShouldBeEmpty();
        NewAccount.Place(setUp, heading, Typed(("name", "All sales")), balances, out _).ShouldNotBeEmpty();
    }

    [Fact]
    public void Records_wait_for_a_group_of_each_kind_that_they_are()
    {
        var setUp = Shop with
        {
            Parties =
            [
                new("A", "A", PartyKind.Both, "SHOPS"),
                new("B", "B", PartyKind.Both, "SHOPS", "LOCAL"),
                new("C", "C", PartyKind.Customer),
                new("D", "D", PartyKind.Supplier, "SHOPS"),
                new("E", "E", PartyKind.Customer, Status: RecordStatus.Archived),
            ],
        };
        string[] Only(string only) =>
            [.. RecordList.Of(setUp, Parts.Parties, new(Only: only)).Select(l => l.Cells[0]!)];
        Only("no-group").ShouldBe(["A", "C", "D"]);
        Only("archived").ShouldBe(["E"]);
        RecordList.Ungrouped(setUp, Parts.Parties).ShouldBe(3);
        RecordList.Ungrouped(setUp, Parts.Channels).ShouldBeNull();
        // A task has its project's group.
        RecordList
            .Of(setUp, Parts.Projects, new(Only: "no-group"))
            .Select(l => l.Cells[0])
            .ShouldBe(["P-DONE", "P-SHARE"]);
        // A group's records and those of the groups below it.
        RecordList.Of(setUp, Parts.Items, new(Group: "GAUGES")).Select(l => l.Cells[0]).ShouldBe(["GAUGE"]);
        RecordList.Of(setUp, Parts.Items, new(Text: "bENCH")).Select(l => l.Cells[0]).ShouldBe(["HOUR"]);
    }

    [Fact]
    public void Groups_stand_in_their_tree_with_how_many_they_have()
    {
        RecordList
            .Of(Shop, GroupKind.Item, new())
            .Select(l => (l.Cells[1], l.Depth, l.Members!.Value.Own, l.Members.Value.All))
            .ShouldBe([("GOODS", 0, 1, 2), ("GAUGES", 1, 0, 1), ("RAIN", 2, 1, 1)]);
        RecordList.Of(Shop, GroupKind.Customer, new(Only: "empty")).ShouldBeEmpty();
        RecordList
            .Of(Shop with { Parties = [] }, GroupKind.Supplier, new(Only: "empty"))
            .Select(l => l.Cells[1])
            .ShouldBe(["LOCAL"]);
    }

    [Fact]
    public void An_account_is_unused_where_neither_draft_nor_edition_nor_entries_name_it()
    {
        var draft = Shop with { Assignments = [Assign(Purposes.SalesRevenue, "4000")] };
        var live = Shop with { Assignments = [Assign(Purposes.SalesRevenue, "4010")] };
        bool Posted(string number) => number == "4020";
        var fits = new ChartNarrowing(null, "revenue", null, "unused").In(draft, live, Posted);
        draft.Accounts.Where(fits).ShouldBeEmpty();
        draft
            .Accounts.Where(new ChartNarrowing(null, "revenue", null, "unused").In(draft, null, Posted))
            .Select(a => a.Number)
            .ShouldBe(["4010"]);
        draft
            .Accounts.Where(new ChartNarrowing(" 14", null, "any", null).In(draft, null, Posted))
            .Select(a => a.Number)
            .ShouldBe(["1400", "1440", "1450", "1460"]);
        new ChartNarrowing(" ", "", null, null).Narrows.ShouldBeFalse();
    }

    [Fact]
    public void A_rate_is_entered_in_percent_once_for_all_codes()
    {
        var (changes, fault) = TaxEdits.Rate(["A", "B"], "13.5", "2026-07-01");
        fault.ShouldBeNull();
        changes.Select(c => string.Join(' ', c.After!)).ShouldBe(["A 2026-07-01 0.135", "B 2026-07-01 0.135"]);
        TaxEdits.Rate(["A"], "13,5 %", "2026-07-01").Changes[0].After![2].ShouldBe("0.135");
        TaxEdits.Rate([], "13.5", "2026-07-01").Fault!.Path.ShouldBe("codes");
        foreach (var wrong in new[] { null, "", "1,350", "-1", "1000.1", "1e2", "NaN" })
            TaxEdits.Rate(["A"], wrong, "2026-07-01").Fault!.Path.ShouldBe("percent", wrong);
        TaxEdits.Cell("domestic", "standard", TaxDirection.Output, "S", "S").ShouldBeNull();
        TaxEdits.Cell("domestic", "standard", TaxDirection.Output, "", "S")!.Kind.ShouldBe(ChangeKind.Added);
        TaxEdits.Cell("domestic", "standard", TaxDirection.Output, "S", "")!.Kind.ShouldBe(ChangeKind.Removed);
        TaxEdits
            .Cell("domestic", "standard", TaxDirection.Input, "S", "T")!
            .After.ShouldBe(["domestic", "standard", "input", "T"]);
    }
}
