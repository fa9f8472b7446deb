using System.Collections.Concurrent;
using System.Text.Json;
using OpenQA.Selenium;
using OpenQA.Selenium.Chrome;
using OpenQA.Selenium.Support.UI;

[assembly: AssemblyFixture(typeof(Assignum.Web.Tests.BrowserPool))]

namespace Assignum.Web.Tests;

/// <summary>Browsers of a run: a test takes one that is free and gives it back empty, since starting one takes longer than
/// most tests.</summary>
public sealed class BrowserPool : IDisposable
{
    private static readonly ConcurrentBag<ChromeDriver> Free = [];
    private static readonly ConcurrentBag<(ChromeDriver Driver, string Profile)> All = [];

    /// <summary>A browser that knows nobody.</summary>
    public static ChromeDriver Take() => Free.TryTake(out var free) ? free : Started();

    /// <summary>Takes a browser back: signed out, with nothing kept, on an empty page.</summary>
    public static void Give(ChromeDriver browser)
    {
        try
        {
            // The same window: one that is opened by a script is not in front, and hears nothing of the focus.
            foreach (var handle in browser.WindowHandles.Skip(1))
                browser.SwitchTo().Window(handle).Close();
            browser.SwitchTo().Window(browser.WindowHandles[0]);
            browser.ExecuteScript("try { sessionStorage.clear(); localStorage.clear(); } catch { }");
            browser.Navigate().GoToUrl("about:blank");
            browser.ExecuteCdpCommand("Network.clearBrowserCookies", []);
            browser.Manage().Window.Size = new System.Drawing.Size(1280, 900);
            Free.Add(browser);
        }
        catch (WebDriverException)
        {
            // One that is stuck is not given to anybody; it goes with the others.
        }
    }

    private const string Windowless = "/usr/bin/chromium-headless-shell";

    // The browser without a window does less for the same pages. It begins without a page, which the driver waits for.
    private static string Binary(string profile)
    {
        if (OperatingSystem.IsWindows() || !File.Exists(Windowless))
            return "/usr/bin/chromium";
        var script = Path.Combine(profile, "browser");
        File.WriteAllText(script, $"#!/bin/sh\nexec {Windowless} \"$@\" about:blank\n");
        File.SetUnixFileMode(script, UnixFileMode.UserRead | UnixFileMode.UserWrite | UnixFileMode.UserExecute);
        return script;
    }

    private static ChromeDriver Started()
    {
        var profile = Directory.CreateTempSubdirectory("assignum-browser").FullName;
        var options = new ChromeOptions
        {
            BinaryLocation = Binary(profile),
            UnhandledPromptBehavior = UnhandledPromptBehavior.Accept,
        };
        options.AddArguments(
            "--headless=new",
            "--no-sandbox",
            "--disable-gpu",
            "--disable-dev-shm-usage",
            "--disable-quic",
            "--no-first-run",
            // A test begins where the one before it ended; a process of its own for its pages gives it nothing.
            "--renderer-process-limit=1",
            "--disable-background-networking",
            "--disable-component-update",
            "--disable-sync",
            "--window-size=1280,900",
            "--lang=en-GB",
            // What is waited for is there at once, and is drawn once.
            "--force-prefers-reduced-motion",
            "--user-data-dir=" + profile
        );
        var browser = new ChromeDriver(
            ChromeDriverService.CreateDefaultService("/usr/bin", "chromedriver"),
            options,
            TimeSpan.FromMinutes(1)
        );
        All.Add((browser, profile));
        return browser;
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        foreach (var (browser, profile) in All)
        {
            browser.Quit();
            browser.Dispose();
            Directory.Delete(profile, true);
        }
    }
}

/// <summary>A real browser for tests that use pages as a person does.</summary>
public abstract class InBrowser : IDisposable
{
    private protected readonly ChromeDriver browser;
    private protected readonly WebDriverWait wait;

    // Where a test puts files that it chooses.
    private protected readonly string folder = Directory.CreateTempSubdirectory("assignum-files").FullName;

    protected InBrowser(RunningApp app)
    {
        App = app;
        browser = BrowserPool.Take();
        wait = new TellingWait(browser, TimeSpan.FromSeconds(40)) { PollingInterval = TimeSpan.FromMilliseconds(100) };
        wait.IgnoreExceptionTypes(typeof(NoSuchElementException), typeof(StaleElementReferenceException));
    }

    // What was waited for in vain is told with what was there instead.
    private sealed class TellingWait(ChromeDriver browser, TimeSpan atMost) : WebDriverWait(browser, atMost)
    {
        protected override void ThrowTimeoutException(string exceptionMessage, Exception? lastException) =>
            base.ThrowTimeoutException(
                $"{exceptionMessage} at {browser.Url}: {browser.FindElement(By.TagName("body")).Text}",
                lastException
            );
    }

    /// <summary>The application that is looked at.</summary>
    protected RunningApp App { get; }

    protected IWebElement Find(string css) => wait.Until(b => b.FindElement(By.CssSelector(css)));

    /// <summary>What an element says; it may be drawn anew, and the page another, meanwhile.</summary>
    protected string TextOf(string css) => wait.Until(b => b.FindElement(By.CssSelector(css)).Text)!;

    /// <summary>What an attribute of an element says; the element may be drawn anew meanwhile.</summary>
    protected string Attribute(string css, string attribute) =>
        wait.Until(b => b.FindElement(By.CssSelector(css)).GetAttribute(attribute))!;

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

    private static readonly ConcurrentDictionary<string, bool> Looked = new(StringComparer.Ordinal);

    // Serious and critical findings of axe, as "rule: element". A page is looked at once a run, whatever it is about.
    protected void NothingSerious(string within = "html")
    {
        var page = System.Text.RegularExpressions.Regex.Replace(new Uri(browser.Url).AbsolutePath, "^/e/[^/]+", "/e");
        if (!Looked.TryAdd($"{page} {within}", true))
            return;
        LookForHindrances(within);
        Hindrances(within: within)
            .Where(f => f.Impact is "serious" or "critical")
            .Select(f => f.What)
            .ShouldBeEmpty(browser.Url);
    }

    // What is said by elements that stand within the same kinds of elements with the same attributes (but for words of
    // their own) has the same colours by the same rules: of them the first that a test meets is asked for its colours.
    private const string Unseen = """
        const words = new Set(['id', 'href', 'src', 'value', 'title', 'name', 'for', 'aria-label', 'aria-labelledby',
          'aria-describedby', 'aria-controls', 'placeholder', 'action']);
        const kinds = new Map();
        // Stripes differ by place, and so may what stands first in a row.
        const place = (e) => {
          const at = [...e.parentElement.children].indexOf(e);
          return at < 6 ? at : 6 + at % 2;
        };
        const kind = (e) => {
          if (!e.parentElement) return e.localName;
          let known = kinds.get(e);
          if (known === undefined) {
            // Styles ask whether such an attribute is there or empty, and no more of it.
            const word = (name) => words.has(name) || /^data-(?!says$|bs-|column$)/.test(name);
            const own = [...e.attributes]
              .filter((a) => !a.name.startsWith('hx-') && a.name !== 'data-unseen')
              .map((a) => `${a.name}=${word(a.name) && a.value ? '…' : a.value}`)
              .join(' ');
            kinds.set(e, known = `${kind(e.parentElement)} > ${place(e)} ${e.localName} ${own}`);
          }
          return known;
        };
        const short = (text) => {
          let [a, b] = [2166136261, 40389];
          for (let i = 0; i < text.length; i++) {
            a = Math.imul(a ^ text.charCodeAt(i), 16777619);
            b = Math.imul(b + text.charCodeAt(i), 2654435761);
          }
          return `${a >>> 0}.${b >>> 0}`;
        };
        document.querySelectorAll('[data-unseen]').forEach((e) => e.removeAttribute('data-unseen'));
        const seen = new Set((sessionStorage.getItem('kinds-seen') || '').split(' '));
        for (const e of document.querySelectorAll(arguments[0] + ' *')) {
          const says = e.matches('input, select, textarea, button')
            || [...e.childNodes].some((n) => n.nodeType === Node.TEXT_NODE && n.data.trim());
          if (!says || !e.checkVisibility()) continue;
          const one = short(kind(e));
          if (!seen.has(one)) e.toggleAttribute('data-unseen', true);
          seen.add(one);
        }
        for (const [id, of] of [['color-contrast', ''], ['link-in-text-block', 'a[href]']])
          axe.configure({ rules: [{ id, selector: of + '[data-unseen]' }] });
        sessionStorage.setItem('kinds-seen', [...seen].join(' '));
        """;

    /// <summary>Readies the page for <see cref="Hindrances"/>.</summary>
    private protected void LookForHindrances(string within = "html")
    {
        browser
            .ExecuteAsyncScript(
                """
                const [address, done] = arguments;
                const axe = document.createElement('script');
                axe.src = address;
                axe.onload = () => done(true);
                axe.onerror = () => done(false);
                document.head.append(axe);
                """,
                AxeBeside.Address
            )
            .ShouldBe(true);
        browser.ExecuteScript(Unseen, within);
    }

    /// <summary>What axe finds on the page that keeps somebody from reading or using it.</summary>
    /// <param name="colours">Whether only colours that are hard to tell apart are looked for.</param>
    private protected IReadOnlyList<(string Impact, string What)> Hindrances(
        bool colours = false,
        string within = "html"
    )
    {
        var json = (string)
            browser.ExecuteAsyncScript(
                """
                const [within, colours, done] = arguments;
                if (colours && !document.querySelector('[data-unseen]')) {
                  done('[]');
                  return;
                }
                axe.run(within, {
                  resultTypes: ['violations'],
                  runOnly: colours
                    ? { type: 'rule', values: ['color-contrast', 'link-in-text-block'] }
                    : { type: 'tag', values: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'] },
                }).then((found) => done(JSON.stringify(found.violations.map((v) =>
                  [v.impact, `${v.id}: ${v.nodes.map((n) => n.html).slice(0, 3).join(' | ')}`]))));
                """,
                within,
                colours
            )!;
        return [.. JsonSerializer.Deserialize<string[][]>(json)!.Select(v => (v[0], v[1]))];
    }

    /// <summary>Types into the cell of a grid that has the focus and takes what is offered there.</summary>
    /// <param name="next">Whether the first offer is gone to, rather than what was typed taken.</param>
    protected void Choose(string typed, bool next = false)
    {
        Press([.. typed.Select(c => c.ToString())]);
        // The list of all that was typed, and not of its beginning: what is marked in that one may be another.
        wait.Until(_ =>
            (bool)
                browser.ExecuteScript(
                    "const list = document.getElementById('grid-field-list'); return !!list && "
                        + "list.dataset.said === document.getElementById('grid-field').value && "
                        + "list.dataset.said.endsWith(arguments[0]) && !!list.querySelector('[role=option]')",
                    typed
                )!
        );
        Press(next ? [Keys.ArrowDown, Keys.Enter] : [Keys.Enter]);
    }

    /// <summary>Types the name of an account that is not there yet, and chooses to make it: it is offered after the
    /// nearest.</summary>
    protected void ChooseNew(string typed)
    {
        Press([.. typed.Select(c => c.ToString())]);
        // The list of all that was typed, and not of its beginning.
        wait.Until(_ =>
            (bool)
                browser.ExecuteScript(
                    "return [...document.querySelectorAll('#grid-field-list [data-create]')].some((o) => "
                        + "new URL(o.dataset.create, location).searchParams.get('name') === arguments[0])",
                    typed
                )!
        );
        Press(Keys.ArrowDown, Keys.Enter);
    }

    /// <summary>Requests to addresses with a piece wait until <c>window.letGo()</c>.</summary>
    protected void HoldBack(string piece) =>
        browser.ExecuteScript(
            "const own = window.fetch, [piece] = arguments; window.held = []; window.fetch = async (address, ...rest) => {"
                + " if (String(address).includes(piece)) await new Promise((go) => window.held.push(go));"
                + " return own(address, ...rest); };"
                + " window.letGo = () => { window.fetch = own; window.held.forEach((go) => go()); }",
            piece
        );

    /// <summary>Waits until one request is held back.</summary>
    protected void Held() => wait.Until(_ => (bool)browser.ExecuteScript("return window.held.length === 1")!);

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
        BrowserPool.Give(browser);
        GC.SuppressFinalize(this);
        Directory.Delete(folder, true);
    }
}
