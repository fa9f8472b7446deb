using System.Net;
using System.Security.Cryptography.X509Certificates;
using Microsoft.AspNetCore.HostFiltering;
using Microsoft.AspNetCore.HttpOverrides;

namespace Assignum.Web.Start;

/// <summary>How the application is reached, from environment variables that begin with ASSIGNUM_.</summary>
/// <param name="Hosts">Names it answers to; another one gets 400.</param>
/// <param name="Proxies">Addresses of proxies whose word is taken for who asks and how.</param>
/// <param name="Certificate">PEM of a certificate with its chain; null: no TLS of its own.</param>
/// <param name="CertificateKey">PEM of its key; null: in the same file.</param>
public sealed record Serving(
    IReadOnlyList<string> Hosts,
    IReadOnlyList<IPAddress> Proxies,
    string? Certificate,
    string? CertificateKey
)
{
    /// <summary>Whether people reach it by TLS, ours or a proxy's: cookies are for that alone then.</summary>
    public bool Secure => Certificate is not null || Proxies.Count > 0;

    /// <summary>Reads it.</summary>
    /// <exception cref="InvalidOperationException">An address is none, or a file is not there.</exception>
    public static Serving From(IConfiguration configuration)
    {
        string[] List(string name) =>
            (configuration[name] ?? "").Split([' ', ',', ';'], StringSplitOptions.RemoveEmptyEntries);
        var proxies = new List<IPAddress>();
        foreach (var text in List("ASSIGNUM_PROXIES"))
            proxies.Add(
                IPAddress.TryParse(text, out var address)
                    ? address
                    : throw new InvalidOperationException($"ASSIGNUM_PROXIES: '{text}' is no address.")
            );
        string? File(string name) =>
            configuration[name] is not { Length: > 0 } path ? null
            : System.IO.File.Exists(path) ? path
            : throw new InvalidOperationException($"{name}: there is no file {path}.");
        var hosts = List("ASSIGNUM_HOSTS");
        return new(
            hosts.Length > 0 ? hosts : ["localhost", "127.0.0.1", "[::1]"],
            proxies,
            File("ASSIGNUM_CERTIFICATE"),
            File("ASSIGNUM_CERTIFICATE_KEY")
        );
    }

    /// <summary>Tells the framework.</summary>
    public void Configure(WebApplicationBuilder builder)
    {
        builder.Services.Configure<HostFilteringOptions>(h => h.AllowedHosts = [.. Hosts]);
        builder.Services.Configure<ForwardedHeadersOptions>(f =>
        {
            f.ForwardedHeaders = ForwardedHeaders.XForwardedFor | ForwardedHeaders.XForwardedProto;
            f.KnownIPNetworks.Clear();
            f.KnownProxies.Clear();
            foreach (var proxy in Proxies)
                f.KnownProxies.Add(proxy);
        });
        builder.Services.AddHsts(h => h.MaxAge = TimeSpan.FromDays(365));
        if (Certificate is { } file)
            builder.WebHost.ConfigureKestrel(k =>
                k.ConfigureHttpsDefaults(h =>
                {
                    h.ServerCertificate = X509Certificate2.CreateFromPemFile(file, CertificateKey);
                    h.ServerCertificateChain = [];
                    h.ServerCertificateChain.ImportFromPemFile(file);
                })
            );
    }
}
