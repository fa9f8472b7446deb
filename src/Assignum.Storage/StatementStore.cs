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
              select account_id, debit - credit as amount from account_month where entity_id = $1 and month >= $4 and
                month < $5
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
            select code, capital, base_box, tax_box, reverse_base_box, reverse_tax_box, sum(entity_base),
              sum(entity_tax),
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
            where n.entity_id = $1 and coalesce(n.counts_as, n.kind) in ('hand-entry', 'opening', 'reclassified')
              and l.tax_code is not null
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
              select l.entry_id, coalesce(n.counts_as, n.kind) as kind, l.purpose, l.tax_code, l.account_id in (select
                account_id from acc) as own,
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
            union all select 'rounding', coalesce(sum(own + off - tax), 0), count(*) filter (where own + off <> tax)
              from entries
            union all select case when kind = 'tax-settled' then 'tax-settled' when purpose is not null then
              'other-purpose'
                when kind in ('opening', 'reclassified', 'hand-entry') then kind else 'other-purpose' end,
                sum(amount), count(*)
              from legs where own and not (coalesce(purpose, '') in ('output-tax', 'input-tax') and kind <>
                'tax-settled')
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

    /// <summary>Debit less credit by month and account number, closes of years left out.</summary>
    public static async Task<IReadOnlyList<(DateOnly Month, string Account, decimal Amount)>> MonthsAsync(
        NpgsqlConnection db,
        int entity,
        DateOnly from,
        DateOnly to,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select x.month, a."number", sum(x.amount) from (
              select month, account_id, debit - credit as amount from account_month where entity_id = $1 and month
                between $2
                and $3
              union all
              select date_trunc('month', n.date)::date, l.account_id, l.credit - l.debit from entry n join entry_line
                l on
                l.entity_id = n.entity_id and l.entry_id = n.entry_id
              where n.entity_id = $1 and n.kind = 'year-closed' and n.date >= $2 and n.date < $3 + interval '1 month') x
            join accounts a on a.entity_id = $1 and a.account_id = x.account_id group by 1, 2
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
        var rows = new List<(DateOnly, string, decimal)>();
        while (await reader.ReadAsync(stop))
            rows.Add((reader.GetFieldValue<DateOnly>(0), reader.GetString(1), reader.GetDecimal(2)));
        return rows;
    }

    /// <summary>By account, what its parties have on the side on which it does not grow, up to a day.</summary>
    /// <param name="debits">Accounts that grow by debits.</param>
    /// <param name="credits">Accounts that grow by credits.</param>
    public static async Task<IReadOnlyDictionary<string, decimal>> OtherSideAsync(
        NpgsqlConnection db,
        int entity,
        DateOnly at,
        string[] debits,
        string[] credits,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select p."number", sum(p.amount) from (
              select a."number", m.party, sum(m.amount) as amount from accounts a cross join lateral (
                select m.party, m.amount from subledger_movement m where m.entity_id = $1 and m.account_id =
                  a.account_id and m.date <= $2 offset 0) m
              where a.entity_id = $1 and a."number" = any($3 || $4) group by 1, 2) p
            where p."number" = any($3) and p.amount < 0 or p."number" = any($4) and p.amount > 0 group by 1
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = at },
                new() { Value = debits },
                new() { Value = credits },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var sums = new Dictionary<string, decimal>(StringComparer.Ordinal);
        while (await reader.ReadAsync(stop))
            sums[reader.GetString(0)] = reader.GetDecimal(1);
        return sums;
    }

    /// <summary>What tax codes of some days come to by rate, what revenue accounts have of each code, the accounts that
    /// moved without feeding a box, the codes of parties and items, and what was bought to be kept.</summary>
    /// <param name="output">Output codes.</param>
    /// <param name="boxed">Codes that feed a box.</param>
    /// <param name="revenue">The numbers of revenue accounts.</param>
    /// <param name="results">The numbers of accounts of the profit and loss account, and of capital accounts.</param>
    public static async Task<(
        IReadOnlyList<RevenueByRate> Revenue,
        IReadOnlyList<UnboxedAccount> Unboxed,
        IReadOnlyList<CodeUse> Uses,
        IReadOnlyList<CapitalPurchase> Capital
    )> ChecksAsync(
        NpgsqlConnection db,
        int entity,
        DateOnly from,
        DateOnly to,
        (string[] Output, string[] Boxed) codes,
        (string[] Revenue, string[] Results) accounts,
        CancellationToken stop
    )
    {
        static string? Text(NpgsqlDataReader r, int i) => r.IsDBNull(i) ? null : r.GetString(i);
        async Task<List<T>> ReadAsync<T>(string sql, Func<NpgsqlDataReader, T> row, params string[][] more)
        {
            await using var command = new NpgsqlCommand(sql, db)
            {
                Parameters =
                {
                    new() { Value = entity },
                    new() { Value = from },
                    new() { Value = to },
                },
            };
            foreach (var list in more)
                command.Parameters.Add(new() { Value = list });
            await using var reader = await command.ExecuteReaderAsync(stop);
            var rows = new List<T>();
            while (await reader.ReadAsync(stop))
                rows.Add(row(reader));
            return rows;
        }
        var revenue = await ReadAsync(
            """
            select coalesce(t.code, ''), coalesce(t.rate, 0), coalesce(r.revenue, 0), coalesce(t.base, 0),
              coalesce(t.tax, 0)
            from (select code, rate, sum(entity_base) as base, sum(entity_tax) as tax,
                    row_number() over (partition by code order by rate desc) as place
                  from entry_tax where entity_id = $1 and tax_date between $2 and $3 and code = any($4) group by 1, 2) t
            full join (select coalesce(l.tax_code, '') as code, sum(l.credit - l.debit) as revenue from entry_line l
                  join accounts a on a.entity_id = l.entity_id and a.account_id = l.account_id
                  join entry n on n.entity_id = l.entity_id and n.entry_id = l.entry_id and n.kind <> 'year-closed'
                  where l.entity_id = $1 and l.date between $2 and $3 and a."number" = any($5) group by 1
                  having sum(l.credit - l.debit) <> 0) r on r.code = t.code and t.place = 1
            order by 1, 2 desc
            """,
            r => new RevenueByRate(r.GetString(0), r.GetDecimal(1), r.GetDecimal(2), r.GetDecimal(3), r.GetDecimal(4)),
            codes.Output,
            accounts.Revenue
        );
        var unboxed = await ReadAsync(
            """
            select a."number", sum(l.debit - l.credit), count(*) from entry_line l
            join accounts a on a.entity_id = l.entity_id and a.account_id = l.account_id
            join entry n on n.entity_id = l.entity_id and n.entry_id = l.entry_id and n.kind <> 'year-closed'
            where l.entity_id = $1 and l.date between $2 and $3 and a."number" = any($5)
            group by 1 having not bool_or(coalesce(l.tax_code = any($4), false)) order by abs(sum(l.debit - l.credit))
              desc, 1
            """,
            r => new UnboxedAccount(r.GetString(0), r.GetDecimal(1), r.GetInt64(2)),
            codes.Boxed,
            accounts.Results
        );
        var uses = await ReadAsync(
            """
            select l.party, v.body::jsonb ->> 'standing', l.item, l.tax_code, sum(abs(l.debit - l.credit)), count(*),
              min(n."number")
            from entry n join entry_line l on l.entity_id = n.entity_id and l.entry_id = n.entry_id
            join event v on v.entity_id = n.event_entity_id and v.event_id = n.event_id
            where n.entity_id = $1 and n.date between $2 and $3 and l.tax_code is not null and l.event_line is not null
              and l.purpose is not null and l.purpose not in ('output-tax', 'input-tax')
            group by 1, 2, 3, 4
            """,
            r => new CodeUse(
                Text(r, 0),
                Text(r, 1),
                Text(r, 2),
                r.GetString(3),
                r.GetDecimal(4),
                r.GetInt64(5),
                r.GetString(6)
            )
        );
        var capital = await ReadAsync(
            """
            select n."number", t.tax_date, n.party, t.code, t.entity_base, t.entity_tax from entry_tax t
            join entry n on n.entity_id = t.entity_id and n.entry_id = t.entry_id
            where t.entity_id = $1 and t.tax_date between $2 and $3 and t.capital order by t.tax_date, n.entry_id
              limit 500
            """,
            r => new CapitalPurchase(
                r.GetString(0),
                r.GetFieldValue<DateOnly>(1),
                Text(r, 2),
                r.GetString(3),
                r.GetDecimal(4),
                r.GetDecimal(5)
            )
        );
        return (revenue, unboxed, uses, capital);
    }
}
