using System.Net;
using System.Net.Http.Headers;
using System.Text;
using System.Text.Json;
using Assignum.Core.Tables;
using Assignum.Web.Api;
using Assignum.Web.Drawing;
using DocumentFormat.OpenXml.Packaging;
using OpenQA.Selenium;

namespace Assignum.Web.Tests;

/// <summary>The workbook over HTTP, long answers to a client that does not read, and drawings.</summary>
[Collection(AppCollection.Name)]
public class Workbenches(RunningApp app)
{
    private static CancellationToken Stop => TestContext.Current.CancellationToken;

    private static StringContent Json(string text) => new(text, Encoding.UTF8, "application/json");

    [Fact]
    public async Task The_bundle_as_workbook_goes_out_comes_back_and_is_undone()
    {
        using var client = app.Client();
        (
            await client.PostAsync("/api/v1/entities", Json("""{"code":"BOOK","name":"Book","currency":"EUR"}"""), Stop)
        ).EnsureSuccessStatusCode();
        using var ask = new HttpRequestMessage(HttpMethod.Get, "/api/v1/entities/SKERROW/bundle");
        ask.Headers.Accept.Add(
            new MediaTypeWithQualityHeaderValue("application/vnd.openxmlformats-officedocument.spreadsheetml.sheet")
        );
        var book = await (await client.SendAsync(ask, Stop)).Content.ReadAsByteArrayAsync(Stop);
        using (var opened = SpreadsheetDocument.Open(new MemoryStream(book), false))
            opened.WorkbookPart!.WorksheetParts.Count().ShouldBeGreaterThan(20);

        // Of another entity: the sheet that names it is refused with its place, nothing is half done.
        var refused = await client.PostAsync(
            "/api/v1/entities/BOOK/bundle?apply=true",
            new ByteArrayContent(book),
            Stop
        );
        refused.StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);
        (await refused.Content.ReadAsStringAsync(Stop)).ShouldContain("wrong-entity");

        var applied = await client.PostAsync(
            "/api/v1/entities/BOOK/bundle?apply=true",
            new ByteArrayContent(Without(book, "entity")),
            Stop
        );
        applied.EnsureSuccessStatusCode();
        using var answer = JsonDocument.Parse(await applied.Content.ReadAsStringAsync(Stop));
        var change = answer.RootElement.GetProperty("change").GetInt64();
        (await client.GetStringAsync("/api/v1/entities/BOOK/changes", Stop)).ShouldContain("bundle imported");
        (await client.PostAsync($"/api/v1/entities/BOOK/changes/{change}/undo", null, Stop)).EnsureSuccessStatusCode();
        (await client.PostAsync($"/api/v1/entities/BOOK/changes/{change}/undo", null, Stop)).StatusCode.ShouldBe(
            HttpStatusCode.Conflict
        );
        var empty = new List<Core.Fault>();
        Formats
            .Bundles.Bundle.FromFile(
                new MemoryStream(await client.GetByteArrayAsync("/api/v1/entities/BOOK/bundle", Stop)),
                empty
            )
            .Single(s => s.Part.Name == "accounts")
            .Rows.ShouldBeEmpty();
    }

    [Theory]
    [InlineData("POST", "/changes/abc/undo", 400, "bad-request")]
    [InlineData("POST", "/changes/99999999999999999999/undo", 400, "bad-request")]
    [InlineData("POST", "/changes/999999/undo", 404, "unknown-change")]
    [InlineData("GET", "/changes?limit=x", 400, "bad-request")]
    [InlineData("GET", "/entries?after=1.5", 400, "bad-request")]
    public async Task A_value_of_the_wrong_kind_in_an_address_is_a_fault_in_words(
        string method,
        string path,
        int status,
        string code
    )
    {
        using var client = app.Client();
        using var request = new HttpRequestMessage(new HttpMethod(method), "/api/v1/entities/SKERROW" + path);
        using var answer = await client.SendAsync(request, Stop);
        ((int)answer.StatusCode).ShouldBe(status);
        answer.Content.Headers.ContentType!.MediaType.ShouldBe("application/problem+json");
        using var json = JsonDocument.Parse(await answer.Content.ReadAsStringAsync(Stop));
        json.RootElement.GetProperty("errors")[0].GetProperty("code").GetString().ShouldBe(code);
    }

    private static byte[] Without(byte[] book, string sheet)
    {
        using var bytes = new MemoryStream();
        bytes.Write(book);
        using (var opened = SpreadsheetDocument.Open(bytes, true))
            opened
                .WorkbookPart!.Workbook!.Sheets!.Elements<DocumentFormat.OpenXml.Spreadsheet.Sheet>()
                .Single(s => s.Name == sheet)
                .Remove();
        return bytes.ToArray();
    }

    [Fact]
    public async Task A_client_that_sends_all_before_it_reads_is_answered_in_full()
    {
        // More answers than sockets hold: the client below reads nothing before its last line is sent.
        const int lines = 60_000;
        var broken = Enumerable
            .Range(0, lines)
            .Select(i =>
                i % 3 == 1
                    ? "{broken"
                    : $$"""{"source":"long","id":"{{i}}","kind":"no-such-kind","date":"2026-06-15","""
                        + $$""" "text":"{{new string('x', 60)}}"}"""
            );
        using var content = new StringContent(string.Join('\n', broken), Encoding.UTF8, "application/x-ndjson");
        using var request = new HttpRequestMessage(HttpMethod.Post, "/api/v1/entities/SKERROW/events")
        {
            Content = content,
        };
        using var client = app.Client();
        var answers = (
            await (
                await client.SendAsync(request, HttpCompletionOption.ResponseContentRead, Stop)
            ).Content.ReadAsStringAsync(Stop)
        ).Split('\n', StringSplitOptions.RemoveEmptyEntries);
        answers.Length.ShouldBe(lines);
        using var last = JsonDocument.Parse(answers[^1]);
        last.RootElement.GetProperty("row").GetInt32().ShouldBe(lines);
        answers.Count(a => a.Contains("bad-json", StringComparison.Ordinal)).ShouldBe(lines / 3);
        answers.Count(a => a.Contains("\"refused\"", StringComparison.Ordinal)).ShouldBe(lines);
    }

    [Fact]
    public async Task A_million_lines_are_answered_one_by_one_with_flat_memory()
    {
        Assert.SkipUnless(Environment.GetEnvironmentVariable("ASSIGNUM_LONG") is not null, "only with ./test --long");
        const int lines = 1_000_000,
            different = 2_000;
        using var client = app.Client();
        client.Timeout = TimeSpan.FromMinutes(10);
        string Event(int i) =>
            i % 1000 == 500
                ? "{broken"
                : $$"""{"source":"million","id":"{{i % different}}","kind":"interest-charged","""
                    + $$""" "date":"2026-06-15","party":"SHOP-GALE","amount":{{1 + i % different}}}""";
        using var content = new PushedLines(Enumerable.Range(0, lines).Select(Event));
        using var request = new HttpRequestMessage(HttpMethod.Post, "/api/v1/entities/SKERROW/events")
        {
            Content = content,
        };
        using var answer = await client.SendAsync(request, HttpCompletionOption.ResponseHeadersRead, Stop);
        using var reader = new StreamReader(await answer.Content.ReadAsStreamAsync(Stop));
        var (counts, row, first, most) = (new Dictionary<string, int>(), 0, 0L, 0L);
        while (await reader.ReadLineAsync(Stop) is { } line)
        {
            using var json = JsonDocument.Parse(line);
            json.RootElement.GetProperty("row").GetInt32().ShouldBe(++row);
            var outcome = json.RootElement.GetProperty("outcome").GetString()!;
            counts[outcome] = counts.GetValueOrDefault(outcome) + 1;
            if (row == 100_000)
                first = GC.GetTotalMemory(true);
            if (row % 100_000 == 0)
                most = Math.Max(most, GC.GetTotalMemory(true));
        }
        counts.ShouldBe(
            new Dictionary<string, int>
            {
                ["posted"] = different - 2,
                ["refused"] = lines / 1000,
                ["duplicate"] = lines - lines / 1000 - different + 2,
            },
            ignoreOrder: true
        );
        (most - first).ShouldBeLessThan(48 << 20);
    }

    /// <summary>A body made while it is sent.</summary>
    private sealed class PushedLines : HttpContent
    {
        private readonly IEnumerable<string> lines;

        public PushedLines(IEnumerable<string> lines)
        {
            this.lines = lines;
            Headers.ContentType = new MediaTypeHeaderValue("application/x-ndjson");
        }

        protected override async Task SerializeToStreamAsync(Stream stream, TransportContext? context)
        {
            await using var writer = new StreamWriter(stream, new UTF8Encoding(false), 1 << 16, leaveOpen: true);
            foreach (var line in lines)
                await writer.WriteLineAsync(line);
        }

        protected override bool TryComputeLength(out long length)
        {
            length = 0;
            return false;
        }
    }

    [Fact]
    public async Task Answers_written_while_nobody_reads_come_out_whole_and_in_order()
    {
        await using var spool = new AnswerSpool();
        for (var i = 0; i < 2_000; i++)
            await spool.WriteAsync(Encoding.UTF8.GetBytes($"{i}\n"), Stop);
        var to = new MemoryStream();
        var sending = spool.SendAsync(to, Stop);
        for (var i = 2_000; i < 4_000; i++)
            await spool.WriteAsync(Encoding.UTF8.GetBytes($"{i}\n"), Stop);
        spool.Complete();
        await sending;
        Encoding.UTF8.GetString(to.ToArray()).ShouldBe(string.Concat(Enumerable.Range(0, 4_000).Select(i => $"{i}\n")));
    }

    [Fact]
    public async Task A_flow_is_as_wide_as_its_amounts_and_no_words_lie_on_each_other()
    {
        using var client = app.Client();
        var sale =
            """{"source":"t","id":"FLOW","kind":"sales-invoice","date":"2026-06-15","""
            + """ "party":"SHOP-GALE","lines":[{"item":"RG-100","unitPrice":100},{"item":"BK-4","""
            + """ "unitPrice":900},{"item":"RG-100","unitPrice":0.01}],"charges":[{"amount":9}]}""";
        using var answer = JsonDocument.Parse(
            await (
                await client.PostAsync("/api/v1/entities/SKERROW/rehearsals", Json(sale), Stop)
            ).Content.ReadAsStringAsync(Stop)
        );
        var entry = answer
            .RootElement[0]
            .GetProperty("entry")
            .Deserialize<Formats.Json.EntryDocument>(JsonSerializerOptions.Web)!;
        var flow = Flow.Of(entry, "sales invoice", "");

        var debits = flow.Bands.Where(b => b.Side == "debit").Sum(b => b.Width) / 2;
        var credits = flow.Bands.Where(b => b.Side == "credit").Sum(b => b.Width) / 2;
        // The cent and the charge have bands that can still be seen; the rest is in proportion.
        (credits - debits).ShouldBeInRange(-0.01, 4.01);
        foreach (var column in flow.Boxes.GroupBy(b => (b.Kind, b.X)))
        {
            var words = column.OrderBy(b => b.TextY).Select(b => b.TextY).ToArray();
            for (var i = 1; i < words.Length; i++)
                (words[i] - words[i - 1]).ShouldBeGreaterThanOrEqualTo(32);
        }
        flow.Boxes.ShouldAllBe(b =>
            b.Y >= 0 && b.Y + b.Height <= flow.Height && b.X >= 0 && b.X + b.Width <= flow.Width
        );
        flow.Boxes.Count(b => b.Kind == "leg").ShouldBe(entry.Lines.Count);
    }
}
