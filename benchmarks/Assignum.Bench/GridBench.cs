using System.Diagnostics;
using System.Globalization;
using System.IO.Compression;
using System.Net;
using System.Net.Http.Headers;
using System.Text;
using System.Text.Json;
using System.Text.RegularExpressions;
using Assignum.Core.SetUps;
using Assignum.Formats.Bundles;

namespace Assignum.Bench;

/// <summary>Assignments of the large set through their pages: the grid, a pasted block, explaining, files, coverage and
/// dead weight after a change.</summary>
internal static partial class GridBench
{
    private const string Code = "LARGE";

    [GeneratedRegex(
        "<tr [^>]*data-number=\"([^\"]+)\"[^>]*>.*?data-column=\"account\" data-value=\"([^\"]*)\"",
        RegexOptions.Singleline
    )]
    private static partial Regex Rows();

    public static async Task RunAsync(string owner, string application, string root)
    {
        await using var app = await ServedApp.StartAsync(root, owner, application);
        (
            await app.Client.PostAsync(
                "/api/v1/entities",
                Json(
                    new
                    {
                        code = Code,
                        name = "Large",
                        currency = "EUR",
                    }
                )
            )
        ).EnsureSuccessStatusCode();
        var large = LargeSet.Make();
        large = large with { Entity = large.Entity with { Code = Code } };
        using var zip = new MemoryStream();
        Bundle.ToZip(large, zip);
        Say(
            "brought in as a bundle over HTTP, 255,000 records and 60,000 assignments",
            await TimeAsync(async () =>
                (
                    await app.Client.PostAsync(
                        $"/api/v1/entities/{Code}/bundle?apply=true",
                        new ByteArrayContent(zip.ToArray())
                    )
                ).EnsureSuccessStatusCode()
            )
        );
        using var client = await app.SignedInAsync();

        var grid = $"/e/{Code}/assignments";
        await ManyAsync(client, "the grid's first page, all purposes", _ => grid, 15);
        await ManyAsync(
            client,
            "the same of a group, with those below it and their members",
            i => $"{grid}?group=IG{i}",
            15
        );
        await ManyAsync(client, "the same by any text", i => $"{grid}?q=I1{i}", 15);
        await ManyAsync(
            client,
            "300 rows further down, as they are scrolled to",
            i => $"{grid}?handler=Rows&skip={i * 3500}&take=300",
            15
        );
        await ManyAsync(
            client,
            "Explain, as a page",
            i => $"/e/{Code}/explain?purpose=sales-revenue&item=I{i * 37}&party=P{i * 11}",
            40
        );
        await ManyAsync(
            app.Client,
            "Explain, over the interface",
            i => $"/api/v1/entities/{Code}/explain?purpose=sales-revenue&item=I{i * 41}&party=P{i * 13}&edition=draft",
            40
        );
        await ManyAsync(
            client,
            "a life cycle of 12 item groups",
            i => $"/e/{Code}/life-cycle/item-groups?under=IG{i % 3}",
            15
        );
        await ManyAsync(client, "a group with what its members land on", i => $"/e/{Code}/group/item/IG{i}", 10);
        await ManyAsync(client, "findings, the page", _ => $"/e/{Code}/findings", 5);
        await ManyAsync(client, "Overview", _ => $"/e/{Code}", 10);
        await ManyAsync(
            client,
            "the landing map, 400 groups by 60, as numbers",
            _ => $"/e/{Code}/map?handler=Cells&purpose=sales-revenue&open=*&wide=*",
            10
        );

        var rows = Rows()
            .Matches(await client.GetStringAsync($"{grid}?handler=Rows&skip=20000&take=300"))
            .Concat(Rows().Matches(await client.GetStringAsync($"{grid}?handler=Rows&skip=20300&take=300")))
            .Concat(Rows().Matches(await client.GetStringAsync($"{grid}?handler=Rows&skip=20600&take=300")))
            .Concat(Rows().Matches(await client.GetStringAsync($"{grid}?handler=Rows&skip=20900&take=300")))
            .Select(m => (Number: WebUtility.HtmlDecode(m.Groups[1].Value), Account: m.Groups[2].Value))
            .DistinctBy(r => r.Number)
            .Take(1000)
            .ToList();
        var token = await ServedApp.TokenAsync(client, grid);
        async Task<string> SendAsync(string handler, int count, string account)
        {
            using var request = new HttpRequestMessage(HttpMethod.Post, $"{grid}?handler={handler}")
            {
                Content = Json(
                    new
                    {
                        edits = rows.Take(count)
                            .Select(r => new
                            {
                                number = r.Number,
                                column = "account",
                                was = r.Account,
                                value = account,
                            }),
                    }
                ),
            };
            request.Headers.Add("X-Form-Token", token);
            using var answer = await client.SendAsync(request);
            var said = await answer.Content.ReadAsStringAsync();
            if (!answer.IsSuccessStatusCode)
                throw new InvalidOperationException(said[..Math.Min(300, said.Length)]);
            rows = handler == "Edit" ? [.. rows.Select((r, i) => i < count ? (r.Number, account) : r)] : rows;
            return said;
        }
        for (var i = 0; i < 3; i++)
            Say(
                "what one changed cell would do (nothing is posted)",
                await TimeAsync(() => SendAsync("Foresee", 1, "4321"))
            );
        for (var i = 0; i < 3; i++)
            Say(
                $"{rows.Count:N0} pasted cells saved",
                await TimeAsync(() => SendAsync("Edit", rows.Count, (4100 + i).ToString(CultureInfo.InvariantCulture)))
            );
        Say(
            "coverage, cold",
            await TimeAsync(() => client.GetStringAsync($"/e/{Code}/coverage?purpose=sales-revenue"))
        );
        Say("dead weight, cold", await TimeAsync(() => client.GetStringAsync($"/e/{Code}/dead-weight")));
        for (var i = 0; i < 3; i++)
        {
            await SendAsync("Edit", 1, (4200 + i).ToString(CultureInfo.InvariantCulture));
            Say(
                "coverage after one changed assignment",
                await TimeAsync(() => client.GetStringAsync($"/e/{Code}/coverage?purpose=sales-revenue"))
            );
            Say("dead weight after it", await TimeAsync(() => client.GetStringAsync($"/e/{Code}/dead-weight")));
        }
        for (var i = 0; i < 3; i++)
        {
            byte[] file = [];
            Say(
                "60,000 assignments as CSV",
                await TimeAsync(async () => file = await client.GetByteArrayAsync($"{grid}?handler=List&format=csv"))
            );
            Say(
                "60,000 assignments as a workbook to edit",
                await TimeAsync(async () => file = await client.GetByteArrayAsync($"{grid}?handler=Sheet")),
                $"{file.Length / 1024:N0} kB"
            );
            if (i < 2)
                continue;
            var form = new MultipartFormDataContent
            {
                {
                    new StringContent(await ServedApp.TokenAsync(client, $"/e/{Code}/sheet/assignments")),
                    "__RequestVerificationToken"
                },
            };
            var content = new ByteArrayContent(file);
            content.Headers.ContentType = new MediaTypeHeaderValue(Workbook.MediaType);
            form.Add(content, "file", "all.xlsx");
            Say(
                "the same workbook brought back, nothing different",
                await TimeAsync(async () =>
                    (
                        await client.PostAsync($"/e/{Code}/sheet/assignments?handler=Look", form)
                    ).EnsureSuccessStatusCode()
                )
            );
        }
    }

    private static async Task ManyAsync(HttpClient client, string what, Func<int, string> address, int times)
    {
        var took = new List<double>();
        for (var i = 0; i < times; i++)
            took.Add(await TimeAsync(async () => (await client.GetAsync(address(i))).EnsureSuccessStatusCode()));
        took.RemoveAt(0);
        took.Sort();
        Say(what, took[took.Count / 2], $"worst of {took.Count}: {took[^1]:0} ms");
    }

    private static StringContent Json(object content) =>
        new(JsonSerializer.Serialize(content), Encoding.UTF8, "application/json");

    private static async Task<double> TimeAsync(Func<Task> act)
    {
        var watch = Stopwatch.StartNew();
        await act();
        return watch.Elapsed.TotalMilliseconds;
    }

    private static void Say(string what, double took, string more = "") =>
        Console.WriteLine($"grid: {what, -75} {took.ToString("N0", CultureInfo.InvariantCulture), 7} ms  {more}");
}
