using System.Net.Http.Headers;
using System.Net.Http.Json;
using Assignum.StandIns;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.Extensions.Logging;

namespace Assignum.Web.Tests;

/// <summary>The stand-ins on a port of their own, for tests that join them.</summary>
public sealed class StandInsRunning : IAsyncDisposable
{
    public const string Key = "a-key-of-the-tests";

    private readonly WebApplication app;

    private StandInsRunning(WebApplication app, HttpClient client) => (this.app, Client) = (app, client);

    /// <summary>Asks them as their own people do.</summary>
    public HttpClient Client { get; }

    /// <summary>Host and port.</summary>
    public string Host => new Uri(app.Urls.First()).Authority;

    public static async Task<StandInsRunning> StartAsync(int port, DateOnly begin, int seed = 7)
    {
        var builder = WebApplication.CreateSlimBuilder();
        builder.Logging.ClearProviders();
        builder.WebHost.UseUrls($"http://127.0.0.1:{port}");
        var app = LinkServer.Build(builder, new World(seed, begin, Key, alike: true));
        await app.StartAsync();
        var client = new HttpClient(new HttpClientHandler { AllowAutoRedirect = false })
        {
            BaseAddress = new Uri(app.Urls.First()),
        };
        client.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue("Bearer", Key);
        return new StandInsRunning(app, client);
    }

    public async Task PassAsync(int days) =>
        (await Client.PostAsJsonAsync("/clock", new { days })).EnsureSuccessStatusCode();

    public async Task FaultAsync(string system, string fault, int times = 1) =>
        (
            await Client.PostAsJsonAsync(
                "/faults",
                new
                {
                    system,
                    fault,
                    times,
                }
            )
        ).EnsureSuccessStatusCode();

    public async ValueTask DisposeAsync()
    {
        Client.Dispose();
        await app.DisposeAsync();
    }
}
