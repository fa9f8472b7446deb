using System.Net.Http.Json;
using System.Text;
using OpenQA.Selenium;

namespace Assignum.Web.Tests;

/// <summary>From a doubt to its answer to its mend: each way is walked by keys, and what somebody does on it is
/// counted.</summary>
[Collection(OtherAppCollection.Name)]
public sealed class JoinedUp(RunningApp app) : InBrowser(app)
{
    private int acts;

    private static CancellationToken Stop => TestContext.Current.CancellationToken;

    private void Focus(string css) => browser.ExecuteScript("arguments[0].focus()", Find(css));

    // Going to something and pressing what acts there is one act, as is typing a value, as is a chord.
    private void Act(string css, params string[] keys)
    {
        acts++;
        Focus(css);
        Press(keys);
    }

    private void Act(string[] keys)
    {
        acts++;
        Press(keys);
    }

    private void ActChord(string modifier, string key)
    {
        acts++;
        Chord(modifier, key);
    }

    private void Saved()
    {
        ActChord(Keys.Control, "s");
        wait.Until(b =>
            !b.FindElement(By.Id("grid-waits")).Displayed
            || b.FindElement(By.Id("grid-said")).Text.Contains("stored yet", StringComparison.Ordinal)
        );
        TextOf("#grid-said").ShouldNotContain("stored yet");
    }

    // The row that was begun has its account.
    private void Waits() =>
        wait.Until(b => b.FindElement(By.CssSelector("tr.fresh td[data-column='account']")).Text.Length > 0);

    private async Task PostAsync(string entity, string events)
    {
        using var client = App.Client();
        (
            await client.PostAsJsonAsync(
                $"/api/v1/entities/{entity}/editions/publish",
                new { from = "2026-06-01", note = "first" },
                Stop
            )
        ).EnsureSuccessStatusCode();
        using var answer = await client.PostAsync(
            $"/api/v1/entities/{entity}/events",
            new StringContent(events, Encoding.UTF8, "application/json"),
            Stop
        );
        answer.EnsureSuccessStatusCode();
        (await answer.Content.ReadAsStringAsync(Stop)).ShouldNotContain("refused");
    }

    private string LineOf(string purpose) =>
        Find(".entry-lines, table.rows:has(tr[data-line])")
            .FindElements(By.CssSelector("tr[data-line]"))
            .First(r => r.Text.Contains(purpose, StringComparison.Ordinal))
            .Text;

    private void Again(string expected)
    {
        ActChord(Keys.Alt, "r");
        wait.Until(b => b.Url.Contains("/rehearse?entry=", StringComparison.Ordinal));
        TextOf("#result").ShouldContain(expected);
    }

    [Fact]
    public async Task Why_did_this_land_here_to_a_proven_mend_in_six_acts()
    {
        var entity = await App.EntityAsync("WHYHERE");
        await PostAsync(
            entity,
            """[{"source":"t","id":"1","kind":"sales-invoice","date":"2026-10-01","reference":"INV-1","""
                + """ "party":"SCH-KERRY","lines":[{"item":"RG-100","unitPrice":100}]}]"""
        );
        SignIn("nora");
        Go($"/e/{entity}/journal");
        Go(Attribute("td.code a[href*='/journal/']", "href").Replace(App.Address.ToString(), "/"));
        NothingSerious();
        var number = TextOf("h1 .code");
        LineOf("Sales revenue").ShouldContain("4012");
        Act("tr[data-line='e0']", Keys.ArrowDown);
        // The ladder says what held, what was looked for in vain, and what each rung below would give.
        var ladder = TextOf("[data-ladder='e1']");
        ladder.ShouldContain("would give 4010");
        ladder.ShouldContain("would give 4880");
        Act("[data-ladder='e1'] li:nth-of-type(3) a.here", Keys.Enter);
        TextOf("tr.fresh td[data-column='item']").ShouldBe("RG-100");
        Act(["4040", Keys.Enter]);
        Waits();
        Saved();
        Again("4040");
        acts.ShouldBeLessThanOrEqualTo(6);
        TextOf("h1 + .aside").ShouldContain($"entry {number} again");
        LineOf("Sales revenue").ShouldContain("4040");
        LineOf("Sales revenue").ShouldContain("item");
        // The document is one line above its result.
        Find(".folds").GetAttribute("open").ShouldBeNull();
        TextOf(".folds summary").ShouldBe("Sales invoice · 1 Oct 2026 · SCH-KERRY · INV-1 · 1 line");
        NothingSerious();
    }

    [Fact]
    public async Task A_new_revenue_account_beside_a_sibling_is_made_assigned_and_rehearsed_in_twelve_acts()
    {
        var entity = await App.EntityAsync("NEWREV");
        SignIn("nora");
        Go($"/e/{entity}/assignments?purpose=sales-revenue");
        Act("#grid-rows td[tabindex]", Keys.Insert);
        Act("tr.fresh td[data-column='item_group']", "RAIN", Keys.Enter);
        acts++;
        Focus("tr.fresh td[data-column='account']");
        ChooseNew("Rain gauges sold");
        wait.Until(b => b.FindElement(By.Id("in-place")).Displayed);
        // The number, the heading and the class come from the neighbours; only the name is said.
        Attribute("#in-place #new-name", "value").ShouldBe("Rain gauges sold");
        var number = Attribute("#in-place #new-number", "value");
        Act("#in-place #new-name", Keys.Enter);
        wait.Until(b => !b.FindElement(By.Id("in-place")).Displayed);
        Act([Keys.Enter]);
        Waits();
        Saved();
        acts++;
        Go($"/e/{entity}/rehearse?kind=sales-invoice");
        browser.ExecuteScript("document.getElementById('f-date').value = '2026-10-12'");
        Act("#f-party", "SCH-KERRY", Keys.Tab);
        Act("[name='lines[0].item']", "RG-100", Keys.Tab);
        Act("[name='lines[0].unitPrice']", "1 250,50");
        ActChord(Keys.Control, "s");
        wait.Until(b => b.FindElements(By.Id("result")).Count == 1);
        acts.ShouldBeLessThanOrEqualTo(12);
        // Schools have an account of their own, above the group's.
        LineOf("Sales revenue").ShouldContain("1 250.50");
        Attribute("[data-ladder='e1']", "textContent").ShouldContain("would give " + number);
    }

    [Fact]
    public async Task Two_stock_accounts_by_place_are_assigned_and_proven_in_eight_acts()
    {
        var entity = await App.EntityAsync("TWOPLACES");
        await PostAsync(
            entity,
            """[{"source":"t","id":"0","kind":"goods-received","date":"2026-10-01","party":"SUP-OKEBRASS","""
                + """ "location":"CORK","lines":[{"item":"BAR-210","quantity":10,"unitCost":42}]},"""
                + """{"source":"t","id":"1","kind":"stock-moved","date":"2026-10-02","fromLocation":"CORK","""
                + """ "toLocation":"UTRECHT","lines":[{"item":"BAR-210","quantity":2,"unitCost":42}]}]"""
        );
        SignIn("nora");
        Go($"/e/{entity}/journal?q=stock-moved");
        Go(Attribute("td.code a[href*='/journal/']", "href").Replace(App.Address.ToString(), "/"));
        Act("[data-ladder='e0'] li:has(.key) a.here", Keys.Enter);
        wait.Until(b => b.FindElements(By.CssSelector("tr.fresh")).Count == 1);
        Act(["1411", Keys.Enter]);
        Act("tr.fresh td[tabindex]", Keys.Insert);
        // The second as a spreadsheet has it: item, group, place, account.
        acts++;
        Focus("tr.fresh:nth-child(2) td[data-column='item']");
        browser.ExecuteScript(
            "const d = new DataTransfer(); d.setData('text/plain', arguments[0]); "
                + "document.activeElement.dispatchEvent(new ClipboardEvent('paste', { clipboardData: d, "
                + "bubbles: true, cancelable: true }))",
            "BAR-210\t\tCORK\t1420"
        );
        Saved();
        Again("1411");
        acts.ShouldBeLessThanOrEqualTo(8);
        TextOf("#result").ShouldContain("1420");
    }

    [Fact]
    public async Task Ten_cells_are_mended_through_a_workbook_with_three_wrong_in_nine_acts()
    {
        var entity = await App.EntityAsync("TENCELLS");
        using var client = await App.SignedInAsync("nora");
        acts++;
        var book = await client.GetByteArrayAsync($"/e/{entity}/assignments?handler=Sheet", Stop);
        // Ten cells at once, as one types them in a spreadsheet.
        acts++;
        book = SheetEdits.Replace(book, TenCells);
        var file = Path.Combine(folder, "ten.xlsx");
        await File.WriteAllBytesAsync(file, book, Stop);
        SignIn("nora");
        Go($"/e/{entity}/sheet/assignments");
        acts++;
        Find("#file").SendKeys(file);
        Act("form[enctype] .btn-main", Keys.Enter);
        // All three at once; the others are looked at in the same round.
        TextOf("#plan-title").ShouldContain("3 cells are wrong");
        NothingSerious();
        foreach (var (wrong, right) in new[] { ("9999", "4010"), ("1410", "2110"), ("Nonsuch", "5200") })
        {
            acts++;
            Focus($"input[name^='mend:'][value='{wrong}']");
            Chord(Keys.Control, "a");
            Press(right, Keys.Tab);
        }
        Act("#sheet-form button:not([formaction]):not([name])", Keys.Enter);
        wait.Until(b => b.FindElements(By.CssSelector(".donebox, [role=alert]")).Count > 0);
        browser.FindElements(By.CssSelector("[role=alert]")).Select(a => a.Text).ShouldBeEmpty();
        wait.Until(b => b.FindElement(By.CssSelector(".donebox")).Text.Contains("10 rows of ten.xlsx came in"));
        acts.ShouldBeLessThanOrEqualTo(9);
        using var rows = await client.GetAsync(
            $"/e/{entity}/assignments?purpose=sales-revenue&account=4010&handler=List&format=csv",
            Stop
        );
        (await rows.Content.ReadAsStringAsync(Stop))
            .Split('\n')
            .Count(l => l.StartsWith("sales-revenue,4010", StringComparison.Ordinal))
            .ShouldBe(6);
    }

    [Fact]
    public async Task What_is_good_in_a_workbook_is_taken_without_what_is_wrong()
    {
        var entity = await App.EntityAsync("GOODONLY");
        using var client = await App.SignedInAsync("nora");
        var book = await client.GetByteArrayAsync($"/e/{entity}/assignments?handler=Sheet", Stop);
        var file = Path.Combine(folder, "ten.xlsx");
        await File.WriteAllBytesAsync(file, SheetEdits.Replace(book, TenCells), Stop);
        SignIn("nora");
        Go($"/e/{entity}/sheet/assignments");
        Find("#file").SendKeys(file);
        Act("form[enctype] .btn-main", Keys.Enter);
        Act("button[name='good']", Keys.Enter);
        wait.Until(b =>
            b.FindElement(By.CssSelector(".donebox"))
                .Text.Contains("7 rows of ten.xlsx came in; what was wrong was left out")
        );
    }

    [Fact]
    public async Task A_tripwire_is_emptied_for_one_group_in_four_acts()
    {
        var entity = await App.EntityAsync("TRIPPED");
        SignIn("nora");
        Go($"/e/{entity}/rehearse?kind=sales-invoice");
        browser.ExecuteScript("document.getElementById('f-date').value = '2026-10-12'");
        Find("#f-party").SendKeys("SHOP-GALE" + Keys.Tab);
        Find("[name='lines[0].item']").SendKeys("CO-1" + Keys.Tab);
        Find("[name='lines[0].unitPrice']").SendKeys("12,5");
        Chord(Keys.Control, "s");
        wait.Until(b => b.FindElements(By.Id("result")).Count == 1);
        LineOf("Sales revenue").ShouldContain("4880");
        Act("[data-ladder='e1'] li:has([href$='/group/item/CONSUM']):not(:has([href*='SHOPS'])) a.here", Keys.Enter);
        Find("tr.fresh");
        Act(["4020", Keys.Enter]);
        Waits();
        Saved();
        Again("4020");
        acts.ShouldBeLessThanOrEqualTo(4);
        LineOf("Sales revenue").ShouldContain("12.50");
        // The document that was rehearsed is there again, with all that was typed.
        Find(".folds summary").SendKeys(Keys.Enter);
        Attribute("#f-party", "value").ShouldBe("SHOP-GALE");
    }

    [Fact]
    public async Task A_supplier_gets_a_second_payables_account_in_eight_acts()
    {
        var entity = await App.EntityAsync("SECONDPAY");
        SignIn("nora");
        Go($"/e/{entity}/rehearse?kind=supplier-invoice");
        browser.ExecuteScript("document.getElementById('f-date').value = '2026-10-12'");
        Find("#f-party").SendKeys("SUP-OKEBRASS" + Keys.Tab);
        Find("[name='lines[0].item']").SendKeys("BAR-210" + Keys.Tab);
        Find("[name='lines[0].quantity']").SendKeys("10");
        Find("[name='lines[0].unitPrice']").SendKeys("42");
        Chord(Keys.Control, "s");
        wait.Until(b => b.FindElements(By.Id("result")).Count == 1);
        var line = Attribute("tr[data-line]:has([href$='/ladders/payables'])", "data-line");
        Act($"tr[data-line='{line}'] a[href$='/ladders/payables']");
        browser.ExecuteScript("arguments[0].closest('tr').click()", Find($"tr[data-line='{line}'] a"));
        Act($"[data-ladder='{line}'] li:has([href$='/record/party/SUP-OKEBRASS']) a.here", Keys.Enter);
        acts++;
        Focus("tr.fresh td[data-column='account']");
        ChooseNew("Brass on account");
        wait.Until(b => b.FindElement(By.Id("in-place")).Displayed);
        var number = Attribute("#in-place #new-number", "value");
        Act("#in-place #new-name", Keys.Enter);
        wait.Until(b => !b.FindElement(By.Id("in-place")).Displayed);
        Act([Keys.Enter]);
        Saved();
        Again(number);
        acts.ShouldBeLessThanOrEqualTo(8);
    }

    [Fact]
    public async Task An_account_in_use_is_split_by_tax_treatment_with_what_stands_on_it_and_undone()
    {
        var entity = await App.EntityAsync("SPLITTAX");
        await PostAsync(
            entity,
            """[{"source":"t","id":"1","kind":"sales-invoice","date":"2026-10-01","reference":"INV-1","""
                + """ "party":"SCH-KERRY","lines":[{"item":"RG-100","unitPrice":100}]},"""
                + """{"source":"t","id":"2","kind":"sales-invoice","date":"2026-10-02","reference":"INV-2","""
                + """ "party":"EX-BOREAL","lines":[{"item":"RG-100","unitPrice":40}]}]"""
        );
        SignIn("nora");
        using var client = App.Client();
        async Task<string> LandsAsync(string party)
        {
            using var answer = await client.GetAsync(
                $"/api/v1/entities/{entity}/explain?purpose=sales-revenue&item=RG-100&party={party}&edition=draft",
                Stop
            );
            using var json = System.Text.Json.JsonDocument.Parse(await answer.Content.ReadAsStringAsync(Stop));
            return json.RootElement.GetProperty("account").GetString()!;
        }
        var abroad = await LandsAsync("EX-BOREAL");
        Go($"/e/{entity}/chart/{abroad}");
        Act($"a[href$='/chart/{abroad}/split']", Keys.Enter);
        TextOf("#split-form tbody").ShouldContain("40.00");
        NothingSerious();
        var row = Find("#split-form tbody tr:has(a[href*='code='])");
        var number = row.FindElement(By.CssSelector("input.code")).GetAttribute("value")!;
        wait.Until(b => !b.FindElement(By.Id("consequences")).Text.Contains("rehearsed twice"));
        Act("#reclassify", Keys.Space);
        Act("#split-form button.btn-main", Keys.Enter);
        // The chain's last document moves what stood there; nothing is posted.
        wait.Until(b => b.Url.Contains("/rehearse/cycle", StringComparison.Ordinal));
        TextOf(".steps").ShouldContain("Hand entry");
        TextOf($"[aria-label='Account {number}']").ShouldContain("40.00");
        (await LandsAsync("EX-BOREAL")).ShouldBe(number);
        acts.ShouldBeLessThanOrEqualTo(3);
        // Nothing else moved, and one undo takes it all back.
        (await LandsAsync("SCH-KERRY")).ShouldNotBe(number);
        Go($"/e/{entity}/history");
        TextOf("table, .work").ShouldContain($"account {abroad} split into");
    }

    [Fact]
    public async Task Days_are_read_and_written_as_their_reader_does()
    {
        var entity = await App.EntityAsync("DAYS");
        SignIn("iris");
        Go($"/e/{entity}/journal");
        Find("#from").SendKeys("3/10/26" + Keys.Tab);
        wait.Until(b => b.Url.Contains("from=", StringComparison.Ordinal));
        Attribute("#from", "value").ShouldBe("3 Oct 2026");
        Find("#from").SendKeys(Keys.ArrowUp);
        wait.Until(b => b.FindElement(By.Id("from")).GetAttribute("value") == "4 Oct 2026");
        Go("/me");
        Find("#form").SendKeys("2026" + Keys.Tab);
        Find("[formaction*=Days], form[action*=Days] button").SendKeys(Keys.Enter);
        TextOf("[role=status]").ShouldContain("from now on");
        Go($"/e/{entity}/chart?to=2026-10-03");
        TextOf("h1 + .aside").ShouldContain("as at 2026-10-03");
        Attribute("#to", "value").ShouldBe("2026-10-03");
        browser.Manage().Cookies.DeleteCookieNamed("assignum-days");
    }

    [Fact]
    public async Task Report_codes_parties_and_dimensions_are_chosen_and_a_because_is_told()
    {
        var entity = await App.EntityAsync("SEVERAL");
        SignIn("nora");
        Go($"/e/{entity}/chart/4010");
        Act("#new-party_kinds-customers", Keys.Space);
        Find("#new-report_codes").SendKeys("return=R1" + Keys.Enter);
        wait.Until(b => b.FindElement(By.CssSelector(".donebox")).Text.Contains("Saved", StringComparison.Ordinal));
        Find("#new-party_kinds-customers").Selected.ShouldBeTrue();
        Attribute("#new-report_codes-return", "value").ShouldBe("R1");
        // On another account the same name is there to be picked for.
        Go($"/e/{entity}/chart/4012");
        Find("#new-report_codes-return").SendKeys("R");
        wait.Until(b => b.FindElements(By.CssSelector("[role=option]")).Count == 1);
        Find("#new-report_codes-return").SendKeys(Keys.Tab);
        // What was meant is asked for when the field is left.
        wait.Until(_ => Attribute("#new-report_codes-return", "value") == "R1");

        await PostAsync(
            entity,
            """[{"source":"t","id":"b1","kind":"hand-entry","date":"2026-10-01","lines":["""
                + """{"account":"4880","debit":5,"because":"an error of May"},{"account":"6100","credit":5}]}]"""
        );
        Go($"/e/{entity}/journal");
        Go(Attribute("td.code a[href*='/journal/']", "href").Replace(App.Address.ToString(), "/"));
        TextOf(".entry-cards").ShouldContain("passed over because: an error of May");
        TextOf(".entry-cards a[href$='/chart/4880']").ShouldBe("4880");
    }

    [Fact]
    public async Task What_was_typed_outlives_a_session_that_ends()
    {
        SignIn("nora");
        Go("/e/SKERROW/rehearse?kind=sales-invoice");
        Find("#f-reference").SendKeys("STILL-HERE");
        Find("[name='lines[0].item']").SendKeys("RG-100" + Keys.Tab);
        Find("[data-add-row='lines']").SendKeys(Keys.Enter);
        Find("[name='lines[1].unitPrice']").SendKeys("77");
        browser.Manage().Cookies.DeleteCookieNamed("assignum-session");
        Chord(Keys.Control, "s");
        Find("#name").SendKeys("nora");
        Find("#password").SendKeys(Start.DemoLoader.Password + Keys.Enter);
        wait.Until(b => b.FindElement(By.CssSelector(".donebox")).Text.Contains("Your session had ended"));
        Attribute("#f-reference", "value").ShouldBe("STILL-HERE");
        Attribute("[name='lines[0].item']", "value").ShouldBe("RG-100");
        Attribute("[name='lines[1].unitPrice']", "value").ShouldBe("77");
        await Task.CompletedTask;
    }

    [Fact]
    public void Enter_in_find_anything_leads_to_the_first_thing_found()
    {
        SignIn("iris");
        Go("/e/SKERROW/journal");
        foreach (
            var (said, leads) in new[]
            {
                ("RG-100", "/record/item/RG-100"),
                ("cost of sales is posted", "/policies"),
                ("S23", "/tax?show=codes&code=S23"),
                ("UTRECHT", "/record/location/UTRECHT"),
                ("without effect", "/dead-weight"),
            }
        )
        {
            Press("/");
            browser.SwitchTo().ActiveElement().SendKeys(said + Keys.Enter);
            wait.Until(b => b.Url.Contains(leads, StringComparison.Ordinal));
        }
        Find("#find").SendKeys("policy");
        NothingSerious();
    }

    private static readonly (string Was, string Is)[] TenCells =
    [
        .. new[] { "4012", "4014", "4030", "4060" }.Select(n => ($">{n}<", ">Instruments<")),
        (">1425<", ">Glass and brass parts<"),
        (">1411<", ">1420<"),
        (">5300<", ">5200<"),
        (">4040<", ">9999<"),
        (">2120<", ">1410<"),
        (">5210<", ">Nonsuch<"),
    ];
}
