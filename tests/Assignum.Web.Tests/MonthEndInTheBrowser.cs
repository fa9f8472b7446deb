using System.Net;
using System.Text;
using System.Text.Json;
using OpenQA.Selenium;

namespace Assignum.Web.Tests;

/// <summary>A month is closed: what remains is stated by one, confirmed by another; and every call of the books answers in
/// its form, with clear refusals.</summary>
[Collection(OtherAppCollection.Name)]
public sealed class MonthEndInTheBrowser(RunningApp app) : InBrowser(app)
{
    private static CancellationToken Stop => TestContext.Current.CancellationToken;

    private static async Task<JsonElement> JsonAsync(HttpClient client, string path) =>
        JsonDocument.Parse(await client.GetStringAsync(path, Stop)).RootElement;

    private static async Task<HttpResponseMessage> PostAsync(
        HttpClient client,
        string path,
        string body,
        string type = "application/json"
    ) => await client.PostAsync(path, new StringContent(body, Encoding.UTF8, type), Stop);

    private async Task<(string Entity, HttpClient Client)> OpenAsync(string name)
    {
        var entity = await App.EntityAsync(name);
        var client = App.Client();
        (
            await PostAsync(client, $"/api/v1/entities/{entity}/editions/publish", """{"from":"2026-05-01"}""")
        ).IsSuccessStatusCode.ShouldBeTrue();
        var posted = await PostAsync(
            client,
            $"/api/v1/entities/{entity}/events",
            """
            [{"source":"w","id":"G","kind":"goods-received","date":"2026-06-02","party":"SUP-OKEBRASS","reference":"GR-1",
              "order":"PO-1","location":"CORK","lines":[{"item":"BAR-210","quantity":10,"unitCost":42}]},
             {"source":"w","id":"I","kind":"supplier-invoice","date":"2026-06-05","party":"SUP-OKEBRASS","reference":"SI-1",
              "due":"2026-07-05","lines":[{"item":"BAR-210","quantity":6,"unitPrice":43,"receipt":"GR-1"}]},
             {"source":"w","id":"S","kind":"sales-invoice","date":"2026-06-30","party":"SCH-KERRY","reference":"INV-1",
              "order":"SO-1","due":"2026-07-30","lines":[{"item":"BAR-210","quantity":2,"unitPrice":100}]},
             {"source":"w","id":"D","kind":"goods-shipped","date":"2026-07-02","party":"SCH-KERRY","reference":"SH-1",
              "order":"SO-1","location":"CORK","lines":[{"item":"BAR-210","quantity":2,"unitCost":42}]}]
            """
        );
        (await posted.Content.ReadAsStringAsync(Stop)).ShouldNotContain("refused");
        return (entity, client);
    }

    [Fact]
    public async Task A_month_is_prepared_confirmed_and_closed_and_takes_nothing_after_that()
    {
        var (entity, client) = await OpenAsync("MONTH");
        using var _ = client;
        SignIn("nora");
        Go($"/e/{entity}/month-end?month=2026-06");
        NothingSerious();
        Find("#sign-receivables .link").SendKeys(Keys.Enter);
        wait.Until(b => b.FindElements(By.CssSelector(".donebox")).Count == 1);
        TextOf("#sign-receivables").ShouldContain("prepared by nora");
        SignIn("tomas");
        Go($"/e/{entity}/month-end?month=2026-06");
        Find("#sign-receivables form[action*='Confirm'] .link").SendKeys(Keys.Enter);
        wait.Until(b => b.FindElements(By.CssSelector(".donebox")).Count == 1);
        TextOf("#sign-receivables").ShouldContain("confirmed by tomas");
        // What is posted into the month after that marks it.
        (
            await PostAsync(
                client,
                $"/api/v1/entities/{entity}/events",
                """
                {"source":"w","id":"B","kind":"sales-invoice","date":"2026-06-28","party":"SCH-KERRY","reference":"INV-B",
                 "lines":[{"item":"BAR-210","quantity":1,"unitPrice":100}]}
                """
            )
        ).IsSuccessStatusCode.ShouldBeTrue();
        Go($"/e/{entity}/month-end?month=2026-06");
        TextOf("#sign-receivables").ShouldContain("posted since");
        Find("#why").SendKeys("agreed");
        Find("form[action*='handler=Close'] .btn-main").SendKeys(Keys.Enter);
        wait.Until(b => b.FindElements(By.CssSelector(".donebox")).Count == 1);
        TextOf(".donebox").ShouldContain("June 2026 is closed");
        // The year's one open period is cut: what is beside June stays open.
        (await JsonAsync(client, $"/api/v1/entities/{entity}/periods"))
            .EnumerateArray()
            .Select(p => $"{p.GetProperty("from").GetString()} {p.GetProperty("status").GetString()}")
            .ShouldContain("2026-07-01 open");
        var late = await PostAsync(
            client,
            $"/api/v1/entities/{entity}/events",
            """
            {"source":"w","id":"L","kind":"sales-invoice","date":"2026-06-29","party":"SCH-KERRY",
             "lines":[{"item":"BAR-210","quantity":1,"unitPrice":100}]}
            """
        );
        (await late.Content.ReadAsStringAsync(Stop)).ShouldContain("period-closed");
        foreach (
            var page in new[]
            {
                "cut-off?at=2026-06-30",
                "subledgers?at=2026-06-30",
                "subledgers?control=stock&at=2026-06-30",
                "statements?from=2026-06-01&to=2026-06-30&against=before",
                "tax-return?from=2026-06-01&to=2026-06-30",
                "year-end",
                "recognition?at=2026-06-30",
                "left-open?at=2026-06-30",
                "openings?at=2026-06-30",
                "hand-entry",
                "statements?from=2026-06-01&to=2026-06-30&gross=true",
                "footprint?party=SUP-OKEBRASS&reference=GR-1",
            }
        )
        {
            Go($"/e/{entity}/{page}");
            browser.FindElements(By.CssSelector("[role=alert]")).ShouldBeEmpty(page);
            NothingSerious();
        }
        TextOf("main").ShouldContain("SI-1");
    }

    [Fact]
    public async Task The_calls_of_the_books_answer_in_their_form_and_refuse_with_a_reason()
    {
        var (entity, client) = await OpenAsync("CALLS");
        using var _ = client;
        var at = $"/api/v1/entities/{entity}/";
        var receipts = (await JsonAsync(client, at + "subledgers/receipts?at=2026-06-30&open=true"))
            .EnumerateArray()
            .Single();
        receipts.GetProperty("quantity").GetDecimal().ShouldBe(-4m);
        receipts.GetProperty("amount").GetDecimal().ShouldBe(-168m);
        receipts.GetProperty("document").GetString().ShouldBe("GR-1");
        receipts.GetProperty("order").GetString().ShouldBe("PO-1");
        var payables = (await JsonAsync(client, at + "subledgers/payables?party=SUP-OKEBRASS"))
            .EnumerateArray()
            .Single();
        payables.GetProperty("due").GetString().ShouldBe("2026-07-05");
        payables.GetProperty("cause").GetString().ShouldBe("");
        (await JsonAsync(client, at + "documents?party=SUP-OKEBRASS&order=PO-1")).GetArrayLength().ShouldBe(2);
        var sheet = await JsonAsync(client, at + "statements/balance-sheet?at=2026-07-31");
        decimal Total(JsonElement of, string code) =>
            of.EnumerateArray()
                .Single(r => r.GetProperty("code").GetString() == code)
                .GetProperty("amount")
                .GetDecimal();
        Total(sheet, "assets").ShouldBe(Total(sheet, "liabilities") + Total(sheet, "equity") + Total(sheet, "result"));
        var result = await JsonAsync(
            client,
            at + "statements/profit-and-loss?from=2026-07-01&to=2026-07-31&against=2026-06-01..2026-06-30"
        );
        Total(result, "cost-of-sales").ShouldBe(84m);
        var tie = (await JsonAsync(client, at + "tax-return?from=2026-06-01&to=2026-06-30")).GetProperty("tie");
        tie.GetProperty("difference").GetDecimal().ShouldBe(0);
        // Two sold at 100.00, taxed by the matrix; what was bought to be sold again is no capital purchase.
        var checks = await JsonAsync(client, at + "tax-return/checks?from=2026-06-01&to=2026-06-30");
        var sold = checks
            .GetProperty("revenue")
            .EnumerateArray()
            .Single(r => r.GetProperty("base").GetDecimal() == 200m);
        (sold.GetProperty("revenue").GetDecimal(), sold.GetProperty("difference").GetDecimal()).ShouldBe((200m, 0m));
        checks.GetProperty("againstMatrix").GetArrayLength().ShouldBe(0);
        checks.GetProperty("capitalPurchases").GetArrayLength().ShouldBe(0);
        var gross = await JsonAsync(client, at + "statements/balance-sheet?at=2026-07-31&gross=true");
        Total(gross, "assets").ShouldBe(Total(gross, "liabilities") + Total(gross, "equity") + Total(gross, "result"));
        (
            await PostAsync(client, at + "tax-returns", """{"from":"2026-06-01","to":"2026-06-30"}""")
        ).StatusCode.ShouldBe(HttpStatusCode.OK);
        (
            await PostAsync(client, at + "tax-returns", """{"from":"2026-06-01","to":"2026-06-30"}""")
        ).StatusCode.ShouldBe(HttpStatusCode.Conflict);
        await PostAsync(
            client,
            at + "events",
            """
            {"source":"w","id":"T","kind":"sales-invoice","date":"2026-07-04","taxDate":"2026-06-29","party":"SHOP-GALE",
             "reference":"INV-T","lines":[{"item":"BAR-210","unitPrice":10}]}
            """
        );
        (await JsonAsync(client, at + "tax-returns"))[0].GetProperty("later").GetArrayLength().ShouldBe(1);
        var cut = await JsonAsync(client, at + "cut-off?at=2026-06-30");
        cut.GetProperty("invoicedNotShipped")[0].GetProperty("quantity").GetDecimal().ShouldBe(2m);
        cut.GetProperty("receivedNotInvoiced")[0].GetProperty("quantity").GetDecimal().ShouldBe(4m);
        var year = await PostAsync(client, at + "year-ends?apply=false", """{"year":2026}""");
        JsonDocument
            .Parse(await year.Content.ReadAsStringAsync(Stop))
            .RootElement.GetProperty("lines")
            .GetArrayLength()
            .ShouldBeGreaterThan(2);
        var list = await PostAsync(
            client,
            at + "tie-outs/payables/lists?at=2026-06-30&source=scan",
            "party,document,amount\nSUP-OKEBRASS,SI-1,-1\n",
            "text/csv"
        );
        list.StatusCode.ShouldBe(HttpStatusCode.OK);
        var against = (await JsonAsync(client, at + "tie-outs/payables?at=2026-06-30"));
        against.GetProperty("theirs").GetDecimal().ShouldBe(-1m);
        against.GetProperty("theirsCauses")[0].GetProperty("cause").GetString().ShouldBe("amount");

        foreach (
            var bad in new[]
            {
                "subledgers/nothing",
                "subledgers/stock?known=yesterday",
                "subledgers/stock?after=-1",
                "subledgers/stock/ageing",
                "documents?party=A",
                "statements/profit-and-loss?from=2026-07-01",
                "statements/profit-and-loss?from=2026-07-01&to=2026-06-01",
                "statements/profit-and-loss?from=2026-07-01&to=2026-07-02&against=then",
                "statements/balance-sheet?at=2026-02-31",
                "tax-return",
                "cut-off?at=x",
            }
        )
            (await client.GetAsync(at + bad, Stop)).StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity, bad);
        foreach (
            var (path, body) in new[]
            {
                ("periods", """{"from":"2026-06-01","to":"2026-05-01","status":"closed","reason":"x"}"""),
                ("periods", """{"from":"2026-06-01","to":"2026-06-30","status":"shut"}"""),
                ("periods", """{"from":1,"to":"2026-06-30","status":"open"}"""),
                ("year-ends", """{"year":"2026"}"""),
                ("year-ends", """{"jahr":2026}"""),
                ("tie-outs/payables/lists?at=2026-06-30&source=", "[]"),
                ("tie-outs/payables/lists?source=x", "[]"),
                ("tie-outs/payables/lists?at=2026-06-30&source=x", """[{"colour":"red","amount":1}]"""),
            }
        )
            (await PostAsync(client, at + path, body)).StatusCode.ShouldBe(
                HttpStatusCode.UnprocessableEntity,
                path + body
            );
        (await PostAsync(client, at + "year-ends", "{")).StatusCode.ShouldBe(HttpStatusCode.BadRequest);
    }
}
