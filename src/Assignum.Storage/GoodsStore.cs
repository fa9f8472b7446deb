using Assignum.Core.Books;
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
            with e as (
              select v.event_id, v.kind, v.date, v.body::jsonb as body, v.source, v.external_id, n.entry_id, n.rate
              from event v left join entry n on n.entity_id = v.entity_id and n.event_entity_id = v.entity_id and
                n.event_id = v.event_id and n.role = 'entry'
              where v.entity_id = $1 and v.date <= $2 and v.kind in ('goods-shipped', 'goods-returned', 'sales-invoice',
                'sales-credit-note', 'channel-sale', 'channel-refund', 'goods-received', 'supplier-invoice',
                'supplier-credit-note')),
            l as (
              select e.*, x.line, x.no - 1 as no from e cross join lateral
                jsonb_array_elements(coalesce(e.body -> 'lines', '[]')) with ordinality x(line, no)
              where x.line ->> 'item' is not null and coalesce(x.line ->> 'quantity', '1')::numeric <> 0),
            s as (
              select l.event_id, l.no,
                sum(j.credit - j.debit) filter (where j.purpose in ('sales-revenue', 'sales-returns', 'sales-discount',
                  'project-revenue', 'project-billings')) as revenue,
                (array_agg(a."number" order by j.line_no) filter (where j.purpose in ('sales-revenue', 'sales-returns')))[1]
                  as account,
                sum(j.debit - j.credit) filter (where j.purpose in ('cost-of-sales', 'shipped-not-invoiced') and l.kind in
                  ('goods-shipped', 'goods-returned') or j.purpose = 'cost-of-sales' and l.kind not in ('goods-shipped',
                  'goods-returned')) as cost,
                (array_agg(a."number" order by j.line_no) filter (where j.purpose = 'cost-of-sales'))[1] as cost_account,
                sum(j.debit - j.credit) filter (where j.purpose = 'stock') as held
              from l join entry_line j on j.entity_id = $1 and j.entry_id = l.entry_id and j.event_line = l.no
              join accounts a on a.entity_id = j.entity_id and a.account_id = j.account_id
              group by 1, 2)
            select case when l.kind in ('goods-shipped', 'goods-returned') then 'shipped' when l.kind = 'goods-received' then
                'received' when l.kind in ('supplier-invoice', 'supplier-credit-note') then 'billed' else 'invoiced' end,
              l.event_id, l.date, l.body ->> 'party', coalesce(l.line ->> 'order', l.body ->> 'order'), l.line ->> 'item',
              coalesce(l.line ->> 'shipment', l.line ->> 'receipt'),
              coalesce(l.body ->> 'reference', l.source || '/' || l.external_id),
              coalesce(l.line ->> 'quantity', '1')::numeric * case when l.kind in ('goods-returned', 'sales-credit-note',
                'channel-refund', 'supplier-credit-note') then -1 else 1 end,
              coalesce(s.revenue, 0), s.account, coalesce(case when l.kind = 'goods-received' then coalesce(s.held,
                round((l.line ->> 'unitCost')::numeric * coalesce(l.line ->> 'quantity', '1')::numeric * coalesce(l.rate,
                  (l.body ->> 'rate')::numeric, 1), 2))
                else s.cost end, 0), s.cost_account,
              (l.line ->> 'unitPrice')::numeric * coalesce(l.rate, (l.body ->> 'rate')::numeric, 1),
              coalesce(l.line ->> 'location', l.body ->> 'location')
            from l left join s on s.event_id = l.event_id and s.no = l.no
            order by l.date, l.event_id, l.no
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
    public static async Task<long> CutOffsAsync(NpgsqlConnection db, int entity, DateOnly day, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand(
            "select count(*) from event where entity_id = $1 and kind = 'cut-off' and date = $2",
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = day },
            },
        };
        return (long)(await command.ExecuteScalarAsync(stop))!;
    }
}
