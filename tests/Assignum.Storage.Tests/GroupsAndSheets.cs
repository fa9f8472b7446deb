using Assignum.Core.Checks;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Core.Tables.Foreign;
using Assignum.Core.Upkeep;
using Assignum.Desk;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using Assignum.Formats.Bundles;
using static Assignum.Storage.Tests.Company;

namespace Assignum.Storage.Tests;

/// <summary>Groups under other codes in every edition, sheets that come back to what others changed, new lines undone
/// as one.</summary>
public class GroupsAndSheets
{
    private static async Task<SetUpView> ViewAsync(Company company, string code, string? edition = "draft") =>
        (await new ViewSetUp(company.Desk).RunAsync(company.Actor, code, edition, null, Stop)).Result!;

    private static RowChange Rename(SetUp now, string from, string to)
    {
        var row = Parts.Groups.Row(now, "item\u001f" + from)!;
        return new RowChange(
            Parts.Groups,
            ChangeKind.Changed,
            Parts.Groups.KeyOf(row),
            row,
            [row[0], to, row[2], row[3]]
        );
    }

    [Fact]
    public async Task A_group_under_another_code_is_the_same_group_in_the_live_edition_and_events_land_as_before()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var edit = new EditSetUp(company.Desk);
        (await company.PostAsync(code, Sale("S-1"))).Single().Outcome.ShouldBe("posted");
        var landed = await company.AskAsync<string>(
            "select string_agg(a.\"number\" || ' ' || l.debit || ' ' || l.credit, ', ' order by l.line_no) from "
                + "entry_line l join accounts a using (entity_id, account_id)"
        );

        var made = await edit.MakeAsync(
            company.Actor,
            code,
            "renamed",
            null,
            (now, _) => [Rename(now, "INSTR", "GAUGERY")],
            Stop
        );
        made.Faults.ShouldBeEmpty();
        // At once, and everywhere: no draft is opened for a name.
        var live = await ViewAsync(company, code, "1");
        live.Entity.Draft.ShouldBeNull();
        live.SetUp.SetUp.Groups.ShouldContain(g => g.Code == "GAUGERY");
        live.SetUp.SetUp.Assignments.ShouldContain(a => a.Purpose == "stock" && a.Key.Any(k => k.Value == "GAUGERY"));
        live.SetUp.SetUp.Groups.Single(g => g.Code == "RAIN").Parent.ShouldBe("GAUGERY");
        (await company.PostAsync(code, Sale("S-2"))).Single().Outcome.ShouldBe("posted");
        (
            await company.AskAsync<string>(
                "select string_agg(a.\"number\" || ' ' || l.debit || ' ' || l.credit, ', ' order by l.line_no) from "
                    + "entry_line l join accounts a using (entity_id, account_id) join entry n using (entity_id, "
                    + "entry_id) where n.reference = 'S-2'"
            )
        ).ShouldBe(landed);
        // What was stored with the first landing still says what was looked for then.
        (
            await company.AskAsync<string>("select string_agg(array_to_string(codes, ' '), ' ') from landing_chain")
        ).ShouldContain("INSTR");

        (await edit.UndoAsync(company.Actor, code, made.Result!.Id!.Value, Stop)).Faults.ShouldBeEmpty();
        (await ViewAsync(company, code, "1")).SetUp.SetUp.Groups.ShouldContain(g => g.Code == "INSTR");
        (await edit.MakeAsync(company.Actor, code, "renamed", null, (now, _) => [Rename(now, "INSTR", "RAIN")], Stop))
            .Faults.ShouldHaveSingleItem()
            .Message.ShouldContain("There is another item group RAIN");
    }

    [Fact]
    public async Task A_code_that_another_group_had_in_a_past_edition_is_not_taken()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var edit = new EditSetUp(company.Desk);
        (
            await company.ImportAsync(code, [Row(Parts.Groups, ("kind", "item"), ("code", "OLD"), ("name", "Old"))])
        ).Refused.ShouldBeNull();
        await company.PublishAsync(code, new DateOnly(2026, 2, 1));
        (
            await edit.MakeAsync(
                company.Actor,
                code,
                "gone",
                null,
                (now, _) => [SetUpEdit.Row(Parts.Groups, Parts.Groups.Row(now, "item\u001fOLD"), null)],
                Stop
            )
        ).Faults.ShouldBeEmpty();
        await company.PublishAsync(code, new DateOnly(2026, 3, 1));
        (await edit.MakeAsync(company.Actor, code, "renamed", null, (now, _) => [Rename(now, "BOOKS", "OLD")], Stop))
            .Faults.ShouldHaveSingleItem()
            .Message.ShouldContain("was the code of another group");
    }

    private static byte[] Out(SetUp setUp, Part part)
    {
        using var bytes = new MemoryStream();
        ViewBook.Write(setUp, part, part.Write(setUp), bytes);
        return bytes.ToArray();
    }

    [Fact]
    public async Task A_sheet_that_comes_back_meets_what_others_changed_and_is_undone_as_one()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var (view, edit) = (new ViewSetUp(company.Desk), new EditSetUp(company.Desk));
        var bring = new BringSheet(company.Desk, view, edit, new CompareSetUps(company.Desk, view));
        var start = await ViewAsync(company, code);
        // Taken out; in the sheet rain gauge 100 goes to another group and gets another name.
        var taken = start.SetUp.SetUp;
        var sheet = Edited(taken, items =>
            items.Select(i => i.Code == "RG-100" ? i with { Name = "From the sheet", Group = "BARO" } : i)
        );
        (
            await company.ImportAsync(code, [Row(Parts.Items, ("code", "RG-100"), ("name", "Changed here"))])
        ).Refused.ShouldBeNull();

        var none = new Dictionary<string, bool>();
        var now = await ViewAsync(company, code);
        var looked = (
            await bring.LookAsync(now.Visit!, Parts.Items, sheet, none, false, SheetMends.None, Stop)
        ).Result!;
        looked
            .Open.ShouldHaveSingleItem()
            .ShouldSatisfyAllConditions(
                c => c.Column.ShouldBe("name"),
                c =>
                    (c.Was, c.Here, c.Theirs).ShouldBe(
                        (taken.Items.Single(i => i.Code == "RG-100").Name, "Changed here", "From the sheet")
                    )
            );
        (
            await bring.ApplyAsync(
                company.Actor,
                code,
                Parts.Items,
                sheet,
                "items.xlsx",
                null,
                none,
                false,
                SheetMends.None,
                Stop
            )
        ).ShouldSatisfyAllConditions(
            a => a.Refused.ShouldBe(Refusal.Conflict),
            a => a.Faults.ShouldHaveSingleItem().Message.ShouldContain("Decide which stays")
        );
        var made = await bring.ApplyAsync(
            company.Actor,
            code,
            Parts.Items,
            sheet,
            "items.xlsx",
            "asked for",
            looked.Open.ToDictionary(c => c.Id, _ => false),
            false,
            SheetMends.None,
            Stop
        );
        made.Faults.ShouldBeEmpty();
        (await ViewAsync(company, code))
            .SetUp.SetUp.Items.Single(i => i.Code == "RG-100")
            .ShouldSatisfyAllConditions(i => i.Name.ShouldBe("Changed here"), i => i.Group.ShouldBe("BARO"));
        (await edit.UndoAsync(company.Actor, code, made.Result!.Id!.Value, Stop)).Faults.ShouldBeEmpty();
        (await ViewAsync(company, code)).SetUp.SetUp.Items.Single(i => i.Code == "RG-100").Group.ShouldBe("RAIN");
    }

    // The workbook as a person edits it: what it says was taken out stays as it was.
    private static byte[] Edited(SetUp taken, Func<IReadOnlyList<Item>, IEnumerable<Item>> edit)
    {
        var (before, after) = (
            Out(taken, Parts.Items),
            Out(taken with { Items = [.. edit(taken.Items)] }, Parts.Items)
        );
        using var result = new MemoryStream();
        using (var to = new System.IO.Compression.ZipArchive(result, System.IO.Compression.ZipArchiveMode.Create, true))
        {
            using var was = new System.IO.Compression.ZipArchive(new MemoryStream(before));
            using var now = new System.IO.Compression.ZipArchive(new MemoryStream(after));
            foreach (var entry in was.Entries)
            {
                // Everything as it was but the sheet that people see.
                using var from = (
                    entry.FullName.EndsWith("worksheets/sheet1.xml", StringComparison.Ordinal)
                        ? now.GetEntry(entry.FullName)!
                        : entry
                ).Open();
                using var into = to.CreateEntry(entry.FullName).Open();
                from.CopyTo(into);
            }
        }
        return result.ToArray();
    }

    [Fact]
    public async Task A_standard_cost_in_a_sheet_says_what_stock_would_be_worth_and_waits_to_be_asked_for()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        (
            await company.ImportAsync(
                code,
                [
                    Row(
                        Parts.Items,
                        ("code", "RG-100"),
                        ("name", "Rain gauge"),
                        ("nature", "goods"),
                        ("stocked", "yes"),
                        ("costing", "standard"),
                        ("standard_cost", "40")
                    ),
                ]
            )
        ).Refused.ShouldBeNull();
        (
            await company.PostAsync(
                code,
                """{"source":"t","id":"R-1","kind":"goods-received","date":"2026-02-01","""
                    + """ "party":"SUP-VITRE","location":"CORK","lines":[{"item":"RG-100","quantity":12,"""
                    + """ "unitCost":40}]}"""
            )
        )
            .Single()
            .Errors.ShouldBeEmpty();
        var (view, edit) = (new ViewSetUp(company.Desk), new EditSetUp(company.Desk));
        var bring = new BringSheet(company.Desk, view, edit, new CompareSetUps(company.Desk, view));
        var now = await ViewAsync(company, code);
        var sheet = Edited(now.SetUp.SetUp, items =>
            items.Select(i => i.Code == "RG-100" ? i with { StandardCost = 42.5m } : i)
        );
        var looked = (
            await bring.LookAsync(
                now.Visit!,
                Parts.Items,
                sheet,
                new Dictionary<string, bool>(),
                false,
                SheetMends.None,
                Stop
            )
        ).Result!;
        // 12 on hand, 2.50 more each.
        looked
            .Values.ShouldHaveSingleItem()
            .ShouldSatisfyAllConditions(v => v.OnHand.ShouldBe(12), v => v.Effect.ShouldBe(30m));
        looked.Plan.Edits.ShouldBeEmpty();
        (
            await bring.ApplyAsync(
                company.Actor,
                code,
                Parts.Items,
                sheet,
                "items.xlsx",
                null,
                new Dictionary<string, bool>(),
                false,
                SheetMends.None,
                Stop
            )
        ).Result!.Id.ShouldBeNull();
        (
            await bring.ApplyAsync(
                company.Actor,
                code,
                Parts.Items,
                sheet,
                "items.xlsx",
                null,
                new Dictionary<string, bool>(),
                true,
                SheetMends.None,
                Stop
            )
        ).Faults.ShouldBeEmpty();
        (await ViewAsync(company, code)).SetUp.SetUp.Items.Single(i => i.Code == "RG-100").StandardCost.ShouldBe(42.5m);
    }

    [Fact]
    public async Task A_new_line_is_seen_before_it_is_there_and_undone_as_one()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var (view, edit) = (new ViewSetUp(company.Desk), new EditSetUp(company.Desk));
        var open = new OpenLine(view, edit);
        var start = await ViewAsync(company, code);
        var wish = new NewLineWish(
            "INSTR",
            "SNOW",
            "Snow gauges",
            null,
            null,
            NewLine
                .Propose(start.SetUp, "INSTR", "Snow gauges")
                .Where(a => !a.Shared)
                .ToDictionary(a => a.Like.Number, a => (a.Number!, a.Name!)),
            [("SG-1", "Snow gauge")]
        );
        var looked = (await open.LookAsync(start.Visit!, wish, Stop)).Result!;
        looked.Faults.ShouldBeEmpty();
        looked.Readiness!.Missing.ShouldBe(0);
        looked.Documents.Select(d => d.Result.Outcome).ShouldAllBe(o => o == "posted");
        (await ViewAsync(company, code)).SetUp.SetUp.Groups.ShouldNotContain(g => g.Code == "SNOW");
        var made = await open.RunAsync(company.Actor, code, wish, null, Stop);
        made.Faults.ShouldBeEmpty();
        (await ViewAsync(company, code)).SetUp.SetUp.Items.ShouldContain(i => i.Code == "SG-1");
        (await edit.UndoAsync(company.Actor, code, made.Result!.Id!.Value, Stop)).Faults.ShouldBeEmpty();
        var after = (await ViewAsync(company, code)).SetUp.SetUp;
        SetUpImport.Difference(start.SetUp.SetUp, after).ShouldBeEmpty();
    }
}
