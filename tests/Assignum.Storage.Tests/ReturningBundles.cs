using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Desk;
using Assignum.Desk.SetUps;
using Assignum.Formats.Bundles;
using static Assignum.Storage.Tests.Company;

namespace Assignum.Storage.Tests;

/// <summary>Bundles that are taken out, edited elsewhere, and brought back over what colleagues did
/// meanwhile.</summary>
public class ReturningBundles
{
    private static readonly BundleReturn Back = new(false, _ => null, true);

    private static Sheet Revenue(string account, string group = "RAIN") =>
        Row(Parts.Assignments, ("purpose", "sales-revenue"), ("account", account), ("item_group", group));

    private static async Task<byte[]> TakeOutAsync(Company company, string code)
    {
        var view = (await new ViewSetUp(company.Desk).RunAsync(company.Actor, code, "draft", null, Stop)).Result!;
        await TakenBundles.TakenOutAsync(company.Desk, view.Entity, view.SetUp.SetUp, company.Actor.Name, Stop);
        return Zip(view.SetUp.SetUp);
    }

    private static byte[] Zip(SetUp setUp)
    {
        using var to = new MemoryStream();
        Bundle.ToZip(setUp, to);
        return to.ToArray();
    }

    // The bundle with cells of a row changed as in a spreadsheet; a row of no cells is deleted, one that is not there
    // is added.
    private static IReadOnlyList<Sheet> Edited(
        byte[] zip,
        params (Part Part, string Key, string? Column, string? Value)[] edits
    )
    {
        var sheets = Bundle.FromFile(new MemoryStream(zip), []).ToList();
        foreach (var (part, key, column, value) in edits)
        {
            var at = sheets.FindIndex(s => s.Part == part);
            var rows = sheets[at].Rows.Select(r => (r.Row, Cells: r.Cells.ToArray())).ToList();
            if (column is null)
                rows.RemoveAll(r => part.KeyOf(r.Cells) == key);
            else
                rows.Single(r => part.KeyOf(r.Cells) == key).Cells[
                    part.Columns.ToList().FindIndex(c => c.Name == column)
                ] = value;
            sheets[at] = sheets[at] with { Rows = rows };
        }
        return sheets;
    }

    private static Task<Outcome<ImportResult>> BringAsync(
        Company company,
        string code,
        IReadOnlyList<Sheet> sheets,
        BundleReturn? back = null
    ) =>
        new ImportBundle(company.Desk).ApplyAsync(
            company.Actor,
            code,
            sheets,
            [],
            false,
            null,
            Stop,
            back: back ?? Back
        );

    private static async Task<SetUp> DraftAsync(Company company, string code) =>
        (await new ViewSetUp(company.Desk).RunAsync(company.Actor, code, "draft", null, Stop)).Result!.SetUp.SetUp;

    private static string KeyOf(Sheet row) => row.Part.KeyOf(row.Rows[0].Cells);

    [Fact]
    public async Task What_colleagues_added_and_changed_meanwhile_stays_beside_what_the_bundle_changed()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var zip = await TakeOutAsync(company, code);
        // Meanwhile: a rule and an item come, an account gets another name.
        await company.ImportAsync(code, [Revenue("4012")]);
        await company.ImportAsync(
            code,
            [Row(Parts.Items, ("code", "NEWGAUGE"), ("name", "A new gauge"), ("nature", "goods"))]
        );
        await company.ImportAsync(code, [Row(Parts.Accounts, ("number", "4010"), ("name", "Instruments, sold"))]);

        // Elsewhere: another account's name, a rule gone.
        var gone = (await DraftAsync(company, code))
            .Assignments.Select(a =>
                Parts.Assignments.Write(new SetUp { Entity = new("X", "X", "EUR"), Assignments = [a] })[0]
            )
            .First(r => r[0] == "cost-of-sales" && r[2..].Any(c => c is not null));
        var sheets = Edited(
            zip,
            (Parts.Accounts, "4012", "name", "Rain gauges, sold"),
            (Parts.Assignments, Parts.Assignments.KeyOf(gone), null, null)
        );
        var looked = (
            await new ImportBundle(company.Desk).PreviewAsync(company.Actor, code, sheets, [], false, null, Stop, Back)
        ).Result!;
        looked.Origin.ShouldNotBeNull().Who.ShouldBe("tester");
        looked.Conflicts.ShouldBeEmpty();
        looked
            .Plan.Changes.Select(c => (c.Part.Name, c.Kind))
            .ShouldBe([("accounts", ChangeKind.Changed), ("assignments", ChangeKind.Removed)], ignoreOrder: true);
        looked
            .Plan.Notes.ShouldHaveSingleItem()
            .ShouldStartWith("3 rows that were changed here after this bundle was taken out");

        (await BringAsync(company, code, sheets)).Refused.ShouldBeNull();
        var draft = await DraftAsync(company, code);
        draft.Accounts.Single(a => a.Number == "4010").Name.ShouldBe("Instruments, sold");
        draft.Accounts.Single(a => a.Number == "4012").Name.ShouldBe("Rain gauges, sold");
        draft.Items.ShouldContain(i => i.Code == "NEWGAUGE");
        Parts.Assignments.Row(draft, KeyOf(Revenue("4012"))).ShouldNotBeNull();
        Parts.Assignments.Row(draft, Parts.Assignments.KeyOf(gone)).ShouldBeNull();
        // Whoever wants everything as in the file says so.
        (await BringAsync(company, code, Edited(zip), Back with { AsItStands = true })).Refused.ShouldBeNull();
        Zip(await DraftAsync(company, code)).ShouldBe(zip);
    }

    [Fact]
    public async Task What_both_changed_is_a_conflict_that_somebody_decides()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        await company.ImportAsync(code, [Revenue("4012")]);
        var zip = await TakeOutAsync(company, code);
        await company.ImportAsync(code, [Revenue("4014")]);
        var key = KeyOf(Revenue(""));
        var sheets = Edited(
            zip,
            (Parts.Assignments, key, "account", "4010"),
            (Parts.Accounts, "4012", "name", "Gauges")
        );
        var refused = await BringAsync(company, code, sheets);
        refused.Refused.ShouldBe(Refusal.Invalid);
        var said = refused.Faults.ShouldHaveSingleItem();
        said.Code.ShouldBe("conflict");
        said.Path.ShouldEndWith(":account");
        said.Message.ShouldContain("'4012' when the bundle was taken out, '4014' here now, '4010' in the bundle");
        (await DraftAsync(company, code)).Accounts.ShouldNotContain(a => a.Name == "Gauges");

        var conflict = refused.Result!.Conflicts.ShouldHaveSingleItem();
        conflict.Of.ShouldSatisfyAllConditions(
            c => c.Was.ShouldBe("4012"),
            c => c.Here.ShouldBe("4014"),
            c => c.Theirs.ShouldBe("4010")
        );
        (await BringAsync(company, code, sheets, Back with { Decided = _ => false })).Refused.ShouldBeNull();
        Parts.Assignments.Row(await DraftAsync(company, code), key)!.ShouldContain("4014");
        (await DraftAsync(company, code)).Accounts.ShouldContain(a => a.Name == "Gauges");
        (await BringAsync(company, code, sheets, Back with { Decided = _ => true })).Refused.ShouldBeNull();
        Parts.Assignments.Row(await DraftAsync(company, code), key)!.ShouldContain("4010");

        // Deleted there, changed here: a conflict about the whole row.
        var again = await TakeOutAsync(company, code);
        await company.ImportAsync(code, [Revenue("4012")]);
        var deleted = await BringAsync(company, code, Edited(again, (Parts.Assignments, key, null, null)));
        deleted
            .Result!.Conflicts.ShouldHaveSingleItem()
            .Of.ShouldSatisfyAllConditions(c => c.Column.ShouldBe(""), c => c.Theirs.ShouldBeNull());
    }

    [Fact]
    public async Task A_bundle_that_comes_back_as_it_went_restores_what_it_has_and_keeps_rows_that_are_new()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        await company.ImportAsync(code, [Revenue("4012")]);
        var zip = await TakeOutAsync(company, code);
        (await new KeepDrafts(company.Desk).ThrowAwayAsync(company.Actor, code, Stop)).Refused.ShouldBeNull();
        var mine = Row(Parts.Assignments, ("purpose", "sales-revenue"), ("account", "4014"), ("item", "RG-100"));
        await company.ImportAsync(code, [mine]);
        (await BringAsync(company, code, Edited(zip))).Refused.ShouldBeNull();
        var draft = await DraftAsync(company, code);
        Parts.Assignments.Row(draft, KeyOf(Revenue("")))!.ShouldContain("4012");
        Parts.Assignments.Row(draft, KeyOf(mine))!.ShouldContain("4014");
    }

    [Fact]
    public async Task A_bundle_brought_in_undone_and_brought_in_once_more_comes_in_again()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var zip = await TakeOutAsync(company, code);
        var sheets = Edited(zip, (Parts.Accounts, "4012", "name", "Gauges"));
        var done = await BringAsync(company, code, sheets);
        (
            await new EditSetUp(company.Desk).UndoAsync(company.Actor, code, done.Result!.Change!.Value, Stop)
        ).Faults.ShouldBeEmpty();
        (await BringAsync(company, code, sheets)).Result!.Plan.Changes.Count.ShouldBe(1);
        (await DraftAsync(company, code)).Accounts.ShouldContain(a => a.Name == "Gauges");
    }

    [Fact]
    public async Task Bundles_of_a_folder_one_after_the_other_are_each_what_they_say()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var first = Zip(await DraftAsync(company, code));
        (await BringAsync(company, code, Edited(first))).Refused.ShouldBeNull();
        (
            await BringAsync(company, code, Edited(first, (Parts.Accounts, "4012", "name", "Gauges")))
        ).Refused.ShouldBeNull();
        (await BringAsync(company, code, Edited(first))).Refused.ShouldBeNull();
        Zip(await DraftAsync(company, code)).ShouldBe(first);
        // What a colleague adds between two of them stays.
        await company.ImportAsync(code, [Revenue("4014")]);
        (
            await BringAsync(company, code, Edited(first, (Parts.Accounts, "4012", "name", "Gauges")))
        ).Refused.ShouldBeNull();
        Parts.Assignments.Row(await DraftAsync(company, code), KeyOf(Revenue(""))).ShouldNotBeNull();
    }

    [Fact]
    public async Task Standard_costs_in_a_bundle_are_told_apart_and_taken_only_where_wanted()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var zip = await TakeOutAsync(company, code);
        var item = (await DraftAsync(company, code)).Items.First(i => i.StandardCost is not null);
        var sheets = Edited(
            zip,
            (Parts.Items, item.Code, "standard_cost", "99.5"),
            (Parts.Accounts, "4012", "name", "Gauges")
        );
        var looked = (
            await new ImportBundle(company.Desk).PreviewAsync(
                company.Actor,
                code,
                sheets,
                [],
                false,
                null,
                Stop,
                Back with
                {
                    Values = false,
                }
            )
        ).Result!;
        looked
            .Values.ShouldHaveSingleItem()
            .Change.ShouldSatisfyAllConditions(
                v => v.Key.ShouldBe(item.Code),
                v => v.From.ShouldBe(item.StandardCost),
                v => v.To.ShouldBe(99.5m),
                v => v.Row.ShouldBeGreaterThan(1)
            );
        looked.Plan.Changes.Select(c => c.Part.Name).ShouldBe(["accounts"]);
        (await BringAsync(company, code, sheets, Back with { Values = false })).Refused.ShouldBeNull();
        (await DraftAsync(company, code))
            .Items.Single(i => i.Code == item.Code)
            .StandardCost.ShouldBe(item.StandardCost);
        (await BringAsync(company, code, sheets)).Refused.ShouldBeNull();
        (await DraftAsync(company, code)).Items.Single(i => i.Code == item.Code).StandardCost.ShouldBe(99.5m);
    }
}
