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
              select v.event_id, v.kind, o.date, v.body::jsonb as body, v.source, v.external_id, n.entry_id, n.rate, o.turn,
                o.by_event_id
              from (select event_id, date, 1 as turn, event_id as by_event_id from event where entity_id = $1 and date <= $2
                      and kind in ('goods-shipped', 'goods-returned', 'sales-invoice', 'sales-credit-note', 'channel-sale',
                      'channel-refund', 'goods-received', 'supplier-invoice', 'supplier-credit-note')
                    union all
                    -- What was turned back is of the other sign on the day it was.
                    select x.event_id, r.date, -1, x.by_event_id from event_reversal x join event r on r.entity_id = $1 and
                      r.event_id = x.by_event_id where x.entity_id = $1 and r.date <= $2) o
              join event v on v.entity_id = $1 and v.event_id = o.event_id and v.kind in ('goods-shipped', 'goods-returned',
                'sales-invoice', 'sales-credit-note', 'channel-sale', 'channel-refund', 'goods-received', 'supplier-invoice',
                'supplier-credit-note')
              left join entry n on n.entity_id = v.entity_id and n.event_entity_id = v.entity_id and
                n.event_id = v.event_id and n.role = 'entry'),
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
              from (select distinct event_id, entry_id, kind, no from l) l
              join entry_line j on j.entity_id = $1 and j.entry_id = l.entry_id and j.event_line = l.no
              join accounts a on a.entity_id = j.entity_id and a.account_id = j.account_id
              group by 1, 2)
            select case when l.kind in ('goods-shipped', 'goods-returned') then 'shipped' when l.kind = 'goods-received' then
                'received' when l.kind in ('supplier-invoice', 'supplier-credit-note') then 'billed' else 'invoiced' end,
              l.by_event_id, l.date, l.body ->> 'party', coalesce(l.line ->> 'order', l.body ->> 'order'), l.line ->> 'item',
              coalesce(l.line ->> 'shipment', l.line ->> 'receipt'),
              coalesce(l.body ->> 'reference', l.source || '/' || l.external_id),
              coalesce(l.line ->> 'quantity', '1')::numeric * case when l.kind in ('goods-returned', 'sales-credit-note',
                'channel-refund', 'supplier-credit-note') then -1 else 1 end * l.turn,
              coalesce(s.revenue, 0) * l.turn, s.account, coalesce(case when l.kind = 'goods-received' then coalesce(s.held,
                round((l.line ->> 'unitCost')::numeric * coalesce(l.line ->> 'quantity', '1')::numeric * coalesce(l.rate,
                  (l.body ->> 'rate')::numeric, 1), 2))
                else s.cost end, 0) * l.turn, s.cost_account,
              (l.line ->> 'unitPrice')::numeric * coalesce(l.rate, (l.body ->> 'rate')::numeric, 1),
              coalesce(l.line ->> 'location', l.body ->> 'location')
            from l left join s on s.event_id = l.event_id and s.no = l.no
            order by l.date, l.by_event_id, l.no
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
