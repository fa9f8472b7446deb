using Assignum.Core.Books;
using Assignum.Core.Chart;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.Books;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using Npgsql;
using static Assignum.Storage.Tests.Company;

namespace Assignum.Storage.Tests;

/// <summary>Entries that are turned back by new ones: nothing of the old one is left anywhere, and nothing else
/// moved.</summary>
public class TurnedBack
{
    private static TurnBack Turning(Company company) => new(company.Desk, company.Own);

    private static async Task<string> NumberAsync(Company company, string code, string json) =>
        (await company.PostAsync(code, json)).Last() is { Outcome: "posted" } posted
            ? posted.Number!
            : throw new InvalidOperationException(json);

    /// <summary>Balances, open rows, goods and boxes, as text.</summary>
    private static async Task<string> StandsAsync(Company company, string code)
    {
        await using var db = await company.Test.Database.OpenAsync(Stop);
        await using var command = new NpgsqlCommand(
            """
            select coalesce(string_agg(x, E'\n' order by x), '') from (
              select 'balance ' || a."number" || ' ' || trim_scale(sum(d.debit - d.credit)) as x from account_day d join accounts a
                using (entity_id, account_id) group by a."number" having sum(d.debit - d.credit) <> 0
              union all select 'row ' || control || ' ' || coalesce(party, '') || ' ' || coalesce(reference, '') || ' ' ||
                coalesce(item, '') || ' ' || currency || ' ' || trim_scale(sum(amount)) || ' ' ||
                trim_scale(coalesce(sum(currency_amount), 0)) || ' ' || trim_scale(sum(quantity)) from subledger_movement
                group by control, party, reference, item, currency, coalesce(location, '')
                having sum(amount) <> 0 or sum(currency_amount) <> 0 or sum(quantity) <> 0
              union all select 'stock ' || item || ' ' || trim_scale(sum(quantity)) from subledger_movement
                where control = 'stock' group by item having sum(quantity) <> 0 or sum(amount) <> 0
              union all select 'goods ' || fact || ' ' || item || ' ' || trim_scale(sum(quantity)) || ' ' ||
                trim_scale(sum(amount)) || ' ' || trim_scale(sum(cost)) from goods_line group by fact, item
                having sum(quantity) <> 0 or sum(amount) <> 0 or sum(cost) <> 0
              union all select 'month ' || a."number" || ' ' || trim_scale(sum(d.amount)) || ' ' || trim_scale(sum(d.quantity))
                from landed_month d join accounts a using (entity_id, account_id) group by a."number", d.item, d.location
                having sum(d.amount) <> 0 or sum(d.quantity) <> 0
              union all select 'tax ' || code || ' ' || trim_scale(sum(entity_tax)) from entry_tax group by code
                having sum(entity_base) <> 0 or sum(entity_tax) <> 0 or sum(entity_reclaimed) <> 0) y
            """,
            db
        );
        return (string)(await command.ExecuteScalarAsync(Stop))!;
    }

    private const string Before = """
        [{"source":"t","id":"G","kind":"goods-received","date":"2026-06-02","party":"SUP-OKEBRASS","reference":"GR-1",
          "order":"PO-1","location":"CORK","lines":[{"item":"BAR-210","quantity":10,"unitCost":42}]},
         {"source":"t","id":"U","kind":"sales-invoice","date":"2026-06-03","party":"SCH-KERRY","reference":"INV-USD",
          "currency":"USD","rate":0.9173,"lines":[{"item":"BAR-210","quantity":3,"unitPrice":99.99}]},
         {"source":"t","id":"DP","kind":"customer-deposit","date":"2026-06-03","party":"SCH-KERRY","reference":"DEP-1",
          "method":"BANK","amount":50}]
        """;

    // Each of these moves something of its own: accounts, open items at their rate, goods, tax, deposits, quiet moves.
    private static readonly Dictionary<string, string> Events = new()
    {
        ["an invoice"] = """
            {"source":"t","id":"X","kind":"sales-invoice","date":"2026-06-05","party":"SCH-KERRY","reference":"INV-2",
             "lines":[{"item":"BAR-210","quantity":2,"unitPrice":100}]}
            """,
        ["a part payment in dollars at another rate"] = """
            {"source":"t","id":"X","kind":"customer-payment","date":"2026-06-20","party":"SCH-KERRY","method":"BANK",
             "currency":"USD","rate":0.95,"amount":100,"settles":[{"reference":"INV-USD","amount":100}]}
            """,
        ["an invoice that settles a receipt in part"] = """
            {"source":"t","id":"X","kind":"supplier-invoice","date":"2026-06-05","party":"SUP-OKEBRASS","reference":"SI-1",
             "lines":[{"item":"BAR-210","quantity":6,"unitPrice":43,"receipt":"GR-1"}]}
            """,
        ["goods shipped"] = """
            {"source":"t","id":"X","kind":"goods-shipped","date":"2026-06-06","party":"SCH-KERRY","reference":"SH-1",
             "location":"CORK","lines":[{"item":"BAR-210","quantity":2,"unitCost":42}]}
            """,
        ["a deposit used"] = """
            {"source":"t","id":"X","kind":"sales-invoice","date":"2026-06-08","party":"SCH-KERRY","reference":"INV-3",
             "depositApplied":30,"lines":[{"item":"BAR-210","quantity":1,"unitPrice":100}]}
            """,
        ["an entry by hand"] = """
            {"source":"own","id":"X","kind":"hand-entry","date":"2026-06-07","lines":[
             {"account":"6120","debit":12.5},{"account":"6110","credit":12.5}]}
            """,
    };

    public static TheoryData<string> Names => [.. Events.Keys];

    [Theory]
    [MemberData(nameof(Names))]
    public async Task What_is_turned_back_leaves_everything_as_it_was(string what)
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        foreach (var answer in await company.PostAllAsync(code, Before))
            answer.Errors.ShouldBeEmpty();
        var before = await StandsAsync(company, code);
        before.ShouldContain("INV-USD");
        var posted = (await company.PostAsync(code, Events[what])).Single();
        posted.Errors.ShouldBeEmpty();
        (await StandsAsync(company, code)).ShouldNotBe(before);
        var visit = await VisitAsync(company, code);
        var number = posted.Number!;
        var shown = await Turning(company).RunAsync(visit, number, null, null, false, Stop);
        shown.Faults.ShouldBeEmpty();
        shown.Result!.Number.ShouldBeNull();
        var done = await Turning(company).RunAsync(visit, number, null, "posted by mistake", true, Stop);
        done.Faults.ShouldBeEmpty();
        done.Result!.Number.ShouldNotBeNull();
        (await StandsAsync(company, code)).ShouldBe(before);
        // Once: what was turned back stays so, whoever asks again; and the new one can be turned back in its turn.
        (
            await Turning(company).RunAsync(visit, number, new DateOnly(2026, 6, 30), "again", true, Stop)
        ).Faults.ShouldNotBeEmpty();
        (
            await Turning(company).RunAsync(visit, done.Result.Number!, null, "it was right", true, Stop)
        ).Faults.ShouldBeEmpty();
        (await StandsAsync(company, code)).ShouldNotBe(before);
    }

    // 250.00 on receivables by hand: a difference by hand entry, with who and why; turned back it is gone.
    [Fact]
    public async Task A_hand_entry_on_a_control_account_that_is_turned_back_is_no_difference_any_more()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var visit = await VisitAsync(company, code);
        var ties = new ReadTieOuts(company.Desk, new ControlAccounts(new ViewSetUp(company.Desk)));
        var day = new DateOnly(2026, 6, 30);
        async Task<TieOut> TieAsync() =>
            (await ties.AllAsync(visit, day, Stop)).Result!.Controls.Single(c => c.Control == Control.Receivables);
        var opening = await NumberAsync(
            company,
            code,
            """
            {"source":"own","id":"O","kind":"opening","date":"2026-06-01","lines":[
              {"account":"1210","debit":250,"party":"SCH-KERRY","document":"OLD-1","because":"carried in"},
              {"account":"6120","credit":250,"because":"carried in"}]}
            """
        );
        (await TieAsync()).Ledger.ShouldBe(250m);
        (await TieAsync()).Difference.ShouldBe(0m);
        // An opening counts among the documents, and so does what turns it back.
        (await Turning(company).RunAsync(visit, opening, null, "twice", true, Stop)).Faults.ShouldBeEmpty();
        (await TieAsync()).Ledger.ShouldBe(0m);
        (await TieAsync()).Difference.ShouldBe(0m);
    }

    [Fact]
    public async Task What_turns_itself_back_is_turned_back_with_both_its_entries_and_not_from_its_day_on()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var visit = await VisitAsync(company, code);
        var number = await NumberAsync(
            company,
            code,
            """
            {"source":"own","id":"A","kind":"hand-entry","date":"2026-06-30","reverseOn":"2026-07-01","lines":[
              {"account":"6120","debit":90},{"account":"6110","credit":90}]}
            """
        );
        var late = await Turning(company).RunAsync(visit, number, new DateOnly(2026, 7, 1), "no accrual", true, Stop);
        late.Faults.ShouldHaveSingleItem().Code.ShouldBe("turned-back");
        (await Turning(company).RunAsync(visit, number, null, "no accrual", true, Stop)).Faults.ShouldBeEmpty();
        await using var db = await company.Test.Database.OpenAsync(Stop);
        var june = await StatementStore.BetweenAsync(db, visit.State.Id, null, new DateOnly(2026, 6, 30), true, Stop);
        june.Values.ShouldAllBe(v => v == 0);
        var july = await StatementStore.BetweenAsync(db, visit.State.Id, null, new DateOnly(2026, 7, 31), true, Stop);
        july.Values.ShouldAllBe(v => v == 0);
    }

    [Fact]
    public async Task Only_a_reviewer_turns_back_with_a_reason_and_not_into_a_closed_period_or_before_its_day()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var visit = await VisitAsync(company, code);
        var number = await NumberAsync(
            company,
            code,
            """
            {"source":"own","id":"A","kind":"hand-entry","date":"2026-06-30","lines":[
              {"account":"6120","debit":90},{"account":"6110","credit":90}]}
            """
        );
        (await Turning(company).RunAsync(visit, number, null, " ", true, Stop))
            .Faults.ShouldHaveSingleItem()
            .Path.ShouldBe("reason");
        (await Turning(company).RunAsync(visit, number, new DateOnly(2026, 6, 29), "x", true, Stop))
            .Faults.ShouldHaveSingleItem()
            .Code.ShouldBe("bad-date");
        (await Turning(company).RunAsync(visit, "2026-999999", null, "x", true, Stop)).Refused.ShouldBe(
            Refusal.NotFound
        );
        var preparer = new Actor("pat", Role.Viewer, new Dictionary<string, Role> { [code] = Role.Preparer });
        await using var db = await company.Test.Database.OpenAsync(Stop);
        var other = (await company.Desk.EnterAsync(db, preparer, code, Role.Viewer, false, Stop)).Result!;
        (await Turning(company).RunAsync(other, number, null, "x", true, Stop)).Refused.ShouldBe(Refusal.Forbidden);
        // Nor by the interface: a key of a preparer may not send it.
        var sent = await new PostEvents(company.Desk).RunAsync(
            preparer,
            code,
            [
                Formats.Json.EventReader.Parse(
                    """{"source":"own","id":"R","kind":"reversed","date":"2026-06-30","reverses":"own/A","text":"x"}"""
                ),
            ],
            1,
            Stop
        );
        sent.Result!.Single().Errors.ShouldHaveSingleItem().Code.ShouldBe("role-needed");
        var unknown = await company.PostAsync(
            code,
            """{"source":"own","id":"R","kind":"reversed","date":"2026-06-30","reverses":"own/none","text":"x"}"""
        );
        unknown.Single().Errors.ShouldHaveSingleItem().Code.ShouldBe("unknown-event");
    }

    // In one batch: the event and what turns it back, and two that would turn it back.
    [Fact]
    public async Task In_one_batch_an_event_is_turned_back_once()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var before = await StandsAsync(company, code);
        var answers = await company.PostAllAsync(
            code,
            """
            [{"source":"own","id":"A","kind":"hand-entry","date":"2026-06-30","lines":[
               {"account":"6120","debit":90},{"account":"6110","credit":90}]},
             {"source":"own","id":"R1","kind":"reversed","date":"2026-06-30","reverses":"own/A","text":"x"},
             {"source":"own","id":"R2","kind":"reversed","date":"2026-06-30","reverses":"own/A","text":"x"}]
            """
        );
        answers.Select(a => a.Outcome).ShouldBe(["posted", "posted", "refused"]);
        answers[2].Errors.ShouldHaveSingleItem().Code.ShouldBe("reversed-already");
        (await StandsAsync(company, code)).ShouldBe(before);
    }
}
