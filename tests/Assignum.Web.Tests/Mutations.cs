using System.Net;
using System.Net.Http.Headers;
using System.Reflection;
using System.Text;
using Assignum.Web.Pages;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Tests;

/// <summary>Requests made of what the program takes, then damaged: over all pages with their handlers and fields, all
/// calls, methods, kinds of bodies. Nothing ends in a fault of the program.</summary>
[Collection(AppCollection.Name)]
public class Mutations(RunningApp app)
{
    private static CancellationToken Stop => TestContext.Current.CancellationToken;
    private static readonly int Times =
        Environment.GetEnvironmentVariable("ASSIGNUM_MUTATIONS") is { } times
            ? int.Parse(times, System.Globalization.CultureInfo.InvariantCulture)
        : Environment.GetEnvironmentVariable("ASSIGNUM_LONG") is null ? 900
        : 200_000;
    private const string Code = "MUTED";

    private static readonly string[] Odd =
    [
        "",
        " ",
        "0",
        "-1",
        "9223372036854775808",
        "1e400",
        "NaN",
        "4010",
        "sales-revenue",
        "item-groups",
        "items",
        "RAIN",
        "item",
        "RG-100",
        "SHOP-GALE",
        "draft",
        "main",
        "w1",
        "w-1",
        "1",
        "2026-06-15",
        "0001-01-01",
        "9999-12-31",
        "2026-02-30",
        "on",
        "true",
        "null",
        "item:A+item:B",
        "item:",
        ":",
        "+",
        "a[b",
        "]",
        "\u0001",
        "\u007f",
        "\ufeff",
        "\uffff",
        "ä\u0308",
        "🌧",
        "<script>",
        "'\"--",
        "%00",
        "../..",
        "=1+1",
        new string('x', 5000),
        "{}",
        "[]",
        "\u202e",
    ];

    private sealed record Page(string Path, IReadOnlyList<string> Handlers, IReadOnlyList<string> Fields);

    // Addresses by the pages' own files, handlers and fields by their types.
    private static List<Page> Pages()
    {
        var root = Path.Combine(Testing.ProjectFiles.Root, "src", "Assignum.Web", "Pages");
        var pages = new List<Page>();
        foreach (var file in Directory.GetFiles(root, "*.cshtml", SearchOption.AllDirectories))
        {
            var first = File.ReadLines(file).First();
            var at = first.IndexOf('"', StringComparison.Ordinal);
            if (!first.StartsWith("@page", StringComparison.Ordinal))
                continue;
            var path = at < 0 ? "/" + Path.GetFileNameWithoutExtension(file) : first[(at + 1)..first.LastIndexOf('"')];
            var type = typeof(EntityPage)
                .Assembly.GetTypes()
                .Single(t =>
                    t.Name == Path.GetFileNameWithoutExtension(file) + "Model"
                    && t.IsSubclassOf(typeof(Microsoft.AspNetCore.Mvc.RazorPages.PageModel))
                );
            var acts = type.GetMethods().Where(m => m.Name.StartsWith("OnGet") || m.Name.StartsWith("OnPost")).ToList();
            pages.Add(
                new Page(
                    path,
                    [
                        .. acts.Select(m => m.Name.Replace("Async", "").Replace("OnGet", "").Replace("OnPost", ""))
                            .Distinct(),
                    ],
                    [
                        .. type.GetProperties()
                            .Where(p => p.GetCustomAttribute<BindPropertyAttribute>() is not null)
                            .Select(p => p.Name)
                            .Concat(acts.SelectMany(a => a.GetParameters()).Select(p => p.Name!))
                            .Distinct(),
                    ]
                )
            );
        }
        return pages;
    }

    private static readonly string[] Calls =
    [
        "bundle",
        "changes",
        "changes/1/undo",
        "editions",
        "editions/approve",
        "editions/publish",
        "rehearsals",
        "events",
        "work",
        "work/1",
        "work/1/cancel",
        "entries",
        "trial-balance",
        "explain",
        "coverage",
    ];

    private static readonly string[] Queries =
    [
        "edition",
        "apply",
        "partial",
        "whole",
        "later",
        "conflicts",
        "at",
        "from",
        "to",
        "purpose",
        "date",
        "item",
        "party",
        "source",
        "id",
        "number",
        "after",
        "limit",
        "account",
    ];

    [Fact]
    public async Task Nothing_that_is_sent_ends_in_a_fault_of_the_program()
    {
        await app.EntityAsync(Code);
        var pages = Pages();
        pages.Count.ShouldBeGreaterThan(25);
        using var client = await app.SignedInAsync("admin");
        using var keyed = app.Client();
        var token = await PageClient.TokenAsync(client, $"/e/{Code}/files");
        var seed = Environment.GetEnvironmentVariable("ASSIGNUM_SEED") is { } given
            ? int.Parse(given, System.Globalization.CultureInfo.InvariantCulture)
            : 20261128;
        var random = new Random(seed);
        T Pick<T>(IReadOnlyList<T> of) => of[random.Next(of.Count)];
        var (broken, counts) = (new List<string>(), new SortedDictionary<int, int>());
        var files = new[]
        {
            PageClient.DemoBundle(),
            Encoding.UTF8.GetBytes("code,name\nA,B\n"),
            Encoding.UTF8.GetBytes("{\"source\":\"m\",\"id\":\"1\",\"kind\":\"hand-entry\"}\n"),
            [],
        };
        byte[] Damaged()
        {
            var bytes = (byte[])Pick(files).Clone();
            for (var i = random.Next(4); i > 0 && bytes.Length > 0; i--)
                bytes[random.Next(bytes.Length)] = (byte)random.Next(256);
            return random.Next(3) == 0 ? bytes[..random.Next(bytes.Length + 1)] : bytes;
        }
        string Query(IReadOnlyList<string> names) =>
            string.Join(
                '&',
                Enumerable
                    .Range(0, random.Next(4))
                    .Select(_ => $"{Pick(names)}={(random.Next(40) == 0 ? "%00" : Uri.EscapeDataString(Pick(Odd)))}")
            );

        // Made one after the other, so that a seed says which; four are on their way at a time.
        IEnumerable<(HttpRequestMessage Request, string What)> Requests()
        {
            for (var i = 0; i < Times; i++)
            {
                HttpRequestMessage request;
                string what;
                if (random.Next(3) > 0)
                {
                    var page = Pick(pages);
                    var path = string.Join(
                        '/',
                        page.Path.Split('/')
                            .Select(s =>
                                s == "{entity}" && random.Next(20) > 0 ? Code
                                : s.StartsWith('{') ? Uri.EscapeDataString(Pick(Odd) is { Length: < 200 } v ? v : "x")
                                : s
                            )
                    );
                    var method = Pick([
                        HttpMethod.Get,
                        HttpMethod.Get,
                        HttpMethod.Post,
                        HttpMethod.Post,
                        HttpMethod.Post,
                        HttpMethod.Put,
                        HttpMethod.Delete,
                        HttpMethod.Head,
                    ]);
                    // Signing the one out who sends would end it.
                    var handler = random.Next(12) == 0 ? "Nowhere" : Pick(page.Handlers);
                    if (handler == "Out")
                        continue;
                    path += $"?handler={handler}&{Query([.. page.Fields, "handler"])}";
                    request = new HttpRequestMessage(method, path);
                    if (method == HttpMethod.Post)
                        request.Content = Body(page.Fields);
                    request.Headers.Add("X-Form-Token", token);
                    what = $"{method} {path}";
                }
                else
                {
                    var path =
                        $"/api/v1/entities/{(random.Next(20) > 0 ? Code : Uri.EscapeDataString(Pick(Odd)))}/{Pick(Calls)}?{Query(Queries)}";
                    request = new HttpRequestMessage(
                        Pick([HttpMethod.Get, HttpMethod.Post, HttpMethod.Post, HttpMethod.Put]),
                        path
                    );
                    if (request.Method != HttpMethod.Get)
                        request.Content = Body(Queries);
                    what = $"{request.Method} {path}";
                }
                yield return (request, what);
            }
        }
        await Parallel.ForEachAsync(
            Requests(),
            new ParallelOptions { MaxDegreeOfParallelism = 4, CancellationToken = Stop },
            async (one, stop) =>
            {
                using var request = one.Request;
                var api = one.What.Contains("/api/", StringComparison.Ordinal);
                try
                {
                    using var answer = await (api ? keyed : client).SendAsync(request, stop);
                    var status = (int)answer.StatusCode;
                    lock (counts)
                    {
                        counts[status] = counts.GetValueOrDefault(status) + 1;
                        if (status >= 500)
                            broken.Add(
                                $"{status} {one.What[..Math.Min(one.What.Length, 300)]} "
                                    + $"{request.Content?.Headers.ContentType}"
                            );
                    }
                }
                catch (HttpRequestException)
                {
                    // A connection that is hung up on is an answer as well, as long as they are few.
                    lock (counts)
                        counts[0] = counts.GetValueOrDefault(0) + 1;
                }
            }
        );
        TestContext.Current.SendDiagnosticMessage(
            $"seed {seed}: {string.Join(", ", counts.Select(c => $"{c.Value} × {c.Key}"))}"
        );
        broken.ShouldBeEmpty();
        counts.GetValueOrDefault(0).ShouldBeLessThan(Times / 20);
        // Much of it is taken: the damage is not all there is.
        counts.GetValueOrDefault(200).ShouldBeGreaterThan(Times / 10);
        (
            counts.GetValueOrDefault(422) + counts.GetValueOrDefault(400) + counts.GetValueOrDefault(404)
        ).ShouldBeGreaterThan(Times / 10);

        HttpContent Body(IReadOnlyList<string> names)
        {
            switch (random.Next(6))
            {
                case 0:
                    return new StringContent(
                        Pick([
                            "{}",
                            "[]",
                            "null",
                            "{\"a\":\"\\u0000\"}",
                            "{\"rows\":[{\"key\":\"4010\",\"cells\":{\"name\":\"\\u0000\"}}]}",
                            "{\"rows\":[{\"key\":null,\"cells\":null}]}",
                            "{\"from\":\"2026-01-01\"}",
                            "{\"\\ud800\":1}",
                            "\"",
                        ]),
                        Encoding.UTF8,
                        "application/json"
                    );
                case 1:
                    return new ByteArrayContent(Damaged())
                    {
                        Headers =
                        {
                            ContentType = new MediaTypeHeaderValue(
                                Pick(["application/zip", "application/x-ndjson", "text/plain"])
                            ),
                        },
                    };
                case 2:
                    var parts = new MultipartFormDataContent
                    {
                        { new StringContent(token), "__RequestVerificationToken" },
                    };
                    parts.Add(
                        new ByteArrayContent(Damaged()),
                        "file",
                        Pick(["a.zip", "a.csv", "a.xlsx", "a.ndjson", ""]) is { Length: > 0 } n ? n : "x"
                    );
                    foreach (var name in names.Take(random.Next(4)))
                        parts.Add(new StringContent(Pick(Odd)), name);
                    return parts;
                default:
                    return new FormUrlEncodedContent(
                        Enumerable
                            .Range(0, random.Next(6))
                            .Select(_ =>
                                KeyValuePair.Create(
                                    random.Next(15) == 0 ? Pick(Odd) : Pick(names),
                                    random.Next(60) == 0 ? "\0" : Pick(Odd)
                                )
                            )
                            .Append(KeyValuePair.Create("__RequestVerificationToken", token))
                    );
            }
        }
    }
}
