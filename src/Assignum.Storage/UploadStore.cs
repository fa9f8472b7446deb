using Npgsql;

namespace Assignum.Storage;

/// <summary>Keeps an uploaded file between preview and import.</summary>
public static class UploadStore
{
    /// <summary>Stores a file for its uploader, and forgets those older than a day.</summary>
    public static async Task<Guid> KeepAsync(
        NpgsqlConnection db,
        int entity,
        string name,
        byte[] content,
        string who,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            with old as (delete from upload where at < now() - interval '1 day')
            insert into upload (entity_id, name, content, who) values ($1, $2, $3, $4) returning upload_id
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = name },
                new() { Value = content },
                new() { Value = who },
            },
        };
        return (Guid)(await command.ExecuteScalarAsync(stop))!;
    }

    /// <summary>The file, if this person uploaded it here.</summary>
    public static async Task<(string Name, byte[] Content)?> FindAsync(
        NpgsqlConnection db,
        int entity,
        Guid id,
        string who,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            "select name, content from upload where entity_id = $1 and upload_id = $2 and who = $3",
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = id },
                new() { Value = who },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        return await reader.ReadAsync(stop) ? (reader.GetString(0), reader.GetFieldValue<byte[]>(1)) : null;
    }
}
