using Assignum.Core;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Npgsql;

namespace Assignum.Storage;

/// <summary>Reads what editions hold and the records beside it.</summary>
public static class SetUpReader
{
    /// <summary>The whole set-up of an entity as one view sees it. Three round trips, whatever its size.</summary>
    /// <param name="known">The records as they are now, where somebody has them: they are read once a revision.</param>
    public static async Task<SetUp> LoadAsync(
        NpgsqlConnection db,
        int entity,
        EditionView view,
        RecordSet? known,
        CancellationToken stop
    )
    {
        var (record, others) = await EntitiesAsync(db, entity, stop);
        var setUp = new SetUp
        {
            Entity = record,
            OtherEntities = others,
            Records = known ?? new RecordSet(),
        };
        var tables = PartTable.Plain.Where(t => t.Held || known is null).ToList();
        await using var batch = new NpgsqlBatch(db);
        foreach (var table in tables)
            Add(
                batch,
                $"select {table.ColumnList} from {table.Name} t where t.entity_id = @entity and {table.Visible("t")}",
                entity,
                view
            );
        var (accounts, terms) = (PartTable.Accounts, PartTable.AccountTerms);
        Add(
            batch,
            $"""
            select {Prefixed("a", accounts)}, {Prefixed("t", terms)}
            from accounts a join account_terms t on t.entity_id = a.entity_id and t."number" = a."number"
            where a.entity_id = @entity and {terms.Visible("t")}
            """,
            entity,
            view
        );
        Add(
            batch,
            """
            select f."number", a."number" from account_number f
            join accounts a on a.entity_id = f.entity_id and a.account_id = f.account_id
            where f.entity_id = @entity order by f.until
            """,
            entity,
            view
        );
        await using var reader = await batch.ExecuteReaderAsync(stop);
        foreach (var table in tables)
        {
            setUp = Stored(setUp, table.Part, await RowsAsync(reader, table.Part, [(table, 0)], stop));
            await reader.NextResultAsync(stop);
        }
        setUp = Stored(
            setUp,
            Parts.Accounts,
            await RowsAsync(reader, Parts.Accounts, [(accounts, 0), (terms, accounts.Positions.Count)], stop)
        );
        await reader.NextResultAsync(stop);
        var former = new List<KeyValuePair<string, string>>();
        while (await reader.ReadAsync(stop))
            former.Add(new(reader.GetString(0), reader.GetString(1)));
        if (former.Count > 0)
            setUp = setUp with { FormerNumbers = Renumbering.Former(former, setUp.Accounts) };
        return setUp;
    }

    // What offends against a rule of today is told and stays.
    private static SetUp Stored(SetUp setUp, Part part, List<(int Row, string?[] Cells)> rows)
    {
        var faults = new List<Fault>();
        setUp = part.Read(setUp, rows, faults, lenient: true);
        return faults.Count == 0
            ? setUp
            : setUp with
            {
                Offences =
                [
                    .. setUp.Offences,
                    .. faults.Select(f => new Fault(
                        f.Code,
                        f.Message,
                        SetUpEdit.OffencePlace(part, part.KeyOf(rows[f.Row - 1].Cells)) + f.Column
                    )),
                ],
            };
    }

    /// <summary>
    /// What a draft changes of the edition it is based on, to be laid over that: rows by part, with the key each has
    /// there; no cells where a row goes.
    /// </summary>
    /// <param name="base">The set-up of the edition it is based on.</param>
    public static async Task<IReadOnlyList<(Part Part, string Key, string?[]? Cells)>> DraftRowsAsync(
        NpgsqlConnection db,
        int entity,
        int draft,
        SetUp @base,
        CancellationToken stop
    )
    {
        var changed = new List<(Part, string, string?[]?)>();
        await using var batch = new NpgsqlBatch(db);
        foreach (var table in PartTable.AllHeld)
        {
            var view = new EditionView(0, draft);
            Add(
                batch,
                $"""
                select {table.KeyExpression} from {table.Name} where entity_id = @entity and row_id in
                  (select row_id from draft_removal
                   where entity_id = @entity and edition_id = @draft and part = '{table.Name}')
                """,
                entity,
                view
            );
            Add(
                batch,
                $"select {table.ColumnList} from {table.Name} where entity_id = @entity and draft = @draft",
                entity,
                view
            );
        }
        await using var reader = await batch.ExecuteReaderAsync(stop);
        foreach (var table in PartTable.AllHeld)
        {
            var gone = new HashSet<string>(StringComparer.Ordinal);
            while (await reader.ReadAsync(stop))
                gone.Add(reader.GetString(0));
            await reader.NextResultAsync(stop);
            foreach (var (_, own) in await RowsAsync(reader, table.Part, [(table, 0)], stop))
            {
                var (key, cells) = (table.Part.KeyOf(own), own);
                // An account's records are the entity's; the draft has the rest.
                if (table.Part == Parts.Accounts && Parts.Accounts.Row(@base, key) is { } record)
                {
                    foreach (var position in table.Positions)
                        record[position] = own[position];
                    cells = record;
                }
                gone.Remove(key);
                changed.Add((table.Part, key, cells));
            }
            await reader.NextResultAsync(stop);
            changed.AddRange(gone.Select(k => (table.Part, k, (string?[]?)null)));
        }
        return changed;
    }

    /// <summary>A set-up whose records are in the groups that a view has beside their own. The records themselves are
    /// shared by all views.</summary>
    public static async Task<SetUp> InGroupsAsync(
        NpgsqlConnection db,
        int entity,
        EditionView view,
        SetUp setUp,
        CancellationToken stop
    )
    {
        var memberships = await MembershipStore.OfAsync(db, entity, view, stop);
        foreach (var part in memberships.Select(m => m.Key.Part).Distinct().ToList())
        {
            var edits = new List<(int, string, string?[]?)>();
            foreach (var of in memberships.Where(m => m.Key.Part == part))
                if (part.Row(setUp, of.Key.Key) is { } cells)
                {
                    foreach (var (column, group) in of)
                        cells[column] = group;
                    edits.Add((0, of.Key.Key, cells));
                }
            setUp = part.With(setUp, edits, []);
        }
        return setUp;
    }

    private static void Add(NpgsqlBatch batch, string sql, int entity, EditionView view)
    {
        var command = new NpgsqlBatchCommand(sql);
        PartTable.View(command.Parameters, entity, view);
        batch.BatchCommands.Add(command);
    }

    private static string Prefixed(string alias, PartTable table) =>
        string.Join(", ", table.Positions.Select(p => $"{alias}.\"{table.Part.Columns[p].Name}\""));

    private static async Task<List<(int, string?[])>> RowsAsync(
        NpgsqlDataReader reader,
        Part part,
        (PartTable Table, int First)[] tables,
        CancellationToken stop
    )
    {
        var rows = new List<(int, string?[])>();
        // Codes that many rows name are one text.
        var shared = new Dictionary<string, string>(StringComparer.Ordinal);
        while (await reader.ReadAsync(stop))
        {
            var cells = new string?[part.Columns.Count];
            foreach (var (table, first) in tables)
                table.ReadCells(reader, first, cells);
            for (var i = 0; i < cells.Length; i++)
                if (cells[i] is { Length: <= 24 } cell && !(part.Keys.Count == 1 && part.Columns[i].Key))
                {
                    if (shared.TryGetValue(cell, out var one))
                        cells[i] = one;
                    else if (shared.Count < 50_000)
                        shared.Add(cell, cell);
                }
            rows.Add((rows.Count + 1, cells));
        }
        return rows;
    }

    private static async Task<(Entity, List<string>)> EntitiesAsync(
        NpgsqlConnection db,
        int entity,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            "select entity_id, code, name, currency, tax_registered, fiscal_year_start, time_zone from entity order "
                + "by code",
            db
        );
        await using var reader = await command.ExecuteReaderAsync(stop);
        Entity? found = null;
        var others = new List<string>();
        while (await reader.ReadAsync(stop))
            if (reader.GetInt32(0) != entity)
                others.Add(reader.GetString(1));
            else
                found = new Entity(
                    reader.GetString(1),
                    reader.GetString(2),
                    reader.GetString(3),
                    reader.GetBoolean(4),
                    reader.IsDBNull(5) ? null : reader.GetString(5),
                    reader.IsDBNull(6) ? null : reader.GetString(6)
                );
        return (found ?? throw new InvalidOperationException($"There is no entity {entity}."), others);
    }
}
