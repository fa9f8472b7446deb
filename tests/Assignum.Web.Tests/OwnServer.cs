using System.Diagnostics;
using Assignum.Storage;
using Assignum.Testing;
using Npgsql;

namespace Assignum.Web.Tests;

/// <summary>A server of its own, made as ./start makes one, that a test may kill without asking anybody.</summary>
public sealed class OwnServer : IAsyncDisposable
{
    private readonly string folder;
    private readonly int port;

    private OwnServer(string folder, string owner, string application)
    {
        (this.folder, Owner, Application) = (folder, owner, application);
        port = new NpgsqlConnectionStringBuilder(owner).Port;
        Database = new Database(application);
    }

    /// <summary>A login that may do all.</summary>
    public string Owner { get; }

    /// <summary>What the application gets.</summary>
    public string Application { get; }
    public Database Database { get; }

    public static async Task<OwnServer> StartAsync()
    {
        var folder = Directory.CreateTempSubdirectory("assignum-own-").FullName;
        if (!OperatingSystem.IsWindows())
            // Whom the server runs as need not be who runs the test.
            File.SetUnixFileMode(
                folder,
                UnixFileMode.UserRead
                    | UnixFileMode.UserWrite
                    | UnixFileMode.UserExecute
                    | UnixFileMode.GroupExecute
                    | UnixFileMode.OtherExecute
            );
        var said = await RunAsync(folder, "cluster_start \"$WORK\"; printf '%s\\n%s\\n' \"$DB_OWNER\" \"$DB_APP\"");
        var lines = said.Split('\n', StringSplitOptions.RemoveEmptyEntries);
        var server = new OwnServer(folder, lines[^2], lines[^1]);
        Database.Migrate(server.Owner);
        return server;
    }

    /// <summary>Kills it as it stands, and starts it again where it was.</summary>
    public async Task KillAsync() =>
        await RunAsync(
            folder,
            $$"""
            CLUSTER=$([ -s "$WORK/cluster-is-at" ] && cat "$WORK/cluster-is-at" || printf '%s' "$WORK/cluster")
            DB_PORT={{port}}
            kill -9 "$(as_db_user head -1 "$CLUSTER/postmaster.pid")"
            for try in 1 2 3 4 5 6 7 8 9 10 11 12; do cluster_run && break; sleep 1; done
            as_db_user "$PGBIN/pg_ctl" -D "$CLUSTER" status >/dev/null
            """
        );

    /// <summary>Keeps all that is in the database as it is now; nobody may be at work.</summary>
    public void Keep() => Copy("assignum", "kept");

    /// <summary>Brings back what was kept; what came since is gone.</summary>
    public void BringBack() => Copy("kept", "assignum");

    private void Copy(string from, string to)
    {
        NpgsqlConnection.ClearAllPools();
        var server = new NpgsqlConnectionStringBuilder(Owner)
        {
            Database = "postgres",
            Pooling = false,
        }.ConnectionString;
        TestDatabase.Execute(
            server,
            $"select pg_terminate_backend(pid) from pg_stat_activity where datname = '{from}'"
        );
        TestDatabase.Execute(server, $"drop database if exists {to} with (force)");
        TestDatabase.Execute(server, $"create database {to} template {from}");
    }

    public async ValueTask DisposeAsync()
    {
        await Database.DisposeAsync();
        NpgsqlConnection.ClearAllPools();
        await RunAsync(
            folder,
            """
            CLUSTER=$([ -s "$WORK/cluster-is-at" ] && cat "$WORK/cluster-is-at" || printf '%s' "$WORK/cluster")
            as_db_user "$PGBIN/pg_ctl" -D "$CLUSTER" -m immediate -w stop >/dev/null 2>&1
            rm -rf "$CLUSTER"
            """
        );
        Directory.Delete(folder, true);
    }

    private static async Task<string> RunAsync(string folder, string what)
    {
        var info = new ProcessStartInfo("bash") { RedirectStandardOutput = true, RedirectStandardError = true };
        info.ArgumentList.Add("-c");
        info.ArgumentList.Add(". \"$ROOT/scripts/common.sh\"; need_postgres >/dev/null 2>&1; " + what);
        info.Environment["ROOT"] = ProjectFiles.Root;
        info.Environment["WORK"] = folder;
        info.Environment["CLUSTER_OPTIONS"] = "-c fsync=off -c shared_buffers=128MB";
        using var process = Process.Start(info)!;
        var (said, wrong) = (process.StandardOutput.ReadToEndAsync(), process.StandardError.ReadToEndAsync());
        await process.WaitForExitAsync();
        return process.ExitCode == 0
            ? await said
            : throw new InvalidOperationException($"{what}: {await said} {await wrong}");
    }
}
