using System.Net;
using System.Text;
using System.Text.Json;

namespace Assignum.Web.Tests;

/// <summary>What is sent by somebody who means harm, or whose program is broken: refused where it is wrong, and nothing
/// else suffers.</summary>
[Collection(AppCollection.Name)]
public class Attacks(RunningApp app)
{
    private static CancellationToken Stop => TestContext.Current.CancellationToken;

    private static string Sale(string id, string more = "", string line = "\"item\":\"RG-100\",\"unitPrice\":10") =>
        $$"""{"source":"atk","id":"{{id}}","kind":"sales-invoice","date":"2026-06-15","reference":"{{id}}","""
        + $"\"party\":\"SHOP-GALE\",\"lines\":[{{{line}}}]{more}}}";

    private static byte[] Bytes(string text) => Encoding.UTF8.GetBytes(text);

    // Raw bytes stand where a ~ is.
    private static byte[] With(string text, params byte[] raw)
    {
        var at = text.IndexOf('~', StringComparison.Ordinal);
        return [.. Bytes(text[..at]), .. raw, .. Bytes(text[(at + 1)..])];
    }

    public static TheoryData<string> Broken =>
        [
            "a name of bytes that are no text",
            "a name of half a character",
            "a dimension of half a character",
            "a dimension with a zero character",
            "a text with a zero character",
            "a text of half a character",
            "quantity, price and rate beyond counting",
            "a discount beyond counting",
            "a name that stands twice",
            "a number of a thousand digits",
            "depth",
            "no object",
        ];

    private static byte[] BrokenLine(string what) =>
        what switch
        {
            "a name of bytes that are no text" => With(Sale("X", ",\"~\":1"), 0xff, 0xfe),
            "a name of half a character" => Bytes(Sale("X", ",\"\\ud800\":1")),
            "a dimension of half a character" => Bytes(Sale("X", ",\"dimensions\":{\"\\ud800\":\"a\"}")),
            "a dimension with a zero character" => Bytes(Sale("X", ",\"dimensions\":{\"a\\u0000\":\"a\"}")),
            "a text with a zero character" => Bytes(Sale("X", ",\"text\":\"a\\u0000\"")),
            "a text of half a character" => Bytes(Sale("X", ",\"text\":\"\\udc00\"")),
            "quantity, price and rate beyond counting" => Bytes(
                Sale(
                    "X",
                    ",\"currency\":\"USD\",\"rate\":40000",
                    "\"item\":\"RG-100\",\"quantity\":999999999999,\"unitPrice\":999999999999"
                )
            ),
            "a discount beyond counting" => Bytes(
                Sale(
                    "X",
                    "",
                    "\"item\":\"RG-100\",\"quantity\":999999999999,\"unitPrice\":999999999999,"
                        + "\"discountPercent\":999999999999"
                )
            ),
            "a name that stands twice" => Bytes(Sale("X", ",\"text\":\"a\",\"text\":\"b\"")),
            "a number of a thousand digits" => Bytes(Sale("X", $",\"amount\":{new string('9', 1000)}")),
            "depth" => Bytes(Sale("X", $",\"text\":{new string('[', 40)}{new string(']', 40)}")),
            _ => Bytes("\"x\""),
        };

    [Theory]
    [MemberData(nameof(Broken))]
    public async Task A_broken_event_is_refused_and_those_around_it_are_posted(string what)
    {
        using var client = app.Client();
        var name = Convert.ToHexString(Bytes(what))[..Math.Min(60, what.Length * 2)];
        const string code = "SKERROW";
        var broken = BrokenLine(what);

        var seen = "";
        async Task<List<string>> OutcomesAsync(byte[] body, string type)
        {
            using var request = new HttpRequestMessage(HttpMethod.Post, $"/api/v1/entities/{code}/events")
            {
                Content = new ByteArrayContent(body),
            };
            request.Content.Headers.TryAddWithoutValidation("Content-Type", type);
            var answer = await client.SendAsync(request, Stop);
            var text = seen = await answer.Content.ReadAsStringAsync(Stop);
            answer.StatusCode.ShouldBe(HttpStatusCode.OK, text);
            return
            [
                .. (
                    type == "application/json"
                        ? JsonDocument.Parse(text).RootElement.EnumerateArray()
                        : text.Split('\n', StringSplitOptions.RemoveEmptyEntries)
                            .Select(l => JsonDocument.Parse(l).RootElement)
                ).Select(e => e.GetProperty("outcome").GetString()!),
            ];
        }

        byte[] lines = [.. Bytes(Sale(name + "-1") + "\n"), .. broken, .. Bytes("\n" + Sale(name + "-2") + "\n")];
        (await OutcomesAsync(lines, "application/x-ndjson")).ShouldBe(["posted", "refused", "posted"], seen);
        byte[] array = [.. Bytes("[" + Sale(name + "-3") + ","), .. broken, .. Bytes("," + Sale(name + "-4") + "]")];
        // What is beyond the depth of any event is beyond reading.
        if (what != "depth")
            (await OutcomesAsync(array, "application/json")).ShouldBe(["posted", "refused", "posted"]);
        // The books stand and can be read.
        (await client.GetAsync($"/api/v1/entities/{code}/trial-balance", Stop)).StatusCode.ShouldBe(HttpStatusCode.OK);
    }

    [Fact]
    public async Task A_cookie_is_worth_nothing_after_signing_out()
    {
        var jar = new CookieContainer();
        using var client = new HttpClient(new HttpClientHandler { AllowAutoRedirect = false, CookieContainer = jar })
        {
            BaseAddress = app.Address,
        };
        await client.PostAsync(
            "/sign-in",
            PageClient.Form(
                ("name", "iris"),
                ("password", Start.DemoLoader.Password),
                ("__RequestVerificationToken", await PageClient.TokenAsync(client, "/sign-in"))
            ),
            Stop
        );
        // The same cookie in other hands, before and after.
        using var thief = new HttpClient(new HttpClientHandler { AllowAutoRedirect = false, UseCookies = false })
        {
            BaseAddress = app.Address,
        };
        thief.DefaultRequestHeaders.Add("Cookie", jar.GetCookieHeader(app.Address));
        var page = await thief.GetAsync("/e/SKERROW/chart", Stop);
        page.StatusCode.ShouldBe(HttpStatusCode.OK);
        string.Join(' ', page.Headers.GetValues("Cache-Control")).ShouldContain("no-store");
        var token = await PageClient.TokenAsync(client, "/e/SKERROW/chart");
        (
            await client.PostAsync("/sign-in?handler=Out", PageClient.Form(("__RequestVerificationToken", token)), Stop)
        ).StatusCode.ShouldBe(HttpStatusCode.Redirect);
        (await thief.GetAsync("/e/SKERROW/chart", Stop)).StatusCode.ShouldBe(HttpStatusCode.Redirect);
    }

    [Fact]
    public async Task Where_to_sign_in_is_not_said_by_the_request()
    {
        using var client = app.Client(null);
        using var request = new HttpRequestMessage(HttpMethod.Get, "/e/SKERROW/chart");
        request.Headers.Host = "localhost:1";
        var answer = await client.SendAsync(request, Stop);
        answer.Headers.Location!.OriginalString.ShouldStartWith("/sign-in");
    }

    [Theory]
    [InlineData("GET", "assignments?begin=", 200)]
    [InlineData("GET", "assignments?purpose=sales-revenue&begin=item:A%2Bitem:B", 200)]
    [InlineData("GET", "chart/%20", 404)]
    [InlineData("GET", "group/%20/BARO", 404)]
    [InlineData("GET", "journal/%20", 404)]
    [InlineData("GET", "groups/no-such-list", 404)]
    [InlineData("GET", "chart?q=%00", 400)]
    [InlineData("GET", "chart?entity=OTHER", 200)]
    [InlineData("POST", "coverage?handler=Nowhere", 405)]
    [InlineData("POST", "patterns?handler=Nowhere", 405)]
    [InlineData("POST", "rehearse/cycle?handler=Nowhere", 405)]
    [InlineData("POST", "chart/4010/card?handler=Nowhere", 405)]
    [InlineData("POST", "journal/2026-000001?handler=Nowhere", 405)]
    [InlineData("POST", "group/item/BARO?handler=Nowhere", 405)]
    [InlineData("PUT", "chart", 405)]
    [InlineData("PATCH", "chart", 405)]
    [InlineData("DELETE", "chart/4010", 405)]
    [InlineData("JSON", "chart/in-place", 415)]
    [InlineData("JSON", "chart/4010", 415)]
    [InlineData("JSON", "chart/4010/replace", 415)]
    [InlineData("JSON", "tax?handler=Matrix", 415)]
    [InlineData("JSON", "rehearse?handler=Rehearse", 415)]
    [InlineData("JSON", "sheet/assignments?handler=Look", 415)]
    public async Task What_a_page_does_not_take_is_refused_as_such(string how, string address, int status)
    {
        using var client = await app.SignedInAsync("nora");
        var token = await PageClient.TokenAsync(client, "/e/SKERROW/files");
        using var request = new HttpRequestMessage(
            new HttpMethod(how == "JSON" ? "POST" : how),
            "/e/SKERROW/" + address
        );
        request.Headers.Add("X-Form-Token", token);
        if (how == "JSON")
            request.Content = new StringContent("{}", Encoding.UTF8, "application/json");
        if (how == "POST")
            request.Content = PageClient.Form(("__RequestVerificationToken", token));
        var answer = await client.SendAsync(request, Stop);
        ((int)answer.StatusCode).ShouldBe(status);
        if (address == "chart?entity=OTHER")
            (await answer.Content.ReadAsStringAsync(Stop)).ShouldContain("SKERROW");
    }

    [Fact]
    public async Task A_form_is_text_with_the_names_of_forms_and_no_larger_than_who_sends_it_may()
    {
        using var client = await app.SignedInAsync("nora");
        var token = await PageClient.TokenAsync(client, "/e/SKERROW/files");
        foreach (var (name, value) in new[] { ("reason", "a\0b"), ("a\0", "b"), ("a[b", "c"), ("a]b", "c") })
            (
                await client.PostAsync(
                    "/e/SKERROW/tax?handler=Matrix",
                    PageClient.Form((name, value), ("__RequestVerificationToken", token)),
                    Stop
                )
            ).StatusCode.ShouldBe(HttpStatusCode.BadRequest);
        (await client.GetAsync("/e/SKERROW/chart", Stop)).StatusCode.ShouldBe(HttpStatusCode.OK);
        using var anybody = app.Client(null);
        (await anybody.PostAsync("/sign-in", PageClient.Form(("a[b", "c")), Stop)).StatusCode.ShouldBe(
            HttpStatusCode.BadRequest
        );
        // Who asks before sending is told before sending.
        async Task<HttpStatusCode> OfferAsync(HttpClient to, string path, HttpContent body)
        {
            using var request = new HttpRequestMessage(HttpMethod.Post, path) { Content = body };
            request.Headers.ExpectContinue = true;
            return (await to.SendAsync(request, Stop)).StatusCode;
        }
        (
            await OfferAsync(
                anybody,
                "/sign-in",
                PageClient.Form([.. Enumerable.Range(0, 500).Select(i => ("f" + i, new string('x', 10_000)))])
            )
        ).ShouldBe(HttpStatusCode.RequestEntityTooLarge);
        // The same without a word of how large it is. The server may have hung up before all is sent.
        using var silent = new HttpRequestMessage(HttpMethod.Post, "/sign-in")
        {
            Content = PageClient.Form([.. Enumerable.Range(0, 110).Select(i => ("f" + i, new string('x', 10_000)))]),
        };
        silent.Headers.TransferEncodingChunked = true;
        try
        {
            (await anybody.SendAsync(silent, Stop)).StatusCode.ShouldBe(HttpStatusCode.RequestEntityTooLarge);
        }
        catch (HttpRequestException e) when (e.InnerException is IOException) { }
        // A viewer's file is not even read.
        using var viewer = await app.SignedInAsync("iris");
        using var file = new MultipartFormDataContent
        {
            {
                new StringContent(await PageClient.TokenAsync(viewer, "/e/SKERROW/files")),
                "__RequestVerificationToken"
            },
            { new ByteArrayContent(new byte[8 << 20]), "file", "a.zip" },
        };
        (await OfferAsync(viewer, "/e/SKERROW/files?handler=Preview", file)).ShouldBe(
            HttpStatusCode.RequestEntityTooLarge
        );
    }

    [Fact]
    public async Task A_line_now_and_then_is_answered_as_it_comes()
    {
        using var wire = new System.Net.Sockets.TcpClient();
        await wire.ConnectAsync(app.Address.Host, app.Address.Port, Stop);
        await using var stream = wire.GetStream();
        using var answers = new StreamReader(stream);
        async Task SendAsync(string text) => await stream.WriteAsync(Bytes(text), Stop);
        async Task LineAsync(string line) => await SendAsync($"{Bytes(line).Length:x}\r\n{line}\r\n");
        async Task<string> NextAsync(string holding)
        {
            while (await answers.ReadLineAsync(Stop) is { } line)
                if (line.Contains(holding, StringComparison.Ordinal))
                    return line;
            throw new EndOfStreamException();
        }
        await SendAsync(
            "POST /api/v1/entities/SKERROW/events HTTP/1.1\r\nHost: localhost\r\n"
                + $"Authorization: Bearer {RunningApp.Key}\r\nContent-Type: application/x-ndjson\r\n"
                + "Transfer-Encoding: chunked\r\n\r\n"
        );
        await LineAsync(Sale("slow-1") + "\n");
        (await NextAsync("slow-1")).ShouldContain("posted");
        // Longer than a server usually waits for a slow body.
        await Task.Delay(TimeSpan.FromSeconds(7), Stop);
        await LineAsync(Sale("slow-2") + "\n");
        (await NextAsync("slow-2")).ShouldContain("posted");
    }

    [Fact]
    public async Task An_administrator_lets_somebody_in_by_pages_and_gives_a_system_its_key()
    {
        using var admin = await app.SignedInAsync("admin");
        using var nora = await app.SignedInAsync("nora");
        (await nora.GetAsync("/people", Stop)).StatusCode.ShouldBe(HttpStatusCode.NotFound);
        var (status, said) = await admin.SendAsync(
            "/people",
            "Invite",
            ("signIn", "Mara.Q"),
            ("name", "Mara Quill"),
            ("role", "preparer"),
            ("entity", "SKERROW")
        );
        status.ShouldBe(HttpStatusCode.OK, said);
        var link = System.Text.RegularExpressions.Regex.Match(said, "/join\\?token=[0-9a-f]{64}").Value;
        link.ShouldNotBeEmpty();
        // Shown once: the page does not know it any more.
        (await admin.GetStringAsync("/people", Stop)).ShouldNotContain("join?token");
        using var mara = new HttpClient(
            new HttpClientHandler { AllowAutoRedirect = false, CookieContainer = new CookieContainer() }
        )
        {
            BaseAddress = app.Address,
        };
        const string password = "barley-under-slow-rain";
        async Task<(HttpStatusCode Status, string Said)> SetAsync(string one, string two)
        {
            var token = await PageClient.TokenAsync(mara, link);
            using var answer = await mara.PostAsync(
                link,
                PageClient.Form(
                    ("token", link.Split('=')[1]),
                    ("password", one),
                    ("again", two),
                    ("__RequestVerificationToken", token)
                ),
                Stop
            );
            return (answer.StatusCode, await answer.Content.ReadAsStringAsync(Stop));
        }
        (await SetAsync(password, password + "x")).Said.ShouldContain("not the same");
        (await SetAsync("password2026", "password2026")).Said.ShouldContain("tried first");
        (await SetAsync(password, password)).Status.ShouldBe(HttpStatusCode.Redirect);
        (await mara.GetAsync(link, Stop)).StatusCode.ShouldBe(HttpStatusCode.NotFound);
        (
            await mara.PostAsync(
                "/sign-in",
                PageClient.Form(
                    ("name", "mara.q"),
                    ("password", password),
                    ("__RequestVerificationToken", await PageClient.TokenAsync(mara, "/sign-in"))
                ),
                Stop
            )
        ).StatusCode.ShouldBe(HttpStatusCode.Redirect);
        (await mara.GetAsync("/e/SKERROW/chart", Stop)).StatusCode.ShouldBe(HttpStatusCode.OK);

        (status, said) = await admin.SendAsync(
            "/people",
            "Key",
            ("keyName", "the shop"),
            ("role", "viewer"),
            ("entities", "SKERROW"),
            ("days", "7")
        );
        status.ShouldBe(HttpStatusCode.OK, said);
        var key = System.Text.RegularExpressions.Regex.Match(said, "value=\"([0-9a-f]{64})\"").Groups[1].Value;
        using var shop = app.Client(key);
        (await shop.GetAsync("/api/v1/entities/SKERROW/editions", Stop)).StatusCode.ShouldBe(HttpStatusCode.OK);
        (
            await shop.PostAsync(
                "/api/v1/entities/SKERROW/events",
                new StringContent(Sale("k"), Encoding.UTF8, "application/json"),
                Stop
            )
        ).StatusCode.ShouldBe(HttpStatusCode.Forbidden);
    }

    [Theory]
    [InlineData(false)]
    [InlineData(true)]
    public async Task A_file_for_a_chain_that_is_no_text_is_refused_in_words(bool one)
    {
        using var client = await app.SignedInAsync("nora");
        var file = Encoding.UTF8.GetBytes("{\"source\":\"m\",\"id\":\"1?\",\"kind\":\"hand-entry\"}");
        file[Array.IndexOf(file, (byte)'?')] = 0xd1;
        using var form = new MultipartFormDataContent
        {
            {
                new StringContent(await PageClient.TokenAsync(client, "/e/SKERROW/rehearse/cycle")),
                "__RequestVerificationToken"
            },
            { new ByteArrayContent(one ? file : [.. file, (byte)'\n', .. file]), "file", "a.ndjson" },
        };
        using var answer = await client.PostAsync("/e/SKERROW/rehearse/cycle?handler=File", form, Stop);
        answer.StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);
        (await answer.Content.ReadAsStringAsync(Stop)).ShouldContain("save it as UTF-8");
    }
}
