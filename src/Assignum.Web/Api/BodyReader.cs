using System.Buffers;
using System.IO.Pipelines;
using System.Runtime.InteropServices;
using System.Text.Json;
using Assignum.Core;
using Assignum.Formats.Json;

namespace Assignum.Web.Api;

/// <summary>Reads request bodies with limits: whole JSON, whole files, or NDJSON line by line.</summary>
internal static class BodyReader
{
    /// <summary>A body read whole, or null when it is longer than <paramref name="limit"/> bytes.</summary>
    public static async Task<byte[]?> WholeAsync(HttpRequest request, long limit, CancellationToken stop)
    {
        if (request.ContentLength > limit)
            return null;
        using var buffer = new MemoryStream();
        var chunk = ArrayPool<byte>.Shared.Rent(1 << 16);
        try
        {
            int read;
            while ((read = await request.Body.ReadAsync(chunk, stop)) > 0)
            {
                if (buffer.Length + read > limit)
                    return null;
                buffer.Write(chunk, 0, read);
            }
        }
        finally
        {
            ArrayPool<byte>.Shared.Return(chunk);
        }
        return buffer.ToArray();
    }

    private static readonly JsonDocumentOptions WholeBody = new() { MaxDepth = EventReader.Options.MaxDepth + 1 };

    /// <summary>One event or an array of them. Faults say why nothing could be read; the list is then null.</summary>
    public static (IReadOnlyList<ReadEvent>? Events, int Status, Fault? Fault) Events(byte[]? body)
    {
        if (body is null)
            return (
                null,
                413,
                new Fault(
                    "too-large",
                    $"The body is larger than {Limits.Json >> 20} MB: send NDJSON, or fewer events at once."
                )
            );
        try
        {
            // What is wrong within one event is that event's fault alone: each is read for itself.
            using var json = JsonDocument.Parse(body, WholeBody);
            var each =
                json.RootElement.ValueKind == JsonValueKind.Array
                    ? json.RootElement.EnumerateArray()
                    : Enumerable.Repeat(json.RootElement, 1);
            return ([.. each.Select(e => Line(new(JsonMarshal.GetRawUtf8Value(e).ToArray())))], 200, null);
        }
        catch (JsonException e)
        {
            return (null, 400, BadJson(e));
        }
    }

    /// <summary>One line of NDJSON as an event; a line that is no JSON becomes an event with that fault.</summary>
    public static ReadEvent Line(ReadOnlySequence<byte> line)
    {
        try
        {
            using var json = JsonDocument.Parse(line, EventReader.Options);
            return EventReader.Read(json.RootElement);
        }
        catch (JsonException e)
        {
            return new ReadEvent(new(), [BadJson(e)], "");
        }
        catch (InvalidOperationException)
        {
            return new ReadEvent(new(), [EventReader.BadName()], "");
        }
    }

    /// <summary>
    /// The events of an NDJSON body in batches: what has come is handed on at once, at most <paramref name="most"/> at
    /// a
    /// time, so that memory stays flat and answers do not wait for the end.
    /// </summary>
    public static async IAsyncEnumerable<IReadOnlyList<ReadEvent>> LinesAsync(
        PipeReader body,
        int most,
        [System.Runtime.CompilerServices.EnumeratorCancellation] CancellationToken stop
    )
    {
        var batch = new List<ReadEvent>(most);
        var skipping = false;
        while (true)
        {
            var read = await body.ReadAsync(stop);
            var buffer = read.Buffer;
            while (batch.Count < most && Take(ref buffer, read.IsCompleted, ref skipping, batch)) { }
            body.AdvanceTo(buffer.Start, batch.Count < most ? buffer.End : buffer.Start);
            if (batch.Count > 0)
            {
                yield return batch;
                batch = new List<ReadEvent>(most);
            }
            if (read.IsCompleted && buffer.IsEmpty)
                break;
        }
    }

    private static bool Take(ref ReadOnlySequence<byte> buffer, bool last, ref bool skipping, List<ReadEvent> batch)
    {
        var end = buffer.PositionOf((byte)'\n');
        if (end is null && buffer.Length > Limits.Line)
        {
            if (!skipping)
                batch.Add(TooLong());
            skipping = true;
            buffer = buffer.Slice(buffer.End);
            return false;
        }
        if (end is null && (!last || buffer.IsEmpty))
            return false;
        var line = end is null ? buffer : buffer.Slice(0, end.Value);
        buffer = end is null ? buffer.Slice(buffer.End) : buffer.Slice(buffer.GetPosition(1, end.Value));
        if (skipping)
            skipping = false;
        else if (line.Length > Limits.Line)
            batch.Add(TooLong());
        else if (!IsBlank(line))
            batch.Add(Line(line));
        return true;
    }

    private static bool IsBlank(ReadOnlySequence<byte> line)
    {
        foreach (var part in line)
        foreach (var b in part.Span)
            if (b is not ((byte)' ' or (byte)'\r' or (byte)'\t'))
                return false;
        return true;
    }

    private static ReadEvent TooLong() =>
        new(new(), [new Fault("too-large", $"This line is longer than {Limits.Line >> 20} MB.")], "");

    private static Fault BadJson(JsonException e) =>
        new(
            "bad-json",
            "This is no valid "
                + $"JSON{(e.LineNumber is { } line ? $" (line {line + 1}, byte {e.BytePositionInLine + 1})" : "")}: "
                + "check quotation marks, commas, the encoding (UTF-8) and that no name stands twice."
        );
}
