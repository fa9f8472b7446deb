using System.Net;
using System.Text;
using System.Text.Json;
using Assignum.Core.Records;
using Assignum.Core.Tables;
using CsCheck;
using OpenQA.Selenium;
using static Assignum.Web.Tests.PageClient;

namespace Assignum.Web.Tests;

/// <summary>Assignments, ladders, coverage and dead weight as pages and over the interface: what they take and
/// refuse.</summary>
[Collection(AppCollection.Name)]
public sealed class AssignmentPages(RunningApp app)
{
    private static CancellationToken Stop => TestContext.Current.CancellationToken;

    private static async Task<(HttpStatusCode Status, string Said)> EditAsync(
        HttpClient client,
        string page,
        object content,
        string handler = "Edit"
    )
    {
        using var request = new HttpRequestMessage(HttpMethod.Post, $"{page}?handler={handler}")
        {
            Content = new StringContent(JsonSerializer.Serialize(content), Encoding.UTF8, "application/json"),
        };
        request.Headers.Add("X-Form-Token", await TokenAsync(client, page));
        using var answer = await client.SendAsync(request, Stop);
        return (answer.StatusCode, WebUtility.HtmlDecode(await answer.Content.ReadAsStringAsync(Stop)));
    }

    [Fact]
    public async Task Coverage_over_the_interface_adds_up_and_says_what_falls_to_a_tripwire()
    {
        using var client = app.Client();
        using var answer = JsonDocument.Parse(
            await client.GetStringAsync("/api/v1/entities/SKERROW/coverage?edition=1", Stop)
        );
        foreach (var purpose in answer.RootElement.EnumerateArray())
            purpose
                .GetProperty("by")
                .EnumerateObject()
                .Sum(b => b.Value.GetDecimal())
                .ShouldBe(purpose.GetProperty("combinations").GetDecimal(), purpose.GetProperty("purpose").GetString());
        answer
            .RootElement.EnumerateArray()
            .Single(p => p.GetProperty("purpose").GetString() == "sales-revenue")
            .GetProperty("by")
            .GetProperty("tripwire")
            .GetDecimal()
            .ShouldBeGreaterThan(0);
    }

    [Theory]
    [InlineData("/assignments", "new:1", "purpose", "no-such-purpose", "is no purpose")]
    [InlineData("/groups/items", "RG-100", "group", "NOWHERE", "there is no item group NOWHERE")]
    [InlineData("/groups/item-groups", "item|INSTR", "parent", "RAIN", "stands under itself")]
    [InlineData("/life-cycle/item-groups", "stock", "NOWHERE", "1410", "There is no item-group NOWHERE")]
    [InlineData(
        "/life-cycle/item-groups",
        "receivables",
        "INSTR",
        "1210",
        "receivables has no rung item-group; the nearest is"
    )]
    public async Task A_cell_that_cannot_be_is_refused_with_the_reason(
        string page,
        string row,
        string column,
        string value,
        string reason
    )
    {
        using var nora = await app.SignedInAsync("nora");
        var (status, said) = await EditAsync(
            nora,
            "/e/SKERROW" + page,
            new
            {
                edits = new[]
                {
                    new
                    {
                        number = row,
                        column,
                        was = (string?)null,
                        value,
                    },
                },
            }
        );
        status.ShouldBe(HttpStatusCode.UnprocessableEntity, said);
        JsonDocument
            .Parse(said)
            .RootElement.GetProperty("faults")
            .EnumerateArray()
            .Select(f => f.GetProperty("message").GetString()!)
            .ShouldContain(m => m.Contains(reason, StringComparison.Ordinal), said);
    }

    [Fact]
    public async Task A_viewer_looks_and_changes_nothing_and_a_row_changed_meanwhile_is_not_taken_away()
    {
        await app.EntityAsync("ASK");
        using var iris = await app.SignedInAsync("iris");
        foreach (
            var page in new[]
            {
                "/assignments",
                "/groups/items",
                "/life-cycle/items",
                "/ladders/stock",
                "/coverage?purpose=sales-revenue",
                "/dead-weight",
                "/explain?item=RG-100",
                "/editions",
                "/assignments?group=INSTR&q=schools",
            }
        )
            (await iris.GetAsync("/e/SKERROW" + page, Stop)).StatusCode.ShouldBe(HttpStatusCode.OK, page);
        (
            await EditAsync(
                iris,
                "/e/SKERROW/editions",
                new
                {
                    edits = new[]
                    {
                        new
                        {
                            number = "RG-100",
                            column = "name",
                            value = "x",
                        },
                    },
                }
            )
        ).Status.ShouldNotBe(HttpStatusCode.OK);
        using var nora = await app.SignedInAsync("nora");
        (
            await EditAsync(
                nora,
                "/e/ASK/groups/items",
                new { gone = new[] { new { number = "RG-100", stamp = "0011223344556677" } } }
            )
        ).ShouldSatisfyAllConditions(
            a => a.Status.ShouldBe(HttpStatusCode.Conflict),
            a => a.Said.ShouldContain("somebody else changed it")
        );
    }

    [Fact]
    public async Task Whatever_a_grid_sends_is_a_change_or_a_refusal_and_looking_changes_nothing()
    {
        await app.EntityAsync("FUZZY");
        using var nora = await app.SignedInAsync("nora");
        var random = new Random(11);
        string[] rows =
            ["new:1", "new:2", "sales-revenue||INSTR|||||||||||", "stock|", "||", "", "sales-revenue", "%", "new:"],
            columns = ["purpose", "account", "item", "item_group", "party", "note", "nothing", ""],
            values = ["sales-revenue", "4010", "INSTR", "RG-100", "", "\u0000", "=1+1", new string('x', 5000), "4099"];
        for (var i = 0; i < 60; i++)
        {
            var edits = Enumerable
                .Range(0, random.Next(0, 5))
                .Select(_ => new
                {
                    number = rows[random.Next(rows.Length)],
                    column = columns[random.Next(columns.Length)],
                    was = random.Next(3) == 0 ? values[random.Next(values.Length)] : null,
                    value = values[random.Next(values.Length)],
                })
                .ToArray();
            var (status, said) = await EditAsync(
                nora,
                "/e/FUZZY/assignments",
                new
                {
                    edits,
                    gone = random.Next(4) == 0
                        ? new[] { new { number = rows[random.Next(rows.Length)], stamp = "x" } }
                        : null,
                },
                i % 3 == 0 ? "Edit" : "Foresee"
            );
            ((int)status).ShouldBeLessThan(500, said);
        }
        using var admin = app.Client();
        (await admin.GetAsync("/api/v1/entities/FUZZY/bundle?edition=draft", Stop)).StatusCode.ShouldBe(
            HttpStatusCode.OK
        );
    }

    [Fact]
    public async Task A_pasted_block_of_100000_cells_is_stored_whole_or_every_wrong_cell_is_named()
    {
        await app.EntityAsync("BLOCK");
        using var nora = await app.SignedInAsync("nora");
        // 20,000 rows of five cells. Half the rows name what is not there, two have the same key, one an account that
        // does not suit.
        IEnumerable<object> Rows(Func<int, (string Item, string Account)> row) =>
            Enumerable
                .Range(1, 20_000)
                .SelectMany(i =>
                    new object[]
                    {
                        new
                        {
                            number = "new:" + i,
                            column = "purpose",
                            value = "sales revenue",
                        },
                        new
                        {
                            number = "new:" + i,
                            column = "item",
                            value = row(i).Item,
                        },
                        new
                        {
                            number = "new:" + i,
                            column = "party",
                            value = "PARTY-" + i,
                        },
                        new
                        {
                            number = "new:" + i,
                            column = "account",
                            value = row(i).Account,
                        },
                        new
                        {
                            number = "new:" + i,
                            column = "note",
                            value = "pasted",
                        },
                    }
                );
        var (status, said) = await EditAsync(
            nora,
            "/e/BLOCK/assignments",
            new
            {
                edits = Rows(i =>
                    (
                        i % 2 == 0 ? "NOWHERE-" + i : "RG-100",
                        i == 7 ? "1210"
                        : i == 9 ? "no such account"
                        : "Instruments, schools"
                    )
                ),
            }
        );
        status.ShouldBe(HttpStatusCode.UnprocessableEntity);
        var faults = JsonDocument
            .Parse(said)
            .RootElement.GetProperty("faults")
            .EnumerateArray()
            .Select(f => (Row: f.GetProperty("number").GetString()!, Column: f.GetProperty("column").GetString()!))
            .ToHashSet();
        faults.ShouldContain(("new:7", "account"));
        faults.ShouldContain(("new:9", "account"));
        faults.ShouldContain(("new:2", "item"));
        faults.Count(f => f.Column == "party").ShouldBe(20_000);
        // Parties that are there: all of it goes in, as one change.
        var parties = string.Concat(Enumerable.Range(1, 20_000).Select(i => $"PARTY-{i},Party {i},customer\r\n"));
        using (var client = app.Client())
            (
                await client.PostAsync(
                    "/api/v1/entities/BLOCK/bundle?apply=true&partial=true",
                    new ByteArrayContent(Zip(("parties.csv", Encoding.UTF8.GetBytes("code,name,kind\r\n" + parties)))),
                    Stop
                )
            ).EnsureSuccessStatusCode();
        (status, said) = await EditAsync(
            nora,
            "/e/BLOCK/assignments",
            new { edits = Rows(_ => ("RG-100", "Instruments, schools")) }
        );
        status.ShouldBe(HttpStatusCode.OK, said[..Math.Min(500, said.Length)]);
        JsonDocument.Parse(said).RootElement.GetProperty("rows").GetInt32().ShouldBe(20_000);
        // The same keys once more: they exist.
        (status, said) = await EditAsync(
            nora,
            "/e/BLOCK/assignments",
            new { edits = Rows(_ => ("RG-100", "4010")).Take(10) }
        );
        status.ShouldBe(HttpStatusCode.Conflict);
        said.ShouldContain("exists already");
        // More than a page takes is refused before it is looked at.
        (status, said) = await EditAsync(
            nora,
            "/e/BLOCK/assignments",
            new
            {
                edits = Enumerable
                    .Range(0, 120_001)
                    .Select(i => new
                    {
                        number = "new:1",
                        column = "note",
                        value = "x",
                    }),
            }
        );
        status.ShouldBe(HttpStatusCode.UnprocessableEntity);
        said.ShouldContain("bring them in as a file");
    }

    [Fact]
    public async Task A_ladder_that_cannot_be_is_refused_and_one_that_goes_takes_its_assignments_along_where_asked()
    {
        await app.EntityAsync("CLIMB");
        using var nora = await app.SignedInAsync("nora");
        (
            await nora.SendAsync("/e/CLIMB/ladders/stock", "", ("rung", "item"), ("add", "moon+item"))
        ).ShouldSatisfyAllConditions(
            a => a.Status.ShouldBe(HttpStatusCode.UnprocessableEntity),
            a => a.Said.ShouldContain("'moon' is no dimension")
        );
        (await nora.SendAsync("/e/CLIMB/ladders/stock", "", ("rung", "item"), ("rung", "item"))).Said.ShouldContain(
            "has the rung item twice"
        );
        (await nora.SendAsync("/e/CLIMB/ladders/stock", "", ("rung", "item"))).Said.ShouldContain(
            "stock has no rung item-group"
        );
        (await nora.SendAsync("/e/CLIMB/ladders/stock", "", ("rung", "item"), ("take", "true"))).Status.ShouldBe(
            HttpStatusCode.Redirect
        );
        (await nora.GetStringAsync("/e/CLIMB/ladders/stock", Stop)).ShouldContain("As shipped");
        (await nora.GetStringAsync("/e/CLIMB/assignments?purpose=stock", Stop)).ShouldNotContain(
            "data-value=\"INSTR\""
        );
    }
}

/// <summary>The life cycle, a ladder and dead weight by keys.</summary>
[Collection(OtherAppCollection.Name)]
public sealed class AssignmentsInTheBrowser(RunningApp app) : InBrowser(app)
{
    [Fact]
    public async Task A_group_gets_an_account_in_its_life_cycle_is_explained_and_dead_weight_goes_and_comes_back()
    {
        await App.EntityAsync("CYCLE");
        SignIn("nora");
        Go("/e/CYCLE/life-cycle/item-groups?under=INSTR");
        NothingSerious();
        // Inherited first; an account of its own by typing a part of a name.
        IWebElement Cell() => Find("tr[data-number='sales-revenue'] td[data-column='RAIN']");
        Cell().GetAttribute("class")!.ShouldContain("inherited");
        browser.ExecuteScript("arguments[0].focus()", Cell());
        Choose("4010");
        wait.Until(b => b.FindElement(By.Id("grid-waits")).Displayed);
        Chord(Keys.Control, "s");
        wait.Until(_ => Cell().GetAttribute("class")!.Contains("own", StringComparison.Ordinal));
        browser.ExecuteScript("arguments[0].focus()", Cell());
        Press(Keys.F8);
        wait.Until(b => b.Url.Contains("/explain", StringComparison.Ordinal));
        TextOf(".pane").ShouldContain("Why 4010");
        NothingSerious();

        // The same as what it inherits: it changes nothing, and goes as one change.
        Go("/e/CYCLE/dead-weight");
        TextOf("main").ShouldContain("Without it INSTR would give 4010 as well.");
        NothingSerious();
        Find("form[method=post] .btn-main").SendKeys(Keys.Enter);
        wait.Until(b => b.FindElement(By.CssSelector(".donebox")).Text.Contains("deleted", StringComparison.Ordinal));
        TextOf("main").ShouldNotContain("Without it INSTR");
        Find(".donebox button").SendKeys(Keys.Enter);
        wait.Until(b =>
            b.FindElement(By.CssSelector("main")).Text.Contains("Without it INSTR", StringComparison.Ordinal)
        );

        // A rung moved by keys is there in its new place before it is saved, and after.
        Go("/e/CYCLE/ladders/stock");
        NothingSerious();
        browser.ExecuteScript("document.querySelectorAll('#climb li[draggable]')[1].focus()");
        Chord(Keys.Alt, Keys.ArrowUp);
        wait.Until(b =>
            (string)((IJavaScriptExecutor)b).ExecuteScript("return document.querySelector('#climb input').value")!
            == "item"
        );
        Find("#ladder-form .btn-main").SendKeys(Keys.Enter);
        wait.Until(b =>
            b.FindElement(By.CssSelector(".donebox"))
                .Text.Contains("The ladder is changed in the draft", StringComparison.Ordinal)
        );
        TextOf("#climb li .name").ShouldBe("item");
        Go("/e/CYCLE/coverage?purpose=stock");
        NothingSerious();
    }
}
