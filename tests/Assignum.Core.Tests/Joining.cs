using Assignum.Core.Checks;
using Assignum.Core.Events;
using Assignum.Core.Pairing;
using Assignum.Core.SetUps;
using Assignum.Core.Tax;

namespace Assignum.Core.Tests;

/// <summary>What of theirs is what of ours: codes, words, tax codes and groups.</summary>
public class Joining
{
    private static readonly SetUp Ours = SetUpDefaults.Empty(new Entity("X", "X", "EUR")) with
    {
        TaxCodes = [new TaxCode("S23", "Standard", TaxDirection.Output, "S", Authority: "home")],
        TaxRates =
        [
            new TaxRate("S23", new DateOnly(2020, 1, 1), 0.23m),
            new TaxRate("S23", new DateOnly(2027, 1, 1), 0.225m),
        ],
        TaxMatrix = [new TaxMatrixCell("domestic", "standard", TaxDirection.Output, "S23")],
    };

    private static readonly DateOnly Today = new(2026, 6, 1);

    [Fact]
    public void An_event_is_put_into_our_codes_or_says_what_is_missing()
    {
        BusinessEvent Sale() =>
            new()
            {
                Kind = "channel-sale",
                Channel = "web",
                Standing = "home",
                Lines = [new EventLine { Item = "sku-1", TaxCode = "FULL" }, new EventLine { Item = "sku-2" }],
            };
        Translator
            .NamedIn(Sale())
            .ShouldBe(
                [
                    new("channel", "web"),
                    new("word:standing", "home"),
                    new("item", "sku-1"),
                    new("tax-code", "FULL"),
                    new("item", "sku-2"),
                ],
                true
            );
        var known = new Dictionary<string, string>
        {
            ["web"] = "SHOP",
            ["sku-1"] = "A-1",
            ["FULL"] = "S23",
        };
        var translator = new Translator(
            (_, id) => known.GetValueOrDefault(id),
            (_, w) => w == "home" ? "domestic" : null
        );
        var sale = Sale();
        translator.Translate(sale).ShouldBe([new Named("item", "sku-2")]);
        // What is not needed is left out.
        known["sku-2"] = "";
        sale = Sale();
        translator.Translate(sale).ShouldBeEmpty();
        (sale.Channel, sale.Standing, sale.Lines[0].Item, sale.Lines[0].TaxCode, sale.Lines[1].Item).ShouldBe(
            ("SHOP", "domestic", "A-1", "S23", null)
        );
    }

    [Theory]
    [InlineData("nature", "purchased", "goods")]
    [InlineData("nature", "GIFT CARD", "gift-card")]
    [InlineData("kind", "Vendor", "supplier")]
    [InlineData("type", "direct expenditure", "cost-of-sales")]
    [InlineData("direction", "sales", "output")]
    [InlineData("standing", "domestic", "domestic")]
    [InlineData("standing", "home", null)]
    [InlineData("nature", "gizmo", null)]
    public void A_word_is_taken_for_the_one_thing_that_it_can_be_and_else_asked_for(
        string field,
        string theirs,
        string? ours
    )
    {
        var proposed = WordList.Propose(field, theirs, Ours);
        (proposed.Ours, proposed.Sure).ShouldBe((ours, ours is not null));
    }

    [Fact]
    public void A_tax_code_that_differs_says_what_to_change_where_and_from_when()
    {
        TaxLikeness.Differences(new TheirTax("FULL", 23, null, "output", "home"), "S23", Ours, Today).ShouldBeEmpty();
        // From the day on which ours changes too it agrees.
        TaxLikeness
            .Differences(new TheirTax("FULL", 22.5m, new DateOnly(2027, 1, 1), "output", null), "S23", Ours, Today)
            .ShouldBeEmpty();
        var differs = TaxLikeness.Differences(new TheirTax("FULL", 22.5m, null, "input", "away"), "S23", Ours, Today);
        differs.Count.ShouldBe(3);
        differs[0].ShouldContain("FULL has 22.5 % there and S23 23 % here on 2026-06-01");
        TaxLikeness
            .Differences(new TheirTax("FULL", null, null, null, null), "GONE", Ours, Today)
            .Single()
            .ShouldContain("not here any more");
    }

    [Fact]
    public void A_group_of_theirs_is_learnt_where_most_of_its_items_agree()
    {
        var learnt = PairSides.GroupsLearnt([
            ("parts", "P"),
            ("parts", "P"),
            ("parts", "Q"),
            ("odd", "P"),
            ("mixed", "P"),
            ("mixed", "Q"),
            ("none", null),
            ("none", null),
        ]);
        learnt.ShouldHaveSingleItem().ShouldBe(KeyValuePair.Create("parts", "P"));
    }

    [Fact]
    public void Several_of_theirs_are_one_of_ours_and_what_is_not_needed_is_neither()
    {
        var pairs = Pairs.Of(
            Ours with
            {
                Pairings =
                [
                    new PairingRow("SHOP", "item", "a", "A-1", "paired", null),
                    new PairingRow("SHOP", "item", "b", "A-1", null, null),
                    new PairingRow("SHOP", "item", "c", null, "not-needed", "a sample"),
                    new PairingRow("OTHER", "item", "d", "A-2", "paired", null),
                ],
            },
            "SHOP",
            "item"
        );
        (pairs.OursOf("a"), pairs.OursOf("b"), pairs.OursOf("c"), pairs.OursOf("d")).ShouldBe(("A-1", "A-1", "", null));
        pairs.OfOurs("A-1")!.Theirs.ShouldBe("a");
    }

    [Fact]
    public void What_connections_say_is_found_an_error_where_events_wait()
    {
        var setUp = new CompiledSetUp(Ours);
        Findings.Of(setUp, Today).Where(f => f.Code is "unpaired" or "rate-differs" or "changed-there").ShouldBeEmpty();
        LinkFact[] facts =
        [
            new("unpaired", "SHOP", "item", "sku-1", 3, 120, "Item sku-1 is not paired."),
            new("rate-differs", "SHOP", "tax-code", "FULL", 0, 0, "FULL has 22.5 % there."),
            new("changed-there", "SHOP", "item", "sku-2", 0, 0, "renamed"),
        ];
        var found = Findings
            .Of(setUp, Today, PostedFacts.None with { Links = facts })
            .Where(f => f.Places[0].Part == "pairings")
            .ToDictionary(f => f.Code);
        found.Keys.ShouldBe(["unpaired", "rate-differs", "changed-there"], true);
        (found["unpaired"].Severity, found["unpaired"].Amount).ShouldBe((FindingSeverity.Error, 120m));
        found["rate-differs"].Severity.ShouldBe(FindingSeverity.Warning);
        found["unpaired"].Places[0].Label.ShouldBe("SHOP \u00b7 item \u00b7 sku-1");
        // The same books, and nothing said any more.
        Findings.Of(setUp, Today, PostedFacts.None).ShouldNotContain(f => f.Code == "unpaired");
    }

    [Fact]
    public void A_connection_sends_what_its_kind_sends_and_what_is_admitted()
    {
        var shop = LinkKind.Find("shop")!;
        shop.MaySend("channel-sale", []).ShouldBeTrue();
        shop.MaySend("void", []).ShouldBeTrue();
        shop.MaySend("production-issued", []).ShouldBeFalse();
        shop.MaySend("production-issued", ["production-issued"]).ShouldBeTrue();
        LinkKind.Find("ledger")!.MaySend("void", []).ShouldBeFalse();
        // Every kind of record that an event can name can be paired.
        foreach (var type in Enum.GetValues<FieldType>())
            if (RecordKind.Of(type) is { } kind)
                RecordKind.Find(kind.Name).ShouldBe(kind);
    }
}
