using Npgsql;

namespace Assignum.Storage;

/// <summary>How often a cell of the tax matrix occurred.</summary>
public sealed record MatrixUse(string Standing, string Category, string Direction, int Lines);

/// <summary>What a tax code put into a box of the return. Base currency.</summary>
/// <param name="What"><c>base</c>, <c>tax</c>, <c>reverse base</c> or <c>reverse tax</c>.</param>
public sealed record BoxAmount(string Box, string What, string Code, int Lines, decimal Amount);

/// <summary>Reads what the journal says of tax.</summary>
public static class TaxStore
{
    /// <summary>Lines of the newest entries by the standing of their party and the category of their item; a charge
    /// counts as standard. Uses the primary keys of entry and entry_line.</summary>
    public static async Task<IReadOnlyList<MatrixUse>> MatrixUseAsync(
        NpgsqlConnection db,
        int entity,
        int entries,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select p.tax_standing, coalesce(i.tax_category, 'standard'), x.direction, count(*)::int
            from (select l.party, l.item,
                         case when l.purpose in ('sales-revenue', 'sales-returns', 'project-revenue',
                           'project-billings', 'shipping-income') then 'output'
                              when n.kind in ('supplier-invoice', 'supplier-credit-note') and l.purpose in ('stock',
                                'non-stock-cost', 'received-not-invoiced', 'project-wip', 'project-cost')
                                or n.kind = 'channel-fee' and l.purpose = 'payment-fee' then 'input' end as direction
                  from (select * from entry where entity_id = $1 order by entry_id desc limit $2) n
                  join entry_line l on l.entity_id = $1 and l.entry_id = n.entry_id) x
            join parties p on p.entity_id = $1 and p.code = x.party and p.tax_standing is not null
            left join items i on i.entity_id = $1 and i.code = x.item
            where x.direction is not null and (x.item is null or i.tax_category is not null)
            group by 1, 2, 3
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = entries },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var uses = new List<MatrixUse>();
        while (await reader.ReadAsync(stop))
            uses.Add(new MatrixUse(reader.GetString(0), reader.GetString(1), reader.GetString(2), reader.GetInt32(3)));
        return uses;
    }

    /// <param name="decimals">Decimals of the base currency.</param>
    /// <summary>Amounts by box over tax dates, both ends inclusive. Input tax that is not reclaimed enters no box. Uses
    /// entry_tax_date.</summary>
    public static async Task<IReadOnlyList<BoxAmount>> BoxesAsync(
        NpgsqlConnection db,
        int entity,
        int decimals,
        DateOnly from,
        DateOnly to,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            with t as (select *, entity_tax - case when tax = 0 then 0 else round(entity_tax * non_deductible / tax, $4)
              end as reclaimed
                       from entry_tax where entity_id = $1 and tax_date between $2 and $3)
            select box, what, code, count(*)::int, sum(amount) from (
              select base_box as box, 'base' as what, code, entity_base as amount from t
              union all select tax_box, 'tax', code, reclaimed from t
              union all select reverse_base_box, 'reverse base', code, entity_base from t
              union all select reverse_tax_box, 'reverse tax', code, entity_tax from t) b
            where box is not null group by box, what, code order by box, what, code
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = from },
                new() { Value = to },
                new() { Value = decimals },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var boxes = new List<BoxAmount>();
        while (await reader.ReadAsync(stop))
            boxes.Add(
                new BoxAmount(
                    reader.GetString(0),
                    reader.GetString(1),
                    reader.GetString(2),
                    reader.GetInt32(3),
                    reader.GetDecimal(4)
                )
            );
        return boxes;
    }
}
