namespace Assignum.Web.Api;

/// <summary>Answers on their way to a client that may not read them yet: written to a temporary file, sent from it as
/// fast as they are taken.</summary>
/// <remarks>
/// Many clients send all of a body before they read the answer. Were the answers held back in memory it would grow with
/// the body; were the server to wait for the client, each would wait for the other for ever.
/// </remarks>
internal sealed class AnswerSpool : IAsyncDisposable
{
    // What waits at most for a client that does not read, beside what it has a right to, and how long it may wait.
    private const long Room = 64L << 20;
    private static readonly TimeSpan Patience = TimeSpan.FromMinutes(2);

    private readonly FileStream file = Open();
    private readonly SemaphoreSlim news = new(0);
    private readonly SemaphoreSlim turn = new(1);
    private long written;
    private long sent;
    private long allowed = Room;
    private volatile bool complete;

    // The temporary file that .NET makes is readable by its owner only. Its name is gone at once: what a crash leaves
    // behind is nothing.
    private static FileStream Open()
    {
        var path = Path.GetTempFileName();
        var file = new FileStream(
            path,
            new FileStreamOptions
            {
                Mode = FileMode.Open,
                Access = FileAccess.ReadWrite,
                Share = FileShare.Delete,
                BufferSize = 0,
                Options = FileOptions.Asynchronous,
            }
        );
        File.Delete(path);
        return file;
    }

    /// <summary>Lets more wait: whoever sends much before it reads is owed as much, whoever sends little that is answered
    /// at length is not.</summary>
    public void Allow(long bytes) => allowed += bytes;

    /// <summary>Adds answers. One writer only.</summary>
    /// <exception cref="IOException">Too much waits for a client that does not read.</exception>
    public async Task WriteAsync(ReadOnlyMemory<byte> bytes, CancellationToken stop)
    {
        for (var waited = TimeSpan.Zero; written - Interlocked.Read(ref sent) > allowed; )
        {
            if (waited > Patience)
                throw new IOException("The client does not read its answers.");
            await Task.Delay(100, stop);
            waited += TimeSpan.FromMilliseconds(100);
        }
        await turn.WaitAsync(stop);
        try
        {
            await RandomAccess.WriteAsync(file.SafeFileHandle, bytes, written, stop);
            Interlocked.Add(ref written, bytes.Length);
        }
        finally
        {
            turn.Release();
        }
        news.Release();
    }

    /// <summary>Says that nothing more comes.</summary>
    public void Complete()
    {
        complete = true;
        news.Release();
    }

    /// <summary>Sends everything, until <see cref="Complete"/> was called and all is sent.</summary>
    public async Task SendAsync(Stream to, CancellationToken stop)
    {
        var chunk = new byte[1 << 16];
        while (true)
        {
            // Read before the length, so that nothing written between the two is lost.
            var last = complete;
            if (Interlocked.Read(ref sent) == Interlocked.Read(ref written))
            {
                if (last)
                    return;
                await BeginAnewAsync(stop);
                await news.WaitAsync(stop);
                continue;
            }
            var count = await RandomAccess.ReadAsync(file.SafeFileHandle, chunk, sent, stop);
            await to.WriteAsync(chunk.AsMemory(0, count), stop);
            await to.FlushAsync(stop);
            Interlocked.Add(ref sent, count);
        }
    }

    // Where all is sent the file begins anew: it is as large as what waits, not as what was answered.
    private async Task BeginAnewAsync(CancellationToken stop)
    {
        await turn.WaitAsync(stop);
        try
        {
            if (sent != written || sent == 0)
                return;
            Interlocked.Exchange(ref sent, 0);
            Interlocked.Exchange(ref written, 0);
            file.SetLength(0);
        }
        finally
        {
            turn.Release();
        }
    }

    /// <inheritdoc/>
    public async ValueTask DisposeAsync()
    {
        await file.DisposeAsync();
        news.Dispose();
        turn.Dispose();
    }
}
