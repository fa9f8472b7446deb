using Assignum.Core.Ledger;
using Npgsql;

namespace Assignum.Storage;

/// <summary>Reads what the journal says of tax.</summary>
public static class TaxStore
{
    /// <summary>Lines of the newest entries by the standing of their party and the category of their item; a charge
    /// counts as standard. Uses the primary keys of entry and entry_line.</summary>
    /// <param name="taxed">Which lines of which kinds are taxed in which direction.</param>
    public static async Task<IReadOnlyList<MatrixUse>> MatrixUseAsync(
        NpgsqlConnection db,
        int entity,
        int entries,
        IReadOnlyList<(string Kind, string Purpose, string Direction)> taxed,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select p.tax_standing, coalesce(i.tax_category, 'standard'), t.direction, count(*)::int
            from (select * from entry where entity_id = $1 order by entry_id desc limit $2) n
            join entry_line l on l.entity_id = $1 and l.entry_id = n.entry_id
            join unnest($3, $4, $5) as t(kind, purpose, direction) on t.kind = n.kind and t.purpose = l.purpose
            join parties p on p.entity_id = $1 and p.code = l.party and p.tax_standing is not null
            left join items i on i.entity_id = $1 and i.code = l.item
            where l.item is null or i.tax_category is not null
            group by 1, 2, 3
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = entries },
                new() { Value = taxed.Select(t => t.Kind).ToArray() },
                new() { Value = taxed.Select(t => t.Purpose).ToArray() },
                new() { Value = taxed.Select(t => t.Direction).ToArray() },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var uses = new List<MatrixUse>();
        while (await reader.ReadAsync(stop))
            uses.Add(new MatrixUse(reader.GetString(0), reader.GetString(1), reader.GetString(2), reader.GetInt32(3)));
        return uses;
    }

    /// <summary>Amounts by box over tax dates, both ends inclusive, as the ledger has them. Input tax that is not reclaimed enters no box. Uses
    /// entry_tax_date.</summary>
    public static async Task<IReadOnlyList<BoxAmount>> BoxesAsync(
        NpgsqlConnection db,
        int entity,
        DateOnly from,
        DateOnly to,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            with t as (select * from entry_tax where entity_id = $1 and tax_date between $2 and $3)
            select box, what, code, count(*)::int, sum(amount) from (
              select base_box as box, 'base' as what, code, entity_base as amount from t
              union all select tax_box, 'tax', code, entity_reclaimed from t
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
