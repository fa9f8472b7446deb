using System.Net;
using System.Text;
using System.Text.Json.Nodes;

namespace Assignum.Web.Tests;

/// <summary>Systems that run beside the old way before they go live, ledgers that get files, files that lie in a folder,
/// and documents that come after what names them.</summary>
public sealed class BesideAndByFile(LinkedApp app) : IClassFixture<LinkedApp>, IAsyncLifetime
{
    private HttpClient client = null!;
    private ToldSystems told = null!;
    private LinkedBooks books = null!;
    private static int made;

    private static CancellationToken Stop => TestContext.Current.CancellationToken;

    public async ValueTask InitializeAsync()
    {
        client = app.Client();
        told = await ToldSystems.StartAsync(app.Port);
        books = new LinkedBooks(client, app.Port);
    }

    public async ValueTask DisposeAsync()
    {
        client.Dispose();
        await told.DisposeAsync();
    }

    private static string Day(int back = 0) => DateTime.UtcNow.AddDays(-back).ToString("yyyy-MM-dd");

    private static string Sale(string id, int back = 0, string item = "BK-1", string reference = "") =>
        $$"""
            {"id":"{{id}}","kind":"sales-invoice","date":"{{Day(back)}}","reference":"{{(
                reference.Length > 0 ? reference : id
            )}}","party":"SCH-LOUGH",
              "location":"CORK","lines":[{"item":"{{item}}","quantity":2,"unitPrice":10.00}]}
            """;

    private async Task<(string Code, ToldSystems.System Of)> ShopAsync()
    {
        var number = Interlocked.Increment(ref made);
        var code = $"BES-{number}";
        var of = told.Add($"bes{number}", "shop");
        await books.JoinAsync(code, $"bes{number}", "shop");
        await books.PairAsync(
            code,
            ("party", "SCH-LOUGH", "SCH-LOUGH"),
            ("item", "BK-1", "BK-1"),
            ("location", "CORK", "CORK")
        );
        return (code, of);
    }

    private async Task<HttpResponseMessage> UploadAsync(string path, string body, string type) =>
        await client.PostAsync("/api/v1/entities/SKERROW" + path, new StringContent(body, Encoding.UTF8, type), Stop);

    [Fact]
    public async Task A_shop_runs_beside_the_old_way_and_each_difference_has_its_cause()
    {
        var (code, of) = await ShopAsync();
        (await books.SendAsync(HttpMethod.Get, $"/connections/{code}/parallel", null, HttpStatusCode.Conflict))
            .ToJsonString()
            .ShouldContain("not-parallel");
        await books.PostAsync($"/connections/{code}/parallel", new { from = Day(3) });
        of.Tells(Sale("W0", 6));
        of.Tells(Sale("W1", 2));
        of.Tells(Sale("W2", 2));
        of.Tells(Sale("W3", 1, "CUP"));
        // It is fed by itself; nothing posts.
        await books.AskAsync(code);
        await books.BecomesAsync(code, "W3", "received");
        async Task<Dictionary<string, JsonNode>> AccountsAsync(int back)
        {
            var days = (await books.GetAsync($"/connections/{code}/parallel?day={Day(back)}")).AsArray();
            return days.Count == 0
                ? []
                : days[0]!["accounts"]!.AsArray().ToDictionary(a => (string)a!["account"]!, a => a!);
        }
        var first = await AccountsAsync(2);
        // Two sales of 2 at 10.00, free of tax: what is owed, and what was earned.
        first.Values.Select(a => (decimal)a["here"]!).Order().ShouldBe([-40m, 40m]);
        var (owed, earned) = (
            first.First(a => (decimal)a.Value["here"]! > 0).Key,
            first.First(a => (decimal)a.Value["here"]! < 0).Key
        );
        var days = (await books.GetAsync($"/connections/{code}/parallel")).AsArray();
        days.Count.ShouldBe(2);
        ((int)days[1]!["waiting"]!).ShouldBe(1);
        ((string)days[1]!["reasons"]![0]!["code"]!).ShouldBe("unpaired");

        var other = LinkedBooks.Accounts.First(a => a != owed && a != earned);
        using var taken = await UploadAsync(
            $"/connections/{code}/parallel/booked",
            $"""
            date,account,document,amount
            {Day(2)},{owed},W1,20.00
            {Day(2)},{earned},W1,-20.00
            {Day(2)},{owed},W2,20.00
            {Day(2)},{other},W2,-20.00
            {Day(1)},{owed},W3,20.00
            {Day(1)},{earned},W3,-20.00
            """,
            "text/csv"
        );
        taken.StatusCode.ShouldBe(HttpStatusCode.Created, await taken.Content.ReadAsStringAsync(Stop));
        var compared = await AccountsAsync(2);
        ((decimal)compared[owed]["difference"]!).ShouldBe(0m);
        compared[earned]["causes"]!
            .ToJsonString()
            .ShouldBe(
                "[{\"cause\":\"other-account\",\"amount\":-20,\"count\":1,\"documents\":[{\"document\":\"W2\","
                    + "\"amount\":-20,\"other\":\""
                    + other
                    + "\"}]}]"
            );
        ((string)compared[other]["causes"]![0]!["documents"]![0]!["other"]!).ShouldBe(earned);
        ((string)(await AccountsAsync(1))[owed]["causes"]![0]!["cause"]!).ShouldBe("waits");
        // Paired, it is rehearsed anew, and the day agrees.
        await books.PairAsync(code, ("item", "CUP", "BK-1"));
        (await AccountsAsync(1)).Values.ShouldAllBe(a => (decimal)a["difference"]! == 0m);
        // A list of nonsense changes nothing.
        using var wrong = await UploadAsync(
            $"/connections/{code}/parallel/booked",
            $"[{{\"date\":\"{Day(2)}\",\"account\":\"99999\",\"amount\":1}},{{\"account\":\"{owed}\",\"amount\":1}}]",
            "application/json"
        );
        wrong.StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);
        (await wrong.Content.ReadAsStringAsync(Stop)).ShouldContain("unknown-account");
        (await wrong.Content.ReadAsStringAsync(Stop)).ShouldContain("missing-field");
        ((string)(await AccountsAsync(2))[other]["causes"]![0]!["cause"]!).ShouldBe("other-account");
        // Nothing was posted all the while; live, it is over.
        (await books.EventsAsync(code)).Values.ShouldAllBe(e => (string)e["state"]! == "received");
        await books.LiveAsync(code, Day(3));
        await books.BecomesAsync(code, "W3", "posted");
        (await books.GetAsync($"/connections/{code}"))["parallelFrom"].ShouldBeNull();
    }

    [Fact]
    public async Task What_was_booked_by_hand_in_a_ledger_is_the_old_way_of_all_that_run_beside_it()
    {
        var (code, of) = await ShopAsync();
        var number = Interlocked.Increment(ref made);
        var ledger = told.Add($"old{number}", "ledger");
        await books.JoinAsync($"OLD-{number}", $"old{number}", "ledger");
        await books.PairAsync($"OLD-{number}", [.. LinkedBooks.Accounts.Select(a => ("account", "T" + a, a))]);
        await books.PostAsync($"/connections/{code}/parallel", new { from = Day(3) });
        await books.PostAsync($"/connections/OLD-{number}/parallel", new { from = Day(3) });
        of.Tells(Sale($"X{number}", 1));
        await books.AskAsync(code);
        await books.BecomesAsync(code, $"X{number}", "received");
        var here = (await books.GetAsync($"/connections/{code}/parallel"))[0]!["accounts"]!.AsArray();
        lock (ledger.Journals)
            ledger.Journals.Add(
                (JsonObject)
                    JsonNode.Parse(
                        $$"""
                        {"id":"H1","origin":"hand","state":"posted","date":"{{Day(1)}}","number":"H1","text":"by hand",
                          "reference":"X{{number}}","lines":[
                          {"account":"T{{(string)here[0]!["account"]!}}","debit":{{Math.Max(
                            0,
                            (decimal)here[0]!["here"]!
                        )}},"credit":{{Math.Max(0, -(decimal)here[0]!["here"]!)}}}]}
                        """
                    )!
            );
        await books.PostAsync($"/connections/OLD-{number}/ask", null, HttpStatusCode.Accepted);
        var day = await LinkedBooks.UntilAsync<JsonNode>(
            async () =>
            {
                await books.PostAsync($"/connections/OLD-{number}/parallel", new { from = Day(3) });
                var found = (await books.GetAsync($"/connections/OLD-{number}/parallel?day={Day(1)}")).AsArray();
                return found.Count > 0 && found[0]!["accounts"]!.AsArray().Any(a => (decimal)a!["there"]! != 0)
                    ? found[0]
                    : null;
            },
            "its journal was not read"
        );
        // Its own accounts, with their names; one agrees, the other was not booked.
        var accounts = day["accounts"]!.AsArray();
        ((string)accounts.First(a => (decimal)a!["there"]! != 0)!["name"]!).ShouldStartWith("Theirs ");
        accounts
            .Where(a => (decimal)a!["difference"]! != 0)
            .SelectMany(a => a!["causes"]!.AsArray())
            .Select(c => (string)c!["cause"]!)
            .Distinct()
            .ShouldBe(["only-here"]);
    }

    [Fact]
    public async Task A_ledger_without_an_interface_gets_numbered_files_and_says_what_became_of_them()
    {
        var code = $"FIL-{Interlocked.Increment(ref made)}";
        await books.PostAsync(
            "/connections",
            new
            {
                code,
                kind = "ledger",
                name = "Old books",
                sendsBy = "file",
            },
            HttpStatusCode.Created
        );
        await books.PairAsync(code, [.. LinkedBooks.Accounts.Select(a => ("account", "T" + a, a))]);
        await books.PostAsync($"/connections/{code}/live", new { from = Day() });
        JsonNode Till(string id) =>
            JsonNode.Parse(
                Sale($"{code}-{id}").Replace("{\"id\"", "{\"source\":\"till\",\"id\"", StringComparison.Ordinal)
            )!;
        await books.PostAsync("/events", new JsonArray(Till("F1"), Till("F2")));
        var run = await books.PostAsync($"/connections/{code}/runs", null, HttpStatusCode.Created);
        ((int)run["number"]!).ShouldBe(1);
        ((int)run["open"]!).ShouldBe((int)run["journals"]!);
        var body = (await books.GetAsync($"/connections/{code}/runs/1")).AsArray();
        body.Count.ShouldBe((int)run["journals"]!);
        body.ShouldAllBe(j => j!["lines"]!.AsArray().Sum(l => (decimal)l!["debit"]! - (decimal)l["credit"]!) == 0);
        var csv = await client.GetStringAsync($"/api/v1/entities/SKERROW/connections/{code}/runs/1?format=csv", Stop);
        csv.ShouldStartWith("key,date,number,");
        csv.ShouldBe(
            await client.GetStringAsync($"/api/v1/entities/SKERROW/connections/{code}/runs/1?format=csv", Stop)
        );
        csv.TrimEnd().Split('\n').Length.ShouldBe(1 + body.Sum(j => j!["lines"]!.AsArray().Count));
        // What is in a file is in no other, and nobody sends it again by hand.
        (await books.PostAsync($"/connections/{code}/runs", null, HttpStatusCode.Conflict))
            .ToJsonString()
            .ShouldContain("nothing-new");
        var keys = body.Select(j => (string)j!["key"]!).ToList();
        var ours = body.Where(j => ((string)j!["reference"]!).StartsWith(code, StringComparison.Ordinal)).ToList();
        ours.Count.ShouldBe(2);

        using var nonsense = await UploadAsync(
            $"/connections/{code}/runs/1/confirmation",
            $"key,id,why\n{keys[0]},J1,\nnobody,J2,\n{keys[0]},J3,\n{keys[^1]},,\n",
            "text/csv"
        );
        nonsense.StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);
        var problems = await nonsense.Content.ReadAsStringAsync(Stop);
        foreach (var problem in new[] { "unknown-key", "twice", "missing-field" })
            problems.ShouldContain(problem);
        // One was refused, of the last nothing is said yet.
        var refused = (string)ours[0]!["key"]!;
        var last = (string)ours[1]!["key"]!;
        var done = await books.PostAsync(
            $"/connections/{code}/runs/1/confirmation",
            new JsonArray([
                .. keys.Where(k => k != last)
                    .Select(k =>
                        k == refused
                            ? new JsonObject { ["key"] = k, ["why"] = "account is blocked" }
                            : new JsonObject { ["key"] = k, ["id"] = "J-" + k }
                    ),
            ])
        );
        (((int)done["refused"]!), ((int)done["open"]!)).ShouldBe((1, 1));
        var journals = (await books.GetAsync($"/connections/{code}/journals?limit=1000")).AsArray();
        ((string)journals.Single(j => (string)j!["key"]! == refused)!["state"]!).ShouldBe("dead");
        await books.PostAsync(
            $"/connections/{code}/runs/1/confirmation",
            new JsonArray(new JsonObject { ["key"] = last, ["id"] = "J9" })
        );
        (await books.GetAsync($"/connections/{code}/runs"))[0]!["confirmedBy"].ShouldNotBeNull();
        // The account was freed there: it goes into the next file, as the same journal.
        await books.PostAsync(
            $"/connections/{code}/journals/act",
            new { rows = new[] { (long)journals.Single(j => (string)j!["key"]! == refused)!["row"]! }, @do = "retry" }
        );
        await books.PostAsync($"/connections/{code}/runs", null, HttpStatusCode.Created);
        var second = (await books.GetAsync($"/connections/{code}/runs/2")).AsArray();
        second.Single()!.ToJsonString().ShouldBe(body.First(j => (string)j!["key"]! == refused)!.ToJsonString());
        (await books.GetAsync($"/connections/{code}/runs/1")).ToJsonString().ShouldBe(body.ToJsonString());
        await books.PostAsync(
            $"/connections/{code}/runs/2/confirmation",
            new JsonArray(new JsonObject { ["key"] = refused, ["id"] = "J10" })
        );
        await books.PostAsync($"/connections/{code}/close");
    }

    [Fact]
    public async Task Files_laid_into_a_folder_are_taken_once_and_only_from_where_the_server_allows()
    {
        var code = $"DIR-{Interlocked.Increment(ref made)}";
        foreach (var nowhere in new[] { "/etc", "not/whole", app.Folder + "/../", app.Folder + "/none" })
            (
                await books.PostAsync(
                    "/connections",
                    new
                    {
                        code,
                        kind = "files",
                        name = "Laid there",
                        folder = nowhere,
                    },
                    HttpStatusCode.UnprocessableEntity
                )
            ).ToJsonString().ShouldContain("folder");
        var folder = Directory.CreateDirectory(Path.Combine(app.Folder, code));
        void Lay(string name, string text)
        {
            var path = Path.Combine(folder.FullName, name);
            File.WriteAllText(path, text);
            File.SetLastWriteTimeUtc(path, DateTime.UtcNow.AddMinutes(-1));
        }
        Lay("one.ndjson", Sale("L1").ReplaceLineEndings(" ") + "\n");
        Lay("same again.ndjson", Sale("L1").ReplaceLineEndings(" ") + "\n");
        Lay("broken.xml", "<!DOCTYPE x [<!ENTITY e SYSTEM 'file:///etc/passwd'>]><x>&e;</x>");
        Lay("half.ndjson.part", "{");
        await books.PostAsync(
            "/connections",
            new
            {
                code,
                kind = "files",
                name = "Laid there",
                folder = folder.FullName,
            },
            HttpStatusCode.Created
        );
        await books.BecomesAsync(code, "L1", "received");
        var stands = await LinkedBooks.UntilAsync<JsonNode>(
            async () =>
                await books.GetAsync($"/connections/{code}") is { } now && now["trouble"] is not null ? now : null,
            "what is wrong is not said"
        );
        ((string)stands["trouble"]!).ShouldContain("broken.xml");
        (await books.GetAsync($"/connections/{code}/files")).AsArray().Count.ShouldBe(1);
        File.Delete(Path.Combine(folder.FullName, "broken.xml"));
    }

    [Fact]
    public async Task What_a_system_lists_is_fetched_and_what_waits_here_is_a_cause_of_its_own()
    {
        var (code, of) = await ShopAsync();
        await books.LiveAsync(code, Day(10));
        of.Tells(Sale("Q1", reference: code + "-Q1"));
        of.Tells(Sale("Q2", item: "CUP", reference: code + "-Q2"));
        await books.AskAsync(code);
        await books.BecomesAsync(code, "Q1", "posted");
        await books.BecomesAsync(code, "Q2", "waiting");
        JsonNode Row(string document, decimal amount, string party = "SCH-LOUGH") =>
            new JsonObject
            {
                ["party"] = party,
                ["document"] = $"{code}-{document}",
                ["amount"] = amount,
                ["colour"] = "no column of a list",
            };
        of.Lists["receivables"] = new JsonArray(Row("Q1", 20), Row("Q2", 20), Row("Q3", 7), Row("Q4", 3, "STRANGER"));
        var fetched = await books.PostAsync($"/tie-outs/lists/fetch?at={Day()}&control=receivables");
        ((int)fetched["lists"]!.AsArray().Single(l => (string)l!["connection"]! == code)!["rows"]!).ShouldBe(4);
        var tie = await books.GetAsync($"/tie-outs/receivables?at={Day()}");
        var causes = tie["theirsCauses"]!
            .AsArray()
            .ToDictionary(c => (string)c!["cause"]!, c => (decimal)c!["amount"]!);
        // Of ours less theirs: one waits, two are only there, one of a customer that is not paired.
        (causes["waiting"], causes["only-theirs"]).ShouldBe((-20m, -10m));
        causes.Values.Sum().ShouldBe((decimal)tie["theirsDifference"]!);
        await books.PairAsync(code, ("item", "CUP", "BK-1"));
        await books.BecomesAsync(code, "Q2", "posted");
        (await books.GetAsync($"/tie-outs/receivables?at={Day()}"))["theirsCauses"]!
            .ToJsonString()
            .ShouldNotContain("waiting");
    }

    [Fact]
    public async Task A_document_that_comes_after_all_proposes_what_was_posted_without_it()
    {
        var (code, of) = await ShopAsync();
        var (other, brings) = await ShopAsync();
        await books.LiveAsync(code, Day(10));
        await books.LiveAsync(other, Day(10));
        of.Tells(
            $$"""
            {"id":"N1","kind":"sales-credit-note","date":"{{Day(
                5
            )}}","reference":"{{code}}-N1","corrects":"{{code}}-INV",
              "party":"SCH-LOUGH","location":"CORK","lines":[{"item":"BK-1","quantity":1,"unitPrice":10.00}]}
            """
        );
        await books.AskAsync(code);
        ((bool)(await books.BecomesAsync(code, "N1", "posted"))["unmatched"]!).ShouldBeTrue();
        var waits = (await books.GetAsync($"/connections/{code}/unmatched"))[0]!;
        ((bool)waits["came"]!).ShouldBeFalse();
        await books.PostAsync(
            $"/connections/{code}/unmatched/allocate",
            new { rows = new[] { (long)waits["row"]! } },
            HttpStatusCode.Conflict
        );
        brings.Tells(Sale("I1", 5, reference: $"{code}-INV"));
        await books.AskAsync(other);
        await books.BecomesAsync(other, "I1", "posted");
        var came = (await books.GetAsync($"/connections/{code}/unmatched"))[0]!;
        // 10.00 of the invoice of 20.00.
        came["proposes"]
            .ShouldNotBeNull(came.ToJsonString())
            .AsArray()
            .Select(p => ((string)p!["reference"]!, (decimal)p["amount"]!))
            .ShouldBe([($"{code}-INV", 10m), ($"{code}-N1", -10m)]);
        await books.PostAsync($"/connections/{code}/unmatched/allocate", new { rows = new[] { (long)came["row"]! } });
        var after = (await books.GetAsync($"/connections/{code}/unmatched"))[0]!;
        ((string)after["allocated"]!).ShouldStartWith("own/");
        after["proposes"].ShouldBeNull();
        var open = await books.GetAsync("/subledgers/receivables?open=true&limit=1000");
        open.ToJsonString().ShouldNotContain($"{code}-N1");
    }
}
