using Assignum.Core.Editions;
using Assignum.Core.Tables;
using Npgsql;

namespace Assignum.Storage;

/// <summary>What a reviewer reads beside an edition: who changed what, what stands between accounts, what was posted
/// before it.</summary>
public static class ReviewStore
{
    /// <summary>The last change of each row in some drafts, by part and key.</summary>
    public static async Task<IReadOnlyDictionary<(string Part, string Key), LastChange>> LastChangesAsync(
        NpgsqlConnection db,
        int entity,
        int[] drafts,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select distinct on (r.part, r.key) r.part, r.key, c.who, c.at, c.what, c.reason
            from change c join change_row r on r.entity_id = c.entity_id and r.change_id = c.change_id
            where c.entity_id = $1 and c.draft = any($2) and c.undone_by is null and c.undoes is null
            order by r.part, r.key, c.change_id desc
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = drafts },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var last = new Dictionary<(string, string), LastChange>();
        while (await reader.ReadAsync(stop))
            last[(reader.GetString(0), reader.GetString(1))] = new LastChange(
                reader.GetString(2),
                reader.GetDateTime(3),
                reader.GetString(4),
                reader.IsDBNull(5) ? null : reader.GetString(5)
            );
        return last;
    }

    /// <summary>
    /// What stands on the accounts of some purposes before a day. Lines by hand and openings belong to the one purpose
    /// that their
    /// account was otherwise posted for; where it was posted for others too, they are left out.
    /// </summary>
    public static async Task<IReadOnlyList<HeldValue>> HeldAsync(
        NpgsqlConnection db,
        int entity,
        string[] purposes,
        DateOnly before,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            with own as materialized (
              select account_id, min(purpose) as purpose from entry_line
              where entity_id = $1 and purpose is not null group by account_id having count(distinct purpose) = 1 and
                min(purpose) = any($2)),
            line as (
              select a."number", coalesce(l.purpose, own.purpose) as purpose, l.party, l.item, l.location, l.project,
                l.debit - l.credit as amount
              from entry_line l
              join entry n on n.entity_id = l.entity_id and n.entry_id = l.entry_id
              join accounts a on a.entity_id = l.entity_id and a.account_id = l.account_id
              left join own on own.account_id = l.account_id
              where l.entity_id = $1 and n.date < $3 and (l.purpose = any($2) or l.purpose is null and own.purpose is
                not null))
            select "number", purpose, party, item, location, project, sum(amount) from line
            group by 1, 2, 3, 4, 5, 6 having sum(amount) <> 0 order by 1, 2, 3, 4, 5, 6
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = purposes },
                new() { Value = before },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var held = new List<HeldValue>();
        string? Text(int i) => reader.IsDBNull(i) ? null : reader.GetString(i);
        while (await reader.ReadAsync(stop))
            held.Add(
                new HeldValue(
                    reader.GetString(0),
                    reader.GetString(1),
                    Text(2),
                    Text(3),
                    Text(4),
                    Text(5),
                    reader.GetDecimal(6)
                )
            );
        return held;
    }

    /// <summary>How many events were posted on or after an edition's first day under an earlier one. Uses
    /// entry_date.</summary>
    public static async Task<long> CountUnderEarlierAsync(
        NpgsqlConnection db,
        int entity,
        int number,
        DateOnly from,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            "select count(*) from entry where entity_id = $1 and date >= $2 and edition < $3 and role = 'entry' and "
                + "event_entity_id = $1",
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = from },
                new() { Value = number },
            },
        };
        return (long)(await command.ExecuteScalarAsync(stop))!;
    }

    /// <summary>Events posted on or after an edition's first day under an earlier one, the newest first, with the
    /// edition each was posted under.</summary>
    public static async Task<IReadOnlyList<(int Edition, StoredEvent Event)>> PostedUnderEarlierAsync(
        NpgsqlConnection db,
        int entity,
        int number,
        DateOnly from,
        int most,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            $"""
            select n.edition, v.body, {JournalStore.Renumbered}
            from entry n join event v on v.entity_id = n.event_entity_id and v.event_id = n.event_id
            where n.entity_id = $1 and n.date >= $2 and n.edition < $3 and n.role = 'entry' and n.event_entity_id = $1
            order by n.entry_id desc limit $4
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = from },
                new() { Value = number },
                new() { Value = most },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var events = new List<(int, StoredEvent)>();
        while (await reader.ReadAsync(stop))
            events.Add((reader.GetInt32(0), JournalStore.Event(reader, 1)));
        return events;
    }
}
