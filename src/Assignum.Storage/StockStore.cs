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
}
