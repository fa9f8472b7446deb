using System.Text;
using System.Text.Json.Nodes;
using Assignum.Core.Books;
using Assignum.Core.Chart;
using Assignum.Core.Tables;
using Assignum.Desk;
using Assignum.Desk.Books;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using static Assignum.Storage.Tests.Company;

namespace Assignum.Storage.Tests;

/// <summary>Entries by hand with what is said of them, templates, openings as lists, recognition of projects. Numbers
/// worked by hand.</summary>
public class ByHandAndOpenings
{
    private static readonly DateOnly Day = new(2026, 5, 31);

    private static WriteByHand Hand(Company company) => new(company.Desk, new ViewSetUp(company.Desk), company.Own);

    private static BringOpenings Openings(Company company) =>
        new(company.Desk, new ViewSetUp(company.Desk), new PostEvents(company.Desk), new Rehearse(company.Desk));

    private static RecogniseProjects Projects(Company company) =>
        new(company.Desk, new ViewSetUp(company.Desk), new Rehearse(company.Desk), new PostEvents(company.Desk));

    private static JsonObject Of(string json) => JsonNode.Parse(json)!.AsObject();

    [Fact]
    public async Task Each_line_is_spoken_of_before_the_entry_balances()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var visit = await VisitAsync(company, code);
        var check = (
            await Hand(company)
                .CheckAsync(
                    visit,
                    Of(
                        """
                        {"id":"x","kind":"hand-entry","date":"2026-06-30","lines":[
                          {"account":"6120","debit":100},
                          {"account":"9999","debit":5},
                          {"account":"1210","credit":40,"party":"SCH-KERRY"},
                          {"account":"6110","credit":7}]}
                        """
                    ),
                    Stop
                )
        ).Result!;
        (check.Debit, check.Credit, check.Difference).ShouldBe((105m, 47m, 58m));
        check.Names["6120"].ShouldBe("Discount and small differences");
        // The account that is not there and the control account that refuses hand entries, each at its line.
        check.Said.ShouldContain(s => s.Line == 1 && s.Severity == "error" && s.Message.Contains("9999"));
        check.Said.ShouldContain(s => s.Line == 2 && s.Severity == "error" && s.Message.Contains("1210"));
        // A credit balance of 7.00 on a cost account is hinted.
        check.Said.ShouldContain(s => s.Line == 3 && s.Severity == "hint" && s.Message.Contains("credit balance of 7"));
        check.Said.ShouldNotContain(s => s.Line == 0);
    }

    [Fact]
    public async Task Of_two_who_change_a_template_the_second_is_told_and_a_deleted_one_comes_back()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var visit = await VisitAsync(company, code);
        var keep = new KeepTemplates(company.Desk);
        var none = new Dictionary<string, string>();
        EntryTemplate Rent(string share, int version) =>
            new(
                "Rent",
                "Rent of the month",
                TurnsBack.NextMonth,
                [
                    new TemplateLine("6120", $"amount * {share}", null, none),
                    new TemplateLine("6110", "rest", null, none),
                    new TemplateLine("3010", null, "amount", none),
                ],
                version
            );
        var first = (await keep.SaveAsync(visit, Rent("60 %", 0), Stop)).Result!;
        first.Version.ShouldBe(1);
        (await keep.SaveAsync(visit, Rent("50 %", 0), Stop)).Refused.ShouldBe(Refusal.Conflict);
        (await keep.SaveAsync(visit, Rent("70 %", 1), Stop)).Result!.Version.ShouldBe(2);
        (await keep.SaveAsync(visit, Rent("80 %", 1), Stop)).Refused.ShouldBe(Refusal.Conflict);
        var kept = (await keep.ListAsync(visit, false, Stop)).ShouldHaveSingleItem();
        var setUp = (await new ViewSetUp(company.Desk).OnAsync(visit, Day, Stop)).Result!.SetUp;
        kept.For(1000.05m, setUp).ShouldBe([700.04m, 300.01m, -1000.05m]);
        kept.TurnsBackOn(new DateOnly(2026, 6, 30)).ShouldBe(new DateOnly(2026, 7, 1));
        (await keep.DeleteAsync(visit, "Rent", 1, Stop)).Refused.ShouldBe(Refusal.Conflict);
        (await keep.DeleteAsync(visit, "Rent", 2, Stop)).Faults.ShouldBeEmpty();
        (await keep.ListAsync(visit, false, Stop)).ShouldBeEmpty();
        (await keep.BringBackAsync(visit, "Rent", Stop)).Faults.ShouldBeEmpty();
        (await keep.ListAsync(visit, false, Stop)).ShouldHaveSingleItem().Lines[0].Debit.ShouldBe("amount * 70 %");
        var bad = Rent("amount amount", 3);
        (await keep.SaveAsync(visit, bad, Stop)).Faults.ShouldContain(f => f.Path == "lines[0].debit");
    }

    private const string Trial = """
        account,name,debit,credit
        1210,Trade receivables,1250.00,
        2110,Trade payables,,400.00
        1310,Stock,900.00,
        3010,Share capital,,1750.00
        """;

    private static async Task TakeAsync(Company company, string code, string list, string csv) =>
        (
            await Openings(company)
                .TakeAsync(await VisitAsync(company, code), Day, list, Encoding.UTF8.GetBytes(csv), false, Stop)
        ).Faults.ShouldBeEmpty();

    [Fact]
    public async Task Lists_open_the_control_accounts_and_the_trial_balance_the_others_and_nothing_posts_twice()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var visit = await VisitAsync(company, code);
        var setUp = (await new ViewSetUp(company.Desk).OnAsync(visit, Day, Stop)).Result!.SetUp;
        string Only(Control control) =>
            setUp.SetUp.Accounts.First(a => a.Control == control && a.Kind == AccountKind.Posting).Number;
        var trial = Trial.Replace("2110", Only(Control.Payables)).Replace("1310", Only(Control.Stock));
        await TakeAsync(company, code, BringOpenings.TrialBalance, trial);
        // Two customers, one of them in dollars at the rate of its day: 500 at 0.90 is 450.00.
        await TakeAsync(
            company,
            code,
            "receivables",
            $"account;party;document;currency;currencyAmount;rate;amount;due\n"
                + "1210;SCH-KERRY;OLD-1;;;;800.00;2026-06-15\n1210;SHOP-GALE;OLD-2;USD;500;0.90;450.00;2026-06-20\n"
        );
        await TakeAsync(
            company,
            code,
            "payables",
            $"account\tparty\tdocument\tamount\n{Only(Control.Payables)}\tSUP-OKEBRASS\tOLD-3\t-400.00\n"
        );
        await TakeAsync(
            company,
            code,
            "stock",
            $"account,item,location,quantity,amount\n{Only(Control.Stock)},BAR-210,CORK,20,840.00\n"
        );
        var shown = (await Openings(company).ShowAsync(visit, Day, Stop)).Result!;
        shown.Plan.Faults.ShouldBeEmpty();
        // The stock list lacks 60.00 of the trial balance.
        shown.Plan.Ties.Where(t => t.Difference != 0).ShouldHaveSingleItem().Difference.ShouldBe(60m);
        shown.Plan.Left.ShouldBe(60m);
        (await Openings(company).PostAsync(visit, Day, null, null, Stop))
            .Faults.ShouldHaveSingleItem()
            .Code.ShouldBe("differs");
        await TakeAsync(
            company,
            code,
            "stock",
            $"account,item,location,quantity,amount\n{Only(Control.Stock)},BAR-210,CORK,20,900.00\n"
        );
        var posted = await Openings(company).PostAsync(visit, Day, null, null, Stop);
        posted.Faults.ShouldBeEmpty(string.Join("; ", posted.Faults.Select(f => f.Message)));
        posted.Result!.Count.ShouldBe(4);
        async Task<IReadOnlyDictionary<string, decimal>> BalancesAsync()
        {
            await using var db = await company.Test.Database.OpenAsync(Stop);
            return await StatementStore.BetweenAsync(db, visit.State.Id, null, Day, true, Stop);
        }
        var balances = (await BalancesAsync()).Where(b => b.Value != 0).ToDictionary();
        balances.ShouldBe(
            new Dictionary<string, decimal>
            {
                ["1210"] = 1250m,
                [Only(Control.Payables)] = -400m,
                [Only(Control.Stock)] = 900m,
                ["3010"] = -1750m,
            },
            ignoreOrder: true
        );
        // Again: nothing. With other rows: told, and nothing.
        (await Openings(company).PostAsync(visit, Day, null, null, Stop)).Result!.ShouldAllBe(p =>
            p.Outcome == "duplicate"
        );
        await TakeAsync(
            company,
            code,
            "stock",
            $"account,item,location,quantity,amount\n{Only(Control.Stock)},BAR-210,CORK,21,900.00\n"
        );
        (await Openings(company).PostAsync(visit, Day, null, null, Stop)).Faults.ShouldContain(f =>
            f.Code == "posted-before"
        );
        (await BalancesAsync())["1210"].ShouldBe(1250m);
        // What came in is paid at the rate that the list said: 500 dollars at 0.95 gain 25.00.
        var paid = await company.PostAsync(
            code,
            """
            {"source":"t","id":"P","kind":"customer-payment","date":"2026-06-20","party":"SHOP-GALE","method":"BANK",
             "currency":"USD","rate":0.95,"amount":500,"settles":[{"reference":"OLD-2","amount":500}]}
            """
        );
        paid.Single().Errors.ShouldBeEmpty();
        await using var after = await company.Test.Database.OpenAsync(Stop);
        var june = await StatementStore.BetweenAsync(
            after,
            visit.State.Id,
            null,
            new DateOnly(2026, 6, 30),
            true,
            Stop
        );
        (june["1210"], june["7010"]).ShouldBe((800m, -25m));
        // And the day after the turn-back the list can be posted anew.
        var stock = posted.Result!.Single(p => p.Event.Id.Contains("stock", StringComparison.Ordinal)).Number!;
        (
            await new TurnBack(company.Desk, company.Own).RunAsync(visit, stock, null, "21 were there", true, Stop)
        ).Faults.ShouldBeEmpty();
        (await Openings(company).PostAsync(visit, Day, null, null, Stop)).Faults.ShouldBeEmpty();
        (await BalancesAsync())[Only(Control.Stock)].ShouldBe(900m);
    }

    [Fact]
    public async Task A_list_that_cannot_be_read_is_told_row_by_row_and_keeps_nothing()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var visit = await VisitAsync(company, code);
        var bad = await Openings(company)
            .TakeAsync(
                visit,
                Day,
                "receivables",
                Encoding.UTF8.GetBytes(
                    "party,document,amount,due\nSCH-KERRY,OLD-1,1.2.3,2026-06-15\nSCH-KERRY,OLD-2,5,15 June\n"
                ),
                false,
                Stop
            );
        bad.Faults.Select(f => f.Path).ShouldBe(["rows[0].amount", "rows[1].due"]);
        (await Openings(company).TakeAsync(visit, Day, "nothing", [], false, Stop)).Refused.ShouldBe(Refusal.NotFound);
        (await Openings(company).ShowAsync(visit, Day, Stop)).Result!.Counts.ShouldBeEmpty();
        await TakeAsync(company, code, BringOpenings.TrialBalance, "account,amount\n3010,-5\n9999,4\n");
        var shown = (await Openings(company).ShowAsync(visit, Day, Stop)).Result!;
        shown.Plan.Faults.Select(f => f.Code).ShouldBe(["unknown-record", "unbalanced"]);
        (await Openings(company).PostAsync(visit, Day, null, null, Stop)).Faults.Count.ShouldBe(2);
    }

    // Cost share: 400 of 1,000 expected cost, contract 2,000: 800 earned, 500 billed, 300 accrued.
    [Fact]
    public async Task Projects_are_recognised_from_the_figures_of_the_books()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        (
            await company.ImportAsync(
                code,
                [
                    Row(
                        Parts.Accounts,
                        ("number", "1297"),
                        ("name", "Accrued"),
                        ("class", "asset"),
                        ("kind", "posting"),
                        ("control", "projects")
                    ),
                    Row(Parts.Assignments, ("purpose", "accrued-revenue"), ("account", "1297")),
                    Together(
                        Row(
                            Parts.Projects,
                            ("code", "P-SHARE"),
                            ("name", "Tower"),
                            ("recognise", "by-cost-share"),
                            ("group", "STATION")
                        ),
                        Row(
                            Parts.Projects,
                            ("code", "P-DONE"),
                            ("name", "Gate"),
                            ("recognise", "on-completion"),
                            ("group", "STATION")
                        )
                    ),
                ]
            )
        ).Faults.ShouldBeEmpty();
        await company.PublishAsync(code, new DateOnly(2026, 2, 1));
        var visit = await VisitAsync(company, code);
        foreach (
            var answer in await company.PostAllAsync(
                code,
                """
                [{"source":"t","id":"U","kind":"project-usage","date":"2026-05-10","project":"P-SHARE",
                  "lines":[{"item":"BAR-210","quantity":10,"unitCost":40}]},
                 {"source":"t","id":"I","kind":"sales-invoice","date":"2026-05-20","party":"SCH-KERRY","project":"P-SHARE",
                  "reference":"INV-P","lines":[{"item":"BAR-210","quantity":5,"unitPrice":100}]}]
                """
            )
        )
            answer.Errors.ShouldBeEmpty(string.Join("; ", answer.Errors.Select(e => e.Message)));
        RecognitionRow Share(IReadOnlyList<RecognitionRow> rows) => rows.Single(r => r.Project == "P-SHARE");
        var first = Share((await Projects(company).RunAsync(visit, Day, false, null, Stop)).Result!);
        (first.Figures.CostToDate, first.Figures.BilledToDate).ShouldBe((400m, 500m));
        first.Wrong!.ShouldContain("estimated cost");
        first.Warning!.ShouldContain("P-DONE");
        var estimate = new ProjectEstimate("P-SHARE", 1000, 2000, false, 0);
        (await Projects(company).KeepAsync(visit, estimate, Stop)).Faults.ShouldBeEmpty();
        (await Projects(company).KeepAsync(visit, estimate, Stop)).Refused.ShouldBe(Refusal.Conflict);
        var proposed = Share((await Projects(company).RunAsync(visit, Day, false, null, Stop)).Result!);
        (proposed.Cost, proposed.Revenue, proposed.Wrong, proposed.Number).ShouldBe((400m, 800m, null, null));
        var done = Share((await Projects(company).RunAsync(visit, Day, true, null, Stop)).Result!);
        done.Number.ShouldNotBeNull();
        // Nothing is recognised twice, and half of the cost more is half of the revenue more: 600 of 1,000 is 1,200.
        (await Projects(company).RunAsync(visit, Day, true, null, Stop))
            .Faults.ShouldHaveSingleItem()
            .Code.ShouldBe("nothing-to-recognise");
        (
            await company.PostAsync(
                code,
                """
                {"source":"t","id":"U2","kind":"project-usage","date":"2026-06-10","project":"P-SHARE",
                 "lines":[{"item":"BAR-210","quantity":5,"unitCost":40}]}
                """
            )
        ).Single().Errors.ShouldBeEmpty();
        var june = new DateOnly(2026, 6, 30);
        var next = Share((await Projects(company).RunAsync(visit, june, false, null, Stop)).Result!);
        (next.Figures.RevenueRecognised, next.Figures.AccruedRevenue, next.Cost, next.Revenue).ShouldBe(
            (800m, 300m, 200m, 400m)
        );
        // Turned back, the month is recognised anew.
        (
            await new TurnBack(company.Desk, company.Own).RunAsync(visit, done.Number!, null, "estimate", true, Stop)
        ).Faults.ShouldBeEmpty();
        var again = Share((await Projects(company).RunAsync(visit, Day, true, null, Stop)).Result!);
        (again.Number, again.Cost, again.Revenue).ShouldBe((again.Number, 400m, 800m));
        again.Number.ShouldNotBeNull();
    }
}
