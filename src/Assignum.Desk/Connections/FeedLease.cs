using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk.Connections;

/// <summary>A connection held by this process for a while: nobody else asks it or writes of it meanwhile. Every write names
/// the lease's number in its transaction, so that whoever was held up for too long writes nothing.</summary>
internal sealed class FeedLease : IAsyncDisposable
{
    /// <summary>How long it is held without a word.</summary>
    public static readonly TimeSpan Length = TimeSpan.FromSeconds(30);

    /// <summary>So long before its end whatever is asked ends.</summary>
    public static readonly TimeSpan Margin = TimeSpan.FromSeconds(10);

    private static readonly Guid Process = Guid.NewGuid();

    private readonly DeskContext desk;
    private readonly (int Entity, int Connection) at;
    private readonly long number;
    private readonly CancellationTokenSource over;
    private readonly Task keeping;

    private FeedLease(DeskContext desk, (int, int) at, long number, CancellationToken stop)
    {
        (this.desk, this.at, this.number) = (desk, at, number);
        over = CancellationTokenSource.CreateLinkedTokenSource(stop);
        over.CancelAfter(Length - Margin);
        keeping = KeepAsync();
    }

    /// <summary>Cancelled when it is lost or about to end, or the program stops.</summary>
    public CancellationToken Held => over.Token;

    /// <summary>Takes it; null: another holds it.</summary>
    public static async Task<FeedLease?> TakeAsync(DeskContext desk, (int, int) at, CancellationToken stop)
    {
        await using var db = await desk.Database.OpenAsync(stop);
        return await LeaseStore.TakeAsync(db, at, Process, Length, stop) is { } number
            ? new FeedLease(desk, at, number, stop)
            : null;
    }

    /// <summary>Takes it as soon as nobody else holds it.</summary>
    public static async Task<FeedLease> WaitAsync(DeskContext desk, (int, int) at, CancellationToken stop)
    {
        while (true)
        {
            if (await TakeAsync(desk, at, stop) is { } lease)
                return lease;
            await Task.Delay(TimeSpan.FromMilliseconds(200), stop);
        }
    }

    /// <summary>To be called in the transaction of every write: until it ends nobody takes the connection over.</summary>
    /// <exception cref="OperationCanceledException">It is another's by now.</exception>
    public async Task RequireAsync(NpgsqlConnection db, CancellationToken stop)
    {
        if (!await LeaseStore.IsHeldAsync(db, at, number, stop))
            throw new OperationCanceledException("The connection is held by another by now.");
    }

    private async Task KeepAsync()
    {
        try
        {
            while (true)
            {
                await Task.Delay(Length / 5, over.Token);
                await using var db = await desk.Database.OpenAsync(over.Token);
                if (!await LeaseStore.HoldAsync(db, at, number, Length, over.Token))
                    break;
                over.CancelAfter(Length - Margin);
            }
        }
        catch (OperationCanceledException) { }
        // The database is away: so is the lease.
        catch (NpgsqlException) { }
        try
        {
            await over.CancelAsync();
        }
        catch (ObjectDisposedException) { }
    }

    /// <inheritdoc/>
    public async ValueTask DisposeAsync()
    {
        await over.CancelAsync();
        await keeping;
        try
        {
            using var limit = new CancellationTokenSource(TimeSpan.FromSeconds(5));
            await using var db = await desk.Database.OpenAsync(limit.Token);
            await LeaseStore.GiveAsync(db, at, number, limit.Token);
        }
        // It ends by itself.
        catch (Exception e) when (e is NpgsqlException or OperationCanceledException or TimeoutException) { }
        over.Dispose();
    }
}
