using Assignum.Core.Books;
using Assignum.Core.Entries;
using Npgsql;

namespace Assignum.Storage;

/// <summary>What the journal says of goods that went out, were invoiced, came in and were billed.</summary>
public static class GoodsStore
{
    /// <summary>The lines of stock items up to and with a day, in the order in which they were posted.</summary>
    public static async Task<IReadOnlyList<GoodsLine>> LinesAsync(
        NpgsqlConnection db,
        int entity,
        DateOnly at,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select g.fact, g.event_id, g.date, g.party, g.order_ref, g.item, g.named, g.document, g.quantity,
              g.amount, a."number",
              g.cost, c."number", g.unit_price, g.location
            from goods_line g left join accounts a on a.entity_id = $1 and a.account_id = g.account_id
            left join accounts c on c.entity_id = $1 and c.account_id = g.cost_account_id
            where g.entity_id = $1 and g.date <= $2 order by g.date, g.event_id, g.line_no
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
        var lines = new List<GoodsLine>();
        string? Text(int i) => reader.IsDBNull(i) ? null : reader.GetString(i);
        while (await reader.ReadAsync(stop))
            if (Core.Words.TryParse<GoodsFact>(reader.GetString(0), out var fact))
                lines.Add(
                    new GoodsLine(
                        fact,
                        reader.GetInt64(1),
                        reader.GetFieldValue<DateOnly>(2),
                        Text(3),
                        Text(4),
                        reader.GetString(5),
                        Text(6),
                        reader.GetString(7),
                        reader.GetDecimal(8),
                        reader.GetDecimal(9),
                        Text(10),
                        reader.GetDecimal(11),
                        Text(12),
                        reader.IsDBNull(13) ? null : reader.GetDecimal(13),
                        Text(14)
                    )
                );
        return lines;
    }

    /// <summary>How many cut-offs there are on a day.</summary>
    /// <param name="everMade">With those that were turned back.</param>
    public static async Task<long> CutOffsAsync(
        NpgsqlConnection db,
        int entity,
        DateOnly day,
        bool everMade,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select count(*) from event v where entity_id = $1 and kind = 'cut-off' and date = $2 and ($3 or not exists
              (select from event_reversal x where x.entity_id = $1 and x.event_id = v.event_id))
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = day },
                new() { Value = everMade },
            },
        };
        return (long)(await command.ExecuteScalarAsync(stop))!;
    }
}
