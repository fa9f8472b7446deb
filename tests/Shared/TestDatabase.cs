using Assignum.Storage;
using Npgsql;

namespace Assignum.Testing;

/// <summary>A database of its own on the cluster that ./test started, gone when the test is.</summary>
public sealed class TestDatabase : IAsyncDisposable
{
    private readonly string server;
    private readonly string name = "t_" + Guid.NewGuid().ToString("N");

    public TestDatabase()
    {
        server = Environment.GetEnvironmentVariable("ASSIGNUM_TEST_DB")
            ?? throw new InvalidOperationException("ASSIGNUM_TEST_DB is not set: run the tests with ./test.");
        Execute(server, $"create database {name} template template0");
        Owner = new NpgsqlConnectionStringBuilder(server) { Database = name, Pooling = false }.ConnectionString;
        Assignum.Storage.Database.Migrate(Owner);
        Application = new NpgsqlConnectionStringBuilder(server) { Database = name }.ConnectionString;
        Database = new Database(Application);
    }

    /// <summary>A login that may do all.</summary>
    public string Owner { get; }

    /// <summary>What the application gets: its role's rights are set on every session.</summary>
    public string Application { get; }
    public Database Database { get; }

    /// <summary>Where the server listens.</summary>
    public int Port => new NpgsqlConnectionStringBuilder(server).Port;

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
        Execute(server, $"drop database {name} with (force)");
    }
}
