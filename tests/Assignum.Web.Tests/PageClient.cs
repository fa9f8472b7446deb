using System.Net;
using System.Text;
using System.Text.RegularExpressions;

namespace Assignum.Web.Tests;

/// <summary>Somebody signed in, without a browser: pages asked for and forms sent with their tokens.</summary>
internal static partial class PageClient
{
    [GeneratedRegex("name=\"__RequestVerificationToken\" type=\"hidden\" value=\"([^\"]+)\"")]
    private static partial Regex Token();

    /// <summary>The token of a page's first form.</summary>
    public static async Task<string> TokenAsync(HttpClient client, string path) =>
        Token().Match(await client.GetStringAsync(path, TestContext.Current.CancellationToken)).Groups[1].Value;

    /// <summary>A client with the session of one of the demo's people.</summary>
    public static async Task<HttpClient> SignedInAsync(this RunningApp app, string name)
    {
        var client = new HttpClient(
            new HttpClientHandler { AllowAutoRedirect = false, CookieContainer = new CookieContainer() }
        )
        {
            BaseAddress = app.Address,
        };
        var answer = await client.PostAsync(
            "/sign-in",
            Form(
                ("name", name),
                ("password", Start.DemoLoader.Password),
                ("__RequestVerificationToken", await TokenAsync(client, "/sign-in"))
            ),
            TestContext.Current.CancellationToken
        );
        answer.StatusCode.ShouldBe(HttpStatusCode.Redirect);
        return client;
    }

    /// <summary>Creates an entity with the demo's set-up in its draft, so that what a test changes is nobody else's;
    /// empty where told so.</summary>
    public static async Task<string> EntityAsync(this RunningApp app, string code, bool empty = false)
    {
        var stop = TestContext.Current.CancellationToken;
        using var client = app.Client();
        (
            await client.PostAsync(
                "/api/v1/entities",
                new StringContent(
                    $$"""{"code":"{{code}}","name":"{{code}}","currency":"EUR"}""",
                    Encoding.UTF8,
                    "application/json"
                ),
                stop
            )
        ).EnsureSuccessStatusCode();
        if (empty)
            return code;
        (
            await client.PostAsync(
                $"/api/v1/entities/{code}/bundle?apply=true",
                new ByteArrayContent(DemoBundle()),
                stop
            )
        ).EnsureSuccessStatusCode();
        return code;
    }

    /// <summary>The demo's set-up without its entity (and without another file), to be brought into another.</summary>
    public static byte[] DemoBundle(string? without = null) =>
        Zip([
            .. Directory
                .GetFiles(
                    Path.Combine(Testing.ProjectFiles.Root, "tests", "company", "skerrow", "1-skerrow", "bundle"),
                    "*.csv"
                )
                .Where(f => Path.GetFileName(f) is var name && name != "entity.csv" && name != without)
                .Select(f => (Path.GetFileName(f), File.ReadAllBytes(f))),
        ]);

    /// <summary>Files as a zip.</summary>
    public static byte[] Zip(params (string Name, byte[] Bytes)[] files)
    {
        using var zip = new MemoryStream();
        using (
            var archive = new System.IO.Compression.ZipArchive(
                zip,
                System.IO.Compression.ZipArchiveMode.Create,
                leaveOpen: true
            )
        )
            foreach (var (name, bytes) in files)
            {
                using var entry = archive.CreateEntry(name).Open();
                entry.Write(bytes);
            }
        return zip.ToArray();
    }

    /// <summary>A form's fields.</summary>
    public static FormUrlEncodedContent Form(params (string Name, string Value)[] fields) =>
        new(fields.Select(f => KeyValuePair.Create(f.Name, f.Value)));

    /// <summary>Sends a form of a page with its token; returns the status and what the page then says.</summary>
    public static async Task<(HttpStatusCode Status, string Said)> SendAsync(
        this HttpClient client,
        string page,
        string handler,
        params (string Name, string Value)[] fields
    )
    {
        var token = await TokenAsync(client, page);
        using var answer = await client.PostAsync(
            page + (page.Contains('?', StringComparison.Ordinal) ? "&" : "?") + "handler=" + handler,
            Form([.. fields, ("__RequestVerificationToken", token)]),
            TestContext.Current.CancellationToken
        );
        return (
            answer.StatusCode,
            WebUtility.HtmlDecode(await answer.Content.ReadAsStringAsync(TestContext.Current.CancellationToken))
        );
    }
}
