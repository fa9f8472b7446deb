using Assignum.Core.Pairing;
using Npgsql;

namespace Assignum.Storage;

/// <summary>Keeps what was decided about a connection beside pairings: words, purposes, differences.</summary>
public static class LinkSettleStore
{
    /// <summary>The words that somebody settled.</summary>
    public static async Task<IReadOnlyList<LinkWord>> WordsAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            "select field, theirs, ours from link_word where entity_id = $1 and connection_id = $2 order by field, theirs",
            at
        );
        return await command.RowsAsync(r => new LinkWord(r.GetString(0), r.GetString(1), r.GetString(2), true), stop);
    }

    /// <summary>Settles a word.</summary>
    /// <param name="ours">Null: it is open again.</param>
    public static async Task SetWordAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        string field,
        string theirs,
        string? ours,
        string who,
        CancellationToken stop
    )
    {
        await using var command = ours is null
            ? LinkSql.Of(
                db,
                "delete from link_word where entity_id = $1 and connection_id = $2 and field = $3 and theirs = $4",
                at,
                field,
                theirs
            )
            : LinkSql.Of(
                db,
                """
                insert into link_word values ($1, $2, $3, $4, $5, $6) on conflict (entity_id, connection_id, field,
                  theirs)
                do update set ours = excluded.ours, who = excluded.who, at = now()
                """,
                at,
                field,
                theirs,
                ours,
                who
            );
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>The purposes that are settled.</summary>
    public static async Task<IReadOnlyList<SettledPurpose>> PurposesAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select purpose, channel, method, location, how, account, rung, reason, who, at from link_purpose
            where entity_id = $1 and connection_id = $2
            """,
            at
        );
        return await command.RowsAsync(
            r => new SettledPurpose(
                r.GetString(0),
                r.GetString(1),
                r.GetString(2),
                r.GetString(3),
                r.GetString(4),
                r.GetString(5),
                r.GetString(6),
                r.Text(7),
                r.GetString(8),
                r.GetDateTime(9)
            ),
            stop
        );
    }

    /// <summary>Settles a purpose.</summary>
    public static async Task SetPurposeAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        SettledPurpose of,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            insert into link_purpose values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11)
            on conflict (entity_id, connection_id, purpose, channel, method, location) do update set how = excluded.how,
              account = excluded.account, rung = excluded.rung, reason = excluded.reason, who = excluded.who, at = now()
            """,
            at,
            of.Purpose,
            of.Channel,
            of.Method,
            of.Location,
            of.How,
            of.Account,
            of.Rung,
            of.Reason,
            of.Who
        );
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>Opens a purpose again.</summary>
    public static async Task OpenPurposeAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        (string Purpose, string Channel, string Method, string Location) of,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            delete from link_purpose where entity_id = $1 and connection_id = $2 and purpose = $3 and channel = $4 and
              method = $5
              and location = $6
            """,
            at,
            of.Purpose,
            of.Channel,
            of.Method,
            of.Location
        );
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>The differences that were accepted.</summary>
    public static async Task<IReadOnlyList<AcceptedDifference>> AcceptedAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            "select record, theirs, said, reason, who, at from link_accepted where entity_id = $1 and connection_id = $2",
            at
        );
        return await command.RowsAsync(
            r => new AcceptedDifference(
                r.GetString(0),
                r.GetString(1),
                r.GetString(2),
                r.GetString(3),
                r.GetString(4),
                r.GetDateTime(5)
            ),
            stop
        );
    }

    /// <summary>Accepts a difference as it is said now.</summary>
    public static async Task AcceptAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        AcceptedDifference of,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            insert into link_accepted values ($1, $2, $3, $4, $5, $6, $7) on conflict (entity_id, connection_id,
              record, theirs)
            do update set said = excluded.said, reason = excluded.reason, who = excluded.who, at = now()
            """,
            at,
            of.Record,
            of.Theirs,
            of.Said,
            of.Reason,
            of.Who
        );
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>Keeps a list of theirs in the place of the one before it.</summary>
    /// <param name="rows">A JSON array of objects.</param>
    public static async Task KeepListAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        string control,
        DateOnly day,
        string rows,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            insert into link_list values ($1, $2, $3, $4, $5) on conflict (entity_id, connection_id, control)
            do update set at = excluded.at, rows = excluded.rows, fetched_at = now()
            """,
            at,
            control,
            LinkSql.Maybe(day, NpgsqlTypes.NpgsqlDbType.Date),
            LinkSql.Maybe(rows, NpgsqlTypes.NpgsqlDbType.Jsonb)
        );
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>Their lists as they told them last, by control.</summary>
    public static async Task<IReadOnlyList<(string Control, DateOnly At, string Rows)>> ListsAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            "select control, at, rows::text from link_list where entity_id = $1 and connection_id = $2 order by control",
            at
        );
        return await command.RowsAsync(r => (r.GetString(0), r.GetFieldValue<DateOnly>(1), r.GetString(2)), stop);
    }

    /// <summary>Takes an acceptance back.</summary>
    public static async Task UnacceptAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        string record,
        string theirs,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            "delete from link_accepted where entity_id = $1 and connection_id = $2 and record = $3 and theirs = $4",
            at,
            record,
            theirs
        );
        await command.ExecuteNonQueryAsync(stop);
    }
}
