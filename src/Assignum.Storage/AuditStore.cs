using Assignum.Core.Access;
using Npgsql;
using NpgsqlTypes;

namespace Assignum.Storage;

/// <summary>Reads the audit and checks its chains.</summary>
public static class AuditStore
{
    /// <summary>The latest lines first.</summary>
    public static async IAsyncEnumerable<AuditRow> ReadAsync(
        NpgsqlConnection db,
        AuditAsked asked,
        int most,
        [System.Runtime.CompilerServices.EnumeratorCancellation] CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select a.audit_id, a.at, e.code, a.who, a.what, a.subject, a.before::text, a.after::text
            from audit a left join entity e using (entity_id)
            where ($1::text[] is null or e.code = any($1)) and ($2::text is null or a.who = $2)
              and ($3::text is null or a.what = $3)
              and ($4::text is null or strpos(lower(concat_ws(' ', a.subject, a.before::text, a.after::text)), $4) > 0)
              and ($5::date is null or a.at >= $5::date) and ($6::date is null or a.at < $6::date + 1)
              and ($7::bigint is null or a.audit_id < $7)
            order by a.audit_id desc limit $8
            """,
            db
        )
        {
            Parameters =
            {
                Maybe(asked.Entities?.ToArray(), NpgsqlDbType.Array | NpgsqlDbType.Text),
                Maybe(asked.Who, NpgsqlDbType.Text),
                Maybe(asked.What, NpgsqlDbType.Text),
                Maybe(asked.Text?.ToLowerInvariant(), NpgsqlDbType.Text),
                Maybe(asked.From, NpgsqlDbType.Date),
                Maybe(asked.To, NpgsqlDbType.Date),
                Maybe(asked.Before, NpgsqlDbType.Bigint),
                new() { Value = most },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        string? Text(int at) => reader.IsDBNull(at) ? null : reader.GetString(at);
        while (await reader.ReadAsync(stop))
            yield return new AuditRow(
                reader.GetInt64(0),
                reader.GetDateTime(1),
                Text(2),
                reader.GetString(3),
                reader.GetString(4),
                reader.GetString(5),
                Text(6),
                Text(7)
            );
    }

    /// <summary>What was done, each kind of act once, in the order of the alphabet.</summary>
    public static async Task<IReadOnlyList<string>> KindsAsync(NpgsqlConnection db, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand("select distinct what from audit order by what", db);
        await using var reader = await command.ExecuteReaderAsync(stop);
        var kinds = new List<string>();
        while (await reader.ReadAsync(stop))
            kinds.Add(reader.GetString(0));
        return kinds;
    }

    /// <summary>The entities of all books, by code; 0 and no code: what belongs to none.</summary>
    public static async Task<IReadOnlyList<(int Id, string Code)>> ChainsAsync(
        NpgsqlConnection db,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand("select entity_id, code from entity order by code", db);
        await using var reader = await command.ExecuteReaderAsync(stop);
        var chains = new List<(int, string)> { (0, "") };
        while (await reader.ReadAsync(stop))
            chains.Add((reader.GetInt32(0), reader.GetString(1)));
        return chains;
    }

    /// <summary>Checks the audit of an entity, or with 0 that of none, from its first line on.</summary>
    public static async Task<SealCheck> VerifyAsync(NpgsqlConnection db, int chain, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand(
            """
            with lines as (
              select audit_id, seal, sha256(coalesce(lag(seal) over (order by audit_id), '') || audit_content(a)) as
                "is"
              from audit a where coalesce(entity_id, 0) = $1)
            select count(*), min(audit_id) filter (where seal is distinct from "is"),
              (select seal from audit_head where entity_id = $1),
              (select seal from lines order by audit_id desc limit 1)
            from lines
            """,
            db
        )
        {
            Parameters = { new() { Value = chain } },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        await reader.ReadAsync(stop);
        byte[] Seal(int at) => reader.IsDBNull(at) ? [] : reader.GetFieldValue<byte[]>(at);
        var last = Convert.ToHexStringLower(Seal(3));
        if (!reader.IsDBNull(1))
        {
            var line = reader.GetInt64(1).ToString(System.Globalization.CultureInfo.InvariantCulture);
            return new(
                reader.GetInt64(0),
                last,
                new(line, $"Line {line} of the audit is not what was written, or the one before it is gone.")
            );
        }
        return new(
            reader.GetInt64(0),
            last,
            Seal(2).AsSpan().SequenceEqual(Seal(3))
                ? null
                : new("the end", "The last lines of the audit are gone: it ends with another seal than was noted.")
        );
    }

    private static NpgsqlParameter Maybe(object? value, NpgsqlDbType type) =>
        new() { Value = value ?? DBNull.Value, NpgsqlDbType = type };
}
