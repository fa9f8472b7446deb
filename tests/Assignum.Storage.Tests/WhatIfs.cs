using Assignum.Core.Editions;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Core.Tables.Foreign;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.SetUps;
using static Assignum.Storage.Tests.Company;

namespace Assignum.Storage.Tests;

/// <summary>Drafts beside the draft: worked in, compared, merged, brought onto a later edition; and what a reviewer
/// reads before and after publishing.</summary>
public class WhatIfs
{
    private static readonly IReadOnlyDictionary<string, bool> NoChoice = new Dictionary<string, bool>();

    private static Sheet Revenue(string account, string group = "RAIN") =>
        Row(Parts.Assignments, ("purpose", "sales-revenue"), ("account", account), ("item_group", group));

    private static async Task<SetUpView> ViewAsync(
        Company company,
        string code,
        Actor? actor = null,
        string edition = "draft"
    ) => (await new ViewSetUp(company.Desk).RunAsync(actor ?? company.Actor, code, edition, null, Stop)).Result!;

    private static string? Account(SetUp setUp, string group = "RAIN") =>
        setUp
            .Assignments.SingleOrDefault(a =>
                a.Purpose == "sales-revenue" && a.Key.Count == 1 && a.Key[0].Value == group
            )
            ?.Account;

    private static Actor In(Actor actor, string code, int whatIf) =>
        actor with
        {
            WorksIn = new Dictionary<string, int> { [code] = whatIf },
        };

    private static MergeDrafts Merges(Company company) =>
        new(company.Desk, new ViewSetUp(company.Desk), new EditSetUp(company.Desk));

    private static Task<Outcome<ImportResult>> ImportAsync(
        Company company,
        Actor actor,
        string code,
        params Sheet[] sheets
    ) => new ImportBundle(company.Desk).ApplyAsync(actor, code, sheets, [], true, null, Stop);

    private static readonly Actor Other = new("other", Role.Administrator, new Dictionary<string, Role>());

    [Fact]
    public async Task What_is_tried_in_a_what_if_is_in_it_alone_until_it_is_merged_and_the_merge_is_undone()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var drafts = new KeepDrafts(company.Desk);
        var whatIf = (await drafts.OpenWhatIfAsync(company.Actor, code, "Rain apart", Stop)).Result!;
        (await drafts.OpenWhatIfAsync(Other, code, "rain APART", Stop))
            .Faults.ShouldHaveSingleItem()
            .Code.ShouldBe("exists");
        var inside = In(company.Actor, code, whatIf.Id);
        (await ImportAsync(company, inside, code, Revenue("4012"))).Refused.ShouldBeNull();
        Account((await ViewAsync(company, code)).SetUp.SetUp).ShouldBeNull();
        Account((await ViewAsync(company, code, inside)).SetUp.SetUp).ShouldBe("4012");
        Account((await ViewAsync(company, code, Other, "w" + whatIf.Id)).SetUp.SetUp).ShouldBe("4012");
        (await ViewAsync(company, code)).Entity.Draft.ShouldBeNull();
        (await new PublishDraft(company.Desk).RunAsync(inside, code, new(2026, 5, 1), null, Stop))
            .Faults.ShouldHaveSingleItem()
            .Code.ShouldBe("what-if");

        var seen = (await ViewAsync(company, code)).Entity.WhatIf(whatIf.Id)!.Revision;
        (await Merges(company).MergeAsync(company.Actor, code, whatIf.Id, seen - 1, NoChoice, Stop))
            .Faults.ShouldHaveSingleItem()
            .Code.ShouldBe("changed-meanwhile");
        var merged = await Merges(company).MergeAsync(company.Actor, code, whatIf.Id, seen, NoChoice, Stop);
        merged.Faults.ShouldBeEmpty();
        Account((await ViewAsync(company, code)).SetUp.SetUp).ShouldBe("4012");
        // Whoever still works in it changes nothing elsewhere.
        (await ImportAsync(company, inside, code, Revenue("4014")))
            .Faults.ShouldHaveSingleItem()
            .Code.ShouldBe("what-if-closed");
        (
            await new EditSetUp(company.Desk).UndoAsync(company.Actor, code, merged.Result!.Change!.Value, Stop)
        ).Refused.ShouldBeNull();
        Account((await ViewAsync(company, code)).SetUp.SetUp).ShouldBeNull();
        (await drafts.TakeBackWhatIfAsync(company.Actor, code, whatIf.Id, Stop)).Refused.ShouldBeNull();
        Account((await ViewAsync(company, code, inside)).SetUp.SetUp).ShouldBe("4012");
    }

    [Fact]
    public async Task Opening_a_draft_or_a_what_if_copies_nothing()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        async Task<long> RowsAsync() =>
            await company.AskAsync<long>(
                "select (select count(*) from assignments) + (select count(*) from account_terms) + (select count(*) "
                    + "from groups) + (select count(*) from tax_matrix) + (select count(*) from ladders) + (select "
                    + "count(*) from draft_removal)"
            );
        var (rows, editions) = (await RowsAsync(), await company.AskAsync<long>("select count(*) from edition"));
        var drafts = new KeepDrafts(company.Desk);
        for (var i = 0; i < 5; i++)
            (await drafts.OpenWhatIfAsync(company.Actor, code, "try " + i, Stop)).Refused.ShouldBeNull();
        (await RowsAsync()).ShouldBe(rows);
        (await company.AskAsync<long>("select count(*) from edition")).ShouldBe(editions + 5);
        // One changed assignment of an open draft is one row more and one named as gone.
        await company.ImportAsync(
            code,
            [Row(Parts.Assignments, ("purpose", "sales-revenue"), ("account", "4012"), ("item_group", "INSTR"))]
        );
        (await RowsAsync()).ShouldBe(rows + 2);
    }

    [Fact]
    public async Task A_published_edition_is_opened_as_it_was_and_nothing_is_changed_meanwhile()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        await company.ImportAsync(code, [Revenue("4012")]);
        await company.PublishAsync(code, new(2026, 2, 1));
        await company.ImportAsync(code, [Revenue("4014")]);
        var looking = In(company.Actor, code, -2);
        Account((await ViewAsync(company, code, looking)).SetUp.SetUp).ShouldBe("4012");
        Account((await ViewAsync(company, code, In(company.Actor, code, -1))).SetUp.SetUp).ShouldBeNull();
        (await ImportAsync(company, looking, code, Revenue("4010")))
            .Faults.ShouldHaveSingleItem()
            .Code.ShouldBe("looking");
        Account((await ViewAsync(company, code)).SetUp.SetUp).ShouldBe("4014");
    }

    [Fact]
    public async Task Two_who_change_one_assignment_choose_when_they_merge_and_both_sides_keep_the_rest()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var whatIf = (
            await new KeepDrafts(company.Desk).OpenWhatIfAsync(company.Actor, code, "Other revenue", Stop)
        ).Result!;
        await ImportAsync(
            company,
            In(company.Actor, code, whatIf.Id),
            code,
            Together(Revenue("4012"), Revenue("4014", "INSTR"))
        );
        await ImportAsync(
            company,
            Other,
            code,
            Together(
                Revenue("4014"),
                Row(Parts.Assignments, ("purpose", "cost-of-sales"), ("account", "5010"), ("item_group", "RAIN"))
            )
        );
        var revision = (await ViewAsync(company, code)).Entity.WhatIf(whatIf.Id)!.Revision;
        var looked = (await Merges(company).LookAsync(company.Actor, code, whatIf.Id, false, NoChoice, Stop)).Result!;
        var conflict = looked.Plan.Open.ShouldHaveSingleItem(
            string.Join(
                '\n',
                looked.Plan.Edits.Select(e => $"{e.Part.Name} {e.Kind} {e.Key} {string.Join(',', e.Cells)}")
            )
        );
        (conflict.Was, conflict.Here, conflict.Theirs).ShouldBe((null, "account 4014", "account 4012"));
        (await Merges(company).MergeAsync(company.Actor, code, whatIf.Id, revision, NoChoice, Stop))
            .Faults.ShouldHaveSingleItem()
            .Code.ShouldBe("conflict");
        (
            await Merges(company)
                .MergeAsync(
                    company.Actor,
                    code,
                    whatIf.Id,
                    revision,
                    new Dictionary<string, bool> { [conflict.Id] = true },
                    Stop
                )
        ).Refused.ShouldBeNull();
        var draft = (await ViewAsync(company, code)).SetUp.SetUp;
        (Account(draft), Account(draft, "INSTR")).ShouldBe(("4012", "4014"));
        draft.Assignments.ShouldContain(a =>
            a.Purpose == "cost-of-sales" && a.Account == "5010" && a.Key.Count == 1 && a.Key[0].Value == "RAIN"
        );

        // Who edited the what-if edited the draft it was merged into: other eyes must see it.
        await ImportAsync(company, Other, code, Row(Parts.Policies, ("policy", "four-eyes"), ("value", "on")));
        var approve = await new KeepDrafts(company.Desk).ApproveAsync(
            company.Actor,
            code,
            (await ViewAsync(company, code)).Entity.Draft!.Revision,
            Stop
        );
        approve.Faults.ShouldHaveSingleItem().Code.ShouldBe("four-eyes");
    }

    [Fact]
    public async Task A_draft_on_an_edition_that_is_no_longer_the_latest_is_brought_onto_it_before_it_is_published()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var drafts = new KeepDrafts(company.Desk);
        await company.ImportAsync(code, [Together(Revenue("4012"), Revenue("4014", "INSTR"))]);
        (await drafts.SetAsideAsync(company.Actor, code, "Later", Stop)).Refused.ShouldBeNull();
        await company.ImportAsync(
            code,
            [Revenue("4014"), Row(Parts.Groups, ("kind", "item"), ("code", "NEWG"), ("name", "New"))]
        );
        await company.PublishAsync(code, new(2026, 2, 1));
        var aside = (await ViewAsync(company, code)).Entity.WhatIfs.Single();
        aside.BasedOn.ShouldBe(1);

        var conflict = (
            await Merges(company).LookAsync(company.Actor, code, aside.Id, true, NoChoice, Stop)
        ).Result!.Plan.Open.ShouldHaveSingleItem();
        (conflict.Here, conflict.Theirs).ShouldBe(("account 4014", "account 4012"));
        (await Merges(company).BringOntoLatestAsync(company.Actor, code, aside.Id, aside.Revision, NoChoice, Stop))
            .Faults.ShouldHaveSingleItem()
            .Code.ShouldBe("conflict");
        (
            await Merges(company)
                .BringOntoLatestAsync(
                    company.Actor,
                    code,
                    aside.Id,
                    aside.Revision,
                    new Dictionary<string, bool> { [conflict.Id] = false },
                    Stop
                )
        ).Refused.ShouldBeNull();
        var now = (await ViewAsync(company, code, In(company.Actor, code, aside.Id))).SetUp.SetUp;
        (Account(now), Account(now, "INSTR")).ShouldBe(("4014", "4014"));
        now.Groups.ShouldContain(g => g.Code == "NEWG");
        (await Merges(company).BringOntoLatestAsync(company.Actor, code, aside.Id, aside.Revision, NoChoice, Stop))
            .Faults.ShouldHaveSingleItem()
            .Code.ShouldBe("on-latest");

        // The same of a draft that was discarded before an edition and taken back after it.
        await company.ImportAsync(code, [Revenue("4012")]);
        await drafts.ThrowAwayAsync(company.Actor, code, Stop);
        await company.ImportAsync(code, [Row(Parts.Groups, ("kind", "item"), ("code", "MORE"), ("name", "More"))]);
        await company.PublishAsync(code, new(2026, 3, 1));
        // Only the newest that was discarded comes back, and only where no edition came out of the next.
        (await drafts.TakeBackAsync(company.Actor, code, Stop)).Refused.ShouldBeNull();
        (await new PublishDraft(company.Desk).RunAsync(company.Actor, code, new(2026, 4, 1), null, Stop))
            .Faults.ShouldHaveSingleItem()
            .Code.ShouldBe("not-on-latest");
        var back = (await ViewAsync(company, code)).Entity.Draft!;
        (
            await Merges(company).BringOntoLatestAsync(company.Actor, code, null, back.Revision, NoChoice, Stop)
        ).Refused.ShouldBeNull();
        await company.PublishAsync(code, new(2026, 4, 1));
        Account((await ViewAsync(company, code, edition: "4")).SetUp.SetUp).ShouldBe("4012");
        Account((await ViewAsync(company, code, edition: "3")).SetUp.SetUp).ShouldBe("4014");
    }

    [Fact]
    public async Task A_difference_says_who_made_it_and_why()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var edit = new EditSetUp(company.Desk);
        async Task SetAsync(Actor actor, string account, string reason) =>
            (
                await edit.MakeAsync(
                    actor,
                    code,
                    "revenue of rain gauges",
                    reason,
                    (now, _) =>
                        [
                            SetUpEdit.Row(
                                Parts.Assignments,
                                Parts
                                    .Assignments.Write(now)
                                    .FirstOrDefault(r =>
                                        r[0] == "sales-revenue" && r[3] == "RAIN" && r.Count(c => c is not null) == 3
                                    ),
                                new Dictionary<string, string?>
                                {
                                    ["purpose"] = "sales-revenue",
                                    ["item_group"] = "RAIN",
                                    ["account"] = account,
                                }
                            ),
                        ],
                    Stop
                )
            ).Refused.ShouldBeNull();
        await SetAsync(company.Actor, "4012", "first try");
        await SetAsync(Other, "4014", "the board wants schools apart");
        await company.PublishAsync(code, new(2026, 2, 1));
        var compare = new CompareSetUps(company.Desk, new ViewSetUp(company.Desk));
        var differing = (
            await compare.DifferenceAsync((await ViewAsync(company, code)).Visit!, "1", "2", Stop)
        ).Result!;
        var line = differing.Lines.ShouldHaveSingleItem();
        var by = differing.Changed[(line.Change.Part.Name, line.Change.Key)];
        (by.Who, by.What, by.Reason).ShouldBe(("other", "revenue of rain gauges", "the board wants schools apart"));
    }

    [Fact]
    public async Task What_was_posted_after_an_editions_first_day_and_before_it_was_published_is_a_candidate()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        await company.PostAsync(
            code,
            Sale("A", "2026-06-30"),
            Sale("B", "2026-07-01"),
            Sale("C", "2026-07-02", party: "SCH-KERRY")
        );
        await company.ImportAsync(code, [Revenue("4014")]);
        await company.PublishAsync(code, new(2026, 7, 1));
        await company.PostAsync(code, Sale("D", "2026-07-03"));
        var compare = new CompareSetUps(company.Desk, new ViewSetUp(company.Desk));
        var posted = (await compare.PostedBeforeAsync((await ViewAsync(company, code)).Visit!, 2, Stop)).Result!;
        posted.Looked.ShouldBe(2);
        // The school's has an assignment of its own for its group, nearer than the new one.
        posted.Events.Select(e => e.Event.Id).ShouldBe(["B"]);
        posted.InAll.ShouldBe([new MovedInAll("sales-revenue", "4010", "4014", 1, -100m)]);
    }

    [Fact]
    public async Task What_stands_between_accounts_is_shown_with_the_entry_that_empties_it_and_that_entry_posts()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var posted = await company.PostAsync(
            code,
            """{"source":"t","id":"R1","kind":"goods-received","date":"2026-06-10","""
                + """ "party":"SUP-MESSING","location":"CORK","reference":"R1","lines":[{"item":"RG-100","""
                + """ "quantity":10,"unitCost":8}]}""",
            """{"source":"t","id":"R2","kind":"goods-received","date":"2026-07-02","""
                + """ "party":"SUP-MESSING","location":"CORK","reference":"R2","lines":[{"item":"RG-100","""
                + """ "quantity":1,"unitCost":8}]}"""
        );
        posted
            .Select(p => p.Outcome)
            .ShouldAllBe(o => o == "posted", string.Join(';', posted.SelectMany(p => p.Errors).Select(e => e.Message)));
        await company.ImportAsync(code, [Row(Parts.Policies, ("policy", "receipt-accrual"), ("value", "off"))]);
        var compare = new CompareSetUps(company.Desk, new ViewSetUp(company.Desk));
        var state = (await ViewAsync(company, code)).Visit!;
        var moving = (await compare.MovingValueAsync(state, new(2026, 7, 1), Stop)).Result!;
        moving.Moves.ShouldHaveSingleItem().Policy.ShouldBe("receipt-accrual");
        // What came on the day itself is not yet there; it would be under the new edition.
        moving.Held.Sum(h => h.Amount).ShouldBe(-80m);
        moving.Entry.Lines.Sum(l => l.Amount).ShouldBe(0m);
        await company.PublishAsync(code, new(2026, 7, 1));
        (await company.PostAsync(code, moving.Event!))[0]
            .ShouldSatisfyAllConditions(p =>
                p.Outcome.ShouldBe("posted", string.Join(';', p.Errors.Select(e => e.Message)))
            );
        var balance = await company.AskAsync<decimal>(
            "select sum(debit - credit) from entry_line where account = "
                + "(select account from entry_line where purpose = 'received-not-invoiced' limit 1) and date <= "
                + "'2026-07-01'"
        );
        balance.ShouldBe(0m);
    }

    [Fact]
    public async Task While_editions_are_published_events_stream_in_and_each_is_wholly_in_one()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        string[] accounts = ["4012", "4014"];
        using var done = new CancellationTokenSource();
        var posted = 0;
        var streams = Enumerable
            .Range(0, 3)
            .Select(n =>
                Task.Run(
                    async () =>
                    {
                        for (var i = 0; !done.IsCancellationRequested; i++)
                        {
                            (
                                await company.PostAsync(
                                    code,
                                    Sale($"{n}-{i}a", "2026-09-01"),
                                    Sale($"{n}-{i}b", "2026-09-02")
                                )
                            )[0]
                                .Outcome.ShouldBe("posted");
                            Interlocked.Increment(ref posted);
                        }
                    },
                    Stop
                )
            )
            .ToList();
        // Each edition moves both assignments at once: an entry that has one of an edition and one of another would
        // show.
        for (var edition = 0; edition < 8; edition++)
        {
            await company.ImportAsync(
                code,
                [
                    Together(
                        Revenue(accounts[edition % 2]),
                        Row(
                            Parts.Assignments,
                            ("purpose", "receivables"),
                            ("account", edition % 2 == 0 ? "1220" : "1210"),
                            ("party_group", "SHOPS")
                        )
                    ),
                ]
            );
            await company.PublishAsync(code, new(2026, 2, 1));
            // However slow the machine: every edition has its events, and streams that failed are not waited for.
            for (
                var seen = Volatile.Read(ref posted);
                Volatile.Read(ref posted) == seen && !streams.Any(s => s.IsCompleted);

            )
                await Task.Delay(1, Stop);
        }
        await done.CancelAsync();
        await Task.WhenAll(streams);
        var mixed = await company.AskAsync<long>(
            """
            select count(*) from (select n.edition, string_agg(l.account, ' ' order by l.line_no) filter (where
              l.purpose in ('receivables', 'sales-revenue')) as landed from entry n join entry_line l using (entity_id,
              entry_id) group by n.entry_id, n.edition) x
            where landed <> case when edition = 1 then landed when edition % 2 = 0 then '1220 4012' else '1210 4014' end
            """
        );
        mixed.ShouldBe(
            0,
            await company.AskAsync<string>(
                "select string_agg(distinct edition || ': ' || landed, ', ') from (select n.edition, "
                    + "string_agg(l.account, ' ' order by l.line_no) filter (where l.purpose in ('receivables', "
                    + "'sales-revenue')) as landed from entry n join entry_line l using (entity_id, entry_id) group "
                    + "by n.entry_id, n.edition) x"
            )
        );
        (await company.AskAsync<long>("select count(distinct edition) from entry")).ShouldBeGreaterThan(2);
    }
}
