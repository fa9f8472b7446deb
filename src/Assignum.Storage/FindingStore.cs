using Assignum.Core.Checks;
using Npgsql;
using NpgsqlTypes;

namespace Assignum.Storage;

/// <summary>Amounts of lines that one key may have decided: of one purpose, pattern and account, and of one value in
/// each dimension that the pattern's rung asks for.</summary>
/// <param name="Pattern">The reasoning with places instead of values; null: not kept, or by hand.</param>
/// <param name="Values">By dimension: the line's own first, then outward.</param>
public sealed record DecidedAmount(
    string? Purpose,
    string? Pattern,
    string Account,
    IReadOnlyDictionary<string, string[]> Values,
    decimal Amount
);

/// <summary>What checks ask of the books, and what was decided about findings.</summary>
public static class FindingStore
{
    /// <summary>The newest entry; 0 where nothing was posted.</summary>
    public static async Task<long> NewestAsync(NpgsqlConnection db, int entity, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand(
            "select coalesce(max(entry_id), 0) from entry where entity_id = $1",
            db
        )
        {
            Parameters = { new() { Value = entity } },
        };
        return (long)(await command.ExecuteScalarAsync(stop))!;
    }

    /// <summary>Accounts that were posted on since a day. Uses account_day.</summary>
    public static async Task<IReadOnlySet<string>> PostedSinceAsync(
        NpgsqlConnection db,
        int entity,
        DateOnly since,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select distinct a."number" from account_day d join accounts a using (entity_id, account_id)
            where d.entity_id = $1 and d.date >= $2
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = since },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var numbers = new HashSet<string>(StringComparer.Ordinal);
        while (await reader.ReadAsync(stop))
            numbers.Add(reader.GetString(0));
        return numbers;
    }

    // Values of a line that its rung asks for; others would only take apart what belongs together.
    private static readonly (string Dimension, string Column)[] Singles =
    [
        ("item", "l.item"),
        ("party", "l.party"),
        ("location", "l.location"),
        ("channel", "l.channel"),
        ("method", "l.method"),
        ("reason", "l.reason"),
        ("tax-code", "l.tax_code"),
        ("counterparty", "l.counterparty"),
        ("currency", "n.currency"),
    ];

    private static readonly (string Dimension, string Column)[] Chains =
    [
        ("item-group", "l.item_chain"),
        ("party-group", "l.party_chain"),
        ("project", "l.project_chain"),
        ("project-group", "l.project_group_chain"),
    ];

    private static string Asked((string Dimension, string Column) of) =>
        $"case when position('+{of.Dimension}+' in p.asks) > 0 then {of.Column} end";

    private static readonly string Decided = $"""
        with p as (select pattern_id, body, '+' || coalesce(rung, '') || '+' as asks from landing_pattern where
          entity_id = $1),
        line as (
          select l.purpose, l.pattern_id, l.account_id, {string.Join(
            ", ",
            Singles.Concat(Chains).Select((d, i) => $"{Asked(d)} as v{i}")
        )}, sum(l.debit + l.credit) as amount
          from entry n join entry_line l on l.entity_id = n.entity_id and l.entry_id = n.entry_id
          left join p on p.pattern_id = l.pattern_id
          where n.entity_id = $1 and n.date between $2 and $3
          group by {string.Join(", ", Enumerable.Range(1, 3 + Singles.Length + Chains.Length))})
        select line.purpose, p.body, a."number", line.amount,
          {string.Join(", ", Singles.Select((_, i) => $"v{i}"))},
          {string.Join(
            ", ",
            Chains.Select((_, i) =>
                $"(select codes from landing_chain c where c.entity_id = $1 and c.chain_id = v{Singles.Length + i})"
            )
        )}
        from line join accounts a on a.entity_id = $1 and a.account_id = line.account_id
        left join p on p.pattern_id = line.pattern_id
        """;

    /// <summary>Amounts of some days by what decided them.</summary>
    public static async Task<IReadOnlyList<DecidedAmount>> DecidedAsync(
        NpgsqlConnection db,
        int entity,
        DateOnly from,
        DateOnly to,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(Decided, db)
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = from },
                new() { Value = to },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var rows = new List<DecidedAmount>();
        string? Text(int at) => reader.IsDBNull(at) ? null : reader.GetString(at);
        while (await reader.ReadAsync(stop))
        {
            var values = new Dictionary<string, string[]>(StringComparer.Ordinal);
            for (var i = 0; i < Singles.Length; i++)
                if (Text(4 + i) is { } own)
                    values[Singles[i].Dimension] = [own];
            for (var i = 0; i < Chains.Length; i++)
                if (!reader.IsDBNull(4 + Singles.Length + i))
                    values[Chains[i].Dimension] = reader.GetFieldValue<string[]>(4 + Singles.Length + i);
            rows.Add(new DecidedAmount(Text(0), Text(1), reader.GetString(2), values, reader.GetDecimal(3)));
        }
        return rows;
    }

    /// <summary>What passed through a purpose on some days, by two values of its lines: an item, a party, a project or one
    /// of the plain dimensions each.</summary>
    /// <param name="down">A dimension's word.</param>
    /// <param name="across">Another's; null: none.</param>
    public static async Task<IReadOnlyList<(string? Down, string? Across, decimal Amount)>> VolumesAsync(
        NpgsqlConnection db,
        int entity,
        string purpose,
        string down,
        string? across,
        DateOnly from,
        DateOnly to,
        CancellationToken stop
    )
    {
        // Names of columns come from the table above, never from whoever asks.
        static string Column(string? of) =>
            of == "project"
                ? "(select codes[1] from landing_chain c where c.entity_id = $1 and c.chain_id = l.project_chain)"
                : Singles.Where(s => s.Dimension == of).Select(s => s.Column).FirstOrDefault("null::text");
        await using var command = new NpgsqlCommand(
            $"""
            select {Column(down)} as d, {Column(across)} as a, sum(l.debit + l.credit)
            from entry n join entry_line l on l.entity_id = n.entity_id and l.entry_id = n.entry_id
            where n.entity_id = $1 and n.date between $2 and $3 and l.purpose = $4 group by 1, 2
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = from },
                new() { Value = to },
                new() { Value = purpose },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var rows = new List<(string?, string?, decimal)>();
        string? Text(int at) => reader.IsDBNull(at) ? null : reader.GetString(at);
        while (await reader.ReadAsync(stop))
            rows.Add((Text(0), Text(1), reader.GetDecimal(2)));
        return rows;
    }

    /// <summary>Lines by hand since a day, by account.</summary>
    public static async Task<IReadOnlyDictionary<string, (int Lines, decimal Amount)>> ByHandAsync(
        NpgsqlConnection db,
        int entity,
        DateOnly since,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select a."number", count(*)::int, sum(l.debit + l.credit)
            from entry n join entry_line l on l.entity_id = n.entity_id and l.entry_id = n.entry_id
            join accounts a on a.entity_id = l.entity_id and a.account_id = l.account_id
            where n.entity_id = $1 and n.kind = 'hand-entry' and n.date >= $2 group by 1
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = since },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var rows = new Dictionary<string, (int, decimal)>(StringComparer.Ordinal);
        while (await reader.ReadAsync(stop))
            rows[reader.GetString(0)] = (reader.GetInt32(1), reader.GetDecimal(2));
        return rows;
    }

    /// <summary>Events since a day that say what one before them said: one kind, party, currency and total within seven
    /// days, and one reference or the same lines. Each with the nearest before it.</summary>
    public static async Task<IReadOnlyList<LikelyDouble>> DoublesAsync(
        NpgsqlConnection db,
        int entity,
        DateOnly since,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            with e as materialized (
              select v.event_id, v.source, v.external_id, n.kind, n.party, n.currency, n.total, n.date, n.reference,
                md5((v.body::jsonb -> 'lines')::text) as lines
              from entry n join event v on v.entity_id = n.entity_id and v.event_id = n.event_id
              where n.entity_id = $1 and n.event_entity_id = $1 and n.role = 'entry' and n.date >= $2)
            select distinct on (later.event_id) later.source, later.external_id, earlier.source, earlier.external_id,
              later.kind, later.party, later.date, later.total
            from e later join e earlier on earlier.kind = later.kind and earlier.currency = later.currency
              and earlier.total = later.total and coalesce(earlier.party, '') = coalesce(later.party, '')
              and earlier.event_id < later.event_id
            where abs(later.date - earlier.date) <= 7
              and (later.reference = earlier.reference or later.lines = earlier.lines)
            order by later.event_id, earlier.event_id desc limit 5000
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = since },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var rows = new List<LikelyDouble>();
        while (await reader.ReadAsync(stop))
            rows.Add(
                new LikelyDouble(
                    reader.GetString(0),
                    reader.GetString(1),
                    reader.GetString(2),
                    reader.GetString(3),
                    reader.GetString(4),
                    reader.IsDBNull(5) ? null : reader.GetString(5),
                    reader.GetFieldValue<DateOnly>(6),
                    reader.GetDecimal(7)
                )
            );
        return rows;
    }

    /// <summary>All that is accepted.</summary>
    public static async Task<IReadOnlyList<AcceptedRow>> AcceptedAsync(
        NpgsqlConnection db,
        int entity,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select identity, code, reason, until, who, at, account, count, amount from finding_accepted where entity_id
              = $1
            """,
            db
        )
        {
            Parameters = { new() { Value = entity } },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var rows = new List<AcceptedRow>();
        while (await reader.ReadAsync(stop))
            rows.Add(
                new AcceptedRow(
                    reader.GetString(0),
                    reader.GetString(1),
                    reader.GetString(2),
                    reader.GetFieldValue<DateOnly>(3),
                    reader.GetString(4),
                    reader.GetDateTime(5),
                    reader.IsDBNull(6) ? null : reader.GetString(6),
                    reader.GetDecimal(7),
                    reader.GetDecimal(8)
                )
            );
        return rows;
    }

    /// <summary>Accepts one, in place of an earlier acceptance.</summary>
    public static async Task AcceptAsync(NpgsqlConnection db, int entity, AcceptedRow row, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand(
            """
            insert into finding_accepted (entity_id, identity, code, reason, until, who, account, count, amount)
            values ($1, $2, $3, $4, $5, $6, $7, $8, $9)
            on conflict (entity_id, identity) do update set reason = excluded.reason, until = excluded.until, who =
              excluded.who, at = now(), account = excluded.account, count = excluded.count, amount = excluded.amount
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = row.Identity },
                new() { Value = row.Code },
                new() { Value = row.Reason },
                new() { Value = row.Until },
                new() { Value = row.Who },
                new() { Value = (object?)row.Account ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Text },
                new() { Value = row.Count },
                new() { Value = row.Amount },
            },
        };
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>All that were given to somebody, the nearest day first.</summary>
    public static async Task<IReadOnlyList<GivenRow>> GivenAsync(
        NpgsqlConnection db,
        int entity,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select identity, code, message, given_to, day, note, who, at from finding_given where entity_id = $1
            order by day nulls last, at
            """,
            db
        )
        {
            Parameters = { new() { Value = entity } },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var rows = new List<GivenRow>();
        while (await reader.ReadAsync(stop))
            rows.Add(
                new GivenRow(
                    reader.GetString(0),
                    reader.GetString(1),
                    reader.GetString(2),
                    reader.GetString(3),
                    reader.IsDBNull(4) ? null : reader.GetFieldValue<DateOnly>(4),
                    reader.IsDBNull(5) ? null : reader.GetString(5),
                    reader.GetString(6),
                    reader.GetDateTime(7)
                )
            );
        return rows;
    }

    /// <summary>Gives one to somebody, in place of whoever had it.</summary>
    public static async Task GiveAsync(NpgsqlConnection db, int entity, GivenRow row, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand(
            """
            insert into finding_given (entity_id, identity, code, message, given_to, day, note, who)
            values ($1, $2, $3, $4, $5, $6, $7, $8)
            on conflict (entity_id, identity) do update set message = excluded.message, given_to = excluded.given_to,
              day =
              excluded.day, note = excluded.note, who = excluded.who, at = now()
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = row.Identity },
                new() { Value = row.Code },
                new() { Value = row.Message },
                new() { Value = row.To },
                new() { Value = (object?)row.Day ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Date },
                new() { Value = (object?)row.Note ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Text },
                new() { Value = row.Who },
            },
        };
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>Takes back an acceptance, or what somebody was given.</summary>
    public static async Task ForgetAsync(
        NpgsqlConnection db,
        int entity,
        string identity,
        bool accepted,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            $"delete from {(accepted ? "finding_accepted" : "finding_given")} where entity_id = $1 and identity = $2",
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = identity },
            },
        };
        await command.ExecuteNonQueryAsync(stop);
    }
}
