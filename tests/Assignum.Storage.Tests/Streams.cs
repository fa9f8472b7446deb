using Assignum.Core.Tables;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using Assignum.Formats.Json;
using Assignum.Testing;
using static Assignum.Storage.Tests.Company;

namespace Assignum.Storage.Tests;

/// <summary>Batch after batch of one sender: the next is made while one is written, and the books are those of one by
/// one.</summary>
public class Streams
{
    // Everything that posting writes, told so that two databases compare.
    private const string Books = """
        select string_agg(part, '|' order by part) from (
          select 'event ' || md5(string_agg((event_id, source, external_id, kind, date, body, outcome, edition)::text,
            ' ' order by event_id)) as part from event
          union all select 'entry ' || md5(string_agg((entry_id, number, event_id, role, date, edition, kind, currency,
            rate, reference, party, total, remarks)::text, ' ' order by entry_id)) from entry
          union all select 'line ' || md5(string_agg((l.entry_id, line_no, account, debit, credit, currency_debit,
            currency_credit, rate, l.purpose, party, item, text, date, p.body, landing_note)::text, ' '
            order by l.entry_id, line_no)) from entry_line l left join landing_pattern p using (entity_id, pattern_id)
          union all select 'tax ' || md5(string_agg(t::text, ' ' order by entry_id, line_no)) from entry_tax t
          union all select 'sub ' || md5(string_agg((entry_id, line_no, control, account, party, reference, settles,
            amount, currency, currency_amount, rate, document, event_id, purpose, kind, state, order_ref, quantity, due,
            tax_code, counterparty, by_default, item, location)::text, ' ' order by event_id, entry_id, line_no, item,
            location, amount))
            from subledger_movement
          union all select 'link ' || md5(string_agg(k::text, ' ' order by k::text)) from event_link k
          union all select 'day ' || md5(string_agg(d::text, ' ' order by d::text)) from account_day d
          union all select 'month ' || md5(string_agg(m::text, ' ' order by m::text)) from account_month m
          union all select 'use ' || md5(string_agg(u::text, ' ' order by u::text)) from record_use u
          union all select 'named ' || md5(string_agg(a::text, ' ' order by a::text)) from event_account a
          union all select 'next ' || next_event || ' ' || next_entry from posting
        ) x
        """;

    private static async Task<(List<PostedEvent> Answers, int Ahead)> StreamAsync(
        Company company,
        string code,
        IReadOnlyList<IReadOnlyList<ReadEvent>> batches,
        Func<int, Task>? between = null
    )
    {
        await using var stream = new PostEvents(company.Desk).Stream(company.Actor, code);
        var answers = new List<PostedEvent>();
        var given = 1;
        for (var i = 0; i < batches.Count; i++)
        {
            if (between is not null)
                await between(i);
            var outcome = await stream.PostAsync(
                batches[i],
                answers.Count + 1,
                () => given < batches.Count ? batches[given++] : null,
                Stop
            );
            answers.AddRange(outcome.Result!);
        }
        return (answers, stream.MadeAhead);
    }

    private static IReadOnlyList<ReadEvent> Batch(params string[] events) => [.. events.Select(Read)];

    [Fact]
    public async Task The_demos_events_make_the_same_books_in_batches_of_any_size_as_one_by_one()
    {
        var lines = File.ReadAllLines(
            Path.Combine(ProjectFiles.Root, "tests", "company", "skerrow", "1-skerrow", "events.ndjson")
        );
        // Some come twice, a few batches apart or at once; some name nobody.
        var random = new Random(41);
        var events = lines
            .Where(l => l.Length > 0)
            .Take(300)
            .SelectMany(
                (l, i) =>
                    i % 17 == 0 ? [l, l]
                    : i % 23 == 0 ? [l, Sale($"bad-{i}", party: "NOBODY")]
                    : new[] { l }
            )
            .ToList();
        for (var i = 0; i < 20; i++)
            events.Insert(random.Next(20, events.Count), events[random.Next(0, 20)]);

        await using var single = new Company();
        var code = await single.OpenAsync();
        var expected = new List<PostedEvent>();
        foreach (var e in events)
            expected.AddRange(await single.PostAsync(code, e));
        expected.Count(e => e.Outcome == "posted").ShouldBeGreaterThan(250);
        expected.Count(e => e.Outcome == "duplicate").ShouldBeGreaterThan(20);
        expected.Count(e => e.Outcome == "refused").ShouldBeGreaterThan(5);
        var books = await single.AskAsync<string>(Books);

        for (var round = 0; round < 2; round++)
        {
            await using var company = new Company();
            await company.OpenAsync();
            var batches = new List<IReadOnlyList<ReadEvent>>();
            for (var at = 0; at < events.Count; )
            {
                var size = Math.Min(random.Next(1, round == 0 ? 12 : 90), events.Count - at);
                batches.Add([.. events.GetRange(at, size).Select(Read)]);
                at += size;
            }
            var (answers, ahead) = await StreamAsync(company, code, batches);
            answers
                .Select(a => (a.Row, a.Event.Id, a.Outcome, a.Number))
                .ShouldBe(expected.Select((a, i) => (i + 1, a.Event.Id, a.Outcome, a.Number)));
            (await company.AskAsync<string>(Books)).ShouldBe(books);
            // Nobody came in between: every batch but the first was made beside the writing of the one before.
            ahead.ShouldBe(batches.Count - 1);
        }
    }

    [Fact]
    public async Task What_others_post_in_between_is_seen_and_numbers_have_no_gap()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var (answers, ahead) = await StreamAsync(
            company,
            code,
            [
                Batch(Sale("A"), Sale("B")),
                Batch(Sale("C"), Sale("OTHER"), Sale("B", price: 7m)),
                Batch(Sale("D")),
                Batch(Sale("E")),
            ],
            async i =>
            {
                if (i == 1)
                    (await company.PostAsync(code, Sale("OTHER")))[0].Number.ShouldBe("2026-000003");
            }
        );
        answers
            .Select(a => (a.Event.Id, a.Outcome, a.Number))
            .ShouldBe([
                ("A", "posted", "2026-000001"),
                ("B", "posted", "2026-000002"),
                ("C", "posted", "2026-000004"),
                ("OTHER", "duplicate", "2026-000003"),
                ("B", "conflict", "2026-000002"),
                ("D", "posted", "2026-000005"),
                ("E", "posted", "2026-000006"),
            ]);
        ahead.ShouldBe(2);
    }

    // What belongs to events and entries is written before the books are held, and is not unique by itself.
    private const string Astray = """
        select string_agg(what || ' ' || n, ', ') from (
          select 'double line' as what, count(*) as n from (select from entry_line group by entity_id, entry_id, line_no
            having count(*) > 1) x
          union all select 'line of no entry', count(*) from entry_line l where not exists (select from entry n where
            (n.entity_id, n.entry_id) = (l.entity_id, l.entry_id))
          union all select 'double movement', count(*) from (select from subledger_movement where entry_id is not null
            group by entity_id, entry_id, line_no having count(*) > 1) x
          union all select 'movement of no event', count(*) from subledger_movement m where not exists (select from event e
            where (e.entity_id, e.event_id) = (m.event_entity_id, m.event_id))
          union all select 'double tax', count(*) from (select from entry_tax group by entity_id, entry_id, line_no
            having count(*) > 1) x
          union all select 'double goods', count(*) from (select from goods_line group by entity_id, event_id, line_no, date
            having count(*) > 1) x
          union all select 'goods of no event', count(*) from goods_line g where not exists (select from event e
            where (e.entity_id, e.event_id) = (g.entity_id, g.event_id))
          union all select 'double link', count(*) from (select from event_link group by entity_id, party, what, name,
            event_id having count(*) > 1) x
          union all select 'link of no event', count(*) from event_link k where not exists (select from event e
            where (e.entity_id, e.event_id) = (k.entity_id, k.event_id))
          union all select 'day that is not its lines', count(*) from (
            select account_id, date, sum(debit) - sum(credit) as moved from entry_line group by 1, 2) l
            full join account_day d using (account_id, date) where l.moved is distinct from d.debit - d.credit
        ) x where n > 0
        """;

    [Fact]
    public async Task Senders_at_once_take_turns_and_leave_nothing_of_what_they_take_back()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        const int senders = 3,
            batches = 12,
            each = 15;
        var all = await Task.WhenAll(
            Enumerable
                .Range(0, senders)
                .Select(s =>
                    StreamAsync(
                        company,
                        code,
                        [
                            .. Enumerable
                                .Range(0, batches)
                                .Select(b => Batch([.. Enumerable.Range(0, each).Select(i => Sale($"S{s}-{b}-{i}"))])),
                        ]
                    )
                )
        );
        all.SelectMany(a => a.Answers).ShouldAllBe(a => a.Outcome == "posted");
        all.SelectMany(a => a.Answers)
            .Select(a => a.Number!)
            .Order(StringComparer.Ordinal)
            .ShouldBe(Enumerable.Range(1, senders * batches * each).Select(n => $"2026-{n:000000}"));
        // They were in each other's way, so something was taken back.
        all.Sum(a => a.Ahead).ShouldBeLessThan(senders * (batches - 1));
        (await company.AskAsync<object>(Astray)).ShouldBe(DBNull.Value);
        (await company.AskAsync<long>("select count(*) from entry")).ShouldBe(senders * batches * each);
    }

    [Fact]
    public async Task What_is_on_its_way_when_a_sender_goes_leaves_nothing()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        await using (var stream = new PostEvents(company.Desk).Stream(company.Actor, code))
        {
            var following = new Queue<IReadOnlyList<ReadEvent>>([Batch(Sale("B")), Batch(Sale("C"))]);
            (await stream.PostAsync([Read(Sale("A"))], 1, () => following.TryDequeue(out var b) ? b : null, Stop))
                .Result!.Single()
                .Number.ShouldBe("2026-000001");
            following.ShouldBeEmpty();
        }
        (await company.AskAsync<object>(Astray)).ShouldBe(DBNull.Value);
        (await company.AskAsync<long>("select count(distinct entry_id) from entry_line")).ShouldBe(1);
        (await company.PostAsync(code, Sale("D"))).Single().Number.ShouldBe("2026-000002");
    }

    // A sender that other batches follow, but not those that it gave.
    [Fact]
    public async Task Other_batches_than_those_that_were_given_are_posted_all_the_same()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        await using var stream = new PostEvents(company.Desk).Stream(company.Actor, code);
        var given = Batch(Sale("B"));
        var once = true;
        IReadOnlyList<ReadEvent>? Next()
        {
            var now = once ? given : null;
            once = false;
            return now;
        }
        (await stream.PostAsync(Batch(Sale("A")), 1, Next, Stop)).Result!.Single().Outcome.ShouldBe("posted");
        (await stream.PostAsync(Batch(Sale("C")), 2, null, Stop)).Result!.Single().Number.ShouldBe("2026-000002");
        (await stream.PostAsync(given, 3, null, Stop)).Result!.Single().Number.ShouldBe("2026-000003");
        (await company.AskAsync<object>(Astray)).ShouldBe(DBNull.Value);
    }

    [Fact]
    public async Task What_is_published_in_between_decides()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var (answers, ahead) = await StreamAsync(
            company,
            code,
            [Batch(Sale("A")), Batch(Sale("B")), Batch(Sale("C"))],
            async i =>
            {
                if (i != 1)
                    return;
                (
                    await company.ImportAsync(
                        code,
                        [Row(Parts.Assignments, ("purpose", "sales-revenue"), ("item", "RG-100"), ("account", "4012"))]
                    )
                ).Refused.ShouldBeNull();
                await company.PublishAsync(code, new DateOnly(2026, 6, 1));
            }
        );
        answers.ShouldAllBe(a => a.Outcome == "posted");
        ahead.ShouldBe(1);
        (
            await company.AskAsync<string>(
                "select string_agg(n.edition || ' ' || l.account, ', ' order by n.number) from entry n join entry_line "
                    + "l using (entity_id, entry_id) where l.purpose = 'sales-revenue'"
            )
        ).ShouldEndWith("2 4012, 2 4012");
    }

    // An invoice in euro and a later one in dollars under one reference: a payment settles the later, whatever was
    // posted in which batch.
    [Theory]
    [InlineData("USD", 150.0)]
    [InlineData("EUR", 100.0)]
    public async Task A_payment_settles_the_latest_document_of_a_reference_in_whatever_batches_they_come(
        string latest,
        double amount
    )
    {
        string Invoice(string id, string currency) =>
            $$"""{"source":"t","id":"{{id}}","kind":"sales-invoice","date":"2026-06-15","reference":"R-1","party":"SHOP-GALE","""
            + (currency == "EUR" ? "" : $"\"currency\":\"{currency}\",\"rate\":0.9,")
            + "\"lines\":[{\"item\":\"RG-100\",\"unitPrice\":100}]}";
        var payment =
            $$"""{"source":"t","id":"P","kind":"customer-payment","date":"2026-06-20","party":"SHOP-GALE","method":"BANK","""
            + (latest == "EUR" ? "" : $"\"currency\":\"{latest}\",\"rate\":0.95,")
            + $"\"settles\":[{{\"reference\":\"R-1\",\"amount\":{amount:0}}}],\"amount\":{amount:0}}}";
        string[] events = [Invoice("A", latest == "USD" ? "EUR" : "USD"), Invoice("B", latest), payment];

        var books = new List<string>();
        foreach (var sizes in new[] { new[] { 1, 1, 1 }, [3], [2, 1], [1, 2] })
        {
            await using var company = new Company();
            var code = await company.OpenAsync();
            var at = 0;
            var (answers, _) = await StreamAsync(
                company,
                code,
                [
                    .. sizes.Select(s =>
                        Batch(events[(at += s) - s] is var first && s == 1 ? [first] : events[(at - s)..at])
                    ),
                ]
            );
            answers.Select(a => a.Outcome + string.Join(' ', a.Errors)).ShouldBe(["posted", "posted", "posted"]);
            books.Add(await company.AskAsync<string>(Books));
        }
        books.Distinct().ShouldHaveSingleItem();
    }
}
