using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Core.Tables.Foreign;
using Assignum.Desk;
using Assignum.Desk.SetUps;
using static Assignum.Storage.Tests.Company;

namespace Assignum.Storage.Tests;

/// <summary>A record that is put into a group which only the draft has: it goes there with the draft, and stays where
/// it is until then.</summary>
public class WaitingMemberships
{
    private static async Task<string?> GroupAsync(
        Company company,
        string code,
        string edition,
        string item = "RG-100"
    ) =>
        (await new ViewSetUp(company.Desk).RunAsync(company.Actor, code, edition, null, Stop))
            .Result!.SetUp.SetUp.Items.Single(i => i.Code == item)
            .Group;

    private static async Task<string?> LandsAsync(Company company, string code, string id, string date)
    {
        (await company.PostAsync(code, Sale(id, date))).Single().Outcome.ShouldBe("posted");
        return await company.AskAsync<string>(
            $"select l.account from entry_line l join entry n using (entity_id, entry_id) where n.reference = '{id}' "
                + "and l.purpose = 'sales-revenue'"
        );
    }

    private static readonly Sheet NewGroup = Row(
        Parts.Groups,
        ("kind", "item"),
        ("code", "SNOW"),
        ("name", "Snow gauges"),
        ("parent", "INSTR")
    );

    private static Sheet Into(string? group) =>
        Row(
            Parts.Items,
            ("code", "RG-100"),
            ("name", "Rain gauge, 100 mm"),
            ("nature", "goods"),
            ("group", group ?? "")
        );

    private static readonly Sheet SnowLands = Row(
        Parts.Assignments,
        ("purpose", "sales-revenue"),
        ("account", "4020"),
        ("item_group", "SNOW")
    );

    private static async Task<int> SizeAsync(Company company)
    {
        await using var db = await company.Test.Database.OpenAsync(Stop);
        var state = (await EditionStore.StateAsync(db, "SKERROW", false, Stop))!;
        return state.Draft is null ? -1 : await EditionStore.DraftSizeAsync(db, state.Id, state.Draft.Id, Stop);
    }

    [Fact]
    public async Task It_waits_with_the_draft_goes_live_with_it_and_decides_from_its_first_day()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var before = await GroupAsync(company, code, "1");
        var was = await LandsAsync(company, code, "A", "2026-06-01");
        (await company.ImportAsync(code, [NewGroup, SnowLands])).Refused.ShouldBeNull();
        (await company.ImportAsync(code, [Into("SNOW")])).Refused.ShouldBeNull();

        // In the draft it is there; in the live edition it is where it was, and lands where it landed.
        (await GroupAsync(company, code, "draft")).ShouldBe("SNOW");
        (await GroupAsync(company, code, "1")).ShouldBe(before);
        (await LandsAsync(company, code, "B", "2026-06-02")).ShouldBe(was);
        (await SizeAsync(company)).ShouldBe(3);
        // Another cell of the same record changes at once and leaves the group waiting.
        (
            await company.ImportAsync(
                code,
                [Row(Parts.Items, ("code", "RG-100"), ("name", "Rain gauge, renamed"), ("nature", "goods"))]
            )
        ).Refused.ShouldBeNull();
        (await GroupAsync(company, code, "1"), await GroupAsync(company, code, "draft")).ShouldBe((before, "SNOW"));

        await company.PublishAsync(code, new(2026, 7, 1));
        (await LandsAsync(company, code, "C", "2026-07-01")).ShouldBe("4020");
        // A document of a day before lands by the edition of that day, in which the group is not.
        (await LandsAsync(company, code, "D", "2026-06-30")).ShouldBe(was);
        // Put somewhere else that is in force it is there at once, in every edition.
        (await company.ImportAsync(code, [Into("BARO")])).Refused.ShouldBeNull();
        (await GroupAsync(company, code, "1"), await GroupAsync(company, code, "2")).ShouldBe(("BARO", "BARO"));
        (await company.AskAsync<long>("select count(*) from membership")).ShouldBe(0);
    }

    [Fact]
    public async Task It_goes_away_with_the_draft_and_comes_back_with_it()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var before = await GroupAsync(company, code, "1");
        await company.ImportAsync(code, [NewGroup]);
        var put = await company.ImportAsync(code, [Into("SNOW")]);
        var drafts = new KeepDrafts(company.Desk);
        (await drafts.ThrowAwayAsync(company.Actor, code, Stop)).Refused.ShouldBeNull();
        (await GroupAsync(company, code, "draft")).ShouldBe(before);
        (await drafts.TakeBackAsync(company.Actor, code, Stop)).Refused.ShouldBeNull();
        (await GroupAsync(company, code, "draft")).ShouldBe("SNOW");
        // Undone it waits no more, and the draft has one difference less; undone again it waits.
        var edit = new EditSetUp(company.Desk);
        var undone = await edit.UndoAsync(company.Actor, code, put.Result!.Change!.Value, Stop);
        undone.Refused.ShouldBeNull();
        (await GroupAsync(company, code, "draft"), await SizeAsync(company)).ShouldBe((before, 1));
        (await edit.UndoAsync(company.Actor, code, undone.Result!.Id!.Value, Stop)).Refused.ShouldBeNull();
        (await GroupAsync(company, code, "draft"), await GroupAsync(company, code, "1")).ShouldBe(("SNOW", before));
    }

    [Fact]
    public async Task A_new_record_is_there_at_once_and_in_its_group_with_the_draft_and_a_what_if_takes_it_along()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        await company.ImportAsync(code, [NewGroup, SnowLands]);
        await company.ImportAsync(
            code,
            [
                Row(
                    Parts.Items,
                    ("code", "SG-1"),
                    ("name", "Snow gauge"),
                    ("nature", "goods"),
                    ("stocked", "yes"),
                    ("group", "SNOW"),
                    ("tax_category", "standard")
                ),
            ]
        );
        (await GroupAsync(company, code, "1", "SG-1"), await GroupAsync(company, code, "draft", "SG-1")).ShouldBe(
            (null, "SNOW")
        );
        // Set aside as a what-if, the draft has it no more; merged, it has it again.
        var drafts = new KeepDrafts(company.Desk);
        var aside = (await drafts.SetAsideAsync(company.Actor, code, "snow", Stop)).Result!;
        (await GroupAsync(company, code, "draft", "SG-1")).ShouldBeNull();
        var merge = new MergeDrafts(company.Desk, new ViewSetUp(company.Desk), new EditSetUp(company.Desk));
        var revision = (await new ViewSetUp(company.Desk).RunAsync(company.Actor, code, "main", null, Stop))
            .Result!.Entity.WhatIf(aside.Id)!
            .Revision;
        (
            await merge.MergeAsync(company.Actor, code, aside.Id, revision, new Dictionary<string, bool>(), Stop)
        ).Refused.ShouldBeNull();
        (await GroupAsync(company, code, "draft", "SG-1"), await GroupAsync(company, code, "1", "SG-1")).ShouldBe(
            ("SNOW", null)
        );
        // The difference tells it.
        var view = (await new ViewSetUp(company.Desk).RunAsync(company.Actor, code, "draft", null, Stop)).Result!;
        var differs = (
            await new CompareSetUps(company.Desk, new ViewSetUp(company.Desk)).DifferenceAsync(
                view.Visit!,
                "1",
                "draft",
                Stop
            )
        )
            .Result!
            .Lines;
        differs.ShouldContain(l =>
            l.Under == "items"
            && l.Sentence.Contains("SG-1", StringComparison.Ordinal)
            && l.Sentence.EndsWith("group nothing → SNOW", StringComparison.Ordinal)
        );
        (differs.Count, await SizeAsync(company)).ShouldBe((3, 3));
    }
}
