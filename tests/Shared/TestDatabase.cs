using System.Security.Cryptography;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Testing;

/// <summary>A database of its own on the cluster that ./test started, gone when the test is.</summary>
public sealed class TestDatabase : IAsyncDisposable
{
    // Migrated once a run; every test gets a copy, which takes a tenth of the time.
    private static readonly Lazy<string> Template = new(() =>
    {
        ShortHandshake();
        var template = "migrated_" + Guid.NewGuid().ToString("N");
        Execute(Server, $"create database {template} template template0");
        Assignum.Storage.Database.Migrate(OwnerOf(template));
        return template;
    });

    private readonly string name = "t_" + Guid.NewGuid().ToString("N");

    /// <summary>A copy of the migrated database, or of another one that nobody is connected to.</summary>
    public TestDatabase(string? template = null)
    {
        Execute(Server, $"create database {name} template {template ?? Template.Value}");
        Owner = OwnerOf(name);
        Application = new NpgsqlConnectionStringBuilder(Server) { Database = name }.ConnectionString;
        Database = new Database(Application);
    }

    /// <summary>The cluster's own connection.</summary>
    public static string Server =>
        Environment.GetEnvironmentVariable("ASSIGNUM_TEST_DB")
        ?? throw new InvalidOperationException("ASSIGNUM_TEST_DB is not set: run the tests with ./test.");

    /// <summary>Its name on the cluster.</summary>
    public string Name => name;

    /// <summary>A login that may do all.</summary>
    public string Owner { get; }

    /// <summary>What the application gets: its role's rights are set on every session.</summary>
    public string Application { get; }
    public Database Database { get; }

    /// <summary>Where the server listens.</summary>
    public int Port => new NpgsqlConnectionStringBuilder(Server).Port;

    private static string OwnerOf(string database) =>
        new NpgsqlConnectionStringBuilder(Server) { Database = database, Pooling = false }.ConnectionString;

    // A client hashes its password 4,096 times for every connection, and tests make thousands of them: the password of this
    // cluster, which goes with it, is kept as one that is hashed once.
    private static void ShortHandshake()
    {
        var login = new NpgsqlConnectionStringBuilder(Server);
        var salt = RandomNumberGenerator.GetBytes(16);
        var salted = Rfc2898DeriveBytes.Pbkdf2(login.Password!, salt, 1, HashAlgorithmName.SHA256, 32);
        var stored = SHA256.HashData(HMACSHA256.HashData(salted, "Client Key"u8));
        var server = HMACSHA256.HashData(salted, "Server Key"u8);
        var verifier =
            $"SCRAM-SHA-256$1:{Convert.ToBase64String(salt)}${Convert.ToBase64String(stored)}:{Convert.ToBase64String(server)}";
        // One suite after the other.
        Execute(Server, $"select pg_advisory_xact_lock(1); alter role {login.Username} password '{verifier}'");
    }

    public static void Execute(string connection, string sql)
    {
        using var db = new NpgsqlConnection(connection);
        db.Open();
        using var command = new NpgsqlCommand(sql, db);
        command.ExecuteNonQuery();
    }

    public async ValueTask DisposeAsync()
    {
        await Database.DisposeAsync();
        NpgsqlConnection.ClearAllPools();
        Execute(Server, $"drop database {name} with (force)");
    }
}
