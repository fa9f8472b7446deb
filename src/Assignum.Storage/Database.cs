using System.Collections.Concurrent;
using System.Data;
using DbUp;
using DbUp.Engine.Output;
using DbUp.Postgresql;
using Npgsql;

namespace Assignum.Storage;

/// <summary>The way to the database: one pool that works with the application's rights only.</summary>
public sealed class Database : IAsyncDisposable
{
    /// <summary>The role whose rights the application has; it cannot change what is posted or audited.</summary>
    public const string ApplicationRole = "assignum_app";

    // Any number; the same for every process that may migrate this database.
    private const long MigrationLock = 7_204_118_533;

    private readonly NpgsqlDataSource pool;

    /// <summary>A pool for a connection string of a login that is, or is a member of, <see
    /// cref="ApplicationRole"/>.</summary>
    public Database(string connectionString)
    {
        var settings = new NpgsqlConnectionStringBuilder(connectionString)
        {
            // Every session works as the application's role, whoever signed in; DISCARD between uses returns to it.
            // Statements are short or read much at once: compiling them costs more than it saves, and sums over many rows
            // are kept in memory.
            Options = $"-c role={ApplicationRole} -c timezone=UTC -c jit=off -c work_mem=64MB",
            ApplicationName = "assignum",
            MaxAutoPrepare = 100,
            AutoPrepareMinUsages = 3,
            // Longer than a busy machine takes to let one in; a server that is not there refuses at once.
            Timeout = Math.Max(15, new NpgsqlConnectionStringBuilder(connectionString).Timeout),
            CommandTimeout = 60,
        };
        pool = Source(settings.ConnectionString);
    }

    // Only the types that columns and parameters have: what the driver prepares for all that it knows (ranges, shapes, text
    // search, rows as values) took some 0.3 s of the processor at every start.
    private static NpgsqlDataSource Source(string connectionString)
    {
        var builder = new NpgsqlSlimDataSourceBuilder(connectionString);
        builder.EnableTransportSecurity();
        builder.EnableIntegratedSecurity();
        builder.EnableArrays();
        return builder.Build();
    }

    // A statement that the server refuses while the driver prepares it (for a character that no text holds, or because
    // whoever asked went away) stays with its connection as prepared, without its columns: whoever comes by it next is answered
    // with a fault of the driver. So a connection of which that may be is noted by its server process, and forgets
    // its statements before it serves again.
    private readonly ConcurrentDictionary<int, bool> doubtful = new();
    private readonly AsyncLocal<ConcurrentDictionary<int, bool>?> servedBy = new();

    /// <summary>Opens a connection of the pool.</summary>
    /// <param name="stop">Of what the connection is for: where it came before the connection is closed, the connection is
    /// <see cref="ServeAsync">doubted</see>.</param>
    public async ValueTask<NpgsqlConnection> OpenAsync(CancellationToken stop)
    {
        var db = pool.CreateConnection();
        await OpenAsync(db, stop);
        return db;
    }

    /// <summary>Opens a connection of the pool, for whoever cannot wait otherwise.</summary>
    public NpgsqlConnection Open()
    {
        var db = pool.OpenConnection();
        Ready(db);
        return db;
    }

    /// <summary>Opens a connection of the pool that was closed, again.</summary>
    public async Task OpenAsync(NpgsqlConnection db, CancellationToken stop)
    {
        await db.OpenAsync(stop);
        var server = Ready(db);
        if (!stop.CanBeCanceled)
            return;
        void Closed(object _, StateChangeEventArgs change)
        {
            if (change.CurrentState == ConnectionState.Open)
                return;
            db.StateChange -= Closed;
            if (stop.IsCancellationRequested)
                doubtful[server] = true;
        }
        db.StateChange += Closed;
    }

    private int Ready(NpgsqlConnection db)
    {
        var server = db.ProcessID;
        if (!doubtful.IsEmpty && doubtful.TryRemove(server, out _))
            db.UnprepareAll();
        servedBy.Value?.TryAdd(server, true);
        return server;
    }

    /// <summary>A command on a connection of its own, for a single statement of a tool or a test.</summary>
    public NpgsqlCommand Command(string sql) => pool.CreateCommand(sql);

    /// <summary>Does something; where it fails, each connection that it was served by is doubted: it forgets its statements
    /// before it serves again.</summary>
    public async Task ServeAsync(Func<Task> task)
    {
        ConcurrentDictionary<int, bool> by = [];
        servedBy.Value = by;
        try
        {
            await task();
        }
        catch
        {
            foreach (var (server, _) in by)
                doubtful[server] = true;
            throw;
        }
    }

    /// <summary>Whether the database answers within two seconds.</summary>
    public async Task<bool> AnswersAsync(CancellationToken stop)
    {
        try
        {
            using var limit = CancellationTokenSource.CreateLinkedTokenSource(stop);
            limit.CancelAfter(TimeSpan.FromSeconds(2));
            await using var db = await OpenAsync(limit.Token);
            await using var command = new NpgsqlCommand("select 1 from schema_migration limit 1", db);
            await command.ExecuteScalarAsync(limit.Token);
            return true;
        }
        catch (Exception e) when (e is NpgsqlException or OperationCanceledException or TimeoutException)
        {
            return false;
        }
    }

    /// <summary>
    /// Brings a database to the current schema. Processes that start together wait for one another; the role is made
    /// when it is missing.
    /// </summary>
    /// <param name="ownerConnectionString">A login that owns the database and may create a role where it is
    /// missing.</param>
    /// <exception cref="InvalidOperationException">A script failed; the message names it. The database is as before
    /// that script.</exception>
    public static void Migrate(string ownerConnectionString)
    {
        // A large database takes its time; whoever starts it waits.
        ownerConnectionString = new NpgsqlConnectionStringBuilder(ownerConnectionString)
        {
            CommandTimeout = 0,
        }.ConnectionString;
        // Not of a pool: the lock is let go with the connection, and the next process need not wait for it.
        using var alone = Source(
            new NpgsqlConnectionStringBuilder(ownerConnectionString) { Pooling = false }.ConnectionString
        );
        using var guard = alone.OpenConnection();
        using (var take = new NpgsqlCommand($"select pg_advisory_lock({MigrationLock})", guard))
            take.ExecuteNonQuery();
        RefuseNewer(guard);
        using (
            var role = new NpgsqlCommand(
                $"""
                do $$ begin
                  if not exists (select from pg_roles where rolname = '{ApplicationRole}') then create role
                    {ApplicationRole} nologin; end if;
                  if not pg_has_role(current_user, '{ApplicationRole}', 'member') then execute
                    format('grant {ApplicationRole} to %I', current_user); end if;
                end $$
                """,
                guard
            )
        )
            role.ExecuteNonQuery();
        var upgrade = DeployChanges
            .To.PostgresqlDatabase(new PostgresqlConnectionManager(alone))
            .JournalToPostgresqlTable("public", "schema_migration")
            .WithScriptsEmbeddedInAssembly(typeof(Database).Assembly, name =>
                name.EndsWith(".sql", StringComparison.Ordinal)
            )
            .WithTransactionPerScript()
            .LogTo(new SilentLog())
            .Build();
        // Of what was restored a moment ago the server knows part: joins planned by that take a minute instead of a second.
        if (upgrade.IsUpgradeRequired())
            using (var look = new NpgsqlCommand("analyze", guard) { CommandTimeout = 0 })
                look.ExecuteNonQuery();
        var result = upgrade.PerformUpgrade();
        if (!result.Successful)
            throw new InvalidOperationException(
                $"Migration {result.ErrorScript?.Name} failed: {result.Error.Message}",
                result.Error
            );
        EntrySeal.SealOldAsync(guard, CancellationToken.None).GetAwaiter().GetResult();
    }

    /// <summary>Looks whether the schema is this program's.</summary>
    /// <exception cref="InvalidOperationException">It is older, or newer; the message says what to do.</exception>
    public static void Check(string connectionString)
    {
        using var source = Source(connectionString);
        using var db = source.OpenConnection();
        RefuseNewer(db);
        using var there = new NpgsqlCommand("select to_regclass('public.schema_migration') is not null", db);
        using var count = new NpgsqlCommand("select count(*) from schema_migration", db);
        if (there.ExecuteScalar() is not true || (long)count.ExecuteScalar()! < Scripts().Count)
            throw new InvalidOperationException(
                "Its schema is older than this program. Start it with ./start, or name its owner in ASSIGNUM_DB_OWNER once."
            );
    }

    private static List<string> Scripts() =>
        [
            .. typeof(Database)
                .Assembly.GetManifestResourceNames()
                .Where(n => n.EndsWith(".sql", StringComparison.Ordinal)),
        ];

    // What a newer program wrote, this one does not understand.
    private static void RefuseNewer(NpgsqlConnection db)
    {
        using (var there = new NpgsqlCommand("select to_regclass('public.schema_migration') is not null", db))
            if (there.ExecuteScalar() is not true)
                return;
        var known = Scripts().ToHashSet(StringComparer.Ordinal);
        using var done = new NpgsqlCommand("select scriptname from schema_migration order by scriptname", db);
        using var reader = done.ExecuteReader();
        while (reader.Read())
            if (!known.Contains(reader.GetString(0)))
                throw new InvalidOperationException(
                    $"It was made by a newer Assignum (its schema has {reader.GetString(0).Split('.', 4)[^1]}, which this "
                        + "one does not know). Nothing was changed: start the newer one."
                );
    }

    /// <inheritdoc/>
    public ValueTask DisposeAsync() => pool.DisposeAsync();

    private sealed class SilentLog : IUpgradeLog
    {
        public void LogTrace(string format, params object[] args) { }

        public void LogDebug(string format, params object[] args) { }

        public void LogInformation(string format, params object[] args) { }

        public void LogWarning(string format, params object[] args) { }

        public void LogError(string format, params object[] args) { }

        public void LogError(Exception ex, string format, params object[] args) { }
    }
}
