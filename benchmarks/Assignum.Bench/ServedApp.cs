using System.Diagnostics;
using System.Globalization;
using System.Net;
using System.Net.Http.Headers;
using System.Net.Sockets;
using System.Text;
using System.Text.RegularExpressions;

namespace Assignum.Bench;

/// <summary>The application as a process of its own, talked to over HTTP, as a connected system would.</summary>
internal sealed partial class ServedApp : IAsyncDisposable
{
    private const string Key = "bench-key-0123456789-0123456789-0123456789";

    /// <summary>The administrator's password, for pages.</summary>
    public const string Password = Key;

    private readonly Process process;
    private bool disposed;

    private ServedApp(Process process, HttpClient client) => (this.process, Client) = (process, client);

    public HttpClient Client { get; }

    /// <summary>Memory of the application process, in MB.</summary>
    public long Memory
    {
        get
        {
            process.Refresh();
            return process.WorkingSet64 >> 20;
        }
    }

    /// <summary>What the application's process took of processors so far.</summary>
    public TimeSpan Processor
    {
        get
        {
            process.Refresh();
            return process.TotalProcessorTime;
        }
    }

    /// <param name="hosts">Hosts and ports of this machine that may be joined.</param>
    /// <param name="installation">Which installation it is; null: the database says.</param>
    public static async Task<ServedApp> StartAsync(
        string root,
        string owner,
        string application,
        string? hosts = null,
        string? installation = null
    )
    {
        var port = FreePort();
        var info = new ProcessStartInfo(
            "dotnet",
            Path.Combine(root, "src", "Assignum.Web", "bin", "Release", "net10.0", "Assignum.Web.dll")
        )
        {
            RedirectStandardOutput = true,
            WorkingDirectory = Path.Combine(root, "src", "Assignum.Web"),
        };
        foreach (
            var (name, value) in new[]
            {
                ("ASSIGNUM_DB", application),
                ("ASSIGNUM_DB_OWNER", owner),
                ("ASSIGNUM_DEMO", "none"),
                ("ASSIGNUM_API_KEY", Key),
                ("ASSIGNUM_RING", "ring-of-the-bench-0123456789"),
                ("ASSIGNUM_LIMIT_FACTOR", "1000"),
                ("ASSIGNUM_ADMIN_PASSWORD", Key),
                ("ASPNETCORE_URLS", $"http://127.0.0.1:{port}"),
            }
        )
            info.Environment[name] = value;
        // As ./start sets the runtime of this program; another copy is started as its own would.
        if (AppContext.BaseDirectory.StartsWith(root, StringComparison.Ordinal))
            foreach (var set in (Environment.GetEnvironmentVariable("ASSIGNUM_BENCH_RUNTIME") ?? "").Split(' '))
                if (set.Split('=') is [var name, var value])
                    info.Environment[name] = value;
        if (hosts is not null)
            info.Environment["ASSIGNUM_LINK_HOSTS"] = hosts;
        if (installation is not null)
            info.Environment["ASSIGNUM_INSTALLATION"] = installation;
        var process = Process.Start(info)!;
        process.OutputDataReceived += (_, _) => { };
        process.BeginOutputReadLine();
        var client = new HttpClient
        {
            BaseAddress = new Uri($"http://127.0.0.1:{port}"),
            Timeout = TimeSpan.FromMinutes(20),
        };
        client.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue("Bearer", Key);
        for (var i = 0; i < 300; i++)
        {
            try
            {
                if ((await client.GetAsync("/readyz")).IsSuccessStatusCode)
                    return new ServedApp(process, client);
            }
            catch (HttpRequestException) { }
            await Task.Delay(100);
        }
        process.Kill();
        throw new InvalidOperationException("The application did not become ready.");
    }

    /// <summary>Streams lines as NDJSON; returns how many answers had each outcome. <paramref name="each"/> is told now
    /// and then how far it is.</summary>
    public async Task<Dictionary<string, int>> PostAsync(
        string entity,
        IEnumerable<string> lines,
        Action<int>? each = null
    )
    {
        using var request = new HttpRequestMessage(HttpMethod.Post, $"/api/v1/entities/{entity}/events")
        {
            Content = new Lines(lines),
        };
        using var answer = await Client.SendAsync(request, HttpCompletionOption.ResponseHeadersRead);
        answer.EnsureSuccessStatusCode();
        using var reader = new StreamReader(await answer.Content.ReadAsStreamAsync());
        var counts = new Dictionary<string, int>();
        var seen = 0;
        while (await reader.ReadLineAsync() is { } line)
        {
            var at = line.IndexOf("\"outcome\":\"", StringComparison.Ordinal) + 11;
            var outcome = line[at..line.IndexOf('"', at)];
            counts[outcome] = counts.GetValueOrDefault(outcome) + 1;
            if (++seen % 10_000 == 0)
                each?.Invoke(seen);
        }
        return counts;
    }

    /// <summary>A client that is signed in as the administrator, for pages.</summary>
    public async Task<HttpClient> SignedInAsync()
    {
        var client = new HttpClient(new HttpClientHandler { CookieContainer = new CookieContainer() })
        {
            BaseAddress = Client.BaseAddress,
            Timeout = TimeSpan.FromMinutes(5),
        };
        using var signed = await client.PostAsync(
            "/sign-in",
            new FormUrlEncodedContent([
                new("name", "admin"),
                new("password", Password),
                new("__RequestVerificationToken", await TokenAsync(client, "/sign-in")),
            ])
        );
        signed.EnsureSuccessStatusCode();
        return client;
    }

    [GeneratedRegex("name=\"__RequestVerificationToken\" type=\"hidden\" value=\"([^\"]+)\"")]
    private static partial Regex Token();

    /// <summary>The token that forms of a page send along.</summary>
    public static async Task<string> TokenAsync(HttpClient client, string page) =>
        Token().Match(await client.GetStringAsync(page)).Groups[1].Value;

    public static string Number(double value) => value.ToString("N0", CultureInfo.InvariantCulture);

    /// <summary>Kills the process; what it was doing ends where it stands. A second time does nothing.</summary>
    public async ValueTask DisposeAsync()
    {
        if (disposed)
            return;
        disposed = true;
        process.Kill();
        await process.WaitForExitAsync();
        process.Dispose();
        Client.Dispose();
    }

    /// <summary>A port that nobody listens on, and none of those that the system gives to outgoing connections: one of
    /// them would take it before somebody listens.</summary>
    public static int FreePort()
    {
        for (var i = 0; i < 50; i++)
            try
            {
                var port = Random.Shared.Next(20_000, 32_000);
                using var listener = new TcpListener(IPAddress.Loopback, port);
                listener.Start();
                return port;
            }
            catch (SocketException)
            {
                // Somebody's; another is tried.
            }
        throw new InvalidOperationException("No free port was found.");
    }

    /// <summary>Lines made while they are sent: nothing of a long body is held.</summary>
    private sealed class Lines : HttpContent
    {
        private readonly IEnumerable<string> lines;

        public Lines(IEnumerable<string> lines)
        {
            this.lines = lines;
            Headers.ContentType = new MediaTypeHeaderValue("application/x-ndjson");
        }

        protected override async Task SerializeToStreamAsync(Stream stream, TransportContext? context)
        {
            await using var writer = new StreamWriter(stream, new UTF8Encoding(false), 1 << 16, leaveOpen: true);
            foreach (var line in lines)
            {
                await writer.WriteAsync(line);
                await writer.WriteAsync('\n');
            }
        }

        protected override bool TryComputeLength(out long length)
        {
            length = 0;
            return false;
        }
    }
}
