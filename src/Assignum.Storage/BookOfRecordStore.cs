using Npgsql;
using NpgsqlTypes;

namespace Assignum.Storage;

/// <summary>What of accounts is here and not in the ledger, or there and not here.</summary>
/// <param name="Account">Our number.</param>
/// <param name="Cause">before, unsent, refused or foreign.</param>
public sealed record RecordDifference(string Account, string Cause, decimal Amount, int Count);

/// <summary>Keeps what a ledger says that its accounts have, and finds why that is other than here.</summary>
public static class BookOfRecordStore
{
    /// <summary>Keeps its balances of a day.</summary>
    public static async Task KeepAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        DateOnly day,
        IReadOnlyList<(string Account, decimal Balance)> balances,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            with gone as (delete from link_balance where entity_id = $1 and connection_id = $2 and "at" = $3
              and not account = any($4))
            insert into link_balance (entity_id, connection_id, "at", account, balance)
            select $1, $2, $3, n.account, sum(n.balance) from unnest($4::text[], $5::numeric[]) as n(account, balance)
              group by n.account
            on conflict (entity_id, connection_id, "at", account) do update set balance = excluded.balance, fetched_at
              = clock_timestamp()
            """,
            at,
            LinkSql.Maybe(day, NpgsqlDbType.Date),
            balances.Select(b => b.Account).ToArray(),
            balances.Select(b => b.Balance).ToArray()
        );
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>Its balances of a day by account; empty: they are not known.</summary>
    public static async Task<IReadOnlyDictionary<string, decimal>> BalancesAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        DateOnly day,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select account, balance from link_balance where entity_id = $1 and connection_id = $2 and "at" = $3
            """,
            at,
            LinkSql.Maybe(day, NpgsqlDbType.Date)
        );
        return (await command.RowsAsync(r => (r.GetString(0), r.GetDecimal(1)), stop)).ToDictionary(
            r => r.Item1,
            r => r.Item2,
            StringComparer.Ordinal
        );
    }

    /// <summary>What of some accounts is not there although it is here, by the state of its journals. What was sent after its
    /// balances were told is not in them.</summary>
    public static async Task<IReadOnlyList<RecordDifference>> MissingAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        DateOnly day,
        DateOnly from,
        IReadOnlyCollection<string> accounts,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select a."number", case when n.date < $4 then 'before' when j.state in ('dead', 'set-aside') then
              'refused' else 'unsent' end,
              sum(l.debit - l.credit), count(*)::integer
            from accounts a join entry_line l on l.entity_id = a.entity_id and l.account_id = a.account_id
            join entry n on n.entity_id = l.entity_id and n.entry_id = l.entry_id
            left join link_journal_entry g on g.entity_id = $1 and g.connection_id = $2 and g.entry_id = n.entry_id
            left join link_journal j on j.entity_id = $1 and j.connection_id = $2
              and (j.entry_id = n.entry_id or j.journal_id = g.journal_id)
            cross join (select min(fetched_at) as told from link_balance where entity_id = $1 and connection_id = $2
              and "at" = $3) b
            where a.entity_id = $1 and a."number" = any($5) and n.date <= $3
              and (n.date < $4 or j.state is distinct from 'sent' or j.sent_at > b.told) group by 1, 2
            """,
            at,
            LinkSql.Maybe(day, NpgsqlDbType.Date),
            LinkSql.Maybe(from, NpgsqlDbType.Date),
            accounts.ToArray()
        );
        return await command.RowsAsync(
            r => new RecordDifference(r.GetString(0), r.GetString(1), r.GetDecimal(2), r.GetInt32(3)),
            stop
        );
    }

    /// <summary>What is there and not here on some of its accounts: lines of foreign journals.</summary>
    public static async Task<IReadOnlyList<(string Account, decimal Amount, int Count, string First)>> ForeignAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        DateOnly day,
        IReadOnlyCollection<string> accounts,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select l ->> 'account', sum(coalesce((l ->> 'debit')::numeric, 0) - coalesce((l ->> 'credit')::numeric, 0)),
              count(distinct f.id)::integer, min(f.id)
            from link_foreign f cross join lateral jsonb_array_elements(case when jsonb_typeof(f.body -> 'lines') =
              'array'
              then f.body -> 'lines' else '[]' end) l
            where f.entity_id = $1 and f.connection_id = $2 and f.adopted_by is null and f.state <> 'reversed' and
              f.date <= $3
              and jsonb_typeof(l) = 'object' and coalesce(jsonb_typeof(l -> 'debit'), 'number') in ('number', 'null')
              and coalesce(jsonb_typeof(l -> 'credit'), 'number') in ('number', 'null') and l ->> 'account' = any($4)
                group by 1
            """,
            at,
            LinkSql.Maybe(day, NpgsqlDbType.Date),
            accounts.ToArray()
        );
        return await command.RowsAsync(r => (r.GetString(0), r.GetDecimal(1), r.GetInt32(2), r.GetString(3)), stop);
    }
}
