using System.Text;
using System.Text.Json;
using Assignum.Testing;
using OpenQA.Selenium;
using OpenQA.Selenium.Chrome;
using OpenQA.Selenium.Support.UI;

namespace Assignum.Web.Tests;

/// <summary>The pages as a person uses them.</summary>
[Collection(AppCollection.Name)]
public sealed class InTheBrowser(RunningApp app) : InBrowser(app)
{
    [Fact]
    public void A_wrong_password_is_refused_and_a_right_one_lets_in_and_out()
    {
        SignIn("nora", "wrong-password");
        TextOf("[role=alert]").ShouldContain("wrong");
        NothingSerious();
        SignIn("nora");
        TextOf(".rail .who").ShouldContain("Nora Aldane");
        Find(".rail .who button").Click();
        wait.Until(b => b.Url.Contains("/sign-in", StringComparison.Ordinal));
        Go("/e/SKERROW/journal");
        wait.Until(b => b.Url.Contains("/sign-in", StringComparison.Ordinal));
    }

    [Fact]
    public void A_document_is_rehearsed_posted_and_its_line_followed_to_its_ladder_by_keys()
    {
        SignIn("nora");
        Go("/e/SKERROW/rehearse?kind=sales-invoice");
        browser.ExecuteScript("document.getElementById('f-date').value = '2026-10-12'");
        Find("#f-reference").SendKeys("INV-KEYS");
        // A picker: part of a name, arrow, enter.
        Find("#f-party").SendKeys("kerry head");
        wait.Until(b => b.FindElements(By.CssSelector("[role=option]")).Count == 1);
        Find("#f-party").SendKeys(Keys.ArrowDown + Keys.Enter);
        Attribute("#f-party", "value").ShouldBe("SCH-KERRY");
        Find("[name='lines[0].item']").SendKeys("RG-100" + Keys.Tab);
        Find("[name='lines[0].unitPrice']").SendKeys("100");
        NothingSerious();
        // A draft that stands open is followed; what is posted is told by what is in force.
        browser.ExecuteScript("document.getElementById('edition').value = ''");
        Find("[formaction*=Rehearse]").SendKeys(Keys.Enter);

        TextOf("#result").ShouldContain("balanced");
        TextOf("#result").ShouldContain("4012");
        NothingSerious();
        Find("tr[data-line='e0']").SendKeys(Keys.ArrowDown);
        var pane = Find("[data-ladder='e1']");
        wait.Until(_ => pane.Displayed);
        pane.Text.ShouldContain("Why 4012");
        pane.Text.ShouldContain("INSTR · SCHOOLS");
        browser.FindElement(By.CssSelector("[data-ladder='e0']")).Displayed.ShouldBeFalse();

        Find("[formaction*=Post]").Click();
        var number = TextOf(".donebox a");
        Find(".donebox a").Click();
        TextOf("h1").ShouldContain(number);
        Find("tr[data-line='e1'] td.num").Click();
        TextOf("[data-ladder='e1']").ShouldContain("item group + party group");
        NothingSerious();
    }

    [Fact]
    public void A_kind_is_explained_in_own_accounts_and_changes_with_the_policies_tried()
    {
        SignIn("iris");
        Go("/e/SKERROW/patterns?kind=goods-shipped");
        TextOf(".flow").ShouldContain("cost of sales");
        NothingSerious();
        Go("/e/SKERROW/patterns?kind=goods-shipped&cost-timing=invoice");
        Find("#policies").Displayed.ShouldBeTrue();
        TextOf(".flow").ShouldContain("shipped not invoiced");
        TextOf("[aria-label='What these policies change']").ShouldContain("becoming needed: shipped not invoiced");
        Find("#stock-method").SendKeys("periodic" + Keys.Enter);
        wait.Until(b =>
            b.FindElement(By.CssSelector(".kinds")).Text.Contains("makes no entry", StringComparison.Ordinal)
        );
        // Trying changes nothing.
        TextOf(".band").ShouldContain("Edition");
        // What the demo has no account for (charges between entities) is said there, and is no example of the others.
        foreach (var kind in Core.Entries.EventKinds.All.Where(k => k.Name != "intercompany-charge"))
        {
            Go("/e/SKERROW/patterns?kind=" + kind.Name);
            TextOf("h1").ShouldContain(kind.Title);
            browser.FindElements(By.CssSelector("[role=alert]")).Select(a => a.Text).ShouldBeEmpty(kind.Name);
        }
    }

    [Fact]
    public void A_life_cycle_from_a_file_and_a_form_leaves_its_between_accounts_at_zero()
    {
        SignIn("tomas");
        var file = Path.Combine(folder, "cycle.ndjson");
        File.WriteAllLines(
            file,
            [
                """{"source":"own","id":"c1","kind":"goods-received","date":"2026-10-02","""
                    + """ "party":"SUP-OKEBRASS","location":"CORK","lines":[{"item":"BAR-210","quantity":10,"""
                    + """ "unitCost":42}]}""",
                """{"source":"own","id":"c2","kind":"supplier-invoice","date":"2026-10-04","""
                    + """ "reference":"S-881","party":"SUP-OKEBRASS","location":"CORK","lines":["""
                    + """ {"item":"BAR-210","quantity":10,"unitPrice":43,"receiptCost":420}]}""",
            ]
        );
        Go("/e/SKERROW/rehearse/cycle");
        Find("#file").SendKeys(file);
        Find("[data-drop] button").SendKeys(Keys.Enter);
        wait.Until(b => b.FindElements(By.CssSelector(".steps > li")).Count == 2);

        Go("/e/SKERROW/rehearse?kind=supplier-payment");
        browser.ExecuteScript("document.getElementById('f-date').value = '2026-10-20'");
        Find("#f-party").SendKeys("SUP-OKEBRASS" + Keys.Tab);
        Find("#f-method").SendKeys("BANK" + Keys.Tab);
        Find("#f-amount").SendKeys("528.90");
        Find("[name='settles[0].reference']").SendKeys("S-881");
        Find("[name='settles[0].amount']").SendKeys("528.90");
        Find("[formaction*=Keep]").SendKeys(Keys.Enter);
        wait.Until(b => b.FindElements(By.CssSelector(".steps > li")).Count == 3);
        // Received 420, invoiced 430 and 23 % of it, paid: what stands between comes to zero.
        string Account(string number) => TextOf($"[aria-label='Account {number}']");
        Account("2150").ShouldContain("zero");
        Account("2110").ShouldContain("zero");
        Account("1110").ShouldContain("528.90");
        Find(".steps summary").SendKeys(Keys.Enter);
        wait.Until(b => b.FindElement(By.CssSelector(".steps .flow")).Displayed);
        NothingSerious();

        Find("button[aria-label='delete: document 1']").SendKeys(Keys.Enter);
        wait.Until(b => b.FindElements(By.CssSelector(".steps > li")).Count == 2);
        Find("form[action*=Back] button").SendKeys(Keys.Enter);
        wait.Until(b => b.FindElements(By.CssSelector(".steps > li")).Count == 3);
        Find("form[action*=Clear] button").SendKeys(Keys.Enter);
        wait.Until(b => b.FindElements(By.CssSelector(".steps > li")).Count == 0);
        File.WriteAllText(file, "{\"kind\":\"opening\"}\nnothing of use");
        Find("#file").SendKeys(file);
        Find("[data-drop] button").SendKeys(Keys.Enter);
        TextOf("[role=alert]").ShouldContain("Line 2 of the file is no event");
    }

    [Fact]
    public void A_sibling_account_gets_the_next_free_number_and_can_be_taken_back()
    {
        SignIn("nora");
        Go("/e/SKERROW/chart");
        Find("a[href$='/chart/4012']").SendKeys(Keys.Enter);
        TextOf("h1").ShouldContain("4012");
        TextOf(".pane").ShouldContain("sales revenue");
        NothingSerious();
        Find("a[href*='/chart/new?from=4012']").SendKeys(Keys.Enter);
        var number = Attribute("#new-number", "value");
        wait.Until(b => b.FindElement(By.Id("number-said")).Text.Contains("free", StringComparison.Ordinal));
        Find("#new-number").Clear();
        Find("#new-number").SendKeys("4010");
        wait.Until(b =>
            b.FindElement(By.Id("number-said")).Text.Contains("4010 is Instruments", StringComparison.Ordinal)
        );
        Find("#new-number").Clear();
        Find("#new-number").SendKeys(number);
        Find("#new-name").SendKeys("Instruments to museums");
        NothingSerious();
        Find("#reason").SendKeys("a new line" + Keys.Enter);
        TextOf("h1").ShouldBe(number + " Instruments to museums");
        // Deleted, taken back from the chart that says so, and taken back altogether.
        Find("form[action$='handler=Delete'] button").SendKeys(Keys.Enter);
        wait.Until(b => b.Url.EndsWith("/chart", StringComparison.Ordinal));
        TextOf(".donebox").ShouldContain($"Account {number} is deleted.");
        Find(".donebox button").SendKeys(Keys.Enter);
        wait.Until(b => b.FindElement(By.CssSelector(".donebox")).Text.Contains("Undone", StringComparison.Ordinal));
        Find($"a[href$='/chart/{number}']").SendKeys(Keys.Enter);
        wait.Until(b => b.FindElement(By.TagName("h1")).Text.StartsWith(number, StringComparison.Ordinal));
        Find("form[action$='handler=Delete'] button").SendKeys(Keys.Enter);
        wait.Until(b => b.Url.EndsWith("/chart", StringComparison.Ordinal));
        browser.FindElements(By.CssSelector($"a[href$='/chart/{number}']")).ShouldBeEmpty();
    }

    [Fact]
    public void A_document_is_seen_beside_itself_for_another_party()
    {
        SignIn("nora");
        Go("/e/SKERROW/rehearse?kind=sales-invoice");
        browser.ExecuteScript("document.getElementById('f-date').value = '2026-10-12'");
        Find("#f-party").SendKeys("SCH-KERRY" + Keys.Tab);
        Find("[name='lines[0].item']").SendKeys("RG-100" + Keys.Tab);
        Find("[name='lines[0].unitPrice']").SendKeys("100");
        browser.ExecuteScript("document.getElementById('otherParty').closest('details').open = true");
        Find("#otherParty").SendKeys("EX-BOREAL" + Keys.Tab);
        Find("[formaction*=Rehearse]").SendKeys(Keys.Enter);
        var beside = TextOf("[aria-label='Side by side']");
        beside.ShouldContain("≠ Trade receivables");
        beside.ShouldContain("D 123.00");
        beside.ShouldContain("D 100.00");
        NothingSerious();
    }

    [Fact]
    public void Tax_is_set_in_the_draft_by_keys_seen_in_a_rehearsal_and_undone()
    {
        SignIn("nora");
        Go("/e/SKERROW/tax");
        NothingSerious();
        var gap = Find("[aria-label='Code for abroad, reduced']");
        TextOf("td.gap").ShouldContain("empty");
        gap.SendKeys("export");
        wait.Until(b => b.FindElements(By.CssSelector("[role=option]")).Count == 1);
        gap.SendKeys(Keys.ArrowDown + Keys.Enter);
        gap.GetAttribute("value").ShouldBe("Z0");
        Find("#reason").SendKeys("was missing" + Keys.Enter);
        TextOf(".donebox").ShouldContain("1 row of the draft was changed");
        TextOf(".band").ShouldContain("Draft");
        browser.FindElements(By.CssSelector("td.gap")).ShouldBeEmpty();
        Find(".donebox button").SendKeys(Keys.Enter);
        wait.Until(b => b.FindElement(By.CssSelector(".donebox")).Text.Contains("Undone", StringComparison.Ordinal));
        TextOf("td.gap").ShouldContain("empty");

        // A coming rate, once for both codes; the tax check of the draft takes it from its day.
        Go("/e/SKERROW/tax?show=codes");
        foreach (var code in new[] { "S23", "P23" })
            Find("#rate-" + code).SendKeys(Keys.Space);
        Find("#percent").SendKeys("24");
        browser.ExecuteScript("document.getElementById('from').value = '2027-01-01'");
        Find("#rate-reason").SendKeys("next year" + Keys.Enter);
        TextOf(".donebox").ShouldContain("2 rows of the draft were changed");
        browser
            .FindElements(By.CssSelector("span.watch"))
            .Count(e => e.Text.Contains("24 %", StringComparison.Ordinal))
            .ShouldBe(2);
        NothingSerious();
        Find(".donebox button").SendKeys(Keys.Enter);
        wait.Until(b => b.FindElement(By.CssSelector(".donebox")).Text.Contains("Undone", StringComparison.Ordinal));
        Go("/e/SKERROW/tax?show=boxes&from=2026-05-01&to=2026-10-31");
        TextOf("table").ShouldContain("A1");
        NothingSerious();
    }

    [Fact]
    public void A_faulty_document_keeps_what_was_typed_and_marks_the_field()
    {
        SignIn("nora");
        Go("/e/SKERROW/rehearse?kind=sales-invoice");
        browser.ExecuteScript("document.getElementById('f-date').value = '2026-10-12'");
        Find("#f-party").SendKeys("NOBODY" + Keys.Escape);
        Find("[name='lines[0].item']").SendKeys("RG-100" + Keys.Tab);
        Find("[name='lines[0].unitPrice']").SendKeys("ten");
        Find("[formaction*=Rehearse]").Click();
        Find("[role=alert]")
            .Text.ShouldBe("Line 1, unit price: 'ten' is no number: write digits with a point, such as 1234.50.");
        Find("[name='lines[0].unitPrice']")
            .ShouldSatisfyAllConditions(
                f => f.GetAttribute("value").ShouldBe("ten"),
                f => f.GetAttribute("aria-invalid").ShouldBe("true")
            );
        NothingSerious();
    }

    [Fact]
    public async Task A_bundle_that_comes_back_over_newer_rows_asks_which_of_two_changes_stays()
    {
        await App.EntityAsync("BROWSEBACK");
        var stop = TestContext.Current.CancellationToken;
        using var client = App.Client();
        var zip = await client.GetByteArrayAsync("/api/v1/entities/BROWSEBACK/bundle", stop);
        async Task ChangeAsync(string file, string rows) =>
            (
                await client.PostAsync(
                    "/api/v1/entities/BROWSEBACK/bundle?apply=true&partial=true",
                    new ByteArrayContent(PageClient.Zip((file, Encoding.UTF8.GetBytes(rows)))),
                    stop
                )
            ).EnsureSuccessStatusCode();
        await ChangeAsync("methods.csv", "code,name\nCHEQUE,Cheque\n");
        await ChangeAsync("accounts.csv", "number,name,class,kind\n4010,Instruments here,revenue,posting\n");
        var file = Path.Combine(folder, "back.zip");
        await File.WriteAllBytesAsync(
            file,
            PageClient.Zip([
                .. new System.IO.Compression.ZipArchive(new MemoryStream(zip)).Entries.Select(e =>
                    (
                        e.Name,
                        Encoding.UTF8.GetBytes(
                            e.Name == "accounts.csv"
                                ? System.Text.RegularExpressions.Regex.Replace(
                                    new StreamReader(e.Open()).ReadToEnd(),
                                    "(?m)^4010,[^,]*,",
                                    "4010,Instruments there,"
                                )
                                : new StreamReader(e.Open()).ReadToEnd()
                        )
                    )
                ),
            ]),
            stop
        );

        SignIn("nora");
        Go("/e/BROWSEBACK/files");
        Find("#file").SendKeys(file);
        Find("form.sheet button").Click();
        TextOf("#plan-title").ShouldContain("1 conflict with what was changed here");
        TextOf("main").ShouldContain("what was changed here since stays");
        TextOf("#bundle-form").ShouldContain("Instruments here");
        NothingSerious();
        // Nobody decided: nothing is brought in, and the question stands.
        Find("#bundle-form .btn-main").Click();
        TextOf("#plan-title").ShouldContain("1 conflict");
        Find("#bundle-form input[value=theirs]").Click();
        Find("#bundle-form .btn-main").Click();
        TextOf(".donebox").ShouldContain("brought in");
        Go("/e/BROWSEBACK/chart");
        TextOf("main").ShouldContain("Instruments there");
        (await client.GetStringAsync("/api/v1/entities/BROWSEBACK/bundle", stop)).Length.ShouldBeGreaterThan(0);
    }

    [Fact]
    public async Task A_bundle_is_looked_at_brought_in_and_published_by_somebody_else()
    {
        using (var client = App.Client())
            (
                await client.PostAsync(
                    "/api/v1/entities",
                    new StringContent("{\"code\":\"BROWSER\",\"name\":\"Browser\",\"currency\":\"EUR\"}"),
                    TestContext.Current.CancellationToken
                )
            ).EnsureSuccessStatusCode();
        var file = Path.Combine(folder, "set-up.zip");
        void Pack(string accounts)
        {
            using var zip = new System.IO.Compression.ZipArchive(
                File.Create(file),
                System.IO.Compression.ZipArchiveMode.Create
            );
            using var to = zip.CreateEntry("accounts.csv").Open();
            to.Write(Encoding.UTF8.GetBytes("number,name,class,kind\n" + accounts));
        }
        SignIn("nora");
        Go("/e/BROWSER/files");
        Pack("1000,Cash,treasure,posting\n");
        Find("#file").SendKeys(file);
        Find("form[action*=Preview] button, form.sheet button").Click();
        TextOf("#plan-title").ShouldContain("1 fault,");
        TextOf("main").ShouldContain("'treasure' is not known here");
        NothingSerious();
        Pack("1000,Cash,asset,posting\n4000,Sales,revenue,posting\n");
        Find("#file").SendKeys(file);
        Find("form.sheet button").Click();
        wait.Until(b =>
            b.FindElement(By.Id("plan-title")).Text.Contains("2 rows would change", StringComparison.Ordinal)
        );
        Find("form[action*=Apply] button").Click();
        TextOf(".donebox").ShouldContain("2 rows");
        Go("/e/BROWSER/editions");
        browser.FindElements(By.CssSelector("#from")).ShouldBeEmpty(); // a preparer does not publish

        SignIn("tomas");
        Go("/e/BROWSER/editions");
        NothingSerious();
        browser.ExecuteScript("document.getElementById('from').value = '2026-01-01'");
        Find("form.sheet button").Click();
        wait.Until(b => b.FindElement(By.CssSelector(".band .state")).Text == "Edition 1 is live");
        Go("/e/BROWSER/chart");
        TextOf("main").ShouldContain("Sales");
        NothingSerious();
    }

    [Fact]
    public void Find_goes_from_the_slash_key_to_an_account()
    {
        SignIn("iris");
        Go("/e/SKERROW/journal");
        Find("main");
        browser.SwitchTo().ActiveElement().SendKeys("/");
        Find("#find").SendKeys("calibration");
        wait.Until(b => b.FindElements(By.CssSelector("#found a")).Count > 0);
        NothingSerious("#found");
        Find("#find").SendKeys(Keys.ArrowDown);
        browser.SwitchTo().ActiveElement().SendKeys(Keys.Enter);
        wait.Until(b =>
            b.Url.Contains("4040", StringComparison.Ordinal) || b.Url.Contains("CAL", StringComparison.Ordinal)
        );
    }

    [Fact]
    public void A_viewer_reads_and_is_offered_nothing_that_changes_and_no_page_scrolls_sideways()
    {
        SignIn("iris");
        foreach (var place in new[] { "chart", "journal", "rehearse", "rehearse?kind=json", "editions", "files" })
        {
            Go("/e/SKERROW/" + place);
            Find("main h1");
            (
                (bool)browser.ExecuteScript("return document.documentElement.scrollWidth <= window.innerWidth")!
            ).ShouldBeTrue(place);
        }
        browser.FindElements(By.CssSelector("#file")).ShouldBeEmpty();
        Go("/e/NOWHERE/chart");
        browser.PageSource.ShouldNotContain("Chart of accounts");
    }

    [Fact]
    public void While_the_database_is_away_a_page_says_so_and_then_goes_on()
    {
        SignIn("iris");
        App.Wire.Cut();
        try
        {
            Go("/e/SKERROW/chart");
            TextOf("h1").ShouldBe("The database does not answer");
        }
        finally
        {
            App.Wire.Mend();
        }
        wait.Until(_ =>
        {
            Go("/e/SKERROW/chart");
            return browser.FindElement(By.CssSelector("h1")).Text == "Chart of accounts";
        });
    }
}
