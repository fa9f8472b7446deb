using Assignum.Core;
using Assignum.Core.Books;
using Assignum.Core.Chart;
using Npgsql;
using NpgsqlTypes;

namespace Assignum.Storage;

/// <summary>A row of a list of another system, signed as ours are.</summary>
public sealed record TheirRow(
    string? Party,
    string? Document,
    string? Item,
    string? Location,
    string? Project,
    string? Channel,
    string? Method,
    string? Order,
    decimal? Quantity,
    string? Currency,
    decimal? CurrencyAmount,
    decimal Amount,
    DateOnly? Date
);

/// <summary>Keeps lists of other systems and sign-offs.</summary>
public static class TheirStore
{
    private static string? Column(SubledgerKey key) =>
        key switch
        {
            SubledgerKey.Party => "party",
            SubledgerKey.Document => "document",
            SubledgerKey.Item => "item",
            SubledgerKey.Location => "location",
            SubledgerKey.Project => "project",
            SubledgerKey.Channel => "channel",
            SubledgerKey.Method => "method",
            SubledgerKey.Order => "order_ref",
            SubledgerKey.Currency => "currency",
            _ => null,
        };

    /// <summary>Keeps a list in place of the one of the same system and day.</summary>
    public static async Task KeepAsync(
        NpgsqlConnection db,
        int entity,
        Control control,
        DateOnly at,
        string source,
        IReadOnlyList<TheirRow> rows,
        CancellationToken stop
    )
    {
        await using (
            var gone = new NpgsqlCommand(
                "delete from their_row where entity_id = $1 and control = $2 and at = $3 and source = $4",
                db
            )
            {
                Parameters =
                {
                    new() { Value = entity },
                    new() { Value = Words.Of(control) },
                    new() { Value = at },
                    new() { Value = source },
                },
            }
        )
            await gone.ExecuteNonQueryAsync(stop);
        using var copy = new CopyRows(
            "their_row (entity_id, control, at, source, row_no, party, document, item, location, project, channel, method, "
                + "order_ref, quantity, currency, currency_amount, amount, date)"
        );
        for (var i = 0; i < rows.Count; i++)
        {
            var r = rows[i];
            copy.Row()
                .Int(entity)
                .Text(Words.Of(control))
                .Day(at)
                .Text(source)
                .Int(i + 1)
                .Text(r.Party)
                .Text(r.Document)
                .Text(r.Item)
                .Text(r.Location)
                .Text(r.Project)
                .Text(r.Channel)
                .Text(r.Method)
                .Text(r.Order)
                .Num(r.Quantity)
                .Text(r.Currency)
                .Num(r.CurrencyAmount)
                .Num(r.Amount)
                .Day(r.Date);
        }
        await copy.SendAsync(db, stop);
    }

    /// <summary>Which controls have lists of a day, of which systems, with which of their keys filled.</summary>
    public static async Task<
        IReadOnlyDictionary<Control, (IReadOnlyList<string> Sources, IReadOnlyList<SubledgerKey> Keys)>
    > ListsAsync(NpgsqlConnection db, int entity, DateOnly at, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand(
            """
            select control, array_agg(distinct source order by source), count(party), count(document), count(item),
              count(location), count(project), count(channel), count(method), count(order_ref), count(currency)
            from their_row where entity_id = $1 and at = $2 group by control
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
        SubledgerKey[] all =
        [
            SubledgerKey.Party,
            SubledgerKey.Document,
            SubledgerKey.Item,
            SubledgerKey.Location,
            SubledgerKey.Project,
            SubledgerKey.Channel,
            SubledgerKey.Method,
            SubledgerKey.Order,
            SubledgerKey.Currency,
        ];
        await using var reader = await command.ExecuteReaderAsync(stop);
        var found = new Dictionary<Control, (IReadOnlyList<string>, IReadOnlyList<SubledgerKey>)>();
        while (await reader.ReadAsync(stop))
            if (Words.TryParse<Control>(reader.GetString(0), out var control))
            {
                var filled = all.Where((_, i) => reader.GetInt64(2 + i) > 0).ToHashSet();
                found[control] = (
                    reader.GetFieldValue<string[]>(1),
                    [.. Subledgers.KeysOf(control).Where(filled.Contains)]
                );
            }
        return found;
    }

    /// <summary>Their rows of a day, added up by key.</summary>
    public static async Task<IReadOnlyList<KeyedSum>> SumsAsync(
        NpgsqlConnection db,
        int entity,
        Control control,
        DateOnly at,
        IReadOnlyList<SubledgerKey> keys,
        CancellationToken stop
    )
    {
        var names = string.Join(", ", keys.Select(Column));
        await using var command = new NpgsqlCommand(
            $"""
            select sum(amount), sum(currency_amount), coalesce(sum(quantity), 0), count(*)::int
              {(keys.Count == 0 ? "" : ", " + names)}
            from their_row where entity_id = $1 and control = $2 and at = $3 {(
                keys.Count == 0 ? "" : $"group by {names}"
            )}
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = Words.Of(control) },
                new() { Value = at },
            },
        };
        return await SumsAsync(command, keys, stop);
    }

    internal static async Task<IReadOnlyList<KeyedSum>> SumsAsync(
        NpgsqlCommand command,
        IReadOnlyList<SubledgerKey> keys,
        CancellationToken stop
    )
    {
        await using var reader = await command.ExecuteReaderAsync(stop);
        var sums = new List<KeyedSum>();
        while (await reader.ReadAsync(stop))
        {
            if (reader.IsDBNull(0))
                continue;
            var of = new Dictionary<SubledgerKey, string>(keys.Count);
            for (var i = 0; i < keys.Count; i++)
                if (!reader.IsDBNull(4 + i))
                    of[keys[i]] = reader.GetString(4 + i);
            sums.Add(
                new KeyedSum(
                    of,
                    reader.GetDecimal(0),
                    reader.IsDBNull(1) ? null : reader.GetDecimal(1),
                    reader.GetDecimal(2),
                    reader.GetInt32(3)
                )
            );
        }
        return sums;
    }

    /// <summary>The newest act of each control and month.</summary>
    /// <param name="month">Null: of all months.</param>
    public static async Task<IReadOnlyList<SignOff>> SignOffsAsync(
        NpgsqlConnection db,
        int entity,
        DateOnly? month,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select distinct on (s.control, s.month) s.control, s.month, s.state, s.ledger, s.documents,
              s.remains::text, s.who,
              s.at, s.reason, p.who, p.at,
              (select coalesce(array_agg(n."number" order by n.entry_id), '{}') from (
                select n.entry_id, n."number" from entry n where n.entity_id = s.entity_id and n.date >= s.month and
                  n.date <
                  s.month + interval '1 month' and n.posted_at > coalesce(p.at, s.at) and s.state <> 'open'
                  and exists (select from subledger_movement m where m.entity_id = n.entity_id and m.entry_id =
                    n.entry_id
                    and (m.control = s.control or m.document = s.control) offset 0) limit 100) n)
            from sign_off s
            left join lateral (select who, at from sign_off p where p.entity_id = s.entity_id and p.control =
              s.control and
              p.month = s.month and p.state = 'prepared' and p.act_id <= s.act_id order by p.act_id desc limit 1) p on
                true
            where s.entity_id = $1 and ($2::date is null or s.month = $2)
            order by s.control, s.month, s.act_id desc
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = (object?)month ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Date },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var found = new List<SignOff>();
        while (await reader.ReadAsync(stop))
        {
            if (!Words.TryParse<Control>(reader.GetString(0), out var control))
                continue;
            var state = reader.GetString(2);
            found.Add(
                new SignOff(
                    control,
                    reader.GetFieldValue<DateOnly>(1),
                    state,
                    reader.GetDecimal(3),
                    reader.GetDecimal(4),
                    System.Text.Json.JsonSerializer.Deserialize<List<Remaining>>(reader.GetString(5)) ?? [],
                    state == "open" || reader.IsDBNull(9) ? null : reader.GetString(9),
                    state == "open" || reader.IsDBNull(10) ? null : reader.GetDateTime(10),
                    state == "confirmed" ? reader.GetString(6) : null,
                    state == "confirmed" ? reader.GetDateTime(7) : null,
                    reader.IsDBNull(8) ? null : reader.GetString(8),
                    reader.GetFieldValue<string[]>(11)
                )
            );
        }
        return found;
    }

    /// <summary>Writes down an act of a sign-off.</summary>
    public static async Task SignAsync(
        NpgsqlConnection db,
        int entity,
        Control control,
        DateOnly month,
        string state,
        (decimal Ledger, decimal Documents) sums,
        IReadOnlyList<Remaining> remains,
        string? reason,
        string who,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            insert into sign_off (entity_id, control, month, state, ledger, documents, remains, reason, who)
            values ($1, $2, $3, $4, $5, $6, $7, $8, $9)
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = Words.Of(control) },
                new() { Value = month },
                new() { Value = state },
                new() { Value = sums.Ledger },
                new() { Value = sums.Documents },
                new() { Value = System.Text.Json.JsonSerializer.Serialize(remains), NpgsqlDbType = NpgsqlDbType.Jsonb },
                new() { Value = (object?)reason ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Text },
                new() { Value = who },
            },
        };
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>What may remain without being explained.</summary>
    public static async Task<decimal> ToleranceAsync(NpgsqlConnection db, int entity, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand("select tolerance from book_setting where entity_id = $1", db)
        {
            Parameters = { new() { Value = entity } },
        };
        return await command.ExecuteScalarAsync(stop) is decimal tolerance ? tolerance : 0;
    }

    /// <summary>Sets it.</summary>
    public static async Task SetToleranceAsync(
        NpgsqlConnection db,
        int entity,
        decimal tolerance,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            "insert into book_setting values ($1, $2) on conflict (entity_id) do update set tolerance = excluded.tolerance",
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = tolerance },
            },
        };
        await command.ExecuteNonQueryAsync(stop);
    }
}
