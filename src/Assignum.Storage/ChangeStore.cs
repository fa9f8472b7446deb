using Assignum.Core.Tables;
using Assignum.Core.Tables.Foreign;
using Assignum.Core.SetUps;
using Npgsql;
using NpgsqlTypes;

namespace Assignum.Storage;

/// <summary>A change that was made, without its rows.</summary>
/// <param name="Draft">The draft it was made in; null where it changed records only.</param>
/// <param name="DraftOpen">Whether that draft is still one.</param>
public sealed record ChangeHead(
    long Id,
    DateTime At,
    string Who,
    string What,
    string? Reason,
    int? Draft,
    bool DraftOpen,
    int Rows,
    long? Undoes,
    long? UndoneBy
);

/// <summary>Keeps what was changed, so that it can be read and undone.</summary>
public static class ChangeStore
{
    /// <summary>Writes a change with its rows; returns its number. Inside the caller's transaction.</summary>
    public static async Task<long> KeepAsync(
        NpgsqlConnection db,
        int entity,
        string who,
        string what,
        string? reason,
        int? draft,
        IReadOnlyList<RowChange> changes,
        long? undoes,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            with made as (insert into change (entity_id, who, what, reason, draft, rows, undoes) values ($1, $2, $3, $4,
              $5, $6, $7) returning change_id),
            undone as (update change set undone_by = (select change_id from made) where entity_id = $1 and change_id =
              $7)
            select change_id from made
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = who },
                new() { Value = what },
                new() { Value = (object?)reason ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Text },
                new() { Value = (object?)draft ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Integer },
                new() { Value = changes.Count },
                new() { Value = (object?)undoes ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Bigint },
            },
        };
        var id = (long)(await command.ExecuteScalarAsync(stop))!;
        await using var import = await db.BeginBinaryImportAsync(
            "copy change_row (entity_id, change_id, row_no, part, key, before, after) from stdin (format binary)",
            stop
        );
        for (var i = 0; i < changes.Count; i++)
        {
            import.StartRow();
            import.Write(entity, NpgsqlDbType.Integer);
            import.Write(id, NpgsqlDbType.Bigint);
            import.Write(i + 1, NpgsqlDbType.Integer);
            import.Write(changes[i].Part.Name, NpgsqlDbType.Text);
            import.Write(changes[i].Key, NpgsqlDbType.Text);
            WriteCells(import, changes[i].Before);
            WriteCells(import, changes[i].After);
        }
        await import.CompleteAsync(stop);
        return id;
    }

    /// <summary>The newest changes first; of one draft where it is given.</summary>
    public static async Task<IReadOnlyList<ChangeHead>> ListAsync(
        NpgsqlConnection db,
        int entity,
        int? draft,
        int limit,
        CancellationToken stop
    ) =>
        await HeadsAsync(
            db,
            "($2::integer is null or c.draft = $2) order by c.change_id desc limit $3",
            entity,
            draft,
            limit,
            stop
        );

    /// <summary>One change, or null.</summary>
    public static async Task<ChangeHead?> FindAsync(NpgsqlConnection db, int entity, long id, CancellationToken stop) =>
        await HeadsAsync(db, "c.change_id = $3 and $2::integer is null", entity, null, id, stop) is [var head]
            ? head
            : null;

    /// <summary>The rows of a change, in order.</summary>
    public static async Task<IReadOnlyList<RowChange>> RowsAsync(
        NpgsqlConnection db,
        int entity,
        long id,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            "select part, key, before, after from change_row where entity_id = $1 and change_id = $2 order by row_no",
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = id },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var rows = new List<RowChange>();
        while (await reader.ReadAsync(stop))
        {
            var (before, after) = (Cells(reader, 2), Cells(reader, 3));
            rows.Add(
                new RowChange(
                    Parts.Find(reader.GetString(0))!,
                    before is null ? ChangeKind.Added
                        : after is null ? ChangeKind.Removed
                        : ChangeKind.Changed,
                    reader.GetString(1),
                    before,
                    after
                )
            );
        }
        return rows;
    }

    /// <summary>The newest change after one that stands and touches a row of it, or null: undoing would go under
    /// it.</summary>
    /// <remarks>A change stands where nothing undid it, or where the undoing was undone itself.</remarks>
    public static async Task<ChangeHead?> BuiltOnAsync(NpgsqlConnection db, int entity, long id, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand(
            """
            with recursive touching as (
              select distinct c.change_id from change_row o
              join change_row r on r.entity_id = o.entity_id and r.part = o.part and r.key = o.key and r.change_id >
                o.change_id
              join change c on c.entity_id = r.entity_id and c.change_id = r.change_id
              where o.entity_id = $1 and o.change_id = $2 and c.undoes is null),
            chain(root, at, undone_by, turns) as (
              select c.change_id, c.change_id, c.undone_by, 0 from touching join change c on c.entity_id = $1 and
                c.change_id = touching.change_id
              union all
              select chain.root, c.change_id, c.undone_by, chain.turns + 1 from chain join change c on c.entity_id = $1
                and c.change_id = chain.undone_by)
            select max(root) from chain where undone_by is null and turns % 2 = 0
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = id },
            },
        };
        return await command.ExecuteScalarAsync(stop) is long newest ? await FindAsync(db, entity, newest, stop) : null;
    }

    private static async Task<List<ChangeHead>> HeadsAsync(
        NpgsqlConnection db,
        string where,
        int entity,
        int? draft,
        long last,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            $"""
            select c.change_id, c.at, c.who, c.what, c.reason, c.draft, coalesce(e.status = 'draft', false), c.rows,
              c.undoes, c.undone_by
            from change c left join edition e on e.entity_id = c.entity_id and e.edition_id = c.draft
            where c.entity_id = $1 and {where}
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = (object?)draft ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Integer },
                new() { Value = last },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var heads = new List<ChangeHead>();
        while (await reader.ReadAsync(stop))
            heads.Add(
                new ChangeHead(
                    reader.GetInt64(0),
                    reader.GetDateTime(1),
                    reader.GetString(2),
                    reader.GetString(3),
                    reader.IsDBNull(4) ? null : reader.GetString(4),
                    reader.IsDBNull(5) ? null : reader.GetInt32(5),
                    reader.GetBoolean(6),
                    reader.GetInt32(7),
                    reader.IsDBNull(8) ? null : reader.GetInt64(8),
                    reader.IsDBNull(9) ? null : reader.GetInt64(9)
                )
            );
        return heads;
    }

    private static void WriteCells(NpgsqlBinaryImporter import, string?[]? cells)
    {
        if (cells is null)
            import.WriteNull();
        else
            import.Write(cells, NpgsqlDbType.Array | NpgsqlDbType.Text);
    }

    private static string?[]? Cells(NpgsqlDataReader reader, int ordinal) =>
        reader.IsDBNull(ordinal) ? null : reader.GetFieldValue<string?[]>(ordinal);
}
