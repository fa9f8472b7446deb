using Npgsql;

namespace Assignum.Storage;

/// <summary>An event that was posted without a document that it names.</summary>
/// <param name="Body">As its system told it.</param>
/// <param name="AllocatedBy">The own event that applied the one to the other; null: none did.</param>
public sealed record UnmatchedRow(
    long Row,
    string Id,
    string Kind,
    string? Number,
    string Body,
    string Party,
    string Name,
    string? AllocatedBy
);

/// <summary>Keeps which events were posted without a document that they name.</summary>
public static class UnmatchedStore
{
    /// <summary>Those of some rows, or the next after one.</summary>
    public static async Task<IReadOnlyList<UnmatchedRow>> ListAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        long after,
        int limit,
        IReadOnlyCollection<long>? rows,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select u.row_id, e.id, e.kind, e."number", e.body, u.party, u."name", u.allocated_by
            from link_unmatched u join link_event e using (entity_id, connection_id, row_id)
            where u.entity_id = $1 and u.connection_id = $2 and u.row_id > $3
              and ($5::bigint[] is null or u.row_id = any($5)) order by u.row_id, u.party, u."name" limit $4
            """,
            at,
            after,
            limit,
            LinkSql.Maybe(rows?.ToArray(), NpgsqlTypes.NpgsqlDbType.Array | NpgsqlTypes.NpgsqlDbType.Bigint)
        );
        return await command.RowsAsync(
            r => new UnmatchedRow(
                r.GetInt64(0),
                r.GetString(1),
                r.GetString(2),
                r.Text(3),
                r.GetString(4),
                r.GetString(5),
                r.GetString(6),
                r.Text(7)
            ),
            stop
        );
    }

    /// <summary>Notes which own event applied the one to the other.</summary>
    public static async Task AllocatedAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        IReadOnlyList<(long Row, string Party, string Name, string By)> rows,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            update link_unmatched u set allocated_by = n.by
            from unnest($3::bigint[], $4::text[], $5::text[], $6::text[]) as n(row_id, party, "name", by)
            where u.entity_id = $1 and u.connection_id = $2 and u.row_id = n.row_id and u.party = n.party
              and u."name" = n."name"
            """,
            at,
            rows.Select(r => r.Row).ToArray(),
            rows.Select(r => r.Party).ToArray(),
            rows.Select(r => r.Name).ToArray(),
            rows.Select(r => r.By).ToArray()
        );
        await command.ExecuteNonQueryAsync(stop);
    }
}
