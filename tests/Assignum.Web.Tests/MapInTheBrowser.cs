using System.Net;
using System.Text.Json;
using OpenQA.Selenium;

namespace Assignum.Web.Tests;

/// <summary>The landing map: gone through by keys, opened, explained, painted; and sets made smaller.</summary>
[Collection(OtherAppCollection.Name)]
public sealed class MapInTheBrowser(RunningApp app) : InBrowser(app)
{
    private static CancellationToken Stop => TestContext.Current.CancellationToken;

    private void Drawn() => wait.Until(b => b.FindElement(By.Id("map")).GetAttribute("data-drawn") == "signs");

    private void Says(string part) =>
        wait.Until(b => b.FindElement(By.Id("map-says")).Text.Contains(part, StringComparison.Ordinal));

    // Goes down or right until what is said begins so.
    private void GoTo(string begins, string key)
    {
        for (var i = 0; i < 60; i++)
        {
            if (browser.FindElement(By.Id("map-says")).Text.StartsWith(begins, StringComparison.Ordinal))
                return;
            Press(key);
        }
        browser.FindElement(By.Id("map-says")).Text.ShouldStartWith(begins);
    }

    private async Task<JsonElement> CellsAsync(HttpClient client, string entity, string more = "")
    {
        var text = await client.GetStringAsync($"/e/{entity}/map?handler=Cells&purpose=sales-revenue{more}", Stop);
        return JsonDocument.Parse(text).RootElement;
    }

    // Where a row lands for one column.
    private static string Lands(JsonElement map, string row, string column)
    {
        int At(string of, string key) =>
            map.GetProperty(of).EnumerateArray().TakeWhile(l => l.GetProperty("key").GetString() != key).Count();
        var columns = map.GetProperty("columns").GetArrayLength();
        var account = map.GetProperty("cells")[(At("rows", row) * columns + At("columns", column)) * 6].GetInt32();
        return account < 0 ? "" : map.GetProperty("accounts")[account].GetProperty("number").GetString()!;
    }

    // The account of every cell, row by row.
    private static string All(JsonElement map) =>
        string.Join(
            ' ',
            map.GetProperty("cells")
                .EnumerateArray()
                .Where((_, i) => i % 6 == 0)
                .Select(c =>
                    c.GetInt32() < 0 ? "-" : map.GetProperty("accounts")[c.GetInt32()].GetProperty("number").GetString()
                )
        );

    [Fact]
    public async Task A_block_is_gone_to_explained_painted_and_undone_by_keys()
    {
        var entity = await App.EntityAsync("MAPPED");
        using var client = await App.SignedInAsync("nora");
        var before = await CellsAsync(client, entity);
        Lands(before, "g:RAIN", "g:PRIVATE").ShouldBe("4010");
        SignIn("nora");
        Go($"/e/{entity}/map?purpose=sales-revenue");
        Drawn();
        NothingSerious();
        Find("#map").SendKeys(Keys.Home);
        GoTo("RAIN", Keys.ArrowDown);
        Says("by item group");
        // The group lists its records, and shuts again.
        Press(" ");
        wait.Until(b => b.Url.Contains("open=g%3ARAIN", StringComparison.Ordinal));
        Drawn();
        Press(Keys.ArrowDown);
        Says("RG-");
        Press(Keys.ArrowUp, " ");
        wait.Until(b => !b.Url.Contains("open=g%3ARAIN", StringComparison.Ordinal));
        Drawn();
        Press(Keys.ArrowRight, Keys.ArrowRight);
        Says("RAIN");
        Press(Keys.Enter);
        Find("#map-cell .ladder li.held");
        TextOf("#map-cell").ShouldContain("Why 4010");
        // A block of two columns, and an account for it.
        Chord(Keys.Shift, Keys.ArrowRight);
        TextOf("#map-block").ShouldBe("1 row by 2 columns, whatever else is given");
        Press("p");
        Find("#account").SendKeys("4030" + Keys.Tab);
        wait.Until(b =>
            b.FindElement(By.Id("paint-consequences")).Text.Contains("combinations move", StringComparison.Ordinal)
        );
        NothingSerious("#paint-form");
        Find("#reason").SendKeys("rain gauges go with the books" + Keys.Enter);
        TextOf(".donebox").ShouldContain("land on 4030 now");
        var after = await CellsAsync(client, entity);
        // What was marked moved, all else stayed.
        var columns = before.GetProperty("columns").EnumerateArray().Select(c => c.GetProperty("key").GetString()!);
        var marked = columns.Skip(2).Take(2).ToHashSet();
        foreach (var row in before.GetProperty("rows").EnumerateArray().Select(r => r.GetProperty("key").GetString()!))
        foreach (var column in columns)
            Lands(after, row, column)
                .ShouldBe(
                    row == "g:RAIN" && marked.Contains(column) ? "4030" : Lands(before, row, column),
                    row + column
                );
        // Laid over what it was: the cells that differ are gone to one by one.
        Find(".donebox .link").SendKeys(Keys.Enter);
        wait.Until(b => b.FindElement(By.CssSelector(".donebox")).Text.Contains("Undone", StringComparison.Ordinal));
        All(await CellsAsync(client, entity)).ShouldBe(All(before));
        // The table behind says the same, with a link to each explanation.
        Find("#map-table summary").SendKeys(Keys.Enter);
        TextOf("#map-table table").ShouldContain("RAIN");
        NothingSerious("#map-table");
    }

    [Fact]
    public async Task What_somebody_else_changed_meanwhile_is_told_and_the_block_is_kept()
    {
        var entity = await App.EntityAsync("MAPTWO");
        using var client = await App.SignedInAsync("nora");
        var page = $"/e/{entity}/map?purpose=sales-revenue";
        var stamp = (await CellsAsync(client, entity)).GetProperty("stamp").GetString()!;
        async Task<HttpResponseMessage> PaintAsync(string account, string with, params string[] keys) =>
            await client.PostAsync(
                $"{page}&handler=Paint",
                PageClient.Form([
                    .. keys.Select(k => (k[0] == '|' ? "column" : "line", k.TrimStart('|'))),
                    ("account", account),
                    ("stamp", with),
                    ("__RequestVerificationToken", await PageClient.TokenAsync(client, page)),
                ]),
                Stop
            );
        (await PaintAsync("4030", stamp, "g:RAIN", "|g:PRIVATE")).StatusCode.ShouldBe(HttpStatusCode.Redirect);
        // Painted from the map as it was before that: told, nothing is changed, what was marked comes back.
        var late = await PaintAsync("4010", stamp, "g:RAIN", "|g:PUBLIC");
        late.StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);
        var text = await late.Content.ReadAsStringAsync(Stop);
        text.ShouldContain("Somebody changed what decides");
        text.ShouldContain("name=\"column\" value=\"g:PUBLIC\"");
        var now = await CellsAsync(client, entity);
        Lands(now, "g:RAIN", "g:PRIVATE").ShouldBe("4030");
        // What cannot be is refused with what is wrong.
        var good = now.GetProperty("stamp").GetString()!;
        foreach (
            var (account, keys, says) in new (string, string[], string)[]
            {
                ("", ["g:RAIN", "|g:PUBLIC"], "Say which account"),
                ("9999", ["g:RAIN", "|g:PUBLIC"], "There is no account 9999"),
                ("4880", ["g:RAIN", "|g:PUBLIC"], "tripwire"),
                ("4030", ["|g:PUBLIC"], "Mark the cells first"),
                ("4030", ["g:NOWHERE", "|g:PUBLIC"], "The map has no line g:NOWHERE"),
            }
        )
        {
            var refused = await PaintAsync(account, good, keys);
            refused.StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);
            WebUtility.HtmlDecode(await refused.Content.ReadAsStringAsync(Stop)).ShouldContain(says);
        }
        foreach (
            var odd in new[]
            {
                "&down=nothing",
                "&down=counterparty",
                "&across=line",
                "&edition=99",
                "&over=w99",
                "&open=%00&open=g%3A%ff",
            }
        )
        {
            ((int)(await client.GetAsync($"{page}{odd}&handler=Cells", Stop)).StatusCode).ShouldBeOneOf(200, 400, 422);
            ((int)(await client.GetAsync($"{page}{odd}", Stop)).StatusCode).ShouldBeOneOf(200, 400);
        }
        (await client.GetAsync($"/e/{entity}/map?purpose=nothing", Stop)).StatusCode.ShouldBe(HttpStatusCode.OK);
        // A viewer sees it and paints nothing.
        using var viewer = await App.SignedInAsync("iris");
        (await viewer.GetStringAsync(page, Stop)).ShouldContain("data-map");
    }

    [Fact]
    public async Task A_purpose_is_compressed_with_proof_as_one_change_and_undone()
    {
        var entity = await App.EntityAsync("SMALLER");
        using (var client = App.Client())
            (
                await client.PostAsync(
                    $"/api/v1/entities/{entity}/bundle?apply=true&partial=true",
                    new ByteArrayContent(
                        PageClient.Zip(
                            (
                                "items.csv",
                                System.Text.Encoding.UTF8.GetBytes(
                                    "code,name,nature,stocked,group,costing\n"
                                        + string.Concat(
                                            Enumerable.Range(1, 41).Select(i => $"CAP-{i},Cap,goods,yes,CAPS,average\n")
                                        )
                                )
                            ),
                            ("groups.csv", "kind,code,name\nitem,CAPS,Caps\n"u8.ToArray()),
                            (
                                "assignments.csv",
                                System.Text.Encoding.UTF8.GetBytes(
                                    "purpose,account,item\n"
                                        + string.Concat(
                                            Enumerable.Range(1, 41).Select(i => $"sales-revenue,4020,CAP-{i}\n")
                                        )
                                )
                            )
                        )
                    ),
                    Stop
                )
            ).EnsureSuccessStatusCode();
        using var nora = await App.SignedInAsync("nora");
        var before = All(await CellsAsync(nora, entity));
        SignIn("nora");
        Go($"/e/{entity}/compress?purpose=sales-revenue");
        NothingSerious();
        TextOf(".facts").ShouldContain("combinations were walked: none lands elsewhere");
        TextOf("main table").ShouldContain("CAPS");
        wait.Until(b => !b.FindElement(By.CssSelector(".pane")).Text.Contains('…', StringComparison.Ordinal));
        TextOf(".pane").ShouldContain("new finding");
        Find("#reason").SendKeys("one of the group is enough" + Keys.Enter);
        TextOf(".donebox").ShouldContain("combinations land as before");
        var map = await CellsAsync(nora, entity);
        // Every account as before; what decides is the group now, which takes what comes new into it.
        All(map).ShouldBe(before);
        map.GetProperty("deciders")
            .EnumerateArray()
            .Select(d => d.GetProperty("key").GetString())
            .ShouldContain("CAPS");
        Lands(await CellsAsync(nora, entity, "&open=g:CAPS"), "g:CAPS", "none").ShouldBe("4020");
        Find(".donebox .link").SendKeys(Keys.Enter);
        wait.Until(b => b.FindElement(By.CssSelector(".donebox")).Text.Contains("Undone", StringComparison.Ordinal));
        map = await CellsAsync(nora, entity);
        All(map).ShouldBe(before);
        var opened = await CellsAsync(nora, entity, "&open=g:CAPS");
        Lands(opened, "g:CAPS", "none").ShouldBe("4880");
        Lands(opened, "r:CAP-7", "none").ShouldBe("4020");
    }
}
