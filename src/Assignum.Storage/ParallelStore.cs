using Assignum.Core.Feeding;
using Npgsql;
using NpgsqlTypes;

namespace Assignum.Storage;

/// <summary>Events that are rehearsed beside what is booked elsewhere, and what was booked there.</summary>
public static class ParallelStore
{
    /// <summary>The days from one on of which there are events that do not post.</summary>
    /// <param name="after">Rows up to this one were seen.</param>
    public static async Task<IReadOnlyList<DateOnly>> DaysAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        DateOnly from,
        long after,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select distinct date from link_event where entity_id = $1 and connection_id = $2 and row_id > $4
              and state in ('received', 'waiting', 'dead') and date >= $3 and date <= $3 + 800 order by date
            """,
            at,
            LinkSql.Maybe(from, NpgsqlDbType.Date),
            after
        );
        return await command.RowsAsync(r => r.GetFieldValue<DateOnly>(0), stop);
    }

    /// <summary>Its events of a day, in their order.</summary>
    public static async Task<IReadOnlyList<FeedRow>> OfDayAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        DateOnly day,
        long after,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select row_id, id, sequence, kind, date, body, late, voids from link_event
            where entity_id = $1 and connection_id = $2 and row_id > $4 and date = $3
              and state in ('received', 'waiting', 'dead') order by sequence nulls first, row_id
            """,
            at,
            LinkSql.Maybe(day, NpgsqlDbType.Date),
            after
        );
        return await command.RowsAsync(FeedStore.Read, stop);
    }

    /// <summary>The last row that came, and how many of them were declared void: what was rehearsed holds while neither
    /// changes.</summary>
    public static async Task<(long Last, long Voided)> StandAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select coalesce(max(row_id), 0), count(*) filter (where voids is not null or state = 'set-aside')
            from link_event where entity_id = $1 and connection_id = $2
            """,
            at
        );
        return (await command.RowsAsync(r => (r.GetInt64(0), r.GetInt64(1)), stop)).Single();
    }

    /// <summary>Keeps what was booked; the days that the list has are replaced whole.</summary>
    public static async Task KeepAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        IReadOnlyList<BookedSum> booked,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            with gone as (delete from link_booked where entity_id = $1 and connection_id = $2 and day = any($3::date[]))
            insert into link_booked (entity_id, connection_id, day, account, reference, amount)
            select $1, $2, n.* from unnest($3::date[], $4::text[], $5::text[], $6::numeric[]) n
            """,
            at,
            booked.Select(b => b.Day).ToArray(),
            booked.Select(b => b.Account).ToArray(),
            booked.Select(b => b.Reference).ToArray(),
            booked.Select(b => b.Amount).ToArray()
        );
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>What a list says was booked.</summary>
    public static async Task<IReadOnlyList<BookedSum>> BookedAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        DateOnly from,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select day, account, reference, sum(amount) from link_booked
            where entity_id = $1 and connection_id = $2 and day >= $3 group by 1, 2, 3
            """,
            at,
            LinkSql.Maybe(from, NpgsqlDbType.Date)
        );
        return await command.RowsAsync(Sum, stop);
    }

    /// <summary>What a ledger's own journals say was booked, in its accounts; those of ours are not among them.</summary>
    public static async Task<IReadOnlyList<BookedSum>> JournalsAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        DateOnly from,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select f.date, l ->> 'account', coalesce(l ->> 'document', f.body ->> 'reference', ''),
              sum(coalesce((l ->> 'debit')::numeric, 0) - coalesce((l ->> 'credit')::numeric, 0))
            from link_foreign f cross join lateral jsonb_array_elements(case when jsonb_typeof(f.body -> 'lines') =
              'array' then f.body -> 'lines' else '[]' end) l
            where f.entity_id = $1 and f.connection_id = $2 and f.adopted_by is null and f.state <> 'reversed'
              and f.date >= $3 and jsonb_typeof(l) = 'object' and l ->> 'account' <> ''
              and coalesce(jsonb_typeof(l -> 'debit'), 'number') in ('number', 'null')
              and coalesce(jsonb_typeof(l -> 'credit'), 'number') in ('number', 'null')
            group by 1, 2, 3
            """,
            at,
            LinkSql.Maybe(from, NpgsqlDbType.Date)
        );
        return await command.RowsAsync(Sum, stop);
    }

    private static BookedSum Sum(NpgsqlDataReader r) =>
        new(r.GetFieldValue<DateOnly>(0), r.GetString(1), r.GetString(2), r.GetDecimal(3));
}
