using Assignum.Core.Tables;
using Npgsql;
using NpgsqlTypes;

namespace Assignum.Storage;

/// <summary>Keeps balances that came with a chart, one an account: a later file's takes the place of an earlier
/// one's.</summary>
public static class OpeningStore
{
    /// <summary>Keeps them. Accounts that are not there are left out.</summary>
    public static async Task KeepAsync(
        NpgsqlConnection db,
        int entity,
        IReadOnlyDictionary<string, decimal> amounts,
        string file,
        long? change,
        string who,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            insert into opening_amount (entity_id, account_id, amount, file, change_id, who)
            select $1, a.account_id, n.amount, $4, $5, $6 from unnest($2, $3) as n(account, amount) join accounts a on
              a.entity_id = $1 and a."number" = n.account
            on conflict (entity_id, account_id) do update set amount = excluded.amount, file = excluded.file, change_id
              = excluded.change_id, who = excluded.who, at = now()
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = amounts.Keys.ToArray() },
                new() { Value = amounts.Values.ToArray() },
                new() { Value = file },
                new() { Value = (object?)change ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Bigint },
                new() { Value = who },
            },
        };
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>All that are kept, by account.</summary>
    public static async Task<IReadOnlyList<OpeningRow>> ListAsync(
        NpgsqlConnection db,
        int entity,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select a."number", a.name, o.amount, o.file, o.who, o.at from opening_amount o join accounts a using
              (entity_id, account_id) where o.entity_id = $1 order by a."number"
            """,
            db
        )
        {
            Parameters = { new() { Value = entity } },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var rows = new List<OpeningRow>();
        while (await reader.ReadAsync(stop))
            rows.Add(
                new OpeningRow(
                    reader.GetString(0),
                    reader.GetString(1),
                    reader.GetDecimal(2),
                    reader.GetString(3),
                    reader.GetString(4),
                    reader.GetDateTime(5)
                )
            );
        return rows;
    }

    /// <summary>Forgets those that came with a change; null: all of them.</summary>
    public static async Task ForgetAsync(NpgsqlConnection db, int entity, long? change, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand(
            "delete from opening_amount where entity_id = $1 and ($2::bigint is null or change_id = $2)",
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = (object?)change ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Bigint },
            },
        };
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>Keeps a list in place of the one of the same day.</summary>
    public static async Task KeepListAsync(
        NpgsqlConnection db,
        int entity,
        DateOnly at,
        string list,
        string rows,
        string who,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            insert into opening_list (entity_id, at, list, rows, brought_by) values ($1, $2, $3, $4, $5)
            on conflict (entity_id, at, list) do update set rows = excluded.rows, brought_by = excluded.brought_by,
              brought_at = now()
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = at },
                new() { Value = list },
                new() { Value = rows, NpgsqlDbType = NpgsqlDbType.Jsonb },
                new() { Value = who },
            },
        };
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>Takes a list away again.</summary>
    public static async Task<bool> DropListAsync(
        NpgsqlConnection db,
        int entity,
        DateOnly at,
        string list,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            "delete from opening_list where entity_id = $1 and at = $2 and list = $3",
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = at },
                new() { Value = list },
            },
        };
        return await command.ExecuteNonQueryAsync(stop) == 1;
    }

    /// <summary>The lists of a day, their rows as JSON.</summary>
    public static async Task<IReadOnlyDictionary<string, string>> ListsAsync(
        NpgsqlConnection db,
        int entity,
        DateOnly at,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            "select list, rows::text from opening_list where entity_id = $1 and at = $2",
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = at },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var lists = new Dictionary<string, string>(StringComparer.Ordinal);
        while (await reader.ReadAsync(stop))
            lists[reader.GetString(0)] = reader.GetString(1);
        return lists;
    }

    /// <summary>Openings of a day that stand and that were turned back: their ids.</summary>
    public static async Task<IReadOnlyList<(string Id, bool TurnedBack)>> PostedAsync(
        NpgsqlConnection db,
        int entity,
        DateOnly at,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select v.external_id, exists (select from event_reversal x where x.entity_id = $1 and x.event_id =
              v.event_id)
            from event v where v.entity_id = $1 and v.source = 'own' and v.kind = 'opening' and v.date = $2
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = at },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var rows = new List<(string, bool)>();
        while (await reader.ReadAsync(stop))
            rows.Add((reader.GetString(0), reader.GetBoolean(1)));
        return rows;
    }
}
