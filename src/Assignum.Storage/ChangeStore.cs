using System.Text.Json;
using Assignum.Core.Tables;
using Npgsql;
using NpgsqlTypes;

namespace Assignum.Storage;

/// <summary>The revisions that a change made.</summary>
/// <param name="Records">Of the records; null: it changed none.</param>
/// <param name="Draft">Of the draft; null: none was open.</param>
/// <param name="Moved">That draft.</param>
/// <param name="Plain">Rows were changed in place only: what a view was, and these rows, make what it is.</param>
public readonly record struct Revisions(long? Records, long? Draft, int? Moved, bool Plain);

/// <summary>Keeps what was changed, so that it can be read and undone.</summary>
public static class ChangeStore
{
    /// <summary>Writes a change with its rows; returns its number. Inside the caller's transaction.</summary>
    public static async Task<long> KeepAsync(
        NpgsqlConnection db,
        int entity,
        string who,
        string what,
        string? reason,
        int? draft,
        IReadOnlyList<RowChange> changes,
        long? undoes,
        Revisions made,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            with made as (
              insert into change (entity_id, who, what, reason, draft, rows, undoes, records_revision, draft_revision,
                moved, plain)
              values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11) returning change_id),
            undone as (update change set undone_by = (select change_id from made) where entity_id = $1 and change_id =
              $7)
            select change_id from made
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = who },
                new() { Value = what },
                new() { Value = (object?)reason ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Text },
                new() { Value = (object?)draft ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Integer },
                new() { Value = changes.Count },
                new() { Value = (object?)undoes ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Bigint },
                new() { Value = (object?)made.Records ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Bigint },
                new() { Value = (object?)made.Draft ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Bigint },
                new() { Value = (object?)made.Moved ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Integer },
                new() { Value = made.Plain },
            },
        };
        var id = (long)(await command.ExecuteScalarAsync(stop))!;
        var number = 0;
        foreach (var some in changes.Chunk(CopyRows.AtOnce))
        {
            using var rows = new CopyRows("change_row (entity_id, change_id, row_no, part, key, before, after)");
            foreach (var change in some)
                rows.Row()
                    .Int(entity)
                    .Big(id)
                    .Int(++number)
                    .Text(change.Part.Name)
                    .Text(change.Key)
                    .Json(Cells(change.Part, change.Before))
                    .Json(Cells(change.Part, change.After));
            await rows.SendAsync(db, stop);
        }
        return id;
    }

    /// <summary>The newest changes first; of one draft where it is given.</summary>
    public static async Task<IReadOnlyList<ChangeHead>> ListAsync(
        NpgsqlConnection db,
        int entity,
        int? draft,
        int limit,
        CancellationToken stop
    ) =>
        await HeadsAsync(
            db,
            "($2::integer is null or c.draft = $2) order by c.change_id desc limit $3",
            entity,
            draft,
            limit,
            stop
        );

    /// <summary>The newest changes first, of those that a filter lets through.</summary>
    public static async Task<IReadOnlyList<ChangeHead>> PageAsync(
        NpgsqlConnection db,
        int entity,
        ChangeQuery query,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select c.change_id, c.at, c.who, c.what, c.reason, c.draft, coalesce(e.status = 'draft', false), c.rows,
              c.undoes, c.undone_by
            from change c left join edition e on e.entity_id = c.entity_id and e.edition_id = c.draft
            where c.entity_id = $1 and ($2::bigint is null or c.change_id < $2) and ($3::text is null or c.who = $3)
              and ($4::text is null or position(lower($4) in lower(c.what)) > 0
                or position(lower($4) in lower(coalesce(c.reason, ''))) > 0
                or exists (select from change_row r where r.entity_id = $1 and r.change_id = c.change_id
                  and (r.part = lower($4) or $4 = any(string_to_array(r.key, E'\x1f')))))
            order by c.change_id desc limit $5
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = (object?)query.Before ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Bigint },
                new() { Value = (object?)query.Who ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Text },
                new() { Value = (object?)query.Text ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Text },
                new() { Value = query.Limit },
            },
        };
        return await HeadsAsync(command, stop);
    }

    /// <summary>How many rows of which parts each of some changes touched.</summary>
    public static async Task<ILookup<long, (string Part, int Rows)>> PartsAsync(
        NpgsqlConnection db,
        int entity,
        long[] changes,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            "select change_id, part, count(*) from change_row where entity_id = $1 and change_id = any($2) group by 1, 2 "
                + "order by 1, 2",
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = changes },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var parts = new List<(long Change, string Part, int Rows)>();
        while (await reader.ReadAsync(stop))
            parts.Add((reader.GetInt64(0), reader.GetString(1), (int)reader.GetInt64(2)));
        return parts.ToLookup(p => p.Change, p => (p.Part, p.Rows));
    }

    /// <summary>One change, or null.</summary>
    public static async Task<ChangeHead?> FindAsync(NpgsqlConnection db, int entity, long id, CancellationToken stop) =>
        await HeadsAsync(db, "c.change_id = $3 and $2::integer is null", entity, null, id, stop) is [var head]
            ? head
            : null;

    /// <summary>The rows of a change, in order.</summary>
    /// <param name="most">How many at most; null: all.</param>
    public static async Task<IReadOnlyList<RowChange>> RowsAsync(
        NpgsqlConnection db,
        int entity,
        long id,
        CancellationToken stop,
        int? most = null
    )
    {
        await using var command = new NpgsqlCommand(
            "select part, key, before, after from change_row where entity_id = $1 and change_id = $2 order by row_no "
                + "limit $3",
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = id },
                new() { Value = (object?)most ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Integer },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var rows = new List<RowChange>();
        while (await reader.ReadAsync(stop))
            rows.Add(Row(reader, 0));
        return rows;
    }

    /// <summary>What was made of one row, the newest first.</summary>
    public static async Task<IReadOnlyList<RowHistory>> OfRowAsync(
        NpgsqlConnection db,
        int entity,
        Part part,
        string key,
        int limit,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select c.change_id, c.at, c.who, c.what, c.reason, c.draft, r.part, r.key, r.before, r.after
            from change_row r join change c on c.entity_id = r.entity_id and c.change_id = r.change_id
            where r.entity_id = $1 and r.part = $2 and r.key = $3 order by c.change_id desc limit $4
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = part.Name },
                new() { Value = key },
                new() { Value = limit },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var rows = new List<RowHistory>();
        while (await reader.ReadAsync(stop))
            rows.Add(
                new RowHistory(
                    reader.GetInt64(0),
                    reader.GetDateTime(1),
                    reader.GetString(2),
                    reader.GetString(3),
                    reader.IsDBNull(4) ? null : reader.GetString(4),
                    reader.IsDBNull(5) ? null : reader.GetInt32(5),
                    Row(reader, 6)
                )
            );
        return rows;
    }

    /// <summary>
    /// The rows that were changed since a view was read, in order, where every step between is known and changed rows in
    /// place; null: it has to be read anew.
    /// </summary>
    /// <param name="draft">The draft that is looked at; null: a published edition.</param>
    /// <param name="from">The revisions of what is known.</param>
    /// <param name="to">The revisions wanted.</param>
    /// <remarks>Uses change_records and change_draft_revision.</remarks>
    public static async Task<IReadOnlyList<(int? Draft, RowChange Change)>?> SinceAsync(
        NpgsqlConnection db,
        int entity,
        int? draft,
        (long Records, long Draft) from,
        (long Records, long Draft) to,
        CancellationToken stop
    )
    {
        const int most = 5_000;
        if (to.Records - from.Records > most || to.Draft - from.Draft > most)
            return null;
        await using var command = new NpgsqlCommand(
            """
            select c.draft, c.records_revision, c.draft_revision, c.plain, c.rows, c.moved, r.part, r.key, r.before,
              r.after
            from change c left join change_row r on r.entity_id = c.entity_id and r.change_id = c.change_id and c.plain
            where c.entity_id = $1 and (c.records_revision > $2 and c.records_revision <= $3
              or c.moved = $4 and c.draft_revision > $5 and c.draft_revision <= $6)
            order by c.change_id, r.row_no
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = from.Records },
                new() { Value = to.Records },
                new() { Value = draft ?? -1 },
                new() { Value = from.Draft },
                new() { Value = to.Draft },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var (records, drafts) = (new HashSet<long>(), new HashSet<long>());
        var rows = new List<(int?, RowChange)>();
        while (await reader.ReadAsync(stop))
        {
            if (!reader.GetBoolean(3) || reader.GetInt32(4) > most || rows.Count > most)
                return null;
            int? of = reader.IsDBNull(0) ? null : reader.GetInt32(0);
            if (!reader.IsDBNull(1))
                records.Add(reader.GetInt64(1));
            if (!reader.IsDBNull(5) && reader.GetInt32(5) == draft)
                drafts.Add(reader.GetInt64(2));
            if (!reader.IsDBNull(6))
                rows.Add((of, Row(reader, 6)));
        }
        static bool Whole(HashSet<long> steps, long after, long last) =>
            steps.Count(s => s > after && s <= last) == last - after;
        return Whole(records, from.Records, to.Records) && (draft is null || Whole(drafts, from.Draft, to.Draft))
            ? rows
            : null;
    }

    // Part, key, before and after, from a column on.
    private static RowChange Row(NpgsqlDataReader reader, int first)
    {
        var part = Parts.Find(reader.GetString(first))!;
        var (before, after) = (Cells(reader, first + 2, part), Cells(reader, first + 3, part));
        return new RowChange(part, reader.GetString(first + 1), before, after);
    }

    /// <summary>The newest change after one that stands and touches a row of it, or null: undoing would go under
    /// it.</summary>
    /// <remarks>A change stands where nothing undid it, or where the undoing was undone itself.</remarks>
    public static async Task<IReadOnlyList<ChangeHead>> BuiltOnAsync(
        NpgsqlConnection db,
        int entity,
        long id,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            with recursive touching as (
              select distinct c.change_id from change_row o
              join change_row r on r.entity_id = o.entity_id and r.part = o.part and r.key = o.key and r.change_id >
                o.change_id
              join change c on c.entity_id = r.entity_id and c.change_id = r.change_id
              where o.entity_id = $1 and o.change_id = $2 and c.undoes is null),
            chain(root, at, undone_by, turns) as (
              select c.change_id, c.change_id, c.undone_by, 0 from touching join change c on c.entity_id = $1 and
                c.change_id = touching.change_id
              union all
              select chain.root, c.change_id, c.undone_by, chain.turns + 1 from chain join change c on c.entity_id = $1
                and c.change_id = chain.undone_by)
            select coalesce(array_agg(distinct root), '{}') from chain where undone_by is null and turns % 2 = 0
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = id },
            },
        };
        var later = (long[])(await command.ExecuteScalarAsync(stop))!;
        return later.Length == 0
            ? []
            : await HeadsAsync(db, "c.change_id = any($4) order by c.change_id desc", entity, null, 0, stop, later);
    }

    private static async Task<List<ChangeHead>> HeadsAsync(
        NpgsqlConnection db,
        string where,
        int entity,
        int? draft,
        long last,
        CancellationToken stop,
        long[]? of = null
    )
    {
        await using var command = new NpgsqlCommand(
            $"""
            select c.change_id, c.at, c.who, c.what, c.reason, c.draft, coalesce(e.status = 'draft', false), c.rows,
              c.undoes, c.undone_by
            from change c left join edition e on e.entity_id = c.entity_id and e.edition_id = c.draft
            where c.entity_id = $1 and {where}
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = (object?)draft ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Integer },
                new() { Value = last },
            },
        };
        if (of is not null)
            command.Parameters.Add(new() { Value = of });
        return await HeadsAsync(command, stop);
    }

    private static async Task<List<ChangeHead>> HeadsAsync(NpgsqlCommand command, CancellationToken stop)
    {
        await using var reader = await command.ExecuteReaderAsync(stop);
        var heads = new List<ChangeHead>();
        while (await reader.ReadAsync(stop))
            heads.Add(
                new ChangeHead(
                    reader.GetInt64(0),
                    reader.GetDateTime(1),
                    reader.GetString(2),
                    reader.GetString(3),
                    reader.IsDBNull(4) ? null : reader.GetString(4),
                    reader.IsDBNull(5) ? null : reader.GetInt32(5),
                    reader.GetBoolean(6),
                    reader.GetInt32(7),
                    reader.IsDBNull(8) ? null : reader.GetInt64(8),
                    reader.IsDBNull(9) ? null : reader.GetInt64(9)
                )
            );
        return heads;
    }

    private static string? Cells(Part part, string?[]? cells) =>
        cells is null ? null : JsonSerializer.Serialize(part.Named(cells));

    // By the names of columns: one that is gone is passed over, one that came later is as if nothing were said.
    private static string?[]? Cells(NpgsqlDataReader reader, int ordinal, Part part) =>
        reader.IsDBNull(ordinal)
            ? null
            : part.CellsOf(JsonSerializer.Deserialize<Dictionary<string, string?>>(reader.GetString(ordinal))!);
}
