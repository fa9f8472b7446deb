namespace Assignum.Formats.Lists;

/// <summary>Bytes that may be read, of one stream or of several together.</summary>
internal sealed class Budget(long left)
{
    /// <summary>Takes some away.</summary>
    /// <exception cref="TooLargeException">None are left.</exception>
    public void Spend(int bytes)
    {
        left -= bytes;
        if (left < 0)
            throw new TooLargeException();
    }
}

/// <summary>More unpacks than is taken.</summary>
internal sealed class TooLargeException : Exception;

/// <summary>Passes a stream through and stops when the budget is spent.</summary>
internal sealed class CountedStream(Stream inner, Budget budget) : Stream
{
    public override bool CanRead => true;
    public override bool CanSeek => false;
    public override bool CanWrite => false;
    public override long Length => throw new NotSupportedException();
    public override long Position
    {
        get => throw new NotSupportedException();
        set => throw new NotSupportedException();
    }

    public override int Read(byte[] buffer, int offset, int count)
    {
        var read = inner.Read(buffer, offset, count);
        budget.Spend(read);
        return read;
    }

    public override void Flush() { }

    public override long Seek(long offset, SeekOrigin origin) => throw new NotSupportedException();

    public override void SetLength(long value) => throw new NotSupportedException();

    public override void Write(byte[] buffer, int offset, int count) => throw new NotSupportedException();
}
