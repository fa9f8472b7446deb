using System.Security.Cryptography;
using System.Text.Json;
using Assignum.Core;
using Assignum.Core.Feeding;
using Assignum.Core.Pairing;
using Assignum.Desk.Access;
using Assignum.Formats.Documents;
using Assignum.Formats.Json;
using Assignum.Storage;

namespace Assignum.Desk.Connections;

/// <summary>What came of a file.</summary>
/// <param name="Fresh">Documents that had not come before.</param>
/// <param name="Faults">What could not be read, by where it stands; at most 200.</param>
public sealed record FileTaken(long File, int Documents, int Fresh, IReadOnlyList<Fault> Faults);

/// <summary>Takes files of documents into a connection: each document is an event with its own id, translated, waiting and
/// dead like those that systems tell.</summary>
public sealed class TakeFiles(LinkDesk links)
{
    private const int Batch = 1_000,
        MostFaults = 200;

    /// <summary>The newest files.</summary>
    public Task<Outcome<IReadOnlyList<LinkFile>>> ListAsync(
        Actor actor,
        string entity,
        string code,
        CancellationToken stop
    ) =>
        links.LookAsync(
            actor,
            entity,
            code,
            async at => new Outcome<IReadOnlyList<LinkFile>>(
                await LinkFileStore.ListAsync(at.Db, at.At, 50, stop),
                null,
                []
            ),
            stop
        );

    /// <summary>Takes a file: wholly, or where it breaks off nothing of it.</summary>
    /// <param name="side"><c>sold</c> or <c>bought</c>; null: by who the parties of an invoice are.</param>
    /// <param name="newColumns">Whether other columns of a CSV file than before are meant.</param>
    public async Task<Outcome<FileTaken>> RunAsync(
        Actor actor,
        string entity,
        string code,
        string name,
        Stream file,
        string? side,
        bool newColumns,
        CancellationToken stop
    )
    {
        if (side is not (null or "sold" or "bought"))
            return Outcome<FileTaken>.No(Refusal.Invalid, "unknown-word", "'as' is sold or bought.", "as");
        return await links.ActAsync<FileTaken>(
            actor,
            entity,
            Role.Preparer,
            code,
            async at =>
            {
                if (at.Link.Of.IsAsked)
                    return Outcome<FileTaken>.No(
                        Refusal.Conflict,
                        "no-files",
                        $"{at.Link.Name} is asked for its documents: files go to a connection of the kind files."
                    );
                if (at.Link.State is not ("joining" or "live"))
                    return Outcome<FileTaken>.No(
                        Refusal.Conflict,
                        "wrong-state",
                        $"{at.Link.Name} is {at.Link.State}."
                    );
                using var hashed = new HashedStream(file);
                var columns = newColumns ? null : await LinkFileStore.ColumnsAsync(at.Db, at.At, stop);
                string[]? came = null;
                var faults = new List<Fault>();
                var documents = 0;
                var fresh = 0;
                var batch = new List<CameEvent>();
                // Some are written while the next are read.
                var writing = Task.FromResult(0);
                async Task KeepAsync()
                {
                    fresh += await writing;
                    writing = LinkEventStore.TakeAsync(
                        at.Db,
                        at.At,
                        batch,
                        FeedRules.OtherContent,
                        FeedRules.SameSequence,
                        stop
                    );
                    batch = [];
                }
                try
                {
                    foreach (
                        var document in FileDocuments.Read(
                            hashed,
                            name,
                            new FileReading([entity, at.State.Name], side, columns),
                            c => came = [.. c]
                        )
                    )
                    {
                        documents++;
                        if (document.Fault is { } wrong && faults.Count < MostFaults)
                            faults.Add(wrong with { Path = document.Place });
                        // What is no document at all takes the whole file back.
                        if (
                            document.Event is null
                            && document.Fault!.Code
                                is "bad-xml"
                                    or "unknown-file"
                                    or "empty-file"
                                    or "unknown-column"
                                    or "columns-changed"
                        )
                            return Outcome<FileTaken>.No(Refusal.Invalid, faults);
                        batch.Add(Came(at, document));
                        if (batch.Count == Batch)
                            await KeepAsync();
                    }
                    await KeepAsync();
                }
                finally
                {
                    // Whatever ended it, nothing is left going on the connection.
                    await ((Task)writing).ConfigureAwait(ConfigureAwaitOptions.SuppressThrowing);
                }
                fresh += await writing;
                if (
                    await LinkFileStore.BeginAsync(at.Db, at.At, Short(name), hashed.End(), actor.Name, stop)
                    is not { } id
                )
                    return Outcome<FileTaken>.No(
                        Refusal.Conflict,
                        "taken-before",
                        "This file was taken before: nothing was done."
                    );
                await LinkFileStore.EndAsync(at.Db, at.At, id, documents, fresh, stop);
                if (came is not null)
                    await LinkFileStore.SetColumnsAsync(at.Db, at.At, came, stop);
                await at.AuditAsync(
                    "file taken",
                    null,
                    new
                    {
                        name = Short(name),
                        documents,
                        fresh,
                    },
                    stop
                );
                return new FileTaken(id, documents, fresh, faults);
            },
            stop
        );
    }

    private static string Short(string name) => name.Length > 200 ? name[..200] : name;

    private static CameEvent Came(AtLink at, FileDocument document)
    {
        if (document.Event is not { } json)
            return FeedRules.Unreadable(document.Fault!);
        using var parsed = JsonDocument.Parse(json.ToJsonString());
        var read = LinkJson.Event(at.Link.Code, parsed.RootElement);
        return FeedRules.Came(
            read,
            document.Fault is { } wrong ? [wrong] : FeedRules.Faults(at.Link, read, at.State.Today)
        );
    }

    /// <summary>Reads on and keeps the sum of what went through.</summary>
    private sealed class HashedStream(Stream of) : Stream
    {
        private readonly IncrementalHash hash = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);

        /// <summary>The sum, of all that there is.</summary>
        public byte[] End()
        {
            var rest = new byte[1 << 16];
            while (Read(rest) > 0) { }
            return hash.GetHashAndReset();
        }

        public override int Read(byte[] buffer, int offset, int count) => Read(buffer.AsSpan(offset, count));

        public override int Read(Span<byte> buffer)
        {
            var read = of.Read(buffer);
            hash.AppendData(buffer[..read]);
            return read;
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

        protected override void Dispose(bool disposing)
        {
            if (disposing)
                hash.Dispose();
            base.Dispose(disposing);
        }
    }
}
