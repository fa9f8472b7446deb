using Assignum.Core.Feeding;
using Assignum.Core.Pairing;
using Npgsql;
using NpgsqlTypes;

namespace Assignum.Storage;

/// <summary>An event of theirs as it came.</summary>
/// <param name="Body">As JSON, its fields sorted: equal for events that are equal.</param>
/// <param name="Reasons">Why it is dead: the first code, and all as JSON; null: it is not.</param>
/// <param name="Voids">The event that it declares void.</param>
/// <param name="Names">What it names in their codes and words.</param>
public sealed record CameEvent(
    string Id,
    long? Sequence,
    string Kind,
    DateOnly? Date,
    decimal Amount,
    string Body,
    (string Channel, string Method, string Location) At,
    (string Code, string Json)? Reasons,
    IReadOnlyCollection<Named> Names,
    IReadOnlyCollection<string> Unknown,
    string? Voids = null
);

/// <summary>Where purposes are reached: a kind of event with the channel, method and location that it names.</summary>
public sealed record ReachedAt(string Kind, string Channel, string Method, string Location, long Row, Waits Waits);

/// <summary>Keeps what connected systems told, before and after it is posted.</summary>
public static class LinkEventStore
{
    /// <summary>Takes a page of events: what was kept before with the same content is left as it is, other content under
    /// a known id is kept beside it, dead.</summary>
    /// <returns>How many are new.</returns>
    public static async Task<int> TakeAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        IReadOnlyList<CameEvent> events,
        (string Code, string Json) otherContent,
        (string Code, string Json) sameSequence,
        CancellationToken stop
    )
    {
        var known = new Dictionary<string, HashSet<string>>(StringComparer.Ordinal);
        await using (
            var look = LinkSql.Of(
                db,
                "select id, body from link_event where entity_id = $1 and connection_id = $2 and id = any($3)",
                at,
                events.Select(e => e.Id).Distinct(StringComparer.Ordinal).ToArray()
            )
        )
            foreach (var (id, body) in await look.RowsAsync(r => (r.GetString(0), r.GetString(1)), stop))
                (known.TryGetValue(id, out var there) ? there : known[id] = []).Add(body);
        var numbers = new Dictionary<long, string>();
        await using (
            var look = LinkSql.Of(
                db,
                "select sequence, id from link_event where entity_id = $1 and connection_id = $2 and sequence = any($3)",
                at,
                events.Select(e => e.Sequence).OfType<long>().ToArray()
            )
        )
            foreach (var (number, id) in await look.RowsAsync(r => (r.GetInt64(0), r.GetString(1)), stop))
                numbers[number] = id;
        var fresh = new List<(CameEvent Event, bool Again)>();
        foreach (var given in events)
        {
            // A number is one event's: of a second one it is not known which of the two is meant.
            var came =
                given is { Sequence: { } number, Reasons: null }
                && numbers.TryGetValue(number, out var other)
                && other != given.Id
                    ? given with
                    {
                        Sequence = null,
                        Reasons = sameSequence,
                    }
                    : given;
            if (came.Sequence is { } taken)
                numbers[taken] = came.Id;
            var again = known.TryGetValue(came.Id, out var bodies);
            if (again && !bodies!.Add(came.Body))
                continue;
            if (!again)
                known[came.Id] = [came.Body];
            fresh.Add((again ? came with { Reasons = otherContent } : came, again));
        }
        if (fresh.Count == 0)
            return 0;
        await using var command = LinkSql.Of(
            db,
            """
            insert into link_event (entity_id, connection_id, id, sequence, kind, date, amount, body, channel, method,
              location,
              state, reasons, again, unknown, reason, subject, voids, late)
            select $1, $2, n.id, n.sequence, n.kind, n.date, n.amount, n.body, n.channel, n.method, n.location,
              case when n.reasons is null then 'received' else 'dead' end, coalesce(n.reasons, '[]')::jsonb, n.again,
              string_to_array(n.unknown, ' '), n.reason, left(n.reasons::jsonb -> 0 ->> 'message', 200), n.voids,
              exists (select from link_gap g where g.entity_id = $1 and g.connection_id = $2 and n.sequence between
                g."from" and g."to")
            from unnest($3::text[], $4::bigint[], $5::text[], $6::date[], $7::numeric[], $8::text[], $9::text[],
              $10::text[],
              $11::text[], $12::text[], $13::boolean[], $14::text[], $15::text[], $16::text[]) with ordinality
              as n(id, sequence, kind, date, amount, body, channel, method, location, reasons, again, unknown, reason,
                voids, place)
            order by n.place returning row_id
            """,
            at,
            fresh.Select(f => f.Event.Id).ToArray(),
            FeedStore.Many(fresh.Select(f => f.Event.Sequence).ToArray(), NpgsqlDbType.Bigint),
            fresh.Select(f => f.Event.Kind).ToArray(),
            FeedStore.Many(fresh.Select(f => f.Event.Date).ToArray(), NpgsqlDbType.Date),
            fresh.Select(f => f.Event.Amount).ToArray(),
            fresh.Select(f => f.Event.Body).ToArray(),
            fresh.Select(f => f.Event.At.Channel).ToArray(),
            fresh.Select(f => f.Event.At.Method).ToArray(),
            fresh.Select(f => f.Event.At.Location).ToArray(),
            FeedStore.Texts(fresh.Select(f => f.Event.Reasons?.Json)),
            fresh.Select(f => f.Again).ToArray(),
            fresh.Select(f => string.Join(' ', f.Event.Unknown)).ToArray(),
            FeedStore.Texts(fresh.Select(f => f.Event.Reasons?.Code)),
            FeedStore.Texts(fresh.Select(f => f.Event.Voids))
        );
        var rows = await command.RowsAsync(r => r.GetInt64(0), stop);
        var names = fresh
            .Zip(rows)
            .Where(f => f.First.Event.Reasons is null)
            .SelectMany(f => f.First.Event.Names.Select(n => (n.Record, n.Theirs, Row: f.Second)))
            .ToList();
        await using var named = LinkSql.Of(
            db,
            """
            insert into link_event_name select $1, $2, n.record, n.theirs, n.row_id
            from unnest($3::text[], $4::text[], $5::bigint[]) as n(record, theirs, row_id)
            """,
            at,
            names.Select(n => n.Record).ToArray(),
            names.Select(n => n.Theirs).ToArray(),
            names.Select(n => n.Row).ToArray()
        );
        await named.ExecuteNonQueryAsync(stop);
        return fresh.Count;
    }

    /// <summary>Of some events those that were declared void, with the event that says so.</summary>
    public static async Task<IReadOnlyDictionary<string, string>> VoidedAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        string[] ids,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select voids, min(id) from link_event where entity_id = $1 and connection_id = $2 and voids = any($3) and
              state <> 'dead'
            group by voids
            """,
            at,
            ids
        );
        return (await command.RowsAsync(r => (r.GetString(0), r.GetString(1)), stop)).ToDictionary(
            r => r.Item1,
            r => r.Item2,
            StringComparer.Ordinal
        );
    }

    /// <summary>What of an entity came and is not posted: of which connection, and as it was told.</summary>
    public static async Task<IReadOnlyList<(string Code, string Body)>> OpenAsync(
        NpgsqlConnection db,
        int entity,
        int limit,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select c.code, e.body from connection c join link_event e using (entity_id, connection_id)
            where c.entity_id = $1 and $2 = 0 and c.state <> 'closed' and e.state in ('received', 'waiting', 'dead')
              and e.body <> 'null' and e.voids is null order by e.row_id limit $3
            """,
            (entity, 0),
            limit
        );
        return await command.RowsAsync(r => (r.GetString(0), r.GetString(1)), stop);
    }

    /// <summary>The row, state, number and day of events by their ids; of those that came.</summary>
    public static async Task<
        IReadOnlyDictionary<string, (long Row, string State, string? Number, DateOnly? Date)?>
    > FindAsync(NpgsqlConnection db, (int Entity, int Connection) at, string[] ids, CancellationToken stop)
    {
        await using var command = LinkSql.Of(
            db,
            """
            select id, row_id, state, "number", date from link_event
            where entity_id = $1 and connection_id = $2 and id = any($3) and not again
            """,
            at,
            ids
        );
        return (
            await command.RowsAsync(
                r =>
                    (
                        r.GetString(0),
                        (
                            r.GetInt64(1),
                            r.GetString(2),
                            r.Text(3),
                            r.IsDBNull(4) ? (DateOnly?)null : r.GetFieldValue<DateOnly>(4)
                        )
                    ),
                stop
            )
        ).ToDictionary(
            r => r.Item1,
            r => ((long Row, string State, string? Number, DateOnly? Date)?)r.Item2,
            StringComparer.Ordinal
        );
    }

    /// <summary>The records that events wait for: named by one that is not posted, and neither paired nor not needed;
    /// those with the most money first.</summary>
    public static async Task<IReadOnlyList<RecordNeed>> RecordNeedsAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        string code,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select n.record, n.theirs, r."name", r.status, n.events, n.amount from (
              select n.record, n.theirs, count(*) as events, sum(e.amount) as amount
              from link_event_name n join link_event e using (entity_id, connection_id, row_id)
              where n.entity_id = $1 and n.connection_id = $2 and e.state in ('received', 'waiting') and n.record not
                like 'word:%'
              group by n.record, n.theirs) n
            left join pairings p on p.entity_id = $1 and p.connection = $3 and p.record = n.record and p.theirs =
              n.theirs
            left join link_record r on r.entity_id = $1 and r.connection_id = $2 and r.kind = n.record and r.id =
              n.theirs
            where p.theirs is null order by n.amount desc, n.events desc, n.record, n.theirs
            """,
            at,
            code
        );
        return await command.RowsAsync(
            r => new RecordNeed(
                r.GetString(0),
                r.GetString(1),
                r.Text(2),
                r.Text(3),
                new Waits(r.GetInt64(4), r.GetDecimal(5))
            ),
            stop
        );
    }

    /// <summary>How many events wait for records of each kind, and what they come to: each event once for a kind, however many
    /// records of it are open.</summary>
    public static async Task<IReadOnlyDictionary<string, Waits>> RecordWaitsAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        string code,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select w.record, count(*), sum(w.amount) from (
              select distinct n.record, e.row_id, e.amount
              from link_event_name n join link_event e using (entity_id, connection_id, row_id)
              left join pairings p on p.entity_id = n.entity_id and p.connection = $3 and p.record = n.record
                and p.theirs = n.theirs
              where n.entity_id = $1 and n.connection_id = $2 and e.state in ('received', 'waiting')
                and n.record not like 'word:%' and p.theirs is null) w
            group by w.record
            """,
            at,
            code
        );
        return (
            await command.RowsAsync(r => (r.GetString(0), new Waits(r.GetInt64(1), r.GetDecimal(2))), stop)
        ).ToDictionary(r => r.Item1, r => r.Item2, StringComparer.Ordinal);
    }

    /// <summary>The words that events have, with how much waits for each, whether it is settled or not.</summary>
    public static async Task<IReadOnlyList<(string Field, string Theirs, Waits Waits)>> WordsAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select substr(n.record, 6), n.theirs, count(*), sum(e.amount)
            from link_event_name n join link_event e using (entity_id, connection_id, row_id)
            where n.entity_id = $1 and n.connection_id = $2 and e.state in ('received', 'waiting') and n.record like
              'word:%'
            group by n.record, n.theirs order by 4 desc, 1, 2
            """,
            at
        );
        return await command.RowsAsync(
            r => (r.GetString(0), r.GetString(1), new Waits(r.GetInt64(2), r.GetDecimal(3))),
            stop
        );
    }

    /// <summary>How much waits for a record, of each that is asked for.</summary>
    public static async Task<IReadOnlyDictionary<string, Waits>> WaitsForAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        string record,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select n.theirs, count(*), sum(e.amount) from link_event_name n join link_event e using (entity_id,
              connection_id, row_id)
            where n.entity_id = $1 and n.connection_id = $2 and n.record = $3 and e.state in ('received', 'waiting')
            group by n.theirs
            """,
            at,
            record
        );
        return (
            await command.RowsAsync(r => (r.GetString(0), new Waits(r.GetInt64(1), r.GetDecimal(2))), stop)
        ).ToDictionary(r => r.Item1, r => r.Item2, StringComparer.Ordinal);
    }

    /// <summary>How many events there are that are not posted, and how many of them name nothing that is open, are where
    /// nothing is open and wait for nothing else.</summary>
    /// <param name="held">Where something is open.</param>
    public static async Task<(long Open, long Ready)> ReadyAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        string code,
        IReadOnlyCollection<string> settledWords,
        IReadOnlyCollection<ReachedAt> held,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            $"""
            select count(*), count(*) filter (where (e.state = 'received' or e.reason in ('{FeedReasons.Unpaired}',
                '{FeedReasons.Unsettled}', '{FeedReasons.Gap}'))
              and (e.kind, e.channel, e.method, e.location) not in (select * from unnest($5::text[], $6::text[],
                $7::text[], $8::text[]))
              and not exists (select from link_event_name n left join pairings p
                on p.entity_id = n.entity_id and p.connection = $3 and p.record = n.record and p.theirs = n.theirs
              where n.entity_id = e.entity_id and n.connection_id = e.connection_id and n.row_id = e.row_id
                and case when n.record like 'word:%' then not n.record || ':' || n.theirs = any($4) else p.theirs is
                  null end))
            from link_event e where e.entity_id = $1 and e.connection_id = $2 and e.state in ('received', 'waiting')
            """,
            at,
            code,
            settledWords.ToArray(),
            held.Select(h => h.Kind).ToArray(),
            held.Select(h => h.Channel).ToArray(),
            held.Select(h => h.Method).ToArray(),
            held.Select(h => h.Location).ToArray()
        );
        return (await command.RowsAsync(r => (r.GetInt64(0), r.GetInt64(1)), stop)).Single();
    }

    /// <summary>Where purposes are reached by the events that are kept, each place once with one event of it.</summary>
    public static async Task<IReadOnlyList<ReachedAt>> ReachedAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select kind, channel, method, location, max(row_id), count(*) filter (where state in ('received',
              'waiting')),
              coalesce(sum(amount) filter (where state in ('received', 'waiting')), 0)
            from link_event where entity_id = $1 and connection_id = $2 and state <> 'dead' group by kind, channel,
              method, location
            order by kind, channel, method, location
            """,
            at
        );
        return await command.RowsAsync(
            r => new ReachedAt(
                r.GetString(0),
                r.GetString(1),
                r.GetString(2),
                r.GetString(3),
                r.GetInt64(4),
                new Waits(r.GetInt64(5), r.GetDecimal(6))
            ),
            stop
        );
    }

    /// <summary>Sets aside what is dated before the first day that posts.</summary>
    /// <returns>How many were.</returns>
    public static async Task<int> SetAsideBeforeAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        DateOnly from,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            update link_event set state = 'set-aside', reason = 'before-opening', reasons =
              jsonb_build_array(jsonb_build_object('code', 'before-opening',
              'message', 'It is dated before the first day that posts: what it did is part of the opening.'))
            where entity_id = $1 and connection_id = $2 and state in ('received', 'waiting') and date < $3
            """,
            at,
            LinkSql.Maybe(from, NpgsqlDbType.Date)
        );
        return await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>How many there are of each state, with what they come to.</summary>
    public static async Task<IReadOnlyList<(string State, Waits Waits)>> CountsAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select state, count(*), sum(amount) from link_event where entity_id = $1 and connection_id = $2 group by
              state
            order by state
            """,
            at
        );
        return await command.RowsAsync(r => (r.GetString(0), new Waits(r.GetInt64(1), r.GetDecimal(2))), stop);
    }

    /// <summary>The numbers that are missing between the first and the last that came, as stretches; at most so
    /// many.</summary>
    public static async Task<IReadOnlyList<(long From, long To)>> GapsAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        int limit,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select s.before + 1, s.sequence - 1 from (select sequence, lag(sequence, 1, 0::bigint) over (order by
              sequence) as before
              from (select distinct sequence from link_event where entity_id = $1 and connection_id = $2 and sequence
                is not null) d) s
            where s.sequence > s.before + 1 order by 1 limit $3
            """,
            at,
            limit
        );
        return await command.RowsAsync(r => (r.GetInt64(0), r.GetInt64(1)), stop);
    }

    /// <summary>Events of a state, by the row after which they stand.</summary>
    public static async Task<IReadOnlyList<LinkEvent>> PageAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        string? state,
        long after,
        int limit,
        CancellationToken stop,
        IReadOnlyCollection<long>? rows = null
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select row_id, id, sequence, kind, date, amount, body, state, reasons::text, "number", received_at,
              held_by, late, unmatched, replaced_by from link_event
            where entity_id = $1 and connection_id = $2 and ($3::text is null or state = $3) and row_id > $4
              and ($6::bigint[] is null or row_id = any($6)) order by row_id limit $5
            """,
            at,
            state,
            after,
            limit,
            LinkSql.Maybe(rows?.ToArray(), NpgsqlDbType.Array | NpgsqlDbType.Bigint)
        );
        return await command.RowsAsync(
            r => new LinkEvent(
                r.GetInt64(0),
                r.GetString(1),
                r.IsDBNull(2) ? null : r.GetInt64(2),
                r.GetString(3),
                r.IsDBNull(4) ? null : r.GetFieldValue<DateOnly>(4),
                r.GetDecimal(5),
                r.GetString(6),
                r.GetString(7),
                r.GetString(8),
                r.Text(9),
                r.GetDateTime(10),
                r.IsDBNull(11) ? null : r.GetInt64(11),
                r.GetBoolean(12),
                r.GetBoolean(13),
                r.Text(14)
            ),
            stop
        );
    }
}
