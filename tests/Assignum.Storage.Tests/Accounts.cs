using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Core.Ledger;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Desk;
using Assignum.Desk.Chart;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using static Assignum.Storage.Tests.Company;

namespace Assignum.Storage.Tests;

/// <summary>Accounts that are renumbered, replaced, archived and deleted while a journal stands on
/// them.</summary>
public class Accounts
{
    private static async Task<SetUpView> ViewAsync(Company company, string code, string edition = "draft") =>
        (await new ViewSetUp(company.Desk).RunAsync(company.Actor, code, edition, null, Stop)).Result!;

    private static async Task<SetUp> DraftAsync(Company company, string code) =>
        (await ViewAsync(company, code)).SetUp.SetUp;

    // Changes cells of an account in the draft.
    internal static async Task<Outcome<EditResult>> CellsAsync(
        Company company,
        string code,
        string number,
        params (string Column, string? Value)[] cells
    ) =>
        await new EditSetUp(company.Desk).MakeAsync(
            company.Actor,
            code,
            "changed",
            null,
            (now, _) =>
                [
                    SetUpEdit.Row(
                        Parts.Accounts,
                        Parts.Accounts.Write(now with { Accounts = [now.Accounts.Single(a => a.Number == number)] })[0],
                        cells.ToDictionary(c => c.Column, c => c.Value)
                    ),
                ],
            Stop
        );

    private static ReadAccounts Reader(Company company) => new(company.Desk, new ViewSetUp(company.Desk));

    [Fact]
    public async Task A_renumbered_account_keeps_its_journal_and_all_that_names_it_follows()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        (await company.PostAsync(code, Sale("A", "2026-06-15"))).Single().Outcome.ShouldBe("posted");
        var renumbered = await new EditSetUp(company.Desk).MakeAsync(
            company.Actor,
            code,
            "renumbered",
            null,
            (now, _) =>
                [.. Renumbering.Plan(now, "1210", "1215", false), .. Renumbering.Plan(now, "4010", "4011", false)],
            Stop
        );
        renumbered.Faults.ShouldBeEmpty();
        // It is the same account, in the live edition too: no draft is opened for it.
        var live = await ViewAsync(company, code, "1");
        live.Entity.Draft.ShouldBeNull();
        live.SetUp.SetUp.Assignments.Single(a => a.Purpose == "receivables" && a.Key.Count == 0)
            .Account.ShouldBe("1215");
        live.SetUp.SetUp.ReliefAccounts.ShouldAllBe(r => r.Account != "1210" && r.Relief != "1210");

        // The payment settles the invoice on the account it was booked on, by the number it has now.
        var paid = await company.PostAsync(
            code,
            """{"source":"t","id":"P","kind":"customer-payment","date":"2026-06-20","""
                + """ "party":"SHOP-GALE","method":"BANK","amount":123,"settles":[{"reference":"A","""
                + """ "amount":123}]}"""
        );
        paid.Single().Errors.ShouldBeEmpty();
        var journal = new ReadJournal(company.Desk);
        var balances = (await journal.BalancesAsync(company.Actor, code, null, Stop)).Result!;
        balances
            .Single(b => b.Account == "1215")
            .ShouldSatisfyAllConditions(b => b.Debit.ShouldBe(123m), b => b.Credit.ShouldBe(123m));
        balances.ShouldNotContain(b => b.Account == "1210");

        // Posted lines keep the number as posted beside the new one.
        var entries = (await journal.EntriesAsync(company.Actor, code, new EntryQuery(Account: "1215"), Stop)).Result!;
        entries
            .Select(e => e.Document.Lines.Single(l => l.Purpose == "receivables"))
            .Select(l => (l.Account, l.AccountNow))
            .ShouldBe([("1210", "1215"), ("1215", null)]);
        var card = await Reader(company).CardAsync(live.Visit!, ["1215"], null, null, 0, 10, Stop);
        card.Select(l => (l.AsPosted, l.Before, l.Debit, l.Credit, l.Rung))
            .ShouldBe([("1210", 0m, 123m, 0m, "default"), (null, 123m, 0m, 123m, "document")]);
        (await Reader(company).FactsAsync(live.Visit!, await DraftAsync(company, code), "1215", Stop))
            .Former.Select(f => f.Number)
            .ShouldBe(["1210"]);

        // A sale lands there and undoing puts the old number back everywhere.
        (await company.PostAsync(code, Sale("B"))).Single().Errors.ShouldBeEmpty();
        (
            await new EditSetUp(company.Desk).UndoAsync(company.Actor, code, renumbered.Result!.Id!.Value, Stop)
        ).Faults.ShouldBeEmpty();
        (await DraftAsync(company, code))
            .Assignments.Single(a => a.Purpose == "receivables" && a.Key.Count == 0)
            .Account.ShouldBe("1210");
        (await company.PostAsync(code, Sale("C"))).Single().Errors.ShouldBeEmpty();
        (
            await company.AskAsync<long>(
                "select count(*) from record_history where part = 'accounts' and before is not null and before ->> "
                    + "'number' <> after ->> 'number'"
            )
        ).ShouldBe(4);
    }

    [Fact]
    public async Task Events_that_stream_in_while_numbers_are_exchanged_land_on_the_right_accounts()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var posting = Task.Run(
            async () =>
            {
                for (var batch = 0; batch < 25; batch++)
                    (
                        await company.PostAsync(code, [.. Enumerable.Range(0, 8).Select(i => Sale($"S{batch}-{i}"))])
                    ).ShouldAllBe(p => p.Outcome == "posted");
            },
            Stop
        );
        for (var i = 0; i < 12; i++)
            (
                await new EditSetUp(company.Desk).MakeAsync(
                    company.Actor,
                    code,
                    "exchanged",
                    null,
                    (now, _) =>
                        [
                            .. Renumbering.Plan(now, "4010", "4020", false),
                            .. Renumbering.Plan(now, "4020", "4010", false),
                        ],
                    Stop
                )
            ).Faults.ShouldBeEmpty();
        await posting;
        (
            await company.AskAsync<string>(
                "select string_agg(distinct a.name, ', ') from entry_line l join accounts a using (entity_id, "
                    + "account_id) where l.purpose = 'sales-revenue'"
            )
        ).ShouldBe("Instruments");
        (await company.AskAsync<long>("select count(*) from entry_line where purpose = 'sales-revenue'")).ShouldBe(200);
        // As posted: whatever number the account bore at that moment.
        (
            await company.AskAsync<long>(
                "select count(distinct account) from entry_line where purpose = 'sales-revenue'"
            )
        ).ShouldBeInRange(1, 2);
    }

    [Fact]
    public async Task Documents_that_somebody_keeps_name_the_account_by_its_new_number()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var id = (await ViewAsync(company, code)).Entity.Id;
        var kept = Quoted(
            "{'source':'own','id':'1','kind':'supplier-invoice','reference':'4010','payablesAccount':'2110',"
                + "'lines':[{'account':'4010','quantity':1},{'account':'4012'}],"
                + "'charges':[{'account':'4010','amount':2}]}"
        );
        await using var db = await company.Desk.Database.OpenAsync(Stop);
        (await WorkbenchStore.SaveAsync(db, id, "nora", [kept, """{"kind":"money-moved"}"""], 0, Stop)).ShouldBeTrue();
        (
            await new EditSetUp(company.Desk).MakeAsync(
                company.Actor,
                code,
                "r",
                null,
                (now, _) =>
                    [
                        .. Renumbering.Plan(now, "4010", "4012", false),
                        .. Renumbering.Plan(now, "4012", "4010", false),
                        .. Renumbering.Plan(now, "2110", "2111", false),
                    ],
                Stop
            )
        ).Faults.ShouldBeEmpty();
        (await WorkbenchStore.LoadAsync(db, id, "nora", Stop)).Documents.ShouldBe([
            Quoted(
                "{'source':'own','id':'1','kind':'supplier-invoice','reference':'4010','payablesAccount':'2111',"
                    + "'lines':[{'account':'4012','quantity':1},{'account':'4010'}],"
                    + "'charges':[{'account':'4012','amount':2}]}"
            ),
            """{"kind":"money-moved"}""",
        ]);
    }

    private static string Quoted(string json) => json.Replace('\'', '"');

    [Fact]
    public async Task Numbers_are_exchanged_and_a_held_number_is_refused()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var edit = new EditSetUp(company.Desk);
        (
            await edit.MakeAsync(
                company.Actor,
                code,
                "x",
                null,
                (now, _) => Renumbering.Plan(now, "4010", "4012", false),
                Stop
            )
        ).ShouldSatisfyAllConditions(
            o => o.Refused.ShouldBe(Refusal.Conflict),
            o => o.Faults[0].Message.ShouldContain("4012 is Instruments, schools")
        );
        (
            await edit.MakeAsync(
                company.Actor,
                code,
                "x",
                null,
                (now, _) =>
                    [.. Renumbering.Plan(now, "4010", "4012", false), .. Renumbering.Plan(now, "4012", "4010", false)],
                Stop
            )
        ).Faults.ShouldBeEmpty();
        (await DraftAsync(company, code))
            .Accounts.Single(a => a.Number == "4010")
            .Name.ShouldBe("Instruments, schools");
        (await DraftAsync(company, code))
            .Assignments.Where(a => a.Account == "4010")
            .ShouldHaveSingleItem()
            .Key.Count.ShouldBe(2);
    }

    [Fact]
    public async Task An_account_in_use_is_archived_only_when_another_has_its_place()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        await company.PostAsync(code, Sale("A"));
        (await CellsAsync(company, code, "4012", ("status", "archived")))
            .Faults.ShouldHaveSingleItem()
            .ShouldSatisfyAllConditions(
                f => f.Code.ShouldBe("still-named"),
                f => f.Message.ShouldContain("sales-revenue")
            );
        var faults = await new EditSetUp(company.Desk).MakeAsync(
            company.Actor,
            code,
            "r",
            null,
            (now, said) => ChartReferences.Replace(now, "4012", "5010", new Dictionary<string, string>(), said),
            Stop
        );
        faults.Faults.ShouldHaveSingleItem().Code.ShouldBe("class");
        var done = await new EditSetUp(company.Desk).MakeAsync(
            company.Actor,
            code,
            "r",
            null,
            (now, said) => ChartReferences.Replace(now, "4012", "4010", new Dictionary<string, string>(), said),
            Stop
        );
        done.Faults.ShouldBeEmpty();
        var draft = await DraftAsync(company, code);
        draft.Accounts.Single(a => a.Number == "4012").Status.ShouldBe(RecordStatus.Archived);
        draft.Assignments.ShouldNotContain(a => a.Account == "4012");
        // The live edition goes on as it was until the draft is published; a file may archive what is assigned.
        (await ViewAsync(company, code, "1"))
            .SetUp.SetUp.Accounts.Single(a => a.Number == "4012")
            .Status.ShouldBe(RecordStatus.Active);
        (
            await company.ImportAsync(
                code,
                [
                    Row(
                        Parts.Accounts,
                        ("number", "4014"),
                        ("name", "Instruments, export"),
                        ("class", "revenue"),
                        ("kind", "posting"),
                        ("status", "archived")
                    ),
                ]
            )
        ).Refused.ShouldBeNull();
        (
            await new EditSetUp(company.Desk).UndoAsync(company.Actor, code, done.Result!.Id!.Value, Stop)
        ).Faults.ShouldBeEmpty();
        (await DraftAsync(company, code)).Assignments.ShouldContain(a => a.Account == "4012");
    }

    [Fact]
    public async Task A_never_used_account_is_deleted_and_a_used_one_is_not()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        (
            await company.ImportAsync(
                code,
                [
                    Row(
                        Parts.Accounts,
                        ("number", "4098"),
                        ("name", "Mistake"),
                        ("class", "revenue"),
                        ("kind", "posting")
                    ),
                ]
            )
        ).Refused.ShouldBeNull();
        async Task<Outcome<EditResult>> DeleteAsync(string number) =>
            await new EditSetUp(company.Desk).MakeAsync(
                company.Actor,
                code,
                "deleted",
                null,
                (now, _) =>
                    [
                        SetUpEdit.Row(
                            Parts.Accounts,
                            Parts.Accounts.Write(
                                now with
                                {
                                    Accounts = [now.Accounts.Single(a => a.Number == number)],
                                }
                            )[0],
                            null
                        ),
                    ],
                Stop
            );
        var gone = await DeleteAsync("4098");
        gone.Faults.ShouldBeEmpty();
        (await DraftAsync(company, code)).Accounts.ShouldNotContain(a => a.Number == "4098");
        (await DeleteAsync("4010")).Faults.ShouldContain(f => f.Code == "in-use");
        (
            await new EditSetUp(company.Desk).UndoAsync(company.Actor, code, gone.Result!.Id!.Value, Stop)
        ).Faults.ShouldBeEmpty();
        (await DraftAsync(company, code)).Accounts.ShouldContain(a => a.Number == "4098");
    }

    [Fact]
    public async Task Notes_have_an_author_and_a_time_and_follow_the_account()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        (await CellsAsync(company, code, "4010", ("note", "Only what is finished."))).Faults.ShouldBeEmpty();
        (
            await new EditSetUp(company.Desk).MakeAsync(
                company.Actor,
                code,
                "n",
                null,
                (now, _) => Renumbering.Plan(now, "4010", "4015", false),
                Stop
            )
        ).Faults.ShouldBeEmpty();
        (await CellsAsync(company, code, "4015", ("note", "Spares go to 4020."))).Faults.ShouldBeEmpty();
        // Another account takes the number it had; its history is its own.
        (
            await company.ImportAsync(
                code,
                [
                    Row(
                        Parts.Accounts,
                        ("number", "4010"),
                        ("name", "New"),
                        ("class", "revenue"),
                        ("kind", "posting"),
                        ("note", "Mine")
                    ),
                ]
            )
        ).Refused.ShouldBeNull();
        var view = await ViewAsync(company, code);
        (await Reader(company).FactsAsync(view.Visit!, view.SetUp.SetUp, "4015", Stop))
            .Notes.Select(n => (n.Text, n.Who))
            .ShouldBe([("Spares go to 4020.", "tester"), ("Only what is finished.", "tester")]);
        (await Reader(company).FactsAsync(view.Visit!, view.SetUp.SetUp, "4010", Stop))
            .Notes.Select(n => n.Text)
            .ShouldBe(["Mine"]);
    }

    [Fact]
    public async Task Making_an_account_a_control_account_lists_what_uses_it_wrongly()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        await company.PostAsync(
            code,
            Sale("A"),
            """{"source":"t","id":"H","kind":"hand-entry","date":"2026-06-20","lines":["""
                + """ {"account":"4010","debit":5},{"account":"6010","credit":5}]}"""
        );
        var view = await ViewAsync(company, code);
        var said = await Reader(company)
            .WrongUsesAsync(
                view.Visit!,
                view.SetUp.SetUp,
                view.SetUp.SetUp.Accounts.Single(a => a.Number == "4010") with
                {
                    Class = AccountClass.Asset,
                    Control = Control.Receivables,
                },
                Stop
            );
        said.ShouldContain(s => s.StartsWith("sales revenue (item group INSTR): "));
        said.ShouldContain("1 line posted by hand.");
        said.ShouldContain("1 line posted for sales revenue, which belongs to no subledger.");
        said.ShouldContain("1 line names no party: the subledger cannot hold it.");
        (
            await Reader(company)
                .WrongUsesAsync(
                    view.Visit!,
                    view.SetUp.SetUp,
                    view.SetUp.SetUp.Accounts.Single(a => a.Number == "1210"),
                    Stop
                )
        ).ShouldBeEmpty();
    }

    [Fact]
    public async Task Choices_put_what_suits_first_and_say_why_the_others_do_not()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        await company.PostAsync(code, Sale("A", party: "EX-BOREAL"));
        await CellsAsync(company, code, "4030", ("short_code", "BOOK"));
        var state = (await ViewAsync(company, code)).Visit!;
        async Task<IReadOnlyList<AccountChoice>> FindAsync(string text, string? purpose, int most = 12) =>
            await Reader(company)
                .ChoicesAsync(
                    state,
                    text,
                    purpose is null ? null : Purposes.Find(purpose),
                    purpose is not null,
                    false,
                    false,
                    most,
                    Stop
                );

        var found = await FindAsync("instruments", "sales-revenue");
        found.TakeWhile(c => c.Why is null).Select(c => c.Account.Number).ShouldBe(["4010", "4012", "4014"]);
        found.SkipWhile(c => c.Why is null).ShouldAllBe(c => c.Why!.Code == "class");
        (await FindAsync("book", "sales-revenue"))[0].Account.Number.ShouldBe("4030");
        (await FindAsync("41", null)).Select(c => c.Account.Number).ShouldBe(["1410", "1411"]);
        // Of many that suit, what was posted on last comes first.
        (await FindAsync("", "sales-revenue", 1)).Single().Account.Number.ShouldBe("4014");
        (await Reader(company).ChoicesAsync(state, "", null, false, false, true, 3, Stop)).ShouldAllBe(c =>
            c.Account.Kind == AccountKind.Heading
        );
    }
}
