using System.Net;
using System.Text;
using System.Text.Json;
using OpenQA.Selenium;

namespace Assignum.Web.Tests;

/// <summary>An entry is written by keys alone: guards speak while it is typed, formulas and pasted blocks fill it, a template
/// keeps it; openings come in as lists.</summary>
[Collection(OtherAppCollection.Name)]
public sealed class HandEntryInTheBrowser(RunningApp app) : InBrowser(app)
{
    private static CancellationToken Stop => TestContext.Current.CancellationToken;

    private async Task<string> OpenAsync(string name)
    {
        var entity = await App.EntityAsync(name);
        using var client = App.Client();
        using var from = new StringContent("""{"from":"2026-05-01"}""", Encoding.UTF8, "application/json");
        (await client.PostAsync($"/api/v1/entities/{entity}/editions/publish", from, Stop)).EnsureSuccessStatusCode();
        return entity;
    }

    private void Says(string what) =>
        wait.Until(b => b.FindElement(By.Id("says")).Text.Contains(what, StringComparison.Ordinal));

    private void Day(string iso) =>
        browser.ExecuteScript(
            "const f = arguments[0]; f.value = arguments[1]; f.dispatchEvent(new Event('input', {bubbles: true}))",
            Find("#f-date"),
            iso
        );

    [Fact]
    public async Task By_keys_alone_with_the_guards_beside_it_and_a_template_for_the_next_time()
    {
        var entity = await OpenAsync("BYHAND");
        SignIn("nora");
        Go($"/e/{entity}/hand-entry");
        NothingSerious();
        Day("2026-06-30");
        // From account to amount, from amount to the next line; the third takes what is lacking.
        Find("#lines-0--account").SendKeys("6010" + Keys.Enter);
        browser.SwitchTo().ActiveElement().SendKeys("amount * 60 %" + Keys.Enter);
        browser.SwitchTo().ActiveElement().SendKeys("6020" + Keys.Enter);
        browser.SwitchTo().ActiveElement().SendKeys("rest" + Keys.Enter);
        browser.SwitchTo().ActiveElement().SendKeys("1210" + Keys.Enter + Keys.Tab + "amount");
        Find("#amount").SendKeys("100.01");
        Says("balanced");
        // 60 % of 100.01 is 60.01, and the rest 40.00.
        wait.Until(b => b.FindElements(By.CssSelector(".comes")).Count == 3);
        TextOf("#lines").ShouldContain("60.01");
        TextOf("#lines").ShouldContain("40.00");
        // The control account is refused at its line while it is typed.
        Says("Line 3");
        TextOf("#says").ShouldContain("Account 1210 is the control account");
        wait.Until(b => b.FindElement(By.CssSelector("#lines tr:nth-child(3)")).GetAttribute("data-says") == "error");
        NothingSerious();
        var account = Find("#lines-2--account");
        account.Clear();
        account.SendKeys("3010" + Keys.Escape);
        wait.Until(b => b.FindElements(By.CssSelector("#says li.bad")).Count == 0);
        Find("details.more summary").SendKeys(Keys.Enter);
        Find("#name").SendKeys("Power and supplies");
        Find("button[formaction='?handler=Keep']").SendKeys(Keys.Enter);
        wait.Until(b => b.FindElements(By.CssSelector(".donebox")).Count == 1);
        Attribute("#lines-0--debit", "value").ShouldBe("amount * 60 %");
        Find("#lines-0--debit").SendKeys(Keys.Control + "s");
        wait.Until(b => b.FindElements(By.CssSelector(".donebox a.code")).Count == 1);
        Find(".donebox a.code").SendKeys(Keys.Enter);
        TextOf("main").ShouldContain("60.01");
        // The same again of another amount, from the template.
        Go($"/e/{entity}/hand-entry?template=Power+and+supplies&amount=50");
        Says("balanced");
        TextOf("#says").ShouldContain("50.00");
        // A copy the other way round.
        using var client = App.Client();
        var entries = JsonDocument.Parse(
            await client.GetStringAsync($"/api/v1/entities/{entity}/entries?source=own", Stop)
        );
        var number = entries.RootElement[0].GetProperty("number").GetString();
        Go($"/e/{entity}/hand-entry?turn={number}");
        Attribute("#lines-0--credit", "value").ShouldBe("60.01");
    }

    private void Paste(string css, string text) =>
        browser.ExecuteScript(
            "const data = new DataTransfer(); data.setData('text', arguments[1]);"
                + "arguments[0].dispatchEvent(new ClipboardEvent('paste', {clipboardData: data, bubbles: true, "
                + "cancelable: true}))",
            Find(css),
            text
        );

    [Fact]
    public async Task A_pasted_block_fills_the_lines_and_fifty_thousand_are_refused_with_nothing_lost()
    {
        var entity = await OpenAsync("PASTED");
        SignIn("nora");
        Go($"/e/{entity}/hand-entry");
        Day("2026-06-30");
        Paste("#lines-0--account", "6010\t12.50\t\tbrushes\n6020\t7.50\t\tpower\n3010\t\t20.00\tboth\n");
        Says("balanced");
        Attribute("#lines-2--credit", "value").ShouldBe("20.00");
        var many = string.Join(
            '\n',
            Enumerable.Range(0, 1_000).Select(i => i % 2 == 0 ? "6010\t1.00" : "6020\t\t1.00")
        );
        Paste("#lines-3--account", many);
        wait.Until(b => b.FindElement(By.Id("bulk")).Displayed);
        Says("520.00");
        Find("#post").SendKeys(Keys.Enter);
        wait.Until(b => b.FindElements(By.CssSelector(".donebox a.code")).Count == 1);
        using var client = App.Client();
        var entries = JsonDocument.Parse(
            await client.GetStringAsync($"/api/v1/entities/{entity}/entries?source=own", Stop)
        );
        entries.RootElement[0].GetProperty("lines").GetArrayLength().ShouldBe(1_003);

        // More than an entry takes: told with the number, kept as it was pasted, nothing posted.
        using var page = await App.SignedInAsync("nora");
        var token = await PageClient.TokenAsync(page, $"/e/{entity}/hand-entry");
        var far = string.Join(
            '\n',
            Enumerable.Range(0, 50_000).Select(i => i % 2 == 0 ? "6010\t1.00" : "6020\t\t1.00")
        );
        var answer = await page.PostAsync(
            $"/e/{entity}/hand-entry",
            PageClient.Form(
                ("id", "far"),
                ("f.date", "2026-06-30"),
                ("bulk", far),
                ("__RequestVerificationToken", token)
            ),
            Stop
        );
        answer.StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);
        var text = await answer.Content.ReadAsStringAsync(Stop);
        text.ShouldContain("50000 lines were pasted; an entry takes at most 10000");
        WebUtility.HtmlDecode(text).ShouldContain(far[^200..].Trim());
        var odd = await page.PostAsync(
            $"/e/{entity}/hand-entry",
            PageClient.Form(
                ("id", "odd"),
                ("f.date", "31 Feb"),
                ("lines[0].account", "6010"),
                ("lines[0].debit", "amount * "),
                ("lines[1].account", "<script>"),
                ("lines[1].credit", "=cmd|' /C calc'!A0"),
                ("bulk", "\"a\tb\n\u2028;;;"),
                ("__RequestVerificationToken", token)
            ),
            Stop
        );
        odd.StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);
        (await odd.Content.ReadAsStringAsync(Stop)).ShouldNotContain("<script>\"");
        JsonDocument
            .Parse(await client.GetStringAsync($"/api/v1/entities/{entity}/entries?source=own", Stop))
            .RootElement.GetArrayLength()
            .ShouldBe(1);
    }

    [Fact]
    public async Task An_opening_comes_in_as_lists_and_is_held_against_the_trial_balance()
    {
        var entity = await OpenAsync("OPENED");
        SignIn("nora");
        Go($"/e/{entity}/openings?at=2026-05-31");
        NothingSerious();
        Find("#pasted").SendKeys("account,amount\n1210,300\n3010,-300\n");
        Find("form[enctype] .btn-second").SendKeys(Keys.Enter);
        wait.Until(b => b.FindElements(By.CssSelector(".donebox")).Count == 1);
        Find("#list").SendKeys("Rec");
        browser.ExecuteScript("arguments[0].value = 'receivables'", Find("#list"));
        Find("#pasted").SendKeys("party,document,amount,due\nSCH-KERRY,OLD-1,250,2026-06-15\n");
        Find("form[enctype] .btn-second").SendKeys(Keys.Enter);
        wait.Until(b => b.FindElement(By.CssSelector("main")).Text.Contains("50.00", StringComparison.Ordinal));
        NothingSerious();
        Find("form .btn-main").SendKeys(Keys.Enter);
        wait.Until(b => b.FindElements(By.CssSelector("[role=alert]")).Count > 0);
        TextOf("[role=alert]").ShouldContain("1210");
        Find("#reason").SendKeys("50.00 are looked for");
        Find("form .btn-main").SendKeys(Keys.Enter);
        wait.Until(b => b.FindElements(By.CssSelector(".donebox")).Count == 1);
        using var client = App.Client();
        var rows = JsonDocument.Parse(
            await client.GetStringAsync(
                $"/api/v1/entities/{entity}/subledgers/receivables?at=2026-05-31&open=true",
                Stop
            )
        );
        var row = rows.RootElement.EnumerateArray().Single();
        (row.GetProperty("document").GetString(), row.GetProperty("amount").GetDecimal()).ShouldBe(("OLD-1", 250m));
        row.GetProperty("cause").GetString().ShouldBe("opening");
    }
}
