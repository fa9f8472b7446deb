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
          union all select 'stock ' || md5(string_agg(s::text, ' ' order by event_id, line_no)) from stock_movement s
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
