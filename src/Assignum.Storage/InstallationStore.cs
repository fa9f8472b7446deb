using Npgsql;
using NpgsqlTypes;

namespace Assignum.Storage;

/// <summary>Which installation a database is of: a copy of it, or one that was restored, is another.</summary>
public static class InstallationStore
{
    /// <summary>The id that the database bears; null: none yet.</summary>
    public static async Task<Guid?> IdAsync(NpgsqlConnection db, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand("select id from installation", db);
        return await command.ExecuteScalarAsync(stop) as Guid?;
    }

    /// <summary>Says which installation it is of.</summary>
    public static async Task SetAsync(NpgsqlConnection db, Guid id, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand(
            """
            insert into installation (id) values ($1) on conflict (one) do update set id = excluded.id, at =
              clock_timestamp()
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = id, NpgsqlDbType = NpgsqlDbType.Uuid },
            },
        };
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>Pauses every connection that is not closed or paused.</summary>
    /// <returns>Those that were paused.</returns>
    public static async Task<IReadOnlyList<(int Entity, string Code, string State)>> PauseAllAsync(
        NpgsqlConnection db,
        string why,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            with b as (select entity_id, connection_id, state from connection where state in ('joining', 'live') for
              update)
            update connection c set state = 'paused', paused_from = b.state, why = $1, version = version + 1
            from b where c.entity_id = b.entity_id and c.connection_id = b.connection_id returning c.entity_id,
              c.code, b.state
            """,
            db
        )
        {
            Parameters = { new() { Value = why } },
        };
        return await command.RowsAsync(r => (r.GetInt32(0), r.GetString(1), r.GetString(2)), stop);
    }
}
