using System.Buffers;
using System.Buffers.Binary;
using System.Text;
using Npgsql;

namespace Assignum.Storage;

/// <summary>Rows of a table in PostgreSQL's binary COPY format (manual, COPY, "Binary Format"), gathered before they are
/// sent: so that making them and the server's reading of those before go on side by side.</summary>
/// <remarks>
/// Npgsql's own importer resolves a converter for every value; with two dozen columns a line that was two thirds of the
/// application's work in posting (measured in docs/performance.md). The types here are the few that the journal has.
/// </remarks>
internal sealed class CopyRows : IDisposable
{
    /// <summary>How many rows are gathered at once where there may be very many.</summary>
    public const int AtOnce = 10_000;

    private readonly string target;
    private readonly short fields;
    private byte[] buffer = ArrayPool<byte>.Shared.Rent(1 << 16);
    private int at;

    /// <summary>Begins rows for <c>copy {target} from stdin</c>.</summary>
    /// <param name="target">A table and its columns.</param>
    public CopyRows(string target)
    {
        this.target = target;
        fields = (short)(target.Count(c => c == ',') + 1);
        // Signature, flags, and the length of an extension that there is not.
        ReadOnlySpan<byte> header = [.. "PGCOPY\n"u8, 0xff, (byte)'\r', (byte)'\n', 0, 0, 0, 0, 0, 0, 0, 0, 0];
        header.CopyTo(Space(header.Length));
    }

    /// <summary>How many rows there are.</summary>
    public int Count { get; private set; }

    /// <summary>Begins a row: a value of each column follows.</summary>
    public CopyRows Row()
    {
        Count++;
        BinaryPrimitives.WriteInt16BigEndian(Space(2), fields);
        return this;
    }

    /// <summary>Sends the rows, once; where there are none it does nothing.</summary>
    public async Task SendAsync(NpgsqlConnection db, CancellationToken stop)
    {
        if (Count == 0)
            return;
        BinaryPrimitives.WriteInt16BigEndian(Space(2), -1);
        await using var copy = await db.BeginRawBinaryCopyAsync($"copy {target} from stdin (format binary)", stop);
        try
        {
            await copy.WriteAsync(buffer.AsMemory(0, at), stop);
        }
        catch
        {
            await copy.CancelAsync();
            throw;
        }
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        if (buffer.Length > 0)
            ArrayPool<byte>.Shared.Return(buffer);
        buffer = [];
    }

    public CopyRows Int(int? value)
    {
        if (value is not { } v)
            return Null();
        Length(4);
        BinaryPrimitives.WriteInt32BigEndian(Space(4), v);
        return this;
    }

    public CopyRows Big(long? value)
    {
        if (value is not { } v)
            return Null();
        Length(8);
        BinaryPrimitives.WriteInt64BigEndian(Space(8), v);
        return this;
    }

    public CopyRows Bool(bool? value)
    {
        if (value is not { } v)
            return Null();
        Length(1);
        Space(1)[0] = v ? (byte)1 : (byte)0;
        return this;
    }

    /// <summary>Days since 1 January 2000.</summary>
    public CopyRows Day(DateOnly? value) => Int(value?.DayNumber - 730_119);

    /// <summary>Leaves room for bytes that are known only when the rows are sent; see <see cref="Fill"/>.</summary>
    /// <param name="place">Where they belong.</param>
    public CopyRows Later(int length, out int place)
    {
        Length(length);
        Space(length).Clear();
        place = at - length;
        return this;
    }

    /// <summary>Fills in what was left out.</summary>
    public void Fill(int place, ReadOnlySpan<byte> bytes) => bytes.CopyTo(buffer.AsSpan(place));

    public CopyRows Uuid(Guid value)
    {
        Length(16);
        value.TryWriteBytes(Space(16), bigEndian: true, out _);
        return this;
    }

    public CopyRows Text(string? value) => Chars(value, false);

    /// <summary>JSON as <c>jsonb</c>: a version, then the text.</summary>
    public CopyRows Json(string? value) => Chars(value, true);

    /// <summary>A <c>numeric</c>: digits of base 10,000 with the weight of the first, and the decimals to
    /// show.</summary>
    public CopyRows Num(decimal? value)
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

    private static readonly uint[] Tens = [1, 10, 100, 1000];

    /// <summary>No value.</summary>
    public CopyRows Null()
    {
        Length(-1);
        return this;
    }

    /// <summary>No values of as many columns.</summary>
    public CopyRows Nulls(int columns)
    {
        Space(4 * columns).Fill(0xff);
        return this;
    }

    private CopyRows Chars(string? value, bool json)
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
        if (at + bytes <= buffer.Length)
            return;
        var larger = ArrayPool<byte>.Shared.Rent(Math.Max(buffer.Length * 2, at + bytes));
        buffer.AsSpan(0, at).CopyTo(larger);
        ArrayPool<byte>.Shared.Return(buffer);
        buffer = larger;
    }
}
