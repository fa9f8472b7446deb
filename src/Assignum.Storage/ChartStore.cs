using Assignum.Core.Ledger;
using Assignum.Core.Upkeep;
using Npgsql;
using NpgsqlTypes;

namespace Assignum.Storage;

/// <summary>What the journal and the history say of accounts, and their numbers.</summary>
public static class ChartStore
{
    /// <summary>Gives accounts other numbers; rows of every edition that name them follow by their keys. Inside the
    /// caller's transaction.</summary>
    public static async Task RenumberAsync(
        NpgsqlConnection db,
        int entity,
        IReadOnlyDictionary<string, string> numbers,
        string who,
        CancellationToken stop
    )
    {
        if (numbers.Count == 0)
            return;
        await using var batch = new NpgsqlBatch(db);
        void Add(string sql, params NpgsqlParameter[] more)
        {
            var command = new NpgsqlBatchCommand(sql);
            command.Parameters.Add(new() { Value = entity });
            command.Parameters.Add(new() { Value = numbers.Keys.ToArray() });
            command.Parameters.Add(new() { Value = numbers.Values.ToArray() });
            foreach (var parameter in more)
                command.Parameters.Add(parameter);
            batch.BatchCommands.Add(command);
        }
        Add(
            """
            insert into account_number (entity_id, account_id, "number", who)
            select $1, a.account_id, a."number", $4 from unnest($2, $3) as n(was, now) join accounts a on a.entity_id =
              $1 and a."number" = n.was
            """,
            new NpgsqlParameter { Value = who }
        );
        // Two accounts may change their numbers for each other's: both leave theirs first.
        if (numbers.Values.Any(numbers.ContainsKey))
        {
            Add(
                "update accounts a set \"number\" = E'\\x01' || a.\"number\" from unnest($2, $3) as n(was, now) "
                    + "where a.entity_id = $1 and a.\"number\" = n.was"
            );
            Add(
                "update accounts a set \"number\" = n.now from unnest($2, $3) as n(was, now) where a.entity_id = $1 "
                    + "and a.\"number\" = E'\\x01' || n.was"
            );
        }
        else
            Add(
                "update accounts a set \"number\" = n.now from unnest($2, $3) as n(was, now) where a.entity_id = $1 "
                    + "and a.\"number\" = n.was"
            );
        Add(
            "update accounts a set parent = n.now from unnest($2, $3) as n(was, now) where a.entity_id = $1 and "
                + "a.parent = n.was"
        );
        Add(
            "update pairings p set ours = n.now from unnest($2, $3) as n(was, now) where p.entity_id = $1 and "
                + "p.record = 'account' and p.ours = n.was"
        );
        await batch.ExecuteNonQueryAsync(stop);
    }

    /// <summary>The numbers an account bore before, newest first, with the day each ended.</summary>
    public static async Task<IReadOnlyList<(string Number, DateTime Until, string Who)>> FormerAsync(
        NpgsqlConnection db,
        int entity,
        string number,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select f."number", f.until, f.who from account_number f join accounts a on a.entity_id = f.entity_id and
              a.account_id = f.account_id
            where f.entity_id = $1 and a."number" = $2 order by f.until desc
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = number },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var former = new List<(string, DateTime, string)>();
        while (await reader.ReadAsync(stop))
            former.Add((reader.GetString(0), reader.GetDateTime(1), reader.GetString(2)));
        return former;
    }

    /// <summary>What an account's note said, newest first, also under the numbers it bore before. Uses
    /// record_history_key.</summary>
    public static async Task<IReadOnlyList<NoteRow>> NotesAsync(
        NpgsqlConnection db,
        int entity,
        string number,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            with me as (select account_id from accounts where entity_id = $1 and "number" = $2),
            names as (select $2 as "number", 'infinity'::timestamptz as until, coalesce((select max(until) from
              account_number f join me using (account_id) where f.entity_id = $1), '-infinity') as since
                      union all
                      select f."number", f.until, lag(f.until, 1, '-infinity') over (order by f.until) from
                        account_number f join me using (account_id) where f.entity_id = $1)
            select h.after ->> 'note', h.who, h.at from record_history h join names n on n."number" = h.key and h.at <=
              n.until and h.at >= n.since
              -- Who bore the number before this account did has notes of their own.
              and h.at >= coalesce((select max(o.until) from account_number o where o.entity_id = $1 and o."number" =
                n."number" and o.until < n.until and o.account_id <> (select account_id from me)), '-infinity')
            where h.entity_id = $1 and h.part = 'accounts' and (h.after ->> 'note') is distinct from (h.before ->>
              'note') and h.after is not null
            order by h.history_id desc limit 50
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = number },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var notes = new List<NoteRow>();
        while (await reader.ReadAsync(stop))
            notes.Add(
                new NoteRow(reader.IsDBNull(0) ? null : reader.GetString(0), reader.GetString(1), reader.GetDateTime(2))
            );
        return notes;
    }

    /// <summary>An account's lines in the order of their dates, a page at a time, each with the balance before it. Uses
    /// entry_line_account.</summary>
    public static async Task<IReadOnlyList<CardLine>> CardAsync(
        NpgsqlConnection db,
        int entity,
        string[] numbers,
        DateOnly? from,
        DateOnly? to,
        int skip,
        int limit,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            with me as (select account_id from accounts where entity_id = $1 and "number" = any($2)),
            opening as (select coalesce(sum(debit - credit), 0) as amount from account_day d join me using (account_id)
              where d.entity_id = $1 and d.date < $3::date),
            mine as (
              select n.date, l.entry_id, l.line_no, l.debit, l.credit,
                     (select amount from opening) + sum(l.debit - l.credit) over (order by n.date, l.entry_id,
                       l.line_no) - (l.debit - l.credit) as before
              from entry_line l join me using (account_id) join entry n on n.entity_id = l.entity_id and n.entry_id =
                l.entry_id
              where l.entity_id = $1 and ($3::date is null or n.date >= $3) and ($4::date is null or n.date <= $4)),
            page as (select * from mine order by date, entry_id, line_no offset $5 limit $6)
            select p.entry_id, p.line_no, n."number", p.date, n.kind, n.reference, nullif(l.account, a."number"),
              p.debit,
              p.credit, l.purpose, coalesce(lp.rung, t.body ->> 'rung'), l.party, l.item, l.text, p.before, a."number"
            from page p join entry n on n.entity_id = $1 and n.entry_id = p.entry_id
            join entry_line l on l.entity_id = $1 and l.entry_id = p.entry_id and l.line_no = p.line_no
            join accounts a on a.entity_id = $1 and a.account_id = l.account_id
            left join landing_pattern lp on lp.entity_id = $1 and lp.pattern_id = l.pattern_id
            left join trace t on t.entity_id = $1 and t.trace_id = l.trace_id
            order by p.date, p.entry_id, p.line_no
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = numbers },
                new() { Value = (object?)from ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Date },
                new() { Value = (object?)to ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Date },
                new() { Value = skip },
                new() { Value = limit },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var lines = new List<CardLine>();
        string? Text(int at) => reader.IsDBNull(at) ? null : reader.GetString(at);
        while (await reader.ReadAsync(stop))
            lines.Add(
                new CardLine(
                    reader.GetInt64(0),
                    reader.GetInt32(1),
                    reader.GetString(2),
                    reader.GetFieldValue<DateOnly>(3),
                    reader.GetString(4),
                    Text(5),
                    Text(6),
                    reader.GetDecimal(7),
                    reader.GetDecimal(8),
                    Text(9),
                    Text(10),
                    Text(11),
                    Text(12),
                    Text(13),
                    reader.GetDecimal(14),
                    reader.GetString(15)
                )
            );
        return lines;
    }

    /// <summary>What stands on an account, in base currency, by what its lines are told apart by; what comes to nothing
    /// is left out. Uses entry_line_account.</summary>
    public static async Task<IReadOnlyList<StandingAmount>> StandingAsync(
        NpgsqlConnection db,
        int entity,
        string number,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select l.tax_code, l.item, l.party, l.location, l.channel, sum(l.debit - l.credit)
            from accounts a join entry_line l on l.entity_id = a.entity_id and l.account_id = a.account_id
            where a.entity_id = $1 and a."number" = $2
            group by l.tax_code, l.item, l.party, l.location, l.channel having sum(l.debit - l.credit) <> 0
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = number },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        string? Text(int at) => reader.IsDBNull(at) ? null : reader.GetString(at);
        var rows = new List<StandingAmount>();
        while (await reader.ReadAsync(stop))
            rows.Add(new StandingAmount(Text(0), Text(1), Text(2), Text(3), Text(4), reader.GetDecimal(5)));
        return rows;
    }

    /// <summary>How often an account was posted on, and the first and last day.</summary>
    public static async Task<(long Lines, DateOnly? First, DateOnly? Last)> PostedAsync(
        NpgsqlConnection db,
        int entity,
        string number,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select (select count(*) from entry_line l where l.entity_id = $1 and l.account_id = a.account_id),
                   (select min(date) from account_day d where d.entity_id = $1 and d.account_id = a.account_id), (select
                     max(date) from account_day d where d.entity_id = $1 and d.account_id = a.account_id)
            from accounts a where a.entity_id = $1 and a."number" = $2
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = number },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        return await reader.ReadAsync(stop)
            ? (
                reader.GetInt64(0),
                reader.IsDBNull(1) ? null : reader.GetFieldValue<DateOnly>(1),
                reader.IsDBNull(2) ? null : reader.GetFieldValue<DateOnly>(2)
            )
            : (0, null, null);
    }

    /// <summary>The lines of an account by purpose, and how many lack what a subledger keeps them by.</summary>
    /// <param name="named">The column that a subledger goes by: <c>party</c>, <c>item</c>, <c>project</c>; null:
    /// none.</param>
    public static async Task<IReadOnlyList<ControlUse>> UseAsync(
        NpgsqlConnection db,
        int entity,
        string number,
        string? named,
        CancellationToken stop
    )
    {
        var nameless = named is "party" or "item" or "project"
            ? $"count(*) filter (where l.{named} is null)"
            : "0::bigint";
        await using var command = new NpgsqlCommand(
            $"""
            select l.purpose, count(*), {nameless}, sum(l.debit - l.credit) from entry_line l join accounts a on
              a.entity_id = l.entity_id and a.account_id = l.account_id
            where l.entity_id = $1 and a."number" = $2 group by l.purpose order by l.purpose nulls last
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = number },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var uses = new List<ControlUse>();
        while (await reader.ReadAsync(stop))
            uses.Add(
                new ControlUse(
                    reader.IsDBNull(0) ? null : reader.GetString(0),
                    reader.GetInt64(1),
                    reader.GetInt64(2),
                    reader.GetDecimal(3)
                )
            );
        return uses;
    }

    /// <summary>The last month in which each account was posted on, of the newest year that has any. Uses the key of
    /// account_month.</summary>
    public static async Task<IReadOnlyDictionary<string, DateOnly>> RecentAsync(
        NpgsqlConnection db,
        int entity,
        string[] numbers,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select a."number", max(m.month) from accounts a join account_month m on m.entity_id = a.entity_id and
              m.account_id = a.account_id
            where a.entity_id = $1 and a."number" = any($2) group by a."number"
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = numbers },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var recent = new Dictionary<string, DateOnly>(StringComparer.Ordinal);
        while (await reader.ReadAsync(stop))
            recent[reader.GetString(0)] = reader.GetFieldValue<DateOnly>(1);
        return recent;
    }

    /// <summary>How the last file with such a header was read, as JSON, with its name; or null.</summary>
    public static async Task<(string Name, string Settings, string Who)?> SourceAsync(
        NpgsqlConnection db,
        int entity,
        string fingerprint,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            "select name, settings::text, who from chart_source where entity_id = $1 and fingerprint = $2",
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = fingerprint },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        return await reader.ReadAsync(stop) ? (reader.GetString(0), reader.GetString(1), reader.GetString(2)) : null;
    }

    /// <summary>Remembers how a file was read.</summary>
    public static async Task RememberAsync(
        NpgsqlConnection db,
        int entity,
        string fingerprint,
        string name,
        string settings,
        string who,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            insert into chart_source (entity_id, fingerprint, name, settings, who) values ($1, $2, $3, $4::jsonb, $5)
            on conflict (entity_id, fingerprint) do update set name = excluded.name, settings = excluded.settings, who =
              excluded.who, at = now()
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = fingerprint },
                new() { Value = name },
                new() { Value = settings, NpgsqlDbType = NpgsqlDbType.Text },
                new() { Value = who },
            },
        };
        await command.ExecuteNonQueryAsync(stop);
    }
}
