using System.Text.Json;
using Assignum.Core.Editions;
using Npgsql;

namespace Assignum.Storage;

/// <summary>Entities, the audit trail and the posting counters that come with an entity.</summary>
public static class EntityStore
{
    /// <summary>All entities by code.</summary>
    public static async Task<IReadOnlyList<EntityRow>> ListAsync(NpgsqlConnection db, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand(
            "select entity_id, code, name, currency from entity order by code",
            db
        );
        await using var reader = await command.ExecuteReaderAsync(stop);
        var rows = new List<EntityRow>();
        while (await reader.ReadAsync(stop))
            rows.Add(new EntityRow(reader.GetInt32(0), reader.GetString(1), reader.GetString(2), reader.GetString(3)));
        return rows;
    }

    /// <summary>Creates an entity with its posting counter; null when the code is taken.</summary>
    public static async Task<int?> CreateAsync(
        NpgsqlConnection db,
        string code,
        string name,
        string currency,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            with made as (insert into entity (code, name, currency) values ($1, $2, $3) on conflict (code) do nothing
              returning entity_id),
            counter as (insert into posting (entity_id) select entity_id from made)
            select entity_id from made
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = code },
                new() { Value = name },
                new() { Value = currency },
            },
        };
        return (int?)await command.ExecuteScalarAsync(stop);
    }

    /// <summary>The id of an entity, or null.</summary>
    public static async Task<int?> IdAsync(NpgsqlConnection db, string code, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand("select entity_id from entity where code = $1", db);
        command.Parameters.Add(new() { Value = code });
        return (int?)await command.ExecuteScalarAsync(stop);
    }

    /// <summary>Writes an audit line.</summary>
    public static async Task AuditAsync(
        NpgsqlConnection db,
        int? entity,
        string who,
        string what,
        string subject,
        object? before,
        object? after,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            "insert into audit (entity_id, who, what, subject, before, after) values ($1, $2, $3, $4, $5::jsonb, "
                + "$6::jsonb)",
            db
        )
        {
            Parameters =
            {
                new() { Value = (object?)entity ?? DBNull.Value, NpgsqlDbType = NpgsqlTypes.NpgsqlDbType.Integer },
                new() { Value = who },
                new() { Value = what },
                new() { Value = subject },
                new()
                {
                    Value = before is null ? DBNull.Value : JsonSerializer.Serialize(before),
                    NpgsqlDbType = NpgsqlTypes.NpgsqlDbType.Text,
                },
                new()
                {
                    Value = after is null ? DBNull.Value : JsonSerializer.Serialize(after),
                    NpgsqlDbType = NpgsqlTypes.NpgsqlDbType.Text,
                },
            },
        };
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>Subject of an audit line about a change of the draft, or of a what-if.</summary>
    public static string DraftOf(string entity, int? whatIf = null) =>
        whatIf is null ? entity + ", draft" : $"{entity}, what-if {whatIf}";

    /// <summary>Subject of an audit line about an approval: who approves did not edit.</summary>
    public static string ApprovalOf(string entity) => entity + ", approval";

    /// <summary>Accounts that rows of past editions, or of drafts other than this one, name: they stay while those can
    /// be read.</summary>
    public static async Task<IReadOnlySet<string>> NamedElsewhereAsync(
        NpgsqlConnection db,
        int entity,
        int? draft,
        CancellationToken stop
    )
    {
        string Of(string column, string table) =>
            $"select {column} from {table} where entity_id = $1 and (until is not null or draft is not null and "
            + "draft is distinct from $2)";
        await using var command = new NpgsqlCommand(
            string.Join(
                " union ",
                Of("account", "assignments"),
                Of("account", "relief_accounts"),
                Of("relief", "relief_accounts"),
                Of("account", "crosswalk")
            ),
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = (object?)draft ?? DBNull.Value, NpgsqlDbType = NpgsqlTypes.NpgsqlDbType.Integer },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var named = new HashSet<string>(StringComparer.Ordinal);
        while (await reader.ReadAsync(stop))
            named.Add(reader.GetString(0));
        return named;
    }

    /// <summary>Whether somebody changed the draft since it was opened, by the audit trail, or a what-if that was
    /// merged into it.</summary>
    public static async Task<bool> EditedDraftAsync(
        NpgsqlConnection db,
        int entity,
        string code,
        int draft,
        string who,
        string openedBy,
        DateTime since,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            with person as (select coalesce((select made_by from api_key where 'key ' || name = $3), $3) as who),
            same as (select who from person
              union all select 'key ' || k.name from api_key k join person p on k.made_by = p.who)
            select exists (select from audit where entity_id = $1 and subject = $2 and who in (select who from same)
                and at >= $4)
                or exists (select from change c join edition e on e.entity_id = c.entity_id and e.edition_id = c.draft
                           where c.entity_id = $1 and c.who in (select who from same)
                             and (e.edition_id = $5 or e.merged_into = $5))
                or $6 in (select who from same)
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = DraftOf(code) },
                new() { Value = who },
                new() { Value = since },
                new() { Value = draft },
                new() { Value = openedBy },
            },
        };
        return (bool)(await command.ExecuteScalarAsync(stop))!;
    }

    /// <summary>All entities by code, and whether the edition published last has a policy on.</summary>
    public static async Task<IReadOnlyList<(string Code, bool On)>> AllWithAsync(
        NpgsqlConnection db,
        string policy,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select code, exists (select from policies p where p.entity_id = e.entity_id and p.policy = $1
              and p.value = 'on' and p.until is null and p.draft is null)
            from entity e order by code
            """,
            db
        )
        {
            Parameters = { new() { Value = policy } },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var all = new List<(string, bool)>();
        while (await reader.ReadAsync(stop))
            all.Add((reader.GetString(0), reader.GetBoolean(1)));
        return all;
    }

    /// <summary>Whether the edition published last has a policy on.</summary>
    /// <param name="entity">Null: any entity's.</param>
    public static async Task<bool> IsOnAsync(NpgsqlConnection db, int? entity, string policy, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand(
            "select exists (select from policies where ($1::int is null or entity_id = $1) and policy = $2 and value = "
                + "'on' and until is null and draft is null)",
            db
        )
        {
            Parameters =
            {
                new() { Value = (object?)entity ?? DBNull.Value, NpgsqlDbType = NpgsqlTypes.NpgsqlDbType.Integer },
                new() { Value = policy },
            },
        };
        return (bool)(await command.ExecuteScalarAsync(stop))!;
    }

    /// <summary>Which records of a part anything posted refers to: kept by posting.</summary>
    public static async Task<IReadOnlySet<string>> JournalUsesAsync(
        NpgsqlConnection db,
        int entity,
        string part,
        CancellationToken stop
    )
    {
        var sql =
            part == "accounts"
                ? """
                    select distinct a."number" from account_month d join accounts a using (entity_id, account_id)
                    where d.entity_id = $1
                    """
                : "select key from record_use where entity_id = $1 and part = $2";
        await using var command = new NpgsqlCommand(sql, db) { Parameters = { new() { Value = entity } } };
        if (part != "accounts")
            command.Parameters.Add(new() { Value = part });
        await using var reader = await command.ExecuteReaderAsync(stop);
        var used = new HashSet<string>(StringComparer.Ordinal);
        while (await reader.ReadAsync(stop))
            if (!reader.IsDBNull(0))
                used.Add(reader.GetString(0));
        return used;
    }
}
