namespace Assignum.Web.Api;

/// <summary>Answers on their way to a client that may not read them yet: written to a temporary file, sent from it as
/// fast as they are taken.</summary>
/// <remarks>
/// Many clients send all of a body before they read the answer. Were the answers held back in memory it would grow with
/// the body; were the server to wait for the client, each would wait for the other for ever.
/// </remarks>
internal sealed class AnswerSpool : IAsyncDisposable
{
    // The temporary file that .NET makes is readable by its owner only.
    private readonly FileStream file = new(
        Path.GetTempFileName(),
        new FileStreamOptions
        {
            Mode = FileMode.Open,
            Access = FileAccess.ReadWrite,
            Share = FileShare.None,
            BufferSize = 0,
            Options = FileOptions.DeleteOnClose | FileOptions.Asynchronous,
        }
    );
    private readonly SemaphoreSlim news = new(0);
    private long written;
    private volatile bool complete;

    /// <summary>Adds answers. One writer only.</summary>
    public async Task WriteAsync(ReadOnlyMemory<byte> bytes, CancellationToken stop)
    {
        await RandomAccess.WriteAsync(file.SafeFileHandle, bytes, written, stop);
        Interlocked.Add(ref written, bytes.Length);
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
        for (var sent = 0L; ; )
        {
            // Read before the length, so that nothing written between the two is lost.
            var last = complete;
            if (sent == Interlocked.Read(ref written))
            {
                if (last)
                    return;
                await news.WaitAsync(stop);
                continue;
            }
            var count = await RandomAccess.ReadAsync(file.SafeFileHandle, chunk, sent, stop);
            await to.WriteAsync(chunk.AsMemory(0, count), stop);
            await to.FlushAsync(stop);
            sent += count;
        }
    }

    /// <inheritdoc/>
    public async ValueTask DisposeAsync()
    {
        await file.DisposeAsync();
        news.Dispose();
    }
}
