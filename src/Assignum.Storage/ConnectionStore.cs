using Assignum.Core.Pairing;
using Npgsql;
using NpgsqlTypes;

namespace Assignum.Storage;

/// <summary>Keeps connections, their secrets, and how asking them goes.</summary>
public static class ConnectionStore
{
    private const string Columns = """
        connection_id, code, kind, "name", address, currency, gap_minutes, patience_days, closed_period, state, why,
          paused_from,
        life, admits, live_from, version, key_hidden is not null, refusals, contact_at, trouble, made_by, made_at,
          sends, parallel_from, failures, sends_by, folder
        """;

    private static Connection Read(NpgsqlDataReader r) =>
        new(
            r.GetInt32(0),
            r.GetString(1),
            r.GetString(2),
            r.GetString(3),
            r.GetString(4),
            r.GetString(5),
            r.GetInt32(6),
            r.GetInt32(7),
            r.GetString(8),
            r.GetString(9),
            r.Text(10),
            r.Text(11),
            r.Text(12),
            r.GetFieldValue<string[]>(13),
            r.IsDBNull(14) ? null : r.GetFieldValue<DateOnly>(14),
            r.GetInt32(15),
            r.GetBoolean(16),
            r.GetInt32(17),
            r.IsDBNull(18) ? null : r.GetDateTime(18),
            r.Text(19),
            r.GetString(20),
            r.GetDateTime(21),
            r.GetString(22),
            r.IsDBNull(23) ? null : r.GetFieldValue<DateOnly>(23),
            r.GetInt32(24),
            r.GetString(25),
            r.Text(26)
        );

    /// <summary>All of an entity, by code; closed ones too.</summary>
    public static async Task<IReadOnlyList<Connection>> ListAsync(
        NpgsqlConnection db,
        int entity,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            $"select {Columns} from connection where entity_id = $1 order by code",
            db
        )
        {
            Parameters = { new() { Value = entity } },
        };
        return await command.RowsAsync(Read, stop);
    }

    /// <summary>The one of a code; null: there is none.</summary>
    /// <param name="lock">Held until the transaction ends.</param>
    public static async Task<Connection?> FindAsync(
        NpgsqlConnection db,
        int entity,
        string code,
        bool @lock,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            $"select {Columns} from connection where entity_id = $1 and code = $2{(@lock ? " for update" : "")}",
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = code },
            },
        };
        return (await command.RowsAsync(Read, stop)).FirstOrDefault();
    }

    /// <summary>Makes one; null: its code is or was another's.</summary>
    public static async Task<Connection?> AddAsync(
        NpgsqlConnection db,
        int entity,
        Connection of,
        string? keyHidden,
        string hookHidden,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            $"""
            insert into connection (entity_id, code, kind, "name", address, currency, gap_minutes, patience_days,
              closed_period, key_hidden, hook_hidden, made_by, admits, sends, sends_by, folder)
            values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15, $16)
            on conflict (entity_id, code) do nothing returning {Columns}
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = of.Code },
                new() { Value = of.Kind },
                new() { Value = of.Name },
                new() { Value = of.Address },
                new() { Value = of.Currency },
                new() { Value = of.GapMinutes },
                new() { Value = of.PatienceDays },
                new() { Value = of.ClosedPeriod },
                LinkSql.Parameter(keyHidden),
                new() { Value = hookHidden },
                new() { Value = of.MadeBy },
                new() { Value = of.Admits.ToArray() },
                new() { Value = of.Sends },
                new() { Value = of.SendsBy },
                LinkSql.Parameter(of.Folder),
            },
        };
        return (await command.RowsAsync(Read, stop)).FirstOrDefault();
    }

    /// <summary>Changes one as it was seen; false: somebody changed it meanwhile.</summary>
    /// <param name="keyHidden">A new key; null: it stays.</param>
    public static async Task<bool> ChangeAsync(
        NpgsqlConnection db,
        int entity,
        Connection of,
        string? keyHidden,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            update connection set "name" = $4, address = $5, currency = $6, gap_minutes = $7, patience_days = $8,
              closed_period = $9,
              state = $10, why = $11, paused_from = $12, life = $13, admits = $14, live_from = $15, refusals = $16,
              key_hidden = coalesce($17, key_hidden), sends = $18, parallel_from = $19, sends_by = $20, folder = $21,
              version = version + 1
            where entity_id = $1 and connection_id = $2 and version = $3
            """,
            (entity, of.Id),
            of.Version,
            of.Name,
            of.Address,
            of.Currency,
            of.GapMinutes,
            of.PatienceDays,
            of.ClosedPeriod,
            of.State,
            of.Why,
            of.PausedFrom,
            of.Life,
            of.Admits.ToArray(),
            LinkSql.Maybe(of.LiveFrom, NpgsqlDbType.Date),
            of.Refusals,
            keyHidden,
            of.Sends,
            LinkSql.Maybe(of.ParallelFrom, NpgsqlDbType.Date),
            of.SendsBy,
            of.Folder
        );
        return await command.ExecuteNonQueryAsync(stop) == 1;
    }

    /// <summary>The key and the secrets of hooks, hidden: the one in use, and the one before it while it holds.</summary>
    public static async Task<(string? Key, string Hook, string? HookBefore)> SecretsAsync(
        NpgsqlConnection db,
        int entity,
        int connection,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select key_hidden, hook_hidden, case when hook_before_until > clock_timestamp() then hook_before end
            from connection where entity_id = $1 and connection_id = $2
            """,
            (entity, connection)
        );
        return (await command.RowsAsync(r => (r.Text(0), r.Text(1) ?? "", r.Text(2)), stop)).Single();
    }

    /// <summary>Another secret for hooks; the one before it holds for some time.</summary>
    public static async Task RenewHookAsync(
        NpgsqlConnection db,
        int entity,
        int connection,
        string hidden,
        TimeSpan overlap,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            update connection set hook_before = hook_hidden, hook_before_until = clock_timestamp() + $4, hook_hidden =
              $3,
              version = version + 1 where entity_id = $1 and connection_id = $2
            """,
            (entity, connection),
            hidden,
            overlap
        );
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>Notes a call of theirs; false: the same was taken before. Those that are too old to be repeated are
    /// forgotten.</summary>
    public static async Task<bool> TakeHookAsync(
        NpgsqlConnection db,
        int entity,
        int connection,
        string signature,
        TimeSpan kept,
        CancellationToken stop
    )
    {
        await using var old = LinkSql.Of(
            db,
            "delete from link_hook where entity_id = $1 and connection_id = $2 and at < clock_timestamp() - $3",
            (entity, connection),
            kept
        );
        await old.ExecuteNonQueryAsync(stop);
        await using var command = LinkSql.Of(
            db,
            "insert into link_hook values ($1, $2, $3) on conflict do nothing",
            (entity, connection),
            signature
        );
        return await command.ExecuteNonQueryAsync(stop) == 1;
    }

    /// <summary>Notes how asking it went: the trouble, or that it answered.</summary>
    /// <param name="refused">Whether it refused the key; the count of such answers in a row is returned.</param>
    public static async Task<int> AskedAsync(
        NpgsqlConnection db,
        int entity,
        int connection,
        string? trouble,
        bool refused,
        (int Records, int Events) came,
        TimeSpan? quiet,
        CancellationToken stop
    )
    {
        await using var hour = LinkSql.Of(
            db,
            """
            insert into link_hour as h values ($1, $2, date_trunc('hour', clock_timestamp()), 1, $3, $4, $5)
            on conflict (entity_id, connection_id, hour) do update set asked = h.asked + 1, failed = h.failed +
              excluded.failed,
              records = h.records + excluded.records, events = h.events + excluded.events
            """,
            (entity, connection),
            trouble is null ? 0 : 1,
            came.Records,
            came.Events
        );
        await hour.ExecuteNonQueryAsync(stop);
        await using var command = LinkSql.Of(
            db,
            """
            update connection set trouble = $3, contact_at = case when $3::text is null then clock_timestamp() else
              contact_at end,
              refusals = case when $4 then refusals + 1 when $3::text is null then 0 else refusals end,
              quiet_until = clock_timestamp() + $5
            where entity_id = $1 and connection_id = $2 returning refusals
            """,
            (entity, connection),
            trouble,
            refused,
            LinkSql.Maybe(quiet, NpgsqlTypes.NpgsqlDbType.Interval)
        );
        return (int)(await command.ExecuteScalarAsync(stop))!;
    }

    /// <summary>For how long it asked to be left alone yet; null: it may be asked.</summary>
    public static async Task<TimeSpan?> QuietAsync(
        NpgsqlConnection db,
        int entity,
        int connection,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select quiet_until - clock_timestamp() from connection where entity_id = $1 and connection_id = $2
              and quiet_until > clock_timestamp()
            """,
            (entity, connection)
        );
        return await command.ExecuteScalarAsync(stop) as TimeSpan?;
    }

    /// <summary>The last 24 hours that had anything, the oldest first.</summary>
    public static async Task<IReadOnlyList<LinkHour>> HoursAsync(
        NpgsqlConnection db,
        int entity,
        int connection,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select hour, asked, failed, records, events from link_hour where entity_id = $1 and connection_id = $2
              and hour > clock_timestamp() - interval '24 hours' order by hour
            """,
            (entity, connection)
        );
        return await command.RowsAsync(
            r => new LinkHour(r.GetDateTime(0), r.GetInt32(1), r.GetInt32(2), r.GetInt32(3), r.GetInt32(4)),
            stop
        );
    }

    /// <summary>The codes of an entity's connections, whatever their state.</summary>
    public static async Task<IReadOnlySet<string>> CodesAsync(NpgsqlConnection db, int entity, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand("select code from connection where entity_id = $1", db)
        {
            Parameters = { new() { Value = entity } },
        };
        return (await command.RowsAsync(r => r.GetString(0), stop)).ToHashSet(StringComparer.Ordinal);
    }
}
