using System.Diagnostics;
using System.Globalization;
using System.Net;
using System.Text;
using System.Text.Json;
using System.Text.RegularExpressions;

namespace Assignum.Bench;

/// <summary>A chart of 5,000 accounts through its pages: looking at a foreign file, the tree, the pickers, many cells
/// at once.</summary>
internal static partial class ChartBench
{
    private const int Accounts = 5_000,
        HandEntries = 2_000,
        LinesEach = 10,
        Asked = 400;
    private static readonly (string Word, string Class)[] Sections =
    [
        ("Fixed asset", "asset"),
        ("Current liability", "liability"),
        ("Shareholders funds", "equity"),
        ("Trading income", "revenue"),
        ("Cost of goods", "cost-of-sales"),
        ("Overhead", "operating-cost"),
    ];

    [GeneratedRegex("name=\"__RequestVerificationToken\" type=\"hidden\" value=\"([^\"]+)\"")]
    private static partial Regex Token();

    [GeneratedRegex("name=\"(upload|expected|seen|sheetWas|headerWas)\" value=\"([^\"]*)\"")]
    private static partial Regex Hidden();

    public static async Task RunAsync(string owner, string application, string root)
    {
        await using var app = await ServedApp.StartAsync(root, owner, application);
        (
            await app.Client.PostAsync("/api/v1/entities", Json("""{"code":"TREE","name":"Tree","currency":"EUR"}"""))
        ).EnsureSuccessStatusCode();
        using var client = new HttpClient(new HttpClientHandler { CookieContainer = new CookieContainer() })
        {
            BaseAddress = app.Client.BaseAddress,
            Timeout = TimeSpan.FromMinutes(5),
        };
        using (
            var signed = await client.PostAsync(
                "/sign-in",
                new FormUrlEncodedContent([
                    new("name", "admin"),
                    new("password", ServedApp.Password),
                    new("__RequestVerificationToken", await TokenAsync(client, "/sign-in")),
                ])
            )
        )
            signed.EnsureSuccessStatusCode();

        var file = Foreign();
        var page = "";
        for (var i = 0; i < 5; i++)
        {
            var took = await TimeAsync(async () => page = await LookAsync(client, file));
            Say(
                $"preview of {ServedApp.Number(Accounts)} accounts ({(i == 0 ? "the first" : "again")})",
                $"{took:0} ms"
            );
        }
        var sent = Hidden()
            .Matches(page)
            .Select(m => new KeyValuePair<string, string>(m.Groups[1].Value, WebUtility.HtmlDecode(m.Groups[2].Value)))
            .ToList();
        foreach (
            Match field in Regex.Matches(
                page,
                "<select[^>]* name=\"((?:col|means|owner)-\\d+|shape)\">(.*?)</select>",
                RegexOptions.Singleline
            )
        )
            sent.Add(
                new(
                    field.Groups[1].Value,
                    Regex.Match(field.Groups[2].Value, "value=\"([^\"]*)\" selected") is { Success: true } chosen
                        ? chosen.Groups[1].Value
                        : ""
                )
            );
        foreach (Match word in Regex.Matches(page, "name=\"(word-\\d+)\" value=\"([^\"]*)\""))
            sent.Add(new(word.Groups[1].Value, WebUtility.HtmlDecode(word.Groups[2].Value)));
        sent.AddRange([
            new("sheet", ""),
            new("header", sent.First(s => s.Key == "headerWas").Value),
            new("__RequestVerificationToken", Token().Match(page).Groups[1].Value),
        ]);
        var applied = await TimeAsync(async () =>
        {
            using var answer = await client.PostAsync(
                "/e/TREE/chart/bring?handler=Apply",
                new FormUrlEncodedContent(sent)
            );
            answer.EnsureSuccessStatusCode();
        });
        Say($"applied", $"{applied:0} ms");
        var again = await TimeAsync(async () =>
            (await LookAsync(client, file)).Contains("nothing would change", StringComparison.Ordinal).ToString()
        );
        Say("preview of the same file, nothing different", $"{again:0} ms");

        (
            await app.Client.PostAsync("/api/v1/entities/TREE/editions/publish", Json("""{"from":"2026-01-01"}"""))
        ).EnsureSuccessStatusCode();
        await app.PostAsync("TREE", Enumerable.Range(0, HandEntries).Select(HandEntry));

        await ManyAsync(client, "the tree, as it opens", "/e/TREE/chart", 25);
        await ManyAsync(client, "the tree, all rows", "/e/TREE/chart?handler=Rows&skip=0&take=20000", 15);
        await ManyAsync(client, "the tree, unused accounts", "/e/TREE/chart?lacking=unused", 15);
        await ManyAsync(client, "an account", "/e/TREE/chart/10010", 25);
        string[] typed =
        [
            "1",
            "10",
            "100",
            "1001",
            "s",
            "so",
            "sort",
            "sort 7",
            "acc",
            "42",
            "9",
            "branch 12",
            "",
            "zz",
            "5 of",
            "2001",
        ];
        var times = new List<double>();
        for (var i = 0; i < Asked; i++)
            times.Add(
                await TimeAsync(() =>
                    client.GetStringAsync(
                        "/e/TREE/pick?type=account&"
                            + $"purpose={(i % 3 == 0 ? "sales-revenue" : i % 3 == 1 ? "receivables" : "hand-entry")}&"
                            + $"q={Uri.EscapeDataString(typed[i % typed.Length])}"
                    )
                )
            );
        times.Sort();
        Say(
            $"a picker's answer, {Asked} of them",
            $"median {times[Asked / 2]:0} ms, 95th percentile {times[Asked * 95 / 100]:0} ms, worst {times[^1]:0} ms"
        );

        var token = await TokenAsync(client, "/e/TREE/chart");
        var edits = JsonSerializer.Serialize(
            new
            {
                what = "many",
                edits = Enumerable
                    .Range(0, 1000)
                    .Select(i => new
                    {
                        number = Number(i),
                        column = "family",
                        was = (string?)null,
                        value = "f",
                    }),
            }
        );
        var set = await TimeAsync(async () =>
        {
            using var request = new HttpRequestMessage(HttpMethod.Post, "/e/TREE/chart?handler=Edit")
            {
                Content = Json(edits),
            };
            request.Headers.Add("X-Form-Token", token);
            (await client.SendAsync(request)).EnsureSuccessStatusCode();
        });
        Say("a field set on 1,000 accounts", $"{set:0} ms");
        await ManyAsync(client, "the difference to the live edition, in words", "/e/TREE/editions", 15);
        await ManyAsync(
            client,
            "what the last 1,000 events of 10 lines would do",
            "/e/TREE/editions?handler=Consequences&before=1&after=draft",
            15
        );
    }

    private static string Number(int i) => (10_000 + i).ToString(CultureInfo.InvariantCulture);

    // A tree by indentation with other words, headings without numbers on two levels.
    private static byte[] Foreign()
    {
        var text = new StringBuilder("Made for a measurement\n\nLedger code;Ledger title;Statement line\n");
        for (var i = 0; i < Accounts; i++)
        {
            var section = i * Sections.Length / Accounts;
            if (i == 0 || section != (i - 1) * Sections.Length / Accounts)
                text.Append(CultureInfo.InvariantCulture, $";SECTION {section};\n");
            if (i % 25 == 0)
                text.Append(CultureInfo.InvariantCulture, $";  Branch {i / 25};\n");
            text.Append(
                CultureInfo.InvariantCulture,
                $"{Number(i)};    Sort {i % 25} of branch {i / 25};{Sections[section].Word}\n"
            );
        }
        return Encoding.UTF8.GetBytes(text.ToString());
    }

    private static string HandEntry(int i)
    {
        var lines = string.Join(
            ',',
            Enumerable
                .Range(0, LinesEach)
                .Select(j =>
                    $"{{\"account\":\"{Number((i * 37 + j * 101) % Accounts)}\",\"{(j % 2 == 0 ? "debit" : "credit")}"
                    + $"\":10}}"
                )
        );
        return $"{{\"source\":\"b\",\"id\":\"H{i}\",\"kind\":\"hand-entry\",\"date\":\"2026-{i % 9 + 1:00}"
            + $"-{i % 27 + 1:00}\",\"lines\":[{lines}]}}";
    }

    private static async Task<string> LookAsync(HttpClient client, byte[] file)
    {
        using var form = new MultipartFormDataContent
        {
            { new StringContent(await TokenAsync(client, "/e/TREE/chart/bring")), "__RequestVerificationToken" },
        };
        form.Add(new ByteArrayContent(file), "file", "tree.csv");
        using var answer = await client.PostAsync("/e/TREE/chart/bring?handler=Look", form);
        return (await answer.EnsureSuccessStatusCode().Content.ReadAsStringAsync()).Replace(
            "&#xD;",
            "",
            StringComparison.Ordinal
        );
    }

    private static async Task<string> TokenAsync(HttpClient client, string path) =>
        Token().Match(await client.GetStringAsync(path)).Groups[1].Value;

    private static StringContent Json(string text) => new(text, Encoding.UTF8, "application/json");

    private static async Task ManyAsync(HttpClient client, string what, string path, int times)
    {
        var took = new List<double>();
        var size = 0;
        for (var i = 0; i < times + 3; i++)
        {
            var one = await TimeAsync(async () => size = (await client.GetByteArrayAsync(path)).Length);
            if (i >= 3)
                took.Add(one);
        }
        took.Sort();
        Say(
            what,
            $"median {took[times / 2]:0} ms, worst of {times} {took[^1]:0} ms ({ServedApp.Number(size / 1024)} kB)"
        );
    }

    private static async Task<double> TimeAsync(Func<Task> act)
    {
        var watch = Stopwatch.StartNew();
        await act();
        return watch.Elapsed.TotalMilliseconds;
    }

    private static void Say(string what, string measured) => Console.WriteLine($"chart: {what, -55} {measured}");
}
