using System.Text.Json;
using Assignum.Formats.Json;
using CsCheck;

namespace Assignum.Formats.Tests;

/// <summary>Whatever a connected system gives is read, or said to be of no use: never more.</summary>
public class LinkJsonReads
{
    private static JsonElement Json(string text) => JsonDocument.Parse(text).RootElement;

    [Theory]
    [InlineData("""[1]""")]
    [InlineData("""{"name":"x"}""")]
    [InlineData("""{"id":""}""")]
    [InlineData("""{"id":5,"name":"x"}""")]
    [InlineData("""{"id":"a\u0000b","name":"x"}""")]
    [InlineData("""{"id":"a","name":"x","status":"resting"}""")]
    public void A_record_that_is_none_says_why(string json)
    {
        var (record, wrong) = LinkJson.Record("item", Json(json));
        record.ShouldBeNull();
        wrong!.Length.ShouldBeGreaterThan(10);
    }

    [Fact]
    public void A_record_keeps_its_fields_and_counts_those_that_nobody_knows()
    {
        LinkJson.Record("item", Json($$"""{"id":"a","name":"{{new string('x', 10_000)}}"}""")).Record.ShouldBeNull();
        var read = LinkJson
            .Record(
                "item",
                Json("""{"id":"a","name":"Glass","nature":"made","colour":"red","accounts":{"stock":"S"}}""")
            )
            .Record!;
        (read.Id, read.Name, read.Status).ShouldBe(("a", "Glass", "active"));
        read.Unknown.ShouldBe(["colour"]);
        read.Body.ShouldContain("red");
        LinkJson.Record("tax-code", Json("""{"id":"F","name":"F","rate":22.5}""")).Record!.Rate.ShouldBe(22.5m);
        LinkJson.Record("tax-code", Json("""{"id":"F","name":"F","rate":1e40}""")).Record!.Rate.ShouldBeNull();
    }

    [Fact]
    public void An_event_has_our_source_and_a_field_a_letter_away_makes_it_dead()
    {
        var read = LinkJson.Event(
            "SHOP",
            Json(
                """
                {"source":"own","id":"1","kind":"money-moved","date":"2026-06-01","amount":5,"sequence":7,
                  "weather":"fine"}
                """
            )
        );
        read.Faults.ShouldBeEmpty();
        (read.Event.Source, read.Sequence, read.Amount).ShouldBe(("SHOP", 7, 5));
        read.Unknown.ShouldBe(["weather"]);
        LinkJson
            .Event("SHOP", Json("""{"id":"1","kind":"money-moved","date":"2026-06-01","amout":5}"""))
            .Faults.ShouldHaveSingleItem()
            .Code.ShouldBe("unknown-field");
        LinkJson
            .Event("SHOP", Json("""{"id":"1","kind":"void","date":"2026-06-01","voids":"0"}"""))
            .Voids.ShouldBe("0");
        LinkJson.Event("SHOP", Json("""{"id":"1","kind":"void","date":"2026-06-01"}""")).Faults.Count.ShouldBe(1);
        LinkJson.Event("SHOP", Json("""{"id":"1","kind":"money-moved","sequence":0.5}""")).Faults.ShouldNotBeEmpty();
    }

    [Fact]
    public void Whatever_it_is_it_is_read_or_refused()
    {
        var (good, refused) = (0, 0);
        var text = Gen.OneOf(
            Gen.Const("id"),
            Gen.Const("name"),
            Gen.Const("status"),
            Gen.Const("active"),
            Gen.Const("kind"),
            Gen.Const("void"),
            Gen.Const("channel-sale"),
            Gen.Const("date"),
            Gen.Const("2026-06-01"),
            Gen.Const("lines"),
            Gen.Const("item"),
            Gen.Const("amount"),
            Gen.String[0, 12]
        );
        var value = Gen.Recursive<string>(
            (depth, self) =>
                depth > 3
                    ? text.Select(t => JsonSerializer.Serialize(t))
                    : Gen.OneOf(
                        text.Select(t => JsonSerializer.Serialize(t)),
                        Gen.Decimal.Select(d => d.ToString(System.Globalization.CultureInfo.InvariantCulture)),
                        Gen.Const("null"),
                        Gen.Const("true"),
                        self.List[0, 3].Select(l => "[" + string.Join(',', l) + "]"),
                        Gen.Dictionary(text, self)[0, 4]
                            .Select(d =>
                                "{"
                                + string.Join(',', d.Select(p => JsonSerializer.Serialize(p.Key) + ":" + p.Value))
                                + "}"
                            )
                    )
        );
        Gen.Dictionary(text, value)[0, 7]
            .Select(d =>
                "{\"id\":\"e\""
                + string.Concat(
                    d.Where(p => p.Key != "id").Select(p => "," + JsonSerializer.Serialize(p.Key) + ":" + p.Value)
                )
                + "}"
            )
            .Sample(
                json =>
                {
                    var element = Json(json);
                    var (record, wrong) = LinkJson.Record("party", element);
                    (record is null).ShouldBe(wrong is not null);
                    var read = LinkJson.Event("SHOP", element);
                    read.Event.Source.ShouldBe(read.Canonical == "null" ? "" : "SHOP");
                    _ = read.Amount;
                    Interlocked.Increment(ref read.Faults.Count == 0 && record is not null ? ref good : ref refused);
                },
                // About one in eighty is good.
                iter: 6_000
            );
        good.ShouldBeGreaterThan(20);
        refused.ShouldBeGreaterThan(200);
    }
}
