using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.SetUps;
using static Assignum.Storage.Tests.Company;

namespace Assignum.Storage.Tests;

/// <summary>Drafts, editions and records on the real database.</summary>
public class Editions
{
    private static Sheet Revenue(string account) =>
        Row(Parts.Assignments, ("purpose", "sales-revenue"), ("account", account), ("item_group", "RAIN"));

    private static async Task<SetUp> SeenAsync(Company company, string code, string edition) =>
        (await new ViewSetUp(company.Desk).RunAsync(company.Actor, code, edition, null, Stop)).Result!.SetUp.SetUp;

    private static string? Account(SetUp setUp) =>
        setUp
            .Assignments.SingleOrDefault(a =>
                a.Purpose == "sales-revenue" && a.Key.Count == 1 && a.Key[0].Value == "RAIN"
            )
            ?.Account;

    [Fact]
    public async Task A_draft_costs_its_changes_only_and_the_live_edition_does_not_see_it()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var rows = await company.AskAsync<long>("select count(*) from assignments");
        (await company.ImportAsync(code, [Revenue("4012")])).Refused.ShouldBeNull();
        (await company.AskAsync<long>("select count(*) from assignments")).ShouldBe(rows + 1);
        Account(await SeenAsync(company, code, "1")).ShouldBeNull();
        Account(await SeenAsync(company, code, "draft")).ShouldBe("4012");
    }

    [Fact]
    public async Task Every_published_edition_reads_as_it_was_whatever_came_after()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var first = Parts.Assignments.Write(await SeenAsync(company, code, "1"));
        foreach (var (account, month) in new[] { ("4012", 2), ("4014", 3) })
        {
            await company.ImportAsync(code, [Revenue(account)]);
            await company.ImportAsync(
                code,
                [Row(Parts.Groups, ("kind", "item"), ("code", "M" + month), ("name", "Month"))]
            );
            await company.PublishAsync(code, new DateOnly(2026, month, 1));
        }
        Parts.Assignments.Write(await SeenAsync(company, code, "1")).ShouldBe(first);
        Account(await SeenAsync(company, code, "2")).ShouldBe("4012");
        Account(await SeenAsync(company, code, "3")).ShouldBe("4014");
        (await SeenAsync(company, code, "2")).Groups.Count(g => g.Name == "Month").ShouldBe(1);
        (await SeenAsync(company, code, "3")).Groups.Count(g => g.Name == "Month").ShouldBe(2);
    }

    [Fact]
    public async Task Events_land_by_the_edition_of_their_day()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        await company.ImportAsync(code, [Revenue("4012")]);
        await company.PublishAsync(code, new DateOnly(2026, 7, 1));
        await company.PostAsync(code, Sale("A", "2026-06-30"), Sale("B", "2026-07-01"));
        (
            await company.AskAsync<string>(
                "select string_agg(account, ' ' order by entry_id) from entry_line where purpose = 'sales-revenue'"
            )
        ).ShouldBe("4010 4012");
        (await company.PostAsync(code, Sale("C", "2025-12-31")))[0]
            .Errors.ShouldHaveSingleItem()
            .Code.ShouldBe("no-edition");
    }

    [Fact]
    public async Task Records_change_at_once_and_keep_their_history()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        await company.ImportAsync(code, [Row(Parts.Items, ("code", "RG-100"), ("name", "Rain gauge, copper, large"))]);
        (await SeenAsync(company, code, "1"))
            .Items.Single(i => i.Code == "RG-100")
            .ShouldSatisfyAllConditions(i => i.Name.ShouldEndWith("large"), i => i.Group.ShouldBe("RAIN"));
        (
            await company.AskAsync<string>(
                "select before->>'name' || ' → ' || (after->>'name') from record_history where part = 'items' and "
                    + "key = 'RG-100' and before is not null"
            )
        ).ShouldBe("Rain gauge, copper → Rain gauge, copper, large");
    }

    [Fact]
    public async Task The_class_of_an_account_in_use_waits_in_the_draft_its_name_does_not()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        (
            await company.ImportAsync(
                code,
                [
                    Row(
                        Parts.Accounts,
                        ("number", "4010"),
                        ("name", "Instruments sold"),
                        ("class", "other-income"),
                        ("kind", "posting"),
                        ("parent", "")
                    ),
                ]
            )
        ).Refused.ShouldBeNull();
        string See(SetUp s) => s.Accounts.Where(a => a.Number == "4010").Select(a => $"{a.Name} {a.Class}").Single();
        See(await SeenAsync(company, code, "1")).ShouldBe("Instruments sold Revenue");
        See(await SeenAsync(company, code, "draft")).ShouldBe("Instruments sold OtherIncome");
        // An account that nothing uses yet is a record: it changes at once.
        await company.ImportAsync(
            code,
            [Row(Parts.Accounts, ("number", "4999"), ("name", "New"), ("class", "revenue"), ("kind", "posting"))]
        );
        await company.ImportAsync(
            code,
            [Row(Parts.Accounts, ("number", "4999"), ("name", "New"), ("class", "other-income"), ("kind", "posting"))]
        );
        (await SeenAsync(company, code, "1"))
            .Accounts.Single(a => a.Number == "4999")
            .Class.ShouldBe(Core.Chart.AccountClass.OtherIncome);
    }

    [Fact]
    public async Task Of_two_people_the_second_is_told()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var import = new ImportBundle(company.Desk);
        var state = ImportBundle.StateOf(
            (await new ViewSetUp(company.Desk).RunAsync(company.Actor, code, null, null, Stop)).Result!.Entity
        );
        (await import.ApplyAsync(company.Actor, code, [Revenue("4012")], [], true, state, Stop)).Refused.ShouldBeNull();
        (await import.ApplyAsync(company.Actor, code, [Revenue("4014")], [], true, state, Stop)).Refused.ShouldBe(
            Refusal.Conflict
        );
        Account(await SeenAsync(company, code, "draft")).ShouldBe("4012");
    }

    [Fact]
    public async Task Two_who_publish_at_once_make_one_edition()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        await company.ImportAsync(code, [Revenue("4012")]);
        var outcomes = await Task.WhenAll(
            Enumerable
                .Range(0, 4)
                .Select(_ =>
                    new PublishDraft(company.Desk).RunAsync(company.Actor, code, new DateOnly(2026, 2, 1), null, Stop)
                )
        );
        outcomes.Count(o => o.Refused is null).ShouldBe(1);
        (await company.AskAsync<int>("select max(number) from edition")).ShouldBe(2);
    }

    [Fact]
    public async Task Publishing_respects_closed_periods_earlier_editions_roles_and_four_eyes()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        await company.ImportAsync(
            code,
            [
                Row(Parts.Periods, ("from", "2026-01-01"), ("to", "2026-03-31"), ("status", "closed")),
                Row(Parts.Policies, ("policy", "four-eyes"), ("value", "on")),
            ]
        );
        async Task<string?> Try(Actor who, DateOnly from) =>
            (await new PublishDraft(company.Desk).RunAsync(who, code, from, null, Stop)).Faults.FirstOrDefault()?.Code;
        var second = new Actor("second", Role.Reviewer, new Dictionary<string, Role>());
        (await Try(company.Actor, new(2025, 12, 1))).ShouldBe("before-latest");
        (await Try(company.Actor, new(2026, 2, 1))).ShouldBe("period-closed");
        (await Try(second with { Everywhere = Role.Preparer }, new(2026, 4, 1))).ShouldBe("role-needed");
        (await Try(company.Actor, new(2026, 4, 1))).ShouldBeNull();
        await company.ImportAsync(code, [Revenue("4012")]);
        (await Try(company.Actor, new(2026, 5, 1))).ShouldBe("four-eyes");
        // Who changed the draft after somebody else opened it edited it too.
        await new ImportBundle(company.Desk).ApplyAsync(second, code, [Revenue("4014")], [], true, null, Stop);
        (await Try(second, new(2026, 5, 1))).ShouldBe("four-eyes");
        (await Try(second with { Name = "third" }, new(2026, 5, 1))).ShouldBeNull();
    }

    [Fact]
    public async Task An_import_with_one_fault_changes_nothing()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var before = await company.AskAsync<long>("select records_revision from entity");
        var refused = await company.ImportAsync(
            code,
            [
                Row(Parts.Items, ("code", "NEW"), ("name", "New"), ("nature", "goods")),
                Row(Parts.Assignments, ("purpose", "sales-revenue"), ("account", "NONE")),
            ]
        );
        refused
            .Faults.ShouldHaveSingleItem()
            .ShouldSatisfyAllConditions(
                f => f.Code.ShouldBe("unknown-reference"),
                f => f.Path.ShouldBe("assignments.csv:2:account")
            );
        (await company.AskAsync<long>("select records_revision from entity")).ShouldBe(before);
        (await company.AskAsync<long>("select count(*) from items where code = 'NEW'")).ShouldBe(0);
    }
}
