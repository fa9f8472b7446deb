using OpenQA.Selenium;

namespace Assignum.Web.Tests;

/// <summary>The chart as a person builds, brings in and keeps it, by keys alone.</summary>
[Collection(OtherAppCollection.Name)]
public sealed class ChartInTheBrowser(RunningApp app) : InBrowser(app)
{
    private string Said => TextOf("#grid-said");

    private void Says(string part) => wait.Until(_ => Said.Contains(part, StringComparison.Ordinal));

    private IWebElement Cell(string number, string column) =>
        Find($"tr[data-number='{number}'] td[data-column='{column}']");

    private void Focus(string number, string column) =>
        browser.ExecuteScript("arguments[0].focus()", Cell(number, column));

    private void Holds(string number, string column, string value) =>
        wait.Until(_ =>
            Cell(number, column).GetAttribute("data-value") == value
            && !Cell(number, column).GetAttribute("class")!.Contains("pending", StringComparison.Ordinal)
        );

    [Fact]
    public async Task A_foreign_chart_of_400_accounts_is_brought_in_and_used_in_a_rehearsal()
    {
        await App.EntityAsync("MOOR", empty: true);
        var file = Path.Combine(Directory.CreateTempSubdirectory("assignum-chart").FullName, "moorland.csv");
        await File.WriteAllBytesAsync(file, ForeignSample.Csv(400), TestContext.Current.CancellationToken);
        SignIn("nora");
        Go("/e/MOOR/chart");
        TextOf("main").ShouldContain("There is no account yet");
        NothingSerious();
        Find("a[href$='/chart/bring']").SendKeys(Keys.Enter);
        NothingSerious();
        Find("#file").SendKeys(file);
        Find("form[data-drop] .btn-main").SendKeys(Keys.Enter);

        // Columns, tree and words are found; one word nobody knows is asked for, at each of its accounts.
        TextOf("#plan-title").ShouldContain("wrong");
        Attribute("#col-0", "value").ShouldBe("number");
        Attribute("#col-1", "value").ShouldBe("name");
        Attribute("#col-2", "value").ShouldBe("class");
        Attribute("#shape", "value").ShouldBe("Indents");
        TextOf("[aria-labelledby=fault-title]").ShouldContain("choose what 'Burdens' means");
        NothingSerious();
        browser.FindElement(By.CssSelector("input[name='word-0']")).GetAttribute("value").ShouldBe("Burdens");
        Find("#means-0").SendKeys("operating cost");
        Find("button[formaction*=Again]").SendKeys(Keys.Enter);
        wait.Until(b =>
            b.FindElement(By.Id("plan-title"))
                .Text.StartsWith(
                    $"{400 + ForeignSample.Headings} accounts read: {400 + ForeignSample.Headings} added",
                    StringComparison.Ordinal
                )
        );
        TextOf("[aria-labelledby=falls-title]").ShouldContain("Gross profit");
        NothingSerious();
        Find("#bring-it").SendKeys(Keys.Enter);
        TextOf(".donebox").ShouldContain("433 rows of moorland.csv were brought in");
        TextOf("#grid-rows").ShouldContain("Bank accounts, n° 1");
        Cell("1300", "control").GetAttribute("data-value").ShouldBe("bank");

        // It is used at once: a document rehearsed with two of its accounts, found by part of their names.
        Go("/e/MOOR/rehearse?kind=hand-entry");
        browser.ExecuteScript("document.getElementById('f-date').value = '2026-10-12'");
        Find("[name='lines[0].account']").SendKeys("premises, n° 2");
        wait.Until(b => b.FindElements(By.CssSelector("[role=option]:not(.create)")).Count > 0);
        Find("[name='lines[0].account']").SendKeys(Keys.ArrowDown + Keys.Enter);
        Attribute("[name='lines[0].account']", "value").ShouldBe("6103");
        Find("[name='lines[0].debit']").SendKeys("250");
        // A control account is shown with the reason why it does not suit an entry by hand.
        Find("[data-add-row]").SendKeys(Keys.Enter);
        Find("[name='lines[1].account']").SendKeys("bank accounts");
        wait.Until(b => b.FindElements(By.CssSelector("[role=option][aria-disabled=true]")).Count > 0);
        TextOf("[role=option][aria-disabled=true] .why").ShouldContain("control account of bank");
        NothingSerious();
        Find("[name='lines[1].account']").SendKeys(Keys.Escape);
        Find("[name='lines[1].account']").Clear();
        Find("[name='lines[1].account']").SendKeys("2200" + Keys.Tab);
        Find("[name='lines[1].credit']").SendKeys("250");
        Find("[formaction*=Rehearse]").SendKeys(Keys.Enter);
        wait.Until(b =>
            b.FindElement(By.CssSelector("main")).Text is var text
            && (
                text.Contains("balanced", StringComparison.Ordinal)
                || b.FindElements(By.CssSelector("[role=alert]")).Count > 0
            )
        );
        TextOf("main").ShouldContain("balanced");
        TextOf("#result").ShouldContain("Premises, n° 2");
    }

    [Fact]
    public async Task The_chart_is_edited_as_a_grid()
    {
        await App.EntityAsync("GRID");
        SignIn("nora");
        Go("/e/GRID/chart?fields=place");
        NothingSerious();
        // One cell, by typing.
        Focus("4012", "short_code");
        Press("sch", Keys.Enter);
        Says("1 account changed");
        Holds("4012", "short_code", "sch");

        // A field for three at once; undone and done again.
        Focus("4012", "name");
        Chord(Keys.Shift, Keys.ArrowDown);
        Chord(Keys.Shift, Keys.ArrowDown);
        TextOf("#grid-many").ShouldBe("3 accounts:");
        Find("#many-field").SendKeys("family");
        // What decides landings waits, with what it would do beside it.
        Find("#many-value").SendKeys("copper" + Keys.Enter);
        wait.Until(b => b.FindElement(By.Id("grid-foresee")).Text.Length > 0);
        Chord(Keys.Control, "s");
        Says("3 rows changed");
        Holds("4014", "family", "copper");
        Focus("4012", "name");
        Chord(Keys.Control, "z");
        Says("Undone.");
        Holds("4014", "family", "instruments");
        Chord(Keys.Control, "y");
        Says("Done again.");
        Holds("4020", "family", "copper");

        // Whoever writes while the rows come back after an undoing loses nothing: they are drawn when it is written.
        HoldBack("take=");
        Focus("4040", "short_code");
        Chord(Keys.Control, "z");
        Held();
        Press("x", "y");
        browser.ExecuteAsyncScript("const done = arguments[0]; window.letGo(); setTimeout(done, 600)");
        Press("l");
        browser.ExecuteScript("return document.getElementById('grid-field')?.value").ShouldBe("xyl");
        Press(Keys.Enter);
        Holds("4040", "short_code", "xyl");
        Holds("4014", "family", "instruments");
        Holds("4020", "family", "spares");

        // What is changed while a save is on its way waits for the next one.
        Focus("4014", "family");
        Press("tin", Keys.Enter);
        HoldBack("handler=Edit");
        Chord(Keys.Control, "s");
        Held();
        Focus("4020", "family");
        Press("lead", Keys.Enter);
        browser.ExecuteScript("window.letGo()");
        wait.Until(_ => TextOf("#grid-count") == "1 change waits");
        (Cell("4014", "family").Text, Cell("4020", "family").Text).ShouldBe(("tin", "lead"));
        Chord(Keys.Control, "s");
        wait.Until(_ => !Find("#grid-waits").Displayed);
        Holds("4020", "family", "lead");
        Holds("4014", "family", "tin");

        // A block from a spreadsheet: what is wrong is marked, nothing is stored, what was pasted stays; corrected, all
        // of it goes in.
        void Paste(string number, string column, string text) =>
            browser.ExecuteScript(
                "const d = new DataTransfer(); d.setData('text/plain', arguments[1]); arguments[0].dispatchEvent(new "
                    + "ClipboardEvent('paste', { clipboardData: d, bubbles: true, cancelable: true }))",
                Cell(number, column),
                text
            );
        Focus("4030", "short_code");
        Paste("4030", "short_code", "book\tRevenue\ncal\tRevenues\n");
        Chord(Keys.Control, "s");
        Says("Nothing is stored yet. 'revenues' is not known here");
        browser.FindElements(By.CssSelector("td[aria-invalid=true]")).Single().Text.ShouldBe("Revenues");
        NothingSerious();
        Focus("4040", "class");
        Press("reven", Keys.Enter);
        wait.Until(_ => Cell("4040", "class").Text == "revenue");
        Chord(Keys.Control, "s");
        Holds("4040", "short_code", "cal");
        Holds("4030", "short_code", "book");
        Paste("7510", "short_code", "a\nb\nc");
        Says("nothing was pasted");

        // Under the heading above and out again; fold and unfold.
        Focus("1500", "number");
        Chord(Keys.Alt, Keys.ArrowRight);
        Holds("1500", "parent", "1400");
        Focus("1500", "number");
        Chord(Keys.Alt, Keys.ArrowLeft);
        Holds("1500", "parent", "1000");
        // By dragging: onto a heading.
        browser.ExecuteScript(
            "const [from, to] = arguments, d = new DataTransfer(); from.dispatchEvent(new DragEvent('dragstart', { "
                + "dataTransfer: d, bubbles: true })); for (const t of ['dragover', 'drop']) to.dispatchEvent(new "
                + "DragEvent(t, { dataTransfer: d, bubbles: true, cancelable: true }))",
            Cell("1600", "number"),
            Cell("1200", "number")
        );
        Holds("1600", "parent", "1200");
        Focus("1400", "number");
        Press("-");
        wait.Until(_ => !Cell("1410", "number").Displayed);
        Attribute("tr[data-number='1400']", "aria-expanded").ShouldBe("false");
        Press("+");
        wait.Until(_ => Cell("1410", "number").Displayed);
        // The account beside the tree.
        Focus("4010", "number");
        Press("b");
        wait.Until(b => b.FindElement(By.Id("chart-panel")).Text.Contains("Instruments", StringComparison.Ordinal));
        NothingSerious();
    }

    [Fact]
    public async Task Two_people_at_one_cell_the_second_is_told()
    {
        await App.EntityAsync("TWO");
        SignIn("nora");
        Go("/e/TWO/chart?fields=place");
        using (var other = await App.SignedInAsync("admin"))
        {
            var token = await PageClient.TokenAsync(other, "/e/TWO/chart");
            using var request = new HttpRequestMessage(HttpMethod.Post, "/e/TWO/chart?handler=Edit")
            {
                Content = new StringContent(
                    """{"what":"x","edits":[{"number":"4010","column":"name","was":"Instruments","""
                        + """ "value":"Instruments sold"}]}""",
                    System.Text.Encoding.UTF8,
                    "application/json"
                ),
            };
            request.Headers.Add("X-Form-Token", token);
            (await other.SendAsync(request, TestContext.Current.CancellationToken)).EnsureSuccessStatusCode();
        }
        Focus("4010", "name");
        Press("Gauges", Keys.Enter);
        Says("somebody else changed name from 'Instruments' to 'Instruments sold'");
        Cell("4010", "name").Text.ShouldBe("Gauges");
    }

    [Fact]
    public async Task A_missing_account_is_created_where_it_is_missed()
    {
        await App.EntityAsync("MISS");
        SignIn("nora");
        Go("/e/MISS/rehearse?kind=sales-invoice");
        Find("[name='lines[0].account']").SendKeys("Museum hire");
        wait.Until(b => b.FindElements(By.CssSelector("[role=option].create")).Count == 1);
        Find("[name='lines[0].account']").SendKeys(Keys.ArrowDown + Keys.Enter);
        wait.Until(b => b.FindElement(By.CssSelector("#in-place #new-number")).GetAttribute("value")!.Length > 0);
        NothingSerious("#in-place");
        var number = Attribute("#in-place #new-number", "value");
        Attribute("#in-place #new-name", "value").ShouldBe("Museum hire");
        Attribute("#in-place #new-class", "value").ShouldBe("revenue");
        Find("#in-place #new-number").Clear();
        Find("#in-place #new-number").SendKeys("4010" + Keys.Enter);
        wait.Until(b =>
            b.FindElement(By.Id("in-place")).Text.Contains("4010 exists already", StringComparison.Ordinal)
        );
        Find("#in-place #new-number").Clear();
        Find("#in-place #new-number").SendKeys(number + Keys.Enter);
        wait.Until(b => b.FindElement(By.CssSelector("[name='lines[0].account']")).GetAttribute("value") == number);
        browser.SwitchTo().ActiveElement().GetAttribute("name").ShouldBe("lines[0].account");
    }

    [Fact]
    public async Task An_account_is_renumbered_made_a_control_account_replaced_and_archived()
    {
        await App.EntityAsync("KEEP");
        SignIn("nora");
        Go("/e/KEEP/chart/4012");
        wait.Until(b => b.FindElement(By.Id("place")).Text.Contains("Gross profit", StringComparison.Ordinal));
        // Before saving: where it would fall, and what uses it wrongly.
        Find("#new-class").SendKeys("other income");
        wait.Until(b =>
            !b.FindElement(By.Id("place")).Text.Contains("Gross profit", StringComparison.Ordinal)
            && b.FindElement(By.Id("place")).Text.Contains("Profit before tax", StringComparison.Ordinal)
        );
        Find("#new-control").SendKeys("receivables");
        wait.Until(b =>
            b.FindElement(By.Id("control-said"))
                .Text.Contains("sales revenue (item group INSTR · party group SCHOOLS)", StringComparison.Ordinal)
        );
        NothingSerious();

        Go("/e/KEEP/chart/4012");
        Find("#to").SendKeys("4013" + Keys.Enter);
        wait.Until(b => b.FindElement(By.TagName("h1")).Text == "4013 Instruments, schools");
        TextOf(".pane").ShouldContain("was 4012");
        Find("a[href$='/4013/replace']").SendKeys(Keys.Enter);
        Find("#replacement").SendKeys("instruments");
        wait.Until(b => b.FindElements(By.CssSelector("[role=option]")).Count > 2);
        NothingSerious();
        Find("#replacement").SendKeys(Keys.ArrowDown + Keys.Enter);
        Attribute("#replacement", "value").ShouldBe("4010");
        Find("#reason").SendKeys("one account is enough" + Keys.Enter);
        TextOf(".donebox").ShouldContain("4013 is archived; 1 rows name another account now.");
        Find(".donebox button").SendKeys(Keys.Enter);
        wait.Until(b => b.FindElement(By.CssSelector(".donebox")).Text.Contains("Undone", StringComparison.Ordinal));
        Attribute("#new-status", "value").ShouldBe("active");
    }
}
