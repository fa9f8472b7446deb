using Npgsql;

namespace Assignum.Storage;

/// <summary>A part of a bundle as it was taken out.</summary>
/// <param name="Content">Its CSV, compressed.</param>
public sealed record TakenPart(string Part, string Digest, int Rows, byte[] Content);

/// <summary>A bundle that was taken out, or the last that was brought in whole.</summary>
/// <param name="Parts">Digest and number of rows by part.</param>
public sealed record TakenHead(
    long Id,
    bool Brought,
    string Who,
    DateTime At,
    IReadOnlyDictionary<string, (string Digest, int Rows)> Parts
);

/// <summary>Remembers bundles: the newest that were taken out, and the last that was brought in.</summary>
public static class TakenStore
{
    /// <summary>Bundles taken out that are remembered of an entity.</summary>
    public const int Most = 12;

    /// <summary>Remembers a bundle; the same one again is only newer then.</summary>
    /// <param name="anew">A bundle that is no descendant of those remembered took their place: they are
    /// forgotten.</param>
    public static async Task KeepAsync(
        NpgsqlConnection db,
        int entity,
        bool brought,
        bool anew,
        string digest,
        IReadOnlyList<TakenPart> parts,
        string who,
        CancellationToken stop
    )
    {
        await using var head = new NpgsqlCommand(
            """
            insert into taken (entity_id, brought, digest, who) values ($1, $2, $3, $4)
            on conflict (entity_id, brought, digest) do update set at = now(), who = excluded.who returning taken_id
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = brought },
                new() { Value = digest },
                new() { Value = who },
            },
        };
        var id = (long)(await head.ExecuteScalarAsync(stop))!;
        await using var rows = new NpgsqlCommand(
            """
            insert into taken_part (entity_id, taken_id, part, digest, rows, content) select $1, $2, * from unnest($3,
              $4, $5, $6) on conflict do nothing
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = id },
                new() { Value = parts.Select(p => p.Part).ToArray() },
                new() { Value = parts.Select(p => p.Digest).ToArray() },
                new() { Value = parts.Select(p => p.Rows).ToArray() },
                new() { Value = parts.Select(p => p.Content).ToArray() },
            },
        };
        await rows.ExecuteNonQueryAsync(stop);
        await using var old = new NpgsqlCommand(
            """
            delete from taken t where entity_id = $1 and taken_id <> $2 and (($3 and t.brought) or $4 or at < now() -
              interval '30 days'
              or (not t.brought and (select count(*) from taken n where n.entity_id = $1 and not n.brought and (n.at,
                n.taken_id) > (t.at, t.taken_id)) >= $5))
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = id },
                new() { Value = brought },
                new() { Value = anew },
                new() { Value = Most },
            },
        };
        await old.ExecuteNonQueryAsync(stop);
    }

    /// <summary>All that are remembered, newest first.</summary>
    public static async Task<IReadOnlyList<TakenHead>> ListAsync(
        NpgsqlConnection db,
        int entity,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select t.taken_id, t.brought, t.who, t.at, array_agg(p.part), array_agg(p.digest), array_agg(p.rows)
            from taken t join taken_part p using (entity_id, taken_id) where t.entity_id = $1 group by t.entity_id,
              t.taken_id order by t.at desc, t.taken_id desc
            """,
            db
        )
        {
            Parameters = { new() { Value = entity } },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var heads = new List<TakenHead>();
        while (await reader.ReadAsync(stop))
        {
            var (parts, digests, counts) = (
                reader.GetFieldValue<string[]>(4),
                reader.GetFieldValue<string[]>(5),
                reader.GetFieldValue<int[]>(6)
            );
            heads.Add(
                new TakenHead(
                    reader.GetInt64(0),
                    reader.GetBoolean(1),
                    reader.GetString(2),
                    reader.GetDateTime(3),
                    parts.Select((p, i) => (p, (digests[i], counts[i]))).ToDictionary(x => x.p, x => x.Item2)
                )
            );
        }
        return heads;
    }

    /// <summary>The content of one part.</summary>
    public static async Task<byte[]> ContentAsync(
        NpgsqlConnection db,
        int entity,
        long id,
        string part,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            "select content from taken_part where entity_id = $1 and taken_id = $2 and part = $3",
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = id },
                new() { Value = part },
            },
        };
        return (byte[])(await command.ExecuteScalarAsync(stop))!;
    }
}
