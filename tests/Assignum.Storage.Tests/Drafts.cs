using Assignum.Core.Chart;
using Assignum.Core.Editions;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Core.Tables.Foreign;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.SetUps;
using static Assignum.Storage.Tests.Company;

namespace Assignum.Storage.Tests;

/// <summary>Drafts approved by other eyes, discarded and taken back, and what they and past editions keep from being
/// deleted.</summary>
public class Drafts
{
    private static Sheet Revenue(string account) =>
        Row(Parts.Assignments, ("purpose", "sales-revenue"), ("account", account), ("item_group", "RAIN"));

    private static async Task<SetUpView> ViewAsync(Company company, string code, string edition = "draft") =>
        (await new ViewSetUp(company.Desk).RunAsync(company.Actor, code, edition, null, Stop)).Result!;

    private static readonly Actor Other = new("other", Role.Administrator, new Dictionary<string, Role>());

    [Fact]
    public async Task Under_four_eyes_whoever_edited_publishes_only_what_another_approved_as_it_is()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        await company.ImportAsync(code, [Row(Parts.Policies, ("policy", "four-eyes"), ("value", "on"))]);
        await company.PublishAsync(code, new(2026, 2, 1));
        await company.ImportAsync(code, [Revenue("4012")]);
        var (drafts, publish) = (new KeepDrafts(company.Desk), new PublishDraft(company.Desk));
        var seen = (await ViewAsync(company, code)).Entity.Draft!.Revision;
        (await drafts.ApproveAsync(company.Actor, code, seen, Stop))
            .Faults.ShouldHaveSingleItem()
            .Code.ShouldBe("four-eyes");
        (
            await drafts.ApproveAsync(
                new Actor("reader", Role.Preparer, new Dictionary<string, Role>()),
                code,
                seen,
                Stop
            )
        ).Refused.ShouldBe(Refusal.Forbidden);
        (await drafts.ApproveAsync(Other, code, seen, Stop)).Refused.ShouldBeNull();

        // A change after it voids the approval; approving what one has not seen is refused.
        await company.ImportAsync(code, [Revenue("4014")]);
        (await publish.RunAsync(company.Actor, code, new(2026, 3, 1), null, Stop))
            .Faults.ShouldHaveSingleItem()
            .Code.ShouldBe("four-eyes");
        (await drafts.ApproveAsync(Other, code, seen, Stop))
            .Faults.ShouldHaveSingleItem()
            .Code.ShouldBe("changed-meanwhile");
        (
            await drafts.ApproveAsync(Other, code, (await ViewAsync(company, code)).Entity.Draft!.Revision, Stop)
        ).Refused.ShouldBeNull();
        (await publish.RunAsync(company.Actor, code, new(2026, 3, 1), null, Stop)).Refused.ShouldBeNull();
    }

    [Fact]
    public async Task Two_reviewers_publish_at_once_and_one_of_them_is_told_that_there_is_no_draft()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        await company.ImportAsync(code, [Revenue("4012")]);
        var publish = new PublishDraft(company.Desk);
        var both = await Task.WhenAll(
            publish.RunAsync(company.Actor, code, new(2026, 3, 1), "a", Stop),
            publish.RunAsync(Other, code, new(2026, 3, 1), "b", Stop)
        );
        both.Count(o => o.Refused is null).ShouldBe(1);
        both.Single(o => o.Refused is not null).Faults.ShouldHaveSingleItem().Code.ShouldBe("no-draft");
        (await company.AskAsync<long>("select count(*) from edition where status = 'published'")).ShouldBe(2);
    }

    [Fact]
    public async Task A_draft_that_was_thrown_away_can_be_taken_back_while_no_other_is_open()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var drafts = new KeepDrafts(company.Desk);
        (await drafts.ThrowAwayAsync(company.Actor, code, Stop)).Refused.ShouldBe(Refusal.Conflict);
        await company.ImportAsync(code, [Revenue("4012")]);
        (await drafts.ThrowAwayAsync(company.Actor, code, Stop)).Refused.ShouldBeNull();
        var empty = await ViewAsync(company, code);
        empty.Entity.Draft.ShouldBeNull();
        SetUpImport.Difference((await ViewAsync(company, code, "1")).SetUp.SetUp, empty.SetUp.SetUp).ShouldBeEmpty();
        (await drafts.TakeBackAsync(company.Actor, code, Stop)).Refused.ShouldBeNull();
        (await ViewAsync(company, code)).SetUp.SetUp.Assignments.ShouldContain(a =>
            a.Account == "4012" && a.Key.Count == 1
        );

        (await drafts.ThrowAwayAsync(company.Actor, code, Stop)).Refused.ShouldBeNull();
        await company.ImportAsync(code, [Revenue("4014")]);
        (await drafts.TakeBackAsync(company.Actor, code, Stop))
            .Faults[0]
            .Message.ShouldContain("Another draft is open");
        (await drafts.ThrowAwayAsync(company.Actor, code, Stop)).Refused.ShouldBeNull();
        await company.ImportAsync(code, [Revenue("4014")]);
        await company.PublishAsync(code, new(2026, 3, 1));
        // After another edition it comes back on the one it was made on, and is brought onto the latest before it is
        // published.
        (await drafts.TakeBackAsync(company.Actor, code, Stop)).Refused.ShouldBeNull();
        (await new PublishDraft(company.Desk).RunAsync(company.Actor, code, new(2026, 4, 1), null, Stop))
            .Faults.ShouldHaveSingleItem()
            .Code.ShouldBe("not-on-latest");
        (
            await company.AskAsync<long>(
                "select count(*) from audit where what in ('draft discarded', 'draft taken back')"
            )
        ).ShouldBe(5);
    }

    [Fact]
    public async Task An_account_that_only_a_past_edition_or_another_draft_names_is_not_deleted()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        await company.ImportAsync(
            code,
            [
                Row(Parts.Accounts, ("number", "4097"), ("name", "Once"), ("class", "revenue"), ("kind", "posting")),
                Revenue("4097"),
            ]
        );
        await company.PublishAsync(code, new(2026, 2, 1));
        await company.ImportAsync(code, [Revenue("4012")]);
        await company.PublishAsync(code, new(2026, 3, 1));
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
        (await DeleteAsync("4097")).Faults.ShouldHaveSingleItem().Code.ShouldBe("in-use");

        await company.ImportAsync(
            code,
            [
                Row(Parts.Accounts, ("number", "4096"), ("name", "Tried"), ("class", "revenue"), ("kind", "posting")),
                Revenue("4096"),
            ]
        );
        (await DeleteAsync("4096")).Refused.ShouldNotBeNull();
        (await new KeepDrafts(company.Desk).ThrowAwayAsync(company.Actor, code, Stop)).Refused.ShouldBeNull();
        (await DeleteAsync("4096")).Faults.ShouldHaveSingleItem().Code.ShouldBe("in-use");
    }

    [Fact]
    public async Task What_events_would_do_and_a_past_edition_come_from_the_journal_and_the_editions_kept()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        await company.PostAsync(code, Sale("A"), Sale("B", price: 40m), Sale("C", party: "SCH-KERRY"));
        await company.ImportAsync(
            code,
            [Row(Parts.Assignments, ("purpose", "sales-revenue"), ("account", "4014"), ("item_group", "INSTR"))]
        );
        var compare = new CompareSetUps(company.Desk, new ViewSetUp(company.Desk));
        var view = await ViewAsync(company, code);
        var foreseen = (await compare.ConsequencesAsync(view.Visit!, "1", "draft", Stop)).Result!;
        foreseen.Looked.ShouldBe(3);
        foreseen.InAll.ShouldBe([new MovedInAll("sales-revenue", "4010", "4014", 2, -140m)]);
        // An edit that is only looked at changes nothing; one that cannot be made says why.
        (
            await compare.OfEditsAsync(view.Visit!, (now, _) => Renumbering.Plan(now, "4010", "4019", false), Stop)
        ).Result!.Events.ShouldBeEmpty();
        (await compare.OfEditsAsync(view.Visit!, (now, _) => Renumbering.Plan(now, "4010", "4012", false), Stop))
            .Result!.Faults.ShouldHaveSingleItem()
            .Code.ShouldBe("exists");
        await company.PublishAsync(code, new(2026, 7, 1));
        var first = (await ViewAsync(company, code, "1")).SetUp.SetUp;
        var back = await new EditSetUp(company.Desk).MakeAsync(
            company.Actor,
            code,
            "edition 1 brought back",
            null,
            (now, _) => Difference.BringBack(now, first),
            Stop
        );
        back.Faults.ShouldBeEmpty();
        SetUpImport
            .Difference((await ViewAsync(company, code)).SetUp.SetUp, (await ViewAsync(company, code, "1")).SetUp.SetUp)
            .ShouldBeEmpty();
    }
}
