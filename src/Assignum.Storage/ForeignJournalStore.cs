using Assignum.Core.Feeding;
using Npgsql;
using NpgsqlTypes;

namespace Assignum.Storage;

/// <summary>Keeps what stands in a ledger and was not sent by us: written there by hand, or sent before a restore.</summary>
public static class ForeignJournalStore
{
    /// <summary>Keeps what of journals there is none of ours.</summary>
    /// <returns>How many are foreign and new.</returns>
    public static async Task<int> TakeAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        IReadOnlyList<ForeignJournal> came,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            insert into link_foreign as f (entity_id, connection_id, id, key, origin, state, date, "number", text,
              body, content)
            select $1, $2, n.* from (select distinct on (id) * from unnest($3::text[], $4::text[], $5::text[],
              $6::text[], $7::date[],
                $8::text[], $9::text[], $10::jsonb[], $11::bytea[]) as n(id, key, origin, state, date, "number", text,
                  body, content)) n
            where n.origin <> 'link' or n.key is null or not exists (select from link_journal j where j.entity_id = $1
              and j.connection_id = $2 and j.key = n.key)
            on conflict (entity_id, connection_id, id) do update set state = excluded.state, date = excluded.date,
              text = excluded.text, body = excluded.body
            """,
            at,
            came.Select(c => c.Id).ToArray(),
            FeedStore.Texts(came.Select(c => c.Key)),
            came.Select(c => c.Origin).ToArray(),
            came.Select(c => c.State).ToArray(),
            came.Select(c => c.Date).ToArray(),
            came.Select(c => c.Number).ToArray(),
            came.Select(c => c.Text).ToArray(),
            FeedStore.Many(came.Select(c => c.Body).ToArray(), NpgsqlDbType.Jsonb),
            FeedStore.Many(came.Select(c => c.Content).ToArray(), NpgsqlDbType.Bytea)
        );
        return await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>Of some contents the journals there that say the same and belong to none of ours; each is then that
    /// one's.</summary>
    public static async Task<IReadOnlyDictionary<long, (string Id, string? Key)>> AdoptAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        IReadOnlyList<(long Id, byte[] Content)> journals,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            with n as (select journal_id, content, row_number() over (partition by content order by journal_id) as place
                from unnest($3::bigint[], $4::bytea[]) as n(journal_id, content)),
            o as (select f.id, f.content, row_number() over (partition by f.content order by f.id) as place from
              link_foreign f
              where f.entity_id = $1 and f.connection_id = $2 and f.adopted_by is null and f.origin = 'link' and
                f.state <> 'reversed'
                and f.content = any($4))
            update link_foreign f set adopted_by = n.journal_id from n join o using (content, place)
            where f.entity_id = $1 and f.connection_id = $2 and f.id = o.id returning n.journal_id, f.id, f.key
            """,
            at,
            journals.Select(j => j.Id).ToArray(),
            FeedStore.Many(journals.Select(j => j.Content).ToArray(), NpgsqlDbType.Bytea)
        );
        return (await command.RowsAsync(r => (r.GetInt64(0), r.GetString(1), r.Text(2)), stop)).ToDictionary(
            r => r.Item1,
            r => (r.Item2, r.Item3)
        );
    }

    /// <summary>Foreign journals in the order of their ids, after one.</summary>
    public static async Task<IReadOnlyList<ForeignJournal>> PageAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        string after,
        int limit,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select id, key, origin, state, date, "number", text, body::text from link_foreign where entity_id = $1 and
              connection_id = $2
              and adopted_by is null and id > $3 order by id limit $4
            """,
            at,
            after,
            limit
        );
        return await command.RowsAsync(
            r => new ForeignJournal(
                r.GetString(0),
                r.Text(1),
                r.GetString(2),
                r.GetString(3),
                r.GetFieldValue<DateOnly>(4),
                r.GetString(5),
                r.GetString(6),
                r.GetString(7),
                null
            ),
            stop
        );
    }
}
