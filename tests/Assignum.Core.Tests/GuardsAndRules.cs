using Assignum.Core.Chart;
using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using static Assignum.Core.Tests.Books;

namespace Assignum.Core.Tests;

/// <summary>The guards one by one, and what an event must be before any leg is thought of.</summary>
public class GuardsAndRules
{
    private static SetUp Change(string account, Func<Account, Account> change) =>
        Shop with
        {
            Accounts = [.. Shop.Accounts.Select(a => a.Number == account ? change(a) : a)],
        };

    private static Fault? Said(SetUp shop, Action<BusinessEvent>? fill = null, EventLine? line = null) =>
        new Books(shop)
            .Try(
                Event(
                    "sales-invoice",
                    e =>
                    {
                        e.Party = "CUST";
                        fill?.Invoke(e);
                    },
                    line ?? new EventLine { Item = "GAUGE", UnitPrice = 10m }
                )
            )
            .Entry!.Remarks.SingleOrDefault();

    [Fact]
    public void A_heading_takes_no_amounts() =>
        Said(Change("4000", a => a with { Kind = AccountKind.Heading }))!.Code.ShouldBe("account-heading");

    [Fact]
    public void An_account_written_that_does_not_exist_is_an_error() =>
        Said(
                Shop,
                null,
                new EventLine
                {
                    Item = "GAUGE",
                    UnitPrice = 10m,
                    Account = "9999",
                }
            )!
            .ShouldSatisfyAllConditions(r => r.Code.ShouldBe("account-missing"), r => r.Account.ShouldBe("9999"));

    [Fact]
    public void A_class_that_the_purpose_does_not_take_is_an_error() =>
        Said(Change("4000", a => a with { Class = AccountClass.OtherIncome }))!.Code.ShouldBe("class");

    [Fact]
    public void A_control_purpose_needs_a_control_account() =>
        Said(Change("1200", a => a with { Control = Control.None }))!.Code.ShouldBe("control-needed");

    [Theory]
    [InlineData(PartyKinds.Customers, null)]
    [InlineData(PartyKinds.All, null)]
    [InlineData(PartyKinds.Suppliers, "party-kind")]
    [InlineData(PartyKinds.Suppliers | PartyKinds.Customers, null)]
    public void Receivables_admit_the_kinds_of_party_they_name(PartyKinds kinds, string? code) =>
        Said(Change("1200", a => a with { PartyKinds = kinds }))?.Code.ShouldBe(code);

    [Fact]
    public void A_party_that_is_both_is_either()
    {
        var shop = Change("1200", a => a with { PartyKinds = PartyKinds.Suppliers });
        Said(shop with { Parties = [.. shop.Parties.Select(p => p with { Kind = PartyKind.Both })] }).ShouldBeNull();
    }

    [Theory]
    [InlineData("centre=required", null, "dimension-required")]
    [InlineData("centre=required", "C1", null)]
    [InlineData("centre=forbidden", "C1", "dimension-forbidden")]
    [InlineData("centre=forbidden", null, null)]
    public void Reporting_dimensions_are_required_or_forbidden(string rule, string? value, string? code)
    {
        var said = Said(Change("4000", a => a with { DimensionRules = rule }), e =>
            e.Dimensions = value is null ? null : new Dictionary<string, string> { ["centre"] = value }
        );
        said?.Code.ShouldBe(code);
        (said is null).ShouldBe(code is null);
    }

    [Fact]
    public void A_value_that_its_dimension_does_not_list_is_unknown()
    {
        var shop = Shop with { DimensionValues = [new("centre", "C1", "Workshop")] };
        new Books(shop)
            .Try(
                Event(
                    "sales-invoice",
                    e =>
                    {
                        e.Party = "CUST";
                        e.Dimensions = new Dictionary<string, string> { ["centre"] = "C2" };
                    },
                    new EventLine { Item = "GAUGE", UnitPrice = 1m }
                )
            )
            .Errors.ShouldHaveSingleItem()
            .Path.ShouldBe("dimensions.centre");
    }

    [Fact]
    public void An_account_with_a_currency_takes_only_that_currency() =>
        Said(Change("1200", a => a with { Currency = "USD" }))!.Code.ShouldBe("currency");

    [Theory]
    [InlineData(TaxAdmits.Output, null)]
    [InlineData(TaxAdmits.Both, null)]
    [InlineData(TaxAdmits.Input, "tax-use")]
    [InlineData(TaxAdmits.None, "tax-use")]
    public void Revenue_admits_the_directions_of_tax_it_says(TaxAdmits admits, string? code)
    {
        var said = Said(Change("4000", a => a with { TaxAdmits = admits }));
        said?.Code.ShouldBe(code);
        (said is null).ShouldBe(code is null);
    }

    [Fact]
    public void Archived_records_are_warned_of_once_each()
    {
        var shop = Shop with
        {
            Items = [.. Shop.Items.Select(i => i.Code == "GAUGE" ? i with { Status = RecordStatus.Archived } : i)],
        };
        var entry = new Books(shop).Post(
            Event(
                "sales-invoice",
                e => e.Party = "CUST",
                new EventLine { Item = "GAUGE", UnitPrice = 1m },
                new EventLine { Item = "GAUGE", UnitPrice = 2m }
            )
        );
        entry
            .Remarks.ShouldHaveSingleItem()
            .ShouldSatisfyAllConditions(
                r => r.Code.ShouldBe("archived-record"),
                r => r.Message.ShouldBe("Item GAUGE is archived.")
            );
    }

    [Fact]
    public void A_kind_that_is_none_is_told_the_kinds() =>
        new Books(Shop)
            .Try(Event("sales-invioce"))
            .Errors.ShouldHaveSingleItem()
            .ShouldSatisfyAllConditions(
                e => e.Code.ShouldBe("unknown-kind"),
                e => e.Message.ShouldContain("sales-invoice")
            );

    [Theory]
    [InlineData("USD", null, "rate", "missing-rate")]
    [InlineData("USD", -1.0, "rate", "bad-rate")]
    [InlineData("DOUBLOON", 1.0, "currency", "unknown-record")]
    public void A_foreign_currency_needs_a_rate_above_zero(string currency, double? rate, string path, string code) =>
        new Books(Shop)
            .Try(Event("interest-charged", e =>
                {
                    e.Party = "CUST";
                    e.Amount = 1m;
                    e.Currency = currency;
                    e.Rate = (decimal?)rate;
                }))
            .Errors.ShouldContain(e => e.Path == path && e.Code == code);

    [Theory]
    [InlineData("EUR", 1.001)]
    [InlineData("JPY", 1.5)]
    public void An_amount_finer_than_its_currency_is_an_error(string currency, double amount) =>
        new Books(Shop)
            .Try(Event("interest-charged", e =>
                {
                    e.Party = "CUST";
                    e.Amount = (decimal)amount;
                    e.Currency = currency;
                    e.Rate = 1m;
                }))
            .Errors.ShouldHaveSingleItem()
            .Code.ShouldBe("too-many-decimals");

    [Fact]
    public void What_is_missing_is_all_named_at_once() =>
        new Books(Shop)
            .Try(Event("stock-moved", null, new EventLine(), new EventLine { Item = "GAUGE" }))
            .Errors.Select(e => e.Path)
            .ShouldBe(["fromLocation", "toLocation", "lines[0].item"]);

    [Fact]
    public void A_kind_with_lines_needs_one() =>
        new Books(Shop)
            .Try(Event("goods-shipped", e => e.Party = "CUST"))
            .Errors.ShouldHaveSingleItem()
            .Path.ShouldBe("lines");

    [Fact]
    public void The_line_text_is_made_from_its_template()
    {
        var books = new Books(With(("line-text", "{kind} {reference}: {item} to {party} {text}")));
        var entry = books.Post(
            Event(
                "sales-invoice",
                e =>
                {
                    e.Party = "CUST";
                    e.Reference = "I-1";
                    e.Text = "thanks";
                },
                new EventLine { Item = "GAUGE", UnitPrice = 1m }
            )
        );
        entry.Lines[1].Text.ShouldBe("sales-invoice I-1: Rain gauge to Customer thanks");
    }

    [Fact]
    public void Every_kind_names_only_fields_that_exist_and_every_field_is_of_some_use()
    {
        var fields = EventFields.OfEvent.Select(f => f.Name).ToHashSet();
        var lines = EventFields.OfLine.Select(f => f.Name).ToHashSet();
        foreach (var kind in EventKinds.All)
        {
            kind.Takes.Concat(kind.Needs).Except(fields).ShouldBeEmpty(kind.Name);
            kind.Needs.Except(kind.Takes).ShouldBeEmpty(kind.Name);
            kind.LineTakes.Concat(kind.LineNeeds).Except(lines).ShouldBeEmpty(kind.Name);
            kind.LineNeeds.Except(kind.LineTakes).ShouldBeEmpty(kind.Name);
            kind.Explain.ShouldEndWith(".");
        }
        EventKinds
            .All.SelectMany(k => k.Takes)
            .Concat(["date", "currency", "rate", "reference", "text", "dimensions", "reason", "taxDate", "sequence"])
            .Distinct()
            .ShouldBe(fields, ignoreOrder: true);
    }

    [Fact]
    public void A_rung_is_read_and_refused_by_its_name()
    {
        Rung.Parse("item-group+party-group", out _)!.Dimensions.ShouldBe([Dimension.ItemGroup, Dimension.PartyGroup]);
        foreach (
            var (name, why) in new[]
            {
                ("item+item", "twice"),
                ("item+line", "alone"),
                ("item+party+location+channel", "three"),
                ("colour", "no dimension"),
            }
        )
        {
            Rung.Parse(name, out var said).ShouldBeNull();
            said.ShouldContain(why);
        }
    }

    [Fact]
    public void Every_purpose_has_a_ladder_without_repeated_rungs_and_a_plain_sentence()
    {
        Purposes.All.Count.ShouldBe(49);
        foreach (var purpose in Purposes.All)
        {
            purpose.Shipped.Select(r => r.Set).ShouldBeUnique(purpose.Name);
            purpose.Shipped.Count.ShouldBeLessThanOrEqualTo(PurposeResolver.MaxRungs);
            purpose.Explain.ShouldEndWith(".");
            Purposes.Find(purpose.Name).ShouldBeSameAs(purpose);
        }
    }

    [Fact]
    public void The_nearest_word_is_the_one_with_the_fewest_edits()
    {
        Nearest.To("sales-revenu", Purposes.All.Select(p => p.Name)).ShouldBe("sales-revenue");
        // One letter away, then two; what is three away is another word.
        Nearest
            .Among("RG-10", ["RG-2000", "RG-100", "RX-100", "RG-10X", "BAR"], 2)
            .ShouldBe(["RG-100", "RG-10X", "RX-100"]);
    }
}
