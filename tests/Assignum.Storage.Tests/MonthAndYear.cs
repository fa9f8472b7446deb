using Assignum.Core.Books;
using Assignum.Core.Statements;
using Assignum.Core.Tables;
using Assignum.Desk;
using Assignum.Desk.Books;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using static Assignum.Storage.Tests.Company;

namespace Assignum.Storage.Tests;

/// <summary>What closes a month and a year: statements, return, cut-off, periods. Numbers worked by hand.</summary>
public class MonthAndYear
{
    private static ViewSetUp View(Company company) => new(company.Desk);

    private static KeepCutOff CutOff(Company company) => new(company.Desk, View(company), company.Own);

    private static CloseYears Years(Company company) => new(company.Desk, View(company), company.Own);

    private static KeepPeriods Periods(Company company) =>
        new(
            company.Desk,
            View(company),
            new EditSetUp(company.Desk),
            new ReadTieOuts(company.Desk, new ControlAccounts(View(company))),
            CutOff(company)
        );

    private static ReadStatements Statements(Company company) => new(company.Desk, View(company));

    private static async Task<decimal> TotalAsync(
        Company company,
        string code,
        string total,
        DateOnly from,
        DateOnly to
    ) =>
        (await Statements(company).ProfitAndLossAsync(await VisitAsync(company, code), from, to, null, Stop))
            .Result!.Lines.Single(l => l.Code == total)
            .Amount;

    private const string Shipped = """
        {"source":"t","id":"S","kind":"goods-shipped","date":"2026-07-02","party":"SHOP-GALE","order":"SO-9","location":"CORK",
         "reference":"SH-9","lines":[{"item":"BAR-210","quantity":4,"unitCost":25}]}
        """;

    [Fact]
    public async Task A_sale_invoiced_in_june_and_shipped_in_july_is_junes_revenue_without_a_cut_off_and_julys_with_it()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var (june, july) = (new DateOnly(2026, 6, 30), new DateOnly(2026, 7, 31));
        (
            await company.PostAsync(
                code,
                """
                {"source":"t","id":"I","kind":"sales-invoice","date":"2026-06-30","party":"SHOP-GALE","order":"SO-9",
                 "reference":"INV-9","lines":[{"item":"BAR-210","quantity":4,"unitPrice":60}]}
                """
            )
        ).Single().Errors.ShouldBeEmpty();
        var visit = await VisitAsync(company, code);
        var cut = (await CutOff(company).ShowAsync(visit, june, Stop)).Result!;
        var row = cut.InvoicedNotShipped.ShouldHaveSingleItem();
        (row.Quantity, row.Amount, row.Order, row.Documents.Single()).ShouldBe((4m, 240m, "SO-9", "INV-9"));
        cut.ShippedNotInvoiced.ShouldBeEmpty();
        // Without the policy nothing is posted: June has the revenue, July the cost.
        (await CutOff(company).RunAsync(visit, june, true, Stop))
            .Faults.ShouldHaveSingleItem()
            .Code.ShouldBe("cut-off-off");
        (await company.PostAsync(code, Shipped)).Single().Errors.ShouldBeEmpty();
        (await TotalAsync(company, code, "grossProfit", new(2026, 6, 1), june)).ShouldBe(240m);
        (await TotalAsync(company, code, "grossProfit", new(2026, 7, 1), july)).ShouldBe(-100m);
        var across = (await CutOff(company).ShowAsync(visit, july, Stop)).Result!.AcrossMonths.ShouldHaveSingleItem();
        (across.Revenue, across.Cost, across.RevenueMonth, across.CostMonth).ShouldBe(
            (240m, 100m, new(2026, 6, 1), new(2026, 7, 1))
        );

        // With it June's revenue is deferred and comes back in July, where the cost is.
        (
            await company.ImportAsync(
                code,
                [
                    Row(Parts.Policies, ("policy", "cut-off"), ("value", "on")),
                    Together(
                        Row(
                            Parts.Accounts,
                            ("number", "2295"),
                            ("name", "Deferred"),
                            ("class", "liability"),
                            ("kind", "posting")
                        ),
                        Row(
                            Parts.Accounts,
                            ("number", "1296"),
                            ("name", "Unbilled"),
                            ("class", "asset"),
                            ("kind", "posting")
                        )
                    ),
                    Together(
                        Row(Parts.Assignments, ("purpose", "deferred-revenue"), ("account", "2295")),
                        Row(Parts.Assignments, ("purpose", "unbilled-revenue"), ("account", "1296"))
                    ),
                ]
            )
        ).Faults.ShouldBeEmpty();
        await company.PublishAsync(code, new DateOnly(2026, 6, 1));
        visit = await VisitAsync(company, code);
        var proposed = (await CutOff(company).RunAsync(visit, june, false, Stop)).Result!;
        proposed.Number.ShouldBeNull();
        proposed
            .Entry!.Lines.Select(l => (l.Account, l.Debit, l.Credit))
            .ShouldBe([(row.Account!, 240m, 0m), ("2295", 0m, 240m)]);
        (await CutOff(company).RunAsync(visit, june, true, Stop)).Result!.Number.ShouldNotBeNull();
        (await TotalAsync(company, code, "grossProfit", new(2026, 6, 1), june)).ShouldBe(0m);
        (await TotalAsync(company, code, "grossProfit", new(2026, 7, 1), july)).ShouldBe(140m);
        (await CutOff(company).RunAsync(visit, june, true, Stop))
            .Faults.ShouldHaveSingleItem()
            .Code.ShouldBe("cut-off-posted");
    }

    [Fact]
    public async Task A_year_is_closed_once_and_opened_again_and_the_statements_balance_all_the_way()
    {
        await using var company = new Company();
        var code = await company.OpenAsync(folder: "demo");
        await company.PostAsync(code, [.. DemoEvents().Take(900)]);
        var visit = await VisitAsync(company, code);
        var end = new DateOnly(2026, 12, 31);
        async Task<Dictionary<string, decimal>> SheetAsync() =>
            (await Statements(company).BalanceSheetAsync(visit, end, null, Stop))
                .Result!.Lines.Where(l => l.Code is not null)
                .ToDictionary(l => l.Code!, l => l.Amount);
        var before = await SheetAsync();
        before["assets"].ShouldBe(before["liabilities"] + before["equity"] + before["result"]);
        before["result"].ShouldNotBe(0);
        var profit = await TotalAsync(company, code, "profit", new(2026, 1, 1), end);
        profit.ShouldBe(before["result"]);

        var proposed = (await Years(company).RunAsync(company.Actor, code, 2026, false, false, Stop)).Result!;
        proposed.Number.ShouldBeNull();
        proposed.Entry!.Lines.Sum(l => l.Debit - l.Credit).ShouldBe(0);
        proposed.Warnings.ShouldContain(w => w.Code == "month-open");
        // Two who close at once: one does, the other is told.
        var both = await Task.WhenAll(
            Years(company).RunAsync(company.Actor, code, 2026, false, true, Stop),
            Years(company).RunAsync(company.Actor, code, 2026, false, true, Stop)
        );
        both.Count(b => b.Refused is null).ShouldBe(1);
        both.Single(b => b.Refused is not null).Refused.ShouldBe(Refusal.Conflict);
        var closed = await SheetAsync();
        (closed["result"], closed["equity"]).ShouldBe((0m, before["equity"] + profit));
        // The close is no part of the profit and loss account.
        (await TotalAsync(company, code, "profit", new(2026, 1, 1), end)).ShouldBe(profit);
        (await Years(company).RunAsync(company.Actor, code, 2026, true, true, Stop)).Result!.Number.ShouldNotBeNull();
        (await SheetAsync()).ShouldBe(before);
        (await Years(company).RunAsync(company.Actor, code, 2026, true, true, Stop))
            .Faults.ShouldHaveSingleItem()
            .Code.ShouldBe("not-closed");
    }

    private static IEnumerable<string> DemoEvents() =>
        File.ReadAllLines(Path.Combine(Testing.ProjectFiles.Root, "demo", "skerrow", "1-skerrow", "events.ndjson"))
            .Where(l => l.Length > 0);

    [Fact]
    public async Task A_closed_month_takes_nothing_but_the_close_of_a_year_and_says_what_was_in_the_way()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var visit = await VisitAsync(company, code);
        var (from, to) = (new DateOnly(2026, 12, 1), new DateOnly(2026, 12, 31));
        (await company.PostAsync(code, Sale("A", date: "2026-12-05"))).Single().Errors.ShouldBeEmpty();
        // A hand entry on a control account is in the way: closing without a reason is refused, with one it is done.
        await company.ImportAsync(code, [Row(Parts.Accounts, ("number", "1220"), ("hand_entries", "accept"))]);
        await company.PublishAsync(code, new DateOnly(2026, 12, 1));
        (
            await company.PostAsync(
                code,
                """
                {"source":"t","id":"H","kind":"hand-entry","date":"2026-12-06","lines":[
                 {"account":"1220","debit":250,"party":"SHOP-GALE"},{"account":"6100","credit":250}]}
                """
            )
        ).Single().Errors.ShouldBeEmpty();
        var refused = await Periods(company).SetAsync(visit, from, to, true, null, Stop);
        refused.Refused.ShouldBe(Refusal.Conflict);
        refused.Faults.ShouldHaveSingleItem().Message.ShouldContain("differ by 250");
        (
            await Periods(company).SetAsync(visit, from, to, true, "agreed with the auditor", Stop)
        ).Result!.Passed.Count.ShouldBe(1);
        (await company.PostAsync(code, Sale("B", date: "2026-12-07")))
            .Single()
            .Errors.ShouldContain(e => e.Code == "period-closed");
        (await Years(company).RunAsync(company.Actor, code, 2026, false, true, Stop)).Result!.Number.ShouldNotBeNull();
        (await Periods(company).SetAsync(visit, from, to, false, null, Stop)).Result!.Status.ShouldBe("open");
        (await company.PostAsync(code, Sale("B", date: "2026-12-07"))).Single().Errors.ShouldBeEmpty();
        var listed = (await Periods(company).ListAsync(await VisitAsync(company, code), Stop)).Result!;
        listed.Single(p => p.From == from).Who.ShouldBe(company.Actor.Name);
    }

    [Fact]
    public async Task The_return_of_the_demo_ties_to_its_accounts_with_every_cause_in_every_month()
    {
        await using var company = new Company();
        var code = await company.OpenAsync(folder: "demo");
        foreach (var some in DemoEvents().Chunk(600))
            await company.PostAsync(code, some);
        await company.PostAsync(
            code,
            """
            {"source":"t","id":"late","kind":"sales-invoice","date":"2026-07-03","taxDate":"2026-06-28","party":"SHOP-GALE",
             "reference":"LATE","lines":[{"item":"RG-100","unitPrice":100}]}
            """,
            """
            {"source":"t","id":"paid","kind":"tax-settled","date":"2026-07-20","authority":"Revenue","amount":500,"method":"BANK",
             "lines":[{"taxCode":"S23","amount":500}]}
            """
        );
        var visit = await VisitAsync(company, code);
        var all = new List<TaxReturn>();
        foreach (var month in Enumerable.Range(5, 6).Select(m => new DateOnly(2026, m, 1)))
        {
            var of = (
                await Statements(company).TaxReturnAsync(visit, month, month.AddMonths(1).AddDays(-1), Stop)
            ).Result!;
            of.Tie.Causes.Sum(c => c.Amount)
                .ShouldBe(of.Tie.Difference, $"{month}: {string.Join(", ", of.Tie.Causes)}");
            all.Add(of);
        }
        // What is taxed in June and posted in July moves as much out of one as into the other: 23.00.
        decimal Other(TaxReturn of) =>
            of.Tie.Causes.FirstOrDefault(c => c.Cause == TaxTieCause.OtherPeriod)?.Amount ?? 0;
        (Other(all[1]), Other(all[2])).ShouldBe((23m, -23m));
        all[2].Tie.Causes.Single(c => c.Cause == TaxTieCause.TaxSettled).Amount.ShouldBe(9_700m);
        // The demo pays 9,200 in July, and 500 were paid here.
        // Months add up to the half year.
        var year = (await Statements(company).TaxReturnAsync(visit, new(2026, 5, 1), new(2026, 10, 31), Stop)).Result!;
        year.Boxes.Sum(b => b.Amount).ShouldBe(all.Sum(a => a.Boxes.Sum(b => b.Amount)));
        year.Tie.TaxLines.ShouldBe(all.Sum(a => a.Tie.TaxLines));
    }
}
