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
}
