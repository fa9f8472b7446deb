using System.Text.Json;
using Npgsql;
using NpgsqlTypes;

namespace Assignum.Storage;

/// <summary>Why a period was closed or opened.</summary>
/// <param name="Passed">What was in the way and was passed over, in sentences.</param>
public sealed record PeriodAct(
    DateOnly From,
    DateOnly To,
    string Status,
    string? Reason,
    IReadOnlyList<string> Passed,
    string Who,
    DateTime At
);

/// <summary>Keeps who closed and opened periods, and why.</summary>
public static class PeriodStore
{
    /// <summary>Writes down an act.</summary>
    public static async Task AddAsync(
        NpgsqlConnection db,
        int entity,
        DateOnly from,
        DateOnly to,
        string status,
        string? reason,
        IReadOnlyList<string> passed,
        string who,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            insert into period_act (entity_id, "from", "to", status, reason, passed, who) values ($1, $2, $3, $4, $5,
              $6, $7)
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = from },
                new() { Value = to },
                new() { Value = status },
                new() { Value = (object?)reason ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Text },
                new() { Value = JsonSerializer.Serialize(passed), NpgsqlDbType = NpgsqlDbType.Jsonb },
                new() { Value = who },
            },
        };
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>The newest act of each period.</summary>
    public static async Task<IReadOnlyList<PeriodAct>> NewestAsync(
        NpgsqlConnection db,
        int entity,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select distinct on ("from", "to") "from", "to", status, reason, passed::text, who, at from period_act
            where entity_id = $1 order by "from", "to", act_id desc
            """,
            db
        )
        {
            Parameters = { new() { Value = entity } },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var acts = new List<PeriodAct>();
        while (await reader.ReadAsync(stop))
            acts.Add(
                new PeriodAct(
                    reader.GetFieldValue<DateOnly>(0),
                    reader.GetFieldValue<DateOnly>(1),
                    reader.GetString(2),
                    reader.IsDBNull(3) ? null : reader.GetString(3),
                    JsonSerializer.Deserialize<List<string>>(reader.GetString(4)) ?? [],
                    reader.GetString(5),
                    reader.GetDateTime(6)
                )
            );
        return acts;
    }

    /// <summary>Events of a stretch that are likely the same: of one kind, party, day and total, from one source.</summary>
    public static async Task<IReadOnlyList<(string First, string Second)>> LikelyDoublesAsync(
        NpgsqlConnection db,
        int entity,
        DateOnly from,
        DateOnly to,
        int limit,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select min(n."number"), max(n."number") from entry n
            where n.entity_id = $1 and n.date between $2 and $3 and n.role = 'entry' and n.party is not null and
              n.kind in
              ('supplier-invoice', 'sales-invoice', 'customer-payment', 'supplier-payment')
            group by n.kind, n.party, n.date, n.total, n.currency having count(*) > 1
            order by 1 limit $4
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = from },
                new() { Value = to },
                new() { Value = limit },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var doubles = new List<(string, string)>();
        while (await reader.ReadAsync(stop))
            doubles.Add((reader.GetString(0), reader.GetString(1)));
        return doubles;
    }
}
