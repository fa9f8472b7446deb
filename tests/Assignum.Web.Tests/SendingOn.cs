using System.Net;
using System.Text.Json.Nodes;
using Assignum.Testing;

namespace Assignum.Web.Tests;

/// <summary>Entries go on to a ledger: each once, in spite of what happens on the way.</summary>
public sealed class SendingOn(LinkedApp app) : IClassFixture<LinkedApp>, IAsyncLifetime
{
    private HttpClient client = null!;
    private ToldSystems told = null!;
    private LinkedBooks books = null!;
    private static int made;

    public async ValueTask InitializeAsync()
    {
        client = app.Client();
        told = await ToldSystems.StartAsync(app.Port);
        books = new LinkedBooks(client, app.Port);
    }

    public async ValueTask DisposeAsync()
    {
        client.Dispose();
        await told.DisposeAsync();
    }

    private static string Day(int back = 0) => DateTime.UtcNow.AddDays(-back).ToString("yyyy-MM-dd");

    // A ledger whose accounts are ours with another number, live since ten days.
    // Of several the first by its code is the book of record.
    private async Task<(string Code, ToldSystems.System Of)> LiveAsync(object? with = null, string prefix = "GL")
    {
        var number = Interlocked.Increment(ref made);
        var of = told.Add($"gl{number}", "ledger");
        var code = $"{prefix}-{number}";
        await books.JoinAsync(code, $"gl{number}", "ledger", with);
        await books.PairAsync(code, [.. LinkedBooks.Accounts.Select(a => ("account", "T" + a, a))]);
        await books.PostAsync($"/connections/{code}/live", new { from = Day(10) });
        return (code, of);
    }

    private Task<JsonNode> SaleAsync(string id, string? reference = null) =>
        books.PostAsync("/events", Sale(id, Day(), reference));

    private static JsonNode Sale(string id, string day, string? reference = null) =>
        JsonNode.Parse(
            $$"""
            {"source":"till","id":"{{id}}","kind":"sales-invoice","date":"{{day}}","reference":"{{reference ?? id}}",
              "party":"SCH-LOUGH","location":"CORK","lines":[{"item":"BK-1","quantity":2,"unitPrice":10.00}]}
            """
        )!;

    private async Task<JsonNode> SentAsync(string code, string number, string state = "sent")
    {
        JsonNode? last = null;
        try
        {
            return await LinkedBooks.UntilAsync<JsonNode>(
                async () =>
                {
                    last = (await books.GetAsync($"/connections/{code}/journals?limit=1000"))
                        .AsArray()
                        .FirstOrDefault(j => (string)j!["number"]! == number);
                    return (string?)last?["state"] == state ? last : null;
                },
                $"{number} did not become {state}",
                40
            );
        }
        catch (InvalidOperationException e)
        {
            throw new InvalidOperationException($"{e.Message}: {last} {await books.GetAsync($"/connections/{code}")}");
        }
    }

    [Fact]
    public async Task An_entry_is_one_journal_there_though_answers_get_lost_and_the_ledger_breaks()
    {
        var (code, of) = await LiveAsync();
        // What others posted before goes first.
        await SentAsync(code, (string)(await SaleAsync("L0"))[0]!["number"]!);
        // It takes the first, and the answer never comes.
        of.Swallows = 1;
        var first = (string)(await SaleAsync("L1"))[0]!["number"]!;
        var sent = await SentAsync(code, first);
        of.Journals.Count(j => (string)j["number"]! == first).ShouldBe(1);
        // It was read back by its key, and not sent again.
        ((string)sent["reasons"]![0]!["code"]!).ShouldBe("adopted");
        of.Bodies.Count(b => b.Contains($"\"{first}\"", StringComparison.Ordinal)).ShouldBe(1);
        ((string)sent["theirs"]!).ShouldBe((string)of.Journals.Single(j => (string)j["number"]! == first)["id"]!);
        of.Bodies.Where(b => b.Contains(first, StringComparison.Ordinal)).Distinct().Count().ShouldBe(1);
        // Debit equals credit there, and every account is theirs.
        of.Journals[0]["lines"]!.AsArray().Sum(l => (decimal)l!["debit"]! - (decimal)l["credit"]!).ShouldBe(0);
        of.Balances().Keys.ShouldAllBe(k => k.StartsWith('T'));
        // It breaks for a while; nothing is lost.
        var broken = 3;
        of.Fault = _ => broken-- > 0 ? Microsoft.AspNetCore.Http.Results.StatusCode(500) : null;
        var second = (string)(await SaleAsync("L2"))[0]!["number"]!;
        await SentAsync(code, second);
        of.Journals.Count(j => (string)j["number"]! == second).ShouldBe(1);
        // Something before it answers in its place, as if all were well.
        broken = 1;
        of.Fault = c =>
            c.Request.Method == "POST" && broken-- > 0
                ? Microsoft.AspNetCore.Http.Results.Content("<html>Welcome</html>", "text/html")
                : null;
        var third = (string)(await SaleAsync("L3"))[0]!["number"]!;
        var kept = await SentAsync(code, third);
        ((string)kept["theirs"]!).ShouldBe((string)of.Journals.Single(j => (string)j["number"]! == third)["id"]!);
        // Lost there and asked for again by its day: the same bytes.
        lock (of.Journals)
        {
            var lost = of.Journals.FindIndex(j => (string)j["number"]! == first);
            of.Contents.Remove((string)of.Journals[lost]["key"]!);
            of.Journals.RemoveAt(lost);
        }
        await books.PostAsync($"/connections/{code}/resend?date={Day()}", null, HttpStatusCode.Accepted);
        await LinkedBooks.UntilAsync(
            () => Task.FromResult(of.Journals.Any(j => (string)j["number"]! == first) ? "there" : null),
            "it was not sent again"
        );
        of.Bodies.Where(b => b.Contains(first, StringComparison.Ordinal)).Distinct().Count().ShouldBe(1);
    }

    [Fact]
    public async Task What_a_ledger_refuses_is_dead_in_its_words_and_others_overtake_it()
    {
        var (code, of) = await LiveAsync();
        of.Refuses = j =>
            (string?)j["reference"] == "R1"
                ? new JsonObject { ["title"] = "We do not like R1.", ["status"] = 422 }
                : null;
        var refused = (string)(await SaleAsync("R1"))[0]!["number"]!;
        var next = (string)(await SaleAsync("R2"))[0]!["number"]!;
        await SentAsync(code, next);
        var dead = await SentAsync(code, refused, "dead");
        ((string)dead["reasons"]![0]!["message"]!).ShouldContain("do not like R1");
        // Its payment waits behind it.
        var paid = (string)
            (
                await books.PostAsync(
                    "/events",
                    JsonNode.Parse(
                        $$"""
                        {"source":"till","id":"R3","kind":"customer-payment","date":"{{Day()}}","reference":"R3",
                          "party":"SCH-LOUGH",
                          "method":"BANK","amount":5,"settles":[{"reference":"R1","amount":5}]}
                        """
                    )
                )
            )[0]!["number"]!;
        await SentAsync(code, paid, "waiting");
        of.Refuses = null;
        await books.PostAsync(
            $"/connections/{code}/journals/act",
            new { rows = new[] { (long)dead["row"]! }, @do = "retry" }
        );
        await SentAsync(code, refused);
        await SentAsync(code, paid);
        // In the order of the document.
        of.Journals.FindIndex(j => (string)j["number"]! == refused)
            .ShouldBeLessThan(of.Journals.FindIndex(j => (string)j["number"]! == paid));
    }

    [Fact]
    public async Task A_closed_month_there_waits_or_moves_as_the_connection_says()
    {
        var (waits, there) = await LiveAsync();
        var (moves, other) = await LiveAsync(new { closedPeriod = "next-open" });
        JsonObject? Closed(JsonObject journal) =>
            string.CompareOrdinal((string)journal["date"]!, Day()) <= 0
                ? new JsonObject
                {
                    ["title"] = "The month is closed.",
                    ["code"] = "month-closed",
                    ["firstOpen"] = Day(-3),
                }
                : null;
        (there.Refuses, other.Refuses) = (Closed, Closed);
        var number = (string)(await SaleAsync("M1"))[0]!["number"]!;
        var waiting = await SentAsync(waits, number, "waiting");
        ((string)waiting["reasons"]![0]!["code"]!).ShouldBe("closed-there");
        await SentAsync(moves, number);
        ((string)other.Journals.Single(j => (string)j["number"]! == number)["date"]!).ShouldBe(Day(-3));
        there.Refuses = null;
        await books.AskAsync(waits);
        await SentAsync(waits, number);
        ((string)there.Journals.Single(j => (string)j["number"]! == number)["date"]!).ShouldBe(Day());
    }

    [Fact]
    public async Task What_is_booked_there_by_hand_comes_back_as_foreign()
    {
        var (code, of) = await LiveAsync(prefix: "A-GL");
        of.Journals.Add(
            (JsonObject)
                JsonNode.Parse(
                    $$"""
                    {"id":"H1","origin":"hand","state":"posted","date":"{{Day()}}","number":"H1","text":"Hand",
                      "currency":"EUR","rate":1,
                      "lines":[{"account":"T1210","debit":250,"credit":0},{"account":"T1110","debit":0,"credit":250}]}
                    """
                )!
        );
        await books.AskAsync(code);
        var foreign = await LinkedBooks.UntilAsync<JsonNode>(
            async () =>
                (await books.GetAsync($"/connections/{code}/foreign")).AsArray() is { Count: > 0 } all ? all[0] : null,
            "nothing foreign came"
        );
        ((string)foreign["id"]!).ShouldBe("H1");
        // The control is held against the book of record, and every cent of the difference has its cause. Until its own
        // balances came, the next ledger that told some is the book of record.
        var ties = await LinkedBooks.UntilAsync<JsonNode>(
            async () =>
            {
                var all = await books.GetAsync("/tie-outs");
                return all.AsArray()
                    .Any(t => t!["bookOfRecordCauses"]?.AsArray().Any(c => (string)c!["cause"]! == "foreign") == true)
                    ? all
                    : null;
            },
            "no balances came with what is foreign"
        );
        foreach (var tie in ties.AsArray().Where(t => t!["bookOfRecord"] is not null))
            tie!["bookOfRecordCauses"]!
                .AsArray()
                .Sum(c => (decimal)c!["amount"]!)
                .ShouldBe((decimal)tie["bookOfRecordDifference"]!);
        var receivables = ties.AsArray().Single(t => (string)t!["control"]! == "receivables")!;
        receivables["bookOfRecordCauses"]!
            .AsArray()
            .ShouldContain(c => (string)c!["cause"]! == "foreign" && (decimal)c["amount"]! == -250m);
        (await books.GetAsync("/findings?edition=draft"))
            .AsArray()
            .ShouldContain(f => (string)f!["code"]! == "foreign-on-control");
    }

    [Fact]
    public async Task What_was_sent_before_a_restore_is_known_again_by_what_it_says()
    {
        var (code, of) = await LiveAsync();
        var number = (string)(await SaleAsync("Z1"))[0]!["number"]!;
        await SentAsync(code, number);
        // As if the database had been put back to before the journal was sent, in another installation: what is there has
        // a key that is not known here any more. It is not its time to be asked, and it is read all the same.
        TestDatabase.Execute(
            app.Database.Owner,
            $"""
            begin;
            update connection set taken_entry = taken_entry - 1, ask_at = clock_timestamp() + interval '1 hour'
              where code = '{code}';
            delete from link_cursor where connection_id = (select connection_id from connection where code = '{code}');
            delete from link_journal where "number" = '{number}'
              and connection_id = (select connection_id from connection where code = '{code}');
            update installation set id = gen_random_uuid();
            commit;
            """
        );
        var sent = await SentAsync(code, number);
        ((string)sent["reasons"]![0]!["code"]!).ShouldBe("adopted");
        of.Journals.Count(j => (string)j["number"]! == number).ShouldBe(1);
        ((string)sent["key"]!).ShouldNotBe((string)of.Journals.Single(j => (string)j["number"]! == number)["key"]!);
    }

    [Fact]
    public async Task Where_a_ledger_wants_no_detail_a_day_is_one_journal_and_what_comes_later_of_it_another()
    {
        var (code, of) = await LiveAsync(new { sends = "day-sums" }, "SUM");
        var before = of.Balances();
        await books.PostAsync("/events", new JsonArray(Sale("Y1", Day(3)), Sale("Y2", Day(3))));
        var day = $"day {Day(3)}";
        await SentAsync(code, day);
        JsonObject[] OfDay() => [.. of.Journals.Where(j => (string)j["number"]! == day)];
        var lines = OfDay().Single()["lines"]!.AsArray();
        // Two sales of 20.00: each account once a side.
        lines.Select(l => ((decimal)l!["debit"]!, (decimal)l["credit"]!)).ShouldBe([(40m, 0m), (0m, 40m)], true);
        await books.PostAsync("/events", Sale("Y3", Day(3)));
        await LinkedBooks.UntilAsync(
            () => Task.FromResult(OfDay().Length == 2 ? "there" : null),
            "what came later was not sent"
        );
        OfDay()[1]["lines"]!.AsArray().Sum(l => (decimal)l!["debit"]!).ShouldBe(20m);
        OfDay().Select(j => (string)j["key"]!).ShouldBeUnique();
        before.ShouldBeEmpty();
    }
}
