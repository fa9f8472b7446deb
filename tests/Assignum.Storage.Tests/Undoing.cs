using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Desk;
using Assignum.Desk.SetUps;
using Assignum.Formats.Bundles;
using static Assignum.Storage.Tests.Company;

namespace Assignum.Storage.Tests;

/// <summary>Changes are kept, and undone while nothing has used them.</summary>
public class Undoing
{
    private static async Task<SetUp> DraftAsync(Company company, string code) =>
        (await new ViewSetUp(company.Desk).RunAsync(company.Actor, code, "draft", null, Stop)).Result!.SetUp.SetUp;

    private static byte[] Zip(SetUp setUp)
    {
        var bytes = new MemoryStream();
        Bundle.ToZip(setUp, bytes);
        return bytes.ToArray();
    }

    [Fact]
    public async Task An_import_is_undone_whole_and_the_undoing_too()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var before = Zip(await DraftAsync(company, code));
        var import = await company.ImportAsync(
            code,
            [
                Row(
                    Parts.Accounts,
                    ("number", "4099"),
                    ("name", "Barographs"),
                    ("class", "revenue"),
                    ("kind", "posting"),
                    ("parent", "4000")
                ),
                Row(Parts.Groups, ("kind", "item"), ("code", "GRAPH"), ("name", "Barographs"), ("parent", "INSTR")),
                Row(Parts.Items, ("code", "RG-100"), ("name", "Rain gauge, copper"), ("group", "GRAPH")),
                Row(Parts.Assignments, ("purpose", "sales-revenue"), ("account", "4099"), ("item_group", "GRAPH")),
            ]
        );
        var after = Zip(await DraftAsync(company, code));
        after.ShouldNotBe(before);

        var edit = new EditSetUp(company.Desk);
        var undone = await edit.UndoAsync(company.Actor, code, import.Result!.Change!.Value, Stop);
        undone.Faults.ShouldBeEmpty();
        Zip(await DraftAsync(company, code)).ShouldBe(before);
        (await edit.UndoAsync(company.Actor, code, import.Result.Change.Value, Stop))
            .Faults.ShouldHaveSingleItem()
            .Code.ShouldBe("undone-already");
        (await edit.UndoAsync(company.Actor, code, undone.Result!.Id!.Value, Stop)).Refused.ShouldBeNull();
        Zip(await DraftAsync(company, code)).ShouldBe(after);

        var said = (await new ReadChanges(company.Desk).RunAsync(company.Actor, code, 10, Stop)).Result!;
        said.Select(c => c.What)
            .Take(3)
            .ShouldBe(["undone: undone: bundle imported", "undone: bundle imported", "bundle imported"]);
        (
            await company.AskAsync<long>("select count(*) from audit where what like 'undone: %' and who = 'tester'")
        ).ShouldBe(2);
    }

    [Fact]
    public async Task What_was_used_changed_or_published_since_is_not_undone_and_nothing_is_lost()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var edit = new EditSetUp(company.Desk);
        async Task<string> UndoAsync(long? change) =>
            (await edit.UndoAsync(company.Actor, code, change!.Value, Stop)) is { Refused: not null } no
                ? no.Faults[0].Code
                : "undone";

        // Used: something was sold of the new item.
        var item = await company.ImportAsync(
            code,
            [
                Row(
                    Parts.Items,
                    ("code", "NEW-1"),
                    ("name", "New"),
                    ("nature", "goods"),
                    ("stocked", "yes"),
                    ("group", "RAIN"),
                    ("tax_category", "standard")
                ),
            ]
        );
        var sold = await company.PostAsync(
            code,
            """{"source":"t","id":"N","kind":"goods-shipped","date":"2026-06-15","party":"SHOP-GALE","""
                + """ "location":"CORK","lines":[{"item":"NEW-1","unitCost":5}]}"""
        );
        sold[0].Outcome.ShouldBe("posted");
        (await UndoAsync(item.Result!.Change)).ShouldBe("in-use");

        // Changed since: the second import renamed what the first added.
        var first = await company.ImportAsync(code, [Row(Parts.Reasons, ("code", "RUST"), ("name", "Rusted"))]);
        var second = await company.ImportAsync(code, [Row(Parts.Reasons, ("code", "RUST"), ("name", "Rusted away"))]);
        (await UndoAsync(first.Result!.Change)).ShouldBe("built-on");
        (await UndoAsync(second.Result!.Change)).ShouldBe("undone");
        (await UndoAsync(first.Result!.Change)).ShouldBe("undone");

        // Referred to: an assignment of a later change hangs on the group.
        var group = await company.ImportAsync(
            code,
            [Row(Parts.Groups, ("kind", "item"), ("code", "HANG"), ("name", "Hang"))]
        );
        var assigned = await company.ImportAsync(
            code,
            [Row(Parts.Assignments, ("purpose", "sales-revenue"), ("account", "4010"), ("item_group", "HANG"))]
        );
        (await UndoAsync(group.Result!.Change)).ShouldBe("unknown-reference");
        (await UndoAsync(assigned.Result!.Change)).ShouldBe("undone");

        // Published: the past is not edited.
        await company.PublishAsync(code, new DateOnly(2026, 8, 1));
        (await UndoAsync(group.Result!.Change)).ShouldBe("published");
        (await edit.UndoAsync(company.Actor, code, 999_999, Stop)).Refused.ShouldBe(Refusal.NotFound);
        (await DraftAsync(company, code)).Items.ShouldContain(i => i.Code == "NEW-1");
    }

    [Fact]
    public async Task Of_two_people_who_edit_one_row_the_second_is_told_which_cell()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var seen = Parts.TaxMatrix.Write(await DraftAsync(company, code)).First();
        var edit = new EditSetUp(company.Desk);
        RowChange To(string taxCode) =>
            SetUpEdit.Row(Parts.TaxMatrix, seen, new Dictionary<string, string?> { ["code"] = taxCode });
        var codes = (await DraftAsync(company, code))
            .TaxCodes.Where(c => Core.Words.Of(c.Direction) == seen[2] && c.Code != seen[3])
            .Select(c => c.Code)
            .ToArray();
        var answers = await Task.WhenAll(
            codes
                .Take(2)
                .Select(c => edit.RunAsync(company.Actor, code, "tax matrix changed", "year-end", [To(c)], Stop))
        );
        answers.Count(a => a.Refused is null).ShouldBe(1);
        var told = answers.Single(a => a.Refused is not null);
        told.Refused.ShouldBe(Refusal.Conflict);
        told.Faults.ShouldHaveSingleItem().Message.ShouldContain("somebody else changed code");
        (await company.AskAsync<long>("select count(*) from change where reason = 'year-end'")).ShouldBe(1);
    }

    [Fact]
    public async Task A_new_account_or_a_new_name_opens_no_draft_and_a_new_class_of_one_in_use_does()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        async Task<bool> DraftOpenAsync() =>
            await company.AskAsync<long>("select count(*) from edition where status = 'draft'") > 0;
        var added = await company.ImportAsync(
            code,
            [
                Row(
                    Parts.Accounts,
                    ("number", "4098"),
                    ("name", "Museums"),
                    ("class", "revenue"),
                    ("kind", "posting"),
                    ("parent", "4000")
                ),
            ]
        );
        await company.ImportAsync(
            code,
            [
                Row(
                    Parts.Accounts,
                    ("number", "4010"),
                    ("name", "Instruments sold"),
                    ("class", "revenue"),
                    ("kind", "posting")
                ),
            ]
        );
        (await DraftOpenAsync()).ShouldBeFalse();
        (await DraftAsync(company, code)).Accounts.Single(a => a.Number == "4010").Name.ShouldBe("Instruments sold");
        (
            await new EditSetUp(company.Desk).UndoAsync(company.Actor, code, added.Result!.Change!.Value, Stop)
        ).Refused.ShouldBeNull();
        (await DraftOpenAsync()).ShouldBeFalse();
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
        );
        (await DraftOpenAsync()).ShouldBeTrue();
    }

    [Fact]
    public async Task A_balance_on_any_day_is_the_sum_of_the_lines_up_to_it()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        await company.PostAsync(
            code,
            [
                .. Enumerable
                    .Range(0, 60)
                    .Select(i => Sale("B" + i, new DateOnly(2026, 3, 1).AddDays(i * 2).ToString("yyyy-MM-dd"), 10 + i)),
            ]
        );
        var journal = new Desk.Posting.ReadJournal(company.Desk);
        foreach (
            var day in new[]
            {
                new DateOnly(2026, 2, 28),
                new(2026, 3, 1),
                new(2026, 3, 15),
                new(2026, 3, 16),
                new(2026, 3, 31),
                new(2026, 4, 20),
                new(2026, 12, 31),
            }
        )
        {
            var balances = (await journal.BalancesAsync(company.Actor, code, day, Stop)).Result!.Select(b =>
                $"{b.Account} {b.Debit:0.00} {b.Credit:0.00}"
            );
            var lines = await company.AskAsync<string>(
                "select coalesce(string_agg(account || ' ' || round(d, 2) || ' ' || round(c, 2), ',' order by "
                    + "account), '') from (select account, sum(debit) d, sum(credit) c from entry_line "
                    + $"where date <= '{day:yyyy-MM-dd}' group by account) x"
            );
            string.Join(',', balances).ShouldBe(lines, day.ToString("yyyy-MM-dd"));
        }
    }
}
