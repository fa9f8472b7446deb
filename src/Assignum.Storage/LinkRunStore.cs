using Assignum.Core.Feeding;
using Npgsql;

namespace Assignum.Storage;

/// <summary>A journal in a file.</summary>
public sealed record JournalOfRun(long Id, string Key, string State, string? TheirId, string Body);

/// <summary>Keeps the files in which journals go on to a ledger.</summary>
public static class LinkRunStore
{
    private static JournalRun Read(NpgsqlDataReader r) =>
        new(
            r.GetInt32(0),
            r.GetInt32(1),
            r.GetDecimal(2),
            r.GetString(3),
            r.GetDateTime(4),
            r.Text(5),
            r.IsDBNull(6) ? null : r.GetDateTime(6),
            r.GetInt64(7)
        );

    private const string Columns = """
        r."number", r.journals, r.amount, r.who, r.at, r.confirmed_by, r.confirmed_at,
          (select count(*) from link_journal j where j.entity_id = r.entity_id and j.connection_id = r.connection_id
            and j.state = 'waiting' and j.reason = 'in-file' and j.subject = r."number"::text)
        """;

    /// <summary>The newest files.</summary>
    public static async Task<IReadOnlyList<JournalRun>> ListAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        int limit,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            $"""
            select {Columns} from link_run r where r.entity_id = $1 and r.connection_id = $2
            order by r."number" desc limit $3
            """,
            at,
            limit
        );
        return await command.RowsAsync(Read, stop);
    }

    /// <summary>The number of the next.</summary>
    public static async Task<int> NextAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            "select coalesce(max(\"number\"), 0) + 1 from link_run where entity_id = $1 and connection_id = $2",
            at
        );
        return (int)(await command.ExecuteScalarAsync(stop))!;
    }

    /// <summary>Keeps one.</summary>
    public static async Task<JournalRun> AddAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        int number,
        int journals,
        decimal amount,
        string who,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            $"""
            insert into link_run as r (entity_id, connection_id, "number", journals, amount, who)
            values ($1, $2, $3, $4, $5, $6) returning {Columns}
            """,
            at,
            number,
            journals,
            amount,
            who
        );
        return (await command.RowsAsync(Read, stop)).Single();
    }

    /// <summary>All of it was confirmed.</summary>
    public static async Task ConfirmedAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        int number,
        string who,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            update link_run set confirmed_by = $4, confirmed_at = clock_timestamp()
            where entity_id = $1 and connection_id = $2 and "number" = $3 and confirmed_at is null
            """,
            at,
            number,
            who
        );
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>Puts journals into a file.</summary>
    public static async Task PutAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        int number,
        IReadOnlyCollection<long> journals,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            insert into link_run_journal select $1, $2, $3, journal_id, body from link_journal
            where entity_id = $1 and connection_id = $2 and journal_id = any($4)
            """,
            at,
            number,
            journals.ToArray()
        );
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>Has those tried again that wait and are in no file.</summary>
    public static async Task WakeAsync(NpgsqlConnection db, (int Entity, int Connection) at, CancellationToken stop)
    {
        await using var command = LinkSql.Of(
            db,
            """
            update link_journal set state = 'received' where entity_id = $1 and connection_id = $2 and state = 'waiting'
              and reason is distinct from 'in-file'
            """,
            at
        );
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>The journals of a file, in their order; <c>elsewhere</c>: it is in a later file since.</summary>
    public static async Task<IReadOnlyList<JournalOfRun>> BodiesAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        int number,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select j.journal_id, j.key, case when j.reason = 'in-file' and j.subject <> $3::text then 'elsewhere' else
              j.state end, j.their_id, r.body
            from link_run_journal r join link_journal j using (entity_id, connection_id, journal_id)
            where r.entity_id = $1 and r.connection_id = $2 and r."number" = $3 order by j.journal_id
            """,
            at,
            number
        );
        return await command.RowsAsync(
            r => new JournalOfRun(r.GetInt64(0), r.GetString(1), r.GetString(2), r.Text(3), r.GetString(4)),
            stop
        );
    }
}
