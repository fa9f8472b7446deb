using System.Globalization;
using System.Text;
using System.Text.Json.Nodes;
using Assignum.Bench;
using Assignum.Testing;
using Microsoft.AspNetCore.Http;

namespace Assignum.Web.Tests;

/// <summary>Three systems whose documents settle each other feed two processes that are killed, and their database server
/// is, while answers break, come twice, late and out of order, are declared void, a record is renamed and a system begins
/// another life; and what is posted goes on to a ledger that swallows answers. It comes out as if nothing had happened.
/// Longer with <c>./test --long</c>.</summary>
public sealed class FeedsKilled
{
    private static CancellationToken Stop => TestContext.Current.CancellationToken;
    private static readonly bool Long = Environment.GetEnvironmentVariable("ASSIGNUM_LONG") is not null;
    private const string Code = "FEED";

    private static string Day => DateTime.UtcNow.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);

    private static string Sale(int i) =>
        $$"""
            {"id":"S{{i}}","kind":"sales-invoice","date":"{{Day}}","reference":"S{{i}}","party":"SHOP-GALE",
              "lines":[{"item":"RG-100","quantity":1,"unitPrice":{{10 + i % 90}}}]}
            """;

    private static string Payment(int i) =>
        $$"""
            {"id":"P{{i}}","kind":"customer-payment","date":"{{Day}}","reference":"P{{i}}","party":"SHOP-GALE",
              "method":"BANK",
              "amount":{{10 + i % 90}},"settles":[{"reference":"S{{i}}","amount":{{10 + i % 90}}}]}
            """;

    private static string Shipment(int i) =>
        $$"""
            {"id":"W{{i}}","kind":"goods-shipped","date":"{{Day}}","reference":"W{{i}}","party":"SHOP-GALE",
              "order":"O{{i}}",
              "location":"CORK","lines":[{"item":"RG-100","quantity":1,"unitCost":4}]}
            """;

    private static StringContent Json(string text) => new(text, Encoding.UTF8, "application/json");

    private static async Task EntityAsync(HttpClient client, string code)
    {
        async Task DoneAsync(string path, HttpContent body) =>
            (await client.PostAsync("/api/v1/entities" + path, body, Stop)).EnsureSuccessStatusCode();
        await DoneAsync("", Json($$"""{"code":"{{code}}","name":"Feed","currency":"EUR"}"""));
        await DoneAsync(
            $"/{code}/bundle?apply=true",
            new ByteArrayContent(PageClient.DemoBundle(without: "policies.csv"))
        );
        await DoneAsync($"/{code}/editions/publish", Json("""{"from":"2026-06-01"}"""));
    }

    private static async Task<List<string>> LinesAsync(Storage.Database database, string code)
    {
        await using var command = database.Command(
            $"""
            select coalesce(n.reference, split_part(v.body::jsonb ->> 'reverses', '/', 2)) || ' ' || l.account || ' '
              || l.debit || ' ' || l.credit
            from entry n join entity e using (entity_id) join entry_line l using (entity_id, entry_id)
            join event v on v.entity_id = n.event_entity_id and v.event_id = n.event_id where e.code = '{code}'
            """
        );
        await using var reader = await command.ExecuteReaderAsync(Stop);
        var lines = new List<string>();
        while (await reader.ReadAsync(Stop))
            lines.Add(reader.GetString(0));
        lines.Sort(StringComparer.Ordinal);
        return lines;
    }

    [Fact]
    public async Task Killed_in_a_feed_of_three_systems_the_books_and_the_ledger_come_out_as_if_nothing_had_happened()
    {
        var (count, kills, stretches) = Long ? (3_400, 30, 34) : (150, 3, 5);
        await using var database = await OwnServer.StartAsync();
        var port = ServedApp.FreePort();
        await using var told = await ToldSystems.StartAsync(port);
        string? installation = null;
        Task<ServedApp> StartAsync() =>
            ServedApp.StartAsync(
                ProjectFiles.Root,
                database.Owner,
                database.Application,
                $"127.0.0.1:{port}",
                installation
            );
        var one = await StartAsync();
        var two = await StartAsync();
        try
        {
            await EntityAsync(one.Client, Code);
            var books = new LinkedBooks(one.Client, port, Code);
            var (shop, pay, stock, ledger) = (
                told.Add("shop", "shop"),
                told.Add("pay", "payments"),
                told.Add("stock", "warehouse"),
                told.Add("gl", "ledger")
            );
            foreach (
                var (code, path, kind) in new[]
                {
                    ("SHOP", "shop", "shop"),
                    ("PAY", "pay", "payments"),
                    ("STOCK", "stock", "warehouse"),
                    ("GL", "gl", "ledger"),
                }
            )
                await books.JoinAsync(code, path, kind);
            await books.PairAsync("SHOP", ("party", "SHOP-GALE", "SHOP-GALE"), ("item", "RG-100", "RG-100"));
            await books.PairAsync("PAY", ("party", "SHOP-GALE", "SHOP-GALE"), ("method", "BANK", "BANK"));
            await books.PairAsync(
                "STOCK",
                ("party", "SHOP-GALE", "SHOP-GALE"),
                ("item", "RG-100", "RG-100"),
                ("location", "CORK", "CORK")
            );
            await books.PairAsync("GL", [.. LinkedBooks.Accounts.Select(a => ("account", "T" + a, a))]);
            var from = DateTime.UtcNow.AddDays(-20).ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);
            foreach (var code in new[] { "SHOP", "PAY", "STOCK" })
                await books.LiveAsync(code, from);
            await books.PostAsync("/connections/GL/live", new { from });

            var random = new Random(5);
            IResult? Breaks(HttpContext http) =>
                random.Next(12) switch
                {
                    0 => Results.StatusCode(500),
                    1 => Results.Text("<html/>", "text/html"),
                    2 when http.Request.Method == "GET" => Results.StatusCode(503),
                    _ => null,
                };
            foreach (var system in new[] { shop, pay, stock })
                system.Fault = Breaks;
            // Out of order within a stretch, some twice, payments before what they settle.
            void Tell(ToldSystems.System to, Func<int, string> what, int first, int last, int before = 0)
            {
                var numbers = Enumerable.Range(first, last - first).ToArray();
                random.Shuffle(numbers);
                foreach (var i in numbers)
                {
                    to.Tells(what(i), before + i + 1);
                    if (random.Next(10) == 0)
                        lock (to.Events)
                            to.Events.Add((JsonObject)to.Events[^1].DeepClone());
                }
            }
            var restored = 0;
            // A database of another installation asks and sends nothing until somebody looked, and nothing is asked where a
            // system lives another life. What is asked first after it, the shop, is resumed last.
            async Task ResumeAsync(string why)
            {
                var of = new LinkedBooks(one.Client, port, Code);
                var all = new[] { "PAY", "STOCK", "GL", "SHOP" };
                foreach (var code in all)
                    await LinkedBooks.UntilAsync<object>(
                        async () =>
                        {
                            await AskAsync(database.Database, "SHOP");
                            var link = await of.GetAsync($"/connections/{code}");
                            return (string)link["state"]! == "paused" && ((string)link["why"]!).StartsWith(why)
                                ? this
                                : null;
                        },
                        $"{code} is not paused as {why}"
                    );
                foreach (var code in all)
                    await of.PostAsync($"/connections/{code}/resume");
                restored++;
            }
            var stretch = count / stretches;
            // Of every stretch of shipments some are declared void: before they post, or after.
            const int Voided = 3;
            string Void(int i) => $$"""{"id":"V{{i}}","kind":"void","date":"{{Day}}","voids":"W{{i}}"}""";
            var voids = new List<int>();
            for (var begin = 0; begin < count; begin += stretch)
            {
                var done = begin / stretch * Voided;
                Tell(pay, Payment, begin, begin + stretch);
                Tell(stock, Shipment, begin, begin + stretch, done);
                for (var v = 0; v < Voided; v++)
                {
                    voids.Add(begin + v * 7);
                    stock.Tells(Void(voids[^1]), begin + stretch + done + v + 1);
                }
                Tell(shop, Sale, begin, begin + stretch);
                ledger.Swallows += 2;
                foreach (var code in new[] { "PAY", "STOCK", "SHOP" })
                    await AskAsync(database.Database, code);
                await Task.Delay(random.Next(300, 1_500), Stop);
                // What was kept in the middle is brought back later: all that was posted and sent since is forgotten here, and
                // is there.
                var at = begin / stretch;
                if (at == stretches * 2 / 5)
                {
                    // The shop is a copy of itself: it tells all that it knows again.
                    shop.Life = "2";
                    ledger.Renamed["T1210"] = "Debtors of the trade";
                    await ResumeAsync("another-life");
                }
                if (at == stretches / 5 || at == stretches * 3 / 5)
                {
                    await one.DisposeAsync();
                    await two.DisposeAsync();
                    if (at == stretches / 5)
                        database.Keep();
                    else
                    {
                        database.BringBack();
                        installation = Guid.NewGuid().ToString();
                    }
                    one = await StartAsync();
                    two = await StartAsync();
                    if (installation is not null)
                    {
                        await ResumeAsync("our-other-life");
                        // What was kept knows nothing of the shop's other life.
                        await ResumeAsync("another-life");
                    }
                }
                if (kills-- <= 0)
                    continue;
                if (kills % 3 == 1)
                    await database.KillAsync();
                else
                {
                    await one.DisposeAsync();
                    one = await StartAsync();
                }
            }
            for (; kills > 0; kills--)
            {
                await Task.Delay(random.Next(300, 1_500), Stop);
                if (kills % 3 == 1)
                    await database.KillAsync();
                else
                {
                    await one.DisposeAsync();
                    one = await StartAsync();
                }
            }
            foreach (var system in new[] { shop, pay, stock })
                system.Fault = null;
            async Task<string?> DoneAsync()
            {
                foreach (var code in new[] { "SHOP", "PAY", "STOCK", "GL" })
                    await AskAsync(database.Database, code);
                await using var command = database.Database.Command(
                    $"""
                    select (select count(*) from link_event where state in ('posted', 'nothing', 'duplicate', 'set-aside') and
                      not again) || ' ' 
                      || (select count(*) from link_journal where state <> 'sent') || ' ' || (select count(*) from
                        link_journal) || ' '
                      || (select count(*) from entry n join entity e using (entity_id) where e.code = '{Code}')
                    """
                );
                var found = ((string)(await command.ExecuteScalarAsync(Stop))!).Split(' ');
                return found[0] == $"{3 * count + voids.Count}" && found[1] == "0" && found[2] == found[3]
                    ? "done"
                    : null;
            }
            await LinkedBooks.UntilAsync(DoneAsync, "not everything was posted and sent", Long ? 900 : 180);

            restored.ShouldBe(3);

            // The same, one after the other and undisturbed.
            await EntityAsync(two.Client, "CALM");
            for (var begin = 0; begin < count; begin += 100)
                foreach (var what in new Func<int, string>[] { Sale, Payment, Shipment })
                {
                    var events = Enumerable
                        .Range(begin, Math.Min(100, count - begin))
                        .Select(i =>
                            what(i)
                                .ReplaceLineEndings(" ")
                                .Trim()
                                .Replace("{\"id\"", "{\"source\":\"calm\",\"id\"", StringComparison.Ordinal)
                        );
                    (
                        await two.Client.PostAsync(
                            "/api/v1/entities/CALM/events",
                            new StringContent(string.Join('\n', events), Encoding.UTF8, "application/x-ndjson"),
                            Stop
                        )
                    ).EnsureSuccessStatusCode();
                }
            // What was declared void stands nowhere: it never posted, or was turned back.
            var ours = await LinesAsync(database.Database, Code);
            var away = voids.Select(i => $"W{i} ").ToList();
            bool Stands(string line) => !away.Exists(w => line.StartsWith(w, StringComparison.Ordinal));
            ours.Where(Stands).ShouldBe((await LinesAsync(database.Database, "CALM")).Where(Stands));
            ours.Count(Stands).ShouldBeGreaterThan(4 * count);
            foreach (var left in ours.Where(l => !Stands(l)).GroupBy(l => string.Join(' ', l.Split(' ')[..2])))
                left.Sum(l =>
                        decimal.Parse(l.Split(' ')[2], CultureInfo.InvariantCulture)
                        - decimal.Parse(l.Split(' ')[3], CultureInfo.InvariantCulture)
                    )
                    .ShouldBe(0, left.Key);
            // That an account was renamed there is said, and nothing else waits.
            await new LinkedBooks(two.Client, port, Code).FetchAsync("GL");
            var differs = (await new LinkedBooks(two.Client, port, Code).GetAsync("/connections/GL/board"))[
                "differences"
            ]!;
            differs.ToJsonString().ShouldContain("renamed from Theirs 1210");
            // Every journal is there once, and the ledger's balances are ours.
            // What was posted anew after the restore may have another number than it has there.
            ledger
                .Journals.Select(j => $"{j["reference"]} {j["text"]} {j["lines"]!.ToJsonString()}")
                .ShouldBeUnique();
            ledger.Journals.Count.ShouldBe(ledger.Contents.Count);
            await using var balances = database.Database.Command(
                $"""
                select 'T' || a."number", sum(l.debit - l.credit) from entry_line l join accounts a using (entity_id,
                  account_id)
                join entity e using (entity_id) where e.code = '{Code}' group by 1
                """
            );
            await using var reader = await balances.ExecuteReaderAsync(Stop);
            var mine = new SortedDictionary<string, decimal>(StringComparer.Ordinal);
            while (await reader.ReadAsync(Stop))
                mine[reader.GetString(0)] = reader.GetDecimal(1);
            ledger.Balances().ShouldBe(mine);
        }
        finally
        {
            await one.DisposeAsync();
            await two.DisposeAsync();
        }
    }

    [Fact]
    public async Task A_database_in_another_installation_asks_and_sends_nothing_until_somebody_resumes_it()
    {
        await using var database = new TestDatabase();
        var port = ServedApp.FreePort();
        await using var told = await ToldSystems.StartAsync(port);
        Task<ServedApp> StartAsync(Guid installation) =>
            ServedApp.StartAsync(
                ProjectFiles.Root,
                database.Owner,
                database.Application,
                $"127.0.0.1:{port}",
                installation.ToString()
            );
        var (here, elsewhere) = (Guid.NewGuid(), Guid.NewGuid());
        async Task<JsonNode> StandsAsync(Guid installation)
        {
            await using var app = await StartAsync(installation);
            return await LinkedBooks.UntilAsync<JsonNode>(
                async () =>
                {
                    var link = await new LinkedBooks(app.Client, port, Code).GetAsync("/connections/SHOP");
                    await Task.Delay(500, Stop);
                    // It is said before anything is asked.
                    return (string)link["state"]! == (installation == here ? "joining" : "paused") ? link : null;
                },
                "it stands otherwise"
            );
        }
        await using (var first = await StartAsync(here))
        {
            await EntityAsync(first.Client, Code);
            told.Add("shop", "shop");
            await new LinkedBooks(first.Client, port, Code).JoinAsync("SHOP", "shop", "shop");
        }
        await StandsAsync(here);
        ((string)(await StandsAsync(elsewhere))["why"]!).ShouldBe("our-other-life");
    }

    private static async Task AskAsync(Storage.Database database, string code)
    {
        // The connections that were ended are this test's too.
        for (var i = 0; i < 20; i++)
            try
            {
                await using var command = database.Command(
                    $"update connection set ask_at = now(), wake = true where code = '{code}'"
                );
                await command.ExecuteNonQueryAsync(Stop);
                return;
            }
            catch (Npgsql.NpgsqlException)
            {
                await Task.Delay(50, Stop);
            }
    }
}
