using Assignum.Core.Records;
using Assignum.Core.Tables;
using Npgsql;

namespace Assignum.Storage;

/// <summary>
/// Memberships in groups that are not in force: those of a draft wait with it, those of a coming edition begin with it.
/// The record itself
/// stays in the group that every edition before has.
/// </summary>
public static class MembershipStore
{
    private static readonly Dictionary<Part, (string Column, GroupKind Kind)[]> Columns = new()
    {
        [Parts.Items] = [("group", GroupKind.Item)],
        [Parts.Parties] = [("customer_group", GroupKind.Customer), ("supplier_group", GroupKind.Supplier)],
        [Parts.Projects] = [("group", GroupKind.Project)],
    };

    /// <summary>Whether records of a part are in groups.</summary>
    internal static bool Has(Part part) => Columns.ContainsKey(part);

    /// <summary>What a view has beside the records' own groups, by part and key.</summary>
    internal static async Task<ILookup<(Part Part, string Key), (int Column, string Group)>> OfAsync(
        NpgsqlConnection db,
        int entity,
        EditionView view,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select part, key, "column", "group" from membership where entity_id = @entity and (since <= @number or draft
              = @draft)
            order by since nulls last
            """,
            db
        );
        PartTable.View(command.Parameters, entity, view);
        await using var reader = await command.ExecuteReaderAsync(stop);
        var rows = new List<(Part Part, string Key, int Column, string Group)>();
        while (await reader.ReadAsync(stop))
            if (Parts.Find(reader.GetString(0)) is { } part)
                rows.Add((part, reader.GetString(1), At(part, reader.GetString(2)), reader.GetString(3)));
        return rows.ToLookup(r => (r.Part, r.Key), r => (r.Column, r.Group));
    }

    /// <summary>Whether a view has any beside the records' own groups.</summary>
    public static async Task<bool> AnyAsync(NpgsqlConnection db, int entity, EditionView view, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand(
            "select exists (select from membership where entity_id = @entity and (since <= @number or draft = @draft))",
            db
        );
        PartTable.View(command.Parameters, entity, view);
        return (bool)(await command.ExecuteScalarAsync(stop))!;
    }

    /// <summary>The memberships that wait with a draft.</summary>
    public static async Task<IReadOnlyList<Waiting>> WaitingAsync(
        NpgsqlConnection db,
        int entity,
        int draft,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            "select part, key, \"column\", \"group\" from membership where entity_id = $1 and draft = $2 order by "
                + "part, key, \"column\"",
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = draft },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var waiting = new List<Waiting>();
        while (await reader.ReadAsync(stop))
            waiting.Add(
                new Waiting(reader.GetString(0), reader.GetString(1), reader.GetString(2), reader.GetString(3))
            );
        return waiting;
    }

    /// <summary>
    /// Takes out of changes of records what cannot be in force at once: it is kept here, and the rows that are returned
    /// have the groups that
    /// their records keep meanwhile. Inside the caller's transaction.
    /// </summary>
    /// <param name="view">The draft that the changes are made in, over the edition it is based on.</param>
    /// <param name="inForce">Number of the edition in force today; null where nothing is published: then nothing needs
    /// to wait.</param>
    /// <returns>The changes as the records take them, and whether any waits with the draft.</returns>
    internal static async Task<(IReadOnlyList<RowChange> Changes, bool Waits)> SetApartAsync(
        NpgsqlConnection db,
        int entity,
        EditionView view,
        int? inForce,
        IReadOnlyList<RowChange> changes,
        CancellationToken stop
    )
    {
        var ours = changes.Where(c => Has(c.Part)).ToList();
        if (ours.Count == 0 || inForce is not { } live)
            return (changes, false);
        var beginnings = await BeginningsAsync(db, entity, stop);
        int? From(GroupKind kind, string? code) =>
            code is null ? 0
            : beginnings.TryGetValue((kind, code), out var since) ? since
            : null;
        bool Early(RowChange c) =>
            c.After is { } after
            && Columns[c.Part]
                .Any(x =>
                    after[At(c.Part, x.Column)] is var code
                    && code != c.Before?[At(c.Part, x.Column)]
                    && !(From(x.Kind, code) <= live)
                );
        var kept = await OfAsync(db, entity, new EditionView(int.MaxValue, view.Draft), stop);
        if (kept.Count == 0 && !ours.Exists(Early))
            return (changes, false);

        var made = new List<RowChange>(changes.Count);
        var stored = new Dictionary<(Part, string), string?[]>();
        foreach (
            var of in ours.Where(c => c.Before is not null && (Early(c) || kept.Contains((c.Part, c.Key))))
                .GroupBy(c => c.Part)
        )
        foreach (var row in await StoredAsync(db, entity, of.Key, [.. of.Select(c => c.Key)], stop))
            stored[(of.Key, of.Key.KeyOf(row))] = row;
        var (gone, come) = (
            new List<(string Part, string Key, string Column)>(),
            new List<(string Part, string Key, string Column, string Group, int? Since)>()
        );
        foreach (var change in changes)
        {
            if (!Has(change.Part))
            {
                made.Add(change);
                continue;
            }
            if (change.After is null)
            {
                gone.AddRange(Columns[change.Part].Select(x => (change.Part.Name, change.Key, x.Column)));
                made.Add(change);
                continue;
            }
            var after = change.After.ToArray();
            stored.TryGetValue((change.Part, change.Key), out var own);
            foreach (var (column, kind) in Columns[change.Part])
            {
                var at = At(change.Part, column);
                var (was, now) = (change.Before?[at], after[at]);
                // What stays as it is seen stays as it is stored.
                if (change.Before is not null && was == now)
                {
                    if (own is not null)
                        after[at] = own[at];
                    continue;
                }
                if (kept.Contains((change.Part, change.Key)))
                    gone.Add((change.Part.Name, change.Key, column));
                if (From(kind, now) is { } since && since <= live)
                    continue;
                come.Add((change.Part.Name, change.Part.KeyOf(after), column, now!, From(kind, now)));
                after[at] = own?[at];
            }
            made.Add(change with { After = after });
        }
        await ForgetAsync(db, entity, view.Draft, gone, stop);
        foreach (var (part, key, column, group, since) in come)
        {
            await using var command = new NpgsqlCommand(
                "insert into membership (entity_id, part, key, \"column\", \"group\", since, draft) values ($1, $2, "
                    + "$3, $4, $5, $6, $7)",
                db
            )
            {
                Parameters =
                {
                    new() { Value = entity },
                    new() { Value = part },
                    new() { Value = key },
                    new() { Value = column },
                    new() { Value = group },
                    new() { Value = (object?)since ?? DBNull.Value, NpgsqlDbType = NpgsqlTypes.NpgsqlDbType.Integer },
                    new()
                    {
                        Value = since is null ? view.Draft!.Value : DBNull.Value,
                        NpgsqlDbType = NpgsqlTypes.NpgsqlDbType.Integer,
                    },
                },
            };
            await command.ExecuteNonQueryAsync(stop);
        }
        return (made, come.Exists(c => c.Since is null) || kept.Count > 0 && gone.Count > 0);
    }

    // The first published edition that has each group, of those that the newest has.
    private static async Task<Dictionary<(GroupKind, string), int>> BeginningsAsync(
        NpgsqlConnection db,
        int entity,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            "select kind, code, min(since) from groups where entity_id = $1 and since is not null group by kind, "
                + "code having bool_or(until is null)",
            db
        )
        {
            Parameters = { new() { Value = entity } },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var since = new Dictionary<(GroupKind, string), int>();
        while (await reader.ReadAsync(stop))
            if (Core.Words.TryParse<GroupKind>(reader.GetString(0), out var kind))
                since[(kind, reader.GetString(1))] = reader.GetInt32(2);
        return since;
    }

    private static async Task<List<string?[]>> StoredAsync(
        NpgsqlConnection db,
        int entity,
        Part part,
        string[] keys,
        CancellationToken stop
    )
    {
        var table = PartTable.Plain.First(t => t.Part == part);
        await using var command = new NpgsqlCommand(
            $"select {table.ColumnList} from {table.Name} where entity_id = $1 and {table.KeyExpression} = any($2)",
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = keys },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var rows = new List<string?[]>();
        while (await reader.ReadAsync(stop))
        {
            var cells = new string?[part.Columns.Count];
            table.ReadCells(reader, 0, cells);
            rows.Add(cells);
        }
        return rows;
    }

    // What other drafts say of the record is theirs.
    private static async Task ForgetAsync(
        NpgsqlConnection db,
        int entity,
        int? draft,
        List<(string Part, string Key, string Column)> gone,
        CancellationToken stop
    )
    {
        if (gone.Count == 0)
            return;
        await using var command = new NpgsqlCommand(
            """
            delete from membership m using unnest($3, $4, $5) as g(part, key, col)
            where m.entity_id = $1 and (m.since is not null or m.draft = $2) and m.part = g.part and m.key = g.key and
              m."column" = g.col
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = draft ?? -1 },
                new() { Value = gone.Select(g => g.Part).ToArray() },
                new() { Value = gone.Select(g => g.Key).ToArray() },
                new() { Value = gone.Select(g => g.Column).ToArray() },
            },
        };
        await command.ExecuteNonQueryAsync(stop);
    }

    private static int At(Part part, string column) => part.Columns.ToList().FindIndex(c => c.Name == column);
}
