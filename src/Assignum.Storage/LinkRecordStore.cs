using System.Text.Json;
using Assignum.Core.Pairing;
using Npgsql;
using NpgsqlTypes;

namespace Assignum.Storage;

/// <summary>Keeps the records that connected systems have, and from where their lists go on.</summary>
public static class LinkRecordStore
{
    /// <summary>Notes that records of theirs were made from here, or were taken back.</summary>
    public static async Task MadeHereAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        string kind,
        IReadOnlyCollection<string> ids,
        bool made,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            update link_record set made_here = $5 where entity_id = $1 and connection_id = $2 and kind = $3
              and id = any($4)
            """,
            at,
            kind,
            ids.ToArray(),
            made
        );
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>Of some records of theirs those that were made from here.</summary>
    public static async Task<IReadOnlyList<string>> WereMadeHereAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        string kind,
        IReadOnlyCollection<string> ids,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select id from link_record where entity_id = $1 and connection_id = $2 and kind = $3 and id = any($4)
              and made_here
            """,
            at,
            kind,
            ids.ToArray()
        );
        return await command.RowsAsync(r => r.GetString(0), stop);
    }

    /// <summary>How many posted events name records of theirs.</summary>
    public static async Task<IReadOnlyDictionary<(string Record, string Theirs), long>> PostedByAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        IReadOnlyCollection<(string Record, string Theirs)> records,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select n.record, n.theirs, count(*) from unnest($3::text[], $4::text[]) as w(record, theirs)
            join link_event_name n on n.entity_id = $1 and n.connection_id = $2 and n.record = w.record
              and n.theirs = w.theirs
            join link_event e on e.entity_id = $1 and e.connection_id = $2 and e.row_id = n.row_id and e.state = 'posted'
            group by 1, 2
            """,
            at,
            records.Select(r => r.Record).ToArray(),
            records.Select(r => r.Theirs).ToArray()
        );
        return (await command.RowsAsync(r => (r.GetString(0), r.GetString(1), r.GetInt64(2)), stop)).ToDictionary(
            r => (r.Item1, r.Item2),
            r => r.Item3
        );
    }

    private const string Columns =
        "id, \"name\", status, merged_into, rate, body::text, known_name, known_status, known_merged, known_rate";

    private static LinkRecord Read(NpgsqlDataReader r) =>
        new(
            r.GetString(0),
            r.GetString(1),
            r.GetString(2),
            r.Text(3),
            r.Number(4),
            Fields(r.GetString(5)),
            r.GetString(5),
            r.GetString(6),
            r.GetString(7),
            r.Text(8),
            r.Number(9)
        );

    // A JSON object as its fields, those of an object within it too.
    private static Dictionary<string, string> Fields(string body)
    {
        var fields = new Dictionary<string, string>(StringComparer.Ordinal);
        using var json = JsonDocument.Parse(body);
        void Put(string name, JsonElement value)
        {
            if (value.ValueKind == JsonValueKind.String)
                fields[name] = value.GetString()!;
            else if (value.ValueKind is JsonValueKind.Number or JsonValueKind.True or JsonValueKind.False)
                fields[name] = value.GetRawText();
        }
        foreach (var property in json.RootElement.EnumerateObject())
            if (property.Value.ValueKind == JsonValueKind.Object)
                foreach (var inner in property.Value.EnumerateObject())
                    Put($"{property.Name}.{inner.Name}", inner.Value);
            else
                Put(property.Name, property.Value);
        return fields;
    }

    /// <summary>Takes a page of records; of one id the last counts.</summary>
    public static async Task TakeAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        string kind,
        long fetch,
        IReadOnlyList<CameRecord> records,
        CancellationToken stop
    )
    {
        var last = records.GroupBy(r => r.Id, StringComparer.Ordinal).Select(g => g.Last()).ToList();
        if (last.Count == 0)
            return;
        await using var command = LinkSql.Of(
            db,
            """
            insert into link_record as r (entity_id, connection_id, kind, id, "name", status, merged_into, rate, body,
              unknown,
              known_name, known_status, known_merged, known_rate, round)
            select $1, $2, $3, n.id, n.name, n.status, n.merged, n.rate, n.body::jsonb, array(select
              jsonb_array_elements_text(
              n.unknown::jsonb)), n.name, n.status, n.merged, n.rate, $4
            from unnest($5::text[], $6::text[], $7::text[], $8::text[], $9::numeric[], $10::text[], $11::text[])
              as n(id, name, status, merged, rate, body, unknown)
            on conflict (entity_id, connection_id, kind, id) do update set "name" = excluded."name", status =
              excluded.status,
              merged_into = excluded.merged_into, rate = excluded.rate, body = excluded.body, unknown =
                excluded.unknown,
              round = excluded.round, at = case when r.body = excluded.body and r."name" = excluded."name"
                and r.status = excluded.status then r.at else now() end
            """,
            at,
            kind,
            fetch,
            last.Select(r => r.Id).ToArray(),
            last.Select(r => r.Name).ToArray(),
            last.Select(r => r.Status).ToArray(),
            new NpgsqlParameter
            {
                Value = last.Select(r => r.MergedInto).ToArray(),
                NpgsqlDbType = NpgsqlDbType.Array | NpgsqlDbType.Text,
            },
            new NpgsqlParameter
            {
                Value = last.Select(r => r.Rate).ToArray(),
                NpgsqlDbType = NpgsqlDbType.Array | NpgsqlDbType.Numeric,
            },
            last.Select(r => r.Body).ToArray(),
            last.Select(r => JsonSerializer.Serialize(r.Unknown)).ToArray()
        );
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>Marks as deleted what a list that was read from its beginning does not have any more.</summary>
    public static async Task<int> GoneAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        string kind,
        long fetch,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            update link_record set status = 'deleted', at = now() where entity_id = $1 and connection_id = $2 and kind
              = $3
              and round <> $4 and status <> 'deleted'
            """,
            at,
            kind,
            fetch
        );
        return await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>All of a kind, by id.</summary>
    public static async Task<IReadOnlyList<LinkRecord>> ListAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        string kind,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            $"select {Columns} from link_record where entity_id = $1 and connection_id = $2 and kind = $3 order by id",
            at,
            kind
        );
        return await command.RowsAsync(Read, stop);
    }

    /// <summary>All of a kind, by id, without their other fields: what long lists are laid out by.</summary>
    public static async Task<IReadOnlyList<LinkRecord>> HeadsAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        string kind,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select id, "name", status, merged_into, rate, nullif(known_name, "name"), nullif(known_status, status),
              known_merged, known_rate
            from link_record where entity_id = $1 and connection_id = $2 and kind = $3
            """,
            at,
            kind
        );
        return await command.RowsAsync(
            r => new LinkRecord(
                r.GetString(0),
                r.GetString(1),
                r.GetString(2),
                r.Text(3),
                r.Number(4),
                None,
                "{}",
                r.Text(5) ?? r.GetString(1),
                r.Text(6) ?? r.GetString(2),
                r.Text(7),
                r.Number(8)
            ),
            stop
        );
    }

    private static readonly Dictionary<string, string> None = [];

    /// <summary>Some of a kind; those that are not there are left out.</summary>
    public static async Task<IReadOnlyDictionary<string, LinkRecord>> FindAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        string kind,
        IEnumerable<string> ids,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            $"select {Columns} from link_record where entity_id = $1 and connection_id = $2 and kind = $3 and id = any($4)",
            at,
            kind,
            ids.Distinct(StringComparer.Ordinal).ToArray()
        );
        return (await command.RowsAsync(Read, stop)).ToDictionary(r => r.Id, StringComparer.Ordinal);
    }

    /// <summary>How many there are of each kind, and how many of their fields are none of the link's.</summary>
    public static async Task<IReadOnlyList<(string Kind, int Count, int Unknown)>> CountsAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select kind, count(*) filter (where status <> 'deleted')::int, count(*) filter (where unknown <> '{}')::int
            from link_record where entity_id = $1 and connection_id = $2 group by kind
            """,
            at
        );
        return await command.RowsAsync(r => (r.GetString(0), r.GetInt32(1), r.GetInt32(2)), stop);
    }

    /// <summary>Records that are paired and have changed since somebody looked at them.</summary>
    public static async Task<IReadOnlyList<(string Kind, LinkRecord Record, string? Ours)>> ChangedAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        string code,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select r.id, r."name", r.status, r.merged_into, r.rate, r.body::text, r.known_name, r.known_status,
              r.known_merged,
              r.known_rate, r.kind, p.ours
            from link_record r join pairings p on p.entity_id = r.entity_id and p.connection = $3 and p.record = r.kind
              and p.theirs = r.id and p.ours is not null
            where r.entity_id = $1 and r.connection_id = $2 and (r."name", r.status, r.merged_into, r.rate) is
              distinct from
              (r.known_name, r.known_status, r.known_merged, r.known_rate)
            order by r.kind, r.id
            """,
            at,
            code
        );
        return await command.RowsAsync(r => (r.GetString(10), Read(r), r.Text(11)), stop);
    }

    /// <summary>Notes that somebody has looked at records as they are now.</summary>
    public static async Task LookedAtAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        string kind,
        IEnumerable<string> ids,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            update link_record set known_name = "name", known_status = status, known_merged = merged_into, known_rate
              = rate
            where entity_id = $1 and connection_id = $2 and kind = $3 and id = any($4)
            """,
            at,
            kind,
            ids.ToArray()
        );
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>Pairings that stand for the same record, of either side, as some that are to be added; as cells.</summary>
    public static async Task<IReadOnlyList<string?[]>> PairedAsync(
        NpgsqlConnection db,
        int entity,
        IReadOnlyList<string?[]> added,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select p.connection, p.record, p.theirs, p.ours, p.state, p.note
            from unnest($2::text[], $3::text[], $4::text[]) as n(connection, record, theirs)
            join pairings p on p.entity_id = $1 and p.connection = n.connection and p.record = n.record and p.theirs =
              n.theirs
            union select p.connection, p.record, p.theirs, p.ours, p.state, p.note
            from unnest($2::text[], $3::text[], $5::text[]) as n(connection, record, ours)
            join pairings p on p.entity_id = $1 and p.connection = n.connection and p.record = n.record and p.ours =
              n.ours
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = added.Select(a => a[0]!).ToArray() },
                new() { Value = added.Select(a => a[1]!).ToArray() },
                new() { Value = added.Select(a => a[2]!).ToArray() },
                new()
                {
                    Value = added.Select(a => a[3]).ToArray(),
                    NpgsqlDbType = NpgsqlDbType.Array | NpgsqlDbType.Text,
                },
            },
        };
        return await command.RowsAsync(
            r => new[] { r.GetString(0), r.GetString(1), r.GetString(2), r.Text(3), r.Text(4), r.Text(5) },
            stop
        );
    }

    /// <summary>From where a list goes on; null: from its beginning.</summary>
    public static async Task<string?> CursorAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        string of,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            "select cursor from link_cursor where entity_id = $1 and connection_id = $2 and of = $3",
            at,
            of
        );
        return await command.ExecuteScalarAsync(stop) as string;
    }

    /// <summary>Notes from where it goes on.</summary>
    /// <param name="cursor">Null: from its beginning.</param>
    public static async Task SetCursorAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        string of,
        string? cursor,
        CancellationToken stop
    )
    {
        await using var command = cursor is null
            ? LinkSql.Of(db, "delete from link_cursor where entity_id = $1 and connection_id = $2 and of = $3", at, of)
            : LinkSql.Of(
                db,
                """
                insert into link_cursor values ($1, $2, $3, $4) on conflict (entity_id, connection_id, of) do update
                  set cursor = excluded.cursor, at = now()
                """,
                at,
                of,
                cursor
            );
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>A number for a fetching, larger than those before.</summary>
    public static async Task<long> NewFetchAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            "select coalesce(max(round), 0) + 1 from link_record where entity_id = $1 and connection_id = $2",
            at
        );
        return (long)(await command.ExecuteScalarAsync(stop))!;
    }
}
