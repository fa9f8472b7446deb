using System.Diagnostics;
using System.Globalization;
using System.Text.Json;
using Assignum.Core.Editions;
using Assignum.Core.Landing;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using Assignum.Formats.Json;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Bench;

/// <summary>Drafts, differences, consequences and publishing at the size of the large set, on a database of its
/// own.</summary>
internal static class EditionBench
{
    private const int Events = 1_000,
        LegsInAll = 150_000,
        LinesEach = 10,
        Changed = 10_000;
    private const string Code = "LARGE";
    private static readonly CancellationToken Stop = CancellationToken.None;

    public static async Task RunAsync(string owner, string application)
    {
        var name = "bench_editions_" + Guid.NewGuid().ToString("N")[..8];
        Execute(owner, $"create database {name}");
        try
        {
            var own = new NpgsqlConnectionStringBuilder(owner) { Database = name, Pooling = false }.ConnectionString;
            Database.Migrate(own);
            await using var database = new Database(
                new NpgsqlConnectionStringBuilder(application) { Database = name }.ConnectionString
            );
            await MeasureAsync(new DeskContext(database), database);
        }
        finally
        {
            NpgsqlConnection.ClearAllPools();
            Execute(owner, $"drop database {name} with (force)");
        }
    }

    private static async Task MeasureAsync(DeskContext desk, Database database)
    {
        var actor = new Actor("bench", Role.Administrator, new Dictionary<string, Role>());
        (await new CreateEntity(desk).RunAsync(actor, Code, "Large", "EUR", Stop)).Result!.ToString();
        var large = LargeSet.Make();
        large = large with
        {
            Entity = large.Entity with { Code = Code },
            // What a sale needs beside revenue.
            Accounts =
            [
                .. large.Accounts,
                new Core.Chart.Account(
                    "1200",
                    "Receivables",
                    Core.Chart.AccountClass.Asset,
                    Core.Chart.AccountKind.Posting,
                    Control: Core.Chart.Control.Receivables
                ),
                new Core.Chart.Account(
                    "2300",
                    "Tax",
                    Core.Chart.AccountClass.Liability,
                    Core.Chart.AccountKind.Posting,
                    Control: Core.Chart.Control.Tax
                ),
            ],
            TaxCodes = [new("S", "Sales", Core.Tax.TaxDirection.Output, "S")],
            TaxRates = [new("S", new(2020, 1, 1), .23m)],
            Assignments =
            [
                .. large.Assignments,
                new Assignment("receivables", "1200", []),
                new Assignment("output-tax", "2300", []),
            ],
        };
        var sheets = Parts
            .All.Where(p => p != Parts.Policies && p != Parts.Periods)
            .Select(p => new Sheet(
                p,
                Enumerable.Range(0, p.Columns.Count).ToHashSet(),
                [.. p.Write(large).Select((r, i) => (i + 2, r))]
            ))
            .ToList();
        Say(
            "brought in: 255,000 records, 60,000 assignments",
            await TimeAsync(async () =>
                Must(await new ImportBundle(desk).ApplyAsync(actor, Code, sheets, [], false, null, Stop))
            )
        );
        Say(
            "the first edition published",
            await TimeAsync(async () =>
                Must(await new PublishDraft(desk).RunAsync(actor, Code, new DateOnly(2026, 1, 1), null, Stop))
            )
        );
        var view = new ViewSetUp(desk);
        var post = new PostEvents(desk);
        var read = Enumerable.Range(0, Events).Select(Sale).ToList();
        Say(
            "read and compiled from the database",
            await TimeAsync(async () => Must(await view.RunAsync(actor, Code, "draft", null, Stop)))
        );
        Must(await post.RunAsync(actor, Code, read, 1, Stop));

        var compare = new CompareSetUps(desk, view);
        var edit = new EditSetUp(desk);
        async Task<Visit> StateAsync() => (await view.RunAsync(actor, Code, "draft", null, Stop)).Result!.Visit!;
        RowChange To(SetUp now, Assignment a, string account) =>
            SetUpEdit.Row(
                Parts.Assignments,
                Parts.Assignments.Row(now, Key(a)),
                new Dictionary<string, string?> { ["account"] = account }
            );
        static string Key(Assignment a) =>
            Parts.Assignments.KeyOf(
                Parts.Assignments.Write(new SetUp { Entity = new Entity("", "", "EUR"), Assignments = [a] })[0]
            );

        for (var i = 0; i < 4; i++)
        {
            var state = await StateAsync();
            Say(
                i == 0
                    ? $"one changed assignment, what {Events:N0} events of {LinesEach} lines would do, first"
                    : "the same again",
                await TimeAsync(async () =>
                    Must(
                        await compare.OfEditsAsync(
                            state,
                            (now, _) => [To(now, now.Assignments.First(a => a.RungName == "item-group"), "4321")],
                            Stop
                        )
                    )
                )
            );
        }
        var set = (await view.RunAsync(actor, Code, "draft", null, Stop)).Result!.SetUp;
        var other = new CompiledSetUp(
            SetUpEdit
                .Plan(
                    set.SetUp,
                    [To(set.SetUp, set.SetUp.Assignments.First(a => a.RungName == "item-group"), "4321")],
                    (_, _) => false
                )
                .Next,
            set
        );
        var run = new Core.Ledger.EventRun(null, new());
        var events = read.Select(r => r.Event).ToList();
        for (var i = 0; i < 3; i++)
            Say(
                $"consequences of {Events:N0} events alone",
                Time(() => Consequences.Of(events, run.Apart(events, set), run.Apart(events, other)))
            );

        for (var i = 0; i < 3; i++)
            Say(
                "one assignment saved, and the set-up there to land by",
                await TimeAsync(async () =>
                {
                    Must(
                        await edit.MakeAsync(
                            actor,
                            Code,
                            "one",
                            null,
                            (now, _) => [To(now, now.Assignments[500 + i], "4400")],
                            Stop
                        )
                    );
                    await view.RunAsync(actor, Code, "draft", null, Stop);
                })
            );
        Say(
            "1,000 cells saved",
            await TimeAsync(async () =>
                Must(
                    await edit.MakeAsync(
                        actor,
                        Code,
                        "many",
                        null,
                        (now, _) =>
                            [
                                .. now
                                    .Assignments.Where(a => a.Purpose == "sales-revenue" && a.Account != "4401")
                                    .Take(1_000)
                                    .Select(a => To(now, a, "4401")),
                            ],
                        Stop
                    )
                )
            )
        );
        Say(
            $"{Changed:N0} cells saved",
            await TimeAsync(async () =>
                Must(
                    await edit.MakeAsync(
                        actor,
                        Code,
                        "many more",
                        null,
                        (now, _) =>
                            [
                                .. now
                                    .Assignments.Where(a => a.Purpose == "sales-revenue" && a.Account != "4402")
                                    .Take(Changed)
                                    .Select(a => To(now, a, "4402")),
                            ],
                        Stop
                    )
                )
            )
        );

        var (first, draft) = (
            (await view.RunAsync(actor, Code, "1", null, Stop)).Result!.SetUp.SetUp,
            (await view.RunAsync(actor, Code, "draft", null, Stop)).Result!.SetUp.SetUp
        );

        // Memory of the live edition and the draft together, and of each set-up that comes after them.
        {
            static long Held()
            {
                GC.Collect();
                GC.WaitForPendingFinalizers();
                GC.Collect();
                return GC.GetTotalMemory(true) / (1 << 20);
            }
            var fresh = new DeskContext(database);
            var looking = new ViewSetUp(fresh);
            var none = Held();
            var live = (await looking.RunAsync(actor, Code, "1", null, Stop)).Result;
            var one = Held();
            var beside = (await looking.RunAsync(actor, Code, "draft", null, Stop)).Result;
            var two = Held();
            Console.WriteLine($"editions: memory of one set-up {one - none} MB, of a second beside it {two - one} MB");
            GC.KeepAlive(live);
            GC.KeepAlive(beside);
        }
        // An item added: there to land by in the live edition, here and in another process.
        {
            var there = new DeskContext(database);
            await new ViewSetUp(there).RunAsync(actor, Code, null, new DateOnly(2026, 6, 1), Stop);
            await view.RunAsync(actor, Code, null, new DateOnly(2026, 6, 1), Stop);
            var (saved, here, elsewhere) = (new List<double>(), new List<double>(), new List<double>());
            for (var i = 0; i < 9; i++)
            {
                var code = "NEW-" + i;
                saved.Add(
                    await TimeAsync(async () =>
                        Must(
                            await edit.MakeAsync(
                                actor,
                                Code,
                                "item",
                                null,
                                (now, _) =>
                                    [
                                        SetUpEdit.Row(
                                            Parts.Items,
                                            null,
                                            new Dictionary<string, string?>
                                            {
                                                ["code"] = code,
                                                ["name"] = code,
                                                ["nature"] = "goods",
                                                ["group"] = now.Items[0].Group,
                                            }
                                        ),
                                    ],
                                Stop
                            )
                        )
                    )
                );
                foreach (var (desks, into) in new[] { (desk, here), (there, elsewhere) })
                    into.Add(
                        await TimeAsync(async () =>
                        {
                            var set = (
                                await new ViewSetUp(desks).RunAsync(actor, Code, null, new DateOnly(2026, 6, 1), Stop)
                            )
                                .Result!
                                .SetUp;
                            if (set.Item(code) is not { } known)
                                throw new InvalidOperationException("The item is not there.");
                            var values = default(LegValues);
                            (values[Dimension.Item], values[Dimension.ItemGroup]) = (known.Number, known.Group);
                            _ = set.Landings.Resolve(Purposes.SalesRevenue, values);
                        })
                    );
            }
            static double Middle(List<double> times) => times.Order().ElementAt(times.Count / 2);
            Say("an item saved", Middle(saved));
            Say("then there to land by in the live edition, in this process", Middle(here));
            Say("and in another process", Middle(elsewhere));
        }
        var found = 0;
        for (var i = 0; i < 4; i++)
            Say(
                $"difference of two editions of 60,000 assignments, {found:N0} changed, in words",
                Time(() =>
                    found = Difference
                        .Words(
                            SetUpImport.Difference(first, draft, [.. Parts.All.Where(p => p.HeldBy == HeldBy.Edition)]),
                            first,
                            draft
                        )
                        .Count
                )
            );
        var whole = await StateAsync();
        Say(
            "the same with who, when and why",
            await TimeAsync(async () => Must(await compare.DifferenceAsync(whole, "1", "draft", Stop)))
        );
        Say(
            $"{Changed:N0} changes published",
            await TimeAsync(async () =>
                Must(await new PublishDraft(desk).RunAsync(actor, Code, new DateOnly(2026, 12, 1), null, Stop))
            )
        );

        const string Rows =
            "select (select count(*) from assignments) + (select count(*) from account_terms) + (select count(*) "
            + "from groups) + (select count(*) from ladders) + (select count(*) from draft_removal) + (select "
            + "count(*) from edition)";
        var had = await AskAsync(database, Rows);
        Say(
            "a what-if opened",
            await TimeAsync(async () => Must(await new KeepDrafts(desk).OpenWhatIfAsync(actor, Code, "try", Stop)))
        );
        Console.WriteLine(
            "editions: rows written by opening it                                 "
                + $"{await AskAsync(database, Rows) - had}"
        );

        for (var i = 1; i < LegsInAll / Events / LinesEach; i++)
            Must(await post.RunAsync(actor, Code, [.. Enumerable.Range(i * Events, Events).Select(Sale)], 1, Stop));
        Console.WriteLine(
            $"editions: legs posted {await AskAsync(database, "select count(*) from entry_line"):N0}; reasonings kept "
                + $"{await AskAsync(database, "select count(*) from landing_pattern"):N0}, chains of groups "
                + $"{await AskAsync(database, "select count(*) from landing_chain"):N0}"
        );
    }

    private static ReadEvent Sale(int number)
    {
        var random = new Random(number);
        var lines = string.Join(
            ',',
            Enumerable
                .Range(0, LinesEach)
                .Select(_ =>
                    string.Create(
                        CultureInfo.InvariantCulture,
                        $"{{\"item\":\"I{random.Next(LargeSet.Items)}\",\"quantity\":{random.Next(1, 9)},"
                            + $"\"unitPrice\":{random.Next(100, 9000) / 100m},\"taxCode\":\"S\"}}"
                    )
                )
        );
        using var document = JsonDocument.Parse(
            $"{{\"source\":\"b\",\"id\":\"E{number}\",\"kind\":\"sales-invoice\",\"date\":\"2026-06-01\","
                + $"\"reference\":\"E{number}\",\"party\":\"P{random.Next(LargeSet.Parties)}\",\"lines\":[{lines}]}}",
            EventReader.Options
        );
        return EventReader.Read(document.RootElement);
    }

    private static void Must<T>(Outcome<T> outcome)
    {
        if (outcome.Refused is not null)
            throw new InvalidOperationException(string.Join("; ", outcome.Faults.Take(3).Select(f => f.Message)));
    }

    private static async Task<long> AskAsync(Database database, string sql)
    {
        await using var command = database.Command(sql);
        return (long)(await command.ExecuteScalarAsync(Stop))!;
    }

    private static void Execute(string connection, string sql)
    {
        using var db = new NpgsqlConnection(connection);
        db.Open();
        using var command = new NpgsqlCommand(sql, db);
        command.ExecuteNonQuery();
    }

    private static double Time(Action act)
    {
        var watch = Stopwatch.StartNew();
        act();
        return watch.Elapsed.TotalMilliseconds;
    }

    private static async Task<double> TimeAsync(Func<Task> act)
    {
        var watch = Stopwatch.StartNew();
        await act();
        return watch.Elapsed.TotalMilliseconds;
    }

    private static void Say(string what, double took) =>
        Console.WriteLine($"editions: {what, -75} {took.ToString("N0", CultureInfo.InvariantCulture)} ms");
}
