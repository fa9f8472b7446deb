using System.Net.Http.Headers;
using Assignum.Testing;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Identity;
using Microsoft.AspNetCore.Mvc.Testing;
using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Logging;
using Microsoft.Extensions.Options;
using Xunit.Sdk;
using Xunit.v3;

[assembly: TestCollectionOrderer(typeof(Assignum.Web.Tests.LongestFirst))]

namespace Assignum.Web.Tests;

/// <summary>The whole application on a port of its own, with the demo loaded, over a wire to the database that can be
/// cut.</summary>
public class RunningApp : IAsyncLifetime
{
    public const string Key = "test-key-0123456789-0123456789-0123456789";

    // The demo is loaded once a run, by the application itself; every application gets a copy of it.
    private static readonly Lazy<Task<string>> Demo = new(async () =>
    {
        var loaded = new TestDatabase();
        await using (var first = new Factory(loaded.Application, loaded.Owner, []))
        {
            first.UseKestrel(0);
            first.StartServer();
            await ReadyAsync(first.ClientOptions.BaseAddress);
        }
        ShortHashes(loaded.Owner);
        await loaded.Database.DisposeAsync();
        // A database that somebody is connected to cannot be copied.
        TestDatabase.Execute(
            TestDatabase.Server,
            $"select pg_terminate_backend(pid) from pg_stat_activity where datname = '{loaded.Name}'"
        );
        return loaded.Name;
    });

    // Stories sign in by the hundred: the password of the demo is kept as one hashed once, not 100,000 times.
    private static void ShortHashes(string owner)
    {
        var hasher = new PasswordHasher<string>(Options.Create(new PasswordHasherOptions { IterationCount = 1 }));
        using var db = new Npgsql.NpgsqlConnection(owner);
        db.Open();
        using var shorten = new Npgsql.NpgsqlCommand("update app_user set password_hash = $1", db);
        shorten.Parameters.Add(new() { Value = hasher.HashPassword("", Start.DemoLoader.Password) });
        shorten.ExecuteNonQuery().ShouldBeGreaterThan(2);
    }

    /// <summary>Settings beside the usual ones, or in place of them.</summary>
    protected virtual IReadOnlyList<(string Name, string Value)> Settings => [];

    private TestDatabase database = null!;
    private Factory? factory;

    /// <summary>The wire to the database.</summary>
    public Wire Wire { get; private set; } = null!;

    /// <summary>Where the application listens.</summary>
    public Uri Address { get; private set; } = null!;

    public TestDatabase Database => database;

    public async ValueTask InitializeAsync()
    {
        database = new TestDatabase(await Demo.Value);
        Wire = new Wire(database.Port);
        var connection = new Npgsql.NpgsqlConnectionStringBuilder(database.Application)
        {
            Port = Wire.Port,
            Timeout = 3,
        }.ConnectionString;
        factory = new Factory(connection, database.Owner, Settings);
        factory.UseKestrel(0);
        factory.StartServer();
        Address = factory.ClientOptions.BaseAddress;
        await ReadyAsync(Address);
    }

    private static async Task ReadyAsync(Uri address)
    {
        using var client = new HttpClient { BaseAddress = address };
        for (var i = 0; i < 600; i++)
        {
            if ((await client.GetAsync("/readyz")).IsSuccessStatusCode)
                return;
            await Task.Delay(100);
        }
        throw new InvalidOperationException("The application did not become ready.");
    }

    /// <summary>A client with a key of the interface (null: without).</summary>
    public HttpClient Client(string? key = Key)
    {
        var client = new HttpClient(new HttpClientHandler { AllowAutoRedirect = false })
        {
            BaseAddress = Address,
            Timeout = TimeSpan.FromMinutes(2),
        };
        if (key is not null)
            client.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue("Bearer", key);
        return client;
    }

    public async ValueTask DisposeAsync()
    {
        GC.SuppressFinalize(this);
        if (factory is not null)
            await factory.DisposeAsync();
        Wire.Dispose();
        await database.DisposeAsync();
    }

    private sealed class Factory(string connection, string owner, IReadOnlyList<(string Name, string Value)> settings)
        : WebApplicationFactory<Program>
    {
        protected override void ConfigureWebHost(IWebHostBuilder builder)
        {
            builder
                .UseSetting("ASSIGNUM_DB", connection)
                .UseSetting("ASSIGNUM_DB_OWNER", owner)
                .UseSetting("ASSIGNUM_DEMO", "skerrow")
                .UseSetting("ASSIGNUM_DEMO_FOLDER", Path.Combine(ProjectFiles.Root, "tests", "company"))
                .UseSetting("ASSIGNUM_LIMIT_FACTOR", "1000")
                .UseSetting("ASSIGNUM_RING", "ring-of-the-tests-0123456789")
                .UseSetting("ASSIGNUM_API_KEY", Key);
            foreach (var (name, value) in settings)
                builder.UseSetting(name, value);
            builder.UseContentRoot(Path.Combine(ProjectFiles.Root, "src", "Assignum.Web"));
            builder.ConfigureLogging(l => l.ClearProviders());
            builder.ConfigureServices(s => s.AddSingleton<IStartupFilter, AxeBeside>());
        }
    }
}

/// <summary>Axe at an address of its own beside the application's, so that a browser reads it once: handed over with a command
/// it is half a megabyte that is read anew on each page.</summary>
internal sealed class AxeBeside : IStartupFilter
{
    public const string Address = "/axe-of-the-tests.js";

    private static readonly byte[] Script = File.ReadAllBytes(
        Path.Combine(AppContext.BaseDirectory, "lib", "axe.min.js")
    );

    /// <inheritdoc/>
    public Action<IApplicationBuilder> Configure(Action<IApplicationBuilder> next) =>
        app =>
        {
            app.Map(Address, axe => axe.Run(async http =>
                {
                    http.Response.ContentType = "text/javascript; charset=utf-8";
                    http.Response.Headers.CacheControl = "public, max-age=3600";
                    await http.Response.Body.WriteAsync(Script, http.RequestAborted);
                }));
            next(app);
        };
}

/// <summary>One application for all tests of a collection.</summary>
[CollectionDefinition(Name)]
public sealed class AppCollection : ICollectionFixture<RunningApp>
{
    public const string Name = "app";
}

/// <summary>Another application with the same demo, so that two collections run side by side.</summary>
[CollectionDefinition(Name)]
public sealed class OtherAppCollection : ICollectionFixture<RunningApp>
{
    public const string Name = "other app";
}

/// <summary>Begins with what takes longest, so that nothing long is left for the end.</summary>
public sealed class LongestFirst : ITestCollectionOrderer
{
    private static readonly string[] Long =
    [
        OtherAppCollection.Name,
        nameof(JoiningInTheBrowser),
        nameof(EveryPage),
        nameof(FeedsKilled),
        AppCollection.Name,
        nameof(Feeding),
        nameof(Started),
        nameof(KilledOften),
    ];

    /// <inheritdoc/>
    public IReadOnlyCollection<TTestCollection> OrderTestCollections<TTestCollection>(
        IReadOnlyCollection<TTestCollection> testCollections
    )
        where TTestCollection : ITestCollection =>
        [.. testCollections.OrderBy(c => Place(c.TestCollectionDisplayName))];

    // The collection of a class is called after it, with an identity behind that.
    private static int Place(string collection)
    {
        var at = Array.FindIndex(Long, l => collection == l || collection.Contains($".{l} ", StringComparison.Ordinal));
        return at < 0 ? Long.Length : at;
    }
}
