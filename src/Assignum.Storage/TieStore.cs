using Assignum.Core.Books;
using Npgsql;

namespace Assignum.Storage;

/// <summary>What tie-outs ask of the books.</summary>
public static class TieStore
{
    /// <summary>The first day that is in no whole month up to and with a day.</summary>
    internal static DateOnly Whole(DateOnly at)
    {
        var after = at == DateOnly.MaxValue ? at : at.AddDays(1);
        return new DateOnly(after.Year, after.Month, 1);
    }

    /// <summary>All lines up to and with a day, added up by account, purpose and kind.</summary>
    public static async Task<IReadOnlyList<LandedSum>> SumsAsync(
        NpgsqlConnection db,
        int entity,
        DateOnly at,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select a."number", nullif(s.purpose, ''), s.kind, s.amount, s.lines
            from (select x.account_id, x.purpose, x.kind, sum(x.amount) as amount, sum(x.lines)::bigint as lines from (
                    select account_id, purpose, kind, amount, lines from landed_month where entity_id = $1 and month <
                      $3
                    union all
                    select l.account_id, coalesce(l.purpose, ''), coalesce(n.counts_as, n.kind), l.debit - l.credit, 1
                    from entry n join entry_line l on l.entity_id = n.entity_id and l.entry_id = n.entry_id
                    where n.entity_id = $1 and n.date >= $3 and n.date <= $2) x
                  group by 1, 2, 3) s
            join accounts a on a.entity_id = $1 and a.account_id = s.account_id
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = at },
                new() { Value = Whole(at) },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var rows = new List<LandedSum>();
        while (await reader.ReadAsync(stop))
            rows.Add(
                new LandedSum(
                    reader.GetString(0),
                    reader.IsDBNull(1) ? null : reader.GetString(1),
                    reader.GetString(2),
                    reader.GetDecimal(3),
                    reader.GetInt64(4)
                )
            );
        return rows;
    }

    /// <summary>The lines on some accounts that are not of some purposes, and the lines of those purposes that are not on
    /// those accounts; the newest first.</summary>
    /// <param name="kept">Kinds whose lines without a purpose are not told.</param>
    /// <param name="before">Entries before this one; the newest first are paged by it.</param>
    public static async Task<IReadOnlyList<TieLine>> LinesAsync(
        NpgsqlConnection db,
        int entity,
        DateOnly at,
        string[] accounts,
        string[] purposes,
        string[] kept,
        long before,
        int limit,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select n.entry_id, l.line_no, n."number", n.date, coalesce(n.counts_as, n.kind), v.source, v.external_id,
              a."number", l.purpose,
              l.party, l.debit - l.credit, l.text, n.posted_by,
              case when l.event_line is not null and l.purpose is null
                then v.body::jsonb -> 'lines' -> l.event_line ->> 'because' end
            from entry n join entry_line l on l.entity_id = n.entity_id and l.entry_id = n.entry_id
            join accounts a on a.entity_id = l.entity_id and a.account_id = l.account_id
            join event v on v.entity_id = n.event_entity_id and v.event_id = n.event_id
            where n.entity_id = $1 and n.date <= $2 and n.entry_id < $6
              and (a."number" = any($3)) <> coalesce(l.purpose = any($4), false)
              and not (l.purpose is null and coalesce(n.counts_as, n.kind) = any($5))
            order by n.entry_id desc, l.line_no limit $7
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = at },
                new() { Value = accounts },
                new() { Value = purposes },
                new() { Value = kept },
                new() { Value = before },
                new() { Value = limit },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var rows = new List<TieLine>();
        string? Text(int at) => reader.IsDBNull(at) ? null : reader.GetString(at);
        while (await reader.ReadAsync(stop))
            rows.Add(
                new TieLine(
                    reader.GetInt64(0),
                    reader.GetInt32(1),
                    reader.GetString(2),
                    reader.GetFieldValue<DateOnly>(3),
                    reader.GetString(4),
                    reader.GetString(5),
                    reader.GetString(6),
                    reader.GetString(7),
                    Text(8),
                    Text(9),
                    reader.GetDecimal(10),
                    Text(11),
                    reader.GetString(12),
                    Text(13)
                )
            );
        return rows;
    }
}
