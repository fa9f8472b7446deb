using System.Diagnostics;
using System.Globalization;
using System.Net;
using System.Net.Http.Json;
using System.Text;
using System.Text.Json.Nodes;
using Npgsql;

namespace Assignum.Bench;

/// <summary>A shop tells 40,000 sales, then 10,000 of an item that is not paired: how fast they post, what pages take
/// meanwhile, how fast what waits is grouped, and how fast one pairing frees it. And a bank statement of 100,000
/// entries.</summary>
internal static class FeedBench
{
    private const int Sales = 40_000,
        Waiting = 10_000,
        Grouped = 100_000,
        Entries = 100_000;

    private const int Beside = 20_000;
    private const string At = "/api/v1/entities/SKERROW";

    public static async Task RunAsync(string owner, string application, string root)
    {
        using var shop = new Shop();
        using var next = new Shop();
        await using var app = await ServedApp.StartAsync(root, owner, application, $"{shop.Host},{next.Host}");
        var bundle = Path.Combine(root, "demo", "skerrow", "1-skerrow", "bundle");
        await PostingBench.SetUpAsync(
            app,
            "SKERROW",
            "2026-05-01",
            Directory.GetFiles(bundle, "*.csv").Select(f => (Path.GetFileName(f), File.ReadAllText(f)))
        );
        await PostAsync(
            app,
            "/connections",
            new
            {
                code = "SHOP",
                kind = "shop",
                name = "Shop",
                address = $"http://{shop.Host}/",
                key = "k",
            }
        );
        await AskedAsync(app);
        await PairAsync(app, "party", "P", "SCH-LOUGH");
        await PairAsync(app, "item", "I", "BK-1");
        await PairAsync(app, "location", "L", "CORK");
        await SettleAsync(app);
        await PostAsync(app, "/connections/SHOP/live", new { from = "2026-05-01" });
        using var people = await app.SignedInAsync();
        var quiet = await PageAsync(people, 20);
        shop.Tell(Sales, "I");
        await PostAsync(app, "/connections/SHOP/ask", null);
        while (await PostedAsync(owner) == 0)
            await Task.Delay(20);
        var watch = Stopwatch.StartNew();
        var begun = await PostedAsync(owner);
        var pages = new List<double>();
        while (await PostedAsync(owner) < Sales)
        {
            pages.Add(await PageAsync(people, 1));
            await Task.Delay(300);
        }
        Say($"a feed: {(Sales - begun) / watch.Elapsed.TotalSeconds:0} events/s, {app.Memory} MB");
        pages.Sort();
        Say($"a page meanwhile: {pages[pages.Count / 2]:0} ms in the middle, quiet {quiet:0} ms");

        shop.Tell(Waiting, "N");
        await PostAsync(app, "/connections/SHOP/ask", null);
        while (await CountAsync(owner, "waiting") < Waiting)
            await Task.Delay(50);
        await using (var data = NpgsqlDataSource.Create(owner))
        {
            await using var more = data.CreateCommand(
                $"""
                insert into link_event (entity_id, connection_id, id, kind, date, amount, body, state, reasons, reason, subject,
                  named)
                select entity_id, connection_id, 'M' || g || '-' || row_id, kind, date, amount, body, 'dead', reasons, 'far-date',
                  'made ' || g, true from link_event, generate_series(1, {Grouped / Waiting
                    - 1}) g where state = 'waiting'
                """
            );
            await more.ExecuteNonQueryAsync();
            await using var analyze = data.CreateCommand("vacuum analyze link_event");
            await analyze.ExecuteNonQueryAsync();
        }
        var times = new List<double>();
        for (var i = 0; i < 9; i++)
        {
            watch.Restart();
            (await app.Client.GetAsync(At + "/worklist")).EnsureSuccessStatusCode();
            times.Add(watch.Elapsed.TotalMilliseconds);
        }
        times.Sort();
        Say($"{Grouped} waiting grouped: {times[4]:0} ms in the middle of nine");
        watch.Restart();
        await PairAsync(app, "item", "N", "BK-2");
        while (await PostedAsync(owner) < Sales + Waiting)
            await Task.Delay(50);
        Say($"{Waiting} freed by one pairing: {Waiting / watch.Elapsed.TotalSeconds:0} events/s with the pairing");

        await BesideAsync(app, next);

        await PostAsync(
            app,
            "/connections",
            new
            {
                code = "BOX",
                kind = "files",
                name = "Box",
            }
        );
        var before = app.Memory;
        long most = 0;
        watch.Restart();
        var sent = app.Client.PostAsync(
            At + "/connections/BOX/files?name=statement.xml",
            new StringContent(Statement(), Encoding.UTF8)
        );
        while (!sent.IsCompleted)
        {
            most = Math.Max(most, app.Memory);
            await Task.Delay(100);
        }
        (await sent).EnsureSuccessStatusCode();
        Say(
            $"a camt.053 of {Entries} entries: {watch.Elapsed.TotalSeconds:0.0} s, {before} MB before, {most} MB at most"
        );
    }

    // A shop that runs beside the old way: what it would post, held against a list of what was booked.
    private static async Task BesideAsync(ServedApp app, Shop next)
    {
        await PostAsync(
            app,
            "/connections",
            new
            {
                code = "NEXT",
                kind = "shop",
                name = "Next",
                address = $"http://{next.Host}/",
                key = "k",
            }
        );
        next.Tell(Beside, "I");
        await AskedAsync(app, "NEXT");
        foreach (
            var (record, theirs, ours) in new[]
            {
                ("party", "P", "SCH-LOUGH"),
                ("item", "I", "BK-1"),
                ("location", "L", "CORK"),
            }
        )
            await PairAsync(app, record, theirs, ours, "NEXT");
        await PostAsync(app, "/connections/NEXT/parallel", new { from = "2026-05-01" });
        var watch = Stopwatch.StartNew();
        async Task<JsonArray> LookAsync()
        {
            watch.Restart();
            return JsonNode.Parse(await app.Client.GetStringAsync($"{At}/connections/NEXT/parallel"))!.AsArray();
        }
        var before = app.Memory;
        var days = await LookAsync();
        var first = watch.Elapsed.TotalSeconds;
        var events = days.Sum(d => (int)d!["events"]!);
        await LookAsync();
        var again = watch.Elapsed.TotalMilliseconds;
        Say(
            $"{events} events beside the old way: {first:0.0} s at first, {again:0} ms again, {app.Memory - before} MB more"
        );
    }

    private static string Statement()
    {
        var text = new StringBuilder(
            """
            <Document xmlns="urn:iso:std:iso:20022:tech:xsd:camt.053.001.08"><BkToCstmrStmt><Stmt><Id>S</Id>
            <Acct><Id><IBAN>IE29AIBK93115212345678</IBAN></Id><Ccy>EUR</Ccy></Acct>
            """
        );
        for (var i = 0; i < Entries; i++)
            text.Append(
                $"<Ntry><Amt Ccy=\"EUR\">{10 + i % 90}.00</Amt><CdtDbtInd>CRDT</CdtDbtInd><Sts>"
                    + "<Cd>BOOK</Cd></Sts>"
                    + $"<BookgDt><Dt>2026-06-12</Dt></BookgDt><AcctSvcrRef>R{i}</AcctSvcrRef>"
                    + "<NtryDtls><TxDtls><RltdPties><Dbtr><Pty>"
                    + $"<Nm>Payer {i % 500}</Nm></Pty></Dbtr></RltdPties><RmtInf><Strd><RfrdDocInf>"
                    + $"<Nb>INV-{i}</Nb></RfrdDocInf></Strd>"
                    + "</RmtInf></TxDtls></NtryDtls></Ntry>\n"
            );
        return text.Append("</Stmt></BkToCstmrStmt></Document>").ToString();
    }

    private static async Task SettleAsync(ServedApp app)
    {
        for (var turn = 0; turn < 3; turn++)
        {
            var open = JsonNode
                .Parse(await app.Client.GetStringAsync(At + "/connections/SHOP/purposes?limit=1000"))!
                .AsArray()
                .Where(p => (bool)p!["open"]! && p["account"] is not null)
                .ToList();
            if (open.Count == 0)
                return;
            await PostAsync(
                app,
                "/connections/SHOP/needs",
                open.Select(p => new
                {
                    id = (string)p!["id"]!,
                    @do = (string?)p["rung"] == "default" ? "default" : "confirm",
                    reason = "for a measurement",
                })
            );
        }
    }

    private static Task PairAsync(ServedApp app, string record, string theirs, string ours, string code = "SHOP") =>
        PostAsync(
            app,
            $"/connections/{code}/pairings",
            new[]
            {
                new
                {
                    record,
                    theirs,
                    ours,
                },
            }
        );

    private static async Task AskedAsync(ServedApp app, string code = "SHOP")
    {
        var id = (long)(await PostAsync(app, $"/connections/{code}/fetch", null))["id"]!;
        while (
            (string)JsonNode.Parse(await app.Client.GetStringAsync($"{At}/connections/{code}/jobs/{id}"))!["status"]!
                is "waiting"
                    or "running"
        )
            await Task.Delay(50);
    }

    private static async Task<double> PageAsync(HttpClient people, int times)
    {
        var taken = new List<double>();
        for (var i = 0; i < times; i++)
        {
            var watch = Stopwatch.StartNew();
            (await people.GetAsync("/e/SKERROW/assignments")).EnsureSuccessStatusCode();
            taken.Add(watch.Elapsed.TotalMilliseconds);
        }
        taken.Sort();
        return taken[taken.Count / 2];
    }

    // Asked often: it must cost nothing.
    private static async Task<long> PostedAsync(string owner)
    {
        await using var db = new NpgsqlConnection(owner);
        await db.OpenAsync();
        await using var command = new NpgsqlCommand("select coalesce(max(next_entry), 1) - 1 from posting", db);
        return Convert.ToInt64(await command.ExecuteScalarAsync(), CultureInfo.InvariantCulture);
    }

    private static async Task<long> CountAsync(string owner, string state)
    {
        await using var db = new NpgsqlConnection(owner);
        await db.OpenAsync();
        await using var command = new NpgsqlCommand($"select count(*) from link_event where state = '{state}'", db);
        return (long)(await command.ExecuteScalarAsync())!;
    }

    private static async Task<JsonNode> PostAsync(ServedApp app, string path, object? body)
    {
        using var answer = await app.Client.PostAsync(At + path, body is null ? null : JsonContent.Create(body));
        var text = await answer.Content.ReadAsStringAsync();
        return answer.IsSuccessStatusCode
            ? JsonNode.Parse(text)!
            : throw new InvalidOperationException($"{path}: {(int)answer.StatusCode} {text}");
    }

    private static void Say(FormattableString what) => Console.WriteLine(what.ToString(CultureInfo.InvariantCulture));

    /// <summary>A shop that tells as many sales as it is told to.</summary>
    private sealed class Shop : IDisposable
    {
        private readonly FarLink link;
        private readonly List<string> events = [];

        public Shop() => link = new FarLink(Answer);

        public string Host => link.Host;

        /// <summary>Sells so many of an item.</summary>
        public void Tell(int count, string item)
        {
            lock (events)
                for (var i = 0; i < count; i++)
                {
                    var n = events.Count + 1;
                    events.Add(
                        $$"""
                        {"id":"S{{n}}","kind":"sales-invoice","sequence":{{n}},"date":"2026-06-{{1
                            + n % 28:00}}","reference":"S{{n}}",
                          "party":"P","location":"L","lines":[{"item":"{{item}}","quantity":1,"unitPrice":{{10
                            + n % 90}}}]}
                        """
                    );
                }
        }

        private string Answer(HttpListenerRequest request)
        {
            var path = request.Url!.AbsolutePath;
            if (path.EndsWith("/about", StringComparison.Ordinal))
                return """
                    {"system":"Shop","kind":"shop","life":"1","currency":"EUR","time":"2026-06-01T00:00:00Z","records":[],
                      "lists":[],"writes":[]}
                    """;
            if (!path.EndsWith("/events", StringComparison.Ordinal))
                return """{"count":0,"byKind":[]}""";
            lock (events)
                return FarLink.Page(request, "events", events);
        }

        public void Dispose() => link.Dispose();
    }
}
