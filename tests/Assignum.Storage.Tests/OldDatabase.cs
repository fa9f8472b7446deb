using System.Diagnostics;
using System.Globalization;
using System.IO.Compression;
using Assignum.Core.Ledger;
using Assignum.Core.Tables;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using Assignum.Formats.Json;
using Assignum.Testing;
using Npgsql;

namespace Assignum.Storage.Tests;

/// <summary>
/// A database that an earlier program made, with the demo, a published second edition, an account that got another
/// number, changes that are undone and some that can be: it opens under this program, and nothing in it means anything
/// else.
/// </summary>
public class OldDatabase
{
    private static CancellationToken Stop => TestContext.Current.CancellationToken;
    private static readonly Actor Somebody = new("tester", Role.Administrator, new Dictionary<string, Role>());

    // Every line with the reasoning that it was stored with, as the old program read it.
    private const string Reasonings = """
        select l.entry_id || ' ' || l.line_no, t.body::text from entry_line l
        join trace t on t.entity_id = l.entity_id and t.trace_id = l.trace_id
        """;

    [Fact]
    public async Task A_database_of_an_earlier_program_opens_with_every_landing_explained_as_before()
    {
        var name = "old_" + Guid.NewGuid().ToString("N");
        TestDatabase.Execute(TestDatabase.Server, $"create database {name} template template0");
        var owner = new NpgsqlConnectionStringBuilder(TestDatabase.Server) { Database = name, Pooling = false };
        try
        {
            await RestoreAsync(owner, "main-0015.sql.gz");
            var before = await ReadAsync(owner.ConnectionString, Reasonings);
            before.Count.ShouldBeGreaterThan(16_000);

            Database.Migrate(owner.ConnectionString);
            owner.Pooling = true;
            await using var database = new Database(owner.ConnectionString);
            var desk = new DeskContext(database);
            await ExplainedAsync(desk, before);
            await UndoneAsync(desk);
            await PostedAsync(desk);
        }
        finally
        {
            NpgsqlConnection.ClearAllPools();
            TestDatabase.Execute(TestDatabase.Server, $"drop database if exists {name} with (force)");
        }
    }

    /// <summary>What was posted before there were seals is sealed when the schema is brought up to date.</summary>
    [Fact]
    public async Task A_database_of_before_the_seals_is_sealed_and_goes_on()
    {
        var name = "old_" + Guid.NewGuid().ToString("N");
        TestDatabase.Execute(TestDatabase.Server, $"create database {name} template template0");
        var owner = new NpgsqlConnectionStringBuilder(TestDatabase.Server) { Database = name, Pooling = false };
        try
        {
            await RestoreAsync(owner, "main-0021.sql.gz");
            // What is on hand stood in rows of its own.
            var hand = await ReadAsync(
                owner.ConnectionString,
                "select item, trim_scale(sum(quantity))::text from stock_movement group by item"
            );
            hand.Count.ShouldBeGreaterThan(100);
            // The server may know one side of a join and not the other yet: that made a minute of the second it takes.
            TestDatabase.Execute(owner.ConnectionString, "analyze stock_movement");
            Database.Migrate(owner.ConnectionString);
            await using var database = new Database(owner.ConnectionString);
            await using (var db = await database.OpenAsync(Stop))
            {
                const int Only = 1;
                var now = await StockStore.OnHandAsync(db, Only, [.. hand.Keys], Stop);
                now.Count.ShouldBe(hand.Count);
                foreach (var (item, quantity) in hand)
                    now[item].ShouldBe(decimal.Parse(quantity, CultureInfo.InvariantCulture), item);
            }
            var desk = new DeskContext(database);
            async Task<SealsOf> CheckAsync() =>
                (await new Evidence(desk).VerifyAsync(Somebody, Stop)).Result!.Single(s => s.Entity == "SKERROW");
            var sealedThen = await CheckAsync();
            sealedThen.Break.ShouldBeNull();
            sealedThen.Entries!.Checked.ShouldBe(4_337);
            sealedThen.Audit.Checked.ShouldBeGreaterThan(10);
            (
                await new PostEvents(desk).RunAsync(
                    Somebody,
                    "SKERROW",
                    [Company.Read(Company.Sale("AFTER", "2026-10-20"))],
                    1,
                    Stop
                )
            )
                .Result!.Single()
                .Outcome.ShouldBe("posted");
            var after = await CheckAsync();
            after.Break.ShouldBeNull();
            after.Entries!.Checked.ShouldBe(4_338);
            after.Entries.Last.ShouldNotBe(sealedThen.Entries.Last);
        }
        finally
        {
            NpgsqlConnection.ClearAllPools();
            TestDatabase.Execute(TestDatabase.Server, $"drop database if exists {name} with (force)");
        }
    }

    /// <summary>Whichever schema a program of before left, it becomes the one that a new database has.</summary>
    [Fact]
    public async Task Every_earlier_schema_becomes_the_same_as_a_new_one()
    {
        const string Shape = """
            select t.table_name || '.' || c.column_name, c.data_type || ' ' || c.is_nullable || ' '
              || coalesce(c.column_default, '')
            from information_schema.tables t join information_schema.columns c using (table_schema, table_name)
            where t.table_schema = 'public'
            union all select 'index ' || indexname, indexdef from pg_indexes where schemaname = 'public'
            union all select 'constraint ' || conrelid::regclass || ' ' || conname, pg_get_constraintdef(oid)
              from pg_constraint where connamespace = 'public'::regnamespace
            union all select 'right ' || table_name || ' ' || privilege_type, 'yes'
              from information_schema.role_table_grants where grantee = 'assignum_app'
            union all select 'measured ' || attrelid::regclass || '.' || attname, coalesce(attstattarget::text, '')
              from pg_attribute join pg_class on pg_class.oid = attrelid
              where relnamespace = 'public'::regnamespace and attnum > 0 and not attisdropped
            """;
        await using var fresh = new TestDatabase();
        var wanted = await ReadAsync(fresh.Owner, Shape);
        var scripts = typeof(Database)
            .Assembly.GetManifestResourceNames()
            .Where(n => n.EndsWith(".sql", StringComparison.Ordinal))
            .Order(StringComparer.Ordinal)
            .ToList();
        scripts.Count.ShouldBeGreaterThan(20);
        // One goes from script to script; what it is after each is copied and migrated from there.
        var (name, copy) = ("old_" + Guid.NewGuid().ToString("N"), "new_" + Guid.NewGuid().ToString("N"));
        string At(string database) =>
            new NpgsqlConnectionStringBuilder(TestDatabase.Server)
            {
                Database = database,
                Pooling = false,
            }.ConnectionString;
        TestDatabase.Execute(TestDatabase.Server, $"create database {name} template template0");
        TestDatabase.Execute(
            At(name),
            "create table schema_migration (schemaversionsid serial primary key, scriptname varchar(255) not null, "
                + "applied timestamp not null)"
        );
        for (var of = 1; of < scripts.Count; of++)
        {
            try
            {
                await using (var db = new NpgsqlConnection(At(name)))
                {
                    await db.OpenAsync(Stop);
                    using var text = new StreamReader(
                        typeof(Database).Assembly.GetManifestResourceStream(scripts[of - 1])!
                    );
                    await new NpgsqlCommand(await text.ReadToEndAsync(Stop), db).ExecuteNonQueryAsync(Stop);
                    await using var noted = new NpgsqlCommand(
                        "insert into schema_migration (scriptname, applied) values ($1, now())",
                        db
                    );
                    noted.Parameters.Add(new() { Value = scripts[of - 1] });
                    await noted.ExecuteNonQueryAsync(Stop);
                }
                TestDatabase.Execute(TestDatabase.Server, $"create database {copy} template {name}");
                Database.Migrate(At(copy));
                var got = await ReadAsync(At(copy), Shape);
                got.Where(g => !g.Key.Contains("schema_migration", StringComparison.Ordinal))
                    .OrderBy(g => g.Key, StringComparer.Ordinal)
                    .ShouldBe(
                        wanted
                            .Where(g => !g.Key.Contains("schema_migration", StringComparison.Ordinal))
                            .OrderBy(g => g.Key, StringComparer.Ordinal),
                        scripts[of - 1]
                    );
            }
            finally
            {
                TestDatabase.Execute(TestDatabase.Server, $"drop database if exists {copy} with (force)");
            }
        }
        TestDatabase.Execute(TestDatabase.Server, $"drop database {name} with (force)");
    }

    private static async Task ExplainedAsync(DeskContext desk, Dictionary<string, string> before)
    {
        var (seen, after) = (0, (long?)null);
        while (true)
        {
            var page = await new ReadJournal(desk).EntriesAsync(
                Somebody,
                "SKERROW",
                new EntryQuery(After: after, Limit: 500),
                Stop
            );
            if (page.Result!.Count == 0)
                break;
            foreach (var entry in page.Result)
                for (var i = 0; i < entry.Document.Lines.Count; i++, seen++)
                    Said(entry.Document.Lines[i].Landing)
                        .ShouldBe(Said(TraceJson.Read(before[$"{entry.Head.Id} {i + 1}"])));
            after = page.Result[^1].Head.Id;
        }
        seen.ShouldBe(before.Count);
    }

    // Made before rows were kept by name: a tax code and an account changed in the open draft.
    private static async Task UndoneAsync(DeskContext desk)
    {
        async Task<(string?, string?)> NowAsync()
        {
            var draft = (await new ViewSetUp(desk).RunAsync(Somebody, "SKERROW", "draft", null, Stop)).Result!.SetUp;
            return (draft.SetUp.TaxCodes.Single(c => c.Code == "PX").Name, draft.Account("4019")?.Name);
        }
        var newest = (await new ReadChanges(desk).RunAsync(Somebody, "SKERROW", 10, Stop)).Result![0];
        (await NowAsync()).ShouldBe(("Half kept again", "Older gauges"));
        (await new EditSetUp(desk).UndoAsync(Somebody, "SKERROW", newest.Id, Stop)).Faults.ShouldBeEmpty();
        (await NowAsync()).ShouldBe(("Half kept", "Old gauges"));
    }

    private static async Task PostedAsync(DeskContext desk)
    {
        var posted = await new PostEvents(desk).RunAsync(
            Somebody,
            "SKERROW",
            [Company.Read(Company.Sale("AFTER", "2026-10-20"))],
            1,
            Stop
        );
        posted.Result!.Single().Errors.ShouldBeEmpty();
        // Numbers go on where they were.
        posted.Result!.Single().Number.ShouldBe("2026-004340");
        var entry = (
            await new ReadJournal(desk).EntriesAsync(
                Somebody,
                "SKERROW",
                new EntryQuery(Source: "t", ExternalId: "AFTER"),
                Stop
            )
        ).Result!.Single();
        entry.Document.Lines.ShouldAllBe(l => l.Landing.Rung != null && l.Landing.Tried.Count > 0);
        (await new PublishDraft(desk).RunAsync(Somebody, "SKERROW", new DateOnly(2027, 1, 1), null, Stop))
            .Faults.Select(f => f.Code)
            .ShouldBe(["four-eyes"]);
    }

    private static string Said(LandingDocument landing)
    {
        static string Key(IReadOnlyDictionary<string, string>? key) =>
            key is null ? "" : string.Join(',', key.OrderBy(k => k.Key).Select(k => $"{k.Key}={k.Value}"));
        var tried = landing.Tried.Select(t => $"{t.Rung} [{Key(t.Key)}] {t.Outcome} {t.Purpose} {t.Tripwire}");
        return $"{landing.Rung} [{Key(landing.Key)}] {landing.BorrowedFrom} {landing.Note} "
            + $"{string.Join(',', landing.Unneeded ?? [])}: {string.Join("; ", tried)}";
    }

    private static async Task RestoreAsync(NpgsqlConnectionStringBuilder owner, string file)
    {
        // The dump grants to the role; whoever migrates makes it where it is missing.
        TestDatabase.Execute(
            TestDatabase.Server,
            "do $$ begin if not exists (select from pg_roles where rolname = 'assignum_app') then "
                + "create role assignum_app nologin; end if; end $$"
        );
        var psql = Path.Combine(Environment.GetEnvironmentVariable("ASSIGNUM_TEST_PGBIN") ?? "", "psql");
        var start = new ProcessStartInfo(psql)
        {
            RedirectStandardInput = true,
            RedirectStandardOutput = true,
            RedirectStandardError = true,
            Environment = { ["PGPASSWORD"] = owner.Password },
        };
        foreach (
            var argument in new[]
            {
                "-q",
                "-v",
                "ON_ERROR_STOP=1",
                "-h",
                owner.Host!,
                "-p",
                owner.Port.ToString(System.Globalization.CultureInfo.InvariantCulture),
                "-U",
                owner.Username!,
                "-d",
                owner.Database!,
            }
        )
            start.ArgumentList.Add(argument);
        using var process = Process.Start(start)!;
        var said = process.StandardError.ReadToEndAsync(Stop);
        var printed = process.StandardOutput.ReadToEndAsync(Stop);
        var dump = Path.Combine(ProjectFiles.Root, "tests", "old", file);
        await using (var packed = new GZipStream(File.OpenRead(dump), CompressionMode.Decompress))
            await packed.CopyToAsync(process.StandardInput.BaseStream, Stop);
        process.StandardInput.Close();
        await process.WaitForExitAsync(Stop);
        await printed;
        process.ExitCode.ShouldBe(0, await said);
    }

    private static async Task<Dictionary<string, string>> ReadAsync(string connection, string sql)
    {
        await using var db = new NpgsqlConnection(connection);
        await db.OpenAsync(Stop);
        await using var command = new NpgsqlCommand(sql, db);
        await using var reader = await command.ExecuteReaderAsync(Stop);
        var rows = new Dictionary<string, string>(StringComparer.Ordinal);
        while (await reader.ReadAsync(Stop))
            rows[reader.GetString(0)] = reader.GetString(1);
        return rows;
    }

    [Fact]
    public async Task A_newer_schema_is_refused_in_words_and_an_older_one_is_not_taken_for_ours()
    {
        await using var test = new TestDatabase();
        // A second process need not wait for the first one's lock.
        var watch = System.Diagnostics.Stopwatch.StartNew();
        for (var i = 0; i < 3; i++)
            Database.Migrate(test.Owner);
        watch.Elapsed.TotalSeconds.ShouldBeLessThan(30);
        Database.Check(test.Application);
        TestDatabase.Execute(
            test.Owner,
            "insert into schema_migration (scriptname, applied) values "
                + "('Assignum.Storage.Migrations.9999-of-later.sql', now())"
        );
        foreach (var open in new[] { () => Database.Migrate(test.Owner), () => Database.Check(test.Application) })
            Should
                .Throw<InvalidOperationException>(open)
                .Message.ShouldContain("newer Assignum (its schema has 9999-of-later");
        TestDatabase.Execute(
            test.Owner,
            "delete from schema_migration where scriptname like '%9999%' or scriptname like '%0020%'"
        );
        Should.Throw<InvalidOperationException>(() => Database.Check(test.Application)).Message.ShouldContain("older");
    }
}
