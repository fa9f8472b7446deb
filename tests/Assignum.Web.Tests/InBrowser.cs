using System.Text.Json;
using OpenQA.Selenium;
using OpenQA.Selenium.Chrome;
using OpenQA.Selenium.Support.UI;

namespace Assignum.Web.Tests;

/// <summary>A real browser for tests that use pages as a person does.</summary>
public abstract class InBrowser : IDisposable
{
    private protected readonly ChromeDriver browser;
    private protected readonly WebDriverWait wait;
    private protected readonly string profile = Directory.CreateTempSubdirectory("assignum-browser").FullName;

    protected InBrowser(RunningApp app)
    {
        App = app;
        var options = new ChromeOptions { BinaryLocation = "/usr/bin/chromium" };
        options.AddArguments(
            "--headless=new",
            "--no-sandbox",
            "--disable-gpu",
            "--disable-dev-shm-usage",
            "--disable-quic",
            "--no-first-run",
            "--disable-background-networking",
            "--disable-component-update",
            "--disable-sync",
            "--window-size=1280,900",
            "--lang=en-GB",
            "--user-data-dir=" + profile
        );
        browser = new ChromeDriver(
            ChromeDriverService.CreateDefaultService("/usr/bin", "chromedriver"),
            options,
            TimeSpan.FromMinutes(1)
        );
        wait = new WebDriverWait(browser, TimeSpan.FromSeconds(20));
        wait.IgnoreExceptionTypes(typeof(NoSuchElementException), typeof(StaleElementReferenceException));
    }

    /// <summary>The application that is looked at.</summary>
    protected RunningApp App { get; }

    protected IWebElement Find(string css) => wait.Until(b => b.FindElement(By.CssSelector(css)));

    protected void Go(string path) => browser.Navigate().GoToUrl(new Uri(App.Address, path));

    protected void SignIn(string name, string password = Start.DemoLoader.Password)
    {
        Go("/sign-in");
        Find("#name").SendKeys(name);
        Find("#password").SendKeys(password + Keys.Enter);
        wait.Until(b =>
            !b.Url.Contains("/sign-in", StringComparison.Ordinal)
            || b.FindElements(By.CssSelector("[role=alert]")).Count > 0
        );
    }

    // Serious and critical findings of axe, as "rule: element".
    protected void NothingSerious(string within = "html")
    {
        browser.ExecuteScript(File.ReadAllText(Path.Combine(AppContext.BaseDirectory, "lib", "axe.min.js")));
        var json = (string)
            browser.ExecuteAsyncScript(
                "const done = arguments[1]; axe.run(arguments[0], {runOnly: "
                    + "['wcag2a','wcag2aa','wcag21a','wcag21aa','wcag22aa']}).then(r => "
                    + "done(JSON.stringify(r.violations.filter(v => ['serious','critical'].includes(v.impact)).map(v "
                    + "=> v.id + ': ' + v.nodes.map(n => n.html).slice(0, 3).join(' | ')))))",
                within
            )!;
        JsonSerializer.Deserialize<string[]>(json).ShouldBeEmpty(browser.Url);
    }

    /// <summary>Types into the cell of a grid that has the focus and takes what is offered there.</summary>
    /// <param name="next">Whether the first offer is gone to, rather than what was typed taken.</param>
    protected void Choose(string typed, bool next = false)
    {
        Press([.. typed.Select(c => c.ToString())]);
        wait.Until(b => b.FindElements(By.CssSelector("#grid-field-list [role=option]")).Count > 0);
        Press(next ? [Keys.ArrowDown, Keys.Enter] : [Keys.Enter]);
    }

    /// <summary>Keys pressed one after the other, where the focus is then.</summary>
    protected void Press(params string[] keys)
    {
        foreach (var key in keys)
            new OpenQA.Selenium.Interactions.Actions(browser).SendKeys(key).Perform();
    }

    /// <summary>A key with a modifier held.</summary>
    protected void Chord(string modifier, string key) =>
        new OpenQA.Selenium.Interactions.Actions(browser).KeyDown(modifier).SendKeys(key).KeyUp(modifier).Perform();

    public void Dispose()
    {
        browser.Quit();
        browser.Dispose();
        GC.SuppressFinalize(this);
        Directory.Delete(profile, true);
    }
}
