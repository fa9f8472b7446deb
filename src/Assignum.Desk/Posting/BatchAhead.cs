using Assignum.Formats.Json;
using Npgsql;

namespace Assignum.Desk.Posting;

/// <summary>A batch on its way while those before it are written: it is made, then its details are written, in a
/// transaction of its own that holds nothing.</summary>
internal sealed class BatchAhead(IReadOnlyList<ReadEvent> events) : IAsyncDisposable
{
    private SemaphoreSlim? place;
    private Task<PostingBatch?> made = Task.FromResult<PostingBatch?>(null);
    private Task written = Task.CompletedTask;

    public IReadOnlyList<ReadEvent> Events => events;

    /// <summary>The batch once it is made; null: it could not be made ahead. Never fails: what went wrong shows again when
    /// it is made anew.</summary>
    public Task<PostingBatch?> Made => made;

    /// <summary>Once it ended: the batch and its transaction, with its details written; null where it came to
    /// nothing.</summary>
    public PostingBatch? Batch { get; private set; }
    public NpgsqlConnection? Db { get; private set; }
    public NpgsqlTransaction? Transaction { get; private set; }

    /// <summary>Begins to make it, beside the caller.</summary>
    public void Begin(Func<BatchAhead, Task<PostingBatch?>> make, CancellationToken stop)
    {
        made = Task.Run(
            async () =>
            {
                try
                {
                    return await make(this);
                }
                catch (Exception)
                {
                    return null;
                }
            },
            CancellationToken.None
        );
        written = Task.Run(
            async () =>
            {
                if (await made is not { } batch)
                    return;
                try
                {
                    await batch.WriteDetailsAsync(Db!, stop);
                    Batch = batch;
                }
                catch (Exception)
                {
                    batch.Dispose();
                }
            },
            CancellationToken.None
        );
    }

    /// <summary>Takes one of the places that there are, or says that there is none.</summary>
    public bool Take(SemaphoreSlim of)
    {
        if (!of.Wait(0))
            return false;
        place = of;
        return true;
    }

    /// <summary>Opens the connection and begins the transaction.</summary>
    public async Task<NpgsqlConnection> OpenAsync(Storage.Database database, CancellationToken stop)
    {
        Db = await database.OpenAsync(stop);
        Transaction = await Db.BeginTransactionAsync(stop);
        return Db;
    }

    /// <summary>Waits until it is ready, or came to nothing.</summary>
    public Task EndedAsync() => written;

    /// <summary>Takes back what it wrote, where that was not committed, and gives its place back.</summary>
    public async ValueTask DisposeAsync()
    {
        await written;
        Batch?.Dispose();
        if (Transaction is not null)
            await Transaction.DisposeAsync();
        if (Db is not null)
            await Db.DisposeAsync();
        place?.Release();
        place = null;
    }
}
