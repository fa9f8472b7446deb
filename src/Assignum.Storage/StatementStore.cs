using Assignum.Core.Statements;
using Npgsql;
using NpgsqlTypes;

namespace Assignum.Storage;

/// <summary>What statements and returns ask of the journal.</summary>
public static class StatementStore
{
    /// <summary>Debit less credit by account number over days, both ends inclusive; whole months by their sums.</summary>
    /// <param name="from">Null: from the beginning.</param>
    /// <param name="closes">Whether closes of years count.</param>
    public static async Task<IReadOnlyDictionary<string, decimal>> BetweenAsync(
        NpgsqlConnection db,
        int entity,
        DateOnly? from,
        DateOnly to,
        bool closes,
        CancellationToken stop
    )
    {
        // Whole months lie from the first that begins in the stretch to the one that its end is in, without that where it
        // is not whole.
        var first =
            from is not { } start ? DateOnly.MinValue
            : start.Day == 1 ? start
            : new DateOnly(start.Year, start.Month, 1).AddMonths(1);
        var after = to == DateOnly.MaxValue ? to : to.AddDays(1);
        var until = new DateOnly(after.Year, after.Month, 1);
        if (until < first)
            until = first;
        await using var command = new NpgsqlCommand(
            $"""
            select a."number", sum(x.amount) from (
              select account_id, debit - credit as amount from account_month where entity_id = $1 and month >= $4 and month < $5
              union all
              select account_id, debit - credit from account_day where entity_id = $1 and date >= $2 and date <= $3 and
                (date < $4 or date >= $5)
              {(closes ? "" : """
              union all
              select l.account_id, l.credit - l.debit from entry n join entry_line l on l.entity_id = n.entity_id and
                l.entry_id = n.entry_id
              where n.entity_id = $1 and n.kind = 'year-closed' and n.date >= $2 and n.date <= $3
              """)}) x
            join accounts a on a.entity_id = $1 and a.account_id = x.account_id
            group by a."number"
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = from ?? new DateOnly(1, 1, 1) },
                new() { Value = to },
                new() { Value = first },
                new() { Value = until },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var balances = new Dictionary<string, decimal>(StringComparer.Ordinal);
        while (await reader.ReadAsync(stop))
            balances[reader.GetString(0)] = reader.GetDecimal(1);
        return balances;
    }

    /// <summary>How many closes and reopenings of years there are on a day.</summary>
    public static async Task<long> ClosesAsync(NpgsqlConnection db, int entity, DateOnly day, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand(
            "select count(*) from entry where entity_id = $1 and kind = 'year-closed' and date = $2 and role = 'entry'",
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = day },
            },
        };
        return (long)(await command.ExecuteScalarAsync(stop))!;
    }

    /// <summary>Tax by code and boxes over tax dates. Uses entry_tax_date.</summary>
    public static async Task<IReadOnlyList<TaxSum>> TaxAsync(
        NpgsqlConnection db,
        int entity,
        DateOnly from,
        DateOnly to,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select code, capital, base_box, tax_box, reverse_base_box, reverse_tax_box, sum(entity_base), sum(entity_tax),
              sum(entity_reclaimed), count(distinct entry_id)
            from entry_tax where entity_id = $1 and tax_date between $2 and $3 group by 1, 2, 3, 4, 5, 6
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = from },
                new() { Value = to },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var sums = new List<TaxSum>();
        string? Text(int i) => reader.IsDBNull(i) ? null : reader.GetString(i);
        while (await reader.ReadAsync(stop))
            sums.Add(
                new TaxSum(
                    reader.GetString(0),
                    reader.GetBoolean(1),
                    Text(2),
                    Text(3),
                    Text(4),
                    Text(5),
                    reader.GetDecimal(6),
                    reader.GetDecimal(7),
                    reader.GetDecimal(8),
                    reader.GetInt64(9)
                )
            );
        return sums;
    }

    /// <summary>Hand-written lines with a tax code whose day or tax date is in a stretch.</summary>
    /// <param name="accounts">The numbers of the tax accounts, and of the capital accounts.</param>
    public static async Task<IReadOnlyList<HandTax>> ByHandAsync(
        NpgsqlConnection db,
        int entity,
        DateOnly from,
        DateOnly to,
        (string[] Tax, string[] Capital) accounts,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select l.tax_code, a."number" = any($4), a."number" = any($5), n.date, d.day, l.debit - l.credit
            from entry n join entry_line l on l.entity_id = n.entity_id and l.entry_id = n.entry_id
            join event v on v.entity_id = n.event_entity_id and v.event_id = n.event_id
            cross join lateral (select coalesce((v.body::jsonb ->> 'taxDate')::date, n.date) as day offset 0) d
            join accounts a on a.entity_id = l.entity_id and a.account_id = l.account_id
            where n.entity_id = $1 and coalesce(n.counts_as, n.kind) in ('hand-entry', 'opening', 'reclassified') and l.tax_code is not null
              and (n.date between $2 and $3 or d.day between $2 and $3)
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = from },
                new() { Value = to },
                new() { Value = accounts.Tax },
                new() { Value = accounts.Capital },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var rows = new List<HandTax>();
        while (await reader.ReadAsync(stop))
            rows.Add(
                new HandTax(
                    reader.GetString(0),
                    reader.GetBoolean(1),
                    reader.GetBoolean(2),
                    reader.GetFieldValue<DateOnly>(3),
                    reader.GetFieldValue<DateOnly>(4),
                    reader.GetDecimal(5)
                )
            );
        return rows;
    }

    /// <summary>The movement of the tax accounts by what it is, and what of the tax lines is of other days.</summary>
    /// <param name="accounts">The numbers of the tax accounts.</param>
    /// <param name="codes">Tax codes, with what one unit of what is owed or reclaimed is in the ledger, and one of tax that
    /// is owed under reverse charge.</param>
    /// <returns>Causes without those of hand-written lines with a code; the movement of the accounts; the sum of the tax
    /// lines.</returns>
    public static async Task<(IReadOnlyList<TaxTieSum> Causes, decimal Ledger, decimal TaxLines)> TieAsync(
        NpgsqlConnection db,
        int entity,
        DateOnly from,
        DateOnly to,
        string[] accounts,
        IReadOnlyList<(string Code, int Reclaimed, int Owed)> codes,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            with sign as (select * from unnest($5, $6, $7) as s(code, reclaimed, owed)),
            acc as (select account_id from accounts where entity_id = $1 and "number" = any($4)),
            legs as (
              select l.entry_id, coalesce(n.counts_as, n.kind) as kind, l.purpose, l.tax_code, l.account_id in (select account_id from acc) as own,
                l.debit - l.credit as amount
              from entry_line l join entry n on n.entity_id = l.entity_id and n.entry_id = l.entry_id
              where l.entity_id = $1 and l.date between $2 and $3
                and (l.account_id in (select account_id from acc) or l.purpose in ('output-tax', 'input-tax'))),
            rows as (
              select t.entry_id, t.tax_date between $2 and $3 as taxed, n.date between $2 and $3 as posted,
                coalesce(s.reclaimed, 0) * t.entity_reclaimed + coalesce(s.owed, 0) * t.entity_tax as amount
              from entry_tax t join entry n on n.entity_id = t.entity_id and n.entry_id = t.entry_id
              left join sign s on s.code = t.code
              where t.entity_id = $1 and (t.tax_date between $2 and $3 or n.date between $2 and $3)),
            entries as (
              select coalesce(l.entry_id, r.entry_id) as entry_id, coalesce(l.own, 0) as own, coalesce(l.off, 0) as off,
                coalesce(l.n, 0) as n, coalesce(r.amount, 0) as tax
              from (select entry_id, sum(amount) filter (where own) as own, sum(amount) filter (where not own) as off,
                      count(*) filter (where not own) as n
                    from legs where purpose in ('output-tax', 'input-tax') and kind <> 'tax-settled' group by 1) l
              full join (select entry_id, sum(amount) as amount from rows where posted group by 1) r using (entry_id))
            select 'ledger', coalesce(sum(amount), 0), count(*) from legs where own
            union all select 'tax-lines', coalesce(sum(amount), 0), count(*) from rows where taxed
            union all select 'other-period', coalesce(sum(case when posted then amount else -amount end), 0), count(*)
              from rows where posted <> taxed and amount <> 0
            union all select 'landed-elsewhere', coalesce(-sum(off), 0), coalesce(sum(n), 0)::bigint from entries
            union all select 'rounding', coalesce(sum(own + off - tax), 0), count(*) filter (where own + off <> tax) from entries
            union all select case when kind = 'tax-settled' then 'tax-settled' when purpose is not null then 'other-purpose'
                when kind in ('opening', 'reclassified', 'hand-entry') then kind else 'other-purpose' end,
                sum(amount), count(*)
              from legs where own and not (coalesce(purpose, '') in ('output-tax', 'input-tax') and kind <> 'tax-settled')
                and not (purpose is null and tax_code is not null and kind in ('opening', 'reclassified', 'hand-entry'))
              group by 1
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = from },
                new() { Value = to },
                new() { Value = accounts },
                new() { Value = codes.Select(c => c.Code).ToArray() },
                new()
                {
                    Value = codes.Select(c => c.Reclaimed).ToArray(),
                    NpgsqlDbType = NpgsqlDbType.Array | NpgsqlDbType.Integer,
                },
                new()
                {
                    Value = codes.Select(c => c.Owed).ToArray(),
                    NpgsqlDbType = NpgsqlDbType.Array | NpgsqlDbType.Integer,
                },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var (ledger, lines) = (0m, 0m);
        var causes = new List<TaxTieSum>();
        while (await reader.ReadAsync(stop))
            switch (reader.GetString(0))
            {
                case "ledger":
                    ledger = reader.GetDecimal(1);
                    break;
                case "tax-lines":
                    lines = reader.GetDecimal(1);
                    break;
                case var word when Core.Words.TryParse<TaxTieCause>(word, out var cause):
                    if (reader.GetInt64(2) > 0)
                        causes.Add(new TaxTieSum(cause, reader.GetDecimal(1), reader.GetInt64(2)));
                    break;
            }
        return (causes, ledger, lines);
    }

    /// <summary>Keeps a return as filed.</summary>
    /// <returns>False where it was filed before.</returns>
    public static async Task<bool> FileAsync(
        NpgsqlConnection db,
        int entity,
        TaxReturn of,
        string who,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            insert into tax_filing (entity_id, "from", "to", boxes, filed_by) values ($1, $2, $3, $4, $5)
            on conflict do nothing
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = of.From },
                new() { Value = of.To },
                new()
                {
                    Value = System.Text.Json.JsonSerializer.Serialize(of.Boxes),
                    NpgsqlDbType = NpgsqlDbType.Jsonb,
                },
                new() { Value = who },
            },
        };
        return await command.ExecuteNonQueryAsync(stop) > 0;
    }

    /// <summary>The returns filed, the newest days first, each with the newest of what has come into its days since.</summary>
    /// <param name="most">Most changes that are told of each.</param>
    public static async Task<IReadOnlyList<FiledReturn>> FiledAsync(
        NpgsqlConnection db,
        int entity,
        int most,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select f."from", f."to", f.boxes::text, f.filed_by, f.filed_at, c."number", c.date, c.code, c.entity_base,
              c.entity_tax
            from tax_filing f
            left join lateral (
              select n."number", n.date, t.code, t.entity_base, t.entity_tax from entry_tax t
              join entry n on n.entity_id = t.entity_id and n.entry_id = t.entry_id
              where t.entity_id = f.entity_id and t.tax_date between f."from" and f."to" and n.posted_at > f.filed_at
              order by n.entry_id desc, t.line_no limit $2) c on true
            where f.entity_id = $1 order by f."from" desc, f."to" desc
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
        var filed = new List<FiledReturn>();
        while (await reader.ReadAsync(stop))
        {
            var (from, to) = (reader.GetFieldValue<DateOnly>(0), reader.GetFieldValue<DateOnly>(1));
            if (filed.Count == 0 || filed[^1].From != from || filed[^1].To != to)
                filed.Add(
                    new FiledReturn(
                        from,
                        to,
                        System.Text.Json.JsonSerializer.Deserialize<List<ReturnBox>>(reader.GetString(2)) ?? [],
                        reader.GetString(3),
                        reader.GetDateTime(4),
                        new List<ReturnChange>()
                    )
                );
            if (!reader.IsDBNull(5))
                ((List<ReturnChange>)filed[^1].Later).Add(
                    new ReturnChange(
                        reader.GetString(5),
                        reader.GetFieldValue<DateOnly>(6),
                        reader.GetString(7),
                        reader.GetDecimal(8),
                        reader.GetDecimal(9)
                    )
                );
        }
        return filed;
    }
}
