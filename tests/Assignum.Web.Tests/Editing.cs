using System.Net;
using System.Text;
using System.Text.RegularExpressions;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Web.Pages;
using CsCheck;
using static Assignum.Web.Tests.PageClient;

namespace Assignum.Web.Tests;

/// <summary>Edits on pages: rights, what is wrong with a form, two people at once, and that nothing is lost.</summary>
[Collection(AppCollection.Name)]
public partial class Editing(RunningApp app)
{
    private static CancellationToken Stop => TestContext.Current.CancellationToken;

    private static (string, string)[] Cell(string standing, string category, string was, string code) =>
        [
            ("direction", "output"),
            ("cell[0].standing", standing),
            ("cell[0].category", category),
            ("cell[0].was", was),
            ("cell[0].code", code),
        ];

    [Fact]
    public async Task A_viewer_sees_tax_and_accounts_and_changes_neither()
    {
        using var client = await app.SignedInAsync("iris");
        (await client.GetStringAsync("/e/SKERROW/tax", Stop)).ShouldNotContain("Save to the draft");
        (await client.GetStringAsync("/e/SKERROW/chart/4012", Stop)).ShouldNotContain(">Save<");
        foreach (
            var (page, handler, fields) in new[]
            {
                ("/e/SKERROW/tax", "Matrix", Cell("abroad", "reduced", "", "Z0")),
                ("/e/SKERROW/tax", "Undo", [("change", "1")]),
                ("/e/SKERROW/files", "Undo", [("change", "1")]),
            }
        )
        {
            var (status, said) = await client.SendAsync(page, handler, fields);
            status.ShouldBe(HttpStatusCode.Forbidden);
            said.ShouldContain("needs the role preparer");
        }
    }

    [Fact]
    public async Task What_is_wrong_with_tax_is_said_and_what_was_typed_stays()
    {
        var page = $"/e/{await app.EntityAsync("TAXED")}/tax";
        using var client = await app.SignedInAsync("nora");
        async Task Refused(string handler, string why, params (string, string)[] fields)
        {
            var (status, said) = await client.SendAsync(page, handler, fields);
            status.ShouldBe(HttpStatusCode.UnprocessableEntity, why);
            said.ShouldContain(why);
        }
        await Refused("Matrix", "Tax code NOPE does not exist", Cell("abroad", "reduced", "", "NOPE"));
        await Refused("Matrix", "this cell needs an output code", Cell("abroad", "reduced", "", "P23"));
        await Refused(
            "Matrix",
            "somebody else changed code from 'O0' to 'S23'",
            Cell("domestic", "standard", "O0", "R13")
        );
        await Refused("Rate", "Choose at least one tax code", ("percent", "24"), ("from", "2027-01-01"));
        await Refused("Rate", "Write the rate in percent", ("codes", "S23"), ("percent", "-4"), ("from", "2027-01-01"));
        await Refused(
            "Rate",
            "is no date between 1900 and 2200",
            ("codes", "S23"),
            ("percent", "24"),
            ("from", "soon")
        );
        await Refused(
            "Code",
            "must not be empty",
            ("new.code", "K1"),
            ("new.name", ""),
            ("new.direction", "output"),
            ("new.category", "S")
        );
        var (_, typed) = await client.SendAsync(
            page + "?show=codes",
            "Code",
            ("new.code", "K1"),
            ("new.name", "Kept as typed"),
            ("new.direction", "sideways"),
            ("new.category", "S")
        );
        typed.ShouldContain("Kept as typed");
        typed.ShouldContain("'sideways' is not known here");
        (
            await client.SendAsync(page, "Rate", ("codes", "S23"), ("percent", "24.5"), ("from", "2027-01-01"))
        ).Status.ShouldBe(HttpStatusCode.Redirect);
        (await client.GetStringAsync(page + "?handler=List&show=codes&format=csv", Stop)).ShouldContain(
            "S23,Sales at 23 %,output,S,no,2027-01-01,0.245"
        );
    }

    [Fact]
    public async Task Of_two_who_change_one_account_the_second_is_told_what_changed()
    {
        var page = $"/e/{await app.EntityAsync("CHARTED")}/chart/4012";
        using var nora = await app.SignedInAsync("nora");
        using var tomas = await app.SignedInAsync("tomas");
        var seen = Fields(await nora.GetStringAsync(page, Stop));
        seen["was.number"].ShouldBe("4012");
        (string, string)[] With(string column, string value) =>
            [.. seen.Select(f => (f.Key, f.Key == "new." + column ? value : f.Value))];
        (await nora.SendAsync(page, "", With("name", "Schools and colleges"))).Status.ShouldBe(HttpStatusCode.Redirect);
        var (status, said) = await tomas.SendAsync(page, "", With("note", "mine"));
        status.ShouldBe(HttpStatusCode.UnprocessableEntity);
        said.ShouldContain("somebody else changed name from 'Instruments, schools' to 'Schools and colleges'");
        said.ShouldContain("value=\"mine\"");
        seen = Fields(await nora.GetStringAsync(page, Stop));
        (await nora.SendAsync(page, "", With("class", "no-class"))).Said.ShouldContain("is not known here");
        (await nora.GetAsync(page.Replace("4012", "9999", StringComparison.Ordinal), Stop)).StatusCode.ShouldBe(
            HttpStatusCode.NotFound
        );
    }

    [GeneratedRegex(
        "<input[^>]*name=\"((?:was|new)\\.[a-z_]+)\"[^>]*?(?:value=\"([^\"]*)\")?[^>]*>|"
            + "<select[^>]*name=\"(new\\.[a-z_]+)\"[^>]*>(.*?)</select>",
        RegexOptions.Singleline
    )]
    private static partial Regex Field();

    [GeneratedRegex("<option(?: value=\"([^\"]*)\")? selected=\"selected\"")]
    private static partial Regex Selected();

    private static Dictionary<string, string> Fields(string html)
    {
        var fields = new Dictionary<string, string>();
        foreach (Match field in Field().Matches(html))
            if (field.Groups[3].Success)
                fields[field.Groups[3].Value] = Selected().Match(field.Groups[4].Value).Groups[1].Value;
            else
                fields[field.Groups[1].Value] = WebUtility.HtmlDecode(
                    Regex.Match(field.Value, "value=\"([^\"]*)\"").Groups[1].Value
                );
        return fields;
    }

    [Fact]
    public void Whatever_a_form_holds_becomes_an_edit_or_a_fault_and_never_a_crash()
    {
        var setUp = SetUpDefaults.Empty(new Entity("F", "F", "EUR"));
        var cell = Gen.OneOf(
            Gen.Const(""),
            Gen.Const("S"),
            Gen.Const("yes"),
            Gen.Const("2026-01-01"),
            Gen.Const("0.5"),
            Gen.String[0, 12]
        );
        Gen.Select(Gen.Int[0, Parts.All.Count - 1], cell.Array[60], Gen.Bool, Gen.Bool)
            .Sample(
                (number, cells, existed, gone) =>
                {
                    var part = Parts.All[number];
                    var fields = part
                        .Columns.SelectMany(
                            (c, i) => new[] { (RowForm.New + c.Name, cells[i]), (RowForm.Was + c.Name, cells[i + 25]) }
                        )
                        .Where(f => existed || f.Item1.StartsWith(RowForm.New, StringComparison.Ordinal))
                        .ToDictionary(f => f.Item1, f => new Microsoft.Extensions.Primitives.StringValues(f.Item2));
                    var plan = SetUpEdit.Plan(
                        setUp,
                        [RowForm.Read(part, new Microsoft.AspNetCore.Http.FormCollection(fields), gone && existed)],
                        (_, _) => false
                    );
                    if (plan.Faults.Count > 0)
                        plan.Changes.ShouldBeEmpty();
                    plan.Faults.ShouldAllBe(f => f.Message.Length > 10);
                },
                iter: 2_000
            );
    }

    [Fact]
    public async Task A_life_cycle_changed_in_another_window_is_not_overwritten()
    {
        using var client = await app.SignedInAsync("admin");
        const string page = "/e/SKERROW/rehearse/cycle";
        async Task<HttpResponseMessage> Send(string body, string revision)
        {
            using var form = new MultipartFormDataContent
            {
                { new StringContent(await TokenAsync(client, page)), "__RequestVerificationToken" },
                { new StringContent(revision), "revision" },
                { new ByteArrayContent(Encoding.UTF8.GetBytes(body)), "file", "e.json" },
            };
            return await client.PostAsync(page + "?handler=File", form, Stop);
        }
        const string sale =
            """[{"source":"own","id":"1","kind":"goods-received","date":"2026-10-02","""
            + """ "party":"SUP-OKEBRASS","lines":[{"item":"BAR-210","unitCost":42}]},"""
            + """ {"kind":"no-such-kind"}]""";
        (await Send(sale, "0")).StatusCode.ShouldBe(HttpStatusCode.Redirect);
        (await Send(sale, "0")).StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);
        var shown = await client.GetStringAsync(page, Stop);
        // A document that cannot be read stands in its place with what is wrong; the other is run.
        shown.ShouldContain("2 faults");
        shown.ShouldContain("Account 1410");
        (await Send("[1, 2]", "1")).StatusCode.ShouldBe(HttpStatusCode.Redirect);
        (await client.GetStringAsync(page, Stop)).ShouldContain("An event is a JSON object");
        (await client.SendAsync(page, "Drop", ("revision", "2"), ("step", "99"))).Status.ShouldBe(
            HttpStatusCode.Redirect
        );
        (await client.SendAsync(page, "Clear", ("revision", "3"))).Status.ShouldBe(HttpStatusCode.Redirect);
    }
}
