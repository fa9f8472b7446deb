using System.Text.Json;
using Assignum.Core.Books;
using Npgsql;
using NpgsqlTypes;

namespace Assignum.Storage;

/// <summary>What entries written by hand keep: templates, warnings passed over, what was turned back.</summary>
public static class HandStore
{
    private static readonly JsonSerializerOptions Written = new(JsonSerializerDefaults.Web);

    /// <summary>The lines of entries by hand whose warnings were passed over, the newest first.</summary>
    public static async Task<IReadOnlyList<PassedOver>> PassedAsync(
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
            select n."number", n.date, a."number", l.debit - l.credit, x.because, n.posted_by, n.posted_at
            from entry n join event v on v.entity_id = n.event_entity_id and v.event_id = n.event_id
            join entry_line l on l.entity_id = n.entity_id and l.entry_id = n.entry_id and l.event_line is not null
            join accounts a on a.entity_id = l.entity_id and a.account_id = l.account_id
            cross join lateral (select v.body::jsonb -> 'lines' -> l.event_line ->> 'because' as because) x
            where n.entity_id = $1 and n.kind in ('hand-entry', 'opening') and n.role = 'entry' and n.date between $2
              and $3
              and x.because is not null and n.remarks is not null
            order by n.entry_id desc, l.line_no limit $4
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
        var rows = new List<PassedOver>();
        while (await reader.ReadAsync(stop))
            rows.Add(
                new PassedOver(
                    reader.GetString(0),
                    reader.GetFieldValue<DateOnly>(1),
                    reader.GetString(2),
                    reader.GetDecimal(3),
                    reader.GetString(4),
                    reader.GetString(5),
                    reader.GetDateTime(6)
                )
            );
        return rows;
    }

    /// <summary>The entry by which an entry's event was turned back, and the one that it turns back.</summary>
    public static async Task<(string? By, string? Of)> TurnedAsync(
        NpgsqlConnection db,
        int entity,
        long entry,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select (select b."number" from event_reversal x join entry b on b.entity_id = $1 and b.event_id =
              x.by_event_id and
                b.role = 'entry' where x.entity_id = $1 and x.event_id = n.event_id limit 1),
              (select o."number" from event_reversal x join entry o on o.entity_id = $1 and o.event_id = x.event_id and
                o.role = 'entry' where x.entity_id = $1 and x.by_event_id = n.event_id limit 1)
            from entry n where n.entity_id = $1 and n.entry_id = $2 and n.event_entity_id = $1
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = entry },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        return await reader.ReadAsync(stop)
            ? (reader.IsDBNull(0) ? null : reader.GetString(0), reader.IsDBNull(1) ? null : reader.GetString(1))
            : (null, null);
    }

    /// <summary>The templates, by name.</summary>
    /// <param name="deleted">Those that were deleted, instead of those that are in use.</param>
    public static async Task<IReadOnlyList<EntryTemplate>> TemplatesAsync(
        NpgsqlConnection db,
        int entity,
        bool deleted,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            "select body::text, version from entry_template where entity_id = $1 and deleted = $2 order by \"name\"",
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = deleted },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var templates = new List<EntryTemplate>();
        while (await reader.ReadAsync(stop))
            if (JsonSerializer.Deserialize<EntryTemplate>(reader.GetString(0), Written) is { } template)
                templates.Add(template with { Version = reader.GetInt32(1) });
        return templates;
    }

    /// <summary>Keeps a template.</summary>
    /// <param name="template">With the version that it was seen in; 0: a new one.</param>
    /// <returns>Whether it was kept: false where somebody changed it meanwhile, or one of that name is there.</returns>
    public static async Task<bool> KeepTemplateAsync(
        NpgsqlConnection db,
        int entity,
        EntryTemplate template,
        bool deleted,
        string who,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            insert into entry_template as t (entity_id, "name", body, deleted, changed_by) select $1, $2, $3, $4, $5
            where $6 = 0 or exists (select from entry_template e where e.entity_id = $1 and e."name" = $2)
            on conflict (entity_id, "name") do update set version = t.version + 1, body = excluded.body, deleted =
              excluded.deleted, changed_by = excluded.changed_by, changed_at = now()
            where t.version = $6 or $6 = 0 and t.deleted
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = template.Name },
                new() { Value = JsonSerializer.Serialize(template, Written), NpgsqlDbType = NpgsqlDbType.Jsonb },
                new() { Value = deleted },
                new() { Value = who },
                new() { Value = template.Version },
            },
        };
        return await command.ExecuteNonQueryAsync(stop) == 1;
    }
}
