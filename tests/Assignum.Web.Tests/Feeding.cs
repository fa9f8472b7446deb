using System.Net;
using System.Text.Json.Nodes;

namespace Assignum.Web.Tests;

/// <summary>What live systems tell becomes entries: in order, once, and what cannot post waits where it is seen.</summary>
public sealed class Feeding(LinkedApp app) : IClassFixture<LinkedApp>, IAsyncLifetime
{
    private HttpClient client = null!;
    private ToldSystems told = null!;
    private LinkedBooks books = null!;
    private static int made;

    public async ValueTask InitializeAsync()
    {
        client = app.Client();
        told = await ToldSystems.StartAsync(app.Port);
        books = new LinkedBooks(client, app.Port);
    }

    public async ValueTask DisposeAsync()
    {
        client.Dispose();
        await told.DisposeAsync();
    }

    private static string Day(int back = 0) => DateTime.UtcNow.AddDays(-back).ToString("yyyy-MM-dd");

    private static string Sale(string id, string party = "SCH-LOUGH", string reference = "", string item = "BK-1") =>
        $$"""
            {"id":"{{id}}","kind":"sales-invoice","date":"{{Day()}}","reference":"{{(
                reference.Length > 0 ? reference : id
            )}}","party":"{{party}}",
              "location":"CORK","lines":[{"item":"{{item}}","quantity":2,"unitPrice":10.00}]}
            """;

    private static string Payment(string id, string settles, decimal amount = 24.60m) =>
        $$"""
            {"id":"{{id}}","kind":"customer-payment","date":"{{Day()}}","reference":"{{id}}","party":"SCH-LOUGH",
              "method":"bank",
              "amount":{{Written(amount)}},"settles":[{"reference":"{{settles}}","amount":{{Written(amount)}}}]}
            """;

    private static string Written(decimal amount) => amount.ToString(System.Globalization.CultureInfo.InvariantCulture);

    // A shop and a provider whose payments settle what the shop sells, both live.
    private async Task<(string Shop, string Pay)> LiveAsync(object? shopWith = null)
    {
        var number = Interlocked.Increment(ref made);
        var (shop, pay) = ($"SHOP-{number}", $"PAY-{number}");
        told.Add($"shop{number}", "shop");
        told.Add($"pay{number}", "payments");
        await books.JoinAsync(shop, $"shop{number}", "shop", shopWith);
        await books.JoinAsync(pay, $"pay{number}", "payments");
        await books.PairAsync(
            shop,
            ("party", "SCH-LOUGH", "SCH-LOUGH"),
            ("item", "BK-1", "BK-1"),
            ("location", "CORK", "CORK")
        );
        await books.PairAsync(pay, ("party", "SCH-LOUGH", "SCH-LOUGH"), ("method", "bank", "BANK"));
        await books.LiveAsync(shop, Day(10));
        await books.LiveAsync(pay, Day(10));
        return (shop, pay);
    }

    private ToldSystems.System Of(string code) => told.All[code.ToLowerInvariant().Replace("-", "")];

    [Fact]
    public async Task What_comes_in_order_posts_and_what_comes_before_its_document_waits_for_it()
    {
        var (shop, pay) = await LiveAsync();
        Of(pay).Tells(Payment("P1", "S1"));
        await books.AskAsync(pay);
        var waits = await books.BecomesAsync(pay, "P1", "waiting");
        ((string)waits["reasons"]![0]!["code"]!).ShouldBe("awaits-document");
        Of(shop).Tells(Sale("S1"));
        await books.AskAsync(shop);
        await books.BecomesAsync(shop, "S1", "posted");
        var paid = await books.BecomesAsync(pay, "P1", "posted");
        paid["number"].ShouldNotBeNull();
        // Told again, it is posted once.
        Of(shop).Events.Add((JsonObject)Of(shop).Events[0].DeepClone());
        Of(shop).Tells(Sale("S2", party: "UNKNOWN"));
        Of(shop).Tells(Sale("S3"));
        await books.AskAsync(shop);
        var unpaired = await books.BecomesAsync(shop, "S2", "waiting");
        ((string)unpaired["reasons"]![0]!["code"]!).ShouldBe("unpaired");
        await books.BecomesAsync(shop, "S3", "posted");
        await books.PairAsync(shop, ("party", "UNKNOWN", "SCH-LOUGH"));
        await books.BecomesAsync(shop, "S2", "posted");
        (await books.EventsAsync(shop)).Count.ShouldBe(3);
    }

    [Fact]
    public async Task A_missing_number_is_waited_for_and_what_is_behind_a_dead_one_waits_while_others_go_on()
    {
        var (shop, _) = await LiveAsync(new { gapMinutes = 60 });
        var of = Of(shop);
        of.Tells(Sale("A1"));
        var missing = of.Skips();
        of.Tells(Sale("A3"));
        await books.AskAsync(shop);
        await books.BecomesAsync(shop, "A1", "posted");
        var waits = await books.BecomesAsync(shop, "A3", "waiting");
        ((string)waits["reasons"]![0]!["code"]!).ShouldBe("gap");
        (await books.GetAsync($"/connections/{shop}/board"))["gaps"]![0]!["from"]!.GetValue<long>().ShouldBe(missing);
        // The number comes as a void: it is filled, and the rest goes on.
        of.Tells($$"""{"id":"V2","kind":"void","date":"{{Day()}}","voids":"A2"}""", missing);
        // A field a letter away from a known one is a slip: the event is dead, and a later one of its document waits.
        of.Tells(Sale("A4").Replace("\"party\"", "\"partty\"", StringComparison.Ordinal));
        of.Tells(
            $$"""
            {"id":"C4","kind":"sales-credit-note","date":"{{Day()}}","reference":"C4","corrects":"A3",
              "party":"SCH-LOUGH",
              "location":"CORK","lines":[{"item":"BK-1","quantity":1,"unitPrice":10.00}]}
            """
        );
        of.Tells(Sale("A5"));
        await books.AskAsync(shop);
        await books.BecomesAsync(shop, "A3", "posted");
        await books.BecomesAsync(shop, "V2", "nothing");
        await books.BecomesAsync(shop, "A4", "dead");
        await books.BecomesAsync(shop, "C4", "posted");
        await books.BecomesAsync(shop, "A5", "posted");
        // What A4 should have been is posted in its place, and both are kept.
        var row = (long)(await books.EventsAsync(shop))["A4"]["row"]!;
        var replaced = await books.PostAsync(
            $"/connections/{shop}/events/act",
            new JsonObject
            {
                ["rows"] = new JsonArray(row),
                ["do"] = "replace",
                ["why"] = "a slip in a name",
                ["event"] = JsonNode.Parse(
                    Sale("for-A4", reference: "A4").TrimEnd().TrimEnd('}') + $",\"replaces\":\"{shop}/A4\"}}"
                ),
            }
        );
        replaced["number"].ShouldNotBeNull();
        var kept = await books.BecomesAsync(shop, "A4", "set-aside");
        ((string)kept["replacedBy"]!).ShouldBe("own/for-A4");
        (await books.GetAsync("/worklist")).AsArray().ShouldNotContain(g => (string)g!["connection"]! == shop);
    }

    [Fact]
    public async Task Behind_a_waiting_invoice_its_payment_waits_and_one_pairing_frees_both()
    {
        var (shop, pay) = await LiveAsync();
        Of(shop).Tells(Sale("B1", party: "STRANGER", reference: "B1"));
        Of(shop)
            .Tells(
                $$"""
                {"id":"B2","kind":"sales-credit-note","date":"{{Day()}}","reference":"B2","corrects":"B1",
                  "party":"STRANGER",
                  "location":"CORK","lines":[{"item":"BK-1","quantity":1,"unitPrice":10.00}]}
                """
            );
        Of(pay).Tells(Payment("P9", "B1"));
        await books.AskAsync(shop);
        await books.BecomesAsync(shop, "B1", "waiting");
        var behind = await books.BecomesAsync(shop, "B2", "waiting");
        ((string)behind["reasons"]![0]!["code"]!).ShouldBe("behind");
        await books.AskAsync(pay);
        await books.BecomesAsync(pay, "P9", "waiting");
        var group = (await books.GetAsync("/worklist")).AsArray().First(g => (string)g!["connection"]! == shop)!;
        ((string)group["reason"]!).ShouldBe("unpaired");
        ((string)group["act"]!).ShouldBe("pair");
        group["behind"]!.GetValue<long>().ShouldBe(1);
        await books.PairAsync(shop, ("party", "STRANGER", "SCH-LOUGH"));
        await books.BecomesAsync(shop, "B1", "posted");
        await books.BecomesAsync(shop, "B2", "posted");
        await books.BecomesAsync(pay, "P9", "posted");
        // A posted event that is declared void is turned back.
        Of(shop).Tells($$"""{"id":"VB2","kind":"void","date":"{{Day()}}","voids":"B2"}""");
        await books.AskAsync(shop);
        var back = await books.BecomesAsync(shop, "VB2", "posted");
        back["number"].ShouldNotBeNull();
        // And what was declared void before it posted never does.
        Of(shop).Tells(Sale("B7", party: "OTHER"));
        Of(shop).Tells($$"""{"id":"VB7","kind":"void","date":"{{Day()}}","voids":"B7"}""");
        var walled = 0;
        Of(shop).Fault = c =>
        {
            if (!c.Request.Path.Value!.EndsWith("/outcomes", StringComparison.Ordinal))
                return null;
            Interlocked.Increment(ref walled);
            return Microsoft.AspNetCore.Http.Results.Content("<html>Welcome</html>", "text/html");
        };
        await books.AskAsync(shop);
        await books.BecomesAsync(shop, "B7", "set-aside");
        await books.BecomesAsync(shop, "VB7", "set-aside");
        // It is told what became of its events, and again where something before it answered in its place.
        var before = walled;
        await books.AskAsync(shop);
        await LinkedBooks.UntilAsync(
            () => Task.FromResult(walled > before ? "tried" : null),
            "what was not heard was not told again"
        );
        Of(shop).Fault = null;
        await books.AskAsync(shop);
        await LinkedBooks.UntilAsync(
            () =>
                Task.FromResult(
                    Of(shop).Outcomes.Any(o => (string)o["id"]! == "B7" && (string)o["state"]! == "set-aside")
                        ? "told"
                        : null
                ),
            "nothing was told"
        );
    }

    [Fact]
    public async Task Bad_events_are_dead_with_their_reason_and_change_nothing()
    {
        var (shop, _) = await LiveAsync();
        var of = Of(shop);
        of.Tells(Sale("D1").Replace(Day(), "2052-01-01", StringComparison.Ordinal));
        of.Tells($$"""{"id":"D2","kind":"production-issued","date":"{{Day()}}","reference":"D2"}""");
        of.Tells(Sale("D3"));
        of.Tells(Sale("D4"), at: of.Next - 1);
        of.Tells(Sale("D5").Replace("\"kind\"", "\"source\":\"own\",\"kind\"", StringComparison.Ordinal));
        of.Tells(Sale("D6").Replace("\"kind\"", "\"colourOfBox\":\"blue\",\"kind\"", StringComparison.Ordinal));
        await books.AskAsync(shop);
        await books.BecomesAsync(shop, "D6", "posted");
        var all = await books.EventsAsync(shop);
        string Why(string id) => (string)all[id]["reasons"]![0]!["code"]!;
        Why("D1").ShouldBe("far-date");
        Why("D2").ShouldBe("kind-not-admitted");
        Why("D4").ShouldBe("same-sequence");
        ((string)all["D3"]["state"]!).ShouldBe("posted");
        // Whatever it says, its source is ours to say.
        ((string)all["D5"]["state"]!).ShouldBe("posted");
        var entries = await books.GetAsync($"/entries?source={shop}&limit=100");
        entries.AsArray().Count.ShouldBe(3);
        // Set aside by a person, with a reason; without one it is refused.
        var row = (long)all["D1"]["row"]!;
        await books.PostAsync(
            $"/connections/{shop}/events/act",
            new { rows = new[] { row }, @do = "set-aside" },
            HttpStatusCode.UnprocessableEntity
        );
        await books.PostAsync(
            $"/connections/{shop}/events/act",
            new
            {
                rows = new[] { row },
                @do = "set-aside",
                reason = "typed wrongly there",
            }
        );
        await books.PostAsync(
            $"/connections/{shop}/events/act",
            new { rows = new[] { row }, @do = "retry" },
            HttpStatusCode.Conflict
        );
    }

    [Fact]
    public async Task A_file_is_taken_once_and_an_invoice_posts_only_what_it_says_that_it_comes_to()
    {
        var code = $"BOX-{Interlocked.Increment(ref made)}";
        await books.PostAsync(
            "/connections",
            new
            {
                code,
                kind = "files",
                name = "The letter box",
            },
            HttpStatusCode.Created
        );
        static string Invoice(string id, string gross, string tax) =>
            $"""
                <Invoice xmlns="urn:oasis:names:specification:ubl:schema:xsd:Invoice-2"><ID>{id}</ID>
                  <IssueDate>{Day()}</IssueDate><DocumentCurrencyCode>EUR</DocumentCurrencyCode>
                  <AccountingCustomerParty><Party><PartyIdentification><ID>LOUGH</ID></PartyIdentification></Party>
                  </AccountingCustomerParty><TaxTotal><TaxAmount currencyID="EUR">{tax}</TaxAmount></TaxTotal>
                  <LegalMonetaryTotal><TaxExclusiveAmount>20.00</TaxExclusiveAmount>
                    <TaxInclusiveAmount>{gross}</TaxInclusiveAmount>
                <PayableAmount>{gross}</PayableAmount></LegalMonetaryTotal>
                  <InvoiceLine><InvoicedQuantity>2</InvoicedQuantity><LineExtensionAmount>20.00</LineExtensionAmount>
                    <Item><SellersItemIdentification><ID>BOOK</ID></SellersItemIdentification></Item>
                    <Price><PriceAmount>10.00</PriceAmount></Price></InvoiceLine></Invoice>
                """;
        async Task<HttpStatusCode> SendAsync(string name, string text)
        {
            using var body = new StringContent(text);
            using var answer = await client.PostAsync(
                $"/api/v1/entities/SKERROW/connections/{code}/files?name={name}&as=sold",
                body,
                TestContext.Current.CancellationToken
            );
            return answer.StatusCode;
        }
        (await SendAsync("one.xml", Invoice("F1", "20.00", "0.00"))).ShouldBe(HttpStatusCode.Created);
        (await SendAsync("again.xml", Invoice("F1", "20.00", "0.00"))).ShouldBe(HttpStatusCode.Conflict);
        (await SendAsync("bad.xml", "<!DOCTYPE a []><Invoice/>")).ShouldBe(HttpStatusCode.UnprocessableEntity);
        await books.PairAsync(code, ("party", "LOUGH", "SCH-LOUGH"), ("item", "BOOK", "BK-1"));
        await books.LiveAsync(code, Day(10));
        (await SendAsync("two.xml", Invoice("F2", "24.60", "4.60"))).ShouldBe(HttpStatusCode.Created);
        await books.BecomesAsync(code, "F1", "posted");
        var dead = await books.BecomesAsync(code, "F2", "dead");
        var why = (string)dead["reasons"]![0]!["message"]!;
        why.ShouldContain("4.60");
        why.ShouldContain("0.00");
        (await books.GetAsync($"/connections/{code}/files")).AsArray().Count.ShouldBe(2);
    }

    [Fact]
    public async Task An_event_of_a_closed_day_waits_or_moves_as_its_connection_says()
    {
        var (moves, _) = await LiveAsync(new { closedPeriod = "next-open" });
        var (waits, _) = await LiveAsync();
        object Period(string status) =>
            new
            {
                from = Day(9),
                to = Day(9),
                status,
                reason = "of this test",
            };
        await books.PostAsync("/periods", Period("closed"));
        foreach (var (code, id) in new[] { (moves, "CM1"), (waits, "CM2") })
        {
            Of(code).Tells(Sale(id).Replace(Day(), Day(9), StringComparison.Ordinal));
            await books.AskAsync(code);
        }
        var moved = await books.BecomesAsync(moves, "CM1", "posted");
        ((string)moved["reasons"]![0]!["code"]!).ShouldBe("moved-to-open");
        async Task<string> DateAsync(JsonNode of, int back) =>
            (string)
                (await books.GetAsync($"/entries?from={Day(back)}&to={Day(back)}&limit=1000"))
                    .AsArray()
                    .Single(e => (string)e!["number"]! == (string)of["number"]!)!["date"]!;
        // The document keeps its day for tax, the entry is of the next.
        (await DateAsync(moved, 8)).ShouldBe(Day(8));
        var stays = await books.BecomesAsync(waits, "CM2", "waiting");
        ((string)stays["reasons"]![0]!["code"]!).ShouldBe("period-closed");
        await books.PostAsync("/periods", Period("open"));
        var posted = await books.BecomesAsync(waits, "CM2", "posted");
        (await DateAsync(posted, 9)).ShouldBe(Day(9));
    }

    [Fact]
    public async Task A_system_that_fails_is_asked_more_seldom_and_never_sooner_than_it_says()
    {
        var (shop, _) = await LiveAsync();
        var of = Of(shop);
        of.Fault = _ => Microsoft.AspNetCore.Http.Results.StatusCode(500);
        await books.AskAsync(shop);
        async Task<JsonNode?> FailedAsync(int least) =>
            await books.GetAsync($"/connections/{shop}") is { } now && (int)now["failures"]! >= least ? now : null;
        // After one second, after two: when whoever asked has given it up.
        var failing = await LinkedBooks.UntilAsync(() => FailedAsync(2), "it is not asked again by itself", 90);
        ((bool)failing["failing"]!).ShouldBeFalse();
        ((string)failing["trouble"]!).Length.ShouldBeGreaterThan(0);
        of.Fault = http =>
        {
            http.Response.Headers.RetryAfter = "600";
            return Microsoft.AspNetCore.Http.Results.StatusCode(429);
        };
        var failures = (int)failing["failures"]!;
        await LinkedBooks.UntilAsync(() => FailedAsync(failures + 1), "it was not asked again", 60);
        of.Fault = null;
        var asked = of.Asked;
        await books.AskAsync(shop);
        await Task.Delay(4000, TestContext.Current.CancellationToken);
        of.Asked.ShouldBe(asked);
    }

    [Fact]
    public async Task A_latecomer_posts_unless_its_document_went_on_and_what_nobody_brings_posts_unmatched()
    {
        var (shop, pay) = await LiveAsync(new { gapMinutes = 0 });
        var of = Of(shop);
        of.Tells(Sale("T1"));
        var (late, later) = (of.Skips(), of.Skips());
        of.Tells(Sale("T4"));
        await books.AskAsync(shop);
        await books.BecomesAsync(shop, "T4", "posted");
        of.Tells(Sale("T2"), late);
        of.Tells(
            $$"""
            {"id":"T3","kind":"sales-credit-note","date":"{{Day()}}","reference":"T3","corrects":"T4",
              "party":"SCH-LOUGH",
              "location":"CORK","lines":[{"item":"BK-1","quantity":1,"unitPrice":10.00}]}
            """,
            later
        );
        await books.AskAsync(shop);
        ((bool)(await books.BecomesAsync(shop, "T2", "posted"))["late"]!).ShouldBeTrue();
        var dead = await books.BecomesAsync(shop, "T3", "dead");
        ((string)dead["reasons"]![0]!["code"]!).ShouldBe("late");
        // A person looked, and it still holds.
        await books.PostAsync(
            $"/connections/{shop}/events/act",
            new { rows = new[] { (long)dead["row"]! }, @do = "retry" }
        );
        await books.BecomesAsync(shop, "T3", "posted");
        var totals = await books.GetAsync($"/connections/{shop}/totals?day={Day()}");
        totals["differs"]!.AsArray().ShouldBeEmpty(totals.ToJsonString());
        totals["theirs"]!.GetValue<long>().ShouldBe(4);

        // Its patience is over: three days after its date.
        Of(pay).Tells(Payment("U1", "NOWHERE").Replace(Day(), Day(5), StringComparison.Ordinal));
        Of(pay).Tells(Payment("U2", "NOWHERE").Replace(Day(), "2052-01-01", StringComparison.Ordinal));
        Of(pay).Tells(Payment("U3", "NOWHERE").Replace(Day(), "2052-02-01", StringComparison.Ordinal));
        await books.AskAsync(pay);
        ((bool)(await books.BecomesAsync(pay, "U1", "posted"))["unmatched"]!).ShouldBeTrue();
        await books.BecomesAsync(pay, "U3", "dead");
        // One act sets a whole group aside; what it is about is what its events say.
        foreach (
            var group in (await books.GetAsync("/worklist")).AsArray().Where(g => (string)g!["connection"]! == pay)
        )
            (
                await books.PostAsync(
                    $"/connections/{pay}/events/act",
                    new
                    {
                        state = "dead",
                        reason = "far-date",
                        subject = (string)group!["subject"]!,
                        @do = "set-aside",
                        why = "typed wrongly there",
                    }
                )
            )["changed"]!.GetValue<int>().ShouldBe(1);
        await books.BecomesAsync(pay, "U2", "set-aside");
        await books.BecomesAsync(pay, "U3", "set-aside");
    }
}
