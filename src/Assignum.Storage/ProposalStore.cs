using Assignum.Core.Pairing;
using Npgsql;

namespace Assignum.Storage;

/// <summary>A proposal as it is kept.</summary>
/// <param name="Subject">Of which one pairing is looked for: theirs of a source, ours where entries go on.</param>
/// <param name="Place">0: the best of its subject.</param>
/// <param name="Lead">By how much its score is above the next one's.</param>
/// <param name="Doubled">Whether others have the same best one.</param>
public sealed record KeptProposal(
    string Subject,
    int Place,
    string Candidate,
    double Score,
    Evidence Evidence,
    bool Trap,
    bool Mutual,
    double Lead,
    bool Doubled
)
{
    /// <summary>What speaks for it and against, in sentences.</summary>
    public IReadOnlyList<string> Reasons => new Proposal(0, 0, Score, Trap, Mutual, Evidence).Reasons;
}

/// <summary>Keeps what was proposed, until it is proposed anew.</summary>
public static class ProposalStore
{
    private const string Columns = "subject, place, candidate, score, evidence, trap, mutual, lead, doubled";

    private static KeptProposal Read(NpgsqlDataReader r) =>
        new(
            r.GetString(0),
            r.GetInt16(1),
            r.GetString(2),
            r.GetFloat(3),
            (Evidence)r.GetInt32(4),
            r.GetBoolean(5),
            r.GetBoolean(6),
            r.GetFloat(7),
            r.GetBoolean(8)
        );

    /// <summary>Puts proposals in the place of those of the same kind of record.</summary>
    public static async Task ReplaceAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        string record,
        IEnumerable<KeptProposal> proposals,
        CancellationToken stop
    )
    {
        await using (
            var old = LinkSql.Of(
                db,
                "delete from link_proposal where entity_id = $1 and connection_id = $2 and record = $3",
                at,
                record
            )
        )
            await old.ExecuteNonQueryAsync(stop);
        await using var copy = await db.BeginBinaryImportAsync(
            $"copy link_proposal (entity_id, connection_id, record, {Columns}) from stdin (format binary)",
            stop
        );
        foreach (var p in proposals)
        {
            await copy.StartRowAsync(stop);
            await copy.WriteAsync(at.Entity, stop);
            await copy.WriteAsync(at.Connection, stop);
            await copy.WriteAsync(record, stop);
            await copy.WriteAsync(p.Subject, stop);
            await copy.WriteAsync((short)p.Place, stop);
            await copy.WriteAsync(p.Candidate, stop);
            await copy.WriteAsync((float)p.Score, stop);
            await copy.WriteAsync((int)p.Evidence, stop);
            await copy.WriteAsync(p.Trap, stop);
            await copy.WriteAsync(p.Mutual, stop);
            await copy.WriteAsync((float)p.Lead, stop);
            await copy.WriteAsync(p.Doubled, stop);
        }
        await copy.CompleteAsync(stop);
    }

    /// <summary>The best one of every subject.</summary>
    public static async Task<IReadOnlyList<KeptProposal>> BestAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        string record,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            $"""
            select {Columns} from link_proposal where entity_id = $1 and connection_id = $2 and record = $3
              and place = 0
            """,
            at,
            record
        );
        return await command.RowsAsync(Read, stop);
    }

    /// <summary>All of some subjects, the best first.</summary>
    public static async Task<ILookup<string, KeptProposal>> OfAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        string record,
        IEnumerable<string> subjects,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            $"""
            select {Columns} from link_proposal where entity_id = $1 and connection_id = $2 and record = $3
              and subject = any($4) order by subject, place
            """,
            at,
            record,
            subjects.ToArray()
        );
        return (await command.RowsAsync(Read, stop)).ToLookup(p => p.Subject, StringComparer.Ordinal);
    }

    /// <summary>A page of all, by score and subject.</summary>
    public static async Task<IReadOnlyList<KeptProposal>> PageAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        string record,
        (double Score, string Subject, int Place)? after,
        int limit,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            $"""
            select {Columns} from link_proposal where entity_id = $1 and connection_id = $2 and record = $3
              and ($4::real is null or score < $4 or score = $4 and (subject, place) > ($5, $6))
            order by score desc, subject, place limit $7
            """,
            at,
            record,
            LinkSql.Maybe(after is { } a ? (float)a.Score : null, NpgsqlTypes.NpgsqlDbType.Real),
            after?.Subject ?? "",
            (short)(after?.Place ?? 0),
            limit
        );
        return await command.RowsAsync(Read, stop);
    }
}
