using OpenQA.Selenium;

namespace Assignum.Web.Tests;

/// <summary>What a change would do, seen before it is saved; differences of editions in words; an edition brought back.</summary>
[Collection(AppCollection.Name)]
public sealed class EditionsInTheBrowser(RunningApp app) : InBrowser(app)
{
    [Fact]
    public async Task What_saving_would_do_is_seen_before_it_and_a_past_edition_comes_back()
    {
        await App.EntityAsync("SEEN");
        using (var admin = App.Client())
        {
            (await admin.PostAsync("/api/v1/entities/SEEN/editions/publish", Json("""{"from":"2026-06-01","note":"the first"}"""), TestContext.Current.CancellationToken)).EnsureSuccessStatusCode();
            (await admin.PostAsync("/api/v1/entities/SEEN/events", Json("""[{"source":"t","id":"1","kind":"sales-invoice","date":"2026-10-01","reference":"INV-SEEN","party":"SCH-KERRY","lines":[{"item":"RG-100","unitPrice":100}]}]"""), TestContext.Current.CancellationToken)).EnsureSuccessStatusCode();
        }
        SignIn("nora");
        // A field of the account: nothing is saved, and the event that would be refused is named.
        Go("/e/SEEN/chart/4012");
        Find("#new-class").SendKeys("asset" + Keys.Tab);
        wait.Until(b => b.FindElement(By.Id("consequences")).Text.Contains("1 of the last 1 events would do something else", StringComparison.Ordinal));
        Find("#consequences").Text.ShouldContain("Account 4012 is of class asset; sales-revenue takes revenue.");
        NothingSerious();
        // Another account in its place: before → after with the amount.
        Go("/e/SEEN/chart/4012/replace");
        Find("#replacement").SendKeys("4010" + Keys.Tab);
        wait.Until(b => b.FindElement(By.Id("consequences")).Text.Contains("4012 → 4010", StringComparison.Ordinal));
        Find("#consequences").Text.ReplaceLineEndings(" ").ShouldContain("sales revenue 4012 → 4010 1 100.00 credit");
        NothingSerious();
        Find("#replace-form button").SendKeys(Keys.Enter);

        // The draft in words, and what it would do.
        Go("/e/SEEN/editions");
        Find("[aria-labelledby=diff-title]").Text.ShouldContain("Instruments, sold to Schools: 4012 Instruments, schools → 4010 Instruments, by a changed assignment");
        wait.Until(b => b.FindElement(By.CssSelector("[aria-labelledby=do-title]")).Text.Contains("4012 → 4010", StringComparison.Ordinal));
        NothingSerious();
        using (var admin = App.Client())
            (await admin.PostAsync("/api/v1/entities/SEEN/editions/publish", Json("""{"from":"2026-11-01","note":"one account"}"""), TestContext.Current.CancellationToken)).EnsureSuccessStatusCode();

        // The first edition again, as one change that can be undone.
        Go("/e/SEEN/editions");
        Find("[aria-labelledby=diff-title]").Text.ShouldContain("edition 1 → edition 2");
        Find("form[action*=BringBack] button").SendKeys(Keys.Enter);
        Find(".donebox").Text.ShouldContain("The draft holds what edition 1 held.");
        Find("[aria-labelledby=diff-title]").Text.ShouldContain("4010 Instruments → 4012 Instruments, schools");
        Find(".donebox button").SendKeys(Keys.Enter);
        wait.Until(b => b.FindElement(By.CssSelector(".donebox")).Text.Contains("Undone.", StringComparison.Ordinal));
    }

    private static StringContent Json(string text) => new(text, System.Text.Encoding.UTF8, "application/json");
}
