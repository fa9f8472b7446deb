using Assignum.Core.Books;
using Npgsql;
using NpgsqlTypes;

namespace Assignum.Storage;

/// <summary>What is kept of projects and what the journal says of them.</summary>
public static class ProjectStore
{
    /// <summary>The estimates, by project.</summary>
    public static async Task<IReadOnlyDictionary<string, ProjectEstimate>> EstimatesAsync(
        NpgsqlConnection db,
        int entity,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            "select project, estimated_cost, contract_value, complete, version from project_estimate where entity_id = $1",
            db
        )
        {
            Parameters = { new() { Value = entity } },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var kept = new Dictionary<string, ProjectEstimate>(StringComparer.Ordinal);
        while (await reader.ReadAsync(stop))
            kept[reader.GetString(0)] = new ProjectEstimate(
                reader.GetString(0),
                reader.IsDBNull(1) ? null : reader.GetDecimal(1),
                reader.IsDBNull(2) ? null : reader.GetDecimal(2),
                reader.GetBoolean(3),
                reader.GetInt32(4)
            );
        return kept;
    }

    /// <summary>Keeps an estimate that was seen in its version.</summary>
    /// <returns>Whether it was kept: false where somebody changed it meanwhile.</returns>
    public static async Task<bool> KeepAsync(
        NpgsqlConnection db,
        int entity,
        ProjectEstimate estimate,
        string who,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            insert into project_estimate as p (entity_id, project, estimated_cost, contract_value, complete, changed_by)
            select $1, $2, $3, $4, $5, $6
            where $7 = 0 or exists (select from project_estimate e where e.entity_id = $1 and e.project = $2)
            on conflict (entity_id, project) do update set estimated_cost = excluded.estimated_cost, contract_value =
              excluded.contract_value, complete = excluded.complete, changed_by = excluded.changed_by, changed_at =
                now(),
              version = p.version + 1 where p.version = $7
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = estimate.Project },
                new() { Value = (object?)estimate.EstimatedCost ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Numeric },
                new() { Value = (object?)estimate.ContractValue ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Numeric },
                new() { Value = estimate.Complete },
                new() { Value = who },
                new() { Value = estimate.Version },
            },
        };
        return await command.ExecuteNonQueryAsync(stop) == 1;
    }

    /// <summary>What lines of projects come to up to and with a day, by project, purpose, account and whether they
    /// recognise; debit less credit.</summary>
    public static async Task<
        IReadOnlyList<(string Project, string? Purpose, string Account, bool Recognises, decimal Amount)>
    > SumsAsync(NpgsqlConnection db, int entity, DateOnly at, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand(
            """
            select s.project, s.purpose, a."number", s.recognises, s.amount
            from (select l.project, l.purpose, l.account_id, coalesce(n.counts_as, n.kind) = 'project-recognised' as
              recognises,
                    sum(l.debit - l.credit) as amount
                  from entry_line l join entry n on n.entity_id = l.entity_id and n.entry_id = l.entry_id
                  where l.entity_id = $1 and l.project is not null and l.date <= $2 group by 1, 2, 3, 4) s
            join accounts a on a.entity_id = $1 and a.account_id = s.account_id
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = at },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var sums = new List<(string, string?, string, bool, decimal)>();
        while (await reader.ReadAsync(stop))
            sums.Add(
                (
                    reader.GetString(0),
                    reader.IsDBNull(1) ? null : reader.GetString(1),
                    reader.GetString(2),
                    reader.GetBoolean(3),
                    reader.GetDecimal(4)
                )
            );
        return sums;
    }

    /// <summary>The ids of the events by which projects recognised on a day, with whether they were turned back.</summary>
    public static async Task<IReadOnlyList<(string Id, string? Number, bool TurnedBack)>> RecognisedAsync(
        NpgsqlConnection db,
        int entity,
        DateOnly at,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select v.external_id, n."number", exists (select from event_reversal x where x.entity_id = $1 and
              x.event_id =
              v.event_id)
            from event v left join entry n on n.entity_id = $1 and n.event_entity_id = $1 and n.event_id = v.event_id
              and
              n.role = 'entry'
            where v.entity_id = $1 and v.source = 'own' and v.kind = 'project-recognised' and v.date = $2
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = at },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var rows = new List<(string, string?, bool)>();
        while (await reader.ReadAsync(stop))
            rows.Add((reader.GetString(0), reader.IsDBNull(1) ? null : reader.GetString(1), reader.GetBoolean(2)));
        return rows;
    }
}
