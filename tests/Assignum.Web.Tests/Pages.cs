using System.Net;
using System.Text;
using System.Text.Json;
using Assignum.Web.Pages;
using Assignum.Web.Pages.Entity;
using static Assignum.Web.Tests.PageClient;

namespace Assignum.Web.Tests;

/// <summary>Pages without a browser: rights, lists as files, forms, and what a forged or stale request gets.</summary>
[Collection(AppCollection.Name)]
public class Pages(RunningApp app)
{
    private static CancellationToken Stop => TestContext.Current.CancellationToken;

    [Theory]
    [InlineData("/sign-in")]
    [InlineData("/e/SKERROW/rehearse?handler=Post")]
    [InlineData("/e/SKERROW/editions")]
    [InlineData("/e/SKERROW/files?handler=Apply")]
    [InlineData("/")]
    public async Task A_form_without_its_token_is_refused(string path)
    {
        using var client = await app.SignedInAsync("admin");
        using var refused = await client.PostAsync(path, Form(("name", "nora"), ("password", "x")), Stop);
        refused.StatusCode.ShouldBe(HttpStatusCode.BadRequest);
        // Whoever's session ended while they wrote is told so.
        (await refused.Content.ReadAsStringAsync(Stop)).ShouldContain("Nothing was changed. Go back");
    }

    [Theory]
    [InlineData("/nothing")]
    [InlineData("/e/SKERROW/nothing")]
    [InlineData("/e/NOWHERE/chart")]
    [InlineData("/people")]
    [InlineData("/e/SKERROW/history?handler=Nothing")]
    public async Task Where_nothing_is_a_page_says_so_and_leads_on(string path)
    {
        using var client = await app.SignedInAsync("iris");
        using var none = await client.GetAsync(path, Stop);
        none.StatusCode.ShouldBe(HttpStatusCode.NotFound);
        var page = await none.Content.ReadAsStringAsync(Stop);
        page.ShouldContain("There is no such page");
        page.ShouldContain("<a\n  href=\"/?all=true\">Your entities</a>");
    }

    [Theory]
    [InlineData("navigate", HttpStatusCode.Redirect)]
    [InlineData("cors", HttpStatusCode.Unauthorized)]
    [InlineData("same-origin", HttpStatusCode.Unauthorized)]
    public async Task Whose_session_ended_goes_to_sign_in_but_what_a_page_asks_for_beside_it_does_not(
        string mode,
        HttpStatusCode status
    )
    {
        using var handler = new HttpClientHandler { AllowAutoRedirect = false };
        using var client = new HttpClient(handler) { BaseAddress = app.Address };
        using var request = new HttpRequestMessage(HttpMethod.Get, "/e/SKERROW/chart?handler=Rows&skip=0&take=10");
        request.Headers.Add("Sec-Fetch-Mode", mode);
        using var answer = await client.SendAsync(request, Stop);
        answer.StatusCode.ShouldBe(status);
    }

    [Fact]
    public async Task Scripts_styles_and_fonts_are_kept_for_good_and_never_mixed_with_those_of_another_program()
    {
        using var client = await app.SignedInAsync("iris");
        var root = System
            .Text.RegularExpressions.Regex.Match(
                await (await client.GetAsync("/sign-in", Stop)).Content.ReadAsStringAsync(Stop),
                "/as/[0-9a-f]{16}"
            )
            .Value;
        var wanted = new Queue<string>();
        foreach (var page in new[] { "/sign-in", "/e/SKERROW/chart", "/e/SKERROW/no-such-page" })
        {
            var html = await (await client.GetAsync(page, Stop)).Content.ReadAsStringAsync(Stop);
            var asked = System
                .Text.RegularExpressions.Regex.Matches(html, "<(?:link|script)[^>]* (?:href|src)=\"([^\"]+)\"")
                .Select(m => m.Groups[1].Value)
                .ToList();
            asked.Count.ShouldBeGreaterThan(1, page);
            asked.ForEach(wanted.Enqueue);
        }
        // What they ask for themselves, by an address beside their own.
        var seen = new HashSet<string>();
        while (wanted.TryDequeue(out var address))
        {
            if (!seen.Add(address))
                continue;
            address.ShouldStartWith(root + "/");
            using var answer = await client.GetAsync(address, Stop);
            answer.StatusCode.ShouldBe(HttpStatusCode.OK, address);
            answer.Headers.CacheControl!.ToString().ShouldBe("public, max-age=31536000, immutable");
            if (Path.GetExtension(address) is not (".js" or ".css"))
                continue;
            var text = await answer.Content.ReadAsStringAsync(Stop);
            foreach (
                System.Text.RegularExpressions.Match found in System.Text.RegularExpressions.Regex.Matches(
                    text,
                    """(?:^import[^;]*?'([^']+)'|url\((\.[^)]+)\))""",
                    System.Text.RegularExpressions.RegexOptions.Multiline
                )
            )
                wanted.Enqueue(
                    new Uri(new Uri("http://x" + address), found.Groups[1].Value + found.Groups[2].Value).AbsolutePath
                );
        }
        seen.Count(s => s.EndsWith(".js", StringComparison.Ordinal)).ShouldBeGreaterThan(20);
        seen.Count(s => s.EndsWith(".woff2", StringComparison.Ordinal)).ShouldBe(7);
        Assets.Fonts.Append(Assets.CodeFont).ShouldBeSubsetOf(seen.Select(s => s[(root.Length + 1)..]));
        // Another program's are not to be had here; without saying of which, they are asked for again each time.
        (await client.GetAsync("/as/0000000000000000/js/app.js", Stop)).StatusCode.ShouldBe(HttpStatusCode.NotFound);
        using var plain = await client.GetAsync("/js/app.js", Stop);
        plain.Headers.CacheControl!.NoCache.ShouldBeTrue();
    }

    [Fact]
    public async Task A_viewer_cannot_post_import_publish_or_create_even_with_a_form_of_their_own_making()
    {
        using var client = await app.SignedInAsync("iris");
        var token = await TokenAsync(client, "/e/SKERROW/rehearse");
        var sale =
            """{"source":"own","id":"IRIS-1","kind":"sales-invoice","date":"2026-06-15","""
            + """ "party":"SHOP-GALE","lines":[{"item":"RG-100","unitPrice":1}]}""";
        var post = await client.PostAsync(
            "/e/SKERROW/rehearse?handler=Post",
            Form(("json", sale), ("__RequestVerificationToken", token)),
            Stop
        );
        post.StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);
        (await post.Content.ReadAsStringAsync(Stop)).ShouldContain("needs the role preparer");
        var publish = await client.PostAsync(
            "/e/SKERROW/editions",
            Form(("from", "2026-12-01"), ("__RequestVerificationToken", token)),
            Stop
        );
        (await publish.Content.ReadAsStringAsync(Stop)).ShouldContain("needs the role reviewer");
        var create = await client.PostAsync(
            "/",
            Form(("code", "MINE"), ("name", "Mine"), ("currency", "EUR"), ("__RequestVerificationToken", token)),
            Stop
        );
        (await create.Content.ReadAsStringAsync(Stop)).ShouldContain("Only an administrator");
        using var upload = new MultipartFormDataContent
        {
            { new StringContent(token), "__RequestVerificationToken" },
            { new ByteArrayContent([1, 2, 3]), "file", "x.zip" },
        };
        (
            await (await client.PostAsync("/e/SKERROW/files?handler=Preview", upload, Stop)).Content.ReadAsStringAsync(
                Stop
            )
        ).ShouldContain("needs the role preparer");
    }

    [Fact]
    public async Task An_upload_is_applied_only_by_who_looked_at_it_and_only_once_looked_at()
    {
        using var client = await app.SignedInAsync("nora");
        var token = await TokenAsync(client, "/e/SKERROW/files");
        var answer = await client.PostAsync(
            "/e/SKERROW/files?handler=Apply",
            Form(("upload", Guid.NewGuid().ToString()), ("expected", "x"), ("__RequestVerificationToken", token)),
            Stop
        );
        answer.StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);
        (await answer.Content.ReadAsStringAsync(Stop)).ShouldContain("Choose it again");
    }

    [Theory]
    [InlineData("/e/SKERROW/chart?handler=List&format=csv", "text/csv", "number,name,class")]
    [InlineData("/e/SKERROW/journal?handler=List&format=csv", "text/csv", "number,date,kind")]
    public async Task A_list_can_be_had_as_a_file(string path, string type, string header)
    {
        using var client = await app.SignedInAsync("iris");
        var answer = await client.GetAsync(path, Stop);
        answer.Content.Headers.ContentType!.MediaType.ShouldBe(type);
        (await answer.Content.ReadAsStringAsync(Stop)).ShouldStartWith(header);
    }

    [Fact]
    public async Task What_was_done_is_told_by_the_page_that_follows_whatever_part_of_a_page_is_asked_for_meanwhile()
    {
        var code = await app.EntityAsync("TOLD", empty: true);
        using var client = await app.SignedInAsync("admin");
        var at = $"/e/{code}/connections";
        var kept = await client.PostAsync(
            at,
            Form(
                ("Form.Code", "BOOKS"),
                ("Form.Kind", "ledger"),
                ("Form.Name", "Old books"),
                ("Form.SendsBy", "file"),
                ("__RequestVerificationToken", await TokenAsync(client, at))
            ),
            Stop
        );
        kept.StatusCode.ShouldBe(HttpStatusCode.Redirect, await kept.Content.ReadAsStringAsync(Stop));
        // How its work stands is asked every second, also by a page that is about to go.
        using var part = await client.GetAsync(at + "/BOOKS?handler=Work", Stop);
        part.StatusCode.ShouldBe(HttpStatusCode.OK);
        part.Headers.Contains("Set-Cookie").ShouldBeFalse();
        const string Told = "Old books is kept.";
        (await client.GetStringAsync(at + "/BOOKS", Stop)).ShouldContain(Told);
        (await client.GetStringAsync(at + "/BOOKS", Stop)).ShouldNotContain(Told);
    }

    [Fact]
    public async Task A_list_can_be_had_as_a_workbook_with_a_frozen_header()
    {
        using var client = await app.SignedInAsync("iris");
        var bytes = await client.GetByteArrayAsync("/e/SKERROW/chart?handler=List&format=xlsx", Stop);
        using var zip = new System.IO.Compression.ZipArchive(new MemoryStream(bytes));
        using var sheet = new StreamReader(
            zip.Entries.Single(e => e.FullName.StartsWith("xl/worksheets/", StringComparison.Ordinal)).Open()
        );
        var xml = await sheet.ReadToEndAsync(Stop);
        xml.ShouldContain("frozen");
        xml.ShouldContain("autoFilter");
        xml.ShouldContain("Harbour Bank current");
    }

    [Fact]
    public async Task The_journal_pages_filters_and_takes_hostile_filters_as_text()
    {
        using var client = await app.SignedInAsync("iris");
        (await client.GetStringAsync("/e/SKERROW/journal", Stop)).ShouldContain("Older entries");
        var one = await client.GetStringAsync("/e/SKERROW/journal?q=INV-0001", Stop);
        one.ShouldContain("INV-0001");
        one.ShouldNotContain("INV-0002");
        foreach (var hostile in new[] { "%", "_", "'; drop table entry; --", "<script>alert(1)</script>", "\\" })
        {
            var page = await client.GetStringAsync("/e/SKERROW/journal?q=" + Uri.EscapeDataString(hostile), Stop);
            page.ShouldNotContain("<script>alert");
        }
    }

    [Theory]
    [InlineData("/e/SKERROW/journal/2026-999999")]
    [InlineData("/e/NOWHERE/chart")]
    [InlineData("/e/SKERROW/pick?type=nonsense")]
    [InlineData("/e/SKERROW/files?handler=Bundle&edition=77")]
    public async Task What_is_not_there_is_404(string path)
    {
        using var client = await app.SignedInAsync("iris");
        (await client.GetAsync(path, Stop)).StatusCode.ShouldBe(HttpStatusCode.NotFound);
    }

    [Fact]
    public async Task Pickers_find_by_code_first_and_then_by_any_part_of_the_name()
    {
        using var client = await app.SignedInAsync("iris");
        var html = await client.GetStringAsync("/e/SKERROW/pick?type=item&q=rg-1", Stop);
        html.IndexOf("RG-100", StringComparison.Ordinal).ShouldBeGreaterThan(0);
        (await client.GetStringAsync("/e/SKERROW/pick?type=party&q=kerry", Stop)).ShouldContain("SCH-KERRY");
        (await client.GetStringAsync("/e/SKERROW/pick?type=account&q=zzzz", Stop)).ShouldContain("nothing fits");
        (await client.GetStringAsync("/e/SKERROW/pick?type=item&q=first " + "series", Stop)).ShouldNotContain(
            "BAR-205"
        ); // archived
    }

    [Fact]
    public async Task A_document_posted_twice_by_its_form_is_posted_once()
    {
        using var client = await app.SignedInAsync("nora");
        var fields = new[]
        {
            ("kind", "sales-invoice"),
            ("id", "form-twice"),
            ("f.date", "2026-06-15"),
            ("f.party", "SHOP-GALE"),
            ("f.reference", "TWICE"),
            ("lines[0].item", "RG-100"),
            ("lines[0].unitPrice", "10"),
            ("__RequestVerificationToken", await TokenAsync(client, "/e/SKERROW/rehearse")),
        };
        foreach (var _ in new[] { 1, 2 })
            (await client.PostAsync("/e/SKERROW/rehearse?handler=Post", Form(fields), Stop)).StatusCode.ShouldBe(
                HttpStatusCode.Redirect
            );
        (await client.GetStringAsync("/e/SKERROW/rehearse", Stop)).ShouldContain("posted before");
        using var api = app.Client();
        var entries = JsonDocument
            .Parse(await api.GetStringAsync("/api/v1/entities/SKERROW/entries?source=own&id=form-twice", Stop))
            .RootElement;
        entries.GetArrayLength().ShouldBe(1);
    }

    [Fact]
    public async Task A_key_for_one_entity_opens_no_other()
    {
        using var admin = app.Client();
        (
            await admin.PostAsync(
                "/api/v1/entities",
                new StringContent(
                    "{\"code\":\"KEYED\",\"name\":\"Keyed\",\"currency\":\"EUR\"}",
                    Encoding.UTF8,
                    "application/json"
                ),
                Stop
            )
        ).StatusCode.ShouldBe(HttpStatusCode.Created);
        var key = "only-keyed-0123456789-0123456789-0123456789";
        await using (var db = await app.Database.Database.OpenAsync(Stop))
        {
            await using var find = new Npgsql.NpgsqlCommand("select entity_id from entity where code = 'KEYED'", db);
            await Storage.AccessStore.CreateKeyAsync(
                db,
                "keyed",
                Desk.Access.SignIn.HashKey(key),
                "viewer",
                [(int)(await find.ExecuteScalarAsync(Stop))!],
                Stop
            );
        }
        using var client = app.Client(key);
        (await client.GetStringAsync("/api/v1/entities", Stop)).ShouldBe(
            """[{"code":"KEYED","name":"Keyed","currency":"EUR"}]"""
        );
        (await client.GetAsync("/api/v1/entities/KEYED/trial-balance", Stop)).StatusCode.ShouldBe(HttpStatusCode.OK);
        (await client.GetAsync("/api/v1/entities/SKERROW/trial-balance", Stop)).StatusCode.ShouldBe(
            HttpStatusCode.NotFound
        );
        (
            await client.PostAsync(
                "/api/v1/entities/KEYED/editions/publish",
                new StringContent("{\"from\":\"2026-01-01\"}"),
                Stop
            )
        ).StatusCode.ShouldBe(HttpStatusCode.Forbidden);
    }

    [Theory]
    [InlineData(1234567.5, "EUR", "1\u00A0234\u00A0567.50")]
    [InlineData(-0.05, "EUR", "\u22120.05")]
    [InlineData(1234, "JPY", "1\u00A0234")]
    [InlineData(1.5, "KWD", "1.500")]
    public void Amounts_are_written_with_their_currencys_decimals_and_a_true_minus(
        double amount,
        string currency,
        string text
    ) => Show.Amount((decimal)amount, currency).ShouldBe(text);

    [Fact]
    public void Every_kind_can_be_filled_in_and_what_is_filled_comes_back_as_JSON()
    {
        foreach (var kind in Core.Entries.EventKinds.All)
        {
            var names = DocumentForm.Fields(kind, []).Select(f => f.Name).ToList();
            kind.Needs.ShouldAllBe(n => names.Contains("f." + n), kind.Name);
            names.ShouldContain("f.date");
        }
        var form = new Microsoft.AspNetCore.Http.FormCollection(
            new Dictionary<string, Microsoft.Extensions.Primitives.StringValues>
            {
                ["id"] = "1",
                ["f.date"] = "2026-01-01",
                ["f.pricesIncludeTax"] = "true",
                ["f.rate"] = "1.25",
                ["lines[0].item"] = "A",
                ["lines[0].unitPrice"] = "\u22125",
                ["lines[0].quantity"] = "two",
                ["lines[1].item"] = "",
            }
        );
        DocumentForm
            .Read(form, "sales-invoice")
            .ToJsonString()
            .ShouldBe(
                (
                    "{'source':'own','id':'1','kind':'sales-invoice','date':'2026-01-01','rate':1.25,"
                    + "'pricesIncludeTax':true,'lines':[{'item':'A','quantity':'two','unitPrice':-5}]}"
                ).Replace('\'', '"')
            );
    }
}
