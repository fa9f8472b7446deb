using System.Net;

namespace Assignum.Web.Tests;

/// <summary>An application behind a proxy, with the limits that people and strangers have.</summary>
public sealed class ProxiedApp : RunningApp
{
    protected override IReadOnlyList<(string Name, string Value)> Settings =>
        [
            ("ASSIGNUM_LIMIT_FACTOR", "1"),
            ("ASSIGNUM_PROXIES", "127.0.0.1, ::1"),
            ("ASSIGNUM_HOSTS", "books.example, localhost, 127.0.0.1"),
        ];
}

/// <summary>How often a stranger may ask, and what is taken from a proxy.</summary>
public class Limits(ProxiedApp app) : IClassFixture<ProxiedApp>
{
    private static CancellationToken Stop => TestContext.Current.CancellationToken;

    private static HttpRequestMessage From(string address, string path, string? host = null)
    {
        var request = new HttpRequestMessage(HttpMethod.Get, path);
        request.Headers.Add("X-Forwarded-For", address);
        request.Headers.Add("X-Forwarded-Proto", "https");
        request.Headers.Host = host;
        return request;
    }

    [Fact]
    public async Task Who_asks_too_often_waits_and_nobody_else_does()
    {
        using var client = app.Client(null);
        var answers = new System.Collections.Concurrent.ConcurrentBag<HttpResponseMessage>();
        await Parallel.ForEachAsync(
            Enumerable.Range(0, 4_000),
            new ParallelOptions { MaxDegreeOfParallelism = 16, CancellationToken = Stop },
            async (_, stop) => answers.Add(await client.SendAsync(From("9.9.9.9", "/sign-in?to=%00"), stop))
        );
        var refused = answers.Where(a => a.StatusCode == HttpStatusCode.TooManyRequests).ToList();
        refused.Count.ShouldBeGreaterThan(100);
        refused[0].Headers.RetryAfter!.Delta!.Value.ShouldBeGreaterThan(TimeSpan.Zero);
        (await client.SendAsync(From("9.9.9.9", "/readyz"), Stop)).StatusCode.ShouldBe(HttpStatusCode.OK);
        (await client.SendAsync(From("9.9.9.8", "/sign-in"), Stop)).StatusCode.ShouldBe(HttpStatusCode.OK);
    }

    [Fact]
    public async Task What_the_proxy_says_is_taken_and_cookies_are_for_tls_alone()
    {
        using var client = app.Client(null);
        var page = await client.SendAsync(From("7.7.7.7", "/sign-in", "books.example"), Stop);
        page.StatusCode.ShouldBe(HttpStatusCode.OK);
        page.Headers.GetValues("Strict-Transport-Security").Single().ShouldStartWith("max-age=31536000");
        page.Headers.GetValues("Set-Cookie").ShouldAllBe(c => c.Contains("secure", StringComparison.OrdinalIgnoreCase));
        (await client.SendAsync(From("7.7.7.7", "/sign-in", "other.example"), Stop)).StatusCode.ShouldBe(
            HttpStatusCode.BadRequest
        );
    }
}
