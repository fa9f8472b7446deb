using Assignum.Core.Chart;
using Assignum.Core.Editions;
using Assignum.Core.SetUps;
using Assignum.Core.Statements;
using Assignum.Core.Tables;
using Assignum.Core.Tables.Foreign;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using static Assignum.Storage.Tests.Company;

namespace Assignum.Storage.Tests;

/// <summary>Who closes periods, what an account that was posted on may become, which class a statement takes, which
/// editions stand where, what a payment settles.</summary>
public class ExactBooks
{
    private static readonly Actor Preparer = new("prep", Role.Preparer, new Dictionary<string, Role>());
    private static readonly Actor Reviewer = new("rev", Role.Reviewer, new Dictionary<string, Role>());
    private static readonly DateOnly Far = new(2199, 1, 1);

    private static Sheet Closed(string status = "closed") =>
        Row(Parts.Periods, ("from", "2026-01-01"), ("to", "2026-01-31"), ("status", status));

    private static Sheet Account(string number, string @class, string kind = "posting") =>
        Row(Parts.Accounts, ("number", number), ("name", "Changed"), ("class", @class), ("kind", kind), ("parent", ""));

    private static Sheet Revenue(string account) =>
        Row(Parts.Assignments, ("purpose", "sales-revenue"), ("account", account), ("item_group", "RAIN"));

    [Fact]
    public async Task A_preparer_neither_closes_nor_opens_a_period_by_a_bundle_an_edit_or_an_undoing()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var import = new ImportBundle(company.Desk);
        var tried = await import.ApplyAsync(Preparer, code, [Closed()], [], true, null, Stop);
        (tried.Refused, tried.Faults.ShouldHaveSingleItem().Code).ShouldBe((Refusal.Forbidden, "role-needed"));
        (await import.PreviewAsync(Preparer, code, [Closed()], [], true, null, Stop))
            .Result!.Plan.Faults.ShouldHaveSingleItem()
            .Message.ShouldContain("reviewer");
        var done = await import.ApplyAsync(Reviewer, code, [Closed()], [], true, null, Stop);
        done.Refused.ShouldBeNull();
        (await company.PostAsync(code, Sale("A", "2026-01-15")))
            .Single()
            .Errors.ShouldHaveSingleItem()
            .Code.ShouldBe("period-closed");
        // A bundle that says what is so already asks for nobody's right.
        (await import.ApplyAsync(Preparer, code, [Closed()], [], true, null, Stop)).Refused.ShouldBeNull();
        (await import.ApplyAsync(Preparer, code, [Closed("open")], [], true, null, Stop)).Refused.ShouldBe(
            Refusal.Forbidden
        );
        var edit = new EditSetUp(company.Desk);
        (await edit.UndoAsync(Preparer, code, done.Result!.Change!.Value, Stop)).Refused.ShouldBe(Refusal.Forbidden);
        (await edit.UndoAsync(Reviewer, code, done.Result.Change.Value, Stop)).Refused.ShouldBeNull();
        (await company.PostAsync(code, Sale("A", "2026-01-15"))).Single().Outcome.ShouldBe("posted");
    }

    [Fact]
    public async Task Whoever_closes_a_period_waits_for_postings_that_go_on()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        await using var db = await company.Test.Database.OpenAsync(Stop);
        await using var transaction = await db.BeginTransactionAsync(Stop);
        await PostingNumbers.HoldAsync(db, (await EditionStore.StateAsync(db, code, false, Stop))!.Id, Stop);
        var closing = new ImportBundle(company.Desk).ApplyAsync(Reviewer, code, [Closed()], [], true, null, Stop);
        (await Task.WhenAny(closing, Task.Delay(400, Stop))).ShouldNotBe(closing);
        await transaction.CommitAsync(Stop);
        (await closing).Refused.ShouldBeNull();
    }

    [Fact]
    public async Task An_account_that_was_posted_on_stays_a_posting_account()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        await company.PostAsync(code, Sale("A"));
        var number = await company.AskAsync<string>("select account from entry_line where purpose = 'sales-revenue'");
        (await company.ImportAsync(code, [Account(number, "revenue", "heading")]))
            .Faults.ShouldHaveSingleItem()
            .Code.ShouldBe("kind-fixed");
        // One that is a heading in the draft and was posted on meanwhile keeps the draft from being published.
        (await company.ImportAsync(code, [Account("4998", "revenue")])).Refused.ShouldBeNull();
        (
            await company.ImportAsync(
                code,
                [Row(Parts.Assignments, ("purpose", "sales-revenue"), ("account", "4998"), ("item", "RG-100"))]
            )
        ).Refused.ShouldBeNull();
        await company.PublishAsync(code, new(2026, 2, 1));
        (await company.ImportAsync(code, [Account("4998", "revenue", "heading")])).Refused.ShouldBeNull();
        await company.PostAsync(code, Sale("B"));
        (await new PublishDraft(company.Desk).RunAsync(company.Actor, code, new(2026, 8, 1), null, Stop))
            .Faults.ShouldHaveSingleItem()
            .Code.ShouldBe("kind-fixed");
    }

    [Fact]
    public async Task A_statement_takes_the_class_that_is_in_force_on_its_day_and_always_balances()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        await company.PostAsync(code, Sale("A", "2026-03-01"), Sale("B", "2026-08-01"));
        var number = await company.AskAsync<string>(
            "select distinct account from entry_line where purpose = 'sales-revenue'"
        );
        await company.ImportAsync(code, [Account(number, "other-income")]);
        // What moves between the parts of the statements is seen before it is published.
        var view = (await new ViewSetUp(company.Desk).RunAsync(company.Actor, code, "draft", null, Stop)).Result!;
        var moves = (
            await new CompareSetUps(company.Desk, new ViewSetUp(company.Desk)).ConsequencesAsync(
                view.Visit!,
                "1",
                "draft",
                Stop
            )
        )
            .Result!
            .Moves;
        moves
            .ShouldHaveSingleItem()
            .ShouldBe(new StatementMove(number, "Changed", AccountClass.Revenue, AccountClass.OtherIncome, -200m));
        await company.PublishAsync(code, new(2026, 7, 1));
        var journal = new ReadJournal(company.Desk);
        async Task<string> ClassAsync(DateOnly? day)
        {
            var rows = (await journal.BalancesAsync(company.Actor, code, day, Stop)).Result!;
            rows.Sum(r => r.Debit - r.Credit).ShouldBe(0);
            return rows.Single(r => r.Account == number).Class;
        }
        (await ClassAsync(new(2026, 6, 30)), await ClassAsync(new(2026, 7, 1)), await ClassAsync(null)).ShouldBe(
            ("revenue", "other-income", "other-income")
        );
    }

    private static async Task<EntityState> StateAsync(Company company, string code)
    {
        await using var db = await company.Test.Database.OpenAsync(Stop);
        return (await EditionStore.StateAsync(db, code, false, Stop))!;
    }

    [Fact]
    public async Task A_coming_edition_is_not_live_and_can_be_withdrawn_for_one_before_it()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var today = DateOnly.FromDateTime(DateTime.UtcNow);
        await company.ImportAsync(code, [Revenue("4012")]);
        await company.PublishAsync(code, Far);
        var state = await StateAsync(company, code);
        EditionRow Of(int number) => state.Editions.Single(e => e.Number == number);
        (state.StandingOf(Of(1), today), state.StandingOf(Of(2), today), state.InForce(today)!.Number).ShouldBe(
            (EditionStanding.Live, EditionStanding.Coming, 1)
        );
        // Nothing goes before it while it is there.
        await company.ImportAsync(code, [Revenue("4014")]);
        var publish = new PublishDraft(company.Desk);
        (await publish.RunAsync(company.Actor, code, today, null, Stop))
            .Faults.ShouldHaveSingleItem()
            .ShouldSatisfyAllConditions(
                f => f.Code.ShouldBe("before-latest"),
                f => f.Message.ShouldContain("withdrawn")
            );
        var drafts = new KeepDrafts(company.Desk);
        // The draft is made on it: that is told.
        (await drafts.WithdrawAsync(Reviewer, code, 2, Stop)).Faults.ShouldHaveSingleItem().Code.ShouldBe("based-on");
        await drafts.ThrowAwayAsync(company.Actor, code, Stop);
        (await drafts.WithdrawAsync(Preparer, code, 2, Stop)).Refused.ShouldBe(Refusal.Forbidden);
        (await drafts.WithdrawAsync(Reviewer, code, 1, Stop)).Faults.ShouldHaveSingleItem().Code.ShouldBe("not-latest");
        var withdrawn = (await drafts.WithdrawAsync(Reviewer, code, 2, Stop)).Result!;

        // It is a what-if that holds what it held; the edition before it is as it was; its number is nobody's.
        async Task<string?> RainAsync(string edition) =>
            (await new ViewSetUp(company.Desk).RunAsync(company.Actor, code, edition, null, Stop))
                .Result!.SetUp.SetUp.Assignments.FirstOrDefault(a =>
                    a.Purpose == "sales-revenue" && a.Key is [{ Value: "RAIN" }]
                )
                ?.Account;
        var (was, held) = (await RainAsync("1"), await RainAsync("w" + withdrawn.Id));
        (held, was == held).ShouldBe(("4012", false));
        (await drafts.TakeBackAsync(company.Actor, code, Stop))
            .Faults.ShouldHaveSingleItem()
            .Message.ShouldContain("withdrawn");
        await company.ImportAsync(code, [Revenue("4014")]);
        (await publish.RunAsync(company.Actor, code, today, null, Stop)).Result!.Number.ShouldBe(3);
        (await RainAsync("3"), await RainAsync("1"), await RainAsync("w" + withdrawn.Id)).ShouldBe(
            ("4014", was, "4012")
        );
    }

    [Fact]
    public async Task An_edition_that_something_was_posted_by_stays_and_one_overtaken_is_never_coming()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        await company.ImportAsync(code, [Revenue("4012")]);
        await company.PublishAsync(code, Far);
        await company.ImportAsync(code, [Revenue("4014")]);
        await company.PublishAsync(code, Far);
        var (state, today) = (await StateAsync(company, code), DateOnly.FromDateTime(DateTime.UtcNow));
        state
            .Editions.Where(e => e.Number is not null)
            .OrderBy(e => e.Number)
            .Select(e => state.StandingOf(e, today))
            .ShouldBe([EditionStanding.Live, EditionStanding.Overtaken, EditionStanding.Coming]);
        await company.PostAsync(code, Sale("A", "2199-02-01"));
        (await new KeepDrafts(company.Desk).WithdrawAsync(Reviewer, code, 3, Stop))
            .Faults.ShouldHaveSingleItem()
            .Code.ShouldBe("posted");
    }

    [Fact]
    public async Task Changes_are_counted_as_differences_and_are_nought_after_undoing()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        async Task<(int Counted, int Told)> SizeAsync()
        {
            await using var db = await company.Test.Database.OpenAsync(Stop);
            var state = (await EditionStore.StateAsync(db, code, false, Stop))!;
            return (
                await EditionStore.DraftSizeAsync(db, state.Id, state.Draft!.Id, Stop),
                (
                    await new CompareSetUps(company.Desk, new ViewSetUp(company.Desk)).DifferenceAsync(
                        (await new ViewSetUp(company.Desk).RunAsync(company.Actor, code, "draft", null, Stop))
                            .Result!
                            .Visit!,
                        "1",
                        "draft",
                        Stop
                    )
                )
                    .Result!
                    .Lines
                    .Count
            );
        }
        var first = await company.ImportAsync(code, [Revenue("4012")]);
        (await SizeAsync()).ShouldBe((1, 1));
        await company.ImportAsync(code, [Revenue("4014")]);
        (await SizeAsync()).ShouldBe((1, 1));
        var more = await company.ImportAsync(
            code,
            [
                Account("4012", "other-income"),
                Row(Parts.Ladders, ("purpose", "gift-card-breakage"), ("position", "1"), ("rung", "channel")),
                Row(Parts.Policies, ("policy", "discounts"), ("value", "separate")),
            ]
        );
        more.Refused.ShouldBeNull();
        var (counted, told) = await SizeAsync();
        counted.ShouldBe(told);
        (
            await new EditSetUp(company.Desk).UndoAsync(company.Actor, code, more.Result!.Change!.Value, Stop)
        ).Refused.ShouldBeNull();
        (await SizeAsync()).ShouldBe((1, 1));
        var draft = (await new ViewSetUp(company.Desk).RunAsync(company.Actor, code, "draft", null, Stop))
            .Result!
            .SetUp
            .SetUp;
        var own = Parts
            .Assignments.Write(draft)
            .Single(r => r[0] == "sales-revenue" && r[1] == "4014" && r[3] == "RAIN");
        (
            await new EditSetUp(company.Desk).RunAsync(
                company.Actor,
                code,
                "taken away",
                null,
                [SetUpEdit.Row(Parts.Assignments, own, null)],
                Stop
            )
        ).Refused.ShouldBeNull();
        (await SizeAsync()).ShouldBe((0, 0));
    }

    private static string DocumentAmount(decimal? amount) =>
        amount is null ? "" : FormattableString.Invariant($",\"documentAmount\":{amount}");

    private static string Pay(
        string id,
        string reference,
        decimal amount,
        string currency = "EUR",
        decimal? rate = null,
        decimal? documentAmount = null
    ) =>
        string.Create(
            System.Globalization.CultureInfo.InvariantCulture,
            $$"""{"source":"t","id":"{{id}}","kind":"customer-payment","date":"2026-07-01","""
                + $$""" "party":"SHOP-GALE","amount":{{amount}},"""
                + $$""" "currency":"{{currency}}"{{(rate is null ? "" : $",\"rate\":{rate}")}},"settles":["""
                + $$""" {"reference":"{{reference}}","""
                + $$""" "amount":{{amount}}{{DocumentAmount(documentAmount)}}}]}"""
        );

    [Fact]
    public async Task A_payment_finds_its_document_wherever_that_landed()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        // The shop's receivables land on an account of another subledger that accepts it, and later on one of their own
        // again.
        await company.ImportAsync(
            code,
            [
                Row(
                    Parts.Accounts,
                    ("number", "1185"),
                    ("name", "Clearing of Gale"),
                    ("class", "asset"),
                    ("kind", "posting"),
                    ("control", "clearing"),
                    ("hand_entries", "accept")
                ),
            ]
        );
        await company.ImportAsync(
            code,
            [Row(Parts.Assignments, ("purpose", "receivables"), ("account", "1185"), ("party", "SHOP-GALE"))]
        );
        await company.PublishAsync(code, new(2026, 2, 1));
        (await company.PostAsync(code, Sale("R-2"))).Single().Outcome.ShouldBe("posted");
        await company.ImportAsync(
            code,
            [new Sheet(Parts.Assignments, new HashSet<int>(Enumerable.Range(0, Parts.Assignments.Columns.Count)), [])],
            partial: true
        );
        var view = (await new ViewSetUp(company.Desk).RunAsync(company.Actor, code, "2", null, Stop)).Result!;
        var own = Parts.Assignments.Write(view.SetUp.SetUp).Single(r => r[0] == "receivables" && r[1] == "1185");
        (
            await new EditSetUp(company.Desk).RunAsync(
                company.Actor,
                code,
                "taken away",
                null,
                [SetUpEdit.Row(Parts.Assignments, own, null)],
                Stop
            )
        ).Refused.ShouldBeNull();
        await company.PublishAsync(code, new(2026, 6, 20));
        (await company.PostAsync(code, Pay("P-2", "R-2", 123m))).Single().Errors.ShouldBeEmpty();
        (await company.AskAsync<decimal>("select sum(debit - credit) from entry_line where account = '1185'")).ShouldBe(
            0
        );
        (
            await company.AskAsync<decimal>(
                "select sum(currency_amount) from subledger_movement where document = 'receivables' and reference = "
                    + "'R-2'"
            )
        ).ShouldBe(0);
    }

    [Fact]
    public async Task A_document_in_another_currency_is_settled_by_what_is_settled_of_it_in_its_own()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        await company.PostAsync(
            code,
            """{"source":"t","id":"U","kind":"sales-invoice","date":"2026-06-01","currency":"USD","""
                + """ "rate":0.9,"reference":"U-1","party":"SHOP-GALE","lines":[{"item":"RG-100","""
                + """ "unitPrice":100,"taxCode":"S23"}]}"""
        );
        // 123.00 USD at 0.9 is 110.70. In silence 10 dinars would have been worth 9 and the rest a gain.
        (await company.PostAsync(code, Pay("K-1", "U-1", 10m, "KWD", 3m)))
            .Single()
            .Errors.ShouldHaveSingleItem()
            .ShouldSatisfyAllConditions(
                e => e.Code.ShouldBe("document-currency"),
                e => e.Path.ShouldBe("settles[0].documentAmount")
            );
        (await company.PostAsync(code, Pay("K-2", "U-1", 10m, "KWD", 3m, 33.333m)))
            .Single()
            .Errors.ShouldHaveSingleItem()
            .Code.ShouldBe("document-amount");
        (await company.PostAsync(code, Pay("K-3", "U-1", 10m, "KWD", 3m, -33.33m)))
            .Single()
            .Errors.ShouldHaveSingleItem()
            .Code.ShouldBe("document-amount");
        // 30.00 for 33.33 USD, which are booked at 30.00 (29.997): no gain.
        (await company.PostAsync(code, Pay("K-4", "U-1", 10m, "KWD", 3m, 33.33m))).Single().Outcome.ShouldBe("posted");
        (
            await company.AskAsync<decimal>(
                "select sum(debit - credit) from entry_line l where party = 'SHOP-GALE' and purpose = 'receivables'"
            )
        ).ShouldBe(80.70m);
        (
            await company.AskAsync<decimal>(
                "select sum(currency_amount) from subledger_movement where document = 'receivables' and reference = "
                    + "'U-1' and currency = 'USD'"
            )
        ).ShouldBe(89.67m);
        // The rest in euros: 89.67 USD stand at 80.70; 85 paid, 4.30 gained.
        (await company.PostAsync(code, Pay("K-5", "U-1", 85m, documentAmount: 89.67m)))
            .Single()
            .Outcome.ShouldBe("posted");
        (
            await company.AskAsync<decimal>(
                "select sum(debit - credit) from entry_line l where party = 'SHOP-GALE' and purpose = 'receivables'"
            )
        ).ShouldBe(0m);
        (
            await company.AskAsync<decimal>(
                "select sum(credit - debit) from entry_line l where purpose in ('exchange-gain', 'exchange-loss')"
            )
        ).ShouldBe(4.30m);
    }
}
