using System.Net.Http.Json;
using OpenQA.Selenium;

namespace Assignum.Web.Tests;

/// <summary>Every page in both palettes: nothing that keeps somebody from reading or using it.</summary>
public sealed class EveryPage(RunningApp app) : InBrowser(app), IClassFixture<RunningApp>
{
    private static readonly string[] Pages =
    [
        "/",
        "/me",
        "/people",
        "/audit",
        .. new[]
        {
            "chart",
            "chart/4010",
            "chart/4010/card",
            "chart/4010/replace",
            "chart/new",
            "chart/bring",
            "chart/4999",
            "groups",
            "groups/items",
            "groups/parties",
            "group/item/INSTR",
            "record/item/RG-100",
            "record/party/SCH-KERRY",
            "record/item/NOWHERE",
            "tax",
            "tax?show=codes",
            "assignments",
            "ladders/sales-revenue",
            "life-cycle/item-groups",
            "explain?item=RG-100&purpose=sales-revenue",
            "coverage?purpose=sales-revenue",
            "dead-weight",
            "patterns?kind=goods-shipped",
            "policies",
            "rehearse",
            "rehearse?kind=json",
            "",
            "findings",
            "families",
            "chart/4010/split",
            "rehearse/cycle",
            "new-line",
            "editions",
            "journal",
            "journal?account=1210",
            "journal/2026-000001",
            "month-end?month=2026-06",
            "cut-off?at=2026-06-30",
            "subledgers?at=2026-07-31",
            "statements?from=2026-05-01&to=2026-07-31",
            "tax-return?from=2026-06-01&to=2026-06-30",
            "year-end",
            "hand-entry",
            "hand-entry?copy=2026-000001",
            "recognition?at=2026-06-30",
            "left-open?at=2026-06-30",
            "openings?at=2026-04-30",
            "statements?from=2026-05-01&to=2026-07-31&gross=true&against=before",
            "footprint",
            "history",
            "files",
            "connections",
            "worklist",
            "cut-over",
            "connections/OLD",
            "connections/OLD/parallel",
            "sheet/assignments",
            "work",
        }.Select(p => "/e/SKERROW/" + p),
    ];

    // Nothing fades from one palette into the other.
    private const string Still = """
        const still = new CSSStyleSheet();
        still.replaceSync('* { transition: none !important }');
        document.adoptedStyleSheets = [...document.adoptedStyleSheets, still];
        """;

    [Fact]
    public async Task Nothing_serious_on_any_page_in_either_palette()
    {
        using (var client = App.Client())
        {
            var at = "/api/v1/entities/SKERROW/connections";
            var stop = TestContext.Current.CancellationToken;
            await client.PostAsJsonAsync(
                at,
                new
                {
                    code = "OLD",
                    kind = "ledger",
                    name = "Old books",
                    sendsBy = "file",
                },
                stop
            );
            using var begun = await client.PostAsJsonAsync(at + "/OLD/parallel", new { from = "2026-06-01" }, stop);
            begun.IsSuccessStatusCode.ShouldBeTrue(await begun.Content.ReadAsStringAsync(stop));
        }
        SignIn("admin");
        var found = new List<string>();
        try
        {
            foreach (var page in Pages)
            {
                Seen("light");
                Go(page);
                browser.FindElements(By.CssSelector("main")).Count.ShouldBe(1, page);
                browser.ExecuteScript(Still);
                LookForHindrances();
                found.AddRange(Hindrances().Select(f => $"{page}: {f.What}"));
                // What is on a page is the same in the dark; what is seen of it is not.
                Seen("dark");
                found.AddRange(Hindrances(colours: true).Select(f => $"dark {page}: {f.What}"));
            }
        }
        finally
        {
            browser.ExecuteCdpCommand("Emulation.setEmulatedMedia", []);
        }
        found.ShouldBeEmpty();
    }

    /// <summary>The look at colours leaves out what was looked at, and nothing else.</summary>
    [Fact]
    public void What_is_hard_to_read_is_found_among_much_that_was_seen()
    {
        SignIn("admin");
        Go("/e/SKERROW/chart");
        string[] Faults(string script)
        {
            browser.ExecuteScript(script);
            LookForHindrances();
            return
            [
                .. Hindrances()
                    .Where(f => f.What.StartsWith("color-contrast", StringComparison.Ordinal))
                    .Select(f => f.What),
            ];
        }
        Faults("").ShouldBeEmpty();
        // Elements of a kind that was seen, one of them pale by a class, the other by the row that it stands in.
        Faults(
                """
                const pale = new CSSStyleSheet();
                pale.replaceSync('.pale, .pale * { color: #ccc !important; background: #fff !important }');
                document.adoptedStyleSheets = [...document.adoptedStyleSheets, pale];
                document.querySelectorAll('main a')[9].classList.add('pale');
                """
            )
            .ShouldHaveSingleItem()
            .ShouldContain("pale");
        Faults("document.querySelectorAll('main a')[20].parentElement.classList.add('pale')").ShouldHaveSingleItem();
    }

    private void Seen(string palette)
    {
        browser.ExecuteCdpCommand(
            "Emulation.setEmulatedMedia",
            new Dictionary<string, object?>
            {
                ["features"] = new[]
                {
                    new Dictionary<string, object?> { ["name"] = "prefers-color-scheme", ["value"] = palette },
                },
            }
        );
        browser
            .ExecuteScript("return matchMedia(`(prefers-color-scheme: ${arguments[0]})`).matches", palette)
            .ShouldBe(true);
    }
}
