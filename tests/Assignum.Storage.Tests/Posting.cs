using Assignum.Core;
using Assignum.Core.Ledger;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using Npgsql;
using static Assignum.Storage.Tests.Company;

namespace Assignum.Storage.Tests;

/// <summary>Posting on the real database.</summary>
public class Posting
{
    [Fact]
    public async Task An_event_posts_once_however_often_it_is_sent()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var first = await company.PostAsync(code, Sale("A"), Sale("A"), Sale("B"));
        first
            .Select(p => (p.Outcome, p.Number))
            .ShouldBe([("posted", "2026-000001"), ("duplicate", "2026-000001"), ("posted", "2026-000002")]);
        var again = await company.PostAsync(code, Sale("A"), Sale("B", price: 5m), Sale("C"));
        again
            .Select(p => (p.Outcome, p.Number))
            .ShouldBe([("duplicate", "2026-000001"), ("conflict", "2026-000002"), ("posted", "2026-000003")]);
        (await company.AskAsync<long>("select count(*) from entry")).ShouldBe(3);
    }

    [Fact]
    public async Task A_refused_event_leaves_nothing_and_does_not_touch_its_neighbours()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var posted = await company.PostAsync(code, Sale("A"), Sale("B", party: "NOBODY"), Sale("C"));
        posted.Select(p => p.Outcome).ShouldBe(["posted", "refused", "posted"]);
        posted[1].Errors.ShouldHaveSingleItem().Path.ShouldBe("party");
        posted[2].Number.ShouldBe("2026-000002");
        (await company.AskAsync<long>("select count(*) from event")).ShouldBe(2);
        (await company.AskAsync<long>("select count(*) from subledger_movement where control = 'stock'")).ShouldBe(0);
    }

    [Fact]
    public async Task Numbers_have_no_gap_whoever_posts_at_once()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        await Task.WhenAll(
            Enumerable
                .Range(0, 8)
                .Select(async worker =>
                {
                    for (var i = 0; i < 12; i++)
                        await company.PostAsync(
                            code,
                            Sale($"{worker}-{i}", i % 2 == 0 ? "2026-06-15" : "2027-01-10"),
                            Sale($"{worker}-{i}-bad", party: "NOBODY")
                        );
                })
        );
        foreach (var year in new[] { 2026, 2027 })
            (await company.AskAsync<long>($"select max(sequence) - count(*) from entry where year = {year}")).ShouldBe(
                0
            );
        (await company.AskAsync<long>("select count(*) from entry")).ShouldBe(96);
        // The sums by day and by month are those of the lines.
        (
            await company.AskAsync<long>(
                """
                select count(*) from (select account_id, date_trunc('month', date)::date as month, sum(debit) d,
                  sum(credit) c from entry_line group by 1, 2) l
                full join account_month s using (account_id, month) where l.d is distinct from s.debit or l.c is
                  distinct from s.credit
                """
            )
        ).ShouldBe(0);
        (
            await company.AskAsync<long>(
                """
                select count(*) from (
                  select account_id, date, sum(debit) d, sum(credit) c from entry_line group by 1, 2) l
                full join account_day s using (account_id, date) where l.d is distinct from s.debit or l.c is distinct
                  from s.credit
                """
            )
        ).ShouldBe(0);
        (await company.AskAsync<decimal>("select sum(debit) - sum(credit) from entry_line")).ShouldBe(0);
        // Nothing points at nothing: what foreign keys would say, said once.
        (
            await company.AskAsync<long>(
                """
                select (select count(*) from entry_line l where not exists (select from entry n where (n.entity_id,
                  n.entry_id) = (l.entity_id, l.entry_id))
                          or not exists (select from landing_pattern p where (p.entity_id, p.pattern_id)
                            = (l.entity_id, l.pattern_id))
                          or l.date <> (select n.date from entry n where (n.entity_id, n.entry_id) = (l.entity_id,
                            l.entry_id))
                          or not exists (select from accounts a where (a.entity_id, a.account_id) = (l.entity_id,
                            l.account_id)))
                     + (select count(*) from entry n where not exists (select from event v where (v.entity_id,
                       v.event_id) = (n.event_entity_id, n.event_id)))
                     + (select count(*) from event v where not exists (select from entity e where e.entity_id =
                       v.entity_id))
                     + (select count(*) from entry_tax x where not exists (select from entry n where (n.entity_id,
                       n.entry_id) = (x.entity_id, x.entry_id)))
                     + (select count(*) from subledger_movement m where not exists (select from entry_line l where
                       (l.entity_id, l.entry_id, l.line_no) = (m.entity_id, m.entry_id, m.line_no)))
                """
            )
        ).ShouldBe(0);
    }

    [Fact]
    public async Task A_payment_takes_account_and_rate_from_the_document_it_settles_even_in_one_batch()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        string Pay(string id, decimal amount) =>
            string.Create(
                System.Globalization.CultureInfo.InvariantCulture,
                $$"""{"source":"t","id":"{{id}}","kind":"customer-payment","date":"2026-06-20","""
                    + $$""" "currency":"USD","rate":0.9051,"party":"EX-BOREAL","amount":{{amount}},"settles":["""
                    + $$""" {"reference":"INV","amount":{{amount}}}]}"""
            );
        const string Invoice =
            """{"source":"t","id":"I","kind":"sales-invoice","date":"2026-06-15","currency":"USD","""
            + """ "rate":0.9173,"reference":"INV","party":"EX-BOREAL","lines":[{"item":"RG-100","""
            + """ "unitPrice":100}]}""";
        (await company.PostAsync(code, Invoice, Pay("P1", 60m))).ShouldAllBe(p => p.Outcome == "posted");
        (await company.PostAsync(code, Pay("P2", 40m))).ShouldAllBe(p => p.Outcome == "posted");
        (
            await company.AskAsync<decimal>("select sum(amount) from subledger_movement where control = 'receivables'")
        ).ShouldBe(0);
        (await company.AskAsync<decimal>("select sum(debit) from entry_line where purpose = 'exchange-loss'")).ShouldBe(
            1.22m
        );
        var over = await company.PostAsync(code, Pay("P3", 1m));
        over[0].Outcome.ShouldBe("posted");
        (await company.AskAsync<string>("select remarks->0->>'code' from entry where number = '2026-000004'")).ShouldBe(
            "settles-too-much"
        );
    }

    [Fact]
    public async Task A_charge_posts_in_both_entities_or_in_neither()
    {
        await using var company = new Company();
        var (one, two) = (await company.OpenAsync("ONE"), await company.OpenAsync("TWO", publish: false));
        var charge =
            """{"source":"t","id":"X","kind":"intercompany-charge","date":"2026-06-15","""
            + """ "counterparty":"TWO","amount":50}""";
        foreach (var code in new[] { one, two })
            (
                await company.ImportAsync(
                    code,
                    [
                        new Sheet(
                            Parts.Accounts,
                            Enumerable.Range(0, Parts.Accounts.Columns.Count).ToHashSet(),
                            [
                                .. new[]
                                {
                                    ("1700", "asset", "intercompany"),
                                    ("2700", "liability", "intercompany"),
                                }.Select(
                                    (a, i) =>
                                    {
                                        var row = new string?[Parts.Accounts.Columns.Count];
                                        (row[0], row[1], row[2], row[3], row[9]) = (
                                            a.Item1,
                                            "Other entities",
                                            a.Item2,
                                            "posting",
                                            a.Item3
                                        );
                                        return (i + 2, row);
                                    }
                                ),
                            ]
                        ),
                    ]
                )
            ).Refused.ShouldBeNull();
        async Task Assign(string code, string purpose, string account) =>
            (
                await company.ImportAsync(code, [Row(Parts.Assignments, ("purpose", purpose), ("account", account))])
            ).Refused.ShouldBeNull();
        await Assign(one, "due-from-entities", "1700");
        await Assign(one, "intercompany-income", "4080");
        await company.PublishAsync(one, new DateOnly(2026, 1, 1));
        await Assign(two, "due-to-entities", "2700");
        await company.PublishAsync(two, new DateOnly(2026, 1, 1));
        var refused = await company.PostAsync(one, charge);
        refused[0]
            .Errors.ShouldHaveSingleItem()
            .ShouldSatisfyAllConditions(
                e => e.Purpose.ShouldBe("intercompany-expense"),
                e => e.Message.ShouldStartWith("In TWO")
            );
        (await company.AskAsync<long>("select count(*) from entry")).ShouldBe(0);
        await Assign(two, "intercompany-expense", "6010");
        await company.PublishAsync(two, new DateOnly(2026, 1, 1));
        (await company.PostAsync(one, charge))[0].Outcome.ShouldBe("posted");
        (
            await company.AskAsync<string>(
                "select string_agg(e.code || ' ' || n.role || ' ' || n.total, ', ' order by e.code) from entry n "
                    + "join entity e using (entity_id)"
            )
        ).ShouldBe("ONE entry 50, TWO mirror 50");
    }

    [
        Theory,
        InlineData("entry_line"),
        InlineData("entry"),
        InlineData("event"),
        InlineData("trace"),
        InlineData("audit"),
        InlineData("record_history"),
        InlineData("quiet_movement")
    ]
    public async Task What_is_posted_and_audited_cannot_be_changed_with_the_applications_rights(string table)
    {
        await using var company = new Company();
        foreach (
            var sql in new[]
            {
                $"delete from {table}",
                $"update {table} set entity_id = entity_id",
                $"truncate {table}",
            }
        )
            (await Should.ThrowAsync<PostgresException>(() => company.AskAsync<object>(sql))).SqlState.ShouldBe(
                "42501",
                sql
            );
    }

    [Fact]
    public async Task One_entity_never_sees_anothers_rows_and_a_role_in_one_is_none_in_the_other()
    {
        await using var company = new Company();
        var (one, two) = (await company.OpenAsync("ONE"), await company.OpenAsync("TWO"));
        await company.PostAsync(one, Sale("A"), Sale("B"));
        await company.PostAsync(two, Sale("A"));
        var journal = new ReadJournal(company.Desk);
        (await journal.HeadsAsync(company.Actor, two, new EntryQuery(), Stop)).Result!.Count.ShouldBe(1);
        (await journal.BalancesAsync(company.Actor, two, null, Stop))
            .Result!.Single(b => b.Account == "4010")
            .Credit.ShouldBe(100);
        var only = new Actor("only", null, new Dictionary<string, Role> { ["ONE"] = Role.Viewer });
        (await journal.HeadsAsync(only, two, new EntryQuery(), Stop)).Refused.ShouldBe(Refusal.NotFound);
        (await new PostEvents(company.Desk).RunAsync(only, one, [Read(Sale("Z"))], 1, Stop)).Refused.ShouldBe(
            Refusal.Forbidden
        );
    }

    [Fact]
    public async Task A_landing_is_explained_by_what_was_stored_after_the_set_up_has_changed()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        await company.PostAsync(code, Sale("A"));
        (
            await company.ImportAsync(
                code,
                [Row(Parts.Assignments, ("purpose", "sales-revenue"), ("account", "4012"), ("item", "RG-100"))]
            )
        ).Refused.ShouldBeNull();
        await company.PublishAsync(code, new DateOnly(2026, 1, 1));
        await company.PostAsync(code, Sale("B"));
        var entries = (
            await new ReadJournal(company.Desk).EntriesAsync(company.Actor, code, new EntryQuery(), Stop)
        ).Result!;
        entries
            .Select(e =>
                (
                    e.Document.Edition,
                    e.Document.Lines.Single(l => l.Purpose == "sales-revenue").Account,
                    e.Document.Lines.Single(l => l.Purpose == "sales-revenue").Landing.Rung
                )
            )
            .ShouldBe([(1, "4010", "item-group"), (2, "4012", "item")]);
    }

    [Fact]
    public async Task The_demo_that_ships_is_sound_and_posts_whole()
    {
        await using var company = new Company();
        var folder = Path.Combine(Testing.ProjectFiles.Root, "demo", "skerrow", "1-skerrow");
        var faults = new List<Fault>();
        var sheets = Formats.Bundles.Bundle.FromFolder(Path.Combine(folder, "bundle"), faults);
        faults.ShouldBeEmpty();
        (
            await new CreateEntity(company.Desk).RunAsync(company.Actor, "SKERROW", "Skerrow", "EUR", Stop)
        ).Refused.ShouldBeNull();
        (await company.ImportAsync("SKERROW", sheets, partial: false)).Faults.ShouldBeEmpty();
        await company.PublishAsync("SKERROW", new DateOnly(2026, 5, 1));
        var lines = await File.ReadAllLinesAsync(Path.Combine(folder, "events.ndjson"), Stop);
        var outcomes = new List<PostedEvent>();
        foreach (var batch in lines.Chunk(500))
            outcomes.AddRange(await company.PostAsync("SKERROW", batch));
        outcomes
            .Where(o => o.Outcome is not ("posted" or "nothing" or "duplicate"))
            .Select(o => o.Errors[0].Message)
            .ShouldBeEmpty();
        outcomes.Count(o => o.Outcome == "duplicate").ShouldBe(3);
        (await company.AskAsync<decimal>("select sum(debit - credit) from entry_line")).ShouldBe(0);
    }
}
