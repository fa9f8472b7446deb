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
            insert into landed_month as d (entity_id, account_id, month, purpose, kind, item, location, state, amount,
              lines,
              quantity, entries, since)
            select $1, x.* from unnest($2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13) as x(account, month,
              purpose, kind,
              item, location, state, amount, lines, quantity, entries, since)
            on conflict (entity_id, account_id, month, purpose, kind, item, location, state) do update set amount =
              d.amount +
              excluded.amount, lines = d.lines + excluded.lines, quantity = d.quantity + excluded.quantity, entries =
              d.entries + excluded.entries, since = least(d.since, excluded.since)
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
            insert into {table} as d (entity_id, {column}, account_id, debit, credit)
            select $1, x.day, x.account, x.debit, x.credit
            from unnest($2, $3, $4, $5) as x(day, account, debit, credit)
            on conflict (entity_id, {column}, account_id) do update set debit = d.debit + excluded.debit, credit =
              d.credit + excluded.credit
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
