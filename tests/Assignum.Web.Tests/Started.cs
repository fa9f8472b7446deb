using System.Diagnostics;
using System.Net;
using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;
using Assignum.Bench;
using Assignum.Testing;

namespace Assignum.Web.Tests;

/// <summary>The start command as somebody on duty uses it, with a database of its own.</summary>
[System.Runtime.Versioning.SupportedOSPlatform("linux")]
public class Started
{
    private static CancellationToken Stop => TestContext.Current.CancellationToken;

    // What is said to it beside its options.
    private readonly Dictionary<string, string> more = [];

    private async Task<(int Code, string Says)> RunAsync(params string[] args)
    {
        var start = new ProcessStartInfo(Path.Combine(ProjectFiles.Root, "start"), args)
        {
            RedirectStandardOutput = true,
            RedirectStandardError = true,
        };
        start.Environment["ASSIGNUM_BIN"] = Path.Combine(
            ProjectFiles.Root,
            "src",
            "Assignum.Web",
            "bin",
            "Release",
            "net10.0"
        );
        start.Environment.Remove("ASSIGNUM_TEST_DB");
        foreach (var (name, value) in more)
            start.Environment[name] = value;
        using var process = Process.Start(start)!;
        var (said, wrong) = (process.StandardOutput.ReadToEndAsync(Stop), process.StandardError.ReadToEndAsync(Stop));
        await process.WaitForExitAsync(Stop);
        return (process.ExitCode, await said + await wrong);
    }

    [Fact]
    public async Task Started_killed_backed_up_restored_and_checked()
    {
        var folder = Directory.CreateTempSubdirectory("assignum-started-").FullName;
        var (data, other, file) = (
            Path.Combine(folder, "data"),
            Path.Combine(folder, "other"),
            Path.Combine(folder, "all.dump")
        );
        // The database's user must come by.
        File.SetUnixFileMode(folder, (UnixFileMode)0b111_101_101);
        var port = ServedApp.FreePort();
        try
        {
            var begun = await RunAsync("--port", $"{port}", "--data", data, "--demo", "none", "--detach");
            begun.Code.ShouldBe(0, begun.Says);
            begun.Says.ShouldContain($"Assignum is ready at http://127.0.0.1:{port}");
            var key = begun.Says.Split("(shown once): ")[1].Split('\n')[0].Trim();
            foreach (var kept in Directory.GetFiles(data))
                (File.GetUnixFileMode(kept) & ~(UnixFileMode.UserRead | UnixFileMode.UserWrite)).ShouldBe(
                    UnixFileMode.None,
                    kept
                );
            using var client = new HttpClient { BaseAddress = new Uri($"http://127.0.0.1:{port}") };
            client.DefaultRequestHeaders.Authorization = new("Bearer", key);
            async Task<HttpStatusCode> CreateAsync(string code) =>
                (
                    await client.PostAsync(
                        "/api/v1/entities",
                        new StringContent(
                            $$"""{"code":"{{code}}","name":"{{code}}","currency":"EUR"}""",
                            System.Text.Encoding.UTF8,
                            "application/json"
                        ),
                        Stop
                    )
                ).StatusCode;
            (await CreateAsync("ONE")).ShouldBe(HttpStatusCode.Created);

            // A second one on the folder leaves the first alone; so does another on the port.
            var elsewhere = $"{ServedApp.FreePort()}";
            var second = await RunAsync("--port", elsewhere, "--data", data, "--demo", "none", "--detach");
            second.Code.ShouldNotBe(0);
            second.Says.ShouldContain("already runs");
            (await RunAsync("--port", $"{port}", "--data", other, "--demo", "none", "--detach")).Code.ShouldNotBe(0);
            (await client.GetAsync("/readyz", Stop)).StatusCode.ShouldBe(HttpStatusCode.OK);
            Directory.Delete(other, true);

            // The application does not run as root, whoever started it, and nobody reads a password among processes.
            var processes = Process
                .GetProcesses()
                .Select(p => (p.Id, Line: Read($"/proc/{p.Id}/cmdline").Replace('\0', ' ')))
                .Where(p =>
                    p.Line.Contains("Assignum.Web.dll", StringComparison.Ordinal) && p.Line.Contains($":{port}")
                )
                .ToList();
            var application = processes.ShouldHaveSingleItem();
            application.Line.ShouldNotContain("Password");
            Read($"/proc/{application.Id}/status")
                .Split("Uid:")[1]
                .Split('\n')[0]
                .Trim()
                .Split('\t')[0]
                .ShouldNotBe("0");
            Read($"/proc/{application.Id}/environ").ShouldNotContain("assignum_owner");

            // A database that dies is started again.
            var cluster = File.Exists(Path.Combine(data, "cluster-is-at"))
                ? (await File.ReadAllTextAsync(Path.Combine(data, "cluster-is-at"), Stop)).Trim()
                : Path.Combine(data, "cluster");
            var server = int.Parse(
                (await File.ReadAllLinesAsync(Path.Combine(cluster, "postmaster.pid"), Stop))[0],
                System.Globalization.CultureInfo.InvariantCulture
            );
            Process.GetProcessById(server).Kill();
            var back = false;
            for (var i = 0; i < 300 && !back; i++)
            {
                await Task.Delay(100, Stop);
                back =
                    File.Exists(Path.Combine(cluster, "postmaster.pid"))
                    && (await File.ReadAllLinesAsync(Path.Combine(cluster, "postmaster.pid"), Stop))[0] != $"{server}"
                    && (await client.GetAsync("/readyz", Stop)).IsSuccessStatusCode;
            }
            back.ShouldBeTrue();
            (await CreateAsync("TWO")).ShouldBe(HttpStatusCode.Created);

            // Somebody signs in; the session outlives the move to another folder that is given the same RING.
            var cookies = new CookieContainer();
            using var person = new HttpClient(
                new HttpClientHandler { CookieContainer = cookies, AllowAutoRedirect = false }
            )
            {
                BaseAddress = client.BaseAddress,
            };
            var token = await PageClient.TokenAsync(person, "/sign-in");
            (
                await person.PostAsync(
                    "/sign-in",
                    PageClient.Form(
                        ("name", "admin"),
                        ("password", begun.Says.Split("with the password (shown once): ")[1].Split('\n')[0].Trim()),
                        ("__RequestVerificationToken", token)
                    ),
                    Stop
                )
            ).StatusCode.ShouldBe(HttpStatusCode.Redirect);
            (await person.GetAsync("/me", Stop)).StatusCode.ShouldBe(HttpStatusCode.OK);
            var session = cookies.GetCookieHeader(client.BaseAddress);

            var checkedNow = await RunAsync("--verify", "--data", data);
            checkedNow.Code.ShouldBe(0, checkedNow.Says);
            var backedUp = await RunAsync("--backup", file, "--data", data);
            backedUp.Code.ShouldBe(0, backedUp.Says);
            (await RunAsync("--stop", "--data", data)).Code.ShouldBe(0);
            (await RunAsync("--stop", "--data", data)).Code.ShouldNotBe(0);

            more["ASSIGNUM_RING"] = File.ReadLines(Path.Combine(data, "secrets"))
                .Single(l => l.StartsWith("RING=", StringComparison.Ordinal))[5..];
            var restored = await RunAsync("--restore", file, "--data", other);
            more.Remove("ASSIGNUM_RING");
            restored.Code.ShouldBe(0, restored.Says);
            (await RunAsync("--restore", file, "--data", other)).Code.ShouldNotBe(0);
            var checkedThere = await RunAsync("--verify", "--data", other);
            checkedThere.Code.ShouldBe(0, checkedThere.Says);
            checkedThere.Says.ShouldContain("TWO: 0 entries");

            // By TLS, with a certificate that only whoever starts it may read.
            using var maker = RSA.Create(2048);
            var wanted = new CertificateRequest(
                "CN=localhost",
                maker,
                HashAlgorithmName.SHA256,
                RSASignaturePadding.Pkcs1
            );
            using var certificate = wanted.CreateSelfSigned(
                DateTimeOffset.Now.AddDays(-1),
                DateTimeOffset.Now.AddDays(1)
            );
            var pem = Path.Combine(folder, "tls.pem");
            await File.WriteAllTextAsync(
                pem,
                certificate.ExportCertificatePem() + "\n" + maker.ExportPkcs8PrivateKeyPem(),
                Stop
            );
            File.SetUnixFileMode(pem, UnixFileMode.UserRead | UnixFileMode.UserWrite);
            more["ASSIGNUM_CERTIFICATE"] = pem;
            var there = await RunAsync("--port", $"{port}", "--data", other, "--demo", "none", "--detach");
            there.Code.ShouldBe(0, there.Says);
            there.Says.ShouldContain($"Assignum is ready at https://127.0.0.1:{port}");
            using var trusting = new HttpClient(
                new HttpClientHandler
                {
                    ServerCertificateCustomValidationCallback = (_, got, _, _) =>
                        got!.GetCertHashString() == certificate.GetCertHashString(),
                }
            )
            {
                BaseAddress = new Uri($"https://localhost:{port}"),
            };
            trusting.DefaultRequestHeaders.Authorization = new("Bearer", key);
            (await trusting.GetStringAsync("/api/v1/entities", Stop)).ShouldContain("\"TWO\"");
            using var again = new HttpRequestMessage(HttpMethod.Get, "/me") { Headers = { { "Cookie", session } } };
            trusting.DefaultRequestHeaders.Authorization = null;
            (await trusting.SendAsync(again, Stop)).StatusCode.ShouldBe(HttpStatusCode.OK);
            (await trusting.GetAsync("/sign-in", Stop))
                .Headers.GetValues("Set-Cookie")
                .ShouldAllBe(c => c.Contains("secure", StringComparison.OrdinalIgnoreCase));
        }
        finally
        {
            await RunAsync("--stop", "--data", data);
            await RunAsync("--stop", "--data", other);
            Directory.Delete(folder, true);
        }
    }

    private static string Read(string path)
    {
        try
        {
            return File.ReadAllText(path);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            return "";
        }
    }
}
