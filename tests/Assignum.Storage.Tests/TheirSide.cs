using System.Text;
using Assignum.Core.Books;
using Assignum.Core.Chart;
using Assignum.Desk.Access;
using Assignum.Desk.Books;
using Assignum.Desk.SetUps;
using static Assignum.Storage.Tests.Company;

namespace Assignum.Storage.Tests;

/// <summary>The lists of systems that own a subledger, compared by key; months signed off.</summary>
public class TheirSide
{
    private static ReadTieOuts Ties(Company company) =>
        new(company.Desk, new ControlAccounts(new ViewSetUp(company.Desk)));

    private static KeepTieOuts Keep(Company company) => new(company.Desk, Ties(company));

    private static readonly DateOnly June = new(2026, 6, 30);

    private static async Task<TheirTieOut> CompareAsync(Company company, string code, Control control, string csv)
    {
        var visit = await VisitAsync(company, code);
        var kept = await Keep(company)
            .ListAsync(visit, control, June, "till", Encoding.UTF8.GetBytes(csv), false, Stop);
        kept.Faults.ShouldBeEmpty();
        var theirs = (await Ties(company).AllAsync(visit, June, Stop)).Result!.Theirs[control];
        theirs.Causes.Sum(c => c.Amount).ShouldBe(theirs.Difference);
        return theirs;
    }

    [Fact]
    public async Task Receivables_differ_by_timing_party_doubling_and_what_one_side_alone_has()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        // 123.00 each but for tax; E is posted in July.
        await company.PostAsync(
            code,
            Sale("A", date: "2026-06-02"),
            Sale("B", date: "2026-06-03"),
            Sale("C", date: "2026-06-04"),
            Sale("D", date: "2026-06-05"),
            Sale("E", date: "2026-07-05"),
            Sale("F", date: "2026-06-06")
        );
        var each = (
            await new ReadSubledgers(company.Desk, new ControlAccounts(new ViewSetUp(company.Desk))).RowsAsync(
                await VisitAsync(company, code),
                Control.Receivables,
                new SubledgerQuery(June),
                Stop
            )
        )
            .Result!
            .Rows[0]
            .Amount;
        var theirs = await CompareAsync(
            company,
            code,
            Control.Receivables,
            $"""
            party,document,currency,amount
            SHOP-GALE,A,EUR,{each}
            SHOP-GALE,B,EUR,{each}
            SHOP-GALE,B,EUR,{each}
            OTHER,C,EUR,{each}
            SHOP-GALE,E,EUR,{each}
            SHOP-GALE,Z,EUR,7.00
            SHOP-GALE,F,EUR,{each - 1}
            """
        );
        theirs
            .Causes.Select(c => (c.Cause, c.Amount, c.Count))
            .ShouldBe([
                (TheirCause.Timing, -each, 1),
                (TheirCause.Doubled, -each, 1),
                (TheirCause.OtherParty, 0m, 2),
                (TheirCause.OnlyOurs, each, 1),
                (TheirCause.OnlyTheirs, -7m, 1),
                (TheirCause.Amount, 1m, 1),
            ]);
    }

    [Fact]
    public async Task Stock_differs_by_quantity_and_by_cost_to_the_cent()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        await company.PostAsync(
            code,
            """
            {"source":"t","id":"G","kind":"goods-received","date":"2026-06-02","party":"SUP-OKEBRASS","location":"CORK",
             "lines":[{"item":"BAR-210","quantity":10,"unitCost":42}]}
            """
        );
        // They have 8 at 41.50, 332.00: two at their cost are 83.00, the eight cost 4.00 more here, and one more cent of none.
        var theirs = await CompareAsync(
            company,
            code,
            Control.Stock,
            "item,location,quantity,amount\nBAR-210,CORK,8,332.00\n"
        );
        theirs.Causes.Select(c => (c.Cause, c.Amount)).ShouldBe([(TheirCause.Quantity, 83m), (TheirCause.Cost, 5m)]);
        // Bad lists change nothing.
        var visit = await VisitAsync(company, code);
        foreach (
            var (bad, why) in new[]
            {
                ("item,colour,amount\nA,red,1\n", "unknown-field"),
                ("item,amount\nA,one\n", "bad-number"),
                ("item\nA\n", "missing-field"),
                ("", "empty"),
            }
        )
            (
                await Keep(company)
                    .ListAsync(visit, Control.Stock, June, "till", Encoding.UTF8.GetBytes(bad), false, Stop)
            ).Faults.ShouldContain(f => f.Code == why);
        (
            await Keep(company).ListAsync(visit, Control.Stock, June, "till", "{]"u8.ToArray(), true, Stop)
        ).Faults.ShouldContain(f => f.Code == "bad-json");
        (await Ties(company).AllAsync(visit, June, Stop)).Result!.Theirs[Control.Stock].Theirs.ShouldBe(332m);
    }

    [Fact]
    public async Task A_month_is_prepared_by_one_and_confirmed_by_another_and_what_is_posted_later_marks_it()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        await company.PostAsync(code, Sale("A", date: "2026-06-02"));
        var visit = await VisitAsync(company, code);
        var keep = Keep(company);
        var month = new DateOnly(2026, 6, 1);
        // What is said to remain must be what remains.
        (
            await keep.PrepareAsync(visit, Control.Receivables, month, [new("hand-entry", 5, "n", "nora")], Stop)
        ).Faults.ShouldContain(f => f.Code == "unexplained");
        (await keep.PrepareAsync(visit, Control.Receivables, month, [], Stop)).Result!.State.ShouldBe("prepared");
        (await keep.ConfirmAsync(visit, Control.Receivables, month, Stop)).Faults.ShouldContain(f =>
            f.Code == "own-work"
        );
        var iris = await VisitAsync(company, code, company.Actor with { Name = "iris" });
        (await keep.ConfirmAsync(iris, Control.Receivables, month, Stop)).Result!.ConfirmedBy.ShouldBe("iris");
        await company.PostAsync(code, Sale("B", date: "2026-06-03"));
        var later = (await keep.SignOffsAsync(visit, month, Stop)).SignOffs.ShouldHaveSingleItem();
        later.Later.ShouldHaveSingleItem();
        (await keep.UndoAsync(iris, Control.Receivables, month, " ", Stop)).Faults.ShouldContain(f =>
            f.Code == "missing-field"
        );
        (await keep.UndoAsync(iris, Control.Receivables, month, "posted since", Stop)).Result!.State.ShouldBe("open");
        (await keep.SetToleranceAsync(iris, 0.05m, Stop)).Refused.ShouldBeNull();
        (await keep.SetToleranceAsync(iris, -1, Stop)).Refused.ShouldNotBeNull();
    }
}
