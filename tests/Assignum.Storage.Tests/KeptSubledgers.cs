using Assignum.Core.Books;
using Assignum.Core.Chart;
using Assignum.Core.Tables;
using Assignum.Desk.Access;
using Assignum.Desk.Books;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using Assignum.Testing;
using static Assignum.Storage.Tests.Company;

namespace Assignum.Storage.Tests;

/// <summary>Subledgers add up to their accounts whatever is posted, on every day and as known at every instant.</summary>
public class KeptSubledgers
{
    private static ReadSubledgers Books(Company company) =>
        new(company.Desk, new ControlAccounts(new ViewSetUp(company.Desk)));

    private static async Task<IReadOnlyList<SubledgerRow>> RowsAsync(
        Company company,
        string code,
        Control control,
        SubledgerQuery query
    )
    {
        var visit = await VisitAsync(company, code);
        var rows = new List<SubledgerRow>();
        for (int? after = 0; after is { } at; )
        {
            var page = (await Books(company).RowsAsync(visit, control, query with { After = at }, Stop)).Result!;
            rows.AddRange(page.Rows);
            after = page.Next;
        }
        return rows;
    }

    /// <summary>Sums of the rows on each account of each control, held against its balance.</summary>
    private static async Task<int> TieAsync(Company company, string code, DateOnly at, DateTime? known = null)
    {
        var visit = await VisitAsync(company, code);
        var controls = (await new ControlAccounts(new ViewSetUp(company.Desk)).OnAsync(visit, at, Stop)).Result!;
        var ties = (
            await new ReadTieOuts(company.Desk, new ControlAccounts(new ViewSetUp(company.Desk))).AllAsync(
                visit,
                at,
                Stop
            )
        )
            .Result!
            .Controls;
        var balances = (
            await new ReadJournal(company.Desk).BalancesAsync(company.Actor, code, at, Stop)
        ).Result!.ToDictionary(b => b.Account, b => b.Debit - b.Credit);
        var held = 0;
        foreach (var control in TieOuts.Controls)
        {
            var rows = await RowsAsync(company, code, control, new SubledgerQuery(at, known, Limit: 200));
            rows.Select(r => (r.Account, r.Elsewhere, string.Join('|', r.Keys.Select(k => $"{k.Key}={k.Value}"))))
                .ShouldBeUnique();
            var own = rows.Where(r => !r.Elsewhere).ToList();
            foreach (var account in controls.Where(c => c.Value == control).Select(c => c.Key))
                if (known is null)
                    own.Where(r => r.Account == account)
                        .Sum(r => r.Amount)
                        .ShouldBe(balances.GetValueOrDefault(account), $"{control} {account} on {at}");
            held += rows.Count;
            if (known is not null || ties.FirstOrDefault(t => t.Control == control) is not { } tie)
                continue;
            own.Sum(r => r.Amount).ShouldBe(tie.Ledger, control.ToString());
            tie.Causes.Sum(c => c.Amount).ShouldBe(tie.Difference);
            rows.Where(r => r.Elsewhere)
                .Sum(r => -r.Amount)
                .ShouldBe(tie.Causes.FirstOrDefault(c => c.Cause == TieCause.LandedElsewhere)?.Amount ?? 0);
        }
        return held;
    }

    [Fact]
    public async Task The_demos_six_months_add_up_on_every_day_that_is_looked_at()
    {
        await using var company = new Company();
        var code = await company.OpenAsync(folder: "demo");
        var lines = File.ReadAllLines(Path.Combine(ProjectFiles.Root, "demo", "skerrow", "1-skerrow", "events.ndjson"));
        var posted = 0;
        foreach (var some in lines.Where(l => l.Length > 0).Chunk(500))
            posted += (await company.PostAsync(code, some)).Count(a => a.Outcome is "posted" or "nothing");
        posted.ShouldBeGreaterThan(4_000);
        var early = await TieAsync(company, code, new(2026, 6, 11));
        var late = await TieAsync(company, code, new(2026, 12, 31));
        early.ShouldBeGreaterThan(100);
        late.ShouldBeGreaterThan(early);
        // What was known before anything was posted is nothing; what is known now is all.
        (
            await RowsAsync(
                company,
                code,
                Control.Stock,
                new SubledgerQuery(new(2026, 12, 31), new DateTime(2020, 1, 1, 0, 0, 0, DateTimeKind.Utc))
            )
        ).ShouldBeEmpty();
        var open = await RowsAsync(
            company,
            code,
            Control.Receivables,
            new SubledgerQuery(new(2026, 6, 30), OpenOnly: true)
        );
        open.ShouldAllBe(r => r.Amount != 0 || r.CurrencyAmount != 0);
        open.Select(r => Math.Abs(r.Amount)).ShouldBeInOrder(SortDirection.Descending);
        // Ages add up to what is open.
        var ages = (
            await Books(company)
                .AgeingAsync(await VisitAsync(company, code), Control.Receivables, new(2026, 6, 30), Stop)
        ).Result!;
        ages.Rows.Sum(r => r.Base).ShouldBe(open.Where(r => !r.Elsewhere).Sum(r => r.Amount));
    }

    [Fact]
    public async Task An_account_that_joins_a_subledger_later_brings_its_lines_of_before()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        await company.ImportAsync(
            code,
            [
                Row(
                    Parts.Accounts,
                    ("number", "1295"),
                    ("name", "Owed by staff"),
                    ("class", "asset"),
                    ("kind", "posting")
                ),
            ]
        );
        await company.PostAsync(
            code,
            Sale("A"),
            Sale("B", price: 7m),
            """
            {"source":"t","id":"H","kind":"hand-entry","date":"2026-03-02","reference":"H-1","lines":[
             {"account":"1295","debit":40,"party":"SUP-OKEBRASS"},{"account":"6100","credit":40}]}
            """
        );
        await company.ImportAsync(code, [Row(Parts.Accounts, ("number", "1295"), ("control", "receivables"))]);
        await company.PublishAsync(code, new DateOnly(2026, 7, 1));
        await company.PostAsync(
            code,
            """
            {"source":"t","id":"P","kind":"customer-payment","date":"2026-07-05","reference":"P-1","party":"SHOP-GALE",
             "amount":5,"method":"BANK"}
            """
        );
        await TieAsync(company, code, new(2026, 7, 31));
        var joined = (await RowsAsync(company, code, Control.Receivables, new SubledgerQuery(new(2026, 7, 31)))).Single(
            r => r.Account == "1295"
        );
        (joined.Amount, joined.Cause, joined.Keys[SubledgerKey.Document]).ShouldBe((40m, "hand-entry", "H-1"));
        var rows = await RowsAsync(company, code, Control.Receivables, new SubledgerQuery(new(2026, 6, 30)));
        rows.Count.ShouldBe(2);
        rows[0].Keys[SubledgerKey.Document].ShouldNotBeNullOrEmpty();
        rows.ShouldAllBe(r => r.Cause.Length == 0 && r.Entries == 1 && r.Currency == "EUR");
    }

    [Fact]
    public async Task Goods_without_value_and_allocated_items_are_kept_without_a_line()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        (
            await company.PostAsync(
                code,
                """
                {"source":"t","id":"G","kind":"goods-received","date":"2026-03-02","party":"SUP-OKEBRASS","location":"CORK",
                 "order":"PO-1","lines":[{"item":"BAR-210","quantity":10,"unitCost":0},{"item":"BAR-210","quantity":5,"unitCost":4}]}
                """,
                """
                {"source":"t","id":"I","kind":"supplier-invoice","date":"2026-03-05","party":"SUP-OKEBRASS","reference":"S-1",
                 "lines":[{"item":"BAR-210","quantity":3,"unitPrice":4.10,"receipt":"t/G"}]}
                """
            )
        ).ShouldAllBe(a => a.Outcome == "posted");
        var stock = await RowsAsync(company, code, Control.Stock, new SubledgerQuery(new(2026, 12, 31)));
        stock.Sum(r => r.Quantity).ShouldBe(15);
        stock.Sum(r => r.Amount).ShouldBe(20m);
        // 15 stand under the receipt at 20.00; three of them bring their share, 4.00.
        var receipt = (
            await RowsAsync(company, code, Control.Receipts, new SubledgerQuery(new(2026, 12, 31)))
        ).ShouldHaveSingleItem();
        (receipt.Quantity, receipt.Amount, receipt.Order).ShouldBe((-12m, -16m, "PO-1"));
        var trail = await Books(company)
            .FootprintAsync(await VisitAsync(company, code), "SUP-OKEBRASS", true, "PO-1", Stop);
        trail.Select(t => (t.ExternalId, t.Document)).ShouldBe([("G", "t/G"), ("I", "S-1")]);
    }

    [Fact]
    public async Task What_is_on_hand_counts_what_moved_by_lines_and_without_one()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        (
            await company.PostAsync(
                code,
                """
                {"source":"t","id":"G","kind":"goods-received","date":"2026-02-02","party":"SUP-OKEBRASS","location":"CORK",
                 "lines":[{"item":"BAR-210","quantity":10,"unitCost":4},{"item":"BAR-210","quantity":3,"unitCost":0},
                  {"item":"RG-130","quantity":7,"unitCost":2}]}
                """,
                """
                {"source":"t","id":"S","kind":"goods-shipped","date":"2026-03-03","party":"SHOP-GALE","location":"CORK",
                 "lines":[{"item":"BAR-210","quantity":4,"unitCost":4},{"item":"RG-130","quantity":1,"unitCost":2}]}
                """,
                // From one place to another, then on their way, and so not on hand.
                """
                {"source":"t","id":"M","kind":"stock-moved","date":"2026-03-04","fromLocation":"CORK","toLocation":"UTRECHT",
                 "lines":[{"item":"RG-130","quantity":2,"unitCost":2}]}
                """,
                """
                {"source":"t","id":"W","kind":"stock-moved","date":"2026-03-05","fromLocation":"CORK","toLocation":"UTRECHT",
                 "inTransit":"out","lines":[{"item":"BAR-210","quantity":2,"unitCost":4}]}
                """,
                """
                {"source":"t","id":"X","kind":"goods-received","date":"2026-04-02","party":"SUP-OKEBRASS","location":"CORK",
                 "lines":[{"item":"BAR-210","quantity":100,"unitCost":4},{"item":"RG-130","quantity":100,"unitCost":0}]}
                """,
                """{"source":"own","id":"B","kind":"reversed","date":"2026-05-01","reverses":"t/X","text":"Twice."}"""
            )
        ).SelectMany(a => a.Errors).Select(e => e.Message).ShouldBeEmpty();
        await using var db = await company.Test.Database.OpenAsync(Stop);
        var hand = await StockStore.OnHandAsync(
            db,
            await company.AskAsync<int>("select entity_id from entity"),
            ["BAR-210", "RG-130", "BAR-215"],
            Stop
        );
        // 10 and 3 for nothing, less 4 shipped and 2 on their way; 7 less 1.
        hand.OrderBy(h => h.Key, StringComparer.Ordinal)
            .Select(h => (h.Key, h.Value))
            .ShouldBe([("BAR-210", 7m), ("RG-130", 6m)]);
    }
}
