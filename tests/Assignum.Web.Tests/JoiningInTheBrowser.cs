using System.Globalization;
using System.Net;
using System.Net.Http.Json;
using System.Text.Json.Nodes;
using Assignum.Core;
using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Testing;
using CsvHelper;
using OpenQA.Selenium;

namespace Assignum.Web.Tests;

/// <summary>Four systems are joined to an entity that has only a chart: by keys, with faults on, by two persons one after the
/// other, until nothing is left to decide. Then they do business for two weeks with something wrong every day; what waits is mended,
/// and the ledger comes out as the books here.</summary>
public sealed partial class JoiningInTheBrowser(LinkedApp app) : InBrowser(app), IClassFixture<LinkedApp>
{
    private const string Entity = "JOINED";

    private static CancellationToken Stop => TestContext.Current.CancellationToken;

    private static readonly (string Kind, string Code)[] Systems =
    [
        ("warehouse", "TARN"),
        ("shop", "LANTERN"),
        ("payments", "PEBBLE"),
        ("ledger", "SLATE"),
    ];

    private readonly List<(string Number, AccountClass Class, string Control)> chart = [];

    [Fact]
    public async Task From_a_chart_alone_four_systems_are_joined_by_two_persons_and_run_two_weeks_with_faults()
    {
        var begin = Begin;
        await using var standIns = await StandInsRunning.StartAsync(app.Port, begin);
        using var client = app.Client();
        await ChartAloneAsync(client);
        await standIns.PassAsync(Before);

        SignIn("admin");
        foreach (var (kind, code) in Systems)
            await JoinAsync(standIns, kind, code);

        // Somebody else goes on where it was left.
        SignIn("nora");
        foreach (var record in new[] { "tax-code", "channel", "method" })
            MakeEach("LANTERN", record);
        MakeRest("LANTERN", "item");
        MakeRest("TARN", "location");
        MakeRest("TARN", "reason");
        MakeRest("TARN", "party");
        PairSure("TARN", "item");
        MakeRest("TARN", "item");
        PairWith("PEBBLE", "channel", "acct-web", "web");
        PairWith("PEBBLE", "channel", "acct-fair", "fair");
        MakeRest("PEBBLE", "method");
        NotNeeded("PEBBLE", "pebble");
        PairSure("SLATE", "account");

        // All is paired, and nothing could post: nobody said yet where it lands.
        (long Ready, long Of) CouldPost(string code)
        {
            Go($"/e/{Entity}/connections/{code}/needs");
            var said = TextOf(".head .aside").Split(' ');
            long Number(string of) => long.Parse(of, NumberStyles.AllowThousands, CultureInfo.InvariantCulture);
            return (Number(said[0]), Number(said[2]));
        }
        CouldPost("LANTERN").Ready.ShouldBe(0);
        foreach (var code in new[] { "TARN", "LANTERN", "PEBBLE" })
            await PurposesAsync(client, code);
        var (ready, all) = CouldPost("LANTERN");
        (ready, all > 20).ShouldBe((all, true));
        TheirAccounts();
        MakeRest("SLATE", "account", needed: false);
        foreach (var (_, code) in Systems)
        {
            Go($"/e/{Entity}/connections/{code}/needs");
            Find(".good")
                .Text.ShouldContain(
                    "Nothing is left to decide",
                    Case.Sensitive,
                    browser.FindElement(By.TagName("main")).Text
                );
        }
        NothingSerious();

        var published = await client.PostAsJsonAsync(
            $"/api/v1/entities/{Entity}/editions/publish",
            new { from = begin.AddDays(-40).ToString("yyyy-MM-dd", CultureInfo.InvariantCulture) },
            Stop
        );
        published.StatusCode.ShouldBe(HttpStatusCode.OK, await published.Content.ReadAsStringAsync(Stop));
        TakeOpenings(begin.AddDays(-1));

        // A reviewer lets them go live; nothing is in the way.
        SignIn("tomas");
        foreach (var (_, code) in Systems)
        {
            Go($"/e/{Entity}/connections/{code}");
            Day("#from", begin);
            Find("form[action*='handler=Live'] .btn-main").SendKeys(Keys.Enter);
            wait.Until(b => b.FindElements(By.CssSelector(".donebox, .alertbox[role=alert]")).Count > 0);
            TextOf(".donebox").ShouldContain("Live from");
        }
        var states = JsonNode
            .Parse(await client.GetStringAsync($"/api/v1/entities/{Entity}/connections", Stop))!
            .AsArray();
        states.Select(c => (string)c!["state"]!).ShouldBe(["live", "live", "live", "live"]);
        await TwoWeeksAsync(standIns, client);
        await SameBalancesAsync(client, standIns, begin);
    }

    // The chart of the tests' company without anything that it names.
    private async Task ChartAloneAsync(HttpClient client)
    {
        (
            await client.PostAsJsonAsync(
                "/api/v1/entities",
                new
                {
                    code = Entity,
                    name = "Joined",
                    currency = "EUR",
                },
                Stop
            )
        ).StatusCode.ShouldBe(HttpStatusCode.Created);
        var from = Path.Combine(
            ProjectFiles.Root,
            "tests",
            "company",
            "skerrow",
            "1-skerrow",
            "bundle",
            "accounts.csv"
        );
        var only = Directory.CreateTempSubdirectory("assignum-chart");
        using (var csv = new CsvReader(new StreamReader(from), CultureInfo.InvariantCulture))
        {
            await using var writer = new StreamWriter(Path.Combine(only.FullName, "accounts.csv"));
            await using var written = new CsvWriter(writer, CultureInfo.InvariantCulture);
            foreach (IDictionary<string, object> row in csv.GetRecords<dynamic>())
            {
                row["tax_code"] = "";
                written.WriteRecord<dynamic>(row);
                if (chart.Count == 0 && written.Row == 1)
                    _ = written;
                await written.NextRecordAsync();
                if (
                    (string)row["kind"] == "posting"
                    && (string)row["status"] == "active"
                    && (string)row["tripwire"] != "yes"
                )
                    chart.Add(
                        (
                            (string)row["number"],
                            Words.TryParse<AccountClass>((string)row["class"], out var @class) ? @class : default,
                            (string)row["control"]
                        )
                    );
            }
        }
        var header = (await File.ReadAllLinesAsync(from, Stop))[0];
        var path = Path.Combine(only.FullName, "accounts.csv");
        var lines = await File.ReadAllTextAsync(path, Stop);
        if (!lines.StartsWith(header, StringComparison.Ordinal))
            await File.WriteAllTextAsync(path, header + "\n" + lines, Stop);
        var brought = await HttpInterface.UploadFolderAsync(client, Entity, only.FullName, true);
        brought.StatusCode.ShouldBe(HttpStatusCode.OK, await brought.Content.ReadAsStringAsync(Stop));
        only.Delete(true);
    }

    // Filled in by keys; tested, then fetched while it fails in four ways.
    private async Task JoinAsync(StandInsRunning standIns, string kind, string code)
    {
        Go($"/e/{Entity}/connections");
        NothingSerious();
        Find("#kind")
            .SendKeys(
                kind switch
                {
                    "warehouse" => "Ware",
                    "shop" => "Shop",
                    "payments" => "Pay",
                    _ => "Gen",
                }
            );
        Find("#code")
            .SendKeys(code + Keys.Tab + "The " + kind + Keys.Tab + $"http://127.0.0.1:{app.Port}/{kind}" + Keys.Tab);
        Find("#key").SendKeys(StandInsRunning.Key + Keys.Enter);
        wait.Until(b => b.Url.EndsWith("/" + code, StringComparison.Ordinal));
        TextOf(".donebox").ShouldContain("kept");
        browser.PageSource.ShouldNotContain(StandInsRunning.Key);
        Find("form[action*='handler=Test'] button").SendKeys(Keys.Enter);
        wait.Until(b => b.FindElements(By.CssSelector(".steps .plain")).Count > 0);
        TextOf(".steps .plain").ShouldContain("Nothing stands in the way");
        foreach (var fault in new[] { "500", "half-page", "not-json", "wrong-key" })
            await standIns.FaultAsync(kind, fault);
        Find("form[action*='handler=Fetch'] button").SendKeys(Keys.Enter);
        wait.Until(b => Attribute("#link-work", "data-state") is "done" or "failed" or "cancelled");
        Attribute("#link-work", "data-state").ShouldBe("done", TextOf("#link-work"));
        NothingSerious();
    }

    // One key a record: the row says what it became, and the next one has the focus.
    private void MakeEach(string code, string record)
    {
        Go($"/e/{Entity}/connections/{code}/pair/{record}");
        NothingSerious();
        var left = browser.FindElements(By.CssSelector("tr[data-settled=no]")).Count;
        left.ShouldBeGreaterThan(0);
        for (; left > 0; left--)
        {
            wait.Until(b => (bool)browser.ExecuteScript("return document.activeElement?.dataset.settled === 'no'")!);
            Press("m");
            var after = left - 1;
            wait.Until(b => b.FindElements(By.CssSelector("tr[data-settled=no]")).Count == after);
        }
        browser.FindElements(By.CssSelector("tr[data-settled=yes]")).Count.ShouldBeGreaterThan(0);
    }

    private void MakeRest(string code, string record, bool needed = true)
    {
        Go($"/e/{Entity}/connections/{code}/pair/{record}");
        var buttons = browser.FindElements(By.CssSelector("form[action*='handler=Rest'] .btn"));
        if (buttons.Count == 0 && !needed)
            return;
        Find("form[action*='handler=Rest'] .btn").SendKeys(Keys.Enter);
        wait.Until(b => b.FindElements(By.CssSelector(".donebox, .alertbox[role=alert]")).Count > 0);
        TextOf(".donebox").ShouldContain("made");
    }

    private void PairSure(string code, string record)
    {
        Go($"/e/{Entity}/connections/{code}/pair/{record}");
        Find("form[action*='handler=Again'] button").SendKeys(Keys.Enter);
        wait.Until(b => b.FindElements(By.CssSelector(".donebox")).Count > 0);
        Find("form[action*='handler=Sure'] .btn").SendKeys(Keys.Enter);
        wait.Until(b =>
            b.FindElements(By.CssSelector(".donebox")).Any(d => d.Text.Contains("paired", StringComparison.Ordinal))
        );
    }

    // Another than the one proposed: F, part of it, Enter.
    private void PairWith(string code, string record, string theirs, string ours)
    {
        Go($"/e/{Entity}/connections/{code}/pair/{record}?show=all&q={theirs}");
        wait.Until(b =>
            (bool)browser.ExecuteScript("return document.activeElement?.dataset.subject === arguments[0]", theirs)!
        );
        Press("f");
        Press([.. ours.Select(c => c.ToString())]);
        wait.Until(b => b.FindElements(By.CssSelector("[role=option]")).Count > 0);
        Press(Keys.ArrowDown, Keys.Enter, Keys.Enter);
        wait.Until(b => b.FindElements(By.CssSelector("tr[data-settled=yes]")).Count == 1);
        TextOf("tr[data-settled=yes]").ShouldContain(ours);
    }

    private void NotNeeded(string code, string theirs)
    {
        Go($"/e/{Entity}/connections/{code}/needs?only=party");
        NothingSerious();
        Find("input[name=reason]").SendKeys("it is the provider itself");
        Find("button[value=not-needed]").SendKeys(Keys.Enter);
        wait.Until(b => b.FindElements(By.CssSelector(".donebox")).Count > 0);
        TextOf("main").ShouldNotContain(theirs);
    }

    // The first by keys on the page, the others as a program would.
    private async Task PurposesAsync(HttpClient client, string code)
    {
        Go($"/e/{Entity}/connections/{code}/purposes");
        NothingSerious();
        var left = "";
        for (var turn = 0; turn < 4; turn++)
        {
            var at = $"/api/v1/entities/{Entity}/connections/{code}";
            var open = JsonNode
                .Parse(await client.GetStringAsync(at + "/purposes?limit=1000", Stop))!
                .AsArray()
                .Where(p => (bool)p!["open"]!)
                .Select(p => p!)
                .ToList();
            if (open.Count == 0)
                return;
            left += "\nTURN " + string.Join(' ', open.Select(p => p.ToJsonString()));
            if (turn == 0 && open.FirstOrDefault(p => p["account"] is null) is { } first)
            {
                var row = Find("tbody tr:has(.bad)");
                row.FindElement(By.CssSelector("input[name=account]")).SendKeys(AccountFor((string)first["purpose"]!));
                row.FindElement(By.CssSelector("button[value=account]")).SendKeys(Keys.Enter);
                wait.Until(b => b.FindElements(By.CssSelector(".donebox, .alertbox[role=alert]")).Count > 0);
                TextOf(".donebox").ShouldContain("draft");
                continue;
            }
            var acts = open.Select(p =>
                p["account"] is null
                    ? new
                    {
                        id = (string)p["id"]!,
                        @do = "account",
                        account = (string?)AccountFor((string)p["purpose"]!),
                        reason = (string?)null,
                    }
                : (string)p["rung"]! == "default"
                    ? new
                    {
                        id = (string)p["id"]!,
                        @do = "default",
                        account = (string?)null,
                        reason = (string?)"one account is enough for now",
                    }
                : new
                {
                    id = (string)p["id"]!,
                    @do = "confirm",
                    account = (string?)null,
                    reason = (string?)null,
                }
            );
            var done = await client.PostAsJsonAsync(at + "/needs", acts, Stop);
            done.StatusCode.ShouldBe(HttpStatusCode.OK, await done.Content.ReadAsStringAsync(Stop));
        }
        throw new InvalidOperationException($"Purposes of {code} stay open: {left}");
    }

    private string AccountFor(string purpose)
    {
        var of = Purposes.Find(purpose)!;
        var control = of.Control == Control.None ? "" : Words.Of(of.Control);
        return chart.First(a => of.Accepts(a.Class) && a.Control == control).Number;
    }

    // What the warehouse believes is held against where items land, and written there.
    private void TheirAccounts()
    {
        Go($"/e/{Entity}/connections/TARN/items");
        NothingSerious();
        // Where something lands here, that is written there.
        Mended("There", "have the accounts there");
        // A name that no account has is said once, for all items that have it.
        while (browser.FindElements(By.CssSelector("input[name=path]")) is [var path, ..])
        {
            var name = path.GetAttribute("value")!;
            var field = Find("form[action*='handler=Name'] input[name=ours]");
            field.Clear();
            field.SendKeys(
                AccountFor(
                    name.StartsWith("Cost", StringComparison.Ordinal) ? "cost-of-sales"
                    : name.StartsWith("Rev", StringComparison.Ordinal) ? "sales-revenue"
                    : "stock"
                ) + Keys.Escape
            );
            Find("form[action*='handler=Name'] button").SendKeys(Keys.Enter);
            wait.Until(b =>
                b.FindElements(By.CssSelector(".donebox")).Any(d => d.Text.Contains(name, StringComparison.Ordinal))
            );
        }
        Mended("Here", "wait in the draft");
        var said = TextOf("main");
        said.ShouldContain("Every paired item agrees", Case.Sensitive, said);
    }

    private void Mended(string where, string says)
    {
        Find("input[name=all]").SendKeys(" ");
        Find(where == "Here" ? ".toolbar .btn-main" : "button[formaction*='handler=There']").SendKeys(Keys.Enter);
        wait.Until(b =>
            b.FindElements(By.CssSelector(".donebox")).Any(d => d.Text.Contains(says, StringComparison.Ordinal))
            || b.FindElements(By.CssSelector(".alertbox[role=alert]")).Count > 0
        );
        TextOf(".donebox").ShouldContain(says);
    }

    private void Day(string css, DateOnly day)
    {
        var field = Find(css);
        field.Clear();
        field.SendKeys(day.ToString("d MMM yyyy", CultureInfo.InvariantCulture));
    }

    private void TakeOpenings(DateOnly at)
    {
        Go($"/e/{Entity}/connections");
        Day("#at", at);
        Find("form[action*='handler=Opening'] button").SendKeys(Keys.Enter);
        wait.Until(b =>
            b.Url.Contains("/openings", StringComparison.Ordinal)
            || b.FindElements(By.CssSelector(".alertbox")).Count > 0
        );
        TextOf(".donebox").ShouldContain("came");
        TextOf("main").ShouldContain("Control accounts");
        Find("#against").SendKeys(chart.First(a => a.Class == AccountClass.Equity).Number + Keys.Escape);
        if (browser.FindElements(By.Id("reason")).Count > 0)
            Find("#reason").SendKeys("the ledger begins with what others have");
        Find("form .btn-main").SendKeys(Keys.Enter);
        wait.Until(b => b.FindElements(By.CssSelector(".donebox, .alertbox[role=alert]")).Count > 0);
        TextOf(".donebox").ShouldContain("Posted");
    }
}
