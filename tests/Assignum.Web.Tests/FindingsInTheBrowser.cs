using System.Text;
using System.Text.Json;
using OpenQA.Selenium;

namespace Assignum.Web.Tests;

/// <summary>What is wrong is told, with what it costs and what to do next, and is mended from there by keys.</summary>
[Collection(OtherAppCollection.Name)]
public sealed class FindingsInTheBrowser(RunningApp app) : InBrowser(app)
{
    private static CancellationToken Stop => TestContext.Current.CancellationToken;

    private async Task<string> WeakAsync(string code)
    {
        var entity = await App.EntityAsync(code);
        using var client = App.Client();
        async Task BringAsync(string file, string rows) =>
            (
                await client.PostAsync(
                    $"/api/v1/entities/{entity}/bundle?apply=true&partial=true",
                    new ByteArrayContent(PageClient.Zip((file, Encoding.UTF8.GetBytes(rows)))),
                    Stop
                )
            ).EnsureSuccessStatusCode();
        await BringAsync(
            "accounts.csv",
            "number,name,class,kind,status,hand_entries,control\n7031,Late payers,other-income,posting,archived,,\n"
        );
        await BringAsync(
            "assignments.csv",
            "purpose,account,item\nstock,6010,BAR-205\ninterest-income,7031,\ncost-of-sales,2110,BAR-210\n"
        );
        return entity;
    }

    private async Task<List<JsonElement>> FoundAsync(string entity, string more = "")
    {
        using var client = App.Client();
        var text = await client.GetStringAsync($"/api/v1/entities/{entity}/findings?edition=draft{more}", Stop);
        return [.. JsonDocument.Parse(text).RootElement.EnumerateArray()];
    }

    [Fact]
    public async Task From_overview_its_next_best_actions_bring_errors_to_nought_by_keys()
    {
        var entity = await WeakAsync("NEXTBEST");
        (await FoundAsync(entity, "&severity=error")).Count.ShouldBeGreaterThanOrEqualTo(3);
        SignIn("nora");
        Go($"/e/{entity}");
        NothingSerious();
        // Looking moved the focus.
        Go($"/e/{entity}");
        for (var turn = 0; turn < 20 && Find(".stages").FindElements(By.CssSelector("td .bad")).Count > 0; turn++)
        {
            // The one thing to do next has the focus.
            browser.SwitchTo().ActiveElement().SendKeys(Keys.Enter);
            wait.Until(b => b.Url.Contains("/findings?finding=", StringComparison.Ordinal));
            // Every error of these has a mend, which says what it does.
            TextOf("details[open] .finding").ShouldContain("Mend:");
            Find("details[open] .mend button").SendKeys(Keys.Enter);
            TextOf(".donebox").ShouldContain("changed in the draft");
            Find(".rail a[href='/e/" + entity + "']").SendKeys(Keys.Enter);
            wait.Until(b => b.FindElements(By.CssSelector(".stages")).Count == 1);
        }
        (await FoundAsync(entity, "&severity=error")).ShouldBeEmpty();
        // What is next now is to prove and publish it.
        TextOf(".next").ShouldContain("Rehearse a document");
    }

    [Fact]
    public async Task A_finding_is_opened_accepted_given_and_narrowed()
    {
        var entity = await WeakAsync("FINDINGS");
        SignIn("admin");
        Go($"/e/{entity}/findings");
        NothingSerious();
        Find(".rail a[aria-current='page'] .tag");
        Find("#code").SendKeys("Falls to a tripwire" + Keys.Tab);
        wait.Until(b => b.Url.Contains("code=tripwire-reached", StringComparison.Ordinal));
        Find("details[data-finding*='sales-revenue'] > summary span").Click();
        TextOf("details[open] .finding").ShouldContain("Combinations:");
        Find("details[open] .finding details.more summary").SendKeys(Keys.Enter);
        Find("[id^='reason-']").SendKeys("no item of that group is sold" + Keys.Enter);
        TextOf(".donebox").ShouldContain("Accepted until");
        var all = await FoundAsync(entity, "&code=tripwire-reached&accepted=true");
        all.Single()
            .GetProperty("accepted")
            .GetProperty("reason")
            .GetString()
            .ShouldBe("no item of that group is sold");
        (await FoundAsync(entity, "&code=tripwire-reached&accepted=false")).ShouldNotContain(f =>
            f.GetProperty("purpose").GetString() == "sales-revenue"
        );
        Go($"/e/{entity}/findings?show=accepted");
        TextOf(".findings").ShouldContain("accepted until");
        NothingSerious();

        Go($"/e/{entity}/findings?code=class-unfit");
        Find("details[data-finding*='BAR-205'] > summary span").Click();
        Find("details[open] .finding");
        browser
            .FindElements(By.CssSelector("details[open] .finding details.more summary"))
            .Single(m => m.Text.Contains("Give", StringComparison.Ordinal))
            .SendKeys(Keys.Enter);
        Find("[id^='day-']").SendKeys("31 Feb 2027");
        Find("[id^='to-']").SendKeys("nora" + Keys.Enter);
        TextOf("[role=alert]").ShouldContain("'31 Feb 2027' is no day");
        browser
            .FindElements(By.CssSelector("details[open] .finding details.more summary"))
            .Single(m => m.Text.Contains("Give", StringComparison.Ordinal))
            .SendKeys(Keys.Enter);
        Find("[id^='to-']").SendKeys("nora" + Keys.Enter);
        TextOf(".donebox").ShouldContain("Given to nora");
        SignOutAndIn("nora");
        Go($"/e/{entity}");
        TextOf(".pane").ShouldContain("BAR-205");
    }

    [Fact]
    public async Task What_has_a_finding_is_marked_where_it_stands_and_families_are_given()
    {
        var entity = await WeakAsync("MARKED");
        SignIn("nora");
        Go($"/e/{entity}/assignments?purpose=stock");
        Attribute("tr[data-place*='BAR-205'] a.sign-bad", "title").ShouldContain("6010");
        NothingSerious();
        Go($"/e/{entity}/tax");
        Find("td[data-place*='abroad'] a.sign-watch");
        Go($"/e/{entity}/families");
        TextOf("main").ShouldContain("Groups beside their sisters");
        NothingSerious();
        if (browser.FindElements(By.CssSelector("[name='account']")) is [var one, ..])
        {
            var number = one.GetAttribute("value")!;
            if (!one.Selected)
                one.SendKeys(Keys.Space);
            Find("main form .btn-main").SendKeys(Keys.Enter);
            TextOf(".donebox").ShouldContain("now");
            browser.FindElements(By.CssSelector($"[name='account'][value='{number}']")).ShouldBeEmpty();
        }
    }

    private void SignOutAndIn(string name)
    {
        Find(".rail .who button").Click();
        SignIn(name);
    }

    [Fact]
    public async Task The_interface_tells_findings_as_fixed_and_refuses_what_it_does_not_know()
    {
        var entity = await WeakAsync("FOUNDBYCALL");
        var found = await FoundAsync(entity, "&code=class-unfit");
        var one = found.Single(f =>
            f.GetProperty("places")[0].GetProperty("key").GetProperty("item").GetString() == "BAR-205"
        );
        one.GetProperty("severity").GetString().ShouldBe("error");
        one.GetProperty("account").GetString().ShouldBe("6010");
        one.GetProperty("purpose").GetString().ShouldBe("stock");
        one.GetProperty("count").GetDecimal().ShouldBe(1);
        one.GetProperty("accepted").ValueKind.ShouldBe(JsonValueKind.Null);
        var row = one.GetProperty("mend").GetProperty("rows")[0];
        row.GetProperty("part").GetString().ShouldBe("assignments");
        row.GetProperty("before").GetProperty("account").GetString().ShouldBe("6010");
        row.GetProperty("after").GetProperty("account").GetString().ShouldBe("1410");
        using var client = App.Client();
        foreach (var wrong in new[] { "severity=grave", "code=nothing", "accepted=perhaps", "edition=99" })
            (
                (int)(await client.GetAsync($"/api/v1/entities/{entity}/findings?{wrong}", Stop)).StatusCode
            ).ShouldBeInRange(400, 422);
    }
}
