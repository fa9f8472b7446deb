using System.Buffers.Binary;
using System.Text;
using Npgsql;

namespace Assignum.Storage;

/// <summary>Writes rows in PostgreSQL's binary COPY format (manual, COPY, "Binary Format") into one buffer, sent as it
/// fills.</summary>
/// <remarks>
/// Npgsql's own importer resolves a converter for every value; with two dozen columns a line that was two thirds of the
/// application's work in posting (measured in docs/performance.md). The types here are the few that the journal has.
/// </remarks>
internal sealed class CopyStream : IAsyncDisposable
{
    private const int Flush = 1 << 16;
    private readonly NpgsqlRawCopyStream to;
    private byte[] buffer = new byte[Flush * 2];
    private int at;
    private bool complete;

    private CopyStream(NpgsqlRawCopyStream to) => this.to = to;

    /// <summary>Begins <c>copy {target} from stdin</c>; <paramref name="target"/> names a table and its
    /// columns.</summary>
    public static async Task<CopyStream> BeginAsync(NpgsqlConnection db, string target, CancellationToken stop)
    {
        var copy = new CopyStream(await db.BeginRawBinaryCopyAsync($"copy {target} from stdin (format binary)", stop));
        // Signature, flags, and the length of an extension that there is not.
        byte[] header = [.. "PGCOPY\n"u8, 0xff, (byte)'\r', (byte)'\n', 0, 0, 0, 0, 0, 0, 0, 0, 0];
        header.CopyTo(copy.Space(header.Length));
        return copy;
    }

    /// <summary>Begins a row of so many fields; sends what has gathered when it is much.</summary>
    public async ValueTask RowAsync(int fields, CancellationToken stop)
    {
        if (at >= Flush)
        {
            await to.WriteAsync(buffer.AsMemory(0, at), stop);
            at = 0;
        }
        BinaryPrimitives.WriteInt16BigEndian(Space(2), (short)fields);
    }

    /// <summary>Ends the copy; without it disposing takes everything back.</summary>
    public async Task CompleteAsync(CancellationToken stop)
    {
        BinaryPrimitives.WriteInt16BigEndian(Space(2), -1);
        await to.WriteAsync(buffer.AsMemory(0, at), stop);
        at = 0;
        complete = true;
    }

    public CopyStream Int(int? value)
    {
        if (value is not { } v)
            return Null();
        Length(4);
        BinaryPrimitives.WriteInt32BigEndian(Space(4), v);
        return this;
    }

    public CopyStream Big(long value)
    {
        Length(8);
        BinaryPrimitives.WriteInt64BigEndian(Space(8), value);
        return this;
    }

    public CopyStream Bool(bool value)
    {
        Length(1);
        Space(1)[0] = value ? (byte)1 : (byte)0;
        return this;
    }

    /// <summary>Days since 1 January 2000.</summary>
    public CopyStream Day(DateOnly value) => Int(value.DayNumber - 730_119);

    public CopyStream Uuid(Guid value)
    {
        Length(16);
        value.TryWriteBytes(Space(16), bigEndian: true, out _);
        return this;
    }

    public CopyStream Text(string? value) => Chars(value, false);

    /// <summary>JSON as <c>jsonb</c>: a version, then the text.</summary>
    public CopyStream Json(string? value) => Chars(value, true);

    /// <summary>A <c>numeric</c>: digits of base 10,000 with the weight of the first, and the decimals to
    /// show.</summary>
    public CopyStream Num(decimal? value)
    {
        if (value is not { } number)
            return Null();
        Span<int> bits = stackalloc int[4];
        decimal.GetBits(number, bits);
        int scale = (byte)(bits[3] >> 16),
            groups = (scale + 3) / 4;
        // Filled up to whole groups of four decimals; 96 bits and three more digits fit.
        var rest =
            new UInt128((uint)bits[2], (uint)bits[1] * 0x1_0000_0000UL + (uint)bits[0]) * Tens[groups * 4 - scale];
        Span<short> digits = stackalloc short[16];
        var count = 0;
        for (; rest > ulong.MaxValue; rest /= 10_000)
            digits[count++] = (short)(ushort)(rest % 10_000);
        for (var small = (ulong)rest; small > 0; small /= 10_000)
            digits[count++] = (short)(small % 10_000);
        var weight = count - groups - 1;
        var last = 0;
        while (last < count && digits[last] == 0)
            last++;
        Length(8 + 2 * (count - last));
        BinaryPrimitives.WriteInt16BigEndian(Space(2), (short)(count - last));
        BinaryPrimitives.WriteInt16BigEndian(Space(2), (short)(count == last ? 0 : weight));
        BinaryPrimitives.WriteInt16BigEndian(Space(2), number < 0 ? (short)0x4000 : (short)0);
        BinaryPrimitives.WriteInt16BigEndian(Space(2), (short)scale);
        for (var i = count - 1; i >= last; i--)
            BinaryPrimitives.WriteInt16BigEndian(Space(2), digits[i]);
        return this;
    }

    /// <inheritdoc/>
    public async ValueTask DisposeAsync()
    {
        if (!complete)
            await to.CancelAsync();
        await to.DisposeAsync();
    }

    private static readonly uint[] Tens = [1, 10, 100, 1000];

    private CopyStream Null()
    {
        Length(-1);
        return this;
    }

    private CopyStream Chars(string? value, bool json)
    {
        if (value is null)
            return Null();
        var version = json ? 1 : 0;
        var room = Encoding.UTF8.GetMaxByteCount(value.Length) + version;
        Reserve(room + 4);
        var length = Encoding.UTF8.GetBytes(value, buffer.AsSpan(at + 4 + version));
        BinaryPrimitives.WriteInt32BigEndian(buffer.AsSpan(at), length + version);
        if (json)
            buffer[at + 4] = 1;
        at += 4 + version + length;
        return this;
    }

    private void Length(int bytes) => BinaryPrimitives.WriteInt32BigEndian(Space(4), bytes);

    private Span<byte> Space(int bytes)
    {
        Reserve(bytes);
        var span = buffer.AsSpan(at, bytes);
        at += bytes;
        return span;
    }

    private void Reserve(int bytes)
    {
        if (at + bytes > buffer.Length)
            Array.Resize(ref buffer, Math.Max(buffer.Length * 2, at + bytes));
    }
}
