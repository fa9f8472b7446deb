using Assignum.Core.Feeding;
using Assignum.Core.Ledger;
using Npgsql;
using NpgsqlTypes;

namespace Assignum.Storage;

/// <summary>An event that is to be posted.</summary>
/// <param name="Late">It came after its number was given up.</param>
public sealed record FeedRow(
    long Row,
    string Id,
    long? Sequence,
    string Kind,
    DateOnly? Date,
    string Body,
    bool Late,
    string? Voids
);

/// <summary>What became of an event.</summary>
/// <param name="Subject">What of: events with the same reason and subject wait for the same.</param>
/// <param name="Reasons">All of them, as JSON; empty: they stay.</param>
/// <param name="Names">What it is about, where others may have to wait behind it.</param>
/// <param name="Awaits">Documents that it waits for.</param>
public sealed record FeedMark(
    long Row,
    string State,
    string? Reason,
    string? Subject,
    string Reasons,
    string? Number,
    long? HeldBy,
    bool Unmatched,
    IReadOnlyCollection<EventLink> Names,
    IReadOnlyCollection<(string Party, string Name)> Awaits
);

/// <summary>Takes events of connected systems through their states.</summary>
public static class FeedStore
{
    /// <summary>The next that are to be posted, in their order.</summary>
    public static async Task<IReadOnlyList<FeedRow>> NextAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        int limit,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select row_id, id, sequence, kind, date, body, late, voids from link_event
            where entity_id = $1 and connection_id = $2 and state = 'received' order by sequence nulls first, row_id
              limit $3
            """,
            at,
            limit
        );
        return await command.RowsAsync(Read, stop);
    }

    internal static FeedRow Read(NpgsqlDataReader r) =>
        new(
            r.GetInt64(0),
            r.GetString(1),
            r.IsDBNull(2) ? null : r.GetInt64(2),
            r.GetString(3),
            r.IsDBNull(4) ? null : r.GetFieldValue<DateOnly>(4),
            r.GetString(5),
            r.GetBoolean(6),
            r.Text(7)
        );

    /// <summary>Dead events whose documents are not noted yet.</summary>
    public static async Task<IReadOnlyList<FeedRow>> UnnamedAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        int limit,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select row_id, id, sequence, kind, date, body, late, voids from link_event
            where entity_id = $1 and connection_id = $2 and state = 'dead' and not named and not again order by row_id
              limit $3
            """,
            at,
            limit
        );
        return await command.RowsAsync(Read, stop);
    }

    /// <summary>Writes what became of events, and about which documents others wait behind them.</summary>
    public static async Task MarkAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        IReadOnlyList<FeedMark> marks,
        CancellationToken stop
    )
    {
        if (marks.Count == 0)
            return;
        await using var command = LinkSql.Of(
            db,
            """
            with gone as (delete from link_held where entity_id = $1 and connection_id = $2 and row_id = any($3))
            update link_event e set state = n.state, reason = case when n.reasons = '' then e.reason else n.reason end,
              subject = case when n.reasons = '' then e.subject else n.subject end,
              reasons = case when n.reasons = '' then e.reasons else n.reasons::jsonb end,
              "number" = n."number", held_by = n.held_by, unmatched = n.unmatched, named = true,
              posted_at = case when n.state in ('posted', 'nothing', 'duplicate') then clock_timestamp() else
                e.posted_at end
            from unnest($3::bigint[], $4::text[], $5::text[], $6::text[], $7::text[], $8::text[], $9::bigint[],
              $10::boolean[]) as n(row_id, state, reason, subject, reasons, "number", held_by, unmatched)
            where e.entity_id = $1 and e.connection_id = $2 and e.row_id = any($3) and e.row_id = n.row_id
            """,
            at,
            marks.Select(m => m.Row).ToArray(),
            marks.Select(m => m.State).ToArray(),
            Texts(marks.Select(m => m.Reason)),
            Texts(marks.Select(m => m.Subject)),
            marks.Select(m => m.Reasons).ToArray(),
            Texts(marks.Select(m => m.Number)),
            Many(marks.Select(m => m.HeldBy).ToArray(), NpgsqlDbType.Bigint),
            marks.Select(m => m.Unmatched).ToArray()
        );
        await command.ChangeManyAsync(stop);
        var lacks = marks
            .Where(m => m.Unmatched)
            .SelectMany(m => m.Awaits.Select(a => (a.Party, a.Name, m.Row)))
            .ToList();
        if (lacks.Count > 0)
        {
            await using var unmatched = LinkSql.Of(
                db,
                """
                insert into link_unmatched (entity_id, connection_id, party, "name", row_id)
                select $1, $2, * from unnest($3::text[], $4::text[], $5::bigint[]) on conflict do nothing
                """,
                at,
                lacks.Select(l => l.Party).ToArray(),
                lacks.Select(l => l.Name).ToArray(),
                lacks.Select(l => l.Row).ToArray()
            );
            await unmatched.ExecuteNonQueryAsync(stop);
        }
        var names = marks
            .Where(m => !m.Unmatched)
            .SelectMany(m =>
                m.Names.Select(n => (n.Party, What: n.Order ? "order" : "document", n.Name, m.Row))
                    .Concat(m.Awaits.Select(a => (a.Party, What: "awaited", a.Name, m.Row)))
            )
            .ToList();
        if (names.Count == 0)
            return;
        await using var held = LinkSql.Of(
            db,
            """
            insert into link_held (entity_id, connection_id, party, what, "name", row_id)
            select $1, $2, * from unnest($3::text[], $4::text[], $5::text[], $6::bigint[]) on conflict do nothing
            """,
            at,
            names.Select(n => n.Party).ToArray(),
            names.Select(n => n.What).ToArray(),
            names.Select(n => n.Name).ToArray(),
            names.Select(n => n.Row).ToArray()
        );
        await held.ExecuteNonQueryAsync(stop);
    }

    /// <summary>The events that wait or are dead about some names, with their place: what comes before which.</summary>
    public static async Task<IReadOnlyList<(EventLink Name, int Connection, long Row, long? Sequence)>> HoldersAsync(
        NpgsqlConnection db,
        int entity,
        IReadOnlyCollection<EventLink> names,
        CancellationToken stop
    )
    {
        if (names.Count == 0)
            return [];
        await using var command = LinkSql.Of(
            db,
            """
            select n.party, n.what, n."name", h.connection_id, h.row_id, h.sequence
            from unnest($3::text[], $4::text[], $5::text[]) as n(party, what, "name")
            cross join lateral (select h.connection_id, h.row_id, e.sequence from link_held h
              join link_event e on e.entity_id = $1 and e.connection_id = h.connection_id and e.row_id = h.row_id
              where h.entity_id = $1 and h.party = n.party collate "C" and h.what = n.what collate "C"
                and h."name" = n."name" collate "C" and e.state in ('waiting', 'dead') offset 0) h
            where $2 = 0
            """,
            (entity, 0),
            names.Select(n => n.Party).ToArray(),
            names.Select(n => n.Order ? "order" : "document").ToArray(),
            names.Select(n => n.Name).ToArray()
        );
        return await command.RowsAsync(
            r =>
                (
                    new EventLink(r.GetString(0), r.GetString(1) == "order", r.GetString(2)),
                    r.GetInt32(3),
                    r.GetInt64(4),
                    r.IsDBNull(5) ? (long?)null : r.GetInt64(5)
                ),
            stop
        );
    }

    /// <summary>Which documents were posted: those of that reference itself, and those of openings.</summary>
    public static async Task<IReadOnlySet<(string Party, string Name)>> PostedAsync(
        NpgsqlConnection db,
        int entity,
        IReadOnlyCollection<(string Party, string Name)> documents,
        CancellationToken stop
    )
    {
        if (documents.Count == 0)
            return new HashSet<(string, string)>();
        await using var command = LinkSql.Of(
            db,
            """
            select n.party, n."name" from unnest($3::text[], $4::text[]) as n(party, "name")
            where $2 = 0 and exists (select from event_link l join event v on v.entity_id = l.entity_id and v.event_id
              = l.event_id
              where l.entity_id = $1 and l.what = 'document' and l."name" = n."name" collate "C"
                and (n.party = '' or l.party = n.party collate "C")
                and (v.kind in ('opening', 'hand-entry') or coalesce(v.body::jsonb ->> 'reference', v.source || '/' ||
                  v.external_id) = n."name") offset 0)
            """,
            (entity, 0),
            documents.Select(d => d.Party).ToArray(),
            documents.Select(d => d.Name).ToArray()
        );
        return (await command.RowsAsync(r => (r.GetString(0), r.GetString(1)), stop)).ToHashSet();
    }

    /// <summary>Whether anything was posted about any of these names.</summary>
    public static async Task<bool> AnyPostedAsync(
        NpgsqlConnection db,
        int entity,
        IReadOnlyCollection<EventLink> names,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select exists (select from unnest($3::text[], $4::text[], $5::text[]) as n(party, what, "name")
              cross join lateral (select from event_link l where l.entity_id = $1 and l.party = n.party collate "C"
                and l.what = n.what collate "C" and l."name" = n."name" collate "C" offset 0) l where $2 = 0)
            """,
            (entity, 0),
            names.Select(n => n.Party).ToArray(),
            names.Select(n => n.Order ? "order" : "document").ToArray(),
            names.Select(n => n.Name).ToArray()
        );
        return (bool)(await command.ExecuteScalarAsync(stop))!;
    }

    /// <summary>Has events tried again for which it may have become possible.</summary>
    /// <param name="changed">Whether anything changed here since they were tried last.</param>
    /// <param name="today">Of the entity: patience is counted in its days.</param>
    public static async Task WakeAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        string code,
        bool changed,
        int patience,
        DateOnly today,
        CancellationToken stop
    )
    {
        await using var behind = LinkSql.Of(
            db,
            """
            update link_event e set state = 'received' where e.entity_id = $1 and e.connection_id = $2 and e.state =
              'waiting'
              and (e.reason = 'behind' and not exists (select from link_event b where b.entity_id = $1 and b.row_id =
                e.held_by
                  and b.state in ('received', 'waiting', 'dead'))
                or e.reason = 'awaits-document' and (e.date + $3 < $4 or exists (select from link_held h join
                  event_link l
                    on l.entity_id = h.entity_id and l.what = 'document' and l."name" = h."name" and (h.party = '' or
                      l.party = h.party)
                  where h.entity_id = $1 and h.connection_id = $2 and h.row_id = e.row_id and h.what = 'awaited')))
            """,
            at,
            patience,
            LinkSql.Maybe(today, NpgsqlDbType.Date)
        );
        await behind.ExecuteNonQueryAsync(stop);
        if (!changed)
            return;
        await using var unpaired = LinkSql.Of(
            db,
            """
            update link_event e set state = 'received' where e.entity_id = $1 and e.connection_id = $2 and e.state =
              'waiting'
              and (e.reason = 'unpaired' and (e.subject like 'word:%' or exists (select from pairings p where
                p.entity_id = $1
                  and p.connection = $3 and p.record || ' ' || p.theirs = e.subject))
                or e.reason not in ('unpaired', 'gap', 'behind', 'awaits-document'))
            """,
            at,
            code
        );
        await unpaired.ExecuteNonQueryAsync(stop);
    }

    /// <summary>How far the numbers of a connection came: what was gone through, the highest, and what is missing between,
    /// with when the first after it came.</summary>
    /// <remarks>It walks from the number gone through by an index; uses link_event_sequence.</remarks>
    public static async Task<(
        long Passed,
        long Highest,
        IReadOnlyList<MissingNumbers> Missing,
        DateTime Now
    )> NumbersAsync(NpgsqlConnection db, (int Entity, int Connection) at, int limit, CancellationToken stop)
    {
        await using var head = LinkSql.Of(
            db,
            """
            select c.passed_sequence, coalesce((select max(sequence) from link_event e where e.entity_id = $1 and
              e.connection_id = $2), 0),
              clock_timestamp() from connection c where c.entity_id = $1 and c.connection_id = $2
            """,
            at
        );
        var (passed, highest, now) = (
            await head.RowsAsync(r => (r.GetInt64(0), r.GetInt64(1), r.GetDateTime(2)), stop)
        ).Single();
        if (highest <= passed)
            return (passed, highest, [], now);
        await using var command = LinkSql.Of(
            db,
            """
            select s.before + 1, s.sequence - 1, (select min(received_at) from link_event a where a.entity_id = $1
                and a.connection_id = $2 and a.sequence >= s.sequence)
            from (select sequence, lag(sequence, 1, $3) over (order by sequence) as before from link_event
              where entity_id = $1 and connection_id = $2 and sequence > $3) s
            where s.sequence > s.before + 1 order by 1 limit $4
            """,
            at,
            passed,
            limit
        );
        var missing = await command.RowsAsync(
            r => new MissingNumbers(r.GetInt64(0), r.GetInt64(1), r.GetDateTime(2)),
            stop
        );
        return (passed, highest, missing, now);
    }

    /// <summary>Notes how far numbers were gone through, and what was given up.</summary>
    public static async Task PassAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        FeedOrder order,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            "update connection set passed_sequence = $3 where entity_id = $1 and connection_id = $2",
            at,
            order.Passed
        );
        await command.ExecuteNonQueryAsync(stop);
        if (order.GivenUp.Count > 0)
        {
            await using var gaps = LinkSql.Of(
                db,
                """
                insert into link_gap (entity_id, connection_id, "from", "to") select $1, $2, * from
                  unnest($3::bigint[], $4::bigint[])
                on conflict do nothing
                """,
                at,
                order.GivenUp.Select(g => g.From).ToArray(),
                order.GivenUp.Select(g => g.To).ToArray()
            );
            await gaps.ExecuteNonQueryAsync(stop);
        }
        await using var free = LinkSql.Of(
            db,
            """
            update link_event set state = 'received' where entity_id = $1 and connection_id = $2 and state = 'waiting'
              and reason = 'gap' and sequence <= $3
            """,
            at,
            order.Passed
        );
        await free.ExecuteNonQueryAsync(stop);
    }

    /// <summary>How many events wait behind one, over all connections; directly or behind those.</summary>
    public static async Task<IReadOnlyDictionary<long, long>> BehindAsync(
        NpgsqlConnection db,
        int entity,
        IReadOnlyCollection<long> rows,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            with recursive b as (
              select n.row_id as root, e.row_id from unnest($3::bigint[]) as n(row_id)
                join link_event e on e.entity_id = $1 and e.held_by = n.row_id and e.state = 'waiting' where $2 = 0
              union select b.root, e.row_id from b join link_event e on e.entity_id = $1 and e.held_by = b.row_id and
                e.state = 'waiting')
            select root, count(*) from b group by root
            """,
            (entity, 0),
            rows.ToArray()
        );
        return (await command.RowsAsync(r => (r.GetInt64(0), r.GetInt64(1)), stop)).ToDictionary(
            r => r.Item1,
            r => r.Item2
        );
    }

    internal static NpgsqlParameter Texts(IEnumerable<string?> values) => Many(values.ToArray(), NpgsqlDbType.Text);

    internal static NpgsqlParameter Many(object value, NpgsqlDbType type) =>
        new() { Value = value, NpgsqlDbType = NpgsqlDbType.Array | type };
}
