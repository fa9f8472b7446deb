using System.Net.Http.Headers;
using System.Text;
using System.Text.Json;
using OpenQA.Selenium;

namespace Assignum.Web.Tests;

/// <summary>The books behind the landings: what breaks a control account is seen with who and why, and is gone when it is
/// turned back.</summary>
[Collection(OtherAppCollection.Name)]
public sealed class BooksInTheBrowser(RunningApp app) : InBrowser(app)
{
    private static CancellationToken Stop => TestContext.Current.CancellationToken;

    private static async Task<JsonElement> JsonAsync(HttpClient client, string path) =>
        JsonDocument.Parse(await client.GetStringAsync(path, Stop)).RootElement;

    private static async Task PostAsync(HttpClient client, string entity, string id, string date, decimal amount)
    {
        var (first, second) = amount > 0 ? ("debit", "credit") : ("credit", "debit");
        var body = new StringContent(
            $$"""
            {"source":"own","id":"{{id}}","kind":"hand-entry","date":"{{date}}","reference":"{{id}}","lines":[
              {"account":"1220","{{first}}":{{Math.Abs(
                amount
            )}},"party":"SCH-KERRY","because":"brought into line with the list"},
              {"account":"6010","{{second}}":{{Math.Abs(amount)}}}]}
            """,
            Encoding.UTF8,
            "application/json"
        );
        body.Headers.ContentType = new MediaTypeHeaderValue("application/json");
        var answer = await client.PostAsync($"/api/v1/entities/{entity}/events", body, Stop);
        (await answer.Content.ReadAsStringAsync(Stop)).ShouldContain("posted");
    }

    [Fact]
    public async Task A_hand_entry_on_receivables_is_a_difference_with_who_and_why_and_is_gone_when_turned_back()
    {
        var entity = await App.EntityAsync("TIED");
        using var client = App.Client();
        using var from = new StringContent("""{"from":"2026-05-01"}""", Encoding.UTF8, "application/json");
        var live = await client.PostAsync($"/api/v1/entities/{entity}/editions/publish", from, Stop);
        live.IsSuccessStatusCode.ShouldBeTrue(await live.Content.ReadAsStringAsync(Stop));
        var ties = $"/api/v1/entities/{entity}/tie-outs";
        JsonElement Of(JsonElement all, string control) =>
            all.EnumerateArray().Single(t => t.GetProperty("control").GetString() == control);
        Of(await JsonAsync(client, ties), "receivables").GetProperty("difference").GetDecimal().ShouldBe(0);
        await PostAsync(client, entity, "H-1", "2026-06-12", 250m);

        var receivables = Of(await JsonAsync(client, ties), "receivables");
        receivables.GetProperty("difference").GetDecimal().ShouldBe(250m);
        receivables.GetProperty("causes")[0].GetProperty("cause").GetString().ShouldBe("hand-entry");
        var opened = await JsonAsync(client, ties + "/receivables");
        var row = opened.GetProperty("rows").EnumerateArray().Single();
        row.GetProperty("amount").GetDecimal().ShouldBe(250m);
        row.GetProperty("because").GetString().ShouldBe("brought into line with the list");
        // On the day before there was none.
        Of(await JsonAsync(client, ties + "?at=2026-06-11"), "receivables")
            .GetProperty("difference")
            .GetDecimal()
            .ShouldBe(0);

        SignIn("nora");
        Go($"/e/{entity}/books");
        NothingSerious();
        TextOf("main").ShouldContain("250.00");
        Find("a[href*='control=receivables']").SendKeys(Keys.Enter);
        wait.Until(b => b.FindElements(By.Id("opened")).Count == 1);
        NothingSerious();
        var table = Find("#opened + .tall");
        table.Text.ShouldContain("written by hand");
        table.Text.ShouldContain("brought into line with the list");
        table.Text.ShouldContain("1220");

        // A reviewer turns it back, from the row that shows it.
        SignIn("tomas");
        Go($"/e/{entity}/books?control=receivables");
        Find("#opened + .tall a[href*='/journal/']").SendKeys(Keys.Enter);
        Find("#turn-back #reason").SendKeys("the list was wrong");
        Find("#turn-back .btn-second").SendKeys(Keys.Enter);
        wait.Until(b => b.FindElements(By.CssSelector("#turn-back table tbody tr")).Count == 2);
        Attribute("#reason", "value").ShouldBe("the list was wrong");
        NothingSerious();
        var day = Find("#on");
        browser.ExecuteScript("arguments[0].value = '2026-06-13'", day);
        Find("#turn-back .btn-main").SendKeys(Keys.Enter);
        wait.Until(b => b.FindElement(By.CssSelector("main")).Text.Contains("It turns back", StringComparison.Ordinal));
        Of(await JsonAsync(client, ties), "receivables").GetProperty("difference").GetDecimal().ShouldBe(0);
        Go($"/e/{entity}/books?control=receivables&at=12+Jun+2026");
        TextOf("main").ShouldContain("250.00");
        Go($"/e/{entity}/books?at=31+Feb+2026");
        TextOf("[role=alert]").ShouldContain("is no day");
        foreach (var odd in new[] { "/nothing", "/none", "/receivables?at=2026-02-31", "/receivables?after=x" })
            ((int)(await client.GetAsync(ties + odd, Stop)).StatusCode).ShouldBeInRange(400, 422);
    }
}
