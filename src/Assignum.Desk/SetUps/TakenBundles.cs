using System.IO.Compression;
using System.Security.Cryptography;
using System.Text;
using Assignum.Core.Editions;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Formats.Bundles;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk.SetUps;

/// <summary>The bundle that one that comes back was made from.</summary>
/// <param name="Brought">It was brought in, not taken out.</param>
/// <param name="Unchanged">What comes back is the very same: somebody wants it back, and only rows that are new here
/// since stay.</param>
public sealed record Origin(
    string Who,
    DateTime At,
    bool Brought,
    bool Unchanged,
    IReadOnlyDictionary<Part, IReadOnlyList<string?[]>> Rows
);

/// <summary>
/// Remembers bundles as they were taken out, and the last that was brought in, so that one that comes back can be told
/// apart from what went
/// on here meanwhile. Nothing is written into the bundle itself: it stays plain files that anybody can make, and equal
/// set-ups give equal bytes.
/// </summary>
public static class TakenBundles
{
    /// <summary>Remembers that somebody took a set-up out.</summary>
    public static async Task TakenOutAsync(
        DeskContext desk,
        EntityState state,
        SetUp setUp,
        string who,
        CancellationToken stop
    )
    {
        var parts = Parts.All.Select(p => Pack(p, p.Write(setUp))).ToList();
        await using var db = await desk.Database.OpenAsync(stop);
        await using var transaction = await db.BeginTransactionAsync(stop);
        await TakenStore.KeepAsync(db, state.Id, false, false, Digest(parts), parts, who, stop);
        await transaction.CommitAsync(stop);
    }

    /// <summary>Remembers what was brought in.</summary>
    /// <param name="anew">It came from none of those remembered, which are forgotten: what is here now does not come
    /// from them any more.</param>
    internal static async Task BroughtInAsync(
        NpgsqlConnection db,
        EntityState state,
        IReadOnlyDictionary<Part, IReadOnlyList<string?[]>> theirs,
        bool anew,
        string who,
        CancellationToken stop
    )
    {
        var parts = theirs.Select(t => Pack(t.Key, t.Value)).ToList();
        await TakenStore.KeepAsync(db, state.Id, true, anew, Digest(parts), parts, who, stop);
    }

    /// <summary>The remembered bundle that one was most likely made from: at least half of the rows are of the same
    /// keys, and the fewest differ; of equal ones one of whoever brings it, then the newest. Null: none is like
    /// it.</summary>
    internal static async Task<Origin?> FindAsync(
        NpgsqlConnection db,
        EntityState state,
        IReadOnlyDictionary<Part, IReadOnlyList<string?[]>> theirs,
        string who,
        CancellationToken stop
    )
    {
        var heads = await TakenStore.ListAsync(db, state.Id, stop);
        if (heads.Count == 0)
            return null;
        var digests = theirs.ToDictionary(t => t.Key, t => Pack(t.Key, t.Value).Digest);
        var read = new Dictionary<(string Part, string Digest), IReadOnlyList<string?[]>>();
        async Task<IReadOnlyList<string?[]>> RowsAsync(TakenHead head, Part part)
        {
            var known = (part.Name, head.Parts[part.Name].Digest);
            if (!read.TryGetValue(known, out var rows))
                read[known] = rows = Unpack(
                    part,
                    await TakenStore.ContentAsync(db, state.Id, head.Id, part.Name, stop)
                );
            return rows;
        }

        var likely = new List<(TakenHead Head, int Differing)>();
        foreach (var head in heads)
        {
            var (all, shared, differing) = (0, 0, 0);
            foreach (var (part, rows) in theirs)
            {
                if (!head.Parts.TryGetValue(part.Name, out var its))
                    continue;
                all += Math.Max(rows.Count, its.Rows);
                if (its.Digest == digests[part])
                {
                    shared += rows.Count;
                    continue;
                }
                var (common, other) = BundleMerge.Likeness(part, await RowsAsync(head, part), rows);
                (shared, differing) = (shared + common, differing + other);
            }
            if (all > 0 && shared * 2 >= all)
                likely.Add((head, differing));
        }
        if (likely.Count == 0)
            return null;
        var (origin, edited) = likely
            .OrderBy(l => l.Differing)
            .ThenByDescending(l => l.Head.Who == who)
            .ThenByDescending(l => l.Head.At)
            .First();
        var taken = new Dictionary<Part, IReadOnlyList<string?[]>>();
        foreach (var part in theirs.Keys)
            if (origin.Parts.TryGetValue(part.Name, out var its))
                taken[part] = its.Digest == digests[part] ? theirs[part] : await RowsAsync(origin, part);
        return new Origin(origin.Who, origin.At, origin.Brought, edited == 0, taken);
    }

    private static TakenPart Pack(Part part, IReadOnlyList<string?[]> rows)
    {
        using var plain = new MemoryStream();
        CsvSheet.Write(part, rows, plain);
        var bytes = plain.ToArray();
        using var packed = new MemoryStream();
        using (var to = new BrotliStream(packed, CompressionLevel.Fastest, leaveOpen: true))
            to.Write(bytes);
        return new TakenPart(part.Name, Convert.ToHexStringLower(SHA256.HashData(bytes)), rows.Count, packed.ToArray());
    }

    private static IReadOnlyList<string?[]> Unpack(Part part, byte[] content)
    {
        using var from = new BrotliStream(new MemoryStream(content), CompressionMode.Decompress);
        using var plain = new MemoryStream();
        from.CopyTo(plain);
        plain.Position = 0;
        // A part may have got columns since: what it lacks is as if nothing were said.
        return CsvSheet.Read(part, plain, []) is { } sheet
            ?
            [
                .. sheet.Rows.Select(r =>
                    r.Cells.Select((c, i) => sheet.Columns.Contains(i) ? c : part.Columns[i].Unset).ToArray()
                ),
            ]
            : [];
    }

    private static string Digest(IEnumerable<TakenPart> parts) =>
        Convert.ToHexStringLower(
            SHA256.HashData(
                Encoding.UTF8.GetBytes(
                    string.Join(
                        '\n',
                        parts.OrderBy(p => p.Part, StringComparer.Ordinal).Select(p => $"{p.Part} {p.Digest}")
                    )
                )
            )
        );
}
