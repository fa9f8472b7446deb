using System.Text;
using Assignum.Core.Chart;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Core.Tables.Foreign;
using Assignum.Desk;
using Assignum.Desk.Chart;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using static Assignum.Storage.Tests.Company;

namespace Assignum.Storage.Tests;

/// <summary>Charts of other programs, their balances and templates, from a file to what posts on them.</summary>
public class ChartsBroughtIn
{
    private static async Task<SetUp> DraftAsync(Company company, string code) =>
        (await new ViewSetUp(company.Desk).RunAsync(company.Actor, code, "draft", null, Stop)).Result!.SetUp.SetUp;

    private static readonly byte[] Foreign = Encoding.Latin1.GetBytes(
        "Ledger;Titel;Sorte\n;Vermögen;\n110;  Bank Süd;Geldmittel\n120;  Kasse;Geldmittel\n;Erlöse;\n410;  "
            + "Verkauf;Umsatz\n"
    );

    [Fact]
    public async Task A_foreign_chart_is_brought_in_undone_and_read_the_same_way_the_next_time()
    {
        await using var company = new Company();
        (
            await new CreateEntity(company.Desk).RunAsync(company.Actor, "NEW", "New", "EUR", Stop)
        ).Refused.ShouldBeNull();
        var bring = new BringChart(company.Desk, new ViewSetUp(company.Desk), new ImportBundle(company.Desk));
        var look = (await bring.LookAsync(company.Actor, "NEW", Foreign, null, true, Stop)).Result!;
        look.Remembered.ShouldBeNull();
        // "Sorte" is no header that anybody knows; a person says what it is, and what its words mean.
        var said = look.Settings with
        {
            Columns = ["number", "name", "class"],
            Words = new Dictionary<string, TypeMeaning> { ["Geldmittel"] = new(AccountClass.Asset, Control.Bank) },
        };
        var again = (await bring.LookAsync(company.Actor, "NEW", Foreign, said, true, Stop)).Result!;
        again.Plan.Faults.ShouldBeEmpty();
        again.Plan.Changes.Count.ShouldBe(5);
        (await DraftAsync(company, "NEW")).Accounts.ShouldBeEmpty();

        var applied = await bring.ApplyAsync(
            company.Actor,
            "NEW",
            Foreign,
            "sued.csv",
            said,
            true,
            true,
            again.State,
            Stop
        );
        applied.Faults.ShouldBeEmpty();
        var accounts = (await DraftAsync(company, "NEW")).Accounts.ToDictionary(a => a.Name);
        accounts["Bank Süd"]
            .ShouldSatisfyAllConditions(
                a => a.Control.ShouldBe(Control.Bank),
                a => a.Parent.ShouldBe(accounts["Vermögen"].Number)
            );
        accounts["Verkauf"].Class.ShouldBe(AccountClass.Revenue);

        // Another file of the same source, later: nothing has to be said again.
        var more = Encoding.Latin1.GetBytes(
            "\n\nLedger;Titel;Sorte\n;Vermögen;\n110;  Bank Süd;Geldmittel\n130;  Bank Nord;Geldmittel\n"
        );
        var next = (await bring.LookAsync(company.Actor, "NEW", more, null, true, Stop)).Result!;
        next.Remembered.ShouldBe(("tester", "sued.csv"));
        next.Plan.Changes.Select(c => (c.Kind, c.Key)).ShouldBe([(ChangeKind.Added, "130")]);
        // What somebody changed since is not overwritten.
        await Accounts.CellsAsync(company, "NEW", "120", ("name", "Till"));
        (
            await bring.ApplyAsync(company.Actor, "NEW", more, "n.csv", next.Settings, true, true, next.State, Stop)
        ).Refused.ShouldBe(Refusal.Conflict);
        (await bring.StartAsync(company.Actor, "NEW", "trading", Stop))
            .Faults.ShouldHaveSingleItem()
            .Code.ShouldBe("chart-exists");

        (
            await new EditSetUp(company.Desk).UndoAsync(company.Actor, "NEW", applied.Result!.Change!.Value, Stop)
        ).Faults.ShouldContain(f => f.Code == "built-on");
        (
            await new EditSetUp(company.Desk).UndoAsync(
                company.Actor,
                "NEW",
                await company.AskAsync<long>("select max(change_id) from change"),
                Stop
            )
        ).Faults.ShouldBeEmpty();
        (
            await new EditSetUp(company.Desk).UndoAsync(company.Actor, "NEW", applied.Result.Change.Value, Stop)
        ).Faults.ShouldBeEmpty();
        (await DraftAsync(company, "NEW")).Accounts.ShouldBeEmpty();
    }

    [Fact]
    public async Task Balances_that_come_with_a_chart_wait_until_an_opening_is_made_of_them_and_go_when_it_is_undone()
    {
        await using var company = new Company();
        (
            await new CreateEntity(company.Desk).RunAsync(company.Actor, "NEW", "New", "EUR", Stop)
        ).Refused.ShouldBeNull();
        var bring = new BringChart(company.Desk, new ViewSetUp(company.Desk), new ImportBundle(company.Desk));
        var keep = new KeepOpenings(company.Desk, new Workbench(company.Desk, new Rehearse(company.Desk)));
        var file = Encoding.UTF8.GetBytes(
            "No;Name;Type;Closing "
                + "balance\n1010;Bank;Asset;1.250,00\n1020;Till;Asset;50,5\n2010;Loan;Liability;-1.300,50\n3010;"
                + "Capital;Equity;\n"
        );
        var look = (await bring.LookAsync(company.Actor, "NEW", file, null, true, Stop)).Result!;
        look.Plan.Faults.ShouldBeEmpty();
        look.Reading.Openings.Select(o => (o.Account, o.Amount))
            .ShouldBe([("1010", 1250m), ("1020", 50.5m), ("2010", -1300.5m)]);

        var applied = await bring.ApplyAsync(
            company.Actor,
            "NEW",
            file,
            "old.csv",
            look.Settings,
            true,
            true,
            look.State,
            Stop
        );
        applied.Faults.ShouldBeEmpty();
        var rehearsed = await keep.RehearseAsync(company.Actor, "NEW", new DateOnly(2026, 1, 1), Stop);
        rehearsed.Refused.ShouldBeNull();
        var opening = rehearsed.Result!.Documents.ShouldHaveSingleItem();
        foreach (
            var part in new[]
            {
                "\"kind\":\"opening\"",
                "\"account\":\"1010\",\"debit\":1250",
                "\"account\":\"1020\",\"debit\":50.5",
                "\"account\":\"2010\",\"credit\":1300.5",
            }
        )
            opening.ShouldContain(part);
        (await company.AskAsync<long>("select count(*) from event")).ShouldBe(0);

        (
            await new EditSetUp(company.Desk).UndoAsync(company.Actor, "NEW", applied.Result!.Change!.Value, Stop)
        ).Faults.ShouldBeEmpty();
        (await company.AskAsync<long>("select count(*) from opening_amount")).ShouldBe(0);
        (await keep.RehearseAsync(company.Actor, "NEW", new DateOnly(2026, 1, 1), Stop))
            .Faults.ShouldHaveSingleItem()
            .Code.ShouldBe("no-openings");
        // Whoever does not want them says so.
        var again = (await bring.LookAsync(company.Actor, "NEW", file, null, true, Stop)).Result!;
        (
            await bring.ApplyAsync(
                company.Actor,
                "NEW",
                file,
                "old.csv",
                again.Settings,
                true,
                false,
                again.State,
                Stop
            )
        ).Faults.ShouldBeEmpty();
        (await company.AskAsync<long>("select count(*) from opening_amount")).ShouldBe(0);
    }

    [Theory, InlineData("trading"), InlineData("making"), InlineData("services")]
    public async Task An_empty_entity_starts_from_a_template_and_posts(string template)
    {
        await using var company = new Company();
        (
            await new CreateEntity(company.Desk).RunAsync(company.Actor, "NEW", "New", "EUR", Stop)
        ).Refused.ShouldBeNull();
        (
            await new BringChart(company.Desk, new ViewSetUp(company.Desk), new ImportBundle(company.Desk)).StartAsync(
                company.Actor,
                "NEW",
                template,
                Stop
            )
        ).Faults.ShouldBeEmpty();
        (
            await company.ImportAsync(
                "NEW",
                [
                    Row(Parts.Parties, ("code", "ANN"), ("name", "Ann"), ("kind", "customer")),
                    Row(Parts.Items, ("code", "HOUR"), ("name", "An hour"), ("nature", "service")),
                    Row(Parts.TaxCodes, ("code", "S"), ("name", "Sales"), ("direction", "output"), ("category", "S")),
                    Row(Parts.TaxRates, ("code", "S"), ("from", "2020-01-01"), ("rate", "0.2")),
                ]
            )
        ).Faults.ShouldBeEmpty();
        await company.PublishAsync("NEW", new DateOnly(2026, 1, 1));
        var posted = await company.PostAsync(
            "NEW",
            """{"source":"t","id":"1","kind":"sales-invoice","date":"2026-03-01","party":"ANN","""
                + """ "lines":[{"item":"HOUR","quantity":2,"unitPrice":50,"taxCode":"S"}]}"""
        );
        posted.Single().Errors.ShouldBeEmpty();
        (await new ReadJournal(company.Desk).BalancesAsync(company.Actor, "NEW", null, Stop))
            .Result!.Select(b => (b.Account, b.Debit - b.Credit))
            .ShouldBe([("1210", 120m), ("2170", -20m), ("4010", -100m)]);
    }
}
