using Assignum.Core;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.SetUps;
using Assignum.Formats.Bundles;
using Assignum.Testing;
using static Assignum.Storage.Tests.Company;

namespace Assignum.Storage.Tests;

/// <summary>Every part of a set-up on its way into the database and out again.</summary>
public class Records
{
    public static TheoryData<string> Bundles =>
        [
            .. Directory
                .GetDirectories(Path.Combine(ProjectFiles.Root, "tests", "examples"))
                .Select(d => Path.Combine(d, "bundle")),
        ];

    private static async Task<SetUp> SeenAsync(Company company, string code, string? edition) =>
        (await new ViewSetUp(company.Desk).RunAsync(company.Actor, code, edition, null, Stop)).Result!.SetUp.SetUp;

    [Theory, MemberData(nameof(Bundles))]
    public async Task What_was_brought_in_is_what_is_read_in_the_draft_and_after_publishing(string folder)
    {
        await using var company = new Company();
        var faults = new List<Fault>();
        var sheets = Bundle.FromFolder(folder, faults);
        var planned = SetUpImport
            .Plan(SetUpDefaults.Empty(new Entity("BRSOUTH", "x", "EUR")), sheets, false, (_, _) => false)
            .Next;
        await new CreateEntity(company.Desk).RunAsync(company.Actor, "BRSOUTH", "x", "EUR", Stop);
        (await company.ImportAsync("BRSOUTH", sheets, partial: false)).Refused.ShouldBeNull();
        SetUpImport.Difference(planned, await SeenAsync(company, "BRSOUTH", "draft")).ShouldBeEmpty();
        await company.PublishAsync("BRSOUTH", new DateOnly(2026, 1, 1));
        SetUpImport.Difference(planned, await SeenAsync(company, "BRSOUTH", "1")).ShouldBeEmpty();
        // The same again changes nothing and opens no draft.
        (
            await company.ImportAsync("BRSOUTH", Bundle.FromFolder(folder, faults), partial: false)
        ).Result!.Plan.Changes.ShouldBeEmpty();
        (await company.AskAsync<long>("select count(*) from edition where status = 'draft'")).ShouldBe(0);
    }

    [Fact]
    public async Task Parts_of_every_kind_of_cell_come_back_as_they_went_in()
    {
        await using var company = new Company();
        var code = await company.OpenAsync(publish: false);
        (
            await company.ImportAsync(
                code,
                [
                    Row(
                        Parts.Entity,
                        ("code", code),
                        ("name", "Skerrow, \"renamed\""),
                        ("currency", "EUR"),
                        ("tax_registered", "no"),
                        ("fiscal_year_start", "04-01"),
                        ("time_zone", "Europe/Dublin")
                    ),
                    Row(Parts.Periods, ("from", "2026-01-01"), ("to", "2026-01-31"), ("status", "closed")),
                    Row(Parts.DimensionValues, ("dimension", "centre"), ("code", "C1"), ("name", "Wérkstatt, 風")),
                    Row(
                        Parts.Pairings,
                        ("connection", "shop"),
                        ("record", "item"),
                        ("theirs", "SKU 1"),
                        ("ours", "RG-100"),
                        ("state", "paired"),
                        ("note", "by hand")
                    ),
                    Row(Parts.Crosswalk, ("account", "4010"), ("balance", "any"), ("group_account", "G-4000")),
                    Row(
                        Parts.Items,
                        ("code", "ODD"),
                        ("name", "line\nbreak, \"quotes\""),
                        ("nature", "goods"),
                        ("stocked", "yes"),
                        ("costing", "standard"),
                        ("standard_cost", "0.0000000001")
                    ),
                ]
            )
        ).Refused.ShouldBeNull();
        var seen = await SeenAsync(company, code, "draft");
        seen.Entity.ShouldBe(new Entity(code, "Skerrow, \"renamed\"", "EUR", false, "04-01", "Europe/Dublin"));
        seen.Periods.ShouldHaveSingleItem().ShouldBe(new Period(new(2026, 1, 1), new(2026, 1, 31), true));
        seen.DimensionValues.ShouldHaveSingleItem().Name.ShouldBe("Wérkstatt, 風");
        seen.Pairings.ShouldHaveSingleItem()
            .ShouldBe(new PairingRow("shop", "item", "SKU 1", "RG-100", "paired", "by hand"));
        seen.Crosswalk.ShouldHaveSingleItem().GroupAccount.ShouldBe("G-4000");
        seen.Items.Single(i => i.Code == "ODD")
            .ShouldSatisfyAllConditions(
                i => i.StandardCost.ShouldBe(0.0000000001m),
                i => i.Name.ShouldBe("line\nbreak, \"quotes\"")
            );
    }

    [Fact]
    public async Task A_row_changed_twice_in_a_draft_is_one_change_and_changed_back_is_none_to_landings()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var live = await SeenAsync(company, code, "1");
        foreach (var account in new[] { "4012", "4014", "4010" })
            (
                await company.ImportAsync(
                    code,
                    [
                        Row(
                            Parts.Assignments,
                            ("purpose", "sales-revenue"),
                            ("account", account),
                            ("item_group", "INSTR")
                        ),
                    ]
                )
            ).Refused.ShouldBeNull();
        (await company.AskAsync<long>("select count(*) from assignments where draft is not null")).ShouldBe(1);
        (await company.AskAsync<long>("select count(*) from draft_removal")).ShouldBe(1);
        SetUpImport.Difference(live, await SeenAsync(company, code, "draft")).ShouldBeEmpty();
    }

    [Fact]
    public async Task An_account_that_is_used_is_archived_in_the_draft_and_one_that_never_was_goes()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var sheet = Demo().Single(s => s.Part == Parts.Accounts);
        // 5200 is assigned, 8010 is new and unused.
        await company.ImportAsync(
            code,
            [
                Row(
                    Parts.Accounts,
                    ("number", "8010"),
                    ("name", "Tax on income"),
                    ("class", "income-tax"),
                    ("kind", "posting")
                ),
            ]
        );
        var without = sheet with { Rows = [.. sheet.Rows.Where(r => r.Cells[0] is not "5200")] };
        var plan = (await company.ImportAsync(code, [without], partial: false)).Result!.Plan;
        plan.Changes.Select(c => (c.Kind, c.Key))
            .ShouldBe([(ChangeKind.Archived, "5200"), (ChangeKind.Removed, "8010")], ignoreOrder: true);
        (await SeenAsync(company, code, "1"))
            .Accounts.Single(a => a.Number == "5200")
            .Status.ShouldBe(Core.Chart.RecordStatus.Active);
        (await SeenAsync(company, code, "draft"))
            .Accounts.Single(a => a.Number == "5200")
            .Status.ShouldBe(Core.Chart.RecordStatus.Archived);
        (await company.AskAsync<long>("select count(*) from accounts where \"number\" = '8010'")).ShouldBe(0);
    }

    [Fact]
    public async Task The_base_currency_is_fixed_by_the_first_entry()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        await company.PostAsync(code, Sale("A"));
        (await company.ImportAsync(code, [Row(Parts.Entity, ("code", code), ("name", "x"), ("currency", "USD"))]))
            .Faults.ShouldHaveSingleItem()
            .Code.ShouldBe("currency-fixed");
    }

    [Fact]
    public async Task Every_act_leaves_an_audit_line_with_who_and_what()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        await company.PostAsync(code, Sale("A"));
        (
            await company.AskAsync<string>(
                "select string_agg(who || ': ' || what || ' ' || subject, '; ' order by audit_id) from audit"
            )
        ).ShouldBe(
            "tester: entity created SKERROW; tester: bundle imported SKERROW, draft; tester: edition published "
                + "edition 1; tester: events posted 2026-000001"
        );
    }

    [Fact]
    public async Task An_upload_is_found_by_its_uploader_only()
    {
        await using var company = new Company();
        await company.OpenAsync(publish: false);
        await using var db = await company.Test.Database.OpenAsync(Stop);
        var id = await UploadStore.KeepAsync(db, 1, "a.zip", [1, 2, 3], "nora", Stop);
        (await UploadStore.FindAsync(db, 1, id, "nora", Stop))!.Value.Content.ShouldBe([1, 2, 3]);
        (await UploadStore.FindAsync(db, 1, id, "tomas", Stop)).ShouldBeNull();
        (await UploadStore.FindAsync(db, 2, id, "nora", Stop)).ShouldBeNull();
    }

    [Fact]
    public async Task Set_ups_are_shared_while_nothing_changes_and_made_anew_when_something_does()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var view = new ViewSetUp(company.Desk);
        async Task<CompiledSetUp> Compiled() =>
            (await view.RunAsync(company.Actor, code, "1", null, Stop)).Result!.SetUp;
        var first = await Compiled();
        (await Task.WhenAll(Enumerable.Range(0, 8).Select(_ => Compiled()))).ShouldAllBe(c =>
            ReferenceEquals(c, first)
        );
        await company.ImportAsync(code, [Row(Parts.Locations, ("code", "GALWAY"), ("name", "Galway"))]);
        (await Compiled()).ShouldNotBeSameAs(first);
    }

    [Theory]
    [InlineData("", "Name", "EUR", "bad-code")]
    [InlineData("A/B", "Name", "EUR", "bad-code")]
    [InlineData("OK", " ", "EUR", "bad-name")]
    [InlineData("OK", "Name", "XXX", "unknown-currency")]
    public async Task An_entity_needs_a_code_a_name_and_a_currency(
        string code,
        string name,
        string currency,
        string fault
    )
    {
        await using var company = new Company();
        (await new CreateEntity(company.Desk).RunAsync(company.Actor, code, name, currency, Stop))
            .Faults.ShouldHaveSingleItem()
            .Code.ShouldBe(fault);
        (
            await new CreateEntity(company.Desk).RunAsync(
                company.Actor with
                {
                    Everywhere = Role.Reviewer,
                },
                "OK",
                "Name",
                "EUR",
                Stop
            )
        ).Refused.ShouldBe(Refusal.Forbidden);
    }

    [Fact]
    public async Task Migrating_again_and_from_several_processes_at_once_changes_nothing()
    {
        await using var company = new Company();
        await Task.WhenAll(Enumerable.Range(0, 4).Select(_ => Task.Run(() => Database.Migrate(company.Test.Owner))));
        (await company.AskAsync<long>("select count(*) - count(distinct scriptname) from schema_migration")).ShouldBe(
            0
        );
    }
}
