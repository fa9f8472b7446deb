using System.Net;
using System.Text;
using Assignum.Bench;
using Assignum.Testing;
using Npgsql;

namespace Assignum.Web.Tests;

/// <summary>The application as a process of its own, killed where it hurts.</summary>
public class Killed
{
    private static CancellationToken Stop => TestContext.Current.CancellationToken;

    [Fact]
    public async Task Killed_while_it_publishes_nothing_is_half_done_and_publishing_again_is_whole()
    {
        await using var database = new TestDatabase();
        async Task<T> AskAsync<T>(string sql)
        {
            await using var command = database.Database.Command(sql);
            return (T)(await command.ExecuteScalarAsync(Stop))!;
        }
        // What other sessions do is told to the owner only.
        async Task<long> SessionsAsync(string where)
        {
            await using var db = new NpgsqlConnection(database.Owner);
            await db.OpenAsync(Stop);
            return (long)
                (
                    await new NpgsqlCommand(
                        "select count(*) from pg_stat_activity where datname = current_database() and query ilike "
                            + $"'%account_terms%' and pid <> pg_backend_pid() and {where}",
                        db
                    ).ExecuteScalarAsync(Stop)
                )!;
        }
        static StringContent Json(string text) => new(text, Encoding.UTF8, "application/json");
        const string Halves =
            "select (select count(*) from assignments where since = 2 or until = 2) + (select count(*) from policies "
            + "where since = 2 or until = 2) + (select count(*) from account_terms where since = 2 or until = 2)";
        await using (var app = await ServedApp.StartAsync(ProjectFiles.Root, database.Owner, database.Application))
        {
            (
                await app.Client.PostAsync(
                    "/api/v1/entities",
                    Json("""{"code":"KILL","name":"Kill","currency":"EUR"}"""),
                    Stop
                )
            ).EnsureSuccessStatusCode();
            (
                await app.Client.PostAsync(
                    "/api/v1/entities/KILL/bundle?apply=true",
                    new ByteArrayContent(PageClient.DemoBundle(without: "policies.csv")),
                    Stop
                )
            ).EnsureSuccessStatusCode();
            (
                await app.Client.PostAsync(
                    "/api/v1/entities/KILL/editions/publish",
                    Json("""{"from":"2026-06-01"}"""),
                    Stop
                )
            ).EnsureSuccessStatusCode();
            var assignments = Encoding.UTF8.GetBytes("purpose,account,item_group\nsales-revenue,4014,INSTR\n");
            (
                await app.Client.PostAsync(
                    "/api/v1/entities/KILL/bundle?apply=true&partial=true",
                    new ByteArrayContent(
                        PageClient.Zip(
                            ("assignments.csv", assignments),
                            ("policies.csv", Encoding.UTF8.GetBytes("policy,value\ndiscounts,separate\n"))
                        )
                    ),
                    Stop
                )
            ).EnsureSuccessStatusCode();

            // Another session holds the table that publishing writes last: it stands in the middle, with the others
            // written.
            await using var holder = new NpgsqlConnection(database.Owner);
            await holder.OpenAsync(Stop);
            await using var held = await holder.BeginTransactionAsync(Stop);
            await new NpgsqlCommand("lock table account_terms in exclusive mode", holder).ExecuteNonQueryAsync(Stop);
            var publishing = app.Client.PostAsync(
                "/api/v1/entities/KILL/editions/publish",
                Json("""{"from":"2026-10-01"}"""),
                CancellationToken.None
            );
            for (var i = 0; await SessionsAsync("wait_event_type = 'Lock'") == 0; i++)
            {
                i.ShouldBeLessThan(200, "publishing never came to the table that is held");
                await Task.Delay(50, Stop);
            }
            await app.DisposeAsync();
            await Should.ThrowAsync<HttpRequestException>(() => publishing);
            await held.RollbackAsync(Stop);
        }
        for (var i = 0; i < 100 && await SessionsAsync("state <> 'idle'") > 0; i++)
            await Task.Delay(50, Stop);
        (await AskAsync<long>(Halves)).ShouldBe(0);
        (await AskAsync<string>("select string_agg(status, ' ' order by edition_id) from edition")).ShouldBe(
            "published draft"
        );

        await using var again = await ServedApp.StartAsync(ProjectFiles.Root, database.Owner, database.Application);
        (
            await again.Client.PostAsync(
                "/api/v1/entities/KILL/editions/publish",
                Json("""{"from":"2026-10-01"}"""),
                Stop
            )
        ).StatusCode.ShouldBe(HttpStatusCode.OK);
        (await AskAsync<long>(Halves)).ShouldBe(3);
        var posted = await again.PostAsync(
            "KILL",
            new[] { "2026-09-30", "2026-10-01" }.Select(day =>
                $$"""{"source":"t","id":"{{day}}","kind":"sales-invoice","date":"{{day}}","""
                + $$""" "reference":"{{day}}","party":"SHOP-GALE","lines":[{"item":"RG-100","""
                + """ "unitPrice":100}]}"""
            )
        );
        posted.ShouldBe(new Dictionary<string, int> { ["posted"] = 2 });
        (
            await AskAsync<string>(
                "select string_agg(account, ' ' order by entry_id) from entry_line where purpose = 'sales-revenue'"
            )
        ).ShouldBe("4010 4014");
    }

    // The close of a year stands in the middle, its entry written and its lines not: killed there nothing of it is there, and
    // closing again closes once.
    [Fact]
    public async Task Killed_while_it_closes_a_year_nothing_is_half_done_and_closing_again_is_whole()
    {
        await using var database = new TestDatabase();
        static StringContent Json(string text) => new(text, Encoding.UTF8, "application/json");
        async Task<long> CountAsync(string sql)
        {
            await using var db = new NpgsqlConnection(database.Owner);
            await db.OpenAsync(Stop);
            return (long)(await new NpgsqlCommand(sql, db).ExecuteScalarAsync(Stop))!;
        }
        const string Close = "/api/v1/entities/YEAR/year-ends?apply=true";
        await using (var app = await ServedApp.StartAsync(ProjectFiles.Root, database.Owner, database.Application))
        {
            await app.Client.PostAsync(
                "/api/v1/entities",
                Json("""{"code":"YEAR","name":"Year","currency":"EUR"}"""),
                Stop
            );
            await app.Client.PostAsync(
                "/api/v1/entities/YEAR/bundle?apply=true",
                new ByteArrayContent(PageClient.DemoBundle(without: "policies.csv")),
                Stop
            );
            (
                await app.Client.PostAsync(
                    "/api/v1/entities/YEAR/editions/publish",
                    Json("""{"from":"2026-06-01"}"""),
                    Stop
                )
            ).EnsureSuccessStatusCode();
            (
                await app.PostAsync(
                    "YEAR",
                    [
                        """{"source":"t","id":"S","kind":"sales-invoice","date":"2026-09-30","party":"SHOP-GALE","""
                            + """ "lines":[{"item":"RG-100","unitPrice":100}]}""",
                    ]
                )
            ).ShouldBe(new Dictionary<string, int> { ["posted"] = 1 });
            await using var holder = new NpgsqlConnection(database.Owner);
            await holder.OpenAsync(Stop);
            await using var held = await holder.BeginTransactionAsync(Stop);
            await new NpgsqlCommand("lock table entry_line in exclusive mode", holder).ExecuteNonQueryAsync(Stop);
            var closing = app.Client.PostAsync(Close, Json("""{"year":2026}"""), CancellationToken.None);
            const string Waits =
                "select count(*) from pg_stat_activity where datname = current_database() and wait_event_type = 'Lock'";
            for (var i = 0; await CountAsync(Waits) == 0; i++)
            {
                i.ShouldBeLessThan(200, "closing never came to the table that is held");
                await Task.Delay(50, Stop);
            }
            await app.DisposeAsync();
            await Should.ThrowAsync<HttpRequestException>(() => closing);
            await held.RollbackAsync(Stop);
        }
        (await CountAsync("select count(*) from event where kind = 'year-closed'")).ShouldBe(0);
        (await CountAsync("select count(*) from entry where kind = 'year-closed'")).ShouldBe(0);
        await using var again = await ServedApp.StartAsync(ProjectFiles.Root, database.Owner, database.Application);
        (await again.Client.PostAsync(Close, Json("""{"year":2026}"""), Stop)).StatusCode.ShouldBe(HttpStatusCode.OK);
        (await again.Client.PostAsync(Close, Json("""{"year":2026}"""), Stop)).StatusCode.ShouldBe(
            HttpStatusCode.Conflict
        );
        (await CountAsync("select count(*) from entry where kind = 'year-closed'")).ShouldBe(1);
    }
}
