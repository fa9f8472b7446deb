using System.Text.Json;
using OpenQA.Selenium;

namespace Assignum.Web.Tests;

/// <summary>What a change would do, seen before it is saved; differences of editions in words; an edition brought
/// back.</summary>
[Collection(OtherAppCollection.Name)]
public sealed class EditionsInTheBrowser(RunningApp app) : InBrowser(app)
{
    [Fact]
    public async Task What_saving_would_do_is_seen_before_it_and_a_past_edition_comes_back()
    {
        await App.EntityAsync("SEEN");
        using (var admin = App.Client())
        {
            (
                await admin.PostAsync(
                    "/api/v1/entities/SEEN/editions/publish",
                    Json("""{"from":"2026-06-01","note":"the first"}"""),
                    TestContext.Current.CancellationToken
                )
            ).EnsureSuccessStatusCode();
            (
                await admin.PostAsync(
                    "/api/v1/entities/SEEN/events",
                    Json(
                        """[{"source":"t","id":"1","kind":"sales-invoice","date":"2026-10-01","""
                            + """ "reference":"INV-SEEN","party":"SCH-KERRY","lines":[{"item":"RG-100","""
                            + """ "unitPrice":100}]}]"""
                    ),
                    TestContext.Current.CancellationToken
                )
            ).EnsureSuccessStatusCode();
        }
        SignIn("nora");
        // A field of the account: nothing is saved, and the event that would be refused is named.
        Go("/e/SEEN/chart/4012");
        Find("#new-class").SendKeys("asset" + Keys.Tab);
        wait.Until(b =>
            b.FindElement(By.Id("consequences"))
                .Text.Contains(
                    "its parent 4000 Revenue of revenue: choose a heading of its own class",
                    StringComparison.Ordinal
                )
        );
        Find("#new-parent").Clear();
        Find("#new-parent").SendKeys(Keys.Tab);
        wait.Until(b =>
            b.FindElement(By.Id("consequences"))
                .Text.Contains("1 of the 1 event posted so far would do something else", StringComparison.Ordinal)
        );
        TextOf("#consequences").ShouldContain("Account 4012 is of class asset; sales-revenue takes revenue.");
        NothingSerious();
        // Another account in its place: before → after with the amount.
        Go("/e/SEEN/chart/4012/replace");
        Find("#replacement").SendKeys("4010" + Keys.Tab);
        wait.Until(b => b.FindElement(By.Id("consequences")).Text.Contains("4012 → 4010", StringComparison.Ordinal));
        TextOf("#consequences summary").ShouldContain("would move; 100.00");
        Find("#consequences summary").SendKeys(Keys.Enter);
        wait.Until(b => b.FindElement(By.Id("consequences")).Text.Contains("Before", StringComparison.Ordinal));
        TextOf("#consequences").ReplaceLineEndings(" ").ShouldContain("Sales revenue 4012 → 4010 1 100.00 credit");
        NothingSerious();
        Find("#replace-form button").SendKeys(Keys.Enter);
        wait.Until(b => !b.Url.EndsWith("/replace", StringComparison.Ordinal));

        // The draft in words, and what it would do.
        Go("/e/SEEN/editions");
        Find("[aria-labelledby=diff-title]")
            .Text.ShouldContain(
                "Instruments, sold to Schools: 4012 Instruments, schools → 4010 Instruments, by a changed assignment"
            );
        wait.Until(b =>
            b.FindElement(By.CssSelector("[aria-labelledby=do-title]"))
                .Text.Contains("4012 → 4010", StringComparison.Ordinal)
        );
        NothingSerious();
        using (var admin = App.Client())
            (
                await admin.PostAsync(
                    "/api/v1/entities/SEEN/editions/publish",
                    Json("""{"from":"2026-11-01","note":"one account"}"""),
                    TestContext.Current.CancellationToken
                )
            ).EnsureSuccessStatusCode();

        // The first edition again, as one change that can be undone.
        Go("/e/SEEN/editions/difference?before=1&after=2");
        TextOf("h1").ShouldBe("edition 1 → edition 2");
        TextOf("table.difference").ShouldContain("nora");
        NothingSerious();
        Go("/e/SEEN/editions");
        Find("form[action*=BringBack] button").SendKeys(Keys.Enter);
        TextOf(".donebox").ShouldContain("The draft holds what edition 1 held.");
        TextOf("[aria-labelledby=diff-title]").ShouldContain("4010 Instruments → 4012 Instruments, schools");
        Find(".donebox button").SendKeys(Keys.Enter);
        wait.Until(b => b.FindElement(By.CssSelector(".donebox")).Text.Contains("Undone.", StringComparison.Ordinal));
    }

    [Fact]
    public async Task An_assignment_changed_undone_changed_and_approved_by_another_lands_from_the_first_of_next_month()
    {
        await App.EntityAsync("DONE");
        var first = new DateOnly(DateTime.UtcNow.Year, DateTime.UtcNow.Month, 1);
        var next = first.AddMonths(1);
        string Sale(string id, DateOnly day) =>
            $$"""[{"source":"t","id":"{{id}}","kind":"sales-invoice","date":"{{day:yyyy-MM-dd}}","""
            + $$""" "reference":"{{id}}","party":"SHOP-GALE","lines":[{"item":"RG-100","unitPrice":100}]}]""";
        using var admin = App.Client();
        async Task PostAsync(string path, string json) =>
            (
                await admin.PostAsync(
                    "/api/v1/entities/DONE/" + path,
                    Json(json),
                    TestContext.Current.CancellationToken
                )
            ).EnsureSuccessStatusCode();
        await PostAsync("editions/publish", $$"""{"from":"{{first.AddMonths(-3):yyyy-MM-dd}}","note":"the first"}""");
        await PostAsync("events", Sale("SEEN-1", first));

        SignIn("nora");
        Go("/e/DONE/assignments?purpose=sales-revenue");
        void Change(string to)
        {
            browser.ExecuteScript(
                "[...document.querySelectorAll('#grid-rows tr[data-number]')].find(r => "
                    + "r.querySelector('[data-column=item_group]').dataset.value === 'INSTR' && "
                    + "!r.querySelector('[data-column=party_group]').dataset.value)"
                    + ".querySelector('[data-column=account]').focus()"
            );
            Choose(to, next: true);
        }
        // Chosen by a part of the name; what it would do is there before anything is saved.
        Change("schools");
        wait.Until(b => b.FindElement(By.Id("grid-foresee")).Text.Contains("4010 → 4012", StringComparison.Ordinal));
        TextOf("#grid-foresee").ShouldContain("1 of the 1 event posted so far would move");
        TextOf("#grid-foresee").ShouldContain("100.00");
        NothingSerious();
        Find("#grid-reason").SendKeys("one line for all");
        browser.ExecuteScript("document.querySelector('#grid-rows td[tabindex=\"0\"]').focus()");
        Chord(Keys.Control, "s");
        wait.Until(b =>
            b.FindElement(By.Id("grid-said")).Text.Contains("1 assignment changed", StringComparison.Ordinal)
        );
        browser.ExecuteScript("document.querySelector('#grid-rows td[tabindex=\"0\"]').focus()");
        Chord(Keys.Control, "z");
        wait.Until(b => b.FindElement(By.Id("grid-said")).Text == "Undone.");
        Change("export");
        wait.Until(b => b.FindElement(By.Id("grid-foresee")).Text.Contains("4010 → 4014", StringComparison.Ordinal));
        Chord(Keys.Control, "s");
        wait.Until(b =>
            b.FindElement(By.Id("grid-said")).Text.Contains("1 assignment changed", StringComparison.Ordinal)
        );
        Go("/e/DONE/editions");
        Find("[aria-labelledby=diff-title]")
            .Text.ShouldContain("Instruments: 4010 Instruments → 4014 Instruments, export, by a changed assignment");
        browser.FindElements(By.Id("from")).ShouldBeEmpty();
        NothingSerious();

        Find(".rail form button").SendKeys(Keys.Enter);
        SignIn("tomas");
        Go("/e/DONE/editions");
        Find("button[formaction*=Approve]").SendKeys(Keys.Enter);
        TextOf(".donebox").ShouldContain("approved");
        browser.ExecuteScript(
            "const f = document.getElementById('from'); f.value = arguments[0]; f.dispatchEvent(new Event('change', "
                + "{ bubbles: true }))",
            next.ToString("yyyy-MM-dd", System.Globalization.CultureInfo.InvariantCulture)
        );
        Find("#note").SendKeys("instruments as export" + Keys.Enter);
        wait.Until(b =>
            b.FindElement(By.CssSelector(".donebox")).Text.Contains("Edition 2 is published", StringComparison.Ordinal)
        );
        TextOf("#editions").ShouldContain("coming");
        NothingSerious();

        await PostAsync("events", Sale("BEFORE", next.AddDays(-1)));
        await PostAsync("events", Sale("AFTER", next));
        using var entries = JsonDocument.Parse(
            await admin.GetStringAsync("/api/v1/entities/DONE/entries", TestContext.Current.CancellationToken)
        );
        string Landed(string id) =>
            entries.RootElement.EnumerateArray().Single(e => e.GetProperty("event").GetProperty("id").GetString() == id)
                is var entry
                ? $"{entry.GetProperty("edition")} "
                    + string.Join(
                        ' ',
                        entry
                            .GetProperty("lines")
                            .EnumerateArray()
                            .Where(l => l.GetProperty("purpose").GetString() == "sales-revenue")
                            .Select(l => l.GetProperty("account").GetString())
                    )
                : "";
        (Landed("SEEN-1"), Landed("BEFORE"), Landed("AFTER")).ShouldBe(("1 4010", "1 4010", "2 4014"));
    }

    [Fact]
    public async Task What_waits_is_tagged_a_coming_edition_is_withdrawn_and_an_earlier_one_published_before_it()
    {
        await App.EntityAsync("WAITING");
        var stop = TestContext.Current.CancellationToken;
        using var admin = App.Client();
        (
            await admin.PostAsync("/api/v1/entities/WAITING/editions/publish", Json("""{"from":"2026-06-01"}"""), stop)
        ).EnsureSuccessStatusCode();
        SignIn("nora");
        async Task ChangeAsync(params (string File, string Rows)[] files) =>
            (
                await admin.PostAsync(
                    "/api/v1/entities/WAITING/bundle?apply=true&partial=true",
                    new ByteArrayContent(
                        PageClient.Zip([.. files.Select(f => (f.File, System.Text.Encoding.UTF8.GetBytes(f.Rows)))])
                    ),
                    stop
                )
            ).EnsureSuccessStatusCode();
        await ChangeAsync(
            ("groups.csv", "kind,code,name,parent\nitem,COPPER,Copper gauges,RAIN\n"),
            ("items.csv", "code,name,nature,group\nRG-100,\"Rain gauge, copper\",goods,COPPER\n"),
            ("assignments.csv", "purpose,account,item_group\nsales-revenue,4012,COPPER\n")
        );
        Go("/e/WAITING/groups/items?q=RG-100");
        TextOf("#grid-rows").ShouldContain("waits");
        TextOf(".band").ShouldContain("3 changes");
        NothingSerious();

        var (next, later) = (
            DateOnly.FromDateTime(DateTime.UtcNow).AddDays(10),
            DateOnly.FromDateTime(DateTime.UtcNow).AddDays(40)
        );
        SignIn("tomas");
        void Publish(DateOnly from, int number)
        {
            Go("/e/WAITING/editions");
            browser.ExecuteScript(
                "document.getElementById('from').value = arguments[0]",
                from.ToString("yyyy-MM-dd", System.Globalization.CultureInfo.InvariantCulture)
            );
            Find("#note").SendKeys("copper" + Keys.Enter);
            wait.Until(b =>
                b.FindElement(By.CssSelector(".donebox"))
                    .Text.Contains($"Edition {number} is published", StringComparison.Ordinal)
            );
        }
        Publish(later, 2);
        TextOf(".band .state").ShouldBe("Edition 1 is live");
        TextOf("#editions").ShouldContain("coming");
        Find("form[action*=Withdraw] button").SendKeys(Keys.Enter);
        wait.Until(b => b.FindElement(By.CssSelector(".donebox")).Text.Contains("withdrawn", StringComparison.Ordinal));
        TextOf("main").ShouldContain("edition 2, withdrawn");
        NothingSerious();
        // Another comes before the day that it had, under a number of its own.
        await ChangeAsync(("assignments.csv", "purpose,account,item_group\nsales-revenue,4014,RAIN\n"));
        Publish(next, 3);
        TextOf("#editions").ShouldContain("coming");
    }

    [Fact]
    public async Task A_record_moved_to_another_group_shows_what_it_does_and_a_what_if_is_tried_and_merged()
    {
        await App.EntityAsync("TRY");
        using (var admin = App.Client())
        {
            (
                await admin.PostAsync(
                    "/api/v1/entities/TRY/editions/publish",
                    Json("""{"from":"2026-06-01"}"""),
                    TestContext.Current.CancellationToken
                )
            ).EnsureSuccessStatusCode();
            (
                await admin.PostAsync(
                    "/api/v1/entities/TRY/events",
                    Json(
                        """[{"source":"t","id":"1","kind":"sales-invoice","date":"2026-10-01","""
                            + """ "reference":"INV-TRY","party":"SHOP-GALE","lines":[{"item":"RG-100","""
                            + """ "unitPrice":100}]}]"""
                    ),
                    TestContext.Current.CancellationToken
                )
            ).EnsureSuccessStatusCode();
        }
        SignIn("nora");
        Go("/e/TRY/groups/items?q=RG-100");
        NothingSerious();
        browser.ExecuteScript("document.querySelector('#grid-rows [data-column=group]').focus()");
        Choose("book", next: true);
        wait.Until(b => b.FindElement(By.Id("grid-foresee")).Text.Contains("4010 → 4030", StringComparison.Ordinal));
        Press(Keys.Escape);
        wait.Until(b => b.FindElement(By.Id("grid-said")).Text.Contains("dropped", StringComparison.Ordinal));

        // A what-if: worked in, seen in the band on every page, merged, and the merge undone.
        Go("/e/TRY/editions");
        Find("#name").SendKeys("Books apart" + Keys.Enter);
        wait.Until(b =>
            b.FindElement(By.CssSelector(".band")).Text.Contains("What-if: Books apart", StringComparison.Ordinal)
        );
        Go("/e/TRY/assignments?purpose=sales-revenue");
        TextOf(".band").ShouldContain("What-if: Books apart");
        Find("#grid-add").SendKeys(Keys.Enter);
        wait.Until(b => b.FindElements(By.CssSelector("tr.fresh")).Count == 1);
        browser.ExecuteScript("document.querySelector('tr.fresh [data-column=item]').focus()");
        Choose("RG-100");
        browser.ExecuteScript("document.querySelector('tr.fresh [data-column=account]').focus()");
        Press("4012", Keys.Enter);
        wait.Until(b => b.FindElement(By.Id("grid-foresee")).Text.Contains("4010 → 4012", StringComparison.Ordinal));
        Find("#grid-save").SendKeys(Keys.Enter);
        wait.Until(b =>
            b.FindElement(By.Id("grid-said")).Text.Contains("1 assignment changed", StringComparison.Ordinal)
        );
        wait.Until(b => b.FindElement(By.Id("grid-rows")).Text.Contains("RG-100", StringComparison.Ordinal));
        Go("/e/TRY/editions");
        TextOf("[aria-labelledby=whatif-title]").ShouldContain("you work in it");
        NothingSerious();
        Find("a.btn-main[href*=merge]").SendKeys(Keys.Enter);
        TextOf("h1").ShouldBe("What-if Books apart into the draft");
        NothingSerious();
        Find("form .btn-main").SendKeys(Keys.Enter);
        wait.Until(b =>
            b.FindElement(By.CssSelector(".donebox"))
                .Text.Contains("is merged into the draft", StringComparison.Ordinal)
        );
        TextOf(".band").ShouldContain("1 change");
        TextOf("[aria-labelledby=diff-title]").ShouldContain("by a new assignment");
        Find(".donebox button").SendKeys(Keys.Enter);
        wait.Until(b => b.FindElement(By.CssSelector(".donebox")).Text.Contains("Undone.", StringComparison.Ordinal));
        TextOf("[aria-labelledby=diff-title]").ShouldContain("0 differences");
    }

    private static StringContent Json(string text) => new(text, System.Text.Encoding.UTF8, "application/json");
}
