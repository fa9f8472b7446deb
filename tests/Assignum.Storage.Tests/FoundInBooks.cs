using Assignum.Core.Checks;
using Assignum.Core.Tables;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.Checks;
using Assignum.Desk.SetUps;
using Assignum.Testing;
using static Assignum.Storage.Tests.Company;

namespace Assignum.Storage.Tests;

/// <summary>What checks say of what was posted: amounts by what decided them, hand entries, doubles; and what people do
/// about findings.</summary>
public class FoundInBooks
{
    private static readonly FirmGround.Clock Clock = new(new DateTimeOffset(2026, 6, 30, 12, 0, 0, TimeSpan.Zero));

    private static async Task<FindingsView> LookAsync(Company company, string code) =>
        (
            await new ReadFindings(company.Desk, new ViewSetUp(company.Desk)).RunAsync(
                await VisitAsync(company, code),
                "draft",
                Stop
            )
        ).Result!;

    private static HandleFindings Handling(Company company) =>
        new(company.Desk, new ReadFindings(company.Desk, new ViewSetUp(company.Desk)), new EditSetUp(company.Desk));

    [Fact]
    public async Task Amounts_are_those_of_the_assignment_that_decided_in_the_last_30_days()
    {
        await using var company = new Company(Clock);
        var code = await company.OpenAsync();
        // By item group and party group, twice; by the item group alone; and one long ago.
        await company.PostAsync(
            code,
            Sale("A", "2026-06-20", 100m, "SCH-KERRY"),
            Sale("B", "2026-06-30", 50m, "SCH-KERRY"),
            Sale("C", "2026-06-21", 30m),
            Sale("D", "2026-03-01", 999m, "SCH-KERRY")
        );
        var posted = (await LookAsync(company, code)).Posted;
        (posted.From, posted.To).ShouldBe((new DateOnly(2026, 6, 1), new DateOnly(2026, 6, 30)));
        posted.ByAssignment["sales-revenue|item-group=INSTR|party-group=SCHOOLS"].ShouldBe(150m);
        posted.ByAssignment["sales-revenue|item-group=INSTR"].ShouldBe(30m);
        posted.ByAccount["4012"].ShouldBe(150m);
        posted.ByPurpose["sales-revenue"].ShouldBe(180m);
        posted.Balances["4012"].ShouldBe(-1149m);
        posted.Recent.ShouldContain("4012");
    }

    [Fact]
    public async Task Hand_entries_on_control_accounts_and_events_that_came_twice_are_found()
    {
        await using var company = new Company(Clock);
        var code = await company.OpenAsync();
        (
            await company.PostAsync(
                code,
                """
                {"source":"t","id":"H","kind":"hand-entry","date":"2026-06-12","lines":[
                  {"account":"1220","debit":250,"party":"SCH-KERRY","because":"brought into line"},
                  {"account":"6010","credit":250}]}
                """,
                Sale("A", "2026-06-20", 100m, "SCH-KERRY"),
                // The same said again by another id, and once more, too long after.
                Sale("A2", "2026-06-24", 100m, "SCH-KERRY").Replace("\"reference\":\"A2\"", "\"reference\":\"A\""),
                Sale("E", "2026-06-01", 70m, "SCH-KERRY"),
                Sale("E2", "2026-06-20", 70m, "SCH-KERRY").Replace("\"reference\":\"E2\"", "\"reference\":\"E\"")
            )
        ).SelectMany(p => p.Errors).ShouldBeEmpty();
        var found = (await LookAsync(company, code)).Open.Select(f => f.Finding).ToList();
        var made = found.Single(f => f.Code == "hand-entries-made");
        (made.Account, made.Count, made.Amount).ShouldBe(("1220", 1, 250m));
        found
            .Single(f => f.Code == "likely-double")
            .Places.Select(p => p.Label)
            .ShouldBe(["t \u00b7 A2", "t \u00b7 A"]);
    }

    [Fact]
    public async Task An_accepted_finding_returns_when_it_grows_or_its_day_passes_and_only_a_reviewer_accepts()
    {
        await using var company = new Company(Clock);
        var code = await company.OpenAsync();
        var finding = (await LookAsync(company, code)).Open.First(f => f.Finding.Code == "tripwire-reached").Finding;
        var visit = await VisitAsync(company, code);
        var preparer = await VisitAsync(
            company,
            code,
            new Actor("prep", null, new Dictionary<string, Role> { [code] = Role.Preparer })
        );
        var handle = Handling(company);
        (await handle.AcceptAsync(preparer, finding.Identity, "lived with", new(2026, 7, 31), Stop)).Refused.ShouldBe(
            Refusal.Forbidden
        );
        (await handle.AcceptAsync(visit, finding.Identity, " ", new(2026, 7, 31), Stop)).Refused.ShouldBe(
            Refusal.Invalid
        );
        (await handle.AcceptAsync(visit, finding.Identity, "why", new(2026, 6, 1), Stop)).Refused.ShouldBe(
            Refusal.Invalid
        );
        (await handle.AcceptAsync(visit, "nothing|of that", "why", new(2026, 7, 31), Stop)).Refused.ShouldBe(
            Refusal.Conflict
        );
        (
            await handle.AcceptAsync(visit, finding.Identity, "lived with", new(2026, 7, 31), Stop)
        ).Refused.ShouldBeNull();
        var after = await LookAsync(company, code);
        after.Open.ShouldNotContain(f => f.Finding.Identity == finding.Identity);
        var row = after.Accepted.Single();
        row.Accepted!.Reason.ShouldBe("lived with");
        (await company.AskAsync<string>("select what from audit where what like 'finding%' limit 1")).ShouldBe(
            "finding accepted"
        );

        ReadFindings.Holds(row.Accepted, finding, new(2026, 7, 31)).ShouldBeTrue();
        ReadFindings.Holds(row.Accepted, finding, new(2026, 8, 1)).ShouldBeFalse();
        ReadFindings.Holds(row.Accepted, finding with { Account = "4881" }, new(2026, 7, 1)).ShouldBeFalse();
        ReadFindings
            .Holds(row.Accepted, finding with { Count = finding.Count * 11 / 10 }, new(2026, 7, 1))
            .ShouldBeTrue();
        ReadFindings
            .Holds(row.Accepted, finding with { Count = finding.Count * 11 / 10 + 1 }, new(2026, 7, 1))
            .ShouldBeFalse();
        ReadFindings.Holds(row.Accepted, finding with { Amount = 0.01m }, new(2026, 7, 1)).ShouldBeFalse();
        (await handle.ForgetAsync(visit, finding.Identity, true, Stop)).Refused.ShouldBeNull();
        (await LookAsync(company, code)).Accepted.ShouldBeEmpty();
    }

    [Fact]
    public async Task Findings_are_mended_together_as_one_change_and_what_was_mended_meanwhile_is_said()
    {
        await using var company = new Company(Clock);
        var code = await company.OpenAsync();
        (
            await company.ImportAsync(
                code,
                [
                    Row(Parts.Assignments, ("purpose", "stock"), ("account", "6010"), ("item", "BAR-205")),
                    Row(Parts.Assignments, ("purpose", "cost-of-sales"), ("account", "1210"), ("item", "BAR-205")),
                ]
            )
        ).Refused.ShouldBeNull();
        var before = await LookAsync(company, code);
        var errors = before.Open.Select(f => f.Finding).Where(f => f.Severity == FindingSeverity.Error).ToList();
        errors.Count.ShouldBeGreaterThanOrEqualTo(2);
        var visit = await VisitAsync(company, code);
        var mended = await Handling(company).MendAsync(visit, [.. errors.Select(e => e.Identity)], Stop);
        mended.Faults.ShouldBeEmpty();
        (await LookAsync(company, code)).Open.ShouldNotContain(f => f.Finding.Severity == FindingSeverity.Error);
        (await Handling(company).MendAsync(visit, [errors[0].Identity], Stop)).Refused.ShouldBe(Refusal.Conflict);
        // One change, undone as one.
        var undone = await new EditSetUp(company.Desk).UndoAsync(company.Actor, code, mended.Result!.Id!.Value, Stop);
        undone.Refused.ShouldBeNull();
        (await LookAsync(company, code))
            .Open.Select(f => f.Finding.Identity)
            .ShouldBe(before.Open.Select(f => f.Finding.Identity));
    }

    [Fact]
    public async Task A_draft_with_errors_is_not_published_where_the_live_policy_says_so()
    {
        await using var company = new Company(Clock);
        var code = await company.OpenAsync(publish: false);
        (
            await company.ImportAsync(code, [Row(Parts.Policies, ("policy", "error-findings"), ("value", "refused"))])
        ).Refused.ShouldBeNull();
        await company.PublishAsync(code, new DateOnly(2026, 1, 1));
        (
            await company.ImportAsync(
                code,
                [Row(Parts.Assignments, ("purpose", "stock"), ("account", "6010"), ("item", "BAR-205"))]
            )
        ).Refused.ShouldBeNull();
        Task<Outcome<Core.Editions.EditionRow>> PublishAsync() =>
            new PublishDraft(company.Desk).RunAsync(company.Actor, code, new DateOnly(2026, 7, 1), null, Stop);
        var refused = await PublishAsync();
        refused.Refused.ShouldBe(Refusal.Conflict);
        refused.Faults.ShouldAllBe(f => f.Code == "error-findings");
        refused.Faults.ShouldContain(f => f.Message.Contains("BAR-205"));
        // Accepted by a reviewer, or mended, they hold nothing up.
        var visit = await VisitAsync(company, code);
        foreach (
            var error in (await LookAsync(company, code)).Open.Where(f => f.Finding.Severity == FindingSeverity.Error)
        )
            (
                await Handling(company)
                    .AcceptAsync(visit, error.Finding.Identity, "not sold any more", new(2026, 7, 31), Stop)
            ).Refused.ShouldBeNull();
        (await PublishAsync()).Refused.ShouldBeNull();
    }

    [Fact]
    public async Task What_saving_would_make_checks_find_is_seen_before_it()
    {
        await using var company = new Company(Clock);
        var code = await company.OpenAsync();
        await company.PostAsync(code, Sale("A", "2026-06-20"));
        var view = new ViewSetUp(company.Desk);
        var compare = new CompareSetUps(company.Desk, view, new ReadFindings(company.Desk, view));
        var foreseen = (
            await compare.OfEditsAsync(
                await VisitAsync(company, code),
                (_, _) =>
                    [
                        SetUpEdit.Row(
                            Parts.Assignments,
                            null,
                            new Dictionary<string, string?>
                            {
                                ["purpose"] = "cost-of-sales",
                                ["account"] = "5030",
                                ["item_group"] = "THERM",
                            }
                        ),
                    ],
                Stop
            )
        ).Result!;
        foreseen.FindingsNew.ShouldContain(f => f.Code == "mixed-family" && f.Message.Contains("5030"));
        foreseen.FindingsGone.ShouldBeEmpty();
    }
}
