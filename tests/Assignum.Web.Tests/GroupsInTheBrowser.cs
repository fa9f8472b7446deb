using OpenQA.Selenium;

namespace Assignum.Web.Tests;

/// <summary>Groups, purposes, lists, the life cycle, explaining, spreadsheets, new lines, coverage: each by keys, as a
/// person who maps a ledger works.</summary>
[Collection(OtherAppCollection.Name)]
public sealed class GroupsInTheBrowser(RunningApp app) : InBrowser(app)
{
    private void Focus(string css) => browser.ExecuteScript("arguments[0].focus()", Find(css));

    private void Enter(string css)
    {
        Focus(css);
        Press(Keys.Enter);
    }

    private void Says(string css, string text)
    {
        try
        {
            wait.Until(b => b.FindElement(By.CssSelector(css)).Text.Contains(text, StringComparison.Ordinal));
        }
        catch (WebDriverTimeoutException)
        {
            browser.FindElement(By.CssSelector(css)).Text.ShouldContain(text);
            throw;
        }
    }

    private void SaveGrid()
    {
        wait.Until(b => b.FindElement(By.Id("grid-waits")).Displayed);
        Chord(Keys.Control, "s");
        wait.Until(b => !b.FindElement(By.Id("grid-waits")).Displayed);
    }

    // What a spreadsheet puts on the clipboard, pasted where the focus is.
    private void Paste(string text) =>
        browser.ExecuteScript(
            "const d = new DataTransfer(); d.setData('text/plain', arguments[0]); "
                + "document.activeElement.dispatchEvent(new ClipboardEvent('paste', { clipboardData: d, bubbles: "
                + "true, cancelable: true }))",
            text
        );

    [Fact]
    public async Task Groups_are_nested_renamed_filled_and_get_new_records()
    {
        await App.EntityAsync("GRP");
        SignIn("nora");
        Go("/e/GRP/groups/item-groups");
        NothingSerious();
        // A new group by keys, under another.
        Focus("#grid-rows td[tabindex]");
        Press(Keys.Insert);
        Press("GRAPH", Keys.Enter);
        Focus("tr.fresh td[data-column='name']");
        Press("Barographs", Keys.Enter);
        // What is written in it while it is being saved is of the row as it is stored then.
        HoldBack("handler=Edit");
        Chord(Keys.Control, "s");
        Held();
        Focus("tr.fresh td[data-column='parent']");
        Choose("INSTR");
        browser.ExecuteScript("window.letGo()");
        Find("#grid-rows tr[data-number='item|GRAPH']");
        wait.Until(b => b.FindElements(By.CssSelector("tr.fresh")).Count == 0);
        TextOf("tr[data-number='item|GRAPH'] td[data-column='parent']").ShouldBe("INSTR");
        SaveGrid();
        Find("tr[data-number='item|GRAPH'] td[data-column='parent']:not(.pending)");
        // Another code: all that names it follows.
        Focus("tr[data-number='item|INSTR'] td[data-column='code']");
        Press("GAUGERY", Keys.Enter);
        SaveGrid();
        Find("tr[data-number='item|GAUGERY']");
        TextOf("tr[data-number='item|GRAPH'] td[data-column='parent']").ShouldBe("GAUGERY");
        Go("/e/GRP/assignments?purpose=stock");
        TextOf("#grid-rows").ShouldContain("GAUGERY");
        // Its members land by what: filled from the defaults nothing moves, cleared again it is as it was.
        Go("/e/GRP/group/item/GAUGERY");
        NothingSerious();
        TextOf("main").ShouldContain("2150 Received, not invoiced");
        Enter("button[formaction='?handler=Fill']");
        Says(".donebox", "accounts of its own were filled in");
        Enter("button[formaction='?handler=Clear']");
        Says(".donebox", "deleted");
        // New records come here.
        Enter("button[formaction='?handler=Default&on=true']");
        Says(".donebox", "New records come here");
        Go("/e/GRP/groups/items?only=no-group");
        Go("/e/GRP/groups/items");
        Focus("#grid-rows td[tabindex]");
        Press(Keys.Insert);
        Press("SG-9", Keys.Enter);
        Focus("tr.fresh td[data-column='name']");
        Press("Snow gauge", Keys.Enter);
        Focus("tr.fresh td[data-column='nature']");
        Press("g", Keys.Enter);
        SaveGrid();
        Go("/e/GRP/groups/items?q=SG-9");
        TextOf("tr[data-number='SG-9'] td[data-column='group']").ShouldBe("GAUGERY");
        // Many at once into another group.
        Go("/e/GRP/groups/items?group=RAIN");
        Focus("#grid-rows td[tabindex]");
        Chord(Keys.Control, "a");
        Find("#many-field").SendKeys("group");
        Find("#many-value").SendKeys("BARO" + Keys.Escape + Keys.Tab + Keys.Enter);
        SaveGrid();
        Go("/e/GRP/groups/items?group=RAIN");
        TextOf("#grid-total").ShouldBe("0");
    }

    [Fact]
    public async Task A_list_is_pasted_into_filled_down_corrected_by_cell_and_undone()
    {
        await App.EntityAsync("PASTE");
        SignIn("nora");
        Go("/e/PASTE/assignments?purpose=sales-revenue");
        NothingSerious();
        TextOf("#grid-rows").ShouldContain("19 items");
        var before = TextOf("#grid-total");
        // Three rows from a spreadsheet: an account by name, one that does not suit, a group that is not there.
        Focus("#grid-rows td[tabindex]");
        Press(Keys.Insert);
        Focus("tr.fresh td[data-column='item_group']");
        Paste("BARO\t\t\t\tCalibration\nTHERM\t\t\t\t1210\nNOWHERE\t\t\t\t4010\n");
        Says("#grid-count", "wait");
        Chord(Keys.Control, "s");
        Says("#grid-said", "Nothing is stored yet");
        browser.FindElements(By.CssSelector("tr.fresh td.wrong")).Count.ShouldBe(2);
        Attribute("tr.fresh td.wrong", "title").ShouldContain("1210");
        TextOf("#grid-total").ShouldBe(before);
        // The rest of the paste waits; what was wrong is corrected, the last row taken away.
        Focus("tr.fresh:nth-child(2) td[data-column='account']");
        Choose("4010");
        Focus("tr.fresh:nth-child(3) td[data-column='item_group']");
        Chord(Keys.Control, Keys.Delete);
        SaveGrid();
        Find("#grid-total")
            .Text.ShouldBe(
                (int.Parse(before, System.Globalization.CultureInfo.InvariantCulture) + 2).ToString(
                    System.Globalization.CultureInfo.InvariantCulture
                )
            );
        TextOf("tr[data-number^='sales-revenue||BARO'] td[data-column='account']").ShouldBe("4040");
        // Filled down over three rows, seen and undone.
        Focus("tr[data-number^='sales-revenue||BARO'] td[data-column='note']");
        Press("as agreed", Keys.Enter);
        Focus("tr[data-number^='sales-revenue||BARO'] td[data-column='note']");
        Chord(Keys.Shift, Keys.ArrowDown);
        Chord(Keys.Control, "d");
        SaveGrid();
        browser
            .FindElements(By.CssSelector("#grid-rows td[data-column='note']"))
            .Count(c => c.Text == "as agreed")
            .ShouldBe(2);
        Chord(Keys.Control, "z");
        wait.Until(b =>
            b.FindElements(By.CssSelector("#grid-rows td[data-column='note']")).All(c => c.Text != "as agreed")
        );
        // One key explains the row that is marked.
        Press(Keys.F8);
        wait.Until(b => b.Url.Contains("/explain", StringComparison.Ordinal));
        TextOf(".pane").ShouldContain("Why");
    }

    [Fact]
    public async Task A_hundred_thousand_cells_are_told_by_cell_and_wait_and_so_is_one_of_a_life_cycle()
    {
        await App.EntityAsync("MUCH");
        SignIn("nora");
        Go("/e/MUCH/assignments");
        var before = TextOf("#grid-total");
        Focus("#grid-rows td[tabindex]");
        Press(Keys.Insert);
        Focus("tr.fresh td[data-column='purpose']");
        // All of one key, and the last without an account: none of them can be stored.
        Paste(string.Concat(Enumerable.Repeat("sales-revenue\t4010\n", 49_999)) + "sales-revenue\t\n");
        Says("#grid-count", "99999 changes wait");
        Chord(Keys.Control, "s");
        // Some seconds; a slow machine may take longer.
        new OpenQA.Selenium.Support.UI.WebDriverWait(browser, TimeSpan.FromMinutes(1)).Until(b =>
            b.FindElement(By.Id("grid-said")).Text.StartsWith("Nothing is stored yet", StringComparison.Ordinal)
        );
        TextOf("#grid-said").ShouldContain("more)");
        // What is wrong is marked where it is, the missing account too, though its row was not drawn before.
        browser.FindElements(By.CssSelector("tr.fresh td.wrong")).Count.ShouldBeGreaterThan(150);
        TextOf("#grid-count").ShouldBe("99999 changes wait");
        Enter("#grid-drop");
        Says("#grid-said", "dropped");
        TextOf("#grid-total").ShouldBe(before);

        Go("/e/MUCH/life-cycle/item-groups?under=INSTR");
        const string Cell = "#grid-rows tr[data-number='sales-revenue'] td[data-column='BARO']";
        Focus(Cell);
        Choose("1210");
        Chord(Keys.Control, "s");
        Says("#grid-said", "Nothing is stored yet");
        browser
            .FindElements(By.CssSelector("td.wrong"))
            .ShouldHaveSingleItem()
            .GetAttribute("data-column")
            .ShouldBe("BARO");
        Find(Cell).GetAttribute("title")!.ShouldContain("sales-revenue takes revenue");
        NothingSerious();
        Focus(Cell);
        Choose("4010");
        browser.FindElements(By.CssSelector("td.wrong")).ShouldBeEmpty();
        SaveGrid();
        Find(Cell).GetAttribute("class")!.Split(' ').ShouldContain("own");
    }

    [Fact]
    public async Task A_view_goes_to_a_spreadsheet_and_comes_back_with_accounts_by_name()
    {
        await App.EntityAsync("SHEET");
        using var nora = await App.SignedInAsync("nora");
        var taken = await nora.GetByteArrayAsync(
            "/e/SHEET/assignments?purpose=stock&handler=Sheet",
            TestContext.Current.CancellationToken
        );
        var path = Path.Combine(folder, "stock.xlsx");
        await File.WriteAllBytesAsync(
            path,
            SheetEdits.Replace(taken, (">1425<", ">Glass and brass parts<")),
            TestContext.Current.CancellationToken
        );
        SignIn("nora");
        Go("/e/SHEET/sheet/assignments");
        NothingSerious();
        Find("#file").SendKeys(path);
        Find("form[enctype] .btn-main").SendKeys(Keys.Enter);
        Says("#plan-title", "0 new, 1 changed, 0 gone, 0 conflicting");
        NothingSerious();
        TextOf("main").ShouldContain("1425 → 1420");
        Enter("#sheet-form .btn-main");
        Says(".donebox", "1 row of stock.xlsx came in");
        Go("/e/SHEET/assignments?purpose=stock&group=SENSOR");
        TextOf("#grid-rows td[data-column='account']").ShouldBe("1420");
        // Undone from the same page it came in on.
        await File.WriteAllBytesAsync(
            path,
            SheetEdits.Replace(taken, (">SENSOR<", ">NOWHERE<")),
            TestContext.Current.CancellationToken
        );
        Go("/e/SHEET/sheet/assignments");
        Find("#file").SendKeys(path);
        Find("form[enctype] .btn-main").SendKeys(Keys.Enter);
        Says("#plan-title", "1 cell is wrong");
        TextOf("main").ShouldContain("There is no item-group NOWHERE.");
        Go("/e/SHEET/editions");
        Find("details summary").SendKeys(Keys.Enter);
        Enter("details form button.link");
        Says(".donebox", "ndone");
        Go("/e/SHEET/assignments?purpose=stock&group=SENSOR");
        TextOf("#grid-rows td[data-column='account']").ShouldBe("1425");
        // Where things land goes the same way: what is changed in a cell is an assignment there, what is wrong is named
        // by cell.
        Go("/e/SHEET/life-cycle/item-groups?chosen=SENSOR");
        TextOf(".head .acts").ShouldContain("Upload workbook");
        taken = await nora.GetByteArrayAsync(
            "/e/SHEET/life-cycle/item-groups?chosen=SENSOR&handler=Sheet",
            TestContext.Current.CancellationToken
        );
        await File.WriteAllBytesAsync(
            path,
            SheetEdits.Replace(taken, (">1425<", ">Nothing such<")),
            TestContext.Current.CancellationToken
        );
        Go("/e/SHEET/sheet/assignments");
        Find("#file").SendKeys(path);
        Find("form[enctype] .btn-main").SendKeys(Keys.Enter);
        Says("#plan-title", "wrong");
        TextOf("#sheet-form td.code").ShouldBe("SENSOR");
        await File.WriteAllBytesAsync(
            path,
            SheetEdits.Replace(taken, (">1425<", ">Glass and brass parts<")),
            TestContext.Current.CancellationToken
        );
        Go("/e/SHEET/sheet/assignments");
        Find("#file").SendKeys(path);
        Find("form[enctype] .btn-main").SendKeys(Keys.Enter);
        Says("#plan-title", "0 new, 1 changed, 0 gone, 0 conflicting");
        Enter("#sheet-form .btn-main");
        Says(".donebox", "1 row of stock.xlsx came in");
        Go("/e/SHEET/life-cycle/item-groups?chosen=SENSOR");
        TextOf("#grid-rows tr[data-number='stock'] td[data-column='SENSOR']").ShouldContain("1420");
    }

    [Fact]
    public async Task A_new_line_of_business_is_opened_on_one_page_and_undone_as_one()
    {
        await App.EntityAsync("LINE");
        SignIn("nora");
        Go("/e/LINE/new-line?sibling=INSTR");
        Find("#code").SendKeys("SNOW");
        Find("#name").SendKeys("Snow gauges");
        Enter("button[formaction='?handler=Like']");
        Says(".pane", "Everything it needs is there");
        NothingSerious();
        Attribute("input[name='name:4010']", "value").ShouldBe("Snow gauges");
        Find("#items").SendKeys("SG-1 Snow gauge, small\nSG-2 Snow gauge, tall");
        Enter("button[formaction='?handler=Look']");
        Says(".pane", "2 items");
        // A purchase and a sale of it, before it is there.
        var pane = TextOf(".pane");
        pane.ShouldContain("goods received");
        pane.ShouldContain("sales invoice");
        pane.ShouldContain("Snow gauges");
        // A number that is taken is refused where it stands; nothing typed is lost.
        Find("input[name='number:4010']").Clear();
        Find("input[name='number:4010']").SendKeys("4012");
        Enter("#line-form .btn-main");
        Says("[role=alert]", "4012 is Instruments, schools");
        Attribute("#items", "value").ShouldContain("SG-2");
        Find("input[name='number:4010']").Clear();
        Find("input[name='number:4010']").SendKeys("4017");
        Enter("#line-form .btn-main");
        Says(".donebox", "SNOW Snow gauges is open");
        Go("/e/LINE/group/item/SNOW");
        TextOf("main").ShouldContain("4017 Snow gauges");
        Go("/e/LINE/editions");
        Find("details summary").SendKeys(Keys.Enter);
        Enter("details form button.link");
        Says(".donebox", "ndone");
        Go("/e/LINE/groups/item-groups?q=SNOW");
        TextOf("#grid-total").ShouldBe("0");
    }

    [Fact]
    public async Task Purposes_are_explained_borrow_and_change_with_policies_and_what_falls_through_is_covered()
    {
        await App.EntityAsync("COVER");
        SignIn("nora");
        // A purpose in plain words with an example drawn; it borrows by a list.
        Go("/e/COVER/ladders/shipping-income");
        NothingSerious();
        TextOf("main").ShouldContain("Carriage and other charges on sales.");
        browser.FindElements(By.CssSelector("figure.flow svg")).Count.ShouldBe(1);
        Find("#from").SendKeys("sales revenue");
        Enter("button[formaction$='handler=Borrow']");
        Says(".donebox", "changed in the draft");
        // Policies tried and kept.
        Go("/e/COVER/patterns?kind=goods-received&receipt-accrual=off");
        NothingSerious();
        Find("#reason").SendKeys("as agreed");
        Enter("form[action*='handler=Keep'] .btn-main");
        Says(".donebox", "policies are changed");
        Go("/e/COVER/ladders/received-not-invoiced");
        TextOf("main").ShouldContain("idle: Receipts before their invoice: Wait for the invoice");
        // What falls to the tripwire is begun from where it is told, and covered.
        Go("/e/COVER/coverage?purpose=sales-revenue");
        NothingSerious();
        TextOf(".pane").ShouldContain("CONSUM");
        Find(".pane a[href*='begin=']").SendKeys(Keys.Enter);
        wait.Until(b => b.FindElements(By.CssSelector("tr.fresh")).Count == 1);
        Focus("tr.fresh td[data-column='account']");
        Choose("4020");
        SaveGrid();
        Go("/e/COVER/coverage?purpose=sales-revenue");
        TextOf(".pane").ShouldNotContain("CONSUM");
        // A life cycle crossed with customers and places, its cells' sources said where they are marked.
        Go("/e/COVER/life-cycle/item-groups?under=INSTR&groups=SCHOOLS&places=UTRECHT");
        NothingSerious();
        Focus("tr[data-number='sales-revenue~party-group~SCHOOLS'] td[data-column='RAIN']");
        Says("#grid-source", "item group + party group INSTR · SCHOOLS");
        Choose("4040");
        SaveGrid();
        Attribute("tr[data-number='sales-revenue~party-group~SCHOOLS'] td[data-column='RAIN']", "class")
            .ShouldContain("own");
        Go("/e/COVER/life-cycle/customers");
        NothingSerious();
        Go("/e/COVER/explain?item=RG-100");
        NothingSerious();
        TextOf("main").ShouldContain("Readiness of item RG-100");
    }
}
