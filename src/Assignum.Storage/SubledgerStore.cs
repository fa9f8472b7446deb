using Assignum.Core;
using Assignum.Core.Books;
using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Npgsql;
using NpgsqlTypes;

namespace Assignum.Storage;

/// <summary>The accounts of a control.</summary>
/// <param name="Late">Those of them that were of no subledger at some time.</param>
/// <param name="Lost">Accounts that were of the control at some time and are not.</param>
/// <param name="Steady">Those of them that were never of another.</param>
public sealed record ControlIds(long[] All, long[] Late, long[] Lost, long[] Steady);

/// <summary>What subledgers keep, by the keys of their control.</summary>
public static class SubledgerStore
{
    // What a row is told apart by, as movements have it.
    private static string Column(SubledgerKey key) =>
        key switch
        {
            SubledgerKey.Document => "m.document_ref",
            SubledgerKey.Shipment => "case when m.state = 'shipped' then m.document_ref end",
            SubledgerKey.Order => "m.order_ref",
            SubledgerKey.TaxCode => "m.tax_code",
            _ => "m." + Words.Of(key),
        };

    // All movements of a control: those on its accounts, and those of its purposes elsewhere. Lines of accounts that were
    // none of a subledger when they were posted are movements too.
    private static readonly string Moves = $"""
        {Kept} and m.account_id = any($2)
        {Others}
        """;

    // The same of stock: whole months of what lies somewhere are read as sums ($13: the first day that is in none, $14: the
    // accounts that were always of stock, $15: the others).
    private static readonly string Summed = $"""
        {Kept} and m.account_id = any($14) and m.date >= $13
        union all
        {Kept} and m.account_id = any($14) and m.date < $13 and (m.entry_id is null or m.state = 'shipped')
        union all
        {Kept} and m.account_id = any($15)
        union all
        select s.account_id, null, null, nullif(s.item, ''), s.state, nullif(s.location, ''), null, null,
          nullif(s.purpose, ''), null, null, null, null, null, s.amount, null, s.quantity, s.since, null, s.kind, null,
          s.entries
        from landed_month s where s.entity_id = $1 and s.account_id = any($14) and s.month < $13 and s.state <> ''
        {Others}
        """;

    private const string Others = $"""
        union all
        {Kept} and m.document = $3 and m.control <> m.document and m.purpose is not null
          and (m.account_id is null or not m.account_id = any($2))
        union all
        {Kept} and m.account_id = any($7) and m.document = $3 and m.control = m.document and m.purpose is not null
        union all
        {Late}
        """;

    // Those on its accounts alone.
    private const string OnAccounts = $"""
        {Kept} and m.account_id = any($2)
        union all
        {Late}
        """;

    // Lines of accounts that were none of a subledger when they were posted.
    private const string Late = """
        select l.account_id, l.party, coalesce(n.reference, v.source || '/' || v.external_id), l.item, null, l.location,
          null, l.project, l.purpose, l.channel, l.method, l.tax_code, l.counterparty, n.currency, l.debit - l.credit,
          l.currency_debit - l.currency_credit, 0, l.date, null,
          coalesce(n.counts_as, n.kind), l.entry_id, 0
        from entry_line l join entry n on n.entity_id = l.entity_id and n.entry_id = l.entry_id
        join event v on v.entity_id = n.event_entity_id and v.event_id = n.event_id
        where l.entity_id = $1 and l.account_id = any($6) and l.date <= $4 and ($5::timestamptz is null or n.posted_at
          <= $5)
          and l.sub_control is null and not exists (select from quiet_movement q where q.entity_id = $1 and
            q.entry_id = l.entry_id and q.line_no = l.line_no)
        """;

    private const string Kept = """
        select m.account_id, m.party, coalesce(m.document_key, m.reference) as document_ref, m.item, m.state,
          m.location,
          m.order_ref, m.project, m.purpose, m.channel, m.method, m.tax_code, m.counterparty, m.currency, m.amount,
          m.currency_amount, m.quantity, m.date, m.due, m.kind, m.entry_id, 0::bigint as entries
        from subledger_movement m
        where m.entity_id = $1 and m.date <= $4 and ($5::timestamptz is null or $5 >= case when m.entry_id is null
          then (select v.received_at from event v where v.entity_id = m.event_entity_id and v.event_id = m.event_id)
          else (select n.posted_at from entry n where n.entity_id = $1 and n.entry_id = m.entry_id) end)
        """;

    private static string Cause(Control control)
    {
        var own = string.Join(", ", Purposes.All.Where(p => p.Control == control).Select(p => $"'{p.Name}'"));
        return $"""
            case when m.account_id is not null and not m.account_id = any($2) then '{Subledgers.LandedElsewhere}'
              when m.purpose in ({own}) then ''
              when m.purpose is not null then 'other-purpose'
              when m.kind in ('currency-revalued', 'reclassified') then ''
              when m.kind in ('hand-entry', 'opening') then m.kind else 'other-purpose' end
            """;
    }

    /// <summary>The accounts of a control by their ids.</summary>
    public static async Task<ControlIds> AccountsAsync(
        NpgsqlConnection db,
        int entity,
        Control control,
        string[] numbers,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select a.account_id, a."number" = any($2), exists (select from account_terms t where t.entity_id = $1 and
              t."number" = a."number" and t.since is not null and coalesce(t.control, 'none') = 'none'),
              not exists (select from account_terms t where t.entity_id = $1 and t."number" = a."number" and t.since
                is not
                null and coalesce(t.control, 'none') <> $3)
            from accounts a where a.entity_id = $1 and (a."number" = any($2) or exists (select from account_terms t
              where
              t.entity_id = $1 and t."number" = a."number" and t.since is not null and t.control = $3))
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = numbers },
                new() { Value = Words.Of(control) },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var (all, late, lost, steady) = (new List<long>(), new List<long>(), new List<long>(), new List<long>());
        while (await reader.ReadAsync(stop))
        {
            (reader.GetBoolean(1) ? all : lost).Add(reader.GetInt64(0));
            if (reader.GetBoolean(1) && reader.GetBoolean(2))
                late.Add(reader.GetInt64(0));
            if (reader.GetBoolean(1) && reader.GetBoolean(3))
                steady.Add(reader.GetInt64(0));
        }
        return new ControlIds([.. all], [.. late], [.. lost], [.. steady]);
    }

    /// <summary>The rows of a control, by absolute amount, account and keys. Uses entry_line_account and
    /// entry_line_document.</summary>
    /// <param name="accounts">Its accounts.</param>
    public static async Task<IReadOnlyList<SubledgerRow>> RowsAsync(
        NpgsqlConnection db,
        int entity,
        Control control,
        ControlIds accounts,
        SubledgerQuery query,
        CancellationToken stop
    )
    {
        var keys = Subledgers.KeysOf(control);
        var columns = string.Join(", ", keys.Select((k, i) => $"{Column(k)} as k{i}"));
        var names = string.Join(", ", keys.Select((_, i) => $"k{i}"));
        var sorted = string.Join(", ", keys.Select((_, i) => $"k{i} collate \"C\""));
        var byCurrency = keys.Contains(SubledgerKey.Currency);
        // Sums say nothing of parties, nor of what was known when.
        var summed = control == Control.Stock && query is { Known: null, Party: null } && accounts.Steady.Length > 0;
        await using var command = new NpgsqlCommand(
            $"""
            select a."number", r.amount, r.currency_amount, r.quantity, r.order_ref, r.since, r.due, r.cause, r.entries,
              {names}
            from (
              select m.account_id, m.elsewhere, {names}, sum(m.amount) as amount,
                sum(m.currency_amount) as currency_amount, sum(m.quantity) as quantity, max(m.order_ref) as order_ref,
                  min(m.date) as since, min(m.due) as due,
                case when min(m.cause) = max(m.cause) then min(m.cause) else 'mixed' end as cause,
                count(distinct m.entry_id) + coalesce(sum(m.entries), 0)::bigint as entries
              from (select m.*, m.cause = '{Subledgers.LandedElsewhere}' as elsewhere, {columns}
                    from (select m.*, {Cause(control)} as cause from ({(summed ? Summed : Moves)}) m) m) m
              where ($8::text is null or m.party = $8) and ($9::text is null or m.item = $9)
              group by m.account_id, m.elsewhere, {names}) r
            left join accounts a on a.entity_id = $1 and a.account_id = r.account_id
            where ($10::text is null or a."number" = $10)
              {(
                query.OpenOnly
                    ? $"and (r.amount <> 0 or r.quantity <> 0{(byCurrency ? " or r.currency_amount <> 0" : "")})"
                    : ""
            )}
            order by abs(r.amount) desc, a."number" collate "C", {sorted}
            offset $11 limit $12
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = accounts.All },
                new() { Value = Words.Of(control) },
                new() { Value = query.At },
                new() { Value = (object?)query.Known ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.TimestampTz },
                new() { Value = accounts.Late },
                new() { Value = accounts.Lost },
                new() { Value = (object?)query.Party ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Text },
                new() { Value = (object?)query.Item ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Text },
                new() { Value = (object?)query.Account ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Text },
                new() { Value = query.After },
                new() { Value = query.Limit },
            },
        };
        if (summed)
        {
            command.Parameters.Add(new() { Value = TieStore.Whole(query.At) });
            command.Parameters.Add(new() { Value = accounts.Steady });
            command.Parameters.Add(new() { Value = accounts.All.Except(accounts.Steady).ToArray() });
        }
        await using var reader = await command.ExecuteReaderAsync(stop);
        var rows = new List<SubledgerRow>();
        string? Text(int i) => reader.IsDBNull(i) ? null : reader.GetString(i);
        while (await reader.ReadAsync(stop))
        {
            var of = new Dictionary<SubledgerKey, string>(keys.Count);
            for (var i = 0; i < keys.Count; i++)
                if (Text(9 + i) is { } value)
                    of[keys[i]] = value;
            rows.Add(
                new SubledgerRow(
                    Text(0),
                    of,
                    reader.GetDecimal(1),
                    byCurrency ? of.GetValueOrDefault(SubledgerKey.Currency) : null,
                    byCurrency
                        ? reader.IsDBNull(2)
                            ? 0
                            : reader.GetDecimal(2)
                        : null,
                    reader.GetDecimal(3),
                    Text(4),
                    reader.GetFieldValue<DateOnly>(5),
                    reader.IsDBNull(6) ? null : reader.GetFieldValue<DateOnly>(6),
                    reader.GetString(7),
                    reader.GetInt64(8)
                )
            );
        }
        return rows;
    }

    /// <summary>Our documents of a control added up by some of its keys: what was written by hand, for other purposes or at
    /// the close of a year is none of them.</summary>
    /// <param name="after">Null: up to and with the day; else only what moved after it, up to and with the day.</param>
    public static async Task<IReadOnlyList<KeyedSum>> DocumentsAsync(
        NpgsqlConnection db,
        int entity,
        Control control,
        ControlIds accounts,
        DateOnly at,
        DateOnly? after,
        bool each,
        IReadOnlyList<SubledgerKey> keys,
        CancellationToken stop
    )
    {
        var names = string.Join(", ", keys.Select(Column).Concat(each ? ["m.date", "m.amount"] : []));
        await using var command = new NpgsqlCommand(
            $"""
            select sum(m.amount), sum(m.currency_amount), sum(m.quantity), count(*)::int
              {(keys.Count == 0 ? "" : ", " + string.Join(", ", keys.Select(Column)))}
            from (select m.*, {Cause(control)} as cause from ({Moves}) m) m
            where m.cause in ('', 'opening', '{Subledgers.LandedElsewhere}') and ($8::date is null or m.date > $8)
            {(names.Length == 0 ? "" : $"group by {names}")}
            having sum(m.amount) <> 0 or sum(m.quantity) <> 0 or sum(m.currency_amount) <> 0
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = accounts.All },
                new() { Value = Words.Of(control) },
                new() { Value = at },
                new() { Value = DBNull.Value, NpgsqlDbType = NpgsqlDbType.TimestampTz },
                new() { Value = accounts.Late },
                new() { Value = accounts.Lost },
                new() { Value = (object?)after ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Date },
            },
        };
        return await TheirStore.SumsAsync(command, keys, stop);
    }

    /// <summary>What is open of each party and currency by days past due, or past the document's day where it names no due
    /// day. Documents off the control's accounts are left out.</summary>
    public static async Task<IReadOnlyList<AgeingRow>> AgeingAsync(
        NpgsqlConnection db,
        int entity,
        Control control,
        ControlIds accounts,
        DateOnly at,
        CancellationToken stop
    )
    {
        var sign = control == Control.Payables ? "-" : "";
        var brackets = string.Join(
            ", ",
            Subledgers.Brackets.Select(
                (last, i) =>
                    $"coalesce({sign}sum(d.open) filter (where {(
                        i == 0 ? "d.days <= 0"
                        : last is null ? $"d.days > {Subledgers.Brackets[i - 1]}"
                        : $"d.days > {Subledgers.Brackets[i - 1]} and d.days <= {last}"
                    )}), 0)"
            )
        );
        await using var command = new NpgsqlCommand(
            $"""
            select coalesce(d.party, ''), d.currency, {sign}sum(d.base), {brackets}
            from (select m.party, m.currency, sum(m.currency_amount) as open, sum(m.amount) as base,
                    $4 - coalesce(min(m.due), min(m.date)) as days
                  from ({OnAccounts}) m
                  group by m.party, m.currency, m.document_ref having sum(m.currency_amount) <> 0 or sum(m.amount) <>
                    0) d
            group by 1, 2 order by abs(sum(d.base)) desc, 1, 2
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = accounts.All },
                new() { Value = Words.Of(control) },
                new() { Value = at },
                new() { Value = DBNull.Value, NpgsqlDbType = NpgsqlDbType.TimestampTz },
                new() { Value = accounts.Late },
                new() { Value = accounts.Lost },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var rows = new List<AgeingRow>();
        while (await reader.ReadAsync(stop))
            rows.Add(
                new AgeingRow(
                    reader.GetString(0),
                    reader.GetString(1),
                    [.. Subledgers.Brackets.Select((_, i) => reader.GetDecimal(3 + i))],
                    reader.GetDecimal(2)
                )
            );
        return rows;
    }

    /// <summary>All events that have to do with a document or an order of a party, by any chain of shared names. Uses
    /// event_link's keys.</summary>
    /// <param name="party">Empty: of nobody.</param>
    /// <param name="order">Whether the name is an order's; otherwise a document's.</param>
    public static async Task<IReadOnlyList<FootprintRow>> FootprintAsync(
        NpgsqlConnection db,
        int entity,
        string party,
        bool order,
        string name,
        int limit,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            with recursive found(event_id) as (
              select k.event_id from event_link k where k.entity_id = $1 and k.party = $2 and k.what = $3 and k."name"
                = $4
              union
              select b.event_id from found f
              join event_link a on a.entity_id = $1 and a.event_id = f.event_id and a.party = $2
              join event_link b on b.entity_id = $1 and b.party = $2 and b.what = a.what and b."name" = a."name")
            select v.source, v.external_id, n."number", v.date, v.kind, d.doc,
              coalesce((select sum(m.amount) from subledger_movement m where m.entity_id = $1 and m.document = any($6)
                and
                m.party = $2 and m.reference = d.doc and m.event_id <= v.event_id), 0)
            from (select event_id from found limit $5) f
            join event v on v.entity_id = $1 and v.event_id = f.event_id
            cross join lateral (select coalesce(v.body::jsonb ->> 'reference', v.source || '/' || v.external_id) as
              doc) d
            left join entry n on n.entity_id = $1 and n.event_entity_id = $1 and n.event_id = v.event_id and n.role =
              'entry'
            order by v.date, v.event_id
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = party },
                new() { Value = order ? "order" : "document" },
                new() { Value = name },
                new() { Value = limit },
                new()
                {
                    Value = new[]
                    {
                        Words.Of(Control.Receivables),
                        Words.Of(Control.Payables),
                        Words.Of(Control.Deposits),
                        Words.Of(Control.Receipts),
                        Words.Of(Control.Intercompany),
                    },
                },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var rows = new List<FootprintRow>();
        while (await reader.ReadAsync(stop))
            rows.Add(
                new FootprintRow(
                    reader.GetString(0),
                    reader.GetString(1),
                    reader.IsDBNull(2) ? null : reader.GetString(2),
                    reader.GetFieldValue<DateOnly>(3),
                    reader.GetString(4),
                    reader.GetString(5),
                    reader.GetDecimal(6)
                )
            );
        return rows;
    }
}
