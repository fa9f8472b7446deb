using Assignum.Core.Work;
using Npgsql;

namespace Assignum.Storage;

/// <summary>Keeps the documents that people rehearse in order.</summary>
public static class WorkbenchStore
{
    /// <summary>What somebody kept in an entity.</summary>
    public static async Task<WorkbenchRow> LoadAsync(
        NpgsqlConnection db,
        int entity,
        string who,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            "select documents, before, revision, last from workbench where entity_id = $1 and who = $2",
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = who },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        return await reader.ReadAsync(stop)
            ? new WorkbenchRow(reader.GetFieldValue<string[]>(0), reader.GetFieldValue<string[]>(1), reader.GetInt64(2))
            {
                Last = reader.IsDBNull(3) ? null : reader.GetString(3),
            }
            : new WorkbenchRow([], [], 0);
    }

    /// <summary>Keeps documents in place of those of a revision; false when somebody (another window) changed them
    /// since.</summary>
    public static async Task<bool> SaveAsync(
        NpgsqlConnection db,
        int entity,
        string who,
        IReadOnlyList<string> documents,
        long revision,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            insert into workbench as w (entity_id, who, documents, before) select $1, $2, $3, '{}' where $4 = 0 or
              exists (select from workbench where entity_id = $1 and who = $2)
            on conflict (entity_id, who) do update set documents = excluded.documents, before = w.documents, revision =
              w.revision + 1 where w.revision = $4
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = who },
                new() { Value = documents.ToArray() },
                new() { Value = revision },
            },
        };
        return await command.ExecuteNonQueryAsync(stop) == 1;
    }

    /// <summary>Keeps the document that somebody rehearsed last. The chain is no other by it, so its revision does not
    /// move.</summary>
    public static async Task NoteAsync(NpgsqlConnection db, int entity, string who, string last, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand(
            "insert into workbench (entity_id, who, documents, before, revision, last) values ($1, $2, '{}', '{}', 0, $3) "
                + "on conflict (entity_id, who) do update set last = excluded.last",
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = who },
                new() { Value = last },
            },
        };
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>Rewrites the documents that people keep in an entity. Inside the caller's transaction.</summary>
    public static async Task RewriteAsync(
        NpgsqlConnection db,
        int entity,
        Func<string, string> rewrite,
        CancellationToken stop
    )
    {
        var rows = new List<(string Who, string[] Documents, string[] Before, string? Last)>();
        await using (
            var command = new NpgsqlCommand(
                "select who, documents, before, last from workbench where entity_id = $1 for update",
                db
            )
            {
                Parameters = { new() { Value = entity } },
            }
        )
        await using (var reader = await command.ExecuteReaderAsync(stop))
            while (await reader.ReadAsync(stop))
                rows.Add(
                    (
                        reader.GetString(0),
                        reader.GetFieldValue<string[]>(1),
                        reader.GetFieldValue<string[]>(2),
                        reader.IsDBNull(3) ? null : reader.GetString(3)
                    )
                );
        foreach (var (who, documents, before, last) in rows)
        {
            string[] now = [.. documents.Select(rewrite)],
                then = [.. before.Select(rewrite)];
            var latest = last is null ? null : rewrite(last);
            if (now.AsSpan().SequenceEqual(documents) && then.AsSpan().SequenceEqual(before) && latest == last)
                continue;
            await using var update = new NpgsqlCommand(
                "update workbench set documents = $3, before = $4, last = $5, revision = revision + 1 where entity_id = $1 and "
                    + "who = $2",
                db
            )
            {
                Parameters =
                {
                    new() { Value = entity },
                    new() { Value = who },
                    new() { Value = now },
                    new() { Value = then },
                    new() { Value = (object?)latest ?? DBNull.Value, NpgsqlDbType = NpgsqlTypes.NpgsqlDbType.Text },
                },
            };
            await update.ExecuteNonQueryAsync(stop);
        }
    }
}
