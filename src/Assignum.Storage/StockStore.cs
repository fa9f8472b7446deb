using Npgsql;

namespace Assignum.Storage;

/// <summary>What stands in stock, by what moved it.</summary>
public static class StockStore
{
    /// <summary>Quantities on hand over all locations, of the items named; items that never moved are left out. What
    /// lines did is summed by month; beside it is what moved without a line.</summary>
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
            """
            select x.item, sum(x.quantity) from (
              select s.item, s.quantity from landed_month s
              where s.entity_id = $1 and s.item = any($2) and s.state = 'held'
              union all
              select q.item, q.quantity from quiet_movement q
              where q.entity_id = $1 and q.item = any($2) and q.state = 'held' and q.entry_id is null) x
            group by x.item
            """,
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
