using Npgsql;
using NpgsqlTypes;

namespace Assignum.Storage;

/// <summary>A connection that there is something to do for.</summary>
/// <param name="Entity">Id of the entity.</param>
/// <param name="Asks">Whether its system is to be asked.</param>
public sealed record DueLink(int Entity, string EntityCode, int Connection, string Code, bool Asks);

/// <summary>Who works on connections, until when, and which are due.</summary>
public static class LeaseStore
{
    /// <summary>Takes a connection for a while; null: another holds it.</summary>
    /// <returns>The number of the lease.</returns>
    public static async Task<long?> TakeAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        Guid holder,
        TimeSpan lease,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            insert into link_lease as l values ($1, $2, 1, $3, clock_timestamp() + $4)
            on conflict (entity_id, connection_id) do update set "number" = l."number" + 1, holder = $3,
              until = clock_timestamp() + $4 where l.until < clock_timestamp() returning "number"
            """,
            at,
            Of(holder),
            lease
        );
        return await command.ExecuteScalarAsync(stop) as long?;
    }

    /// <summary>Holds it for another while; false: it is another's by now.</summary>
    public static async Task<bool> HoldAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        long number,
        TimeSpan lease,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            update link_lease set until = clock_timestamp() + $4
            where entity_id = $1 and connection_id = $2 and "number" = $3 and until > clock_timestamp()
            """,
            at,
            number,
            lease
        );
        return await command.ExecuteNonQueryAsync(stop) == 1;
    }

    /// <summary>Gives it back.</summary>
    public static async Task GiveAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        long number,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            update link_lease set until = '-infinity', holder = null
            where entity_id = $1 and connection_id = $2 and "number" = $3
            """,
            at,
            number
        );
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>Whether it is still held under that number; until the transaction ends nobody takes it over.</summary>
    public static async Task<bool> IsHeldAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        long number,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select 1 from link_lease where entity_id = $1 and connection_id = $2 and "number" = $3 and until >
              clock_timestamp()
            for share
            """,
            at,
            number
        );
        return await command.ExecuteScalarAsync(stop) is not null;
    }

    // What decides whether an event can post, as one text: records, editions, words, purposes.
    private const string Stamp = """
        (select en.records_revision::text || '.' || coalesce((select sum(hashtext(ed.edition_id::text ||
          coalesce(ed.valid_from::text, '')
            || coalesce(ed."number"::text, '')))::text from edition ed where ed.entity_id = c.entity_id and
              ed."number" is not null), '')
          || '.' || coalesce((select max(w.at)::text from link_word w where w.entity_id = c.entity_id and
            w.connection_id = c.connection_id), '')
          || '.' || coalesce((select max(p.at)::text from link_purpose p where p.entity_id = c.entity_id and
            p.connection_id = c.connection_id), '')
          from entity en where en.entity_id = c.entity_id)
        """;

    /// <summary>What decides whether its events can post, as one text.</summary>
    public static async Task<string> StampAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            $"select {Stamp} from connection c where c.entity_id = $1 and c.connection_id = $2",
            at
        );
        return (string)(await command.ExecuteScalarAsync(stop))!;
    }

    /// <summary>The live connections that are due: to be asked, with something new here, or with events to be tried.</summary>
    public static async Task<IReadOnlyList<DueLink>> DueAsync(NpgsqlConnection db, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand(
            $"""
            select c.entity_id, e.code, c.connection_id, c.code, c.ask_at <= clock_timestamp() as asks
            from connection c join entity e using (entity_id) left join link_lease l using (entity_id, connection_id)
            left join posting p using (entity_id)
            where (c.state = 'live' or c.state = 'joining' and (c.parallel_from is not null or c.folder is not null)) and coalesce(l.until, '-infinity') < clock_timestamp()
              and (c.ask_at <= clock_timestamp() or c.state = 'live' and (c.wake or c.kind <> 'ledger' and (
                exists (select from link_event v where v.entity_id = c.entity_id and v.connection_id = c.connection_id
                  and v.state = 'received')
                or c.tried_under <> {Stamp} and exists (select from link_event v where v.entity_id = c.entity_id
                  and v.connection_id = c.connection_id and v.state = 'waiting'))
                or c.kind = 'ledger' and c.sends_by = 'interface' and c.failures = 0 and (p.next_entry > c.taken_entry + 1 or c.tried_under <>
                  {Stamp} and exists (select
                  from link_journal j where j.entity_id = c.entity_id and j.connection_id = c.connection_id and
                    j.state = 'waiting'))))
            order by c.ask_at
            """,
            db
        );
        return await command.RowsAsync(
            r => new DueLink(r.GetInt32(0), r.GetString(1), r.GetInt32(2), r.GetString(3), r.GetBoolean(4)),
            stop
        );
    }

    /// <summary>Begins to try its events: what holds here, and what held when they were tried last. It is not woken any
    /// more.</summary>
    public static async Task<(string Now, string Before)> BeginAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            $"""
            update connection n set wake = false from (select c.tried_under, {Stamp} as stamp from connection c
              where c.entity_id = $1 and c.connection_id = $2 for update) o
            where n.entity_id = $1 and n.connection_id = $2 returning o.stamp, o.tried_under
            """,
            at
        );
        return (await command.RowsAsync(r => (r.GetString(0), r.GetString(1)), stop)).Single();
    }

    /// <summary>Notes under what its events were tried.</summary>
    public static async Task TriedAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        string under,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            "update connection set tried_under = $3 where entity_id = $1 and connection_id = $2",
            at,
            under
        );
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>When its system is asked next, and how often it failed in a row.</summary>
    public static async Task NextAskAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        TimeSpan wait,
        int failures,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            update connection set ask_at = greatest(clock_timestamp() + $3, coalesce(quiet_until, '-infinity')),
              failures = $4
            where entity_id = $1 and connection_id = $2
            """,
            at,
            wait,
            failures
        );
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>How often asking it failed in a row.</summary>
    public static async Task<int> FailuresAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            "select failures from connection where entity_id = $1 and connection_id = $2",
            at
        );
        return (int)(await command.ExecuteScalarAsync(stop))!;
    }

    /// <summary>Has it asked now, never sooner than it said itself.</summary>
    public static async Task AskNowAsync(NpgsqlConnection db, (int Entity, int Connection) at, CancellationToken stop)
    {
        await using var command = LinkSql.Of(
            db,
            """
            update connection set ask_at = greatest(clock_timestamp(), coalesce(quiet_until, '-infinity')), wake = true
            where entity_id = $1 and connection_id = $2
            """,
            at
        );
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>Has its events tried again at once.</summary>
    public static async Task WakeAsync(NpgsqlConnection db, (int Entity, int Connection) at, CancellationToken stop)
    {
        await using var command = LinkSql.Of(
            db,
            "update connection set wake = true where entity_id = $1 and connection_id = $2",
            at
        );
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>Has the other live connections of the entity try again what waits for documents or behind others.</summary>
    /// <param name="but">The connection that posted; 0: none.</param>
    public static async Task WakeOthersAsync(NpgsqlConnection db, int entity, int but, CancellationToken stop)
    {
        await using var command = LinkSql.Of(
            db,
            """
            update connection c set wake = true where c.entity_id = $1 and c.connection_id <> $2 and c.state = 'live'
              and not c.wake
              and exists (select from link_event e where e.entity_id = c.entity_id and e.connection_id = c.connection_id
                and e.state = 'waiting' and e.reason in ('behind', 'awaits-document'))
            """,
            (entity, but)
        );
        await command.ExecuteNonQueryAsync(stop);
    }

    private static NpgsqlParameter Of(Guid id) => new() { Value = id, NpgsqlDbType = NpgsqlDbType.Uuid };
}
