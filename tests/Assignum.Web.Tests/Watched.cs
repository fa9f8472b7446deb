using System.Net;
using System.Net.Http.Json;
using System.Text.Json;
using System.Text.RegularExpressions;
using Assignum.Desk;
using Assignum.Desk.Access;
using OtpNet;

namespace Assignum.Web.Tests;

/// <summary>What the person on duty sees, and what nobody else does.</summary>
[Collection(AppCollection.Name)]
public partial class Watched(RunningApp app)
{
    private static CancellationToken Stop => TestContext.Current.CancellationToken;

    [GeneratedRegex("<p class=\"code\">([A-Z2-7 ]{30,})</p>")]
    private static partial Regex Secret();

    [GeneratedRegex("name=\"ticket\" value=\"([^\"]+)\"")]
    private static partial Regex Ticket();

    private async Task<long> AuditedAsync(string where)
    {
        await using var command = app.Database.Database.Command($"select count(*) from audit where {where}");
        return (long)(await command.ExecuteScalarAsync(Stop))!;
    }

    [Fact]
    public async Task Everything_that_the_demo_posted_is_as_it_was_sealed()
    {
        var evidence = new Evidence(new DeskContext(app.Database.Database));
        var all = (await evidence.VerifyAsync(Actor.Product, Stop)).Result!;
        all.ShouldAllBe(s => s.Break == null);
        all.Single(s => s.Entity == "SKERROW").Entries!.Checked.ShouldBeGreaterThan(250);
        using var admin = await app.SignedInAsync("admin");
        var page = await (
            await admin.PostAsync(
                "/audit",
                PageClient.Form(("__RequestVerificationToken", await PageClient.TokenAsync(admin, "/audit"))),
                Stop
            )
        ).Content.ReadAsStringAsync(Stop);
        page.ShouldContain("Everything is as it was written");
    }

    [Fact]
    public async Task What_is_taken_out_or_refused_is_audited_and_the_audit_is_read_by_who_may()
    {
        using var iris = await app.SignedInAsync("iris");
        (await iris.GetAsync("/e/SKERROW/journal?handler=List&format=csv", Stop)).StatusCode.ShouldBe(
            HttpStatusCode.OK
        );
        (
            await AuditedAsync(
                "who = 'iris' and what = 'taken out' and subject like '%journal%' and entity_id is not null"
            )
        ).ShouldBeGreaterThan(0);
        (await iris.GetAsync("/audit", Stop)).StatusCode.ShouldBe(HttpStatusCode.Forbidden);
        (await AuditedAsync("who = 'iris' and what = 'refused' and subject like '%/audit%'")).ShouldBeGreaterThan(0);
        using var admin = await app.SignedInAsync("admin");
        var page = await admin.GetStringAsync("/audit?who=iris&what=refused", Stop);
        page.ShouldContain("/audit");
        page.ShouldNotContain("<td>signed in</td>");
        var file = await admin.GetAsync("/audit?handler=File&format=csv&who=iris", Stop);
        (await file.Content.ReadAsStringAsync(Stop)).ShouldStartWith("line,at,entity,who,what,subject,before,after");
        // Days are taken as people write them; what is none is said.
        foreach (var day in new[] { "31.3.2026", "31 Mar 2026", "2026-03-31" })
            (await admin.GetAsync("/audit?from=" + Uri.EscapeDataString(day), Stop)).StatusCode.ShouldBe(
                HttpStatusCode.OK
            );
        (await admin.GetAsync("/audit?from=31.2.2026", Stop)).StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);
    }

    [Fact]
    public async Task Figures_and_health_in_detail_are_for_the_administrators_key()
    {
        using var nobody = app.Client(null);
        (await nobody.GetAsync("/metrics", Stop)).StatusCode.ShouldBe(HttpStatusCode.Unauthorized);
        (await nobody.GetAsync("/healthz/detail", Stop)).StatusCode.ShouldBe(HttpStatusCode.Unauthorized);
        var keep = new KeepPeople(new DeskContext(app.Database.Database));
        var key = (
            await keep.MakeKeyAsync(Actor.Product, "looks on " + Guid.NewGuid(), "viewer", null, 1, Stop)
        ).Result!;
        using var viewer = app.Client(key);
        (await viewer.GetAsync("/metrics", Stop)).StatusCode.ShouldBe(HttpStatusCode.Forbidden);
        using var admin = app.Client();
        (await admin.GetStringAsync("/metrics", Stop)).ShouldContain("http_server_request_duration");
        var detail = await admin.GetFromJsonAsync<JsonElement>("/healthz/detail", Stop);
        detail.GetProperty("ready").GetBoolean().ShouldBeTrue();
        detail.GetProperty("database").GetProperty("answers").GetBoolean().ShouldBeTrue();
    }

    [Fact]
    public async Task People_and_keys_are_looked_after_by_calls_too()
    {
        using var admin = app.Client();
        async Task<JsonElement> SendAsync(HttpMethod method, string path, object? body, int status)
        {
            using var request = new HttpRequestMessage(method, "/api/v1/" + path)
            {
                Content = body is null ? null : JsonContent.Create(body),
            };
            using var answer = await admin.SendAsync(request, Stop);
            ((int)answer.StatusCode).ShouldBe(status, await answer.Content.ReadAsStringAsync(Stop));
            return status == 204 ? default : await answer.Content.ReadFromJsonAsync<JsonElement>(Stop);
        }
        var name = "wren" + Guid.NewGuid().ToString("N")[..6];
        var invited = await SendAsync(
            HttpMethod.Post,
            "people",
            new
            {
                signIn = name,
                name = "Wren",
                role = "viewer",
            },
            201
        );
        invited.GetProperty("token").GetString()!.Length.ShouldBe(64);
        await SendAsync(
            HttpMethod.Post,
            "people",
            new
            {
                signIn = name,
                name = "Wren",
                role = "viewer",
            },
            409
        );
        await SendAsync(HttpMethod.Post, $"people/{name}/roles", new { role = "reviewer", entity = "SKERROW" }, 204);
        await SendAsync(HttpMethod.Delete, $"people/{name}/roles", new { role = "viewer" }, 204);
        await SendAsync(HttpMethod.Post, $"people/{name}/roles", new { role = "king" }, 422);
        await SendAsync(HttpMethod.Post, $"people/{name}/keep-out", null, 204);
        await SendAsync(HttpMethod.Post, $"people/{name}/unlock", null, 204);
        await SendAsync(HttpMethod.Post, $"people/{name}/fly", null, 404);
        await SendAsync(HttpMethod.Post, "people/nobody-here/let-in", null, 404);
        var all = await SendAsync(HttpMethod.Get, "people", null, 200);
        var wren = all.GetProperty("people").EnumerateArray().Single(p => p.GetProperty("signIn").GetString() == name);
        wren.GetProperty("active").GetBoolean().ShouldBeFalse();
        wren.GetProperty("roles").EnumerateArray().Single().GetProperty("role").GetString().ShouldBe("reviewer");

        var made = await SendAsync(
            HttpMethod.Post,
            "keys",
            new
            {
                name,
                role = "preparer",
                entities = new[] { "SKERROW" },
                sources = new[] { "till" },
                days = 2,
            },
            201
        );
        using var feed = app.Client(made.GetProperty("key").GetString());
        (await feed.GetAsync("/api/v1/entities", Stop)).StatusCode.ShouldBe(HttpStatusCode.OK);
        (await feed.GetAsync("/api/v1/people", Stop)).StatusCode.ShouldBe(HttpStatusCode.Forbidden);
        (await feed.GetAsync("/api/v1/audit", Stop)).StatusCode.ShouldBe(HttpStatusCode.Forbidden);
        (await SendAsync(HttpMethod.Post, $"keys/{name}/anew", null, 200))
            .GetProperty("key")
            .GetString()
            .ShouldNotBeNull();
        (await feed.GetAsync("/api/v1/entities", Stop)).StatusCode.ShouldBe(HttpStatusCode.Unauthorized);
        await SendAsync(HttpMethod.Delete, $"keys/{name}", null, 204);
        await SendAsync(HttpMethod.Delete, $"keys/{name}", null, 404);
        (await SendAsync(HttpMethod.Get, "keys", null, 200)).GetArrayLength().ShouldBeGreaterThan(1);
        (await SendAsync(HttpMethod.Get, $"audit?text={name}", null, 200)).GetArrayLength().ShouldBeGreaterThan(4);
        await SendAsync(HttpMethod.Get, "audit?from=yesterday", null, 422);
        (await SendAsync(HttpMethod.Post, "audit/check", null, 200)).GetProperty("whole").GetBoolean().ShouldBeTrue();
    }

    [Fact]
    public async Task Another_host_is_not_answered_and_each_answer_has_its_id()
    {
        using var client = app.Client(null);
        using var other = new HttpRequestMessage(HttpMethod.Get, "/sign-in") { Headers = { Host = "evil.example" } };
        (await client.SendAsync(other, Stop)).StatusCode.ShouldBe(HttpStatusCode.BadRequest);
        var ids = new HashSet<string>();
        for (var i = 0; i < 3; i++)
            ids.Add((await client.GetAsync("/sign-in", Stop)).Headers.GetValues("X-Request-Id").Single());
        ids.Count.ShouldBe(3);
    }

    [Fact]
    public async Task Where_no_proxy_is_named_nobody_says_who_asks_from_where()
    {
        using var client = app.Client(null);
        var name = "stranger" + Guid.NewGuid().ToString("N");
        var token = await PageClient.TokenAsync(client, "/sign-in");
        using var request = new HttpRequestMessage(HttpMethod.Post, "/sign-in")
        {
            Content = PageClient.Form(("name", name), ("password", "wrong"), ("__RequestVerificationToken", token)),
        };
        request.Headers.Add("X-Forwarded-For", "203.0.113.7");
        request.Headers.Add("X-Forwarded-Proto", "https");
        (await client.SendAsync(request, Stop)).StatusCode.ShouldBe(HttpStatusCode.UnprocessableEntity);
        (await AuditedAsync("what = 'sign-in refused' and subject = '203.0.113.7'")).ShouldBe(0);
    }

    [Fact]
    public async Task The_keys_of_cookies_are_kept_encrypted()
    {
        await using var command = app.Database.Database.Command("select xml from data_protection_key");
        var xml = (string)(await command.ExecuteScalarAsync(Stop))!;
        xml.ShouldContain("RingOpener");
        xml.ShouldNotContain("masterKey");
    }

    [Fact]
    public async Task A_second_factor_is_set_up_and_asked_for_in_the_pages()
    {
        using var tomas = await app.SignedInAsync("tomas");
        async Task<string> PostAsync(HttpClient client, string path, params (string, string)[] fields)
        {
            var answer = await client.PostAsync(
                path,
                PageClient.Form([
                    .. fields,
                    ("__RequestVerificationToken", await PageClient.TokenAsync(client, path.Split('?')[0])),
                ]),
                Stop
            );
            return ((int)answer.StatusCode).ToString(System.Globalization.CultureInfo.InvariantCulture)
                + await answer.Content.ReadAsStringAsync(Stop);
        }
        var begun = await PostAsync(tomas, "/me?handler=Begin");
        begun.ShouldContain("<svg");
        var secret = Secret().Match(begun).Groups[1].Value.Replace(" ", "", StringComparison.Ordinal);
        var totp = new Totp(Base32Encoding.ToBytes(secret));
        (await PostAsync(tomas, "/me?handler=Confirm", ("code", "000000"))).ShouldStartWith("422");
        (await PostAsync(tomas, "/me?handler=Confirm", ("code", totp.ComputeTotp()))).ShouldContain(
            "Your recovery codes"
        );

        using var again = new HttpClient(
            new HttpClientHandler { AllowAutoRedirect = false, CookieContainer = new CookieContainer() }
        )
        {
            BaseAddress = app.Address,
        };
        var asked = await PostAsync(again, "/sign-in", ("name", "tomas"), ("password", Start.DemoLoader.Password));
        asked.ShouldContain("The code of your second factor");
        (await again.GetAsync("/?all=true", Stop)).StatusCode.ShouldBe(HttpStatusCode.Redirect);
        var ticket = Ticket().Match(asked).Groups[1].Value;
        (await PostAsync(again, "/sign-in", ("ticket", ticket), ("code", "999999"))).ShouldStartWith("422");
        (
            await PostAsync(
                again,
                "/sign-in",
                ("ticket", ticket),
                ("code", totp.ComputeTotp(DateTime.UtcNow.AddSeconds(30)))
            )
        ).ShouldStartWith("302");
        (await again.GetAsync("/?all=true", Stop)).StatusCode.ShouldBe(HttpStatusCode.OK);
        (await PostAsync(again, "/me?handler=Drop", ("now", Start.DemoLoader.Password))).ShouldStartWith("302");
    }
}
