using System.Globalization;
using System.Net;
using System.Net.Http.Json;
using System.Text.Json.Nodes;
using Assignum.Core;
using Assignum.Core.Landing;
using Assignum.Testing;
using OpenQA.Selenium;

namespace Assignum.Web.Tests;

public sealed partial class JoiningInTheBrowser
{
    private static DateOnly Begin { get; } = DateOnly.FromDateTime(DateTime.UtcNow).AddDays(-Before);

    private const int Before = 8,
        Weeks = 14;

    private string At => $"/api/v1/entities/{Entity}";

    // What is wrong on each of the days, by switch.
    private static readonly (string System, string Fault)[] Faults =
    [
        ("shop", "events-late"),
        ("ledger", "500"),
        ("payments", "half-page"),
        ("warehouse", "events-out-of-order"),
        ("shop", "not-json"),
        ("ledger", "accepted-then-timeout"),
        ("shop", "events-repeated"),
        ("payments", "429"),
        ("warehouse", "down"),
        ("shop", "record-renamed"),
        ("shop", "event-voided"),
        ("ledger", "half-page"),
        ("payments", "events-late"),
        ("shop", "repeated-page"),
    ];

    // Two weeks of business with something wrong every day. What waits is mended by keys, and posts by itself.
    private async Task TwoWeeksAsync(StandInsRunning standIns, HttpClient client)
    {
        // Their days are over already: nobody waits by the calendar of today.
        foreach (var (_, code) in Systems)
            (
                await client.PatchAsJsonAsync(
                    $"{At}/connections/{code}",
                    new { patienceDays = 90, gapMinutes = 60 },
                    Stop
                )
            ).StatusCode.ShouldBe(HttpStatusCode.OK);
        for (var day = 0; day < Weeks; day++)
        {
            await standIns.FaultAsync(Faults[day].System, Faults[day].Fault);
            await standIns.PassAsync(1);
            if (day == 4)
            {
                // It was restored from a copy.
                await standIns.FaultAsync("warehouse", "another-life");
            }
            await AskAllAsync(client);
            if (day == 4)
                ResumeAll();
        }
        // What was late on the last day comes on the next.
        await standIns.PassAsync(1);
        await AskAllAsync(client);
        await MendAsync(client);
    }

    private async Task AskAllAsync(HttpClient client)
    {
        foreach (var (_, code) in Systems)
            (await client.PostAsync($"{At}/connections/{code}/ask", null, Stop)).StatusCode.ShouldBeOneOf(
                HttpStatusCode.Accepted,
                HttpStatusCode.Conflict
            );
        await QuietAsync(client);
    }

    // Until nothing is on its way: asked after that, and all that can post is posted.
    private async Task QuietAsync(HttpClient client)
    {
        var since = DateTime.UtcNow;
        await LinkedBooks.UntilAsync<object>(
            async () =>
            {
                foreach (var (_, code) in Systems)
                {
                    var board = JsonNode.Parse(await client.GetStringAsync($"{At}/connections/{code}/board", Stop))!;
                    var state = (string)board["connection"]!["state"]!;
                    if (state == "paused")
                        continue;
                    if (((DateTime?)board["connection"]!["lastContact"])?.ToUniversalTime() is not { } at || at < since)
                        return null;
                    if (board.ToJsonString().Contains("\"received\"", StringComparison.Ordinal))
                        return null;
                }
                return this;
            },
            "something stays on its way",
            120
        );
    }

    // All were paused when one of them said that it is another: a reviewer looked, and they go on.
    private void ResumeAll()
    {
        foreach (var (_, code) in Systems)
        {
            Go($"/e/{Entity}/connections/{code}");
            TextOf("main").ShouldContain("paused");
            Find("form[action*='handler=Resume'] button").SendKeys(Keys.Enter);
            wait.Until(b => b.FindElements(By.CssSelector(".donebox, .alertbox[role=alert], .error")).Count > 0);
            var said = TextOf("main");
            browser.FindElements(By.CssSelector(".donebox")).Count.ShouldBe(1, said);
        }
    }

    // What waits and what is dead, group by group, until there is none: each in at most three acts from here.
    private async Task MendAsync(HttpClient client)
    {
        SignIn("tomas");
        var mended = new HashSet<string>(StringComparer.Ordinal);
        for (var turn = 0; turn < 80; turn++)
        {
            Go($"/e/{Entity}/worklist");
            if (browser.FindElements(By.CssSelector("table.worklist")).Count == 0)
                break;
            var said = TextOf("table.worklist");
            if (turn == 79)
                throw new InvalidOperationException($"This stays: {said}");
            if (browser.FindElements(By.CssSelector("form[action*='handler=Pair']")).Count > 0)
            {
                // The next choice, or what it says itself.
                mended.Add("pair");
                Find("#ours").SendKeys(Keys.ArrowDown + Keys.Enter + Keys.Enter);
                wait.Until(b => b.FindElements(By.CssSelector(".donebox, .alertbox[role=alert]")).Count > 0);
            }
            else if (
                browser.FindElements(By.CssSelector("table.worklist a")).FirstOrDefault(a => a.Text == "settle it") is
                { } purpose
            )
            {
                mended.Add("purpose");
                var code = purpose.GetAttribute("href")!.Split('/')[^2];
                await PurposesAsync(client, code);
                await PublishAsync(client);
            }
            else if (said.Contains("No tax code for charges", StringComparison.Ordinal))
            {
                mended.Add("carriage").ShouldBeTrue("once is enough");
                await TaxOfAsync(client, "shipping-income", "FULL");
            }
            else if (said.Contains("give the account of payment-fee", StringComparison.Ordinal))
            {
                mended.Add("fees").ShouldBeTrue("once is enough");
                await TaxOfAsync(client, "payment-fee", null);
            }
            else
                throw new InvalidOperationException($"Nobody knows how to mend this: {said}");
            await AskAllAsync(client);
            // It is tried again by itself, when it is.
            await LinkedBooks.UntilAsync(
                () =>
                {
                    Go($"/e/{Entity}/worklist");
                    var left = browser.FindElements(By.CssSelector("table.worklist")).FirstOrDefault()?.Text;
                    return Task.FromResult(left == said ? null : "changed");
                },
                $"This does not free itself: {said}",
                90
            );
        }
        // Carriage and fees had no tax code; where they land was asked before the first one came.
        mended.ShouldContain("carriage");
        mended.ShouldContain("fees");
        // What was freed last posts, and goes on.
        await LinkedBooks.UntilAsync(
            async () =>
            {
                await AskAllAsync(client);
                var posted = 0;
                foreach (var (_, code) in Systems.Where(s => s.Kind != "ledger"))
                    posted += Of(await BoardAsync(client, code), "counts", "posted");
                var there = await BoardAsync(client, "SLATE");
                return there["journals"]!.AsObject().Count == 1 && Of(there, "journals", "sent") >= posted
                    ? "all"
                    : null;
            },
            "not everything went on",
            60
        );
    }

    private async Task<JsonNode> BoardAsync(HttpClient client, string code) =>
        JsonNode.Parse(await client.GetStringAsync($"{At}/connections/{code}/board", Stop))!;

    private static int Of(JsonNode board, string list, string state) => (int?)board[list]![state]?["events"] ?? 0;

    // The account gets a code by default, or is outside tax; as long as nothing was posted of those days it may be
    // published from the beginning.
    private async Task TaxOfAsync(HttpClient client, string purpose, string? code)
    {
        Go($"/e/{Entity}/chart/{AccountFor(purpose)}");
        if (code is not null)
        {
            Find("#new-tax_code").Clear();
            Find("#new-tax_code").SendKeys(code + Keys.Escape);
        }
        else
            Find("#new-tax_admits").SendKeys("none");
        Find("#account-form .btn-main").SendKeys(Keys.Enter);
        wait.Until(b => b.FindElements(By.CssSelector(".donebox, .alertbox[role=alert]")).Count > 0);
        browser.FindElements(By.CssSelector(".donebox")).Count.ShouldBe(1, TextOf("main"));
        await PublishAsync(client);
    }

    private async Task PublishAsync(HttpClient client)
    {
        var published = await client.PostAsJsonAsync(
            $"/api/v1/entities/{Entity}/editions/publish",
            new { from = Begin.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture) },
            Stop
        );
        // What was mended before and is on its way has nothing more to be published.
        if (published.StatusCode == HttpStatusCode.Conflict)
        {
            (await published.Content.ReadAsStringAsync(Stop)).ShouldContain("no-draft");
            return;
        }
        published.StatusCode.ShouldBe(HttpStatusCode.OK, await published.Content.ReadAsStringAsync(Stop));
    }

    // What the ledger has of ours is what is posted here, account by account; every journal is there once.
    private async Task SameBalancesAsync(HttpClient client, StandInsRunning standIns, DateOnly begin)
    {
        var theirs = new SortedDictionary<string, decimal>(StringComparer.Ordinal);
        var keys = new List<string>();
        var after = "";
        while (true)
        {
            var page = JsonNode.Parse(
                await standIns.Client.GetStringAsync($"/ledger/link/v1/journals?limit=1000{after}", Stop)
            )!;
            foreach (var journal in page["journals"]!.AsArray().Where(j => (string)j!["origin"]! == "link"))
            {
                keys.Add((string)journal!["key"]!);
                foreach (var line in journal["lines"]!.AsArray())
                    theirs[(string)line!["account"]!] =
                        theirs.GetValueOrDefault((string)line["account"]!)
                        + ((decimal?)line["debit"] ?? 0)
                        - ((decimal?)line["credit"] ?? 0);
            }
            if (!(bool)page["more"]!)
                break;
            after = $"&after={page["next"]}";
        }
        keys.ShouldBeUnique();
        var pairs = new Dictionary<string, string>(StringComparer.Ordinal);
        for (var next = ""; ; )
        {
            using var answer = await client.GetAsync(
                $"{At}/connections/SLATE/pairings?record=account&limit=1000{next}",
                Stop
            );
            foreach (var pair in JsonNode.Parse(await answer.Content.ReadAsStringAsync(Stop))!.AsArray())
                if ((string?)pair!["ours"] is { Length: > 0 } ours)
                    pairs[ours] = (string)pair["theirs"]!;
            if (!answer.Headers.TryGetValues("X-Next-After", out var more))
                break;
            next = "&after=" + Uri.EscapeDataString(more.Single());
        }
        var mine = new SortedDictionary<string, decimal>(StringComparer.Ordinal);
        var entries = 0;
        for (var next = ""; ; )
        {
            using var answer = await client.GetAsync($"{At}/entries?from={begin:yyyy-MM-dd}&limit=1000{next}", Stop);
            foreach (var entry in JsonNode.Parse(await answer.Content.ReadAsStringAsync(Stop))!.AsArray())
            {
                entries++;
                foreach (var line in entry!["lines"]!.AsArray())
                {
                    var there = pairs[(string)line!["account"]!];
                    mine[there] = mine.GetValueOrDefault(there) + (decimal)line["debit"]! - (decimal)line["credit"]!;
                }
            }
            if (!answer.Headers.TryGetValues("X-Next-After", out var more))
                break;
            next = "&after=" + Uri.EscapeDataString(more.Single());
        }
        entries.ShouldBeGreaterThan(300);
        keys.Count.ShouldBe(entries);
        theirs.ShouldBe(mine);
    }
}
