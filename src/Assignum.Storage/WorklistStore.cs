using Assignum.Core.Feeding;
using Assignum.Core.Pairing;
using Npgsql;
using NpgsqlTypes;

namespace Assignum.Storage;

/// <summary>What waits and what is dead over all connections of an entity.</summary>
public static class WorklistStore
{
    // Of these every event has a subject of its own: they are one group.
    private const string Subject = """
        case when e.reason in ('behind', 'awaits-document', 'late', 'voided', 'same-sequence', 'other-content') then ''
          else coalesce(e.subject, '') end
        """;

    /// <summary>The groups, the most money first. Uses link_event_waits alone.</summary>
    public static async Task<IReadOnlyList<WaitingGroup>> GroupsAsync(
        NpgsqlConnection db,
        int entity,
        int connection,
        int limit,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            $"""
            select g.connection_id, c.code, c."name", c.currency, g.state, g.reason, g.subject, g.events, g.amount,
              g.first,
              (select received_at from link_event f where f.entity_id = $1 and f.connection_id = g.connection_id and
                f.row_id = g.first)
            from (select e.connection_id, e.state, coalesce(e.reason, '') as reason, {Subject} as subject, count(*) as
              events,
                sum(e.amount) as amount, min(e.row_id) as first
              from link_event e where e.entity_id = $1 and ($2 = 0 or e.connection_id = $2) and e.state in ('waiting',
                'dead')
              group by 1, 2, 3, 4) g
            join connection c on c.entity_id = $1 and c.connection_id = g.connection_id
            order by g.amount desc, g.events desc, g.reason, g.subject limit $3
            """,
            (entity, connection),
            limit
        );
        return await command.RowsAsync(
            r => new WaitingGroup(
                r.GetInt32(0),
                r.GetString(1),
                r.GetString(2),
                r.GetString(3),
                r.GetString(4),
                r.GetString(5),
                r.GetString(6),
                new Waits(r.GetInt64(7), r.GetDecimal(8)),
                r.GetInt64(9),
                r.GetDateTime(10)
            ),
            stop
        );
    }

    private const string Chosen = $"""
        e.entity_id = $1 and e.connection_id = $2 and e.state in ('waiting', 'dead')
          and case when $3::bigint[] is not null then e.row_id = any($3)
            else e.state = $4 and e.reason = $5 and ($6::text is null or {Subject} = $6) end
        """;

    private static LinkSql.Arg[] Args(EventChoice of, params LinkSql.Arg[] others) =>
        [
            LinkSql.Maybe(of.Rows?.ToArray(), NpgsqlDbType.Array | NpgsqlDbType.Bigint),
            of.State,
            of.Reason,
            of.Subject,
            .. others,
        ];

    /// <summary>The events of a choice, by their rows.</summary>
    public static async Task<IReadOnlyList<(long Row, string Id, string State)>> ChosenAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        EventChoice of,
        int limit,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            $"select e.row_id, e.id, e.state from link_event e where {Chosen} order by e.row_id limit $7",
            at,
            Args(of, limit)
        );
        return await command.RowsAsync(r => (r.GetInt64(0), r.GetString(1), r.GetString(2)), stop);
    }

    /// <summary>How many of a choice wait, and how many are dead.</summary>
    public static async Task<(long Waiting, long Dead)> CountAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        EventChoice of,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            $"""
            select count(*) filter (where e.state = 'waiting'), count(*) filter (where e.state = 'dead')
            from link_event e where {Chosen}
            """,
            at,
            Args(of)
        );
        return (await command.RowsAsync(r => (r.GetInt64(0), r.GetInt64(1)), stop)).Single();
    }

    /// <summary>Has them tried again.</summary>
    /// <returns>How many.</returns>
    public static async Task<int> RetryAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        EventChoice of,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            $"update link_event e set state = 'received', late = false where {Chosen}",
            at,
            Args(of)
        );
        return await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>Sets them aside: nothing waits behind them any more.</summary>
    /// <param name="replacedBy">The event that was made here instead.</param>
    public static async Task<int> SetAsideAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        EventChoice of,
        string reason,
        string reasons,
        string? replacedBy,
        string? number,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            $"""
            with n as (select e.row_id from link_event e where {Chosen}),
            gone as (delete from link_held h using n where h.entity_id = $1 and h.connection_id = $2 and h.row_id =
              n.row_id)
            update link_event e set state = 'set-aside', reason = $7, subject = null, reasons = $8::jsonb, held_by =
              null,
              replaced_by = $9, "number" = $10
            from n where e.entity_id = $1 and e.connection_id = $2 and e.row_id = n.row_id
            """,
            at,
            Args(of, reason, reasons, replacedBy, number)
        );
        return await command.ExecuteNonQueryAsync(stop);
    }
}
