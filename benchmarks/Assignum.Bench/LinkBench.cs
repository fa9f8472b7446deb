using System.Diagnostics;
using System.Globalization;
using System.Net;
using System.Net.Http.Json;
using System.Text.Json;
using System.Text.Json.Nodes;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tests;
using Assignum.Formats.Bundles;

namespace Assignum.Bench;

/// <summary>A system with 20,000 parties and 30,000 items is joined to an entity with 20,000 parties: fetched, proposed, paired
/// at once, and looked at on the desk.</summary>
internal static class LinkBench
{
    private const string Code = "LINKED",
        Link = "FAR",
        At = $"/api/v1/entities/{Code}/connections/{Link}";
    private const int Parties = 22_000,
        Items = 30_000;

    public static async Task RunAsync(string owner, string application, string root)
    {
        var made = new MadeParties(1, Parties, true);
        using var far = new FarSystem(made);
        Environment.SetEnvironmentVariable("ASSIGNUM_LINK_HOSTS", far.Host);
        await using var app = await ServedApp.StartAsync(root, owner, application);
        await PostAsync(
            app,
            "/api/v1/entities",
            new
            {
                code = Code,
                name = "Linked",
                currency = "EUR",
            }
        );
        var ours = SetUpDefaults.Empty(new Entity(Code, "Linked", "EUR")) with
        {
            Parties =
            [
                .. made.Ours.Select(o => new Party(
                    o.Id,
                    o.Name,
                    PartyKind.Customer,
                    TaxNumber: o.TaxNumber,
                    Country: o.Country,
                    Currency: o.Currency
                )),
            ],
        };
        using var zip = new MemoryStream();
        Bundle.ToZip(ours, zip);
        (
            await app.Client.PostAsync(
                $"/api/v1/entities/{Code}/bundle?apply=true",
                new ByteArrayContent(zip.ToArray())
            )
        ).EnsureSuccessStatusCode();
        await PostAsync(
            app,
            $"/api/v1/entities/{Code}/connections",
            new
            {
                code = Link,
                kind = "shop",
                name = "Far",
                address = $"http://{far.Host}/",
                key = "k",
            }
        );
        var before = app.Memory;
        var watch = Stopwatch.StartNew();
        var id = (long)(await PostAsync(app, At + "/fetch", null))["id"]!;
        long most = 0;
        TimeSpan? fetched = null;
        JsonNode job;
        do
        {
            await Task.Delay(50);
            job = JsonNode.Parse(await app.Client.GetStringAsync($"{At}/jobs/{id}"))!;
            most = Math.Max(most, app.Memory);
            if (((string?)job["says"])?.StartsWith("looking", StringComparison.Ordinal) == true)
                fetched ??= watch.Elapsed;
        } while ((string)job["status"]! is "waiting" or "running");
        Say(
            $"fetched {job["result"]!["records"]}: {fetched?.TotalSeconds:0.0} s, with proposals {watch.Elapsed.TotalSeconds:0.0} s; {before} MB before, {most} MB at most"
        );
        watch.Restart();
        await PostAsync(app, At + "/proposals?record=party", null);
        Say($"proposed anew over the interface: {watch.Elapsed.TotalSeconds:0.0} s");
        using var people = await app.SignedInAsync();
        await PageAsync(people, "desk, 20,000 on either side", $"/e/{Code}/connections/{Link}/pair/party");
        watch.Restart();
        var accepted = await PostAsync(app, At + "/pairings/accept?record=party&above=0.9", null);
        Say($"paired at once: {accepted["paired"]}, {watch.Elapsed.TotalSeconds:0.0} s");
        var right = 0;
        var all = 0;
        for (string? after = ""; after is not null; )
        {
            using var answer = await app.Client.GetAsync(
                $"{At}/pairings?record=party&limit=1000&after={Uri.EscapeDataString(after)}"
            );
            foreach (var row in JsonNode.Parse(await answer.Content.ReadAsStringAsync())!.AsArray().Select(r => r!))
            {
                all++;
                var theirs = made.Theirs.FindIndex(t => t.Id == (string)row!["theirs"]!);
                if (made.Truth[theirs] >= 0 && made.Ours[made.Truth[theirs]].Id == (string)row["ours"]!)
                    right++;
            }
            after = answer.Headers.TryGetValues("X-Next-After", out var next) ? next.Single() : null;
        }
        Say($"of {all} pairings {(double)right / all:0.0000} are right");
        await PageAsync(people, "desk with most settled", $"/e/{Code}/connections/{Link}/pair/party");
        await PageAsync(people, "needs", $"/e/{Code}/connections/{Link}/needs");
        var open = (await app.Client.GetFromJsonAsync<JsonArray>($"{At}/pairings?record=party&limit=1"))![0]!;
        await PostAsync(
            app,
            At + "/pairings",
            new[]
            {
                new
                {
                    record = "party",
                    theirs = (string)open["theirs"]!,
                    state = "open",
                },
            }
        );
        watch.Restart();
        await PostAsync(
            app,
            At + "/pairings",
            new[]
            {
                new
                {
                    record = "party",
                    theirs = (string)open["theirs"]!,
                    ours = (string)open["ours"]!,
                },
            }
        );
        Say($"one pairing among them: {watch.Elapsed.TotalMilliseconds:0} ms");
    }

    private static async Task PageAsync(HttpClient client, string what, string path)
    {
        var times = new List<double>();
        for (var i = 0; i < 9; i++)
        {
            var watch = Stopwatch.StartNew();
            using var page = await client.GetAsync(path);
            await page.Content.ReadAsStringAsync();
            page.EnsureSuccessStatusCode();
            times.Add(watch.Elapsed.TotalMilliseconds);
        }
        times.Sort();
        Say($"{what}: {times[4]:0} ms, slowest {times[^1]:0} ms");
    }

    private static async Task<JsonNode> PostAsync(ServedApp app, string path, object? body)
    {
        using var answer = await app.Client.PostAsync(path, body is null ? null : JsonContent.Create(body));
        var text = await answer.Content.ReadAsStringAsync();
        return answer.IsSuccessStatusCode
            ? JsonNode.Parse(text)!
            : throw new InvalidOperationException($"{path}: {(int)answer.StatusCode} {text}");
    }

    private static void Say(FormattableString what) => Console.WriteLine(what.ToString(CultureInfo.InvariantCulture));

    /// <summary>A system that offers its records over the link, and nothing else.</summary>
    private sealed class FarSystem : IDisposable
    {
        private readonly FarLink link;
        private readonly List<string> parties;
        private readonly List<string> items;

        public FarSystem(MadeParties made)
        {
            parties =
            [
                .. made.Theirs.Select(t =>
                    JsonSerializer.Serialize(
                        new
                        {
                            id = t.Id,
                            name = t.Name,
                            status = "active",
                            kind = "buyer",
                            taxNumber = t.TaxNumber,
                            country = t.Country,
                            currency = t.Currency,
                        }
                    )
                ),
            ];
            items =
            [
                .. Enumerable
                    .Range(0, Items)
                    .Select(i =>
                        $"{{\"id\":\"sku-{i}\",\"name\":\"Thing number {i}\",\"status\":\"active\",\"nature\":\"physical\"}}"
                    ),
            ];
            link = new FarLink(Answer);
        }

        public string Host => link.Host;

        private string Answer(HttpListenerRequest request)
        {
            var path = request.Url!.AbsolutePath;
            return path.EndsWith("/about", StringComparison.Ordinal)
                    ? """
                        {"system":"Far","kind":"shop","life":"1","currency":"EUR","time":"2026-01-01T00:00:00Z",
                          "records":["items","parties"],"lists":[],"writes":[]}
                        """
                : path.EndsWith("/parties", StringComparison.Ordinal) ? FarLink.Page(request, "records", parties)
                : path.EndsWith("/items", StringComparison.Ordinal) ? FarLink.Page(request, "records", items)
                : """{"events":[],"next":"0","more":false}""";
        }

        public void Dispose() => link.Dispose();
    }
}
