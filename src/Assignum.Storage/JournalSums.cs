using System.Runtime.InteropServices;
using Assignum.Core;
using Assignum.Core.Entries;
using Assignum.Core.Ledger;
using Npgsql;

namespace Assignum.Storage;

/// <summary>Sums on their way to their rows.</summary>
internal static class Rows
{
    /// <summary>By the first columns of their index, which finds its places quicker so. Whoever writes sums of an entity
    /// holds its postings: no two batches meet.</summary>
    public static KeyValuePair<TKey, TSum>[] Sorted<TKey, TSum>(Dictionary<TKey, TSum> sums, Comparison<TKey> by)
        where TKey : notnull
    {
        KeyValuePair<TKey, TSum>[] rows = [.. sums];
        Array.Sort(rows, (a, b) => by(a.Key, b.Key));
        return rows;
    }
}

/// <summary>What lands on accounts by month, purpose and kind; of stock that lies somewhere by item and place
/// too.</summary>
internal sealed class LandedSums
{
    private readonly record struct Key(
        long Account,
        DateOnly Month,
        string Purpose,
        string Kind,
        string Item,
        string Location,
        string State
    );

    private record struct Sum(decimal Amount, long Lines, decimal Quantity, long Entries, DateOnly Since);

    private readonly Dictionary<Key, Sum> sums = [];

    /// <param name="stock">What it does to stock; null: nothing.</param>
    /// <param name="first">It is the first line of its entry on that row of stock.</param>
    public void Add(
        (DateOnly Month, long Account) of,
        string kind,
        EntryLine line,
        SubledgerMovement? stock,
        bool first,
        DateOnly day
    )
    {
        var key = new Key(
            of.Account,
            of.Month,
            line.Purpose?.Name ?? "",
            kind,
            stock?.Context.Item ?? "",
            stock?.Context.Location ?? "",
            stock?.State is { } state ? Words.Of(state) : ""
        );
        ref var sum = ref CollectionsMarshal.GetValueRefOrAddDefault(sums, key, out var there);
        sum = new Sum(
            sum.Amount + line.Signed,
            sum.Lines + 1,
            sum.Quantity + (stock?.Quantity ?? 0),
            sum.Entries + (first ? 1 : 0),
            there && sum.Since < day ? sum.Since : day
        );
    }

    public async Task WriteAsync(NpgsqlConnection db, int of, CancellationToken stop)
    {
        var rows = Rows.Sorted(sums, (a, b) =>
            a.Account != b.Account ? a.Account.CompareTo(b.Account) : a.Month.CompareTo(b.Month)
        );
        T[] All<T>(Func<KeyValuePair<Key, Sum>, T> part) => Array.ConvertAll(rows, r => part(r));
        await using var command = new NpgsqlCommand(
            """
            with x as materialized (select * from unnest($2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13)
                as x(account, month, purpose, kind, item, location, state, amount, lines, quantity, entries, since)),
              grown as (
                update landed_month d set amount = d.amount + x.amount, lines = d.lines + x.lines,
                  quantity = d.quantity + x.quantity, entries = d.entries + x.entries, since = least(d.since, x.since)
                from x where d.entity_id = $1 and d.account_id = x.account and d.month = x.month
                  and d.purpose = x.purpose collate "C" and d.kind = x.kind collate "C" and d.item = x.item collate "C"
                  and d.location = x.location collate "C" and d.state = x.state collate "C"
                returning d.account_id, d.month, d.purpose, d.kind, d.item, d.location, d.state)
            insert into landed_month (entity_id, account_id, month, purpose, kind, item, location, state, amount,
              lines, quantity, entries, since)
            select $1, x.* from x where not exists (select from grown g where (g.account_id, g.month, g.purpose,
              g.kind, g.item, g.location, g.state)
              = (x.account, x.month, x.purpose, x.kind, x.item, x.location, x.state))
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = of },
                new() { Value = All(r => r.Key.Account) },
                new() { Value = All(r => r.Key.Month) },
                new() { Value = All(r => r.Key.Purpose) },
                new() { Value = All(r => r.Key.Kind) },
                new() { Value = All(r => r.Key.Item) },
                new() { Value = All(r => r.Key.Location) },
                new() { Value = All(r => r.Key.State) },
                new() { Value = All(r => r.Value.Amount) },
                new() { Value = All(r => r.Value.Lines) },
                new() { Value = All(r => r.Value.Quantity) },
                new() { Value = All(r => r.Value.Entries) },
                new() { Value = All(r => r.Value.Since) },
            },
        };
        await command.ExecuteNonQueryAsync(stop);
    }
}

/// <summary>What accounts gain by day or month.</summary>
internal sealed class Sums(string table, string column)
{
    private readonly Dictionary<(DateOnly Day, long Account), (decimal Debit, decimal Credit)> sums = [];

    public void Add(DateOnly day, long account, EntryLine line)
    {
        ref var sum = ref CollectionsMarshal.GetValueRefOrAddDefault(sums, (day, account), out _);
        sum = (sum.Debit + line.Debit, sum.Credit + line.Credit);
    }

    public async Task WriteAsync(NpgsqlConnection db, int of, CancellationToken stop)
    {
        var rows = Rows.Sorted(sums, (a, b) =>
            a.Day != b.Day ? a.Day.CompareTo(b.Day) : a.Account.CompareTo(b.Account)
        );
        await using var command = new NpgsqlCommand(
            $"""
            with x as materialized (select * from unnest($2, $3, $4, $5) as x(day, account, debit, credit)),
              grown as (
                update {table} d set debit = d.debit + x.debit, credit = d.credit + x.credit
                from x where d.entity_id = $1 and d.{column} = x.day and d.account_id = x.account
                returning d.{column} as day, d.account_id)
            insert into {table} (entity_id, {column}, account_id, debit, credit)
            select $1, x.day, x.account, x.debit, x.credit from x
            where not exists (select from grown g where (g.day, g.account_id) = (x.day, x.account))
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = of },
                new() { Value = Array.ConvertAll(rows, r => r.Key.Day) },
                new() { Value = Array.ConvertAll(rows, r => r.Key.Account) },
                new() { Value = Array.ConvertAll(rows, r => r.Value.Debit) },
                new() { Value = Array.ConvertAll(rows, r => r.Value.Credit) },
            },
        };
        await command.ExecuteNonQueryAsync(stop);
    }
}
