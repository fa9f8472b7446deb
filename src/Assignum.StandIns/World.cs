namespace Assignum.StandIns;

/// <summary>All four systems and the day that it is for them. The same seed, first day and number of days make the same
/// data.</summary>
public sealed class World : IDisposable
{
    private readonly SemaphoreSlim turn = new(1);
    private readonly DateOnly begin;
    private readonly bool alike;

    /// <summary>Does something while nobody else reads or changes a system.</summary>
    public async Task<T> InTurnAsync<T>(Func<ValueTask<T>> what, CancellationToken stop = default)
    {
        await turn.WaitAsync(stop);
        try
        {
            return await what();
        }
        finally
        {
            turn.Release();
        }
    }

    /// <inheritdoc cref="InTurnAsync{T}(Func{ValueTask{T}}, CancellationToken)"/>
    public Task<T> InTurnAsync<T>(Func<T> what, CancellationToken stop = default) =>
        InTurnAsync(() => ValueTask.FromResult(what()), stop);

    /// <param name="begin">The day on which it begins; no system has an event before.</param>
    /// <param name="key">What they are asked with.</param>
    /// <param name="alike">Whether the third day, say, brings the same whatever its date, but for what they do by the
    /// calendar.</param>
    public World(int seed, DateOnly begin, string key, bool alike = false)
    {
        (Seed, Day, Key) = (seed, begin, key);
        (this.begin, this.alike) = (begin, alike);
        Warehouse = new Warehouse(this);
        Shop = new Shop(this);
        Payments = new Payments(this);
        Ledger = new Ledger(this);
        Systems = [Warehouse, Shop, Payments, Ledger];
    }

    public int Seed { get; }
    public DateOnly Day { get; private set; }
    public string Key { get; }
    internal Warehouse Warehouse { get; }
    internal Shop Shop { get; }
    internal Payments Payments { get; }
    internal Ledger Ledger { get; }

    /// <summary>The systems, in the order of their pages.</summary>
    public IReadOnlyList<StandIn> Systems { get; }

    /// <summary>Lets days pass: each system does business on each.</summary>
    public void Advance(int days)
    {
        for (var i = 0; i < days; i++)
        {
            foreach (var system in Systems)
                system.DoBusiness(Day);
            Day = Day.AddDays(1);
        }
    }

    /// <inheritdoc/>
    public void Dispose() => turn.Dispose();

    /// <summary>Chance of its own for what a system does on a day.</summary>
    internal Random Chance(string of, DateOnly day) =>
        Chance(alike ? $"{of}/{day.DayNumber - begin.DayNumber}" : $"{of}/{day:yyyy-MM-dd}");

    /// <summary>Chance of its own for a part of the world: what one does never changes another.</summary>
    internal Random Chance(string of)
    {
        // FNV-1a: a string's own hash differs from run to run.
        var hash = 2166136261u;
        foreach (var c in of)
            hash = (hash ^ c) * 16777619u;
        return new Random(unchecked((int)(hash ^ (uint)Seed * 2654435761u)));
    }
}
