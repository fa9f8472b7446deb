using System.Net;
using System.Net.Http.Json;
using System.Text;
using System.Text.Json;
using Assignum.Testing;
using CsCheck;

namespace Assignum.Web.Tests;

/// <summary>The HTTP interface as a connected system uses it.</summary>
[Collection(AppCollection.Name)]
public class HttpInterface(RunningApp app)
{
    private static CancellationToken Stop => TestContext.Current.CancellationToken;
    private static readonly int Times = Environment.GetEnvironmentVariable("ASSIGNUM_LONG") is null ? 1 : 40;

    private static StringContent Json(string json) => new(json, Encoding.UTF8, "application/json");

    private static async Task<JsonElement> ReadAsync(HttpResponseMessage answer) =>
        JsonDocument.Parse(await answer.Content.ReadAsStringAsync(Stop)).RootElement;

    private static string Sale(string id, string price = "100", string party = "SHOP-GALE") =>
        $$"""{"source":"shop","id":"{{id}}","kind":"sales-invoice","date":"2026-06-15","""
        + $$""" "reference":"{{id}}","party":"{{party}}","lines":[{"item":"RG-100","unitPrice":{{price}}}]}""";

    internal static async Task<HttpResponseMessage> UploadFolderAsync(
        HttpClient client,
        string entity,
        string folder,
        bool apply,
        string? change = null
    )
    {
        var bytes = new MemoryStream();
        using (var zip = new System.IO.Compression.ZipArchive(bytes, System.IO.Compression.ZipArchiveMode.Create, true))
            foreach (var file in Directory.GetFiles(folder, "*.csv"))
            {
                await using var to = zip.CreateEntry(Path.GetFileName(file)).Open();
                var text = await File.ReadAllTextAsync(file, Stop);
                if (change is not null && Path.GetFileName(file) == "accounts.csv")
                    text += change;
                await to.WriteAsync(Encoding.UTF8.GetBytes(text), Stop);
            }
        return await client.PostAsync(
            $"/api/v1/entities/{entity}/bundle?apply={(apply ? "true" : "false")}",
            new ByteArrayContent(bytes.ToArray()) { Headers = { { "Content-Type", "application/zip" } } },
            Stop
        );
    }

    [Theory]
    [
        InlineData("plain"),
        InlineData("separate-invoice-direct"),
        InlineData("unregistered"),
        InlineData("periodic"),
        InlineData("no-accrual")
    ]
    public async Task Every_worked_case_agrees_through_the_interface(string folder)
    {
        using var client = app.Client();
        var root = Path.Combine(ProjectFiles.Root, "tests", "examples", folder);
        // Each folder uses the same two codes; here they get codes of their own.
        var (own, other) = ("S-" + folder.ToUpperInvariant(), "N-" + folder.ToUpperInvariant());
        foreach (var (code, part) in new[] { (other, "counterparty"), (own, "bundle") })
        {
            (
                await client.PostAsJsonAsync(
                    "/api/v1/entities",
                    new
                    {
                        code,
                        name = code,
                        currency = "EUR",
                    },
                    Stop
                )
            ).StatusCode.ShouldBe(HttpStatusCode.Created);
            var copy = Directory.CreateTempSubdirectory("assignum");
            foreach (var file in Directory.GetFiles(Path.Combine(root, part)))
                await File.WriteAllTextAsync(
                    Path.Combine(copy.FullName, Path.GetFileName(file)),
                    (await File.ReadAllTextAsync(file, Stop)).Replace("BRSOUTH", own).Replace("BRNORTH", other),
                    Stop
                );
            (await UploadFolderAsync(client, code, copy.FullName, true)).StatusCode.ShouldBe(HttpStatusCode.OK);
            copy.Delete(true);
            (
                await client.PostAsJsonAsync(
                    $"/api/v1/entities/{code}/editions/publish",
                    new { from = "2025-01-01" },
                    Stop
                )
            ).StatusCode.ShouldBe(HttpStatusCode.OK);
        }
        var lines = (await File.ReadAllLinesAsync(Path.Combine(root, "events.ndjson"), Stop)).Select(l =>
            l.Replace("BRNORTH", other)
        );
        var answers = (
            await ReadAsync(
                await client.PostAsync(
                    $"/api/v1/entities/{own}/rehearsals",
                    Json("[" + string.Join(',', lines) + "]"),
                    Stop
                )
            )
        )
            .EnumerateArray()
            .ToList();
        var expected = await File.ReadAllLinesAsync(Path.Combine(root, "expected.ndjson"), Stop);
        (answers.Count, expected.Length).ShouldBe((80, 80));
        for (var i = 0; i < expected.Length; i++)
            Cases.Seen(answers[i]).ShouldBe(Cases.Expected(JsonDocument.Parse(expected[i]).RootElement), expected[i]);
    }

    [Fact]
    public async Task Events_post_one_an_array_or_lines_and_a_broken_line_does_not_stop_the_others()
    {
        using var client = app.Client();
        var one = await ReadAsync(await client.PostAsync("/api/v1/entities/SKERROW/events", Json(Sale("H-1")), Stop));
        one[0].GetProperty("outcome").GetString().ShouldBe("posted");
        one[0].GetProperty("event").GetProperty("id").GetString().ShouldBe("H-1");
        var body = string.Join(
            '\n',
            Sale("H-1"),
            Sale("H-2"),
            "{\"source\":\"shop\",",
            "",
            Sale("H-1", "101"),
            Sale("H-3", party: "NOBODY"),
            Sale("H-4")
        );
        var answer = await client.PostAsync(
            "/api/v1/entities/SKERROW/events",
            new StringContent(body, Encoding.UTF8, "application/x-ndjson"),
            Stop
        );
        answer.Content.Headers.ContentType!.MediaType.ShouldBe("application/x-ndjson");
        var rows = (await answer.Content.ReadAsStringAsync(Stop))
            .TrimEnd()
            .Split('\n')
            .Select(l => JsonDocument.Parse(l).RootElement)
            .ToList();
        rows.Select(r => (r.GetProperty("row").GetInt32(), r.GetProperty("outcome").GetString()))
            .ShouldBe([
                (1, "duplicate"),
                (2, "posted"),
                (3, "refused"),
                (4, "conflict"),
                (5, "refused"),
                (6, "posted"),
            ]);
        rows[2].GetProperty("errors")[0].GetProperty("code").GetString().ShouldBe("bad-json");
        rows[0].GetProperty("number").GetString().ShouldBe(one[0].GetProperty("number").GetString());
    }

    [Fact]
    public async Task A_rehearsal_stores_nothing_and_says_why_each_line_landed()
    {
        using var client = app.Client();
        var before = await client.GetStringAsync("/api/v1/entities/SKERROW/trial-balance", Stop);
        var answer = (
            await ReadAsync(
                await client.PostAsync(
                    "/api/v1/entities/SKERROW/rehearsals",
                    Json(Sale("R-1", party: "SCH-KERRY")),
                    Stop
                )
            )
        )[0];
        var entry = answer.GetProperty("entry");
        entry.GetProperty("number").ValueKind.ShouldBe(JsonValueKind.Null);
        var landing = entry
            .GetProperty("lines")
            .EnumerateArray()
            .Single(l => l.GetProperty("purpose").GetString() == "sales-revenue")
            .GetProperty("landing");
        landing.GetProperty("rung").GetString().ShouldBe("item-group+party-group");
        landing.GetProperty("key").GetProperty("party-group").GetString().ShouldBe("SCHOOLS");
        landing.GetProperty("tried").EnumerateArray().Last().GetProperty("outcome").GetString().ShouldBe("hit");
        (await client.GetStringAsync("/api/v1/entities/SKERROW/trial-balance", Stop)).ShouldBe(before);
    }

    [Fact]
    public async Task Entries_are_paged_and_found_by_their_event_and_account()
    {
        using var client = app.Client();
        var first = await client.GetAsync("/api/v1/entities/SKERROW/entries?limit=50", Stop);
        (await ReadAsync(first)).GetArrayLength().ShouldBe(50);
        var after = first.Headers.GetValues("X-Next-After").Single();
        var next = await ReadAsync(
            await client.GetAsync($"/api/v1/entities/SKERROW/entries?limit=1&after={after}", Stop)
        );
        next[0].GetProperty("number").GetString().ShouldBe("2026-000051");
        var source = next[0].GetProperty("event");
        var found = await ReadAsync(
            await client.GetAsync(
                $"/api/v1/entities/SKERROW/entries?source={source.GetProperty("source").GetString()}&"
                    + $"id={source.GetProperty("id").GetString()}",
                Stop
            )
        );
        found.GetArrayLength().ShouldBe(1);
        (await ReadAsync(await client.GetAsync("/api/v1/entities/SKERROW/entries?account=4030&limit=5", Stop)))
            .EnumerateArray()
            .ShouldAllBe(e =>
                e.GetProperty("lines").EnumerateArray().Any(l => l.GetProperty("account").GetString() == "4030")
            );
    }

    [Fact]
    public async Task The_trial_balance_balances_and_explain_names_the_rung()
    {
        using var client = app.Client();
        (await ReadAsync(await client.GetAsync("/api/v1/entities/SKERROW/trial-balance?at=2026-07-31", Stop)))
            .EnumerateArray()
            .Sum(r => r.GetProperty("balance").GetDecimal())
            .ShouldBe(0);
        var explained = await ReadAsync(
            await client.GetAsync("/api/v1/entities/SKERROW/explain?purpose=stock&item=BAR-210&location=UTRECHT", Stop)
        );
        explained.GetProperty("account").GetString().ShouldBe("1411");
        explained.GetProperty("landing").GetProperty("rung").GetString().ShouldBe("item-group+location");
    }

    [Fact]
    public async Task The_bundle_comes_back_the_same_and_a_stale_copy_is_refused()
    {
        using var client = app.Client();
        var export = await client.GetAsync("/api/v1/entities/SKERROW/bundle?edition=1", Stop);
        var zip = await export.Content.ReadAsByteArrayAsync(Stop);
        (await client.GetByteArrayAsync("/api/v1/entities/SKERROW/bundle?edition=1", Stop)).ShouldBe(zip);
        using var request = new HttpRequestMessage(HttpMethod.Post, "/api/v1/entities/SKERROW/bundle?apply=true")
        {
            Content = new ByteArrayContent(zip),
        };
        request.Headers.TryAddWithoutValidation("If-Match", "\"0-0-0-0\"");
        (await client.SendAsync(request, Stop)).StatusCode.ShouldBe(HttpStatusCode.PreconditionFailed);
        var preview = await ReadAsync(
            await client.PostAsync("/api/v1/entities/SKERROW/bundle", new ByteArrayContent(zip), Stop)
        );
        preview.GetProperty("applied").GetBoolean().ShouldBeFalse();
    }

    [Fact]
    public async Task A_bundle_edited_elsewhere_merges_with_newer_rows_and_says_what_conflicts()
    {
        using var client = app.Client();
        await app.EntityAsync("MERGING");
        async Task<JsonElement> BringAsync(string query, byte[] zip, HttpStatusCode status = HttpStatusCode.OK)
        {
            var answer = await client.PostAsync(
                "/api/v1/entities/MERGING/bundle?" + query,
                new ByteArrayContent(zip),
                Stop
            );
            answer.StatusCode.ShouldBe(status, await answer.Content.ReadAsStringAsync(Stop));
            return await ReadAsync(answer);
        }
        byte[] Rows(string file, string rows) => PageClient.Zip((file, Encoding.UTF8.GetBytes(rows)));
        byte[] Edit(byte[] zip, string file, string was, string @is) =>
            PageClient.Zip([
                .. new System.IO.Compression.ZipArchive(new MemoryStream(zip)).Entries.Select(e =>
                {
                    var text = new StreamReader(e.Open()).ReadToEnd();
                    if (e.Name == file)
                        text.ShouldContain(was);
                    return (e.Name, Encoding.UTF8.GetBytes(e.Name == file ? text.Replace(was, @is) : text));
                }),
            ]);

        var zip = await client.GetByteArrayAsync("/api/v1/entities/MERGING/bundle", Stop);
        await BringAsync("apply=true&partial=true", Rows("methods.csv", "code,name\nCHEQUE,Cheque\n"));
        await BringAsync(
            "apply=true&partial=true",
            Rows("accounts.csv", "number,name,class,kind\n4010,Instruments of all kinds,revenue,posting\n")
        );
        var name = new System.IO.Compression.ZipArchive(new MemoryStream(zip)).GetEntry("accounts.csv")!;
        var line = (await new StreamReader(name.Open()).ReadToEndAsync(Stop))
            .Split('\n')
            .First(l => l.StartsWith("4010,", StringComparison.Ordinal));
        var theirs = Edit(zip, "accounts.csv", line, line.Replace(line.Split(',')[1], "Instruments there"));

        var preview = await BringAsync("apply=false", theirs);
        var conflict = preview.GetProperty("conflicts").EnumerateArray().ShouldHaveSingleItem();
        (
            conflict.GetProperty("file").GetString(),
            conflict.GetProperty("key").GetString(),
            conflict.GetProperty("column").GetString(),
            conflict.GetProperty("here").GetString(),
            conflict.GetProperty("bundle").GetString()
        ).ShouldBe(("accounts.csv", "4010", "name", "Instruments of all kinds", "Instruments there"));
        preview
            .GetProperty("errors")
            .EnumerateArray()
            .ShouldHaveSingleItem()
            .GetProperty("code")
            .GetString()
            .ShouldBe("conflict");
        (await BringAsync("apply=true", theirs, HttpStatusCode.UnprocessableEntity))
            .GetProperty("errors")[0]
            .GetProperty("code")
            .GetString()
            .ShouldBe("conflict");
        await BringAsync("apply=true&conflicts=maybe", theirs, HttpStatusCode.BadRequest);
        (await BringAsync("apply=true&conflicts=bundle", theirs)).GetProperty("applied").GetBoolean().ShouldBeTrue();
        var now = await client.GetByteArrayAsync("/api/v1/entities/MERGING/bundle", Stop);
        string Text(string file) =>
            new StreamReader(
                new System.IO.Compression.ZipArchive(new MemoryStream(now)).GetEntry(file)!.Open()
            ).ReadToEnd();
        Text("accounts.csv").ShouldContain("4010,Instruments there,");
        Text("methods.csv").ShouldContain("CHEQUE,Cheque");
        // What is taken out and brought back changes nothing; and whoever says so has everything as in the file.
        (await BringAsync("apply=true", now)).GetProperty("changes").GetArrayLength().ShouldBe(0);
        await BringAsync("apply=true&whole=true", zip);
        (await client.GetByteArrayAsync("/api/v1/entities/MERGING/bundle", Stop)).ShouldBe(zip);
    }

    [Fact]
    public async Task A_long_bundle_is_brought_in_later_by_the_same_rules()
    {
        using var client = app.Client();
        await app.EntityAsync("LATER");
        async Task<JsonElement> LaterAsync(string query, byte[] zip, string? match = null)
        {
            using var request = new HttpRequestMessage(
                HttpMethod.Post,
                "/api/v1/entities/LATER/bundle?later=true&" + query
            )
            {
                Content = new ByteArrayContent(zip),
            };
            if (match is not null)
                request.Headers.TryAddWithoutValidation("If-Match", $"\"{match}\"");
            var given = await client.SendAsync(request, Stop);
            given.StatusCode.ShouldBe(HttpStatusCode.Accepted, await given.Content.ReadAsStringAsync(Stop));
            for (var i = 0; i < 300; i++)
            {
                var work = await ReadAsync(await client.GetAsync(given.Headers.Location, Stop));
                if (work.GetProperty("status").GetString() is "done" or "failed")
                    return work;
                await Task.Delay(100, Stop);
            }
            throw new TimeoutException();
        }
        byte[] Method(string name) =>
            PageClient.Zip(("methods.csv", Encoding.UTF8.GetBytes($"code,name\nCHEQUE,{name}\n")));
        async Task<string> NowAsync()
        {
            var zip = await client.GetByteArrayAsync("/api/v1/entities/LATER/bundle", Stop);
            return new StreamReader(
                new System.IO.Compression.ZipArchive(new MemoryStream(zip)).GetEntry("methods.csv")!.Open()
            ).ReadToEnd();
        }

        // Looked at only; brought in; and again with the state that is gone by then.
        var export = await client.GetAsync("/api/v1/entities/LATER/bundle", Stop);
        var state = export.Headers.ETag!.Tag.Trim('"');
        var looked = await LaterAsync("partial=true", Method("Cheque"));
        looked.GetProperty("result").GetProperty("applied").GetBoolean().ShouldBeFalse();
        looked.GetProperty("result").GetProperty("files")[0].GetProperty("added").GetInt32().ShouldBe(1);
        (await NowAsync()).ShouldNotContain("CHEQUE");
        var made = await LaterAsync("partial=true&apply=true", Method("Cheque"), state);
        made.GetProperty("subject").GetString().ShouldBe("sent over the interface");
        made.GetProperty("result").GetProperty("applied").GetBoolean().ShouldBeTrue();
        (await NowAsync()).ShouldContain("CHEQUE,Cheque");
        var late = await LaterAsync("partial=true&apply=true", Method("Check"), state);
        late.GetProperty("status").GetString().ShouldBe("failed");
        late.GetProperty("says").GetString()!.ShouldContain("changed");

        // A copy that was edited elsewhere, while the same cell was changed here: told, then decided.
        var copy = await client.GetByteArrayAsync("/api/v1/entities/LATER/bundle", Stop);
        await LaterAsync("partial=true&apply=true", Method("Cheque here"));
        var theirs = PageClient.Zip([
            .. new System.IO.Compression.ZipArchive(new MemoryStream(copy)).Entries.Select(e =>
                (
                    e.Name,
                    Encoding.UTF8.GetBytes(
                        new StreamReader(e.Open()).ReadToEnd().Replace("CHEQUE,Cheque", "CHEQUE,Cheque there")
                    )
                )
            ),
        ]);
        var told = await LaterAsync("", theirs);
        told.GetProperty("result").GetProperty("conflicts").GetInt32().ShouldBe(1);
        (await LaterAsync("apply=true", theirs)).GetProperty("status").GetString().ShouldBe("failed");
        // Nothing is taken out in between: that would be another copy that it could come from.
        var kept = (await LaterAsync("apply=true&conflicts=here", theirs)).GetProperty("result");
        kept.GetProperty("applied").GetBoolean().ShouldBeTrue();
        kept.GetProperty("files").GetArrayLength().ShouldBe(0);
        (await LaterAsync("apply=true&conflicts=bundle", theirs)).GetProperty("status").GetString().ShouldBe("done");
        (await NowAsync()).ShouldContain("CHEQUE,Cheque there");
        (
            await client.PostAsync(
                "/api/v1/entities/LATER/bundle?later=true&conflicts=maybe",
                new ByteArrayContent(theirs),
                Stop
            )
        ).StatusCode.ShouldBe(HttpStatusCode.BadRequest);
    }

    [Fact]
    public async Task A_bundle_with_faults_is_422_and_names_them_all()
    {
        using var client = app.Client();
        var answer = await UploadFolderAsync(
            client,
            "SKERROW",
            Path.Combine(ProjectFiles.Root, "tests", "company", "skerrow", "1-skerrow", "bundle"),
            true,
            string.Concat(Enumerable.Range(0, 100).Select(i => $"9{i:000},Bad,treasure,posting,,active,,,,,no,,,,no\n"))
        );
        answer.StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);
        answer.Content.Headers.ContentType!.MediaType.ShouldBe("application/problem+json");
        (await ReadAsync(answer)).GetProperty("errors").GetArrayLength().ShouldBe(100);
    }

    [Theory]
    [InlineData("GET", "/api/v1/entities", null, null, 401, "key-needed")]
    [InlineData("GET", "/api/v1/nothing", RunningApp.Key, null, 404, "unknown-call")]
    [InlineData("GET", "/api/v1/entities/NOWHERE/trial-balance", RunningApp.Key, null, 404, "unknown-entity")]
    [InlineData("GET", "/api/v1/entities/SKERROW/trial-balance?at=2026-02-30", RunningApp.Key, null, 422, "bad-date")]
    [InlineData(
        "GET",
        "/api/v1/entities/SKERROW/explain?purpose=sales-revenu",
        RunningApp.Key,
        null,
        422,
        "unknown-purpose"
    )]
    [InlineData("POST", "/api/v1/entities/SKERROW/events", RunningApp.Key, "{", 400, "bad-json")]
    [InlineData("POST", "/api/v1/entities/SKERROW/rehearsals?edition=77", RunningApp.Key, "{}", 404, "no-edition")]
    [InlineData(
        "POST",
        "/api/v1/entities",
        RunningApp.Key,
        "{\"code\":\"SKERROW\",\"name\":\"x\",\"currency\":\"EUR\"}",
        409,
        "entity-exists"
    )]
    [InlineData(
        "POST",
        "/api/v1/entities",
        RunningApp.Key,
        "{\"code\":\"a b\",\"name\":\"x\",\"currency\":\"EUR\"}",
        422,
        "bad-code"
    )]
    [InlineData(
        "POST",
        "/api/v1/entities/SKERROW/editions/publish",
        RunningApp.Key,
        "{\"from\":\"soon\"}",
        422,
        "bad-date"
    )]
    public async Task Errors_are_problem_details_that_say_what_and_where(
        string method,
        string path,
        string? key,
        string? body,
        int status,
        string code
    )
    {
        using var client = app.Client(key);
        using var request = new HttpRequestMessage(new HttpMethod(method), path)
        {
            Content = body is null ? null : Json(body),
        };
        var answer = await client.SendAsync(request, Stop);
        ((int)answer.StatusCode).ShouldBe(status);
        answer.Content.Headers.ContentType!.MediaType.ShouldBe("application/problem+json");
        var problem = await ReadAsync(answer);
        problem.GetProperty("status").GetInt32().ShouldBe(status);
        problem.GetProperty("errors")[0].GetProperty("code").GetString().ShouldBe(code);
    }

    [Fact]
    public async Task A_field_of_fifty_megabytes_is_413_and_a_line_of_two_is_refused_alone()
    {
        using var client = app.Client();
        var huge = await client.PostAsync(
            "/api/v1/entities/SKERROW/events",
            Json("{\"text\":\"" + new string('x', 50 << 20) + "\"}"),
            Stop
        );
        huge.StatusCode.ShouldBe(HttpStatusCode.RequestEntityTooLarge);
        var lines = await client.PostAsync(
            "/api/v1/entities/SKERROW/events",
            new StringContent(
                "{\"text\":\"" + new string('x', 2 << 20) + "\"}\n" + Sale("BIG-1"),
                Encoding.UTF8,
                "application/x-ndjson"
            ),
            Stop
        );
        (await lines.Content.ReadAsStringAsync(Stop))
            .TrimEnd()
            .Split('\n')
            .Select(l => JsonDocument.Parse(l).RootElement.GetProperty("outcome").GetString())
            .ShouldBe(["refused", "posted"]);
    }

    [Fact]
    public async Task Bodies_at_random_get_an_answer_below_500()
    {
        using var client = app.Client();
        var paths = new[]
        {
            "events",
            "rehearsals",
            "rehearsals?edition=draft",
            "bundle",
            "bundle?apply=true",
            "editions/publish",
        };
        await Gen.Select(
                Gen.Int[0, paths.Length - 1],
                Gen.OneOf(
                    Gen.String,
                    Gen.Byte.Array[0, 200].Select(b => Encoding.Latin1.GetString(b)),
                    Gen.Int[0, 400].Select(n => Sale("F")[..Math.Min(n, Sale("F").Length)])
                )
            )
            .SampleAsync(
                async (at, body) =>
                {
                    var answer = await client.PostAsync(
                        $"/api/v1/entities/SKERROW/{paths[at]}",
                        new StringContent(body, Encoding.UTF8, "application/json"),
                        Stop
                    );
                    ((int)answer.StatusCode).ShouldBeLessThan(500, $"{paths[at]}: {body}");
                },
                iter: 150 * Times,
                threads: 1
            );
    }

    [Fact]
    public async Task While_the_database_is_away_requests_get_503_and_afterwards_work_goes_on()
    {
        using var client = app.Client();
        app.Wire.Cut();
        try
        {
            foreach (var path in new[] { "/api/v1/entities/SKERROW/trial-balance", "/readyz" })
                (await client.GetAsync(path, Stop)).StatusCode.ShouldBe(HttpStatusCode.ServiceUnavailable, path);
            var refused = await client.PostAsync("/api/v1/entities/SKERROW/events", Json(Sale("AWAY")), Stop);
            refused.StatusCode.ShouldBe(HttpStatusCode.ServiceUnavailable);
            (await ReadAsync(refused))
                .GetProperty("errors")[0]
                .GetProperty("code")
                .GetString()
                .ShouldBe("database-away");
            (await client.GetAsync("/healthz", Stop)).StatusCode.ShouldBe(HttpStatusCode.OK);
        }
        finally
        {
            app.Wire.Mend();
        }
        // The first requests may still meet a broken connection of the pool.
        HttpResponseMessage answer;
        var tries = 0;
        do
        {
            answer = await client.PostAsync("/api/v1/entities/SKERROW/events", Json(Sale("AWAY")), Stop);
        } while (answer.StatusCode == HttpStatusCode.ServiceUnavailable && tries++ < 20);
        (await ReadAsync(answer))[0].GetProperty("outcome").GetString().ShouldBe("posted");
    }

    [Fact]
    public async Task The_interface_describes_itself_and_headers_are_strict()
    {
        using var client = app.Client(null);
        (await ReadAsync(await client.GetAsync("/openapi/v1.json", Stop)))
            .GetProperty("paths")
            .EnumerateObject()
            .Select(p => p.Name)
            .ShouldContain("/api/v1/entities/{entity}/events");
        var page = await client.GetAsync("/sign-in", Stop);
        page.Headers.GetValues("Content-Security-Policy").Single().ShouldNotContain("unsafe");
        page.Headers.GetValues("X-Frame-Options").Single().ShouldBe("DENY");
        foreach (
            var path in new[]
            {
                "/",
                "/e/SKERROW/journal",
                "/e/SKERROW/pick?type=item",
                "/e/SKERROW/files?handler=Bundle",
            }
        )
            (await client.GetAsync(path, Stop))
                .Headers.Location!.ToString()
                .ShouldContain("/sign-in", Case.Sensitive, path);
    }
}
