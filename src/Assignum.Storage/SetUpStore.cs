using Assignum.Core.Tables;
using Npgsql;

namespace Assignum.Storage;

/// <summary>Changes what editions hold and the records beside it.</summary>
public static class SetUpStore
{
    /// <summary>Applies a plan's changes: edition-held rows to the draft, records at once. Inside the caller's
    /// transaction.</summary>
    /// <param name="view">The draft.</param>
    /// <param name="inForce">Number of the edition in force today; null where nothing is published.</param>
    /// <param name="accountInUse">Accounts whose terms only the draft may change.</param>
    /// <returns>Whether a record's place in a group waits with the draft, and whether rows were changed in place
    /// only.</returns>
    public static async Task<(bool Waits, bool Plain)> ApplyAsync(
        NpgsqlConnection db,
        int entity,
        EditionView view,
        int? inForce,
        IReadOnlyList<RowChange> changes,
        Func<string, bool> accountInUse,
        string who,
        CancellationToken stop
    )
    {
        var asked = changes;
        await ChartStore.RenumberAsync(db, entity, Renumbering.In(changes), who, stop);
        foreach (var ((kind, from), to) in GroupRenaming.In(changes))
            await GroupStore.RenameAsync(db, entity, kind, from, to, stop);
        await HistoryAsync(db, entity, [.. changes.Where(SetUpEdit.Rekeys)], who, stop);
        changes = [.. changes.Where(c => !SetUpEdit.Rekeys(c))];
        foreach (var change in changes.Where(c => c.Part == Parts.Entity))
            await EntityAsync(db, entity, change.After!, stop);
        var history = changes.Where(c => c.Part.HeldBy == HeldBy.Records || c.Part == Parts.Accounts).ToList();
        await AccountsAsync(db, entity, view, [.. changes.Where(c => c.Part == Parts.Accounts)], accountInUse, stop);
        // Groups that this very change publishes or adds are known by then: editions' rows go before records'.
        foreach (var table in PartTable.Plain.Where(t => t.Held))
            await PartAsync(db, entity, view, table, changes, stop);
        var before = changes;
        (changes, var waits) = await MembershipStore.SetApartAsync(db, entity, view, inForce, changes, stop);
        var plain = ReferenceEquals(before, changes) && asked.All(InPlace);
        foreach (var table in PartTable.Plain.Where(t => !t.Held))
            await PartAsync(db, entity, view, table, changes, stop);
        await DropAccountsAsync(
            db,
            entity,
            [.. changes.Where(c => c.Part == Parts.Accounts && c.After is null).Select(c => c.Key)],
            stop
        );
        await HistoryAsync(db, entity, history, who, stop);
        return (waits, plain);
    }

    // Whether a change means the same for every view that it concerns. What is held of an account may be the draft's
    // alone, and what is rekeyed is named elsewhere.
    private static bool InPlace(RowChange change) =>
        !SetUpEdit.Rekeys(change)
        && change.Part != Parts.Entity
        && (
            change.Part != Parts.Accounts
            || change.Before is null
            || change.After is not null && !Differs(PartTable.AccountTerms, change)
        );

    private static async Task PartAsync(
        NpgsqlConnection db,
        int entity,
        EditionView view,
        PartTable table,
        IReadOnlyList<RowChange> changes,
        CancellationToken stop
    )
    {
        var rows = changes.Where(c => c.Part == table.Part).ToList();
        if (rows.Count == 0)
            return;
        var gone = rows.Where(c => c.Before is not null).Select(c => c.Key).ToArray();
        if (table.Held)
            await RemoveHeldAsync(db, entity, view, table, gone, stop);
        else
            await DeleteAsync(db, entity, table, gone, stop);
        await InsertAsync(
            db,
            entity,
            table,
            table.Held ? view.Draft : null,
            rows.Where(c => c.After is not null).Select(c => c.After!),
            stop
        );
    }

    /// <summary>Turns a draft's rows into those of a published edition. Inside the caller's transaction.</summary>
    public static async Task PublishAsync(
        NpgsqlConnection db,
        int entity,
        int draft,
        int number,
        CancellationToken stop
    )
    {
        await using var batch = new NpgsqlBatch(db);
        foreach (var table in PartTable.AllHeld)
        {
            // What goes goes first: of each key one row is current.
            AddPublish(
                batch,
                $"""
                update {table.Name} t set until = @number from draft_removal r
                where r.entity_id = @entity and r.edition_id = @draft and r.part = '{table.Name}'
                  and t.entity_id = @entity and t.row_id = r.row_id
                """,
                entity,
                draft,
                number
            );
            AddPublish(
                batch,
                $"update {table.Name} set since = @number, draft = null where entity_id = @entity and draft = @draft",
                entity,
                draft,
                number
            );
        }
        AddPublish(
            batch,
            "update membership set since = @number, draft = null where entity_id = @entity and draft = @draft",
            entity,
            draft,
            number
        );
        AddPublish(
            batch,
            "delete from draft_removal where entity_id = @entity and edition_id = @draft and @number > 0",
            entity,
            draft,
            number
        );
        await batch.ExecuteNonQueryAsync(stop);
    }

    /// <summary>Turns the rows of a published edition that nothing follows back into those of a draft. Inside the
    /// caller's transaction.</summary>
    public static async Task WithdrawAsync(
        NpgsqlConnection db,
        int entity,
        int draft,
        int number,
        CancellationToken stop
    )
    {
        await using var batch = new NpgsqlBatch(db);
        foreach (var table in PartTable.AllHeld)
        {
            AddPublish(
                batch,
                $"""
                insert into draft_removal (entity_id, edition_id, part, row_id) select @entity, @draft, '{table.Name}',
                  row_id from {table.Name} where entity_id = @entity and until = @number
                """,
                entity,
                draft,
                number
            );
            AddPublish(
                batch,
                $"update {table.Name} set since = null, draft = @draft where entity_id = @entity and since = @number",
                entity,
                draft,
                number
            );
            AddPublish(
                batch,
                $"update {table.Name} set until = null where entity_id = @entity and until = @number and @draft > 0",
                entity,
                draft,
                number
            );
        }
        AddPublish(
            batch,
            "update membership set since = null, draft = @draft where entity_id = @entity and since = @number",
            entity,
            draft,
            number
        );
        await batch.ExecuteNonQueryAsync(stop);
    }

    private static void AddPublish(NpgsqlBatch batch, string sql, int entity, int draft, int number)
    {
        var command = new NpgsqlBatchCommand(sql);
        command.Parameters.AddWithValue("entity", entity);
        command.Parameters.AddWithValue("draft", draft);
        command.Parameters.AddWithValue("number", number);
        batch.BatchCommands.Add(command);
    }

    private static async Task EntityAsync(NpgsqlConnection db, int entity, string?[] cells, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand(
            "update entity set name = $2, currency = $3, tax_registered = $4, fiscal_year_start = $5, time_zone = $6 "
                + "where entity_id = $1",
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = cells[1]! },
                new() { Value = cells[2]! },
                new() { Value = cells[3] == "yes" },
                new() { Value = (object?)cells[4] ?? DBNull.Value },
                new() { Value = (object?)cells[5] ?? DBNull.Value },
            },
        };
        await command.ExecuteNonQueryAsync(stop);
    }

    private static async Task AccountsAsync(
        NpgsqlConnection db,
        int entity,
        EditionView view,
        List<RowChange> changes,
        Func<string, bool> inUse,
        CancellationToken stop
    )
    {
        if (changes.Count == 0)
            return;
        var added = changes.Where(c => c.Before is null).Select(c => c.After!).ToList();
        await InsertAsync(db, entity, PartTable.Accounts, null, added, stop);
        await InsertAsync(db, entity, PartTable.AccountTerms, null, added, stop);
        var changed = changes.Where(c => c is { Before: not null, After: not null }).ToList();
        var records = changed.Where(c => Differs(PartTable.Accounts, c)).ToList();
        foreach (var change in records)
            await UpdateRecordAsync(db, entity, change.After!, stop);
        var terms = changed.Where(c => Differs(PartTable.AccountTerms, c)).ToLookup(c => inUse(c.Key));
        // Of an account in use the draft changes; of one that nothing uses yet, the row that every edition sees.
        var free = terms[false].ToList();
        await DeleteAsync(db, entity, PartTable.AccountTerms, [.. free.Select(c => c.Key)], stop);
        await InsertAsync(db, entity, PartTable.AccountTerms, null, free.Select(c => c.After!), stop);
        var used = terms[true].ToList();
        await RemoveHeldAsync(db, entity, view, PartTable.AccountTerms, [.. used.Select(c => c.Key)], stop);
        await InsertAsync(db, entity, PartTable.AccountTerms, view.Draft, used.Select(c => c.After!), stop);
    }

    private static bool Differs(PartTable table, RowChange change) =>
        table.Positions.Any(p => change.Before![p] != change.After![p]);

    private static async Task UpdateRecordAsync(
        NpgsqlConnection db,
        int entity,
        string?[] cells,
        CancellationToken stop
    )
    {
        object At(string column) =>
            (object?)cells[Parts.Accounts.Columns.ToList().FindIndex(c => c.Name == column)] ?? DBNull.Value;
        await using var command = new NpgsqlCommand(
            """
            update accounts set name = $3, parent = $4, short_code = $5, usual_side = $6, revalue = $7, report_codes =
              $8, note = $9
            where entity_id = $1 and "number" = $2
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = At("number") },
                new() { Value = At("name") },
                new() { Value = At("parent") },
                new() { Value = At("short_code") },
                new() { Value = At("usual_side") },
                new() { Value = At("revalue") is "yes" },
                new() { Value = At("report_codes") },
                new() { Value = At("note") },
            },
        };
        await command.ExecuteNonQueryAsync(stop);
    }

    // Identities go last: assignments that named them are gone by then. Rows of past editions keep theirs (a foreign
    // key says so).
    private static async Task DropAccountsAsync(
        NpgsqlConnection db,
        int entity,
        string[] numbers,
        CancellationToken stop
    )
    {
        await DeleteAsync(db, entity, PartTable.AccountTerms, numbers, stop);
        await DeleteAsync(db, entity, PartTable.Accounts, numbers, stop);
    }

    private static async Task RemoveHeldAsync(
        NpgsqlConnection db,
        int entity,
        EditionView view,
        PartTable table,
        string[] keys,
        CancellationToken stop
    )
    {
        if (keys.Length == 0)
            return;
        // What is drafted and what is current have an index each (migration 22); what is gone is looked through where
        // the draft stands on an edition that others followed.
        await using var command = new NpgsqlCommand(
            $"""
            with gone as materialized (select unnest(@keys) as key),
            own as (delete from {table.Name} where entity_id = @entity and row_id in
              (select t.row_id from gone cross join lateral
                 (select row_id from {table.Name} where entity_id = @entity and draft = @draft and
                    {table.KeyExpression} = gone.key {table.OneByOne}) t))
            insert into draft_removal (entity_id, edition_id, part, row_id)
            select @entity, @draft, '{table.Name}', t.row_id from gone cross join lateral
              (select row_id from {table.Name} where entity_id = @entity and draft is null and until is null and
                 since <= @number and {table.KeyExpression} = gone.key {table.OneByOne}) t
            union all
            select @entity, @draft, '{table.Name}', row_id from {table.Name}
            where exists (select from edition where entity_id = @entity and number > @number)
              and entity_id = @entity and until > @number and since <= @number and
              {table.KeyExpression} in (select key from gone)
            on conflict do nothing
            """,
            db
        );
        PartTable.View(command.Parameters, entity, view);
        command.Parameters.AddWithValue("keys", keys);
        await command.ExecuteNonQueryAsync(stop);
    }

    private static async Task DeleteAsync(
        NpgsqlConnection db,
        int entity,
        PartTable table,
        string[] keys,
        CancellationToken stop
    )
    {
        if (keys.Length == 0)
            return;
        await using var command = new NpgsqlCommand(
            $"delete from {table.Name} where entity_id = $1 and {table.KeyExpression} = any($2)",
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = keys },
            },
        };
        await command.ExecuteNonQueryAsync(stop);
    }

    private static async Task InsertAsync(
        NpgsqlConnection db,
        int entity,
        PartTable table,
        int? draft,
        IEnumerable<string?[]> rows,
        CancellationToken stop
    )
    {
        var validity = table.Held ? ", since, draft" : "";
        foreach (var some in rows.Chunk(CopyRows.AtOnce))
        {
            using var made = new CopyRows($"{table.Name} (entity_id{validity}, {table.ColumnList})");
            foreach (var cells in some)
            {
                made.Row().Int(entity);
                if (table.Held)
                    made.Int(draft is null ? 0 : null).Int(draft);
                table.WriteCells(made, cells);
            }
            await made.SendAsync(db, stop);
        }
    }

    private static async Task HistoryAsync(
        NpgsqlConnection db,
        int entity,
        List<RowChange> changes,
        string who,
        CancellationToken stop
    )
    {
        if (changes.Count == 0)
            return;
        foreach (var some in changes.Chunk(CopyRows.AtOnce))
        {
            using var made = new CopyRows("record_history (entity_id, part, key, who, before, after)");
            foreach (var change in some)
                made.Row()
                    .Int(entity)
                    .Text(change.Part.Name)
                    .Text(change.Label)
                    .Text(who)
                    .Json(PartTable.Json(change.Part, change.Before))
                    .Json(PartTable.Json(change.Part, change.After));
            await made.SendAsync(db, stop);
        }
    }
}
