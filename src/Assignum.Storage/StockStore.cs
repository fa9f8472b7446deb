using Npgsql;

namespace Assignum.Storage;

/// <summary>What stands in stock, by what moved it.</summary>
public static class StockStore
{
    /// <summary>Quantities on hand over all locations, of the items named; items that never moved are left out. Uses
    /// stock_movement_item.</summary>
    public static async Task<IReadOnlyDictionary<string, decimal>> OnHandAsync(
        NpgsqlConnection db,
        int entity,
        string[] items,
        CancellationToken stop
    )
    {
        var hand = new Dictionary<string, decimal>(StringComparer.Ordinal);
        if (items.Length == 0)
            return hand;
        await using var command = new NpgsqlCommand(
            "select item, sum(quantity) from stock_movement where entity_id = $1 and item = any($2) group by item",
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = items },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        while (await reader.ReadAsync(stop))
            hand[reader.GetString(0)] = reader.GetDecimal(1);
        return hand;
    }

    /// <summary>What came from a party without its invoice and waits for it, by item, in base currency.</summary>
    /// <param name="before">Entries from this id on do not count.</param>
    public static async Task<IReadOnlyDictionary<string, decimal>> WaitingAsync(
        NpgsqlConnection db,
        int entity,
        string party,
        string[] items,
        long before,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select item, -sum(amount) from subledger_movement
            where entity_id = $1 and control = 'receipts' and party = $2 and item = any($3) and entry_id < $4
            group by item having sum(amount) < 0
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = party },
                new() { Value = items },
                new() { Value = before },
            },
        };
        var waiting = new Dictionary<string, decimal>(StringComparer.Ordinal);
        await using var reader = await command.ExecuteReaderAsync(stop);
        while (await reader.ReadAsync(stop))
            waiting[reader.GetString(0)] = reader.GetDecimal(1);
        return waiting;
    }
}
