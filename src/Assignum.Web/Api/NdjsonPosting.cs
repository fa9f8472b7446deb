using System.Buffers;
using System.Text.Json;
using System.Threading.Channels;
using Assignum.Desk.Posting;
using Assignum.Formats.Json;
using Assignum.Web.Access;
using Microsoft.AspNetCore.Server.Kestrel.Core.Features;

namespace Assignum.Web.Api;

/// <summary>Posts an NDJSON body as it comes and answers line by line, each only after its event is durable.</summary>
/// <remarks>
/// Reading goes on while a batch is written. Whatever has come by then makes the next batch, so that a trickle is
/// answered at once and a flood is committed in large groups; what waits is bounded, so that memory stays flat.
/// </remarks>
internal sealed class NdjsonPosting(string entity, PostEvents post) : IResult
{
    // Measured in docs/performance.md: beyond this a larger commit gains nothing, and what is on its way is carried from
    // one generation of memory to the next.
    private const int Batch = 1000,
        BatchLines = 20_000;

    // What one read of the body gave; a read is at most the server's request buffer (1 MB). Two batches wait: more would
    // only be carried from one generation of memory to the next.
    private const int Chunk = 500,
        Waiting = 3;

    public async Task ExecuteAsync(HttpContext http)
    {
        var chunks = Channel.CreateBounded<IReadOnlyList<ReadEvent>>(
            new BoundedChannelOptions(Waiting) { SingleReader = true, SingleWriter = true }
        );
        using var stop = CancellationTokenSource.CreateLinkedTokenSource(http.RequestAborted);
        await using var spool = new AnswerSpool();
        // One for all batches: what is too large for the young generation would have the old one collected.
        var lines = new ArrayBufferWriter<byte>(1 << 16);
        // A line now and then is as good as a flood: the connection stays open.
        if (http.Features.Get<IHttpMinRequestBodyDataRateFeature>() is { } rate)
            rate.MinDataRate = null;
        var reading = ReadAsync(http, chunks.Writer, stop.Token);
        Task? sending = null;
        try
        {
            var row = 1;
            await using var stream = post.Stream(http.Actor(), entity);
            var come = new Queue<IReadOnlyList<ReadEvent>>();
            IReadOnlyList<ReadEvent>? Next()
            {
                if (Come(chunks.Reader) is not { } following)
                    return null;
                come.Enqueue(following);
                return following;
            }
            while (come.Count > 0 || await chunks.Reader.WaitToReadAsync(stop.Token))
            {
                var events = come.TryDequeue(out var there) ? there : Come(chunks.Reader) ?? [];
                var outcome = await stream.PostAsync(events, row, Next, stop.Token);
                if (outcome.Result is not { } answers)
                {
                    // Once answers are on their way only a broken connection says that they are not all.
                    if (sending is null)
                        await ApiProblem.Of(outcome).ExecuteAsync(http);
                    else
                        http.Abort();
                    return;
                }
                if (sending is null)
                {
                    http.Response.ContentType = "application/x-ndjson";
                    sending = spool.SendAsync(http.Response.Body, stop.Token);
                }
                spool.Allow(events.Sum(e => 2L * e.Canonical.Length));
                Write(answers, lines);
                await spool.WriteAsync(lines.WrittenMemory, stop.Token);
                row += events.Count;
            }
            spool.Complete();
            if (sending is null)
                http.Response.ContentType = "application/x-ndjson";
            else
                await sending;
        }
        finally
        {
            await stop.CancelAsync();
            await reading;
            if (sending is not null)
                await sending.ContinueWith(_ => { }, TaskScheduler.Default);
        }
    }

    // What has come by now, or null.
    private static List<ReadEvent>? Come(ChannelReader<IReadOnlyList<ReadEvent>> from)
    {
        List<ReadEvent>? events = null;
        for (
            var lines = 0;
            (events?.Count ?? 0) < Batch && lines < BatchLines && from.TryRead(out var chunk);
            lines += chunk.Sum(e => e.Event.Lines.Count)
        )
            (events ??= new(Batch)).AddRange(chunk);
        return events;
    }

    // What goes wrong while reading reaches the one who waits for chunks; the task itself never fails.
    private static async Task ReadAsync(
        HttpContext http,
        ChannelWriter<IReadOnlyList<ReadEvent>> to,
        CancellationToken stop
    )
    {
        try
        {
            await foreach (var chunk in BodyReader.LinesAsync(http.Request.BodyReader, Chunk, stop))
                await to.WriteAsync(chunk, stop);
            to.Complete();
        }
        catch (Exception e)
        {
            to.Complete(e);
        }
    }

    private static void Write(IReadOnlyList<PostedEvent> answers, ArrayBufferWriter<byte> buffer)
    {
        buffer.ResetWrittenCount();
        using var json = new Utf8JsonWriter(
            buffer,
            new JsonWriterOptions { SkipValidation = true, Encoder = ApiJson.WithoutNulls.Encoder }
        );
        foreach (var answer in answers)
        {
            JsonSerializer.Serialize(json, answer, ApiJson.WithoutNulls);
            json.Flush();
            json.Reset();
            buffer.Write("\n"u8);
        }
    }
}
