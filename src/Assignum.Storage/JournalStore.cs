using System.Text.Json;
using Assignum.Core;
using Assignum.Core.Landing;
using Assignum.Core.Ledger;
using Assignum.Core.Money;
using Npgsql;
using NpgsqlTypes;

namespace Assignum.Storage;

/// <summary>Everything the journal is asked.</summary>
public static class JournalStore
{
    /// <summary>The ids of accounts by their numbers of now; a number that there is not is left out.</summary>
    public static async Task<Dictionary<string, long>> AccountIdsAsync(
        NpgsqlConnection db,
        int entity,
        string[] numbers,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            // Looked up one by one in the index, also where the planner knows nothing yet of a chart just brought in.
            """
            select n."number", a.account_id from unnest($2) as n("number") cross join lateral
              (select account_id from accounts where entity_id = $1 and "number" = n."number" offset 0) a
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
        var ids = new Dictionary<string, long>(StringComparer.Ordinal);
        while (await reader.ReadAsync(stop))
            ids[reader.GetString(0)] = reader.GetInt64(1);
        return ids;
    }

    /// <summary>Those of the named events that are kept already. Uses the unique index on (entity_id, source,
    /// external_id).</summary>
    public static async Task<IReadOnlyList<KeptEvent>> KeptAsync(
        NpgsqlConnection db,
        int entity,
        string[] sources,
        string[] ids,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select e.source, e.external_id, e.body, e.outcome, n."number"
            from unnest($2, $3) as asked(source, id)
            cross join lateral (
              select * from event where entity_id = $1 and source = asked.source and external_id = asked.id offset 0) e
            left join entry n on n.entity_id = $1 and n.event_entity_id = $1 and n.event_id = e.event_id and n.role =
              'entry'
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = sources },
                new() { Value = ids },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var kept = new List<KeptEvent>();
        while (await reader.ReadAsync(stop))
            kept.Add(
                new KeptEvent(
                    reader.GetString(0),
                    reader.GetString(1),
                    reader.GetString(2),
                    reader.GetString(3),
                    reader.IsDBNull(4) ? null : reader.GetString(4)
                )
            );
        return kept;
    }

    // The columns of lines are called like what they hold.
    private static string ColumnOf(RecordOnLines record) =>
        RecordOnLines.Kinds.Contains(record.Dimension)
            ? Words.Of(record.Dimension)
            : throw new ArgumentOutOfRangeException(nameof(record));

    /// <summary>Entry heads by a query, paged by entry id.</summary>
    public static async Task<IReadOnlyList<EntryHead>> EntriesAsync(
        NpgsqlConnection db,
        int entity,
        EntryQuery query,
        CancellationToken stop
    )
    {
        var direction = query.NewestFirst ? "desc" : "asc";
        await using var command = new NpgsqlCommand(
            $"""
            select n.entry_id, n."number", v.source, v.external_id, n.date, n.edition, n.kind, n.role, n.currency,
              n.rate, n.reference, n.party, n.total, n.remarks::text, n.posted_at, n.posted_by
            from entry n join event v on v.entity_id = n.event_entity_id and v.event_id = n.event_id
            where n.entity_id = @entity
              and (@source is null or v.source = @source)
              and (@id is null or v.external_id = @id)
              and (@number is null or n."number" = @number and n.year = @year and n.sequence = @sequence)
              and (@from is null or n.date >= @from)
              and (@to is null or n.date <= @to)
              and (@text is null or n."number" ilike @text or n.reference ilike @text or n.party ilike @text or n.kind
                ilike @text or v.external_id ilike @text or n.total = @amount)
              -- A number that nobody has today finds the account that bore it last.
              and (@account is null or exists (select from entry_line l where l.entity_id = @entity and l.entry_id =
                n.entry_id and l.date = n.date and l.account_id = coalesce(
                     (select account_id from accounts where entity_id = @entity and "number" = @account),
                     (select account_id from account_number where entity_id = @entity and "number" = @account order by
                       until desc limit 1))))
              {(query.Record is null ? "" : $"and exists (select from entry_line l where l.entity_id = @entity and "
                + $"l.entry_id = n.entry_id and l.{ColumnOf(query.Record)} = @record)")}
              and (@after is null or n.entry_id {(query.NewestFirst ? "<" : ">")} @after)
            order by n.entry_id {direction} limit @limit
            """,
            db
        );
        void Text(string name, string? value) =>
            command.Parameters.Add(new(name, NpgsqlDbType.Text) { Value = (object?)value ?? DBNull.Value });
        command.Parameters.AddWithValue("entity", entity);
        Text("source", query.Source);
        Text("id", query.ExternalId);
        Text("number", query.Number);
        // The unique index is on what the number is made of.
        var (year, sequence) = EntryNumber.Parse(query.Number);
        command.Parameters.AddWithValue("year", year);
        command.Parameters.AddWithValue("sequence", sequence);
        Text("account", query.Account);
        Text("record", query.Record?.Code);
        Text(
            "text",
            query.Text is null
                ? null
                : "%"
                    + query
                        .Text.Replace("\\", "\\\\", StringComparison.Ordinal)
                        .Replace("%", "\\%", StringComparison.Ordinal)
                        .Replace("_", "\\_", StringComparison.Ordinal)
                    + "%"
        );
        // Who writes a number may mean what an entry comes to.
        command.Parameters.Add(
            new("amount", NpgsqlDbType.Numeric)
            {
                Value =
                    query.Text is not null && WrittenNumber.Of(query.Text, out _) is { } amount ? amount : DBNull.Value,
            }
        );
        command.Parameters.Add(new("from", NpgsqlDbType.Date) { Value = (object?)query.From ?? DBNull.Value });
        command.Parameters.Add(new("to", NpgsqlDbType.Date) { Value = (object?)query.To ?? DBNull.Value });
        command.Parameters.Add(new("after", NpgsqlDbType.Bigint) { Value = (object?)query.After ?? DBNull.Value });
        command.Parameters.AddWithValue("limit", query.Limit);
        await using var reader = await command.ExecuteReaderAsync(stop);
        var heads = new List<EntryHead>();
        while (await reader.ReadAsync(stop))
            heads.Add(
                new EntryHead(
                    reader.GetInt64(0),
                    reader.GetString(1),
                    reader.GetString(2),
                    reader.GetString(3),
                    reader.GetFieldValue<DateOnly>(4),
                    reader.GetInt32(5),
                    reader.GetString(6),
                    reader.GetString(7),
                    reader.GetString(8),
                    reader.GetDecimal(9),
                    Null(reader, 10),
                    Null(reader, 11),
                    reader.GetDecimal(12),
                    Null(reader, 13),
                    reader.GetDateTime(14),
                    reader.GetString(15)
                )
            );
        return heads;
    }

    /// <summary>The number of an entry that opened a document of that reference; null: none did. Uses
    /// entry_line_document.</summary>
    /// <param name="before">Entries from this id on do not count.</param>
    public static async Task<string?> ReferenceUsedAsync(
        NpgsqlConnection db,
        int entity,
        string document,
        string party,
        string reference,
        long before,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select n."number" from subledger_movement m join entry n on n.entity_id = m.entity_id and n.entry_id =
              m.entry_id
            where m.entity_id = $1 and m.document = $2 and m.party = $3 and m.reference = $4 and not m.settles
              and m.entry_id < $5
            order by m.entry_id desc limit 1
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = document },
                new() { Value = party },
                new() { Value = reference },
                new() { Value = before },
            },
        };
        return (string?)await command.ExecuteScalarAsync(stop);
    }

    /// <summary>What entries do on one account: debit and credit by entry.</summary>
    public static async Task<IReadOnlyDictionary<long, (decimal Debit, decimal Credit)>> OnAccountAsync(
        NpgsqlConnection db,
        int entity,
        string account,
        long[] entries,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select entry_id, sum(debit), sum(credit) from entry_line
            where entity_id = $1 and entry_id = any($3) and account_id = coalesce(
              (select account_id from accounts where entity_id = $1 and "number" = $2),
              (select account_id from account_number where entity_id = $1 and "number" = $2 order by until desc limit
                1))
            group by entry_id
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = account },
                new() { Value = entries },
            },
        };
        var sums = new Dictionary<long, (decimal, decimal)>();
        await using var reader = await command.ExecuteReaderAsync(stop);
        while (await reader.ReadAsync(stop))
            sums[reader.GetInt64(0)] = (reader.GetDecimal(1), reader.GetDecimal(2));
        return sums;
    }

    /// <summary>The lines of entries with their traces, in order.</summary>
    public static async Task<ILookup<long, StoredLine>> LinesAsync(
        NpgsqlConnection db,
        int entity,
        long[] entries,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select l.entry_id, l.line_no, l.account, a."number", a.name, l.debit, l.credit, l.currency_debit,
              l.currency_credit, l.purpose, l.party, l.item,
                   l.tax_code, l.text, l.event_line, t.body::text, p.body, l.landing_note,
                   l.location, l.channel, l.method, l.reason, l.counterparty, n.currency,
                   ig.codes, pg.codes, pr.codes, rg.codes
            from entry_line l
            join entry n on n.entity_id = l.entity_id and n.entry_id = l.entry_id
            join accounts a on a.entity_id = l.entity_id and a.account_id = l.account_id
            -- A line whose reasoning is not kept is a line all the same.
            left join trace t on t.entity_id = l.entity_id and t.trace_id = l.trace_id
            left join landing_pattern p on p.entity_id = l.entity_id and p.pattern_id = l.pattern_id
            left join landing_chain ig on ig.entity_id = l.entity_id and ig.chain_id = l.item_chain
            left join landing_chain pg on pg.entity_id = l.entity_id and pg.chain_id = l.party_chain
            left join landing_chain pr on pr.entity_id = l.entity_id and pr.chain_id = l.project_chain
            left join landing_chain rg on rg.entity_id = l.entity_id and rg.chain_id = l.project_group_chain
            where l.entity_id = $1 and l.entry_id = any($2) order by l.entry_id, l.line_no
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = entries },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var lines = new List<StoredLine>();
        while (await reader.ReadAsync(stop))
            lines.Add(
                new StoredLine(
                    reader.GetInt64(0),
                    reader.GetInt32(1),
                    reader.GetString(2),
                    reader.GetString(3),
                    reader.GetString(4),
                    reader.GetDecimal(5),
                    reader.GetDecimal(6),
                    reader.IsDBNull(7) ? null : reader.GetDecimal(7),
                    reader.IsDBNull(8) ? null : reader.GetDecimal(8),
                    Null(reader, 9),
                    Null(reader, 10),
                    Null(reader, 11),
                    Null(reader, 12),
                    Null(reader, 13),
                    reader.IsDBNull(14) ? null : reader.GetInt32(14),
                    Reasoning(reader)
                )
            );
        return lines.ToLookup(l => l.EntryId);
    }

    /// <summary>The tax lines of entries, in order.</summary>
    public static async Task<ILookup<long, StoredTax>> TaxesAsync(
        NpgsqlConnection db,
        int entity,
        long[] entries,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select entry_id, code, base, rate, tax, decided_by, entity_base, entity_tax, non_deductible, base_box,
              tax_box, reverse_base_box, reverse_tax_box, capital
            from entry_tax where entity_id = $1 and entry_id = any($2) order by entry_id, line_no
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = entries },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var taxes = new List<StoredTax>();
        while (await reader.ReadAsync(stop))
            taxes.Add(
                new StoredTax(
                    reader.GetInt64(0),
                    reader.GetString(1),
                    reader.GetDecimal(2),
                    reader.GetDecimal(3),
                    reader.GetDecimal(4),
                    reader.GetString(5),
                    reader.GetDecimal(6),
                    reader.GetDecimal(7),
                    reader.GetDecimal(8),
                    reader.GetBoolean(13),
                    Null(reader, 9),
                    Null(reader, 10),
                    Null(reader, 11),
                    Null(reader, 12)
                )
            );
        return taxes.ToLookup(t => t.EntryId);
    }

    /// <summary>The event behind an entry, as canonical JSON.</summary>
    public static async Task<string?> EventBodyAsync(
        NpgsqlConnection db,
        int entity,
        long entry,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select v.body from entry n join event v on v.entity_id = n.event_entity_id and v.event_id = n.event_id
            where n.entity_id = $1 and n.entry_id = $2
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = entry },
            },
        };
        return (string?)await command.ExecuteScalarAsync(stop);
    }

    /// <summary>The newest events that were posted or kept, the newest first, as canonical JSON.</summary>
    /// <remarks>An account that an event names bears the number that it has today.</remarks>
    public static async Task<IReadOnlyList<StoredEvent>> NewestEventsAsync(
        NpgsqlConnection db,
        int entity,
        int most,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            $"""
            select v.body, {Renumbered} from (
              select * from event where entity_id = $1 order by event_id desc limit $2) v order by v.event_id desc
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = most },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var events = new List<StoredEvent>();
        while (await reader.ReadAsync(stop))
            events.Add(Event(reader, 0));
        return events;
    }

    /// <summary>Debits and credits of every account that has any, up to and with a day (null: all).</summary>
    /// <remarks>Whole months come from account_month. Of the last month the shorter side is read by day: added up to
    /// the day, or taken off after it.</remarks>
    /// <param name="edition">Number of the edition whose classes are taken: the one in force on the day.</param>
    public static async Task<IReadOnlyList<BalanceRow>> BalancesAsync(
        NpgsqlConnection db,
        int entity,
        DateOnly? at,
        int edition,
        CancellationToken stop
    )
    {
        var takeOff = at is { Day: > 15 };
        await using var command = new NpgsqlCommand(
            $"""
            select a."number", a.name, t.class, d.debit, d.credit
            from (select account_id, sum(debit) as debit, sum(credit) as credit from (
                    select account_id, debit, credit from account_month where entity_id = $1 and ($2::date is null or
                      month {(
                takeOff ? "<=" : "<"
            )} date_trunc('month', $2)::date)
                    union all
                    select account_id, {(takeOff ? "-debit, -credit" : "debit, credit")} from account_day
                    where entity_id = $1 and date {(
                takeOff
                    ? "> $2 and date < (date_trunc('month', $2) + interval '1 month')::date"
                    : "between date_trunc('month', $2)::date and $2"
            )}) x
                  group by account_id) d
            join accounts a on a.entity_id = $1 and a.account_id = d.account_id
            -- One look at the index for each account: joined as a table of its own, this took seconds on a chart just
            -- brought in,
            -- before the server had counted its rows.
            cross join lateral (select class from account_terms where entity_id = $1 and "number" = a."number" and since
              <= $3 and (until is null or until > $3) order by since desc limit 1) t
            where d.debit <> 0 or d.credit <> 0
            order by a."number"
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = (object?)at ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Date },
                new() { Value = edition },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var rows = new List<BalanceRow>();
        while (await reader.ReadAsync(stop))
            rows.Add(
                new BalanceRow(
                    reader.GetString(0),
                    reader.GetString(1),
                    reader.GetString(2),
                    reader.GetDecimal(3),
                    reader.GetDecimal(4)
                )
            );
        return rows;
    }

    private static string? Null(NpgsqlDataReader reader, int ordinal) =>
        reader.IsDBNull(ordinal) ? null : reader.GetString(ordinal);

    /// <summary>Beside an event <c>v</c>: its accounts that bear another number now, as a JSON object. Uses the key of
    /// event_account.</summary>
    internal const string Renumbered = """
        (select jsonb_object_agg(ea."number", a."number")::text
         from event_account ea join accounts a on a.entity_id = ea.entity_id and a.account_id = ea.account_id
         where ea.entity_id = v.entity_id and ea.event_id = v.event_id and a."number" <> ea."number")
        """;

    /// <summary>An event's body and, after it, what <see cref="Renumbered"/> says.</summary>
    internal static StoredEvent Event(NpgsqlDataReader reader, int first) =>
        new(
            reader.GetString(first),
            reader.IsDBNull(first + 1)
                ? []
                : JsonSerializer.Deserialize<Dictionary<string, string>>(reader.GetString(first + 1))!
        );

    private static LineReasoning Reasoning(NpgsqlDataReader reader)
    {
        var values = new Dictionary<string, string[]>(StringComparer.Ordinal);
        void Own(Dimension dimension, int at)
        {
            if (!reader.IsDBNull(at))
                values[Words.Of(dimension)] = [reader.GetString(at)];
        }
        void Chain(Dimension dimension, int at)
        {
            if (!reader.IsDBNull(at))
                values[Words.Of(dimension)] = reader.GetFieldValue<string[]>(at);
        }
        Own(Dimension.Line, 2);
        Own(Dimension.Party, 10);
        Own(Dimension.Item, 11);
        Own(Dimension.TaxCode, 12);
        Own(Dimension.Location, 18);
        Own(Dimension.Channel, 19);
        Own(Dimension.Method, 20);
        Own(Dimension.Reason, 21);
        Own(Dimension.Counterparty, 22);
        Own(Dimension.Currency, 23);
        Chain(Dimension.ItemGroup, 24);
        Chain(Dimension.PartyGroup, 25);
        Chain(Dimension.Project, 26);
        Chain(Dimension.ProjectGroup, 27);
        return new LineReasoning(Null(reader, 15), Null(reader, 16), Null(reader, 17), values);
    }
}

/// <summary>A stored event.</summary>
/// <param name="Body">Canonical JSON, as it was sent.</param>
/// <param name="Renumbered">Accounts it names that bear another number now, by the number it names.</param>
public sealed record StoredEvent(string Body, IReadOnlyDictionary<string, string> Renumbered);
