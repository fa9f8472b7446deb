using System.Diagnostics;
using System.Net;
using System.Text;
using System.Text.Json;
using static Assignum.Web.Tests.PageClient;

namespace Assignum.Web.Tests;

/// <summary>The chart's pages without a browser: rights, whatever is sent, files out and back, and how often the
/// database is asked.</summary>
[Collection(AppCollection.Name)]
public class ChartPages(RunningApp app)
{
    private static CancellationToken Stop => TestContext.Current.CancellationToken;

    private static async Task<(HttpStatusCode Status, string Said)> EditAsync(
        HttpClient client,
        string entity,
        string token,
        string body
    )
    {
        using var request = new HttpRequestMessage(HttpMethod.Post, $"/e/{entity}/chart?handler=Edit")
        {
            Content = new StringContent(body, Encoding.UTF8, "application/json"),
        };
        request.Headers.Add("X-Form-Token", token);
        using var answer = await client.SendAsync(request, Stop);
        return (answer.StatusCode, await answer.Content.ReadAsStringAsync(Stop));
    }

    private static MultipartFormDataContent Upload(string token, byte[] file, string name)
    {
        var form = new MultipartFormDataContent { { new StringContent(token), "__RequestVerificationToken" } };
        form.Add(new ByteArrayContent(file), "file", name);
        return form;
    }

    private static async Task<string> LookAsync(HttpClient client, string entity, byte[] file, string name)
    {
        var page = $"/e/{entity}/chart/bring";
        using var answer = await client.PostAsync(
            page + "?handler=Look",
            Upload(await TokenAsync(client, page), file, name),
            Stop
        );
        ((int)answer.StatusCode).ShouldBeOneOf(200, 422);
        return WebUtility.HtmlDecode(await answer.Content.ReadAsStringAsync(Stop));
    }

    [Fact]
    public async Task A_viewer_reads_and_takes_out_and_changes_nothing()
    {
        using var client = await app.SignedInAsync("iris");
        var page = await client.GetStringAsync("/e/SKERROW/chart", Stop);
        page.ShouldNotContain("chart/bring");
        page.ShouldNotContain("gridbar");
        (await client.GetAsync("/e/SKERROW/chart?handler=Out&format=json", Stop)).StatusCode.ShouldBe(
            HttpStatusCode.OK
        );
        var token = await TokenAsync(client, "/e/SKERROW/files");
        (
            await EditAsync(
                client,
                "SKERROW",
                token,
                """{"edits":[{"number":"4010","column":"name","was":"Instruments","value":"X"}]}"""
            )
        ).Status.ShouldBe(HttpStatusCode.Forbidden);
        (await LookAsync(client, "SKERROW", "No,Name\n1,A\n"u8.ToArray(), "a.csv")).ShouldContain(
            "needs the role preparer"
        );
        foreach (
            var (path, handler) in new[]
            {
                ("/e/SKERROW/chart/4012", "Delete"),
                ("/e/SKERROW/chart/4012", "Renumber"),
                ("/e/SKERROW/chart/4012", "Relieve"),
                ("/e/SKERROW/chart", "Start"),
            }
        )
        {
            using var answer = await client.PostAsync(
                $"{path}?handler={handler}",
                Form(("to", "1"), ("template", "trading"), ("__RequestVerificationToken", token)),
                Stop
            );
            ((int)answer.StatusCode).ShouldBeOneOf(403, 422);
        }
        (await client.GetStringAsync("/e/SKERROW/pick?type=account&q=inst", Stop)).ShouldNotContain("New account");
    }

    [Fact]
    public async Task Whatever_the_grid_sends_is_a_change_or_a_refusal_and_never_half_of_it()
    {
        await app.EntityAsync("FUZZ");
        using var client = await app.SignedInAsync("nora");
        var token = await TokenAsync(client, "/e/FUZZ/chart");
        async Task<string> NowAsync() => await client.GetStringAsync("/e/FUZZ/chart?handler=Out&format=json", Stop);
        foreach (
            var body in new[]
            {
                "",
                "null",
                "{",
                "[]",
                "{\"edits\":null}",
                "{\"edits\":[]}",
                "{\"edits\":[null]}",
                "{\"edits\":[{}]}",
                "{\"edits\":5}",
            }
        )
            ((int)(await EditAsync(client, "FUZZ", token, body)).Status).ShouldBeOneOf(400, 422);
        (await EditAsync(client, "FUZZ", "", "{}")).Status.ShouldBe(HttpStatusCode.BadRequest);

        string?[] numbers = ["4010", "4012", "1000", "9999", "", null],
            columns =
            ["name", "class", "kind", "parent", "number", "status", "tax_code", "party_kinds", "nothing", null];
        string?[] values =
        [
            "",
            "x",
            "4010",
            "4000",
            "revenue",
            "Cost of sales",
            "heading",
            "archived",
            "S23",
            "customers",
            "\u0000",
            new string('9', 500),
            "<b>",
            null,
        ];
        var random = new Random(7);
        string? Any(string?[] of) => of[random.Next(of.Length)];
        for (var i = 0; i < 120; i++)
        {
            var before = await NowAsync();
            var edits = Enumerable
                .Range(0, random.Next(1, 4))
                .Select(_ => new
                {
                    number = Any(numbers),
                    column = Any(columns),
                    was = random.Next(3) == 0 ? Any(values) : null,
                    value = Any(values),
                });
            var (status, said) = await EditAsync(
                client,
                "FUZZ",
                token,
                JsonSerializer.Serialize(new { what = "fuzz", edits })
            );
            if (status == HttpStatusCode.OK)
                continue;
            ((int)status).ShouldBeOneOf([400, 409, 422], said);
            if (status != HttpStatusCode.BadRequest)
                JsonDocument.Parse(said).RootElement.GetProperty("faults").GetArrayLength().ShouldBeGreaterThan(0);
            (await NowAsync()).ShouldBe(before);
        }
        // What is left is sound: the whole of it can be taken out and brought into another entity.
        (await client.GetAsync("/e/FUZZ/files?handler=Bundle", Stop)).StatusCode.ShouldBe(HttpStatusCode.OK);
    }

    [Fact]
    public async Task The_chart_taken_out_comes_back_without_a_difference_and_an_edit_in_it_as_one()
    {
        await app.EntityAsync("OUT");
        using var client = await app.SignedInAsync("nora");
        var token = await TokenAsync(client, "/e/OUT/chart");
        (
            await EditAsync(
                client,
                "OUT",
                token,
                """{"edits":[{"number":"4020","column":"note","value":"=SUM(A1)"},{"number":"4030","""
                    + """ "column":"note","value":"'quoted"}]}"""
            )
        ).Status.ShouldBe(HttpStatusCode.OK);
        foreach (var format in new[] { "csv", "json", "xlsx" })
        {
            var file = await client.GetByteArrayAsync($"/e/OUT/chart?handler=Out&format={format}", Stop);
            (await LookAsync(client, "OUT", file, "accounts." + format)).ShouldContain(
                "64 accounts read; nothing would change"
            );
        }
        var csv = Encoding.UTF8.GetString(await client.GetByteArrayAsync("/e/OUT/chart?handler=Out&format=csv", Stop));
        csv.ShouldContain("'=SUM(A1)");
        var changed = await LookAsync(
            client,
            "OUT",
            Encoding.UTF8.GetBytes(csv.Replace("Books of weather lore", "Books", StringComparison.Ordinal)),
            "accounts.csv"
        );
        changed.ShouldContain("64 accounts read: 1 changed");
        changed.ShouldContain("Books of weather lore → Books");
    }

    [Fact]
    public async Task What_cannot_be_read_is_said_and_leaves_the_chart_alone()
    {
        await app.EntityAsync("BADF");
        using var client = await app.SignedInAsync("nora");
        (await LookAsync(client, "BADF", [], "empty.csv")).ShouldContain("The file is empty");
        (await LookAsync(client, "BADF", [0xD0, 0xCF, 0x11, 0xE0, 9], "old.xls")).ShouldContain(
            "workbook of the old binary kind"
        );
        (await LookAsync(client, "BADF", "PK\u0003\u0004xx"u8.ToArray(), "x.xlsx")).ShouldContain("it is damaged");
        var page = await LookAsync(
            client,
            "BADF",
            "No;Name;Type\n1;A;Asset\n1;B;Asset\n3;C;Whatever\n;D;Asset\n"u8.ToArray(),
            "wrong.csv"
        );
        page.ShouldContain("3 things are wrong");
        page.ShouldContain("The same key stands on line 2");
        page.ShouldContain("choose what 'Whatever' means");
        page.ShouldNotContain("Bring it in</button>");
        // Somebody who sends the form all the same changes nothing.
        var upload = System
            .Text.RegularExpressions.Regex.Match(page, "name=\"upload\" value=\"([^\"]+)\"")
            .Groups[1]
            .Value;
        var (status, said) = await client.SendAsync(
            "/e/BADF/chart/bring",
            "Apply",
            ("upload", upload),
            ("sheet", ""),
            ("header", "1"),
            ("sheetWas", ""),
            ("headerWas", "1"),
            ("shape", "Flat"),
            ("col-0", "number"),
            ("col-1", "name"),
            ("col-2", "class"),
            ("seen", "x")
        );
        status.ShouldBe(HttpStatusCode.UnprocessableEntity);
        said.ShouldContain("You changed how the file is read");
        (
            await client.SendAsync(
                "/e/BADF/chart/bring",
                "Apply",
                ("upload", Guid.NewGuid().ToString()),
                ("sheet", ""),
                ("header", "nonsense"),
                ("shape", "99"),
                ("leave", "x")
            )
        ).Status.ShouldBe(HttpStatusCode.UnprocessableEntity);
        (await client.GetStringAsync("/e/BADF/chart", Stop)).ShouldContain("64 accounts in the order");
    }

    [Fact]
    public async Task Pages_ask_the_database_no_more_often_when_the_chart_grows()
    {
        await app.EntityAsync("GROW");
        using var client = await app.SignedInAsync("nora");
        string[] pages =
        [
            "/e/GROW/chart",
            "/e/GROW/chart?lacking=unused",
            "/e/GROW/chart?handler=Rows&skip=0",
            "/e/GROW/chart/4010",
            "/e/GROW/chart/4010?handler=Panel",
            "/e/GROW/chart/4010/card",
            "/e/GROW/chart/4010/replace",
            "/e/GROW/chart/new?from=4010",
            "/e/GROW/pick?type=account&q=a&purpose=sales-revenue",
            "/e/GROW/chart?handler=Out&format=json",
        ];
        async Task<int[]> CountAsync()
        {
            var counts = new List<int>();
            foreach (var page in pages)
            {
                (await client.GetAsync(page, Stop)).EnsureSuccessStatusCode();
                var commands = 0;
                // What others ask of the database meanwhile is theirs: only what this request leads to counts.
                using var asked = new Activity("asked").Start();
                using var listener = new ActivityListener
                {
                    ShouldListenTo = s => s.Name is "Npgsql" or "Microsoft.AspNetCore",
                    Sample = (ref ActivityCreationOptions<ActivityContext> _) => ActivitySamplingResult.AllData,
                    ActivityStarted = a =>
                    {
                        if (a.Source.Name == "Npgsql" && a.TraceId == asked.TraceId)
                            Interlocked.Increment(ref commands);
                    },
                };
                ActivitySource.AddActivityListener(listener);
                (await client.GetAsync(page, Stop)).EnsureSuccessStatusCode();
                counts.Add(commands);
            }
            return [.. counts];
        }
        var small = await CountAsync();
        small.ShouldAllBe(c => c > 0 && c < 25);
        var rows = string.Join(
            '\n',
            Enumerable.Range(0, 1500).Select(i => $"Z{i:0000},Account number {i},revenue,posting,4000")
        );
        using (var admin = app.Client())
            (
                await admin.PostAsync(
                    "/api/v1/entities/GROW/bundle?apply=true&partial=true",
                    new ByteArrayContent(Zip("accounts.csv", "number,name,class,kind,parent\n" + rows + "\n")),
                    Stop
                )
            ).EnsureSuccessStatusCode();
        (await CountAsync()).ShouldBe(small);
    }

    private static byte[] Zip(string name, string text)
    {
        using var zip = new MemoryStream();
        using (
            var archive = new System.IO.Compression.ZipArchive(zip, System.IO.Compression.ZipArchiveMode.Create, true)
        )
        {
            using var entry = archive.CreateEntry(name).Open();
            entry.Write(Encoding.UTF8.GetBytes(text));
        }
        return zip.ToArray();
    }

    [Fact]
    public async Task Where_an_account_would_fall_and_its_number_are_told_whatever_is_typed()
    {
        using var client = await app.SignedInAsync("nora");
        var random = new Random(5);
        string[] values = ["", "4010", "9x", "revenue", "asset", "heading", "4000", "<b>", "0", "équipement", "\u001f"];
        for (var i = 0; i < 80; i++)
        {
            string Any() => Uri.EscapeDataString(values[random.Next(values.Length)]);
            var page = random.Next(2) == 0 ? "new" : "4012";
            var answer = await client.GetAsync(
                $"/e/SKERROW/chart/{page}?handler={(random.Next(3) == 0 && page == "new" ? "Number" : "Place")}&"
                    + $"new.number={Any()}&new.class={Any()}&new.kind={Any()}&new.parent={Any()}&new.name={Any()}",
                Stop
            );
            answer.StatusCode.ShouldBe(HttpStatusCode.OK);
            (await answer.Content.ReadAsStringAsync(Stop)).ShouldNotContain("<b>");
        }
        (
            await client.GetStringAsync(
                "/e/SKERROW/chart/new?handler=Place&new.number=4011&new.class=revenue&new.parent=4000&new.name=Gauges",
                Stop
            )
        ).ShouldContain("Gross profit");
    }
}
