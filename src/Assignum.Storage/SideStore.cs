using Assignum.Core.Books;
using Npgsql;

namespace Assignum.Storage;

/// <summary>Finds lines on the side that is unusual for their accounts.</summary>
public static class SideStore
{
    /// <summary>The credits of some accounts and the debits of others, over some days, the newest first. What turns another
    /// entry back is left out.</summary>
    /// <param name="debits">Accounts that are usually debited.</param>
    /// <param name="credits">Accounts that are usually credited.</param>
    public static async Task<IReadOnlyList<UnusualLine>> LinesAsync(
        NpgsqlConnection db,
        int entity,
        DateOnly from,
        DateOnly to,
        string[] debits,
        string[] credits,
        int limit,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select n."number", l.date, n.kind, a."number", l.purpose, l.party, l.debit - l.credit, l.text
            from accounts a join entry_line l on l.entity_id = a.entity_id and l.account_id = a.account_id
            join entry n on n.entity_id = l.entity_id and n.entry_id = l.entry_id
            where a.entity_id = $1 and l.date between $2 and $3
              and (a."number" = any($4) and l.debit - l.credit < 0 or a."number" = any($5) and l.debit - l.credit > 0)
              and n.role <> 'reversal' and n.counts_as is null and n.kind <> 'year-closed'
            order by l.entry_id desc, l.line_no limit $6
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = from },
                new() { Value = to },
                new() { Value = debits },
                new() { Value = credits },
                new() { Value = limit },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var rows = new List<UnusualLine>();
        string? Text(int i) => reader.IsDBNull(i) ? null : reader.GetString(i);
        while (await reader.ReadAsync(stop))
            rows.Add(
                new UnusualLine(
                    reader.GetString(0),
                    reader.GetFieldValue<DateOnly>(1),
                    reader.GetString(2),
                    reader.GetString(3),
                    Text(4),
                    Text(5),
                    reader.GetDecimal(6),
                    Text(7)
                )
            );
        return rows;
    }
}
