using System.Net;
using System.Text.RegularExpressions;
using static Assignum.Web.Tests.PageClient;

namespace Assignum.Web.Tests;

/// <summary>Whatever an entry, a ladder or a record names has a page of its own, one link away; what is not there any
/// more says so, and where it went.</summary>
[Collection(AppCollection.Name)]
public partial class NamedThings(RunningApp app)
{
    private static CancellationToken Stop => TestContext.Current.CancellationToken;

    [GeneratedRegex("href=\"(/e/SKERROW/(chart|record|ladders|tax|group|journal|editions)[^\"#]*)\"")]
    private static partial Regex Links();

    private static List<string> LinksOf(string page) =>
        [.. Links().Matches(page).Select(m => WebUtility.HtmlDecode(m.Groups[1].Value)).Distinct()];

    [Fact]
    public async Task Every_link_of_entries_of_all_kinds_leads_somewhere()
    {
        using var client = await app.SignedInAsync("iris");
        var followed = new Dictionary<string, string>();
        foreach (
            var kind in new[]
            {
                "sales-invoice",
                "supplier-invoice",
                "goods-received",
                "goods-shipped",
                "customer-payment",
                "opening",
            }
        )
        {
            var journal = await client.GetStringAsync($"/e/SKERROW/journal?q={kind}", Stop);
            var entry = LinksOf(journal).First(l => Regex.IsMatch(l, @"/journal/\d"));
            var page = await client.GetStringAsync(entry, Stop);
            var links = LinksOf(page);
            // Each line's account and purpose at the least.
            links.ShouldContain(l => l.StartsWith("/e/SKERROW/chart/", StringComparison.Ordinal), entry);
            foreach (var link in links)
                followed.TryAdd(link, entry);
        }
        foreach (var what in new[] { "/record/item/", "/record/party/", "/ladders/", "/group/" })
            followed.Keys.ShouldContain(l => l.Contains(what, StringComparison.Ordinal), what);
        foreach (var (link, on) in followed)
        {
            using var answer = await client.GetAsync(link, Stop);
            ((int)answer.StatusCode).ShouldBeOneOf([200, 302], $"{link} on {on}");
        }
    }

    [Fact]
    public async Task A_record_says_what_it_is_where_it_lands_and_what_was_made_of_it()
    {
        var entity = await app.EntityAsync("NAMED");
        using var client = await app.SignedInAsync("nora");
        var page = $"/e/{entity}/record/item/RG-100";
        var before = WebUtility.HtmlDecode(await client.GetStringAsync(page, Stop));
        before.ShouldContain("The accounts of its life");
        before.ShouldContain($"href=\"/e/{entity}/group/item/");
        before.ShouldContain("Nothing was posted that names it.");

        // The name is changed in place; the history has both, and who.
        string Was(string column) =>
            WebUtility.HtmlDecode(
                Regex.Match(before, $"name=\"was\\.{column}\" value=\"([^\"]*)\"") is { Success: true } m
                    ? m.Groups[1].Value
                    : ""
            );
        var columns = Core.Tables.Parts.Items.Columns.Select(c => c.Name).ToList();
        var fields = columns
            .Select(c => ("was." + c, Was(c)))
            .Concat(columns.Select(c => ("new." + c, c == "name" ? "Rain gauge, tall" : Was(c))))
            .Append(("reason", "as on the label"))
            .ToArray();
        var (status, _) = await client.SendAsync(page, "", fields);
        status.ShouldBe(HttpStatusCode.Redirect);
        var after = WebUtility.HtmlDecode(await client.GetStringAsync(page, Stop));
        after.ShouldContain($"{Was("name")} → Rain gauge, tall");
        after.ShouldContain("as on the label");
        after.ShouldContain("Nora");

        // The same form once more was made of what is no longer there: told, and nothing is lost.
        var (second, said) = await client.SendAsync(page, "", fields);
        second.ShouldBe(HttpStatusCode.UnprocessableEntity);
        said.ShouldContain("Rain gauge, tall");

        // A form of another record changes nothing.
        (await client.SendAsync($"/e/{entity}/record/item/BAR-210", "", fields)).Status.ShouldBe(
            HttpStatusCode.UnprocessableEntity
        );
    }

    [Fact]
    public async Task Entries_are_found_by_the_records_that_their_lines_name()
    {
        using var client = await app.SignedInAsync("iris");
        var page = await client.GetStringAsync("/e/SKERROW/journal?names=item:RG-100", Stop);
        page.ShouldContain("Only entries that name");
        var entries = LinksOf(page).Where(l => Regex.IsMatch(l, @"/journal/\d")).ToList();
        entries.Count.ShouldBeGreaterThan(0);
        foreach (var entry in entries.Take(3))
            (await client.GetStringAsync(entry, Stop)).ShouldContain("/record/item/RG-100");
        // What is no kind of record narrows nothing and breaks nothing.
        foreach (var odd in new[] { "item", "item:", "line:1", "account:4010", ":", "item:'; drop table entry; --" })
            (await client.GetAsync($"/e/SKERROW/journal?names={Uri.EscapeDataString(odd)}", Stop)).StatusCode.ShouldBe(
                HttpStatusCode.OK,
                odd
            );
    }

    [Fact]
    public async Task A_party_and_a_project_lead_to_their_groups_and_to_each_other()
    {
        var setUp = Core.Tables.Parts.Projects;
        using var client = await app.SignedInAsync("iris");
        var parties = await client.GetStringAsync("/e/SKERROW/groups/parties?handler=List&format=csv", Stop);
        var shop = parties.Split('\n').First(l => l.Contains(",customer,", StringComparison.Ordinal)).Split(',')[0];
        var page = await client.GetStringAsync($"/e/SKERROW/record/party/{shop}", Stop);
        var group = LinksOf(page).Single(l => l.Contains("/group/customer/", StringComparison.Ordinal));
        (await client.GetStringAsync(group, Stop)).ShouldContain("customer group");
        var projects = await client.GetStringAsync("/e/SKERROW/groups/projects?handler=List&format=csv", Stop);
        var at = setUp.Columns.ToList().FindIndex(c => c.Name == "customer");
        foreach (var row in projects.Trim().Split('\n').Skip(1).Select(l => l.Split(',')).Where(r => r[at].Length > 0))
            LinksOf(await client.GetStringAsync($"/e/SKERROW/record/project/{row[0]}", Stop))
                .ShouldContain($"/e/SKERROW/record/party/{row[at]}");
    }

    [Fact]
    public async Task What_is_not_there_says_so_and_names_what_is_near()
    {
        using var client = await app.SignedInAsync("iris");
        using var answer = await client.GetAsync("/e/SKERROW/record/item/RG-10", Stop);
        answer.StatusCode.ShouldBe(HttpStatusCode.NotFound);
        var said = await answer.Content.ReadAsStringAsync(Stop);
        said.ShouldContain("There is no item");
        said.ShouldContain("/e/SKERROW/record/item/RG-100");
        // In the frame: the rail is there.
        said.ShouldContain("/e/SKERROW/chart");
        (await client.GetAsync("/e/SKERROW/record/nothing/RG-100", Stop)).StatusCode.ShouldBe(HttpStatusCode.NotFound);
        // A viewer reads, and changes nothing.
        (await client.GetStringAsync("/e/SKERROW/record/item/RG-100", Stop)).ShouldNotContain("Change it");
    }

    [Fact]
    public async Task A_rung_looked_at_in_vain_is_where_an_assignment_is_begun()
    {
        using var client = await app.SignedInAsync("nora");
        const string asked = "/e/SKERROW/explain?purpose=sales-revenue&item=RG-100";
        var page = WebUtility.HtmlDecode(await client.GetStringAsync(asked, Stop));
        var here = Regex
            .Matches(page, "class=\"here\" href=\"([^\"]+)\"")
            .Select(m => m.Groups[1].Value)
            .Single(l => l.EndsWith("begin=item%3ARG-100", StringComparison.Ordinal));
        // The grid has the key and waits for the account.
        WebUtility
            .HtmlDecode(await client.GetStringAsync(here, Stop))
            .ShouldContain("data-begin=\"[{\"item\":\"RG-100\"}]\"");
        // What decides now is one link away too.
        var change = Regex.Match(page, "href=\"([^\"]+)\">change<").Groups[1].Value;
        (await client.GetStringAsync(change, Stop)).ShouldContain("data-number=");
        // A viewer is offered neither.
        using var iris = await app.SignedInAsync("iris");
        (await iris.GetStringAsync(asked, Stop)).ShouldNotContain("class=\"here\"");
    }
}
