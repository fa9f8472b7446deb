using Assignum.Core.Entries;
using Assignum.Core.Landing;
using Assignum.Core.Ledger;
using Npgsql;

namespace Assignum.Storage;

/// <summary>What was posted before of that which events settle, apply, relieve or correct.</summary>
public static class HistoryStore
{
    /// <summary>The event of an entry; null: there is no such entry.</summary>
    public static async Task<long?> EventOfAsync(NpgsqlConnection db, int entity, long entry, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand(
            "select event_id from entry where entity_id = $1 and entry_id = $2",
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = entry },
            },
        };
        return (long?)await command.ExecuteScalarAsync(stop);
    }

    /// <summary>For each (control, party, reference) the latest document and what is open of it, a row for each
    /// currency. Uses entry_line_document.</summary>
    /// <param name="before">Events from this id on do not count.</param>
    public static async Task<IReadOnlyList<DocumentRow>> DocumentsAsync(
        NpgsqlConnection db,
        int entity,
        string[] controls,
        string[] parties,
        string[] references,
        long before,
        CancellationToken stop
    )
    {
        if (controls.Length == 0)
            return [];
        await using var command = new NpgsqlCommand(
            """
            select asked.control, asked.party, asked.reference, latest.account, latest.rate, latest.currency,
              sums.currency, coalesce(sums.open, 0), coalesce(sums.base, 0), latest.by_default
            from (select distinct * from unnest($2, $3, $4) as a(control, party, reference)) asked
            cross join lateral (
              select a."number" as account, m.rate, m.currency, m.by_default from subledger_movement m join accounts a
                on
                a.entity_id = m.entity_id and a.account_id = m.account_id
              where m.entity_id = $1 and m.document = asked.control and m.party = asked.party and m.reference =
                asked.reference and not m.settles and m.event_id < $5
              order by m.event_id desc, m.entry_id, m.line_no limit 1) latest
            cross join lateral (
              select m.currency, sum(m.currency_amount) as open, sum(m.amount) as base from subledger_movement m
              where m.entity_id = $1 and m.document = asked.control and m.party = asked.party and m.reference =
                asked.reference and m.event_id < $5
              group by m.currency) sums
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = controls },
                new() { Value = parties },
                new() { Value = references },
                new() { Value = before },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var rows = new List<DocumentRow>();
        while (await reader.ReadAsync(stop))
            rows.Add(
                new DocumentRow(
                    reader.GetString(0),
                    reader.GetString(1),
                    reader.GetString(2),
                    reader.GetString(3),
                    reader.IsDBNull(4) ? 1 : reader.GetDecimal(4),
                    reader.GetString(5),
                    reader.GetString(6),
                    reader.GetDecimal(7),
                    reader.GetDecimal(8),
                    reader.GetBoolean(9)
                )
            );
        return rows;
    }

    /// <summary>What is open of a purpose under each of some names (see <see cref="DocumentRegister.KeyOf"/>).</summary>
    /// <param name="who">Party, channel, or empty; together with <paramref name="items"/>.</param>
    /// <param name="before">Events from this id on do not count.</param>
    public static async Task<IReadOnlyList<(string? Channel, OpenLot Lot)>> LotsAsync(
        NpgsqlConnection db,
        int entity,
        Purpose purpose,
        string[] who,
        string[] items,
        long before,
        CancellationToken stop
    )
    {
        if (who.Length == 0)
            return [];
        var where =
            purpose == Purposes.OutputTax
                ? "m.document = 'tax' and m.party = asked.who and m.reference = asked.item and m.purpose = 'output-tax'"
            : purpose == Purposes.GiftCards ? "m.purpose = 'gift-cards' and coalesce(m.channel, '') = asked.who"
            : purpose == Purposes.ReceivedNotInvoiced
                ? "m.purpose = 'received-not-invoiced' and coalesce(m.item, '') = asked.item and m.party = asked.who"
            : purpose == Purposes.ShippedNotInvoiced
                ? "m.purpose = 'shipped-not-invoiced' and coalesce(m.item, '') = asked.item"
            : "m.document = 'deposits' and m.party = asked.who and m.purpose = $5";
        var keyed = purpose == Purposes.ReceivedNotInvoiced || purpose == Purposes.ShippedNotInvoiced;
        await using var command = new NpgsqlCommand(
            $"""
            select lot.channel, coalesce(lot.doc, ''), coalesce(a."number", ''), lot.by_default, lot.rate, lot.currency,
              coalesce(lot.open, 0), lot.base, lot.quantity, lot.party, lot.item, lot.order_ref, lot.location, lot.age
            from (select distinct * from unnest($2, $3) as a(who, item)) asked
            cross join lateral (
              select min(m.channel) as channel, coalesce(m.document_key, m.reference) as doc, m.account_id,
                (array_agg(m.by_default order by m.event_id, m.entry_id, m.line_no))[1] as by_default,
                (array_agg(m.rate order by m.event_id, m.entry_id, m.line_no))[1] as rate,
                m.currency, sum(m.currency_amount) as open, sum(m.amount) as base, sum(m.quantity) as quantity,
                m.party, {(purpose == Purposes.OutputTax ? "m.tax_code" : "m.item")} as item,
                {(keyed ? "m.order_ref" : "min(m.order_ref)")} as order_ref,
                (array_agg(m.location order by m.event_id, m.entry_id, m.line_no))[1] as location, min(m.event_id) as
                  age
              from subledger_movement m
              where m.entity_id = $1 and {where} and m.event_id < $4
              group by coalesce(m.document_key, m.reference), m.account_id, m.currency, m.party,
                {(purpose == Purposes.OutputTax ? "m.tax_code" : "m.item")}{(keyed ? ", m.order_ref" : "")}
              having sum(m.amount) <> 0 or sum(m.currency_amount) <> 0 or sum(m.quantity) <> 0) lot
            left join accounts a on a.entity_id = $1 and a.account_id = lot.account_id
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = who },
                new() { Value = items },
                new() { Value = before },
            },
        };
        if (where.Contains("$5", StringComparison.Ordinal))
            command.Parameters.Add(new() { Value = purpose.Name });
        await using var reader = await command.ExecuteReaderAsync(stop);
        var lots = new List<(string?, OpenLot)>();
        string? Text(int i) => reader.IsDBNull(i) ? null : reader.GetString(i);
        while (await reader.ReadAsync(stop))
            lots.Add(
                (
                    Text(0),
                    new OpenLot(
                        reader.GetString(1),
                        reader.GetString(2),
                        reader.GetBoolean(3),
                        reader.IsDBNull(4) ? 1 : reader.GetDecimal(4),
                        reader.GetString(5),
                        reader.GetDecimal(6),
                        reader.GetDecimal(7),
                        reader.GetDecimal(8),
                        Text(9),
                        Text(10),
                        Text(11),
                        Text(12),
                        reader.GetInt64(13)
                    )
                )
            );
        return lots;
    }

    /// <summary>The tax that deposits carried. Uses event_link's key.</summary>
    public static async Task<IReadOnlyList<(string Party, string Deposit, CarriedTax Tax)>> CarriedAsync(
        NpgsqlConnection db,
        int entity,
        string[] parties,
        string[] deposits,
        long before,
        CancellationToken stop
    )
    {
        if (parties.Length == 0)
            return [];
        await using var command = new NpgsqlCommand(
            """
            select asked.party, asked.deposit, t.code, t.rate, t.base, t.tax
            from (select distinct * from unnest($2, $3) as a(party, deposit)) asked
            cross join lateral (select k.event_id from event_link k where k.entity_id = $1 and k.party = asked.party
              and k.what = 'document' and k."name" = asked.deposit and k.event_id < $4 offset 0) k
            join event v on v.entity_id = $1 and v.event_id = k.event_id and v.kind = $5
            join entry n on n.entity_id = $1 and n.event_entity_id = $1 and n.event_id = k.event_id and n.role = 'entry'
            join entry_tax t on t.entity_id = $1 and t.entry_id = n.entry_id
            order by n.entry_id, t.line_no
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = parties },
                new() { Value = deposits },
                new() { Value = before },
                new() { Value = DocumentRegister.CarriesTax },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var found = new List<(string, string, CarriedTax)>();
        while (await reader.ReadAsync(stop))
            found.Add(
                (
                    reader.GetString(0),
                    reader.GetString(1),
                    new CarriedTax(
                        reader.GetString(2),
                        reader.GetDecimal(3),
                        reader.GetDecimal(4),
                        reader.GetDecimal(5)
                    )
                )
            );
        return found;
    }

    /// <summary>The latest invoice or sale of each party and reference, as a correction of it asks for it. Uses
    /// event_link's key.</summary>
    /// <param name="parties">Empty: of nobody.</param>
    public static async Task<
        IReadOnlyList<(string Party, string Reference, CorrectedDocument Document)>
    > CorrectedAsync(
        NpgsqlConnection db,
        int entity,
        string[] parties,
        string[] references,
        long before,
        CancellationToken stop
    )
    {
        if (parties.Length == 0)
            return [];
        await using var command = new NpgsqlCommand(
            """
            select asked.party, asked.reference, d.currency, d.rate, d.tax_date, d.lines, d.at, d.items, d.codes,
              d.taxes
            from (select distinct * from unnest($2, $3) as a(party, reference)) asked
            cross join lateral (
              select n.currency, n.rate, coalesce((v.body::jsonb ->> 'taxDate')::date, v.date) as tax_date,
                coalesce(jsonb_array_length(v.body::jsonb -> 'lines'), 0) as lines,
                (select array_agg(l.event_line order by l.line_no) from entry_line l where l.entity_id = $1 and
                  l.entry_id = n.entry_id and l.tax_code is not null and l.event_line is not null) as at,
                (select array_agg(coalesce(l.item, '') order by l.line_no) from entry_line l where l.entity_id = $1 and
                  l.entry_id = n.entry_id and l.tax_code is not null and l.event_line is not null) as items,
                (select array_agg(l.tax_code order by l.line_no) from entry_line l where l.entity_id = $1 and
                  l.entry_id = n.entry_id and l.tax_code is not null and l.event_line is not null) as codes,
                (select array_agg(t.code order by t.line_no) from entry_tax t where t.entity_id = $1 and t.entry_id =
                  n.entry_id) as taxes
              from event_link k
              join event v on v.entity_id = $1 and v.event_id = k.event_id and v.kind = any($5)
              join entry n on n.entity_id = $1 and n.event_entity_id = $1 and n.event_id = k.event_id and n.role =
                'entry'
                and n.reference = asked.reference
              where k.entity_id = $1 and k.party = asked.party and k.what = 'document' and k."name" = asked.reference
                and k.event_id < $4
              order by k.event_id desc limit 1) d
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = parties },
                new() { Value = references },
                new() { Value = before },
                new() { Value = DocumentRegister.Correctable.ToArray() },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var found = new List<(string, string, CorrectedDocument)>();
        T[] Many<T>(int i) => reader.IsDBNull(i) ? [] : reader.GetFieldValue<T[]>(i);
        while (await reader.ReadAsync(stop))
        {
            var (at, items, codes) = (Many<int>(6), Many<string>(7), Many<string>(8));
            found.Add(
                (
                    reader.GetString(0),
                    reader.GetString(1),
                    DocumentRegister.CorrectedOf(
                        reader.GetString(2),
                        reader.GetDecimal(3),
                        reader.GetFieldValue<DateOnly>(4),
                        reader.GetInt32(5),
                        at.Select((line, i) => (line, items[i].Length == 0 ? null : items[i], codes[i])),
                        Many<string>(9)
                    )
                )
            );
        }
        return found;
    }
}
