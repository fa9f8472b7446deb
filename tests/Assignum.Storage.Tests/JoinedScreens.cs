using Assignum.Core;
using Assignum.Core.Chart;
using Assignum.Core.Entries;
using Assignum.Core.Ledger;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Desk;
using Assignum.Desk.Chart;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using Assignum.Formats.Json;
using static Assignum.Storage.Tests.Company;

namespace Assignum.Storage.Tests;

/// <summary>What screens tell beside each other: chains to begin with, entries rehearsed as things stood, doubts, what
/// undoing reaches, what policies hold.</summary>
public class JoinedScreens
{
    private static ReadEvent Event(string json) => Read(json);

    [Fact]
    public async Task Every_chain_runs_through_the_demo_company_and_leaves_nothing_between_its_documents()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var setUp = (await new ViewSetUp(company.Desk).RunAsync(company.Actor, code, "1", null, Stop)).Result!.SetUp;
        foreach (var chain in Chain.All)
        {
            var (documents, lacks) = chain.Of(setUp, new DateOnly(2026, 5, 4));
            lacks.ShouldBeNull(chain.Code);
            documents.Select(d => d.Kind).ShouldBe(chain.Kinds);
            // As they would be kept: written as JSON and read again.
            var events = documents.Select(d => Event(EventJson.Of(d).ToJsonString())).ToList();
            events.SelectMany(e => e.Faults).ShouldBeEmpty(chain.Code);
            var run = (
                await new Rehearse(company.Desk).RunAsync(company.Actor, code, events, "1", Stop, inOrder: true)
            ).Result!;
            foreach (var step in run)
                step.Result.Errors.ShouldBeEmpty($"{chain.Code}: {step.Source.Event.Kind}");
            foreach (var account in LifeCycle.Of(run.Select(r => r.Result.Entry)).Where(a => a.Between))
                account.Balance.ShouldBe(0, $"{chain.Code}: {account.Number} {account.Account?.Name}");
        }
    }

    [Fact]
    public async Task A_payment_is_rehearsed_again_as_things_stood_before_it()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        const string invoice = """
            {"source":"t","id":"I","kind":"sales-invoice","date":"2026-03-02","reference":"R-1","party":"SCH-KERRY",
             "lines":[{"item":"RG-100","unitPrice":100}]}
            """;
        const string payment = """
            {"source":"t","id":"P","kind":"customer-payment","date":"2026-03-09","party":"SCH-KERRY",
             "amount":123,"settles":[{"reference":"R-1","amount":123}]}
            """;
        (await company.PostAsync(code, invoice)).Single().Errors.ShouldBeEmpty();
        (await company.PostAsync(code, payment)).Single().Errors.ShouldBeEmpty();
        var journal = new ReadJournal(company.Desk);
        var posted = (
            await journal.EntriesAsync(company.Actor, code, new EntryQuery(ExternalId: "P", Source: "t"), Stop)
        ).Result!.Single();
        var rehearse = new Rehearse(company.Desk);
        // Now there is nothing open any more, which is remarked; before that entry there was.
        (await rehearse.RunAsync(company.Actor, code, [Event(payment)], null, Stop))
            .Result!.Single()
            .Result.Entry!.Remarks.ShouldNotBeEmpty();
        var again = (
            await rehearse.RunAsync(company.Actor, code, [Event(payment)], null, Stop, before: posted.Head.Id)
        ).Result!.Single();
        again.Result.Errors.ShouldBeEmpty();
        again.Result.Entry!.Remarks.ShouldBeEmpty();
        again
            .Document!.Lines.Select(l => (l.Account, l.Debit, l.Credit))
            .ShouldBe(posted.Document.Lines.Select(l => (l.Account, l.Debit, l.Credit)));
        // By account the journal says what an entry does there.
        var heads = (await journal.HeadsAsync(company.Actor, code, new EntryQuery(Account: "1220"), Stop)).Result!;
        var on = await journal.OnAccountAsync(await VisitAsync(company, code), "1220", heads, Stop);
        heads.Select(h => on[h.Id]).ShouldBe([(123m, 0m), (0m, 123m)]);
        // What a line would have got below its rung is said with the entry.
        var sale = (
            await journal.EntryAsync(await VisitAsync(company, code), heads[0].Number, Stop)
        ).Result!.Document.Lines.Single(l => l.Purpose == "sales-revenue");
        sale.Account.ShouldBe("4012");
        sale.Below!().Select(b => (b.Rung, b.Account)).ShouldContain(("item-group", "4010"));
        sale.Below!()
            .Last()
            .ShouldSatisfyAllConditions(b => b.Rung.ShouldBe("default"), b => b.Account.ShouldBe("4880"));
    }

    [Fact]
    public async Task A_reference_used_before_a_day_without_a_period_and_goods_that_came_already_are_doubted()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        (
            await company.ImportAsync(
                code,
                [Row(Parts.Periods, ("from", "2026-01-01"), ("to", "2026-12-31"), ("status", "open"))]
            )
        ).Faults.ShouldBeEmpty();
        (
            await company.PostAsync(
                code,
                """
                {"source":"t","id":"G","kind":"goods-received","date":"2026-03-02","party":"SUP-OKEBRASS","location":"CORK",
                 "lines":[{"item":"BAR-210","quantity":10,"unitCost":42}]}
                """
            )
        ).Single().Errors.ShouldBeEmpty();
        const string invoice = """
            {"source":"t","id":"S","kind":"supplier-invoice","date":"2026-03-09","reference":"S-1","party":"SUP-OKEBRASS",
             "lines":[{"item":"BAR-210","quantity":10,"unitPrice":42}]}
            """;
        var doubts = new Doubts(company.Desk, new ViewSetUp(company.Desk));
        async Task<IEnumerable<string>> OfAsync(string json)
        {
            var entry = (await new Rehearse(company.Desk).RunAsync(company.Actor, code, [Event(json)], "1", Stop))
                .Result!.Single()
                .Result.Entry!;
            var doubted = await doubts.OfAsync(
                await VisitAsync(company, code),
                Event(json).Event,
                entry,
                "1",
                long.MaxValue,
                Stop
            );
            // The receipts to choose from are named.
            entry.Remarks.ShouldAllBe(r =>
                r.Code != "goods-twice" || r.Message.Contains("t/G (10 for 420", StringComparison.Ordinal)
            );
            return [.. doubted.Select(d => d.Code), .. entry.Remarks.Select(r => r.Code)];
        }
        (await OfAsync(invoice)).ShouldBe(["goods-twice"]);
        (await OfAsync(invoice.Replace("\"unitPrice\":42", "\"unitPrice\":42,\"receiptCost\":420"))).ShouldBeEmpty();
        (await company.PostAsync(code, invoice)).Single().Errors.ShouldBeEmpty();
        (await OfAsync(invoice.Replace("2026-03-09", "2027-01-01"))).ShouldBe([
            "no-period",
            "reference-used",
            "goods-twice",
        ]);
    }

    [Fact]
    public async Task Undoing_reaches_what_was_built_on_it_the_newest_first_or_not_at_all()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var edit = new EditSetUp(company.Desk);
        async Task<long> NameAsync(string to) =>
            (
                await edit.MakeAsync(
                    company.Actor,
                    code,
                    $"named {to}",
                    null,
                    (now, _) =>
                        [
                            SetUpEdit.Row(
                                Parts.Items,
                                Parts.Items.Row(now, "RG-100"),
                                new Dictionary<string, string?> { ["name"] = to }
                            ),
                        ],
                    Stop
                )
            )
                .Result!
                .Id!
                .Value;
        var (first, second, third) = (await NameAsync("One"), await NameAsync("Two"), await NameAsync("Three"));
        var visit = await VisitAsync(company, code);
        (await edit.ReachAsync(visit, first, Stop)).Select(c => c.Id).ShouldBe([third, second]);
        (await edit.UndoAsync(company.Actor, code, first, Stop))
            .Faults.ShouldHaveSingleItem()
            .Code.ShouldBe("built-on");
        // Whoever was shown one later change is told that there are two.
        (await edit.UndoWithReachAsync(visit, first, 1, Stop)).Faults.ShouldHaveSingleItem().Code.ShouldBe("built-on");
        (await edit.UndoWithReachAsync(visit, first, 2, Stop)).Faults.ShouldBeEmpty();
        var changes = new ReadChanges(company.Desk);
        var page = await changes.PageAsync(visit, new ChangeQuery(null, null, "RG-100", 50), Stop);
        page.Count(c => c.Head.Undoes is not null).ShouldBe(3);
        page.Where(c => c.Head.Undoes is null && c.Head.Id >= first)
            .Select(c => c.Parts.Single())
            .ShouldAllBe(p => p.Part == "items");
        (await changes.PageAsync(visit, new ChangeQuery(second, null, null, 50), Stop))
            .Select(c => c.Head.Id)
            .ShouldAllBe(id => id < second);
        (await changes.PageAsync(visit, new ChangeQuery(null, "nobody", null, 50), Stop)).ShouldBeEmpty();
    }

    [Fact]
    public async Task Policies_say_what_they_leave_idle_and_what_stands_between_because_of_them()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        (
            await company.PostAsync(
                code,
                """
                {"source":"t","id":"G","kind":"goods-received","date":"2026-03-02","party":"SUP-OKEBRASS","location":"CORK",
                 "lines":[{"item":"BAR-210","quantity":10,"unitCost":42}]}
                """
            )
        ).Single().Errors.ShouldBeEmpty();
        var read = new ReadPolicies(company.Desk, new ViewSetUp(company.Desk));
        var visit = await VisitAsync(company, code);
        var policies = (await read.RunAsync(visit, Stop)).Result!;
        policies.Select(p => p.Words.Code).ShouldBe(Policies.Known.Keys, ignoreOrder: true);
        var accrual = policies.Single(p => p.Words.Code == "receipt-accrual");
        (accrual.Value, accrual.Row, accrual.Live).ShouldBe(("on", null, "on"));
        accrual.Others.Single().Idle.Select(p => p.Name).ShouldBe(["received-not-invoiced"]);
        (await read.HeldAsync(visit, accrual.Between, Stop)).ShouldBe([("received-not-invoiced", "2150", -420m)]);
        policies.Single(p => p.Words.Code == "cost-timing").Idle.Select(p => p.Name).ShouldBe(["shipped-not-invoiced"]);
    }

    [Fact]
    public async Task A_rehearsal_in_another_window_is_no_change_of_the_chain()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var bench = new Workbench(company.Desk, new Rehearse(company.Desk));
        (await bench.NoteAsync(company.Actor, code, """{"a":1}""", Stop)).Refused.ShouldBeNull();
        // The chain was looked at before that, when nothing was kept.
        (await bench.ChangeAsync(company.Actor, code, 0, _ => ["{}"], Stop)).Refused.ShouldBeNull();
        (await bench.NoteAsync(company.Actor, code, """{"a":2}""", Stop)).Refused.ShouldBeNull();
        (await bench.ChangeAsync(company.Actor, code, 1, now => [.. now.Documents, "{}"], Stop)).Refused.ShouldBeNull();
        var kept = (await bench.KeptAsync(company.Actor, code, Stop)).Result!;
        (kept.Documents.Count, kept.Last).ShouldBe((2, """{"a":2}"""));
        (await bench.ChangeAsync(company.Actor, code, 1, _ => [], Stop)).Refused.ShouldBe(Refusal.Conflict);
    }

    [Fact]
    public async Task A_heading_lists_the_lines_of_all_below_it_in_order()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        foreach (var (id, party) in new[] { ("A", "SCH-KERRY"), ("B", "SHOP-GALE") })
            (
                await company.PostAsync(
                    code,
                    $$"""
                    {"source":"t","id":"{{id}}","kind":"sales-invoice","date":"2026-03-02","reference":"{{id}}",
                     "party":"{{party}}","lines":[{"item":"RG-100","unitPrice":100}]}
                    """
                )
            ).Single().Errors.ShouldBeEmpty();
        var lines = await new ReadAccounts(company.Desk, new ViewSetUp(company.Desk)).CardAsync(
            await VisitAsync(company, code),
            ["1200", "1210", "1220"],
            null,
            null,
            0,
            10,
            Stop
        );
        lines.Select(l => (l.Account, l.Before, l.Debit)).ShouldBe([("1220", 0m, 123m), ("1210", 123m, 123m)]);
    }
}
