using Assignum.Storage;
using Assignum.Testing;
using Npgsql;

namespace Assignum.Storage.Tests;

/// <summary>What one request does to a connection never meets the next.</summary>
public sealed class DoubtfulConnections : IAsyncDisposable
{
    private readonly TestDatabase test = new();
    private readonly Database database;

    private static CancellationToken Stop => TestContext.Current.CancellationToken;

    public DoubtfulConnections() =>
        // One connection, so that whoever comes next is served by it.
        database = new Database(
            new NpgsqlConnectionStringBuilder(test.Application) { MaxPoolSize = 1 }.ConnectionString
        );

    public async ValueTask DisposeAsync()
    {
        await database.DisposeAsync();
        await test.DisposeAsync();
    }

    private async Task<string> SayAsync(string sql, string text, CancellationToken stop)
    {
        await using var db = await database.OpenAsync(stop);
        await using var command = new NpgsqlCommand(sql, db) { Parameters = { new() { Value = text } } };
        return (string)(await command.ExecuteScalarAsync(stop))!;
    }

    // As often as makes the driver prepare it at the next time.
    private async Task OftenAsync(string sql)
    {
        for (var time = 0; time < 2; time++)
            (await SayAsync(sql, "rain", Stop)).ShouldBe("rain!");
    }

    [Fact]
    public async Task Text_that_is_refused_while_a_statement_is_prepared_breaks_it_for_nobody_else()
    {
        const string sql = "select $1::text || '!'";
        await OftenAsync(sql);
        var refused = await Should.ThrowAsync<PostgresException>(() =>
            database.ServeAsync(() => SayAsync(sql, "no\0text", Stop))
        );
        refused.SqlState.ShouldBe("22021");
        (await SayAsync(sql, "hail", Stop)).ShouldBe("hail!");
        // Whoever is not named by anybody keeps what is prepared: it is not made anew for each.
        (await SayAsync(sql, "sleet", Stop)).ShouldBe("sleet!");
    }

    [Fact]
    public async Task Whoever_goes_away_while_a_statement_is_prepared_breaks_it_for_nobody_else()
    {
        // Planning it takes as long as it is told to: a constant is worked out then.
        TestDatabase.Execute(
            test.Owner,
            """
            create function slowly(text) returns text immutable language plpgsql
              as $$ begin if $1 = 'slow' then perform pg_sleep(20); end if; return $1 || '!'; end $$
            """
        );
        const string sql = "select slowly($1)";
        await OftenAsync(sql);
        using (var away = CancellationTokenSource.CreateLinkedTokenSource(Stop))
        {
            var asked = SayAsync(sql, "slow", away.Token);
            await Task.Delay(300, Stop);
            await away.CancelAsync();
            await Should.ThrowAsync<OperationCanceledException>(() => asked);
        }
        (await SayAsync(sql, "hail", Stop)).ShouldBe("hail!");
    }
}
