using System.Text.Json;
using Assignum.Core.Entries;
using Assignum.Core.Landing;
using Npgsql;

namespace Assignum.Storage;

/// <summary>Reads all that an event did when it was posted, so that it can be turned back.</summary>
public static class PostedStore
{
    /// <summary>What events did, by source and id with a slash between.</summary>
    /// <param name="before">Events from this id on do not count.</param>
    public static async Task<IReadOnlyDictionary<string, PostedBefore>> OfAsync(
        NpgsqlConnection db,
        int entity,
        IReadOnlyCollection<string> names,
        long before,
        CancellationToken stop
    )
    {
        var found = new Dictionary<string, PostedBefore>(StringComparer.Ordinal);
        if (names.Count == 0)
            return found;
        var events = new Dictionary<long, string>();
        await using (
            var command = new NpgsqlCommand(
                """
                select v.event_id, v.source || '/' || v.external_id, v.kind, r.source || '/' || r.external_id,
                  (select n.kind from event_reversal y join event n on n.entity_id = $1 and n.event_id = y.event_id
                   where y.entity_id = $1 and y.by_event_id = v.event_id limit 1)
                from unnest($2, $3) as asked(source, id)
                join event v on v.entity_id = $1 and v.source = asked.source and v.external_id = asked.id and
                  v.event_id < $4
                left join event_reversal x on x.entity_id = $1 and x.event_id = v.event_id and x.by_event_id < $4
                left join event r on r.entity_id = $1 and r.event_id = x.by_event_id
                """,
                db
            )
            {
                Parameters =
                {
                    new() { Value = entity },
                    new() { Value = names.Select(n => n.Split('/', 2)[0]).ToArray() },
                    new() { Value = names.Select(n => n.Split('/', 2)[^1]).ToArray() },
                    new() { Value = before },
                },
            }
        )
        await using (var reader = await command.ExecuteReaderAsync(stop))
            while (await reader.ReadAsync(stop))
            {
                events[reader.GetInt64(0)] = reader.GetString(1);
                found[reader.GetString(1)] = new PostedBefore(
                    reader.IsDBNull(4) ? reader.GetString(2) : reader.GetString(4),
                    null,
                    null,
                    null,
                    [],
                    reader.IsDBNull(3) ? null : reader.GetString(3)
                );
            }
        if (events.Count == 0)
            return found;
        await EntriesAsync(db, entity, events, found, stop);
        await QuietAsync(db, entity, events, found, stop);
        return found;
    }

    private static async Task EntriesAsync(
        NpgsqlConnection db,
        int entity,
        Dictionary<long, string> events,
        Dictionary<string, PostedBefore> found,
        CancellationToken stop
    )
    {
        var entries = new List<(long Id, int Of, long Event, string Role, PostedEntry Entry)>();
        var lines = new Dictionary<(int, long), List<PostedLine>>();
        await using (
            var command = new NpgsqlCommand(
                """
                select n.entity_id, n.entry_id, n.event_id, n.role, n.date, n.currency, n.rate, coalesce(n.counts_as,
                  n.kind),
                  a."number", l.debit, l.credit, l.currency_debit, l.currency_credit, l.rate, l.purpose, l.tax_code,
                    l.text,
                  l.event_line, l.party, l.item, l.location, l.channel, l.method, l.project, l.reason, l.counterparty,
                  l.dimensions::text, coalesce(m.by_default, false), coalesce(m.document_key, m.reference), m.currency,
                  m.currency_amount, coalesce(m.quantity, 0), m.order_ref, m.due
                from entry n join entry_line l on l.entity_id = n.entity_id and l.entry_id = n.entry_id
                join accounts a on a.entity_id = l.entity_id and a.account_id = l.account_id
                left join lateral (select * from subledger_movement m where m.entity_id = l.entity_id
                  and m.entry_id = l.entry_id and m.line_no = l.line_no offset 0) m on true
                where n.event_entity_id = $1 and n.event_id = any($2)
                  and n.entity_id in (select $1 union select e.entity_id from event v join entity e on e.code =
                    v.body::jsonb ->>
                    'counterparty' where v.entity_id = $1 and v.event_id = any($2))
                order by n.entity_id, n.entry_id, l.line_no
                """,
                db
            )
            {
                Parameters =
                {
                    new() { Value = entity },
                    new() { Value = events.Keys.ToArray() },
                },
            }
        )
        await using (var reader = await command.ExecuteReaderAsync(stop))
        {
            string? Text(int i) => reader.IsDBNull(i) ? null : reader.GetString(i);
            decimal? Num(int i) => reader.IsDBNull(i) ? null : reader.GetDecimal(i);
            while (await reader.ReadAsync(stop))
            {
                var key = (reader.GetInt32(0), reader.GetInt64(1));
                var currency = reader.GetString(5);
                if (!lines.TryGetValue(key, out var of))
                {
                    lines[key] = of = [];
                    entries.Add(
                        (
                            key.Item2,
                            key.Item1,
                            reader.GetInt64(2),
                            reader.GetString(3),
                            new PostedEntry(reader.GetFieldValue<DateOnly>(4), currency, reader.GetDecimal(6), of, [])
                        )
                    );
                }
                var moved = Text(29);
                of.Add(
                    new PostedLine(
                        reader.GetString(8),
                        reader.GetDecimal(9),
                        reader.GetDecimal(10),
                        Num(11),
                        Num(12),
                        Num(13),
                        Text(14) is { } purpose ? Purposes.Find(purpose) : null,
                        Text(15),
                        Text(16),
                        reader.IsDBNull(17) ? null : reader.GetInt32(17),
                        reader.GetBoolean(27),
                        new LegContext(
                            default,
                            Party: Text(18),
                            Item: Text(19),
                            Location: Text(20),
                            Channel: Text(21),
                            Method: Text(22),
                            Project: Text(23),
                            Reason: Text(24),
                            Counterparty: Text(25),
                            Dimensions: Text(26) is { } dimensions
                                ? JsonSerializer.Deserialize<Dictionary<string, string>>(dimensions)
                                : null,
                            Quantity: reader.GetDecimal(31),
                            Reference: Text(28),
                            TaxCode: Text(15),
                            LegCurrency: moved ?? currency,
                            Settled: moved is not null && moved != currency && Num(30) is { } amount
                                ? (moved, amount)
                                : null,
                            Order: Text(32),
                            Due: reader.IsDBNull(33) ? null : reader.GetFieldValue<DateOnly>(33)
                        )
                    )
                );
            }
        }
        var codes = await CodesAsync(db, [.. entries.Select(e => e.Of).Where(o => o != entity).Distinct()], stop);
        var taxes = await TaxesAsync(db, [.. entries.Select(e => (e.Of, e.Id))], stop);
        foreach (var (id, of, ev, role, made) in entries)
        {
            var name = events[ev];
            var entry = made with { Tax = [.. taxes[(of, id)]] };
            found[name] = role switch
            {
                "entry" => found[name] with { Entry = entry },
                "reversal" => found[name] with { TurnsBackOn = entry.Date },
                _ => found[name] with { Mirror = (codes[of], entry) },
            };
        }
    }

    private static async Task<Dictionary<int, string>> CodesAsync(
        NpgsqlConnection db,
        int[] entities,
        CancellationToken stop
    )
    {
        var codes = new Dictionary<int, string>();
        if (entities.Length == 0)
            return codes;
        await using var command = new NpgsqlCommand("select entity_id, code from entity where entity_id = any($1)", db)
        {
            Parameters = { new() { Value = entities } },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        while (await reader.ReadAsync(stop))
            codes[reader.GetInt32(0)] = reader.GetString(1);
        return codes;
    }

    private static async Task<ILookup<(int, long), EntryTax>> TaxesAsync(
        NpgsqlConnection db,
        (int Of, long Id)[] entries,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select t.entity_id, t.entry_id, t.code, t.base, t.rate, t.tax, t.decided_by, t.entity_base, t.entity_tax,
              t.non_deductible, t.capital, t.base_box, t.tax_box, t.reverse_base_box, t.reverse_tax_box, t.tax_date,
              t.entity_reclaimed
            from unnest($1, $2) as asked(entity, entry) join entry_tax t on t.entity_id = asked.entity and t.entry_id =
              asked.entry order by t.line_no
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entries.Select(e => e.Of).ToArray() },
                new() { Value = entries.Select(e => e.Id).ToArray() },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var taxes = new List<((int, long) Key, EntryTax Tax)>();
        string? Text(int i) => reader.IsDBNull(i) ? null : reader.GetString(i);
        while (await reader.ReadAsync(stop))
            taxes.Add(
                (
                    (reader.GetInt32(0), reader.GetInt64(1)),
                    new EntryTax(
                        reader.GetString(2),
                        reader.GetDecimal(3),
                        reader.GetDecimal(4),
                        reader.GetDecimal(5),
                        reader.GetString(6),
                        reader.GetDecimal(7),
                        reader.GetDecimal(8),
                        reader.GetDecimal(9),
                        reader.GetBoolean(10),
                        Text(11),
                        Text(12),
                        Text(13),
                        Text(14),
                        reader.GetFieldValue<DateOnly>(15),
                        reader.GetDecimal(16)
                    )
                )
            );
        return taxes.ToLookup(t => t.Key, t => t.Tax);
    }

    private static async Task QuietAsync(
        NpgsqlConnection db,
        int entity,
        Dictionary<long, string> events,
        Dictionary<string, PostedBefore> found,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select m.event_id, m.purpose, a."number", coalesce(m.document_key, m.reference), m.party, m.item,
              m.location,
              m.project, m.channel, m.method, m.order_ref, m.due, m.tax_code, m.counterparty, m.quantity, m.amount,
              m.currency, m.currency_amount, m.rate, m.by_default
            from quiet_movement m left join accounts a on a.entity_id = m.entity_id and a.account_id = m.account_id
            where m.entity_id = $1 and m.event_entity_id = $1 and m.event_id = any($2) and m.entry_id is null and
              m.purpose is
              not null
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = events.Keys.ToArray() },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        string? Text(int i) => reader.IsDBNull(i) ? null : reader.GetString(i);
        decimal? Num(int i) => reader.IsDBNull(i) ? null : reader.GetDecimal(i);
        var moves = new List<(string Name, QuietMove Move)>();
        while (await reader.ReadAsync(stop))
        {
            var account = Text(2);
            var byDefault = reader.GetBoolean(19);
            var context = new LegContext(
                default,
                Item: Text(5),
                Party: Text(4),
                Location: Text(6),
                Channel: Text(8),
                Method: Text(9),
                Project: Text(7),
                Counterparty: Text(13),
                Reference: Text(3),
                TaxCode: Text(12),
                Settled: (reader.GetString(16), Num(17) ?? 0),
                Order: Text(10),
                Due: reader.IsDBNull(11) ? null : reader.GetFieldValue<DateOnly>(11)
            );
            moves.Add(
                (
                    events[reader.GetInt64(0)],
                    new QuietMove(
                        new QuietLeg(
                            Purposes.Find(reader.GetString(1))!,
                            context,
                            reader.GetDecimal(14),
                            new LegAmount(reader.GetDecimal(15), Num(17)),
                            account is null ? null : new PostedOn(account, byDefault),
                            Num(18)
                        ),
                        account,
                        null,
                        byDefault
                    )
                )
            );
        }
        foreach (var of in moves.GroupBy(m => m.Name))
            found[of.Key] = found[of.Key] with { Quiet = [.. of.Select(m => m.Move)] };
    }
}
