using Assignum.Core.Ledger;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Desk;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using Npgsql;
using static Assignum.Storage.Tests.Company;

namespace Assignum.Storage.Tests;

/// <summary>What stands under everything: rows by name, set-ups that catch up, numbers by fiscal year, one
/// clock.</summary>
public class FirmGround
{
    private static async Task<CompiledSetUp> LiveAsync(DeskContext desk, Company company, string code) =>
        (await new ViewSetUp(desk).RunAsync(company.Actor, code, null, new DateOnly(2026, 6, 1), Stop)).Result!.SetUp;

    private static void Owner(Company company, string sql) => Testing.TestDatabase.Execute(company.Test.Owner, sql);

    [Fact]
    public async Task An_undoing_passes_over_columns_that_came_after_the_change()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var edit = new EditSetUp(company.Desk);
        var made = await company.ImportAsync(
            code,
            [Row(Parts.Items, ("code", "RG-100"), ("name", "Gauge of old"), ("nature", "goods"))]
        );
        // As a program kept it that did not know costing and status yet.
        Owner(
            company,
            "update change_row set before = before - 'costing' - 'status', after = after - 'costing' - 'status' "
                + $"where change_id = {made.Result!.Change}"
        );
        (await edit.UndoAsync(company.Actor, code, made.Result.Change!.Value, Stop)).Faults.ShouldBeEmpty();
        var item = (await LiveAsync(company.Desk, company, code)).Item("RG-100")!.Item;
        item.Name.ShouldNotBe("Gauge of old");
        item.Status.ShouldBe(Core.Chart.RecordStatus.Active);
    }

    [Fact]
    public async Task A_rule_that_became_stricter_locks_nobody_out()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        // What an import refuses today stands there from a time when it was taken.
        Owner(company, "update items set nature = 'magic' where code = 'RG-100'");
        Owner(company, "update parties set tax_standing = repeat('x', 4001) where code = 'SHOP-GALE'");
        Owner(company, "update entity set records_revision = records_revision + 1");
        var set = await LiveAsync(company.Desk, company, code);
        set.SetUp.Offences.Select(o => o.Path)
            .ShouldBe(["items.csv:RG-100:nature", "parties.csv:SHOP-GALE:tax_standing"], ignoreOrder: true);
        set.Item("RG-100").ShouldNotBeNull();
        // Everything else goes on, and whoever mends the row is rid of it.
        (await company.PostAsync(code, Sale("S", party: "SCH-KERRY"))).Single().Outcome.ShouldBe("posted");
        (
            await new EditSetUp(company.Desk).MakeAsync(
                company.Actor,
                code,
                "mended",
                null,
                (now, _) =>
                    [
                        SetUpEdit.Row(
                            Parts.Parties,
                            Parts.Parties.Row(now, "SHOP-GALE"),
                            new Dictionary<string, string?> { ["tax_standing"] = "domestic" }
                        ),
                    ],
                Stop
            )
        ).Faults.ShouldBeEmpty();
        (await LiveAsync(company.Desk, company, code))
            .SetUp.Offences.Select(o => o.Path)
            .ShouldBe(["items.csv:RG-100:nature"]);
    }

    [Theory]
    [InlineData(
        "insert into groups (entity_id, since, kind, code, name) select entity_id, 1, kind, code, name from groups where "
            + "until is null and draft is null",
        PostgresErrorCodes.UniqueViolation
    )]
    [InlineData(
        "insert into assignments (entity_id, since, purpose, account, item_group) "
            + "select entity_id, 1, purpose, account, item_group from assignments "
            + "where item_group is not null and item is null and party_group is null limit 1",
        PostgresErrorCodes.UniqueViolation
    )]
    [InlineData(
        "insert into assignments (entity_id, since, purpose, account) select entity_id, 1, 'scrap', '99999' from entity",
        PostgresErrorCodes.ForeignKeyViolation
    )]
    [InlineData(
        "delete from account_terms; delete from accounts where number in (select account from assignments)",
        PostgresErrorCodes.ForeignKeyViolation
    )]
    public async Task The_database_holds_one_current_row_a_key_and_no_assignment_without_account(
        string sql,
        string state
    )
    {
        await using var company = new Company();
        await company.OpenAsync();
        Should.Throw<PostgresException>(() => Owner(company, sql)).SqlState.ShouldBe(state);
    }

    [Fact]
    public async Task Another_process_catches_up_by_what_was_changed()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var other = new DeskContext(company.Test.Database);
        var before = await LiveAsync(other, company, code);
        var bytes = other.Shelf.Held;
        // Records, an account and, in the draft, an assignment: each is there in the other process, and only there.
        await company.ImportAsync(
            code,
            [
                Row(Parts.Items, ("code", "NEW-1"), ("name", "New"), ("nature", "goods"), ("group", "RAIN")),
                Row(
                    Parts.Accounts,
                    ("number", "4098"),
                    ("name", "Fresh"),
                    ("class", "revenue"),
                    ("kind", "posting"),
                    ("parent", "4000")
                ),
            ]
        );
        await company.ImportAsync(
            code,
            [Row(Parts.Assignments, ("purpose", "sales-revenue"), ("account", "4098"), ("item", "NEW-1"))]
        );
        var after = await LiveAsync(other, company, code);
        after.Item("NEW-1").ShouldNotBeNull();
        after.Account("4098")!.Name.ShouldBe("Fresh");
        after.SetUp.Assignments.Count.ShouldBe(before.SetUp.Assignments.Count);
        // It was not read anew: what was not changed is the very same.
        after.SetUp.Items[0].ShouldBeSameAs(before.SetUp.Items[0]);
        after.SetUp.Parties.ShouldBeSameAs(before.SetUp.Parties);
        var draft = (await new ViewSetUp(other).RunAsync(company.Actor, code, "draft", null, Stop)).Result!.SetUp;
        draft.SetUp.Assignments.Count.ShouldBe(before.SetUp.Assignments.Count + 1);
        draft.SetUp.Items.ShouldBeSameAs(after.SetUp.Items);
        // And it is what reading it anew gives.
        var anew = (
            await new ViewSetUp(new DeskContext(company.Test.Database)).RunAsync(
                company.Actor,
                code,
                "draft",
                null,
                Stop
            )
        )
            .Result!
            .SetUp;
        SetUpImport.Difference(draft.SetUp, anew.SetUp).ShouldBeEmpty();
        other.Shelf.Held.Count.ShouldBe(bytes.Count + 2);
    }

    [Fact]
    public async Task What_many_people_change_is_the_same_in_every_process()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var desks = new[] { company.Desk, new DeskContext(company.Test.Database), new(company.Test.Database) };
        var random = new Random(20261127);
        var changed = 0;
        for (var turn = 0; turn < 40; turn++)
        {
            var desk = desks[random.Next(desks.Length)];
            var edit = new EditSetUp(desk);
            var made = await edit.MakeAsync(
                company.Actor,
                code,
                "turn",
                null,
                (now, _) => [Some(random, now, turn)],
                Stop
            );
            if (made.Refused is null)
                changed++;
            if (random.Next(4) == 0 && made.Result?.Id is { } id)
                await edit.UndoAsync(company.Actor, code, id, Stop);
            var looking = desks[random.Next(desks.Length)];
            var view = new ViewSetUp(looking);
            foreach (var edition in new[] { "draft", "1" })
            {
                var known = (await view.RunAsync(company.Actor, code, edition, null, Stop)).Result!.SetUp.SetUp;
                var anew = (
                    await new ViewSetUp(new DeskContext(company.Test.Database)).RunAsync(
                        company.Actor,
                        code,
                        edition,
                        null,
                        Stop
                    )
                )
                    .Result!
                    .SetUp
                    .SetUp;
                SetUpImport.Difference(known, anew).ShouldBeEmpty();
            }
        }
        changed.ShouldBeGreaterThan(25);
    }

    private static RowChange Some(Random random, SetUp now, int turn)
    {
        RowChange Row(Part part, string? key, params (string, string?)[] cells) =>
            SetUpEdit.Row(
                part,
                key is null ? null : part.Row(now, key),
                cells.ToDictionary(c => c.Item1, c => c.Item2)
            );
        return random.Next(7) switch
        {
            0 => Row(Parts.Items, null, ("code", "I" + turn), ("name", "I"), ("nature", "goods"), ("group", "RAIN")),
            1 => Row(Parts.Items, "RG-100", ("name", "Gauge " + turn)),
            2 => Row(
                Parts.Accounts,
                null,
                ("number", $"{47_000 + turn}"),
                ("name", "A"),
                ("class", "revenue"),
                ("kind", "posting")
            ),
            3 => Row(Parts.Accounts, "4010", ("name", "Sales " + turn)),
            4 => Row(Parts.Accounts, "4010", ("family", "f" + turn)),
            5 => Row(
                Parts.Assignments,
                null,
                ("purpose", "sales-revenue"),
                ("account", "4010"),
                ("item", now.Items[random.Next(now.Items.Count)].Code)
            ),
            _ => Row(Parts.Parties, "SHOP-GALE", ("name", "Gale " + turn)),
        };
    }

    [Fact]
    public async Task A_shelf_with_little_room_keeps_what_was_used_last()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var desk = new DeskContext(company.Test.Database, null, new SetUpShelf(1));
        await LiveAsync(desk, company, code);
        await company.ImportAsync(code, [Row(Parts.Items, ("code", "RG-100"), ("name", "Other"), ("nature", "goods"))]);
        (await LiveAsync(desk, company, code)).Item("RG-100")!.Item.Name.ShouldBe("Other");
        desk.Shelf.Held.Count.ShouldBe(1);
    }

    [Fact]
    public async Task Numbers_run_by_fiscal_year()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        (
            await new EditSetUp(company.Desk).MakeAsync(
                company.Actor,
                code,
                "year",
                null,
                (now, _) =>
                    [
                        SetUpEdit.Row(
                            Parts.Entity,
                            Parts.Entity.Row(now, code),
                            new Dictionary<string, string?> { ["fiscal_year_start"] = "04-01" }
                        ),
                    ],
                Stop
            )
        ).Faults.ShouldBeEmpty();
        var posted = await company.PostAsync(
            code,
            Sale("A", "2026-03-31"),
            Sale("B", "2026-04-01"),
            Sale("C", "2027-03-31"),
            Sale("D", "2027-04-01")
        );
        posted.Select(p => p.Number).ShouldBe(["2025-000001", "2026-000001", "2026-000002", "2027-000001"]);
    }

    [Fact]
    public async Task Today_is_the_entitys()
    {
        // Half past eleven in the evening of 30 June in UTC is 1 July in Dublin, where clocks are an hour ahead.
        var clock = new Clock(new DateTimeOffset(2026, 6, 30, 23, 30, 0, TimeSpan.Zero));
        await using var company = new Company(clock);
        var code = await company.OpenAsync();
        async Task<DateOnly> TodayAsync() =>
            (await new ViewSetUp(company.Desk).RunAsync(company.Actor, code, "draft", null, Stop)).Result!.Entity.Today;
        (await TodayAsync()).ShouldBe(new DateOnly(2026, 6, 30));
        await ZoneAsync(company, code, "Europe/Dublin");
        (await TodayAsync()).ShouldBe(new DateOnly(2026, 7, 1));
        await ZoneAsync(company, code, "America/New_York");
        (await TodayAsync()).ShouldBe(new DateOnly(2026, 6, 30));
        (await ZoneAsync(company, code, "Atlantis/Capital"))
            .Faults.ShouldHaveSingleItem()
            .Message.ShouldContain("no time zone");
    }

    private static Task<Outcome<EditResult>> ZoneAsync(Company company, string code, string zone) =>
        new EditSetUp(company.Desk).MakeAsync(
            company.Actor,
            code,
            "zone",
            null,
            (now, _) =>
                [
                    SetUpEdit.Row(
                        Parts.Entity,
                        Parts.Entity.Row(now, code),
                        new Dictionary<string, string?> { ["time_zone"] = zone }
                    ),
                ],
            Stop
        );

    internal sealed class Clock(DateTimeOffset now) : TimeProvider
    {
        public override DateTimeOffset GetUtcNow() => now;
    }

    [Fact]
    public async Task The_journal_keeps_lines_whose_reasoning_is_lost()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        await company.PostAsync(code, Sale("S"));
        Owner(company, "delete from landing_pattern where purpose = 'sales-revenue'");
        var entry = (
            await new ReadJournal(company.Desk).EntriesAsync(company.Actor, code, new EntryQuery(), Stop)
        ).Result!.Single();
        entry.Document.Lines.Sum(l => l.Debit - l.Credit).ShouldBe(0);
        entry.Document.Lines.Single(l => l.Purpose == "sales-revenue").Landing.Rung.ShouldBeNull();
    }

    [Fact]
    public async Task An_event_means_the_account_that_it_named_whatever_the_numbers_become()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        await company.PostAsync(
            code,
            """
            {"source":"t","id":"H","kind":"hand-entry","date":"2026-06-20",
             "lines":[{"account":"4010","debit":5},{"account":"6010","credit":5}]}
            """
        );
        async Task NumberAsync(string from, string to) =>
            (
                await new EditSetUp(company.Desk).MakeAsync(
                    company.Actor,
                    code,
                    "renumbered",
                    null,
                    (now, _) =>
                        [
                            SetUpEdit.Row(
                                Parts.Accounts,
                                Parts.Accounts.Row(now, from),
                                new Dictionary<string, string?> { ["number"] = to }
                            ),
                        ],
                    Stop
                )
            ).Faults.ShouldBeEmpty();
        await NumberAsync("4010", "4997");
        // Another account gets the number that the event names.
        await NumberAsync("4012", "4010");
        await using var db = await company.Desk.Database.OpenAsync(Stop);
        var stored = (await JournalStore.NewestEventsAsync(db, 1, 1, Stop)).Single();
        stored.Renumbered.ShouldBe(new Dictionary<string, string> { ["4010"] = "4997" });
    }

    [Fact]
    public async Task Thousands_of_landings_share_few_patterns()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var set = await LiveAsync(company.Desk, company, code);
        var parties = set.SetUp.Parties.Where(p => p.Kind != Core.Records.PartyKind.Supplier && p.Currency is null);
        var items = set.SetUp.Items.Where(i => i.Nature == Core.Records.ItemNature.Goods && i.TaxCategory is not null);
        var events = parties
            .SelectMany(p => items.Take(20).Select(i => (p.Code, Item: i.Code)))
            .Select(
                (x, n) =>
                    $$"""{"source":"t","id":"{{n}}","kind":"sales-invoice","date":"2026-06-15","party":"{{x.Code}}","""
                    + $$""" "lines":[{"item":"{{x.Item}}","unitPrice":10}]}"""
            )
            .ToArray();
        var posted = await company.PostAsync(code, events);
        posted.Count(p => p.Outcome == "posted").ShouldBeGreaterThan(300);
        (await company.AskAsync<long>("select count(*) from entry_line")).ShouldBeGreaterThan(900);
        (await company.AskAsync<long>("select count(*) from landing_pattern")).ShouldBeLessThan(100);
        (await company.AskAsync<long>("select count(*) from trace")).ShouldBe(0);
        // What is read back is what a rehearsal says, word for word.
        var read = (
            await new ReadJournal(company.Desk).EntriesAsync(company.Actor, code, new EntryQuery(Limit: 200), Stop)
        ).Result!;
        var rehearsed = (
            await new Rehearse(company.Desk).RunAsync(
                company.Actor,
                code,
                [.. read.Select(r => Read(events[int.Parse(r.Head.ExternalId)]))],
                null,
                Stop
            )
        ).Result!;
        for (var i = 0; i < read.Count; i++)
            Landings(read[i].Document).ShouldBe(Landings(rehearsed[i].Document!));
    }

    private static string Landings(Formats.Json.EntryDocument entry) =>
        System.Text.Json.JsonSerializer.Serialize(entry.Lines.Select(l => l.Landing));

    [Fact]
    public async Task A_box_and_the_ledger_have_the_same_cent()
    {
        await using var company = new Company();
        var code = await company.OpenAsync(publish: false);
        (
            await company.ImportAsync(
                code,
                [
                    Row(
                        Parts.TaxCodes,
                        ("code", "PHALF"),
                        ("name", "Half"),
                        ("direction", "input"),
                        ("category", "S"),
                        ("deductible", "0.5"),
                        ("base_box", "HB"),
                        ("tax_box", "HT")
                    ),
                    Together(
                        Row(Parts.TaxRates, ("code", "PHALF"), ("from", "2020-01-01"), ("rate", "0.23")),
                        Row(Parts.TaxRates, ("code", "PHALF"), ("from", "2026-07-01"), ("rate", "0.225"))
                    ),
                ]
            )
        ).Faults.ShouldBeEmpty();
        await company.PublishAsync(code, new DateOnly(2026, 1, 1));
        string Bought(string id, string date, string price, string rate) =>
            $$"""{"source":"t","id":"{{id}}","kind":"supplier-invoice","date":"{{date}}","currency":"USD","""
            + $$""" "rate":{{rate}},"party":"SUP-MESSING","lines":[{"account":"6010","unitPrice":{{price}},"""
            + """ "taxCode":"PHALF"}]}""";
        var random = new Random(7);
        var events = Enumerable
            .Range(0, 60)
            .Select(i =>
                Bought(
                    "R" + i,
                    i % 2 == 0 ? "2026-06-10" : "2026-07-10",
                    $"{random.Next(100, 99_999)}.{random.Next(100):00}",
                    $"0.{random.Next(7_000, 9_999)}"
                )
            )
            // 998.40 at 23 % is 229.63, half of it 114.81; at 0.9841 that is 112.98, as the ledger has it.
            .Prepend(Bought("X", "2026-06-10", "998.40", "0.9841"))
            .ToArray();
        (await company.PostAsync(code, events))
            .SelectMany(p => p.Errors.Select(e => e.Message))
            .Distinct()
            .ShouldBeEmpty();
        (
            await company.AskAsync<decimal>(
                "select x.entity_reclaimed from entry_tax x join entry n using (entity_id, entry_id) join event v on "
                    + "v.event_id = n.event_id where v.external_id = 'X'"
            )
        ).ShouldBe(112.98m);
        (
            await company.AskAsync<decimal>(
                "select sum(debit - credit) from entry_line where purpose = 'input-tax' and tax_code = 'PHALF'"
            )
        ).ShouldBe(
            (
                await new Desk.Tax.TaxUse(company.Desk).BoxesAsync(
                    company.Actor,
                    code,
                    new DateOnly(2026, 1, 1),
                    new DateOnly(2026, 12, 31),
                    Stop
                )
            )
                .Result!.Single(b => b.Box == "HT")
                .Amount
        );
    }

    [Fact]
    public async Task Many_who_post_right_after_a_publication_wait_for_nobody_who_waits_for_them()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        await company.ImportAsync(code, [Row(Parts.Policies, ("policy", "discounts"), ("value", "net"))]);
        await company.PublishAsync(code, new DateOnly(2026, 2, 1));
        // A process that knows no set-up yet, with fewer connections than posters.
        // A hundred share four of them beside whatever else this machine does: who waits for a holder that waits for it waits
        // for ever, however long that may be.
        var few = new NpgsqlConnectionStringBuilder(company.Test.Application)
        {
            MaxPoolSize = 4,
            Timeout = 60,
        }.ConnectionString;
        await using var database = new Database(few);
        var desk = new DeskContext(database);
        var posted = await Task.WhenAll(
            Enumerable
                .Range(0, 100)
                .Select(i => new PostEvents(desk).RunAsync(company.Actor, code, [Read(Sale("P" + i))], 1, Stop))
        );
        posted.ShouldAllBe(p => p.Result!.Single().Outcome == "posted");
    }

    [Fact]
    public async Task What_is_posted_is_kept_as_used_by_posting()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        await using var db = await company.Desk.Database.OpenAsync(Stop);
        (await EntityStore.JournalUsesAsync(db, 1, "items", Stop)).ShouldBeEmpty();
        await company.PostAsync(code, Sale("S"));
        (await EntityStore.JournalUsesAsync(db, 1, "items", Stop)).ShouldBe(["RG-100"]);
        (await EntityStore.JournalUsesAsync(db, 1, "parties", Stop)).ShouldBe(["SHOP-GALE"]);
    }
}
