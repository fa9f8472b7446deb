using System.Text;
using Assignum.Core;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Core.Work;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using Assignum.Desk.Work;
using Assignum.Formats.Bundles;
using Assignum.Testing;
using static Assignum.Storage.Tests.Company;

namespace Assignum.Storage.Tests;

/// <summary>Work that outlives its request: done once whoever does it, stopped, tried again, taken over.</summary>
public class Working
{
    // Does what a test tells it.
    private sealed class Told(Func<WorkAtHand, CancellationToken, Task<Outcome<object>>> what) : IWorkKind
    {
        public string Kind => "told";

        public Task<Outcome<object>> RunAsync(WorkAtHand work, CancellationToken stop) => what(work, stop);
    }

    private static Worker WorkerOf(Company company, params IWorkKind[] kinds) =>
        WorkerOf(company, TimeSpan.FromMilliseconds(600), kinds);

    private static Worker WorkerOf(Company company, TimeSpan lease, params IWorkKind[] kinds) =>
        new(
            new DeskContext(company.Test.Database),
            [.. kinds, new BundleWork(new ImportBundle(company.Desk)), new EventsWork(new PostEvents(company.Desk))]
        )
        {
            Lease = lease,
            BackOff = TimeSpan.Zero,
            MostAttempts = 3,
        };

    private static async Task<WorkRow> GivenAsync(
        Company company,
        string code,
        string kind = "told",
        object? input = null,
        byte[]? file = null
    ) =>
        (
            await new WorkDesk(company.Desk).StartAsync(
                company.Actor,
                code,
                Role.Preparer,
                kind,
                "a file",
                input ?? new { },
                file,
                Stop
            )
        ).Result!;

    // JSON as the database gives it back has a space after each sign.
    private static string Plain(WorkRow row) =>
        row.Result!.Replace(": ", ":", StringComparison.Ordinal).Replace(", ", ",", StringComparison.Ordinal);

    private static async Task<WorkRow> NowAsync(Company company, string code, long id) =>
        (await new WorkDesk(company.Desk).FindAsync(company.Actor, code, id, Stop)).Result!;

    [Fact]
    public async Task A_file_of_events_is_posted_with_its_broken_lines_told_and_begun_again_posts_nothing_twice()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var lines = Enumerable.Range(0, 1200).Select(i => Sale("E" + i)).ToList();
        lines[3] = "{ broken";
        lines[700] = lines[700].Replace("RG-100", "NO-SUCH", StringComparison.Ordinal);
        var file = Encoding.UTF8.GetBytes(string.Join('\n', lines));
        var given = await GivenAsync(company, code, EventsWork.Name, null, file);
        (await WorkerOf(company).NextAsync(Stop)).ShouldBeTrue();
        var done = await NowAsync(company, code, given.Id);
        (done.Status, done.Done, done.Steps).ShouldBe(("done", 1200, 1200));
        Plain(done).ShouldContain("\"posted\":1198");
        Plain(done).ShouldContain("\"row\":4,");
        Plain(done).ShouldContain("\"row\":701,");
        // The same file, as after a crash in the middle.
        await GivenAsync(company, code, EventsWork.Name, null, file);
        await WorkerOf(company).NextAsync(Stop);
        (await company.AskAsync<long>("select count(*) from event")).ShouldBe(1198);
        (await WorkerOf(company).NextAsync(Stop)).ShouldBeFalse();
    }

    [Fact]
    public async Task A_bundle_is_looked_at_then_brought_in_as_one_change_that_can_be_undone()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var set = (await new ViewSetUp(company.Desk).RunAsync(company.Actor, code, "draft", null, Stop)).Result!.SetUp;
        var zip = new MemoryStream();
        Bundle.ToZip(
            set.SetUp with
            {
                Items = [.. set.SetUp.Items, new("NEW-9", "New", Core.Records.ItemNature.Goods, true, "RAIN")],
            },
            zip
        );
        var looked = await GivenAsync(
            company,
            code,
            BundleWork.Name,
            new BundleOrder(false, true, false),
            zip.ToArray()
        );
        var made = await GivenAsync(company, code, BundleWork.Name, new BundleOrder(true, true, false), zip.ToArray());
        var worker = WorkerOf(company);
        await worker.NextAsync(Stop);
        Plain(await NowAsync(company, code, looked.Id)).ShouldContain("\"file\":\"items\",\"added\":1");
        (await company.AskAsync<long>("select count(*) from items where code = 'NEW-9'")).ShouldBe(0);
        await worker.NextAsync(Stop);
        (await company.AskAsync<long>("select count(*) from items where code = 'NEW-9'")).ShouldBe(1);
        var change = (await new ReadChanges(company.Desk).RunAsync(company.Actor, code, 1, Stop)).Result![0];
        Plain(await NowAsync(company, code, made.Id)).ShouldContain($"\"change\":{change.Id}");
        (await new EditSetUp(company.Desk).UndoAsync(company.Actor, code, change.Id, Stop)).Faults.ShouldBeEmpty();
    }

    [Fact]
    public async Task A_bundle_is_brought_in_once_and_with_its_note_whatever_breaks_off()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var set = (await new ViewSetUp(company.Desk).RunAsync(company.Actor, code, "draft", null, Stop)).Result!;
        var zip = new MemoryStream();
        Bundle.ToZip(
            set.SetUp.SetUp with
            {
                Items = [.. set.SetUp.SetUp.Items, new("NEW-9", "New", Core.Records.ItemNature.Goods, true, "RAIN")],
            },
            zip
        );
        var order = new BundleOrder(true, true, false, null, ImportBundle.StateOf(set.Entity));
        var given = await GivenAsync(company, code, BundleWork.Name, order, zip.ToArray());

        // It is another's by the time that it would note what it did: nothing of it stays.
        TestDatabase.Execute(
            company.Test.Owner,
            """
            create function rob() returns trigger language plpgsql security definer as $$ begin
              update work set holder = gen_random_uuid(); return new; end $$;
            create trigger rob after insert on change for each row execute function rob()
            """
        );
        await WorkerOf(company).NextAsync(Stop);
        TestDatabase.Execute(company.Test.Owner, "drop trigger rob on change");
        (await company.AskAsync<long>("select count(*) from items where code = 'NEW-9'")).ShouldBe(0);
        (await NowAsync(company, code, given.Id)).Status.ShouldBe("running");

        // Whoever takes it over brings it in.
        await company.AskAsync<int>("update work set lease = now() - interval '1 second' where true returning 1");
        await WorkerOf(company).NextAsync(Stop);
        var done = await NowAsync(company, code, given.Id);
        done.Status.ShouldBe("done");
        Plain(done).ShouldContain("\"applied\":true");
        (await company.AskAsync<long>("select count(*) from items where code = 'NEW-9'")).ShouldBe(1);
        (await WorkerOf(company).NextAsync(Stop)).ShouldBeFalse();

        // Asked for again with the same expectation, it is refused: that state is gone.
        var again = await GivenAsync(company, code, BundleWork.Name, order, zip.ToArray());
        await WorkerOf(company).NextAsync(Stop);
        var refused = await NowAsync(company, code, again.Id);
        refused.Status.ShouldBe("failed");
        refused.Says!.ShouldContain("changed");
    }

    [Fact]
    public async Task What_is_wrong_with_a_file_is_said_and_nothing_is_tried_again()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var given = await GivenAsync(company, code, BundleWork.Name, new BundleOrder(true, true, false), [1, 2, 3]);
        await WorkerOf(company).NextAsync(Stop);
        var failed = await NowAsync(company, code, given.Id);
        (failed.Status, failed.Attempts).ShouldBe(("failed", 1));
        failed.Says.ShouldNotBeNullOrEmpty();
    }

    [Fact]
    public async Task Two_workers_share_what_there_is_and_none_is_done_twice()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var done = new System.Collections.Concurrent.ConcurrentBag<string>();
        var kind = new Told(
            async (work, stop) =>
            {
                await Task.Delay(5, stop);
                done.Add(work.Input.GetProperty("n").ToString());
                return new Outcome<object>(new { }, null, []);
            }
        );
        for (var i = 0; i < 20; i++)
            await GivenAsync(company, code, "told", new { n = i });
        async Task AllAsync()
        {
            // On a busy machine a short lease ends in the middle, and another rightly takes over.
            var worker = WorkerOf(company, TimeSpan.FromMinutes(5), kind);
            while (await worker.NextAsync(Stop)) { }
        }
        await Task.WhenAll(AllAsync(), AllAsync(), AllAsync());
        done.Order().ShouldBe(Enumerable.Range(0, 20).Select(i => i.ToString()).Order());
    }

    [Fact]
    public async Task Another_takes_over_when_a_holder_is_gone_and_who_comes_back_late_changes_nothing()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var given = await GivenAsync(company, code);
        // One that takes work and is never heard of again.
        await using (var db = await company.Desk.Database.OpenAsync(Stop))
            (await WorkStore.TakeAsync(db, Guid.NewGuid(), TimeSpan.FromMinutes(5), Stop))!.Id.ShouldBe(given.Id);
        var worker = WorkerOf(
            company,
            new Told((_, _) => Task.FromResult(new Outcome<object>(new { by = "second" }, null, [])))
        );
        (await worker.NextAsync(Stop)).ShouldBeFalse();
        TestDatabase.Execute(company.Test.Owner, "update work set lease = now() - interval '1 second'");
        (await worker.NextAsync(Stop)).ShouldBeTrue();
        var row = await NowAsync(company, code, given.Id);
        (row.Status, row.Attempts).ShouldBe(("done", 2));
        row.Result!.ShouldContain("second");
        await using (var db = await company.Desk.Database.OpenAsync(Stop))
            await WorkStore.EndAsync(db, given.Id, Guid.NewGuid(), "failed", "late", null, null, Stop);
        (await NowAsync(company, code, given.Id)).Status.ShouldBe("done");
    }

    [Fact]
    public async Task A_lease_is_held_as_long_as_the_work_goes_on()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var given = await GivenAsync(company, code);
        var kind = new Told(
            async (_, stop) =>
            {
                await Task.Delay(2000, stop);
                return new Outcome<object>(new { }, null, []);
            }
        );
        var first = WorkerOf(company, kind).NextAsync(Stop);
        await Task.Delay(1200, Stop);
        // Twice as long as the lease, and still nobody else gets it.
        (await WorkerOf(company, kind).NextAsync(Stop)).ShouldBeFalse();
        await first;
        (await NowAsync(company, code, given.Id)).ShouldSatisfyAllConditions(
            r => r.Status.ShouldBe("done"),
            r => r.Attempts.ShouldBe(1)
        );
    }

    [Fact]
    public async Task What_fails_is_tried_again_some_times_and_then_says_why()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var given = await GivenAsync(company, code);
        // A fault that nobody thought of is no different from a disk that is away.
        var faults = new Queue<Exception>([
            new KeyNotFoundException(),
            new OverflowException("too much"),
            new IOException("the disk is away"),
        ]);
        var worker = WorkerOf(company, new Told((_, _) => throw faults.Dequeue()));
        for (var i = 1; i <= 3; i++)
        {
            (await worker.NextAsync(Stop)).ShouldBeTrue();
            (await NowAsync(company, code, given.Id)).Status.ShouldBe(i < 3 ? "waiting" : "failed");
        }
        (await worker.NextAsync(Stop)).ShouldBeFalse();
        (await NowAsync(company, code, given.Id)).Says!.ShouldContain("the disk is away");
        // Somebody mends it and tries again.
        (await new WorkDesk(company.Desk).AgainAsync(company.Actor, code, given.Id, Stop)).Refused.ShouldBeNull();
        await WorkerOf(company, new Told((_, _) => Task.FromResult(new Outcome<object>(new { }, null, []))))
            .NextAsync(Stop);
        (await NowAsync(company, code, given.Id)).Status.ShouldBe("done");
    }

    [Fact]
    public async Task What_failed_leaves_no_broken_statement_to_the_next_attempt()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var given = await GivenAsync(company, code);
        async Task<string> SayAsync(string text)
        {
            await using var db = await company.Test.Database.OpenAsync(Stop);
            await using var command = new Npgsql.NpgsqlCommand("select $1::text || '!'", db)
            {
                Parameters = { new() { Value = text } },
            };
            return (string)(await command.ExecuteScalarAsync(Stop))!;
        }
        // The driver prepares it the third time, and the server refuses it then.
        var texts = new Queue<string>(["rain", "rain", "no\0text", "hail"]);
        var worker = WorkerOf(
            company,
            new Told(
                async (_, _) =>
                {
                    var said = "";
                    while (said != "hail!")
                        said = await SayAsync(texts.Dequeue());
                    return new Outcome<object>(new { said }, null, []);
                }
            )
        );
        (await worker.NextAsync(Stop)).ShouldBeTrue();
        (await NowAsync(company, code, given.Id)).Says!.ShouldContain("22021");
        (await worker.NextAsync(Stop)).ShouldBeTrue();
        (await NowAsync(company, code, given.Id)).ShouldSatisfyAllConditions(
            r => r.Status.ShouldBe("done", r.Says),
            r => r.Attempts.ShouldBe(2)
        );
    }

    [Fact]
    public async Task Work_is_stopped_where_it_says_how_far_it_is()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var desk = new WorkDesk(company.Desk);
        var waiting = await GivenAsync(company, code);
        (await desk.CancelAsync(company.Actor, code, waiting.Id, Stop)).Result!.Status.ShouldBe("cancelled");

        var given = await GivenAsync(company, code);
        var steps = 0;
        var running = WorkerOf(
                company,
                new Told(
                    async (work, stop) =>
                    {
                        for (; steps < 1000; steps++)
                        {
                            await work.ReportAsync(steps, 1000, "counting");
                            await Task.Delay(10, stop);
                        }
                        return new Outcome<object>(new { }, null, []);
                    }
                )
            )
            .NextAsync(Stop);
        await Task.Delay(300, Stop);
        (await NowAsync(company, code, given.Id)).ShouldSatisfyAllConditions(
            r => r.Status.ShouldBe("running"),
            r => r.Steps.ShouldBe(1000)
        );
        (await desk.CancelAsync(company.Actor, code, given.Id, Stop)).Refused.ShouldBeNull();
        await running;
        steps.ShouldBeLessThan(1000);
        (await NowAsync(company, code, given.Id)).Status.ShouldBe("cancelled");
        (await desk.CancelAsync(company.Actor, code, given.Id, Stop)).Refused.ShouldBe(Refusal.Conflict);
    }

    [Fact]
    public async Task Work_has_the_rights_of_who_gave_it_in_its_entity_alone()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        await company.OpenAsync("TWO");
        var nora = new Actor("nora", null, new Dictionary<string, Role> { [code] = Role.Preparer });
        var desk = new WorkDesk(company.Desk);
        (await desk.StartAsync(nora, "TWO", Role.Preparer, "told", "x", new { }, null, Stop)).Refused.ShouldBe(
            Refusal.NotFound
        );
        var iris = new Actor("iris", null, new Dictionary<string, Role> { [code] = Role.Viewer });
        (await desk.StartAsync(iris, code, Role.Preparer, "told", "x", new { }, null, Stop)).Refused.ShouldBe(
            Refusal.Forbidden
        );
        var given = (await desk.StartAsync(nora, code, Role.Preparer, "told", "x", new { }, null, Stop)).Result!;
        Actor? acting = null;
        await WorkerOf(
                company,
                new Told(
                    (work, _) =>
                    {
                        acting = work.Actor;
                        return Task.FromResult(new Outcome<object>(new { }, null, []));
                    }
                )
            )
            .NextAsync(Stop);
        acting!.Name.ShouldBe("nora");
        acting.May(Role.Preparer, code).ShouldBeTrue();
        acting.May(Role.Reviewer, code).ShouldBeFalse();
        acting.May(Role.Viewer, "TWO").ShouldBeFalse();
        (await desk.FindAsync(company.Actor, "TWO", given.Id, Stop)).Refused.ShouldBe(Refusal.NotFound);
    }
}
