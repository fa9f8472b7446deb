using Assignum.Core.Work;
using Npgsql;
using NpgsqlTypes;

namespace Assignum.Storage;

/// <summary>Keeps work. Whoever does it holds a lease; when a holder is gone, its lease ends and another takes it
/// over.</summary>
public static class WorkStore
{
    private const string Columns = """
        w.work_id, w.entity_id, e.code, w.kind, w.subject, w.who, w.input::text, w.status, w.done, w.steps, w.says,
        w.result::text, w.attempts, w.due, w.cancel, w.at, w.started_at, w.finished_at
        """;

    /// <summary>Adds work, to be done as soon as somebody is free.</summary>
    public static async Task<long> AddAsync(
        NpgsqlConnection db,
        int entity,
        string kind,
        string subject,
        string who,
        string input,
        byte[]? file,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            insert into work (entity_id, kind, subject, who, input, file) values ($1, $2, $3, $4, $5::jsonb, $6)
            returning work_id
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = kind },
                new() { Value = subject },
                new() { Value = who },
                new() { Value = input, NpgsqlDbType = NpgsqlDbType.Text },
                new() { Value = (object?)file ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Bytea },
            },
        };
        return (long)(await command.ExecuteScalarAsync(stop))!;
    }

    /// <summary>
    /// Takes the work that is due first and that nobody does, or whose holder is gone, for a while; null: there is none.
    /// Two who ask at once get different work. Uses work_due.
    /// </summary>
    public static async Task<WorkRow?> TakeAsync(
        NpgsqlConnection db,
        Guid holder,
        TimeSpan lease,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            $"""
            with next as (
              select work_id from work
              where status = 'waiting' and due <= now() or status = 'running' and lease < now()
              order by due, work_id limit 1 for update skip locked),
            w as (
              update work set status = 'running', holder = $1, lease = now() + $2, attempts = attempts + 1,
                started_at = coalesce(started_at, now())
              where work_id = (select work_id from next) returning *)
            select {Columns} from w join entity e on e.entity_id = w.entity_id
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = holder },
                new() { Value = lease },
            },
        };
        return await OneAsync(command, stop);
    }

    /// <summary>Says how far it is and holds it for another while.</summary>
    /// <returns>Null: it is another's by now; else whether somebody asked it to stop.</returns>
    public static async Task<bool?> HoldAsync(
        NpgsqlConnection db,
        long id,
        Guid holder,
        TimeSpan lease,
        (int Done, int? Steps, string? Says)? progress,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            update work set lease = now() + $3, done = coalesce($4, done), steps = coalesce($5, steps),
              says = coalesce($6, says)
            where work_id = $1 and holder = $2 and status = 'running' returning cancel
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = id },
                new() { Value = holder },
                new() { Value = lease },
                new() { Value = (object?)progress?.Done ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Integer },
                new() { Value = (object?)progress?.Steps ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Integer },
                new() { Value = (object?)progress?.Says ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Text },
            },
        };
        return (bool?)await command.ExecuteScalarAsync(stop);
    }

    /// <summary>Ends it as its holder: done with a result, failed or cancelled with what there is to say, or to be tried
    /// again on a later day.</summary>
    /// <param name="again">When it is tried again; null: it is not.</param>
    /// <returns>Whether it was still the holder's.</returns>
    public static async Task<bool> EndAsync(
        NpgsqlConnection db,
        long id,
        Guid holder,
        string status,
        string? says,
        string? result,
        TimeSpan? again,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            update work set status = $3, says = coalesce($4, says), result = $5::jsonb, holder = null, lease = null,
              due = now() + coalesce($6, interval '0'), finished_at = case when $3 <> 'waiting' then now() end,
              file = case when $3 = 'done' then null else file end
            where work_id = $1 and holder = $2 and status = 'running'
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = id },
                new() { Value = holder },
                new() { Value = status },
                new() { Value = (object?)says ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Text },
                new() { Value = (object?)result ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Text },
                new() { Value = (object?)again ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Interval },
            },
        };
        return await command.ExecuteNonQueryAsync(stop) > 0;
    }

    /// <summary>Asks work to stop: what waits is cancelled at once, what runs when it next says how far it is.</summary>
    /// <returns>Whether there was any that could be.</returns>
    public static async Task<bool> CancelAsync(NpgsqlConnection db, int entity, long id, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand(
            """
            update work set cancel = true, status = case when status = 'waiting' then 'cancelled' else status end,
              finished_at = case when status = 'waiting' then now() end
            where entity_id = $1 and work_id = $2 and status in ('waiting', 'running')
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = id },
            },
        };
        return await command.ExecuteNonQueryAsync(stop) > 0;
    }

    /// <summary>Lets work that failed or was cancelled be tried once more.</summary>
    public static async Task<bool> AgainAsync(NpgsqlConnection db, int entity, long id, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand(
            """
            update work set status = 'waiting', cancel = false, attempts = 0, due = now(), finished_at = null, says =
              null
            where entity_id = $1 and work_id = $2 and status in ('failed', 'cancelled')
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = id },
            },
        };
        return await command.ExecuteNonQueryAsync(stop) > 0;
    }

    /// <summary>How much work there is of each status.</summary>
    public static async Task<IReadOnlyDictionary<string, long>> CountsAsync(NpgsqlConnection db, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand("select status, count(*) from work group by status", db);
        await using var reader = await command.ExecuteReaderAsync(stop);
        var counts = new Dictionary<string, long>(StringComparer.Ordinal);
        while (await reader.ReadAsync(stop))
            counts[reader.GetString(0)] = reader.GetInt64(1);
        return counts;
    }

    /// <summary>The newest work of an entity. Uses work_entity.</summary>
    public static async Task<IReadOnlyList<WorkRow>> ListAsync(
        NpgsqlConnection db,
        int entity,
        int limit,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            $"""
            select {Columns} from work w join entity e on e.entity_id = w.entity_id
            where w.entity_id = $1 order by w.work_id desc limit $2
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = limit },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var rows = new List<WorkRow>();
        while (await reader.ReadAsync(stop))
            rows.Add(Row(reader));
        return rows;
    }

    /// <summary>One piece of work of an entity, or null.</summary>
    public static async Task<WorkRow?> FindAsync(NpgsqlConnection db, int entity, long id, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand(
            $"""
            select {Columns} from work w join entity e on e.entity_id = w.entity_id
            where w.entity_id = $1 and w.work_id = $2
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = id },
            },
        };
        return await OneAsync(command, stop);
    }

    /// <summary>The file that it works on; null: none, or it is done.</summary>
    public static async Task<byte[]?> FileAsync(NpgsqlConnection db, long id, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand("select file from work where work_id = $1", db)
        {
            Parameters = { new() { Value = id } },
        };
        return await command.ExecuteScalarAsync(stop) as byte[];
    }

    private static async Task<WorkRow?> OneAsync(NpgsqlCommand command, CancellationToken stop)
    {
        await using var reader = await command.ExecuteReaderAsync(stop);
        return await reader.ReadAsync(stop) ? Row(reader) : null;
    }

    private static WorkRow Row(NpgsqlDataReader reader)
    {
        string? Text(int at) => reader.IsDBNull(at) ? null : reader.GetString(at);
        DateTime? Time(int at) => reader.IsDBNull(at) ? null : reader.GetDateTime(at);
        return new WorkRow(
            reader.GetInt64(0),
            reader.GetInt32(1),
            reader.GetString(2),
            reader.GetString(3),
            reader.GetString(4),
            reader.GetString(5),
            reader.GetString(6),
            reader.GetString(7),
            reader.GetInt32(8),
            reader.IsDBNull(9) ? null : reader.GetInt32(9),
            Text(10),
            Text(11),
            reader.GetInt32(12),
            reader.GetDateTime(13),
            reader.GetBoolean(14),
            reader.GetDateTime(15),
            Time(16),
            Time(17)
        );
    }
}
