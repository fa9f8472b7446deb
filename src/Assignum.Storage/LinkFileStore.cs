using Assignum.Core.Feeding;
using Npgsql;

namespace Assignum.Storage;

/// <summary>Keeps which files were taken: each once by its content.</summary>
public static class LinkFileStore
{
    /// <summary>Notes a file; null: it was taken before.</summary>
    public static async Task<long?> BeginAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        string name,
        byte[] content,
        string who,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            insert into link_file (entity_id, connection_id, "name", content, who) values ($1, $2, $3, $4, $5)
            on conflict (entity_id, connection_id, content) do nothing returning file_id
            """,
            at,
            name,
            content,
            who
        );
        return await command.ExecuteScalarAsync(stop) as long?;
    }

    /// <summary>Notes what was in it.</summary>
    public static async Task EndAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        long file,
        int documents,
        int fresh,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            "update link_file set documents = $4, fresh = $5 where entity_id = $1 and connection_id = $2 and file_id = $3",
            at,
            file,
            documents,
            fresh
        );
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>The newest that were taken.</summary>
    public static async Task<IReadOnlyList<LinkFile>> ListAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        int limit,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select file_id, "name", documents, fresh, who, at from link_file where entity_id = $1 and connection_id = $2
            order by file_id desc limit $3
            """,
            at,
            limit
        );
        return await command.RowsAsync(
            r => new LinkFile(
                r.GetInt64(0),
                r.GetString(1),
                r.GetInt32(2),
                r.GetInt32(3),
                r.GetString(4),
                r.GetDateTime(5)
            ),
            stop
        );
    }

    /// <summary>The columns of CSV files as they were taken first; null: none was.</summary>
    public static async Task<string[]?> ColumnsAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            "select csv_columns from connection where entity_id = $1 and connection_id = $2",
            at
        );
        return await command.ExecuteScalarAsync(stop) as string[];
    }

    /// <summary>Remembers the columns of CSV files.</summary>
    public static async Task SetColumnsAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        string[] columns,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            "update connection set csv_columns = $3 where entity_id = $1 and connection_id = $2",
            at,
            columns
        );
        await command.ExecuteNonQueryAsync(stop);
    }
}
