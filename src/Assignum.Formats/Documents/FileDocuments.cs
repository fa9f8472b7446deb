using System.Text.Json.Nodes;
using System.Xml;
using Assignum.Core;

namespace Assignum.Formats.Documents;

/// <summary>A document of a file as an event in the words of whoever made it.</summary>
/// <param name="Place">Where it stands: a line, an entry, the document.</param>
/// <param name="Event">As the link would tell it; null: it cannot be read.</param>
/// <param name="Fault">Why it cannot be read.</param>
public sealed record FileDocument(string Place, JsonObject? Event, Fault? Fault);

/// <summary>How a file is read.</summary>
/// <param name="Ours">Names and numbers by which documents know the entity: which side of an invoice is ours.</param>
/// <param name="As"><c>sold</c> or <c>bought</c>, where that is said; null: by who the parties are.</param>
/// <param name="Columns">Of a CSV file, the columns as they were taken first; null: any.</param>
public sealed record FileReading(IReadOnlyCollection<string> Ours, string? As, IReadOnlyList<string>? Columns);

/// <summary>Reads files of documents one by one: NDJSON, UBL 2.1, camt.053 and camt.054, CSV.</summary>
public static class FileDocuments
{
    /// <summary>Most characters of an XML file.</summary>
    public const long MostCharacters = 400L << 20;

    /// <summary>Most bytes of one document, which is read whole: an invoice, an entry of a statement.</summary>
    public const long MostOfDocument = 20L << 20;

    /// <summary>How XML is read: no document type, nothing fetched.</summary>
    public static readonly XmlReaderSettings Xml = new()
    {
        DtdProcessing = DtdProcessing.Prohibit,
        XmlResolver = null,
        MaxCharactersInDocument = MostCharacters,
        MaxCharactersFromEntities = 0,
        IgnoreComments = true,
        IgnoreProcessingInstructions = true,
        IgnoreWhitespace = true,
        CloseInput = false,
    };

    /// <summary>The documents of a file, in their order; what is no such file is one fault.</summary>
    /// <param name="columns">Hears of the columns of a CSV file.</param>
    public static IEnumerable<FileDocument> Read(
        Stream file,
        string name,
        FileReading how,
        Action<IReadOnlyList<string>>? columns = null
    )
    {
        var buffered = new BufferedStream(file, 1 << 16);
        var first = First(buffered, out var begun);
        return first switch
        {
            '<' => Guarded(XmlFile(begun, how)),
            '{' or '[' => Lines(begun),
            null => [new FileDocument("", null, new Fault("empty-file", "The file is empty."))],
            _ => CsvDocuments.Read(begun, how, columns),
        };
    }

    // The first sign that is no blank; the stream from there.
    private static char? First(Stream file, out HeadedStream from)
    {
        var head = new byte[256];
        var read = file.ReadAtLeast(head, head.Length, false);
        var at = 0;
        if (read >= 3 && head[0] == 0xEF && head[1] == 0xBB && head[2] == 0xBF)
            at = 3;
        while (at < read && head[at] is (byte)' ' or (byte)'\t' or (byte)'\r' or (byte)'\n')
            at++;
        from = new HeadedStream(head.AsMemory(0, read), file);
        return at < read ? (char)head[at] : null;
    }

    private static IEnumerable<FileDocument> XmlFile(HeadedStream file, FileReading how)
    {
        using var reader = XmlReader.Create(file, Xml);
        reader.MoveToContent();
        if (reader.LocalName is "Invoice" or "CreditNote")
            file.Allow();
        foreach (
            var document in reader.LocalName switch
            {
                "Invoice" or "CreditNote" => UblDocuments.Read(reader, how),
                "Document" => CamtDocuments.Read(reader, file.Allow),
                var other =>
                [
                    new FileDocument(
                        "",
                        null,
                        new Fault(
                            "unknown-file",
                            $"Its root is {(other.Length > 60 ? other[..60] : other)}: UBL invoices and credit "
                                + "notes, camt.053 and camt.054 are read."
                        )
                    ),
                ],
            }
        )
            yield return document;
    }

    // What breaks off is a fault after those before it.
    private static IEnumerable<FileDocument> Guarded(IEnumerable<FileDocument> documents)
    {
        using var each = documents.GetEnumerator();
        while (true)
        {
            FileDocument next;
            try
            {
                if (!each.MoveNext())
                    yield break;
                next = each.Current;
            }
            catch (Exception e) when (e is XmlException or FormatException or OverflowException)
            {
                next = new FileDocument(
                    "",
                    null,
                    new Fault(
                        "bad-xml",
                        e is XmlException x && x.Message.Contains("DTD", StringComparison.Ordinal)
                            ? "The file has a document type: such files are not read."
                            : $"It cannot be read as XML: {(e.Message.Length > 200 ? e.Message[..200] : e.Message)}"
                    )
                );
            }
            yield return next;
            if (next.Event is null && next.Fault?.Code == "bad-xml")
                yield break;
        }
    }

    private const int LongestLine = 1 << 20;

    private static IEnumerable<FileDocument> Lines(Stream file)
    {
        using var reader = new StreamReader(file);
        var row = 0;
        while (reader.ReadLine() is { } line)
        {
            row++;
            if (string.IsNullOrWhiteSpace(line))
                continue;
            JsonObject? json = null;
            if (line.Length <= LongestLine)
                try
                {
                    json = JsonNode.Parse(line, null, Json.EventReader.Options) as JsonObject;
                }
                catch (System.Text.Json.JsonException) { }
            yield return json is null
                ? new FileDocument($"line {row}", null, new Fault("bad-json", $"Line {row} is no JSON object."))
                : new FileDocument($"line {row}", json, null);
        }
    }

    /// <summary>Bytes that were read before the rest of a stream.</summary>
    private sealed class HeadedStream(ReadOnlyMemory<byte> head, Stream rest) : Stream
    {
        private ReadOnlyMemory<byte> left = head;
        private long read;

        private long most = long.MaxValue;

        /// <summary>From here on one document more is read, and no more than that.</summary>
        public void Allow() => most = read + MostOfDocument;

        public override bool CanRead => true;
        public override bool CanSeek => false;
        public override bool CanWrite => false;
        public override long Length => throw new NotSupportedException();
        public override long Position
        {
            get => throw new NotSupportedException();
            set => throw new NotSupportedException();
        }

        public override int Read(byte[] buffer, int offset, int count) => Read(buffer.AsSpan(offset, count));

        public override int Read(Span<byte> buffer)
        {
            if (left.Length == 0)
            {
                var some = rest.Read(buffer);
                read += some;
                return read <= most
                    ? some
                    : throw new FormatException($"a document has at most {MostOfDocument >> 20} MB.");
            }
            var taken = Math.Min(left.Length, buffer.Length);
            left.Span[..taken].CopyTo(buffer);
            left = left[taken..];
            return taken;
        }

        public override void Flush() { }

        public override long Seek(long offset, SeekOrigin origin) => throw new NotSupportedException();

        public override void SetLength(long value) => throw new NotSupportedException();

        public override void Write(byte[] buffer, int offset, int count) => throw new NotSupportedException();
    }
}
