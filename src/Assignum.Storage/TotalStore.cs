using Npgsql;
using NpgsqlTypes;

namespace Assignum.Storage;

/// <summary>What systems counted of their days, and what became of events is told them.</summary>
public static class TotalStore
{
    /// <summary>Keeps what a system counted of a day.</summary>
    public static async Task KeepAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        DateOnly day,
        string said,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            insert into link_total values ($1, $2, $3, $4::jsonb) on conflict (entity_id, connection_id, day)
            do update set said = excluded.said, at = clock_timestamp()
            """,
            at,
            LinkSql.Maybe(day, NpgsqlDbType.Date),
            said
        );
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>What systems counted of the newest days.</summary>
    public static async Task<IReadOnlyList<(DateOnly Day, string Said)>> KeptAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        int limit,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select day, said::text from link_total where entity_id = $1 and connection_id = $2 order by day desc limit
              $3
            """,
            at,
            limit
        );
        return await command.RowsAsync(r => (r.GetFieldValue<DateOnly>(0), r.GetString(1)), stop);
    }

    /// <summary>What came of a day by kind; each id once.</summary>
    public static async Task<IReadOnlyList<(string Kind, long Count, decimal Amount)>> OursAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        DateOnly day,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select kind, count(*), sum(amount) from link_event where entity_id = $1 and connection_id = $2 and date =
              $3 and not again
            group by kind order by kind
            """,
            at,
            LinkSql.Maybe(day, NpgsqlDbType.Date)
        );
        return await command.RowsAsync(r => (r.GetString(0), r.GetInt64(1), r.GetDecimal(2)), stop);
    }

    /// <summary>When the oldest came that is neither posted nor set aside; null: none.</summary>
    public static async Task<DateTime?> OldestAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select min(received_at) from link_event where entity_id = $1 and connection_id = $2
              and state in ('received', 'waiting', 'dead')
            """,
            at
        );
        return await command.ExecuteScalarAsync(stop) as DateTime?;
    }

    /// <summary>Events whose system was not told what became of them.</summary>
    public static async Task<
        IReadOnlyList<(long Row, string Id, string State, string? Number, string Reasons)>
    > UntoldAsync(NpgsqlConnection db, (int Entity, int Connection) at, int limit, CancellationToken stop)
    {
        await using var command = LinkSql.Of(
            db,
            """
            select row_id, id, state, "number", reasons::text from link_event where entity_id = $1 and connection_id =
              $2
              and told is distinct from state and state <> 'received' order by row_id limit $3
            """,
            at,
            limit
        );
        return await command.RowsAsync(
            r => (r.GetInt64(0), r.GetString(1), r.GetString(2), r.Text(3), r.GetString(4)),
            stop
        );
    }

    /// <summary>Notes what was told.</summary>
    public static async Task ToldAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        IReadOnlyList<(long Row, string State)> told,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            update link_event e set told = n.state from unnest($3::bigint[], $4::text[]) as n(row_id, state)
            where e.entity_id = $1 and e.connection_id = $2 and e.row_id = any($3) and e.row_id = n.row_id
            """,
            at,
            told.Select(t => t.Row).ToArray(),
            told.Select(t => t.State).ToArray()
        );
        await command.ChangeManyAsync(stop);
    }
}
