using Assignum.Core.Calendar;
using Assignum.Core.Editions;
using Npgsql;

namespace Assignum.Storage;

/// <summary>Reads and opens editions.</summary>
public static class EditionStore
{
    private const string Columns =
        "edition_id, number, status, based_on, valid_from, note, revision, opened_by, opened_at, published_by, "
        + "published_at, name, merged_into, what_if, former_number";

    /// <summary>An entity with its editions by code, or null.</summary>
    /// <param name="lock">Hold the entity until the transaction ends, so that nobody else changes it. Rows that refer
    /// to it can still be written: a
    /// posting that goes on does not wait for one who waits for it.</param>
    public static async Task<EntityState?> StateAsync(
        NpgsqlConnection db,
        string code,
        bool @lock,
        CancellationToken stop
    )
    {
        await using var batch = new NpgsqlBatch(db);
        var first = new NpgsqlBatchCommand(
            "select entity_id, code, name, currency, records_revision, fiscal_year_start, time_zone from entity where code = "
                + $"$1{(@lock ? " for no key update" : "")}"
        );
        first.Parameters.Add(new() { Value = code });
        var second = new NpgsqlBatchCommand(
            $"select {Columns} from edition where entity_id = (select entity_id from entity where code = $1) order "
                + "by edition_id"
        );
        second.Parameters.Add(new() { Value = code });
        batch.BatchCommands.Add(first);
        batch.BatchCommands.Add(second);
        await using var reader = await batch.ExecuteReaderAsync(stop);
        if (!await reader.ReadAsync(stop))
            return null;
        var state = new EntityState(
            reader.GetInt32(0),
            reader.GetString(1),
            reader.GetString(2),
            reader.GetString(3),
            reader.GetInt64(4),
            [],
            []
        )
        {
            Calendar = new EntityCalendar(
                reader.IsDBNull(5) ? null : reader.GetString(5),
                reader.IsDBNull(6) ? null : reader.GetString(6)
            ),
        };
        await reader.NextResultAsync(stop);
        var (editions, whatIfs) = (new List<EditionRow>(), new List<EditionRow>());
        while (await reader.ReadAsync(stop))
            (reader.GetBoolean(13) ? whatIfs : editions).Add(Row(reader));
        return state with { Editions = editions, WhatIfs = whatIfs };
    }

    /// <summary>Opens the draft, or a what-if of a name, on the latest edition; one row is written.</summary>
    public static async Task<EditionRow> OpenDraftAsync(
        NpgsqlConnection db,
        EntityState entity,
        string who,
        CancellationToken stop,
        string? whatIf = null
    )
    {
        await using var command = new NpgsqlCommand(
            $"""
            insert into edition (entity_id, edition_id, status, based_on, opened_by, what_if, name)
            values ($1, (select coalesce(max(edition_id), 0) + 1 from edition where entity_id = $1), 'draft', $2, $3, $4
              is not null, $4)
            returning {Columns}
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity.Id },
                new() { Value = entity.Latest?.Number ?? 0 },
                new() { Value = who },
                new() { Value = (object?)whatIf ?? DBNull.Value, NpgsqlDbType = NpgsqlTypes.NpgsqlDbType.Text },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        await reader.ReadAsync(stop);
        return Row(reader);
    }

    /// <summary>Marks what was changed as changed: the records, the draft, or both.</summary>
    /// <returns>The revisions that stand now; null of what was not moved.</returns>
    public static async Task<(long? Records, long? Draft)> TouchAsync(
        NpgsqlConnection db,
        int entity,
        int? draft,
        CancellationToken stop,
        bool records = true
    )
    {
        await using var command = new NpgsqlCommand(
            """
            with moved as (
              update entity set records_revision = records_revision + 1 where entity_id = $1 and $3
              returning records_revision),
            turned as (update edition set revision = revision + 1 where entity_id = $1 and edition_id = $2 returning
              revision)
            select (select records_revision from moved), (select revision from turned)
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = draft ?? -1 },
                new() { Value = records },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        await reader.ReadAsync(stop);
        return (reader.IsDBNull(0) ? null : reader.GetInt64(0), reader.IsDBNull(1) ? null : reader.GetInt64(1));
    }

    /// <summary>Gives the draft a name: it stands beside the draft from here on, as a what-if.</summary>
    public static async Task SetAsideAsync(
        NpgsqlConnection db,
        int entity,
        int draft,
        string name,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            "update edition set what_if = true, name = $3 where entity_id = $1 and edition_id = $2 and status = "
                + "'draft'",
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = draft },
                new() { Value = name },
            },
        };
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>Writes into which draft a what-if was merged; it is done with then.</summary>
    public static async Task MergedAsync(NpgsqlConnection db, int entity, int whatIf, int into, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand(
            "update edition set merged_into = $3, status = 'discarded' where entity_id = $1 and edition_id = $2",
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = whatIf },
                new() { Value = into },
            },
        };
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>Empties a draft and puts it on another edition. Inside the caller's transaction.</summary>
    public static async Task PutOnAsync(NpgsqlConnection db, int entity, int draft, int number, CancellationToken stop)
    {
        await using var batch = new NpgsqlBatch(db);
        foreach (
            var sql in PartTable
                .AllHeld.Select(t => $"delete from {t.Name} where entity_id = $1 and draft = $2")
                .Append("delete from membership where entity_id = $1 and draft = $2")
                .Append("delete from draft_removal where entity_id = $1 and edition_id = $2")
                .Append("update edition set based_on = $3 where entity_id = $1 and edition_id = $2")
        )
        {
            var command = new NpgsqlBatchCommand(sql);
            command.Parameters.Add(new() { Value = entity });
            command.Parameters.Add(new() { Value = draft });
            if (sql.Contains("$3", StringComparison.Ordinal))
                command.Parameters.Add(new() { Value = number });
            batch.BatchCommands.Add(command);
        }
        await batch.ExecuteNonQueryAsync(stop);
    }

    /// <summary>Writes that somebody approved a draft as it is.</summary>
    public static async Task ApproveAsync(
        NpgsqlConnection db,
        int entity,
        EditionRow draft,
        string who,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            "insert into approval (entity_id, edition_id, revision, who) values ($1, $2, $3, $4) on conflict do "
                + "nothing",
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = draft.Id },
                new() { Value = draft.Revision },
                new() { Value = who },
            },
        };
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>Who approved a draft as it is now, and when.</summary>
    public static async Task<IReadOnlyList<(string Who, DateTime At)>> ApprovalsAsync(
        NpgsqlConnection db,
        int entity,
        EditionRow draft,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            "select who, at from approval where entity_id = $1 and edition_id = $2 and revision = $3 order by at",
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = draft.Id },
                new() { Value = draft.Revision },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var approvals = new List<(string, DateTime)>();
        while (await reader.ReadAsync(stop))
            approvals.Add((reader.GetString(0), reader.GetDateTime(1)));
        return approvals;
    }

    /// <summary>Makes a draft a discarded one or the other way; its rows stay and are seen by nobody else.</summary>
    public static async Task TurnAsync(
        NpgsqlConnection db,
        int entity,
        int draft,
        string status,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            "update edition set status = $3 where entity_id = $1 and edition_id = $2 and status in ('draft', "
                + "'discarded')",
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = draft },
                new() { Value = status },
            },
        };
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>Gives a draft its number and day. The rows it holds are turned by <see
    /// cref="SetUpStore.PublishAsync"/>.</summary>
    public static async Task MarkPublishedAsync(
        NpgsqlConnection db,
        int entity,
        int draft,
        int number,
        DateOnly from,
        string? note,
        string who,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            update edition set status = 'published', number = $3, valid_from = $4, note = $5, published_by = $6,
              published_at = now()
            where entity_id = $1 and edition_id = $2 and status = 'draft'
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = draft },
                new() { Value = number },
                new() { Value = from },
                new() { Value = (object?)note ?? DBNull.Value },
                new() { Value = who },
            },
        };
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>
    /// How many rows of a draft differ from the edition it is based on: a row that is changed counts once, one that was
    /// changed and changed back
    /// not at all, a record's place in a group that waits once.
    /// </summary>
    public static async Task<int> DraftSizeAsync(NpgsqlConnection db, int entity, int draft, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand(
            $"select ({DifferingRows} + (select count(*) from membership where entity_id = $1 and draft = $2))::int",
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = draft },
            },
        };
        return (int)(await command.ExecuteScalarAsync(stop))!;
    }

    // The draft's own rows beside those it takes away, by key; what is alike is no difference.
    private static readonly string DifferingRows = string.Join(
        " + ",
        PartTable.AllHeld.Select(t =>
            $"""
                (select count(*) from (select {t.KeyExpression} as key, {t.ColumnList} from {t.Name} where entity_id =
                  $1 and draft = $2) own
                 full join (select {t.KeyExpression} as key, {t.ColumnList} from {t.Name} where (entity_id, row_id) in
                              (select entity_id, row_id from draft_removal where entity_id = $1 and edition_id = $2 and
                                part = '{t.Name}')) base using (key)
                 where ({t.Columns("own")}) is distinct from ({t.Columns("base")}))
                """
        )
    );

    /// <summary>Whether anything was posted or kept under an edition. Its first day bounds what is looked
    /// through.</summary>
    public static async Task<bool> PostedUnderAsync(
        NpgsqlConnection db,
        int entity,
        int number,
        DateOnly from,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select exists (select from entry where entity_id = $1 and date >= $3 and edition = $2) or exists (select
              from event where entity_id = $1 and edition = $2 and date >= $3)
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = number },
                new() { Value = from },
            },
        };
        return (bool)(await command.ExecuteScalarAsync(stop))!;
    }

    /// <summary>Makes a published edition a what-if of that name; its number is nobody's from here on. Its rows are
    /// turned by <see cref="SetUpStore.WithdrawAsync"/>.</summary>
    public static async Task MarkWithdrawnAsync(
        NpgsqlConnection db,
        int entity,
        int edition,
        string name,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            update edition set status = 'draft', what_if = true, name = $3, former_number = number, number = null,
              valid_from = null, published_by = null, published_at = null, revision = revision + 1
            where entity_id = $1 and edition_id = $2 and status = 'published'
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = edition },
                new() { Value = name },
            },
        };
        await command.ExecuteNonQueryAsync(stop);
    }

    private static EditionRow Row(NpgsqlDataReader reader) =>
        new(
            reader.GetInt32(0),
            reader.IsDBNull(1) ? null : reader.GetInt32(1),
            reader.GetString(2),
            reader.GetInt32(3),
            reader.IsDBNull(4) ? null : reader.GetFieldValue<DateOnly>(4),
            reader.IsDBNull(5) ? null : reader.GetString(5),
            reader.GetInt64(6),
            reader.GetString(7),
            reader.GetDateTime(8),
            reader.IsDBNull(9) ? null : reader.GetString(9),
            reader.IsDBNull(10) ? null : reader.GetDateTime(10),
            reader.IsDBNull(11) ? null : reader.GetString(11),
            reader.IsDBNull(12) ? null : reader.GetInt32(12),
            reader.IsDBNull(14) ? null : reader.GetInt32(14)
        );
}
