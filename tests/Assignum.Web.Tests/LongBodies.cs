using System.IO.Pipelines;
using System.Text;
using Assignum.Web.Api;

namespace Assignum.Web.Tests;

/// <summary>NDJSON bodies are read as they come, however long they are and wherever the wire cuts them.</summary>
/// <remarks>What memory holds is measured: nothing else of this process may run beside it.</remarks>
[Collection(nameof(Alone))]
public class LongBodies
{
    private static async Task<List<string>> ReadAsync(Stream body, int bufferSize, int most)
    {
        var seen = new List<string>();
        await foreach (
            var batch in BodyReader.LinesAsync(
                PipeReader.Create(body, new StreamPipeReaderOptions(bufferSize: bufferSize)),
                most,
                TestContext.Current.CancellationToken
            )
        )
        {
            batch.Count.ShouldBeLessThanOrEqualTo(most);
            seen.AddRange(
                batch.Select(e =>
                    e.Faults.Any(f => f.Code is "bad-json" or "too-large") ? e.Faults[0].Code : e.Event.Id
                )
            );
        }
        return seen;
    }

    [Theory]
    [InlineData(16, 3), InlineData(97, 500), InlineData(65536, 1)]
    public async Task Wherever_the_wire_cuts_them_the_lines_are_the_same(int bufferSize, int most)
    {
        var text =
            string.Join(
                "\n",
                Enumerable
                    .Range(0, 40)
                    .Select(i =>
                        i % 7 == 3 ? "{broken"
                        : i % 7 == 5 ? "  \r"
                        : $"{{\"source\":\"s\",\"id\":\"{i}\",\"kind\":\"k\"}}"
                    )
            ) + "\n{\"id\":\"last without an end of line\"}";
        var expected = Enumerable
            .Range(0, 40)
            .Where(i => i % 7 != 5)
            .Select(i => i % 7 == 3 ? "bad-json" : i.ToString(System.Globalization.CultureInfo.InvariantCulture))
            .Append("last without an end of line");
        (await ReadAsync(new MemoryStream(Encoding.UTF8.GetBytes(text)), bufferSize, most)).ShouldBe(expected);
    }

    [Fact]
    public async Task A_line_that_never_ends_is_refused_once_and_not_kept()
    {
        var text = "{\"id\":\"a\"}\n" + new string('x', 5 << 20) + "\n{\"id\":\"b\"}\n";
        (await ReadAsync(new MemoryStream(Encoding.UTF8.GetBytes(text)), 4096, 500)).ShouldBe(["a", "too-large", "b"]);
    }

    [Fact]
    public async Task Two_hundred_thousand_lines_leave_memory_as_it_was()
    {
        var line = Encoding.UTF8.GetBytes(
            "{\"source\":\"s\",\"id\":\"1\",\"kind\":\"k\",\"text\":\"" + new string('t', 200) + "\"}\n"
        );
        var body = new Repeated(line, 200_000);
        var (count, peak) = (0, 0L);
        GC.Collect();
        var before = GC.GetTotalMemory(true);
        await foreach (
            var batch in BodyReader.LinesAsync(PipeReader.Create(body), 500, TestContext.Current.CancellationToken)
        )
        {
            count += batch.Count;
            if (count % 50_000 == 0)
                peak = Math.Max(peak, GC.GetTotalMemory(true) - before);
        }
        count.ShouldBe(200_000);
        peak.ShouldBeLessThan(8 << 20);
    }

    /// <summary>A stream of one line again and again: nothing of it is held.</summary>
    private sealed class Repeated(byte[] line, int times) : Stream
    {
        private long at;

        public override int Read(byte[] buffer, int offset, int count)
        {
            var n = 0;
            for (; n < count && at < (long)line.Length * times; n++, at++)
                buffer[offset + n] = line[at % line.Length];
            return n;
        }

        public override bool CanRead => true;
        public override bool CanSeek => false;
        public override bool CanWrite => false;
        public override long Length => throw new NotSupportedException();
        public override long Position
        {
            get => throw new NotSupportedException();
            set => throw new NotSupportedException();
        }

        public override void Flush() { }

        public override long Seek(long offset, SeekOrigin origin) => throw new NotSupportedException();

        public override void SetLength(long value) => throw new NotSupportedException();

        public override void Write(byte[] buffer, int offset, int count) => throw new NotSupportedException();
    }
}

/// <summary>Tests that run when no other does.</summary>
[CollectionDefinition(nameof(Alone), DisableParallelization = true)]
public sealed class Alone;
