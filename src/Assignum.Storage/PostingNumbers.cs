using Npgsql;

namespace Assignum.Storage;

/// <summary>The numbers that entries and events get next, and the right to take them: who holds it posts.</summary>
public static class PostingNumbers
{
    /// <summary>Takes the right to post in an entity until the transaction ends; returns the next event and entry
    /// ids.</summary>
    public static Task<(long Event, long Entry)> HoldAsync(NpgsqlConnection db, int entity, CancellationToken stop) =>
        NextAsync(db, entity, stop, hold: true);

    /// <summary>The next event and entry ids: they change with whatever is posted.</summary>
    public static async Task<(long Event, long Entry)> NextAsync(
        NpgsqlConnection db,
        int entity,
        CancellationToken stop,
        bool hold = false
    )
    {
        await using var command = new NpgsqlCommand(
            $"select next_event, next_entry from posting where entity_id = $1{(hold ? " for update" : "")}",
            db
        )
        {
            Parameters = { new() { Value = entity } },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        await reader.ReadAsync(stop);
        return (reader.GetInt64(0), reader.GetInt64(1));
    }

    /// <summary>Stores the next ids and, for each year posted into, the next number.</summary>
    public static async Task AdvanceAsync(
        NpgsqlConnection db,
        int entity,
        long nextEvent,
        long nextEntry,
        IReadOnlyDictionary<int, int> years,
        CancellationToken stop
    )
    {
        await using var batch = new NpgsqlBatch(db);
        var ids = new NpgsqlBatchCommand("update posting set next_event = $2, next_entry = $3 where entity_id = $1");
        ids.Parameters.Add(new() { Value = entity });
        ids.Parameters.Add(new() { Value = nextEvent });
        ids.Parameters.Add(new() { Value = nextEntry });
        batch.BatchCommands.Add(ids);
        foreach (var (year, next) in years)
        {
            var command = new NpgsqlBatchCommand(
                "insert into posting_year values ($1, $2, $3) on conflict (entity_id, year) do update set next = "
                    + "excluded.next"
            );
            command.Parameters.Add(new() { Value = entity });
            command.Parameters.Add(new() { Value = year });
            command.Parameters.Add(new() { Value = next });
            batch.BatchCommands.Add(command);
        }
        await batch.ExecuteNonQueryAsync(stop);
    }

    /// <summary>The next number of each year that has one.</summary>
    public static async Task<Dictionary<int, int>> YearsAsync(NpgsqlConnection db, int entity, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand("select year, next from posting_year where entity_id = $1", db)
        {
            Parameters = { new() { Value = entity } },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var years = new Dictionary<int, int>();
        while (await reader.ReadAsync(stop))
            years[reader.GetInt32(0)] = reader.GetInt32(1);
        return years;
    }
}
