using Assignum.Core.Ledger;
using Npgsql;

namespace Assignum.Storage;

/// <summary>Reads what rungs decided, from what was stored with each line.</summary>
public static class VolumeStore
{
    /// <summary>The three months that end with the newest in which anything was posted, first and last day; null where
    /// nothing was.</summary>
    /// <remarks>One month alone may just have begun.</remarks>
    public static async Task<(DateOnly From, DateOnly To)?> LastPeriodAsync(
        NpgsqlConnection db,
        int entity,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand("select max(month) from account_month where entity_id = $1", db)
        {
            Parameters = { new() { Value = entity } },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        if (!await reader.ReadAsync(stop) || reader.IsDBNull(0))
            return null;
        var month = reader.GetFieldValue<DateOnly>(0);
        return (month.AddMonths(-2), month.AddMonths(1).AddDays(-1));
    }

    /// <summary>Lines and amounts by purpose, rung and account, over some days.</summary>
    public static async Task<IReadOnlyList<RungVolume>> ByRungAsync(
        NpgsqlConnection db,
        int entity,
        DateOnly from,
        DateOnly to,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            with line as (
              select l.purpose, l.trace_id, l.pattern_id, a."number", count(*) as lines, sum(l.debit + l.credit) as
                amount
              from entry n join entry_line l on l.entity_id = n.entity_id and l.entry_id = n.entry_id
              join accounts a on a.entity_id = l.entity_id and a.account_id = l.account_id
              where n.entity_id = $1 and n.date between $2 and $3 and l.purpose is not null group by 1, 2, 3, 4)
            select line.purpose,
              case when p.borrowed is not null or t.body ? 'borrowedFrom' then 'borrowed'
                else coalesce(p.rung, t.body->>'rung', 'line') end,
              line."number", sum(line.lines)::bigint, sum(line.amount)
            from line
            left join landing_pattern p on p.entity_id = $1 and p.pattern_id = line.pattern_id
            left join trace t on t.entity_id = $1 and t.trace_id = line.trace_id
            group by 1, 2, 3
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
        var rows = new List<RungVolume>();
        while (await reader.ReadAsync(stop))
            rows.Add(
                new RungVolume(
                    reader.GetString(0),
                    reader.GetString(1),
                    reader.GetString(2),
                    reader.GetInt64(3),
                    reader.GetDecimal(4)
                )
            );
        return rows;
    }
}
