using Assignum.Core.Feeding;
using Assignum.Core.Ledger;
using Assignum.Core.Pairing;
using Npgsql;
using NpgsqlTypes;

namespace Assignum.Storage;

/// <summary>A line of an entry as it goes on to a ledger.</summary>
/// <param name="Account">Our number today.</param>
/// <param name="Group">Of a sum: the source of what is in it.</param>
public sealed record JournalLine(
    long Entry,
    string Account,
    decimal Debit,
    decimal Credit,
    decimal? CurrencyDebit,
    decimal? CurrencyCredit,
    string? Party,
    string? Document,
    DateOnly? Due,
    string? Text,
    string? TaxCode,
    string? Group = null
);

/// <summary>The head of an entry as it goes on to a ledger.</summary>
public sealed record JournalHead(
    long Entry,
    DateOnly Date,
    string Number,
    string Kind,
    string? Reference,
    string Currency,
    decimal Rate,
    string? Party
);

/// <summary>What became of a journal.</summary>
public sealed record JournalMark(
    long Id,
    string State,
    string? Reason,
    string? Subject,
    string Reasons,
    string? TheirId,
    long? HeldBy
);

/// <summary>Keeps what goes on to a ledger and what comes back from it.</summary>
public static class LinkJournalStore
{
    private const string Columns = """
        journal_id, key, date, "number", entry_id, amount, state, reasons::text, reason, body, their_id, tries, sent_at
        """;

    private static LinkJournal Read(NpgsqlDataReader r) =>
        new(
            r.GetInt64(0),
            r.GetString(1),
            r.GetFieldValue<DateOnly>(2),
            r.GetString(3),
            r.IsDBNull(4) ? null : r.GetInt64(4),
            r.GetDecimal(5),
            r.GetString(6),
            r.GetString(7),
            r.Text(8),
            r.Text(9),
            r.Text(10),
            r.GetInt32(11),
            r.IsDBNull(12) ? null : r.GetDateTime(12)
        );

    /// <summary>Takes the next entries: each becomes a journal.</summary>
    /// <param name="life">Of this installation: no restore uses a key again.</param>
    /// <returns>How many were looked at; 0: there are no more.</returns>
    public static async Task<long> TakeAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        string life,
        DateOnly from,
        int limit,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            with c as (select taken_entry from connection where entity_id = $1 and connection_id = $2 for update),
            n as (select n.* from entry n, c where n.entity_id = $1 and n.entry_id > c.taken_entry order by n.entry_id
              limit $5),
            made as (insert into link_journal (entity_id, connection_id, key, date, "number", entry_id, amount)
              select $1, $2, $3 || '/' || $1 || '.' || entry_id, date, "number", entry_id, total from n where date >= $4
              order by entry_id),
            moved as (update connection k set taken_entry = (select max(entry_id) from n) where k.entity_id = $1
              and k.connection_id = $2 and exists (select from n))
            select count(*) from n
            """,
            at,
            life,
            LinkSql.Maybe(from, NpgsqlDbType.Date),
            limit
        );
        return (long)(await command.ExecuteScalarAsync(stop))!;
    }

    /// <summary>Takes the entries of days that are over: of each day what is new becomes one journal, a sum by account and
    /// source.</summary>
    public static async Task<long> TakeSumsAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        string life,
        DateOnly from,
        DateOnly today,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            with c as (select taken_entry from connection where entity_id = $1 and connection_id = $2 for update),
            n as (select n.entry_id, n.date, n.total from entry n, c where n.entity_id = $1 and n.date >= $4 and
              n.date < $5
              and not exists (select from link_journal_entry j where j.entity_id = $1 and j.connection_id = $2 and
                j.entry_id = n.entry_id)
              and not exists (select from link_journal j where j.entity_id = $1 and j.connection_id = $2 and
                j.entry_id = n.entry_id)),
            d as (select date, sum(total) as total, max(entry_id) as last from n group by date),
            made as (insert into link_journal (entity_id, connection_id, key, date, "number", amount)
              select $1, $2, $3 || '/' || $1 || '.day.' || date || '.' || last, date, 'day ' || date, total from d
                order by date
              returning journal_id, date),
            linked as (insert into link_journal_entry select $1, $2, m.journal_id, n.entry_id from made m join n using
              (date)),
            moved as (update connection k set taken_entry = (select next_entry - 1 from posting where entity_id = $1)
              where k.entity_id = $1 and k.connection_id = $2)
            select count(*) from n
            """,
            at,
            life,
            LinkSql.Maybe(from, NpgsqlDbType.Date),
            LinkSql.Maybe(today, NpgsqlDbType.Date)
        );
        return (long)(await command.ExecuteScalarAsync(stop))!;
    }

    /// <summary>Whether the last journal that was taken is of another life of this installation, or there is none yet.</summary>
    public static async Task<bool> IsOfOtherLifeAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        string life,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select coalesce((select not starts_with(key, $3 || '/') from link_journal where entity_id = $1
              and connection_id = $2 order by journal_id desc limit 1), true)
            """,
            at,
            life
        );
        return (bool)(await command.ExecuteScalarAsync(stop))!;
    }

    /// <summary>The next that are to be sent, in their order.</summary>
    public static async Task<IReadOnlyList<LinkJournal>> NextAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        int limit,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            $"""
            select {Columns} from link_journal where entity_id = $1 and connection_id = $2 and state = 'received'
            order by journal_id limit $3
            """,
            at,
            limit
        );
        return await command.RowsAsync(Read, stop);
    }

    /// <summary>Journals of a state or a day, by the one after which they stand.</summary>
    public static async Task<IReadOnlyList<LinkJournal>> PageAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        string? state,
        long after,
        int limit,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            $"""
            select {Columns} from link_journal where entity_id = $1 and connection_id = $2 and ($3::text is null or
              state = $3)
              and journal_id > $4 order by journal_id limit $5
            """,
            at,
            state,
            after,
            limit
        );
        return await command.RowsAsync(Read, stop);
    }

    /// <summary>Heads and lines of entries of journals, by journal.</summary>
    public static async Task<(ILookup<long, JournalHead> Heads, ILookup<long, JournalLine> Lines)> LinesAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        IReadOnlyCollection<long> journals,
        CancellationToken stop
    )
    {
        const string of = """
            (select j.journal_id, j.entry_id from link_journal j where j.entity_id = $1 and j.connection_id = $2 and
              j.journal_id = any($3)
              and j.entry_id is not null
             union all select e.journal_id, e.entry_id from link_journal_entry e where e.entity_id = $1 and
               e.connection_id = $2
              and e.journal_id = any($3))
            """;
        await using var heads = LinkSql.Of(
            db,
            $"""
            select j.journal_id, n.entry_id, n.date, n."number", n.kind, n.reference, n.currency, n.rate, n.party
            from {of} j join entry n on n.entity_id = $1 and n.entry_id = j.entry_id order by n.entry_id
            """,
            at,
            journals.ToArray()
        );
        var found = (
            await heads.RowsAsync(
                r =>
                    (
                        Journal: r.GetInt64(0),
                        Head: new JournalHead(
                            r.GetInt64(1),
                            r.GetFieldValue<DateOnly>(2),
                            r.GetString(3),
                            r.GetString(4),
                            r.Text(5),
                            r.GetString(6),
                            r.GetDecimal(7),
                            r.Text(8)
                        )
                    ),
                stop
            )
        ).ToLookup(r => r.Journal, r => r.Head);
        await using var lines = LinkSql.Of(
            db,
            $"""
            select j.journal_id, l.entry_id, a."number", l.debit, l.credit, l.currency_debit, l.currency_credit,
              l.party, m.reference,
              m.due, l.text, l.tax_code, v.source
            from {of} j join entry_line l on l.entity_id = $1 and l.entry_id = j.entry_id
            join entry n on n.entity_id = $1 and n.entry_id = j.entry_id
            join event v on v.entity_id = n.event_entity_id and v.event_id = n.event_id
            join accounts a on a.entity_id = l.entity_id and a.account_id = l.account_id
            left join lateral (select m.reference, m.due from subledger_movement m where m.entity_id = l.entity_id
              and m.entry_id = l.entry_id and m.line_no = l.line_no offset 0) m on true
            order by l.entry_id, l.line_no
            """,
            at,
            journals.ToArray()
        );
        return (
            found,
            (
                await lines.RowsAsync(
                    r =>
                        (
                            Journal: r.GetInt64(0),
                            Line: new JournalLine(
                                r.GetInt64(1),
                                r.GetString(2),
                                r.GetDecimal(3),
                                r.GetDecimal(4),
                                r.Number(5),
                                r.Number(6),
                                r.Text(7),
                                r.Text(8),
                                r.IsDBNull(9) ? null : r.GetFieldValue<DateOnly>(9),
                                r.Text(10),
                                r.Text(11),
                                r.GetString(12)
                            )
                        ),
                    stop
                )
            ).ToLookup(r => r.Journal, r => r.Line)
        );
    }

    /// <summary>Fixes what journals are sent as: whatever is sent of them from now on is that.</summary>
    public static async Task FreezeAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        IReadOnlyList<(long Id, string Body, byte[] Content)> bodies,
        CancellationToken stop
    )
    {
        if (bodies.Count == 0)
            return;
        await using var command = LinkSql.Of(
            db,
            """
            update link_journal j set body = n.body, content = n.content from unnest($3::bigint[], $4::text[],
              $5::bytea[])
              as n(journal_id, body, content)
            where j.entity_id = $1 and j.connection_id = $2 and j.journal_id = any($3) and j.journal_id = n.journal_id
            """,
            at,
            bodies.Select(b => b.Id).ToArray(),
            bodies.Select(b => b.Body).ToArray(),
            FeedStore.Many(bodies.Select(b => b.Content).ToArray(), NpgsqlDbType.Bytea)
        );
        await command.ChangeManyAsync(stop);
    }

    /// <summary>Notes that they are about to be sent: what becomes of them is in doubt until it is known.</summary>
    public static async Task TryAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        IReadOnlyCollection<long> journals,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            update link_journal set tries = tries + 1, tried_at = clock_timestamp()
            where entity_id = $1 and connection_id = $2 and journal_id = any($3)
            """,
            at,
            journals.ToArray()
        );
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>Writes what became of journals, and what they are about where others wait behind them.</summary>
    public static async Task MarkAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        IReadOnlyList<JournalMark> marks,
        CancellationToken stop
    )
    {
        if (marks.Count == 0)
            return;
        await using var command = LinkSql.Of(
            db,
            """
            update link_journal j set state = n.state, reason = n.reason, subject = n.subject, reasons =
              n.reasons::jsonb,
              their_id = coalesce(n.their_id, j.their_id), held_by = n.held_by,
              sent_at = case when n.state = 'sent' then coalesce(j.sent_at, clock_timestamp()) else j.sent_at end
            from unnest($3::bigint[], $4::text[], $5::text[], $6::text[], $7::text[], $8::text[], $9::bigint[])
              as n(journal_id, state, reason, subject, reasons, their_id, held_by)
            where j.entity_id = $1 and j.connection_id = $2 and j.journal_id = any($3) and j.journal_id = n.journal_id
            """,
            at,
            marks.Select(m => m.Id).ToArray(),
            marks.Select(m => m.State).ToArray(),
            FeedStore.Texts(marks.Select(m => m.Reason)),
            FeedStore.Texts(marks.Select(m => m.Subject)),
            marks.Select(m => m.Reasons).ToArray(),
            FeedStore.Texts(marks.Select(m => m.TheirId)),
            FeedStore.Many(marks.Select(m => m.HeldBy).ToArray(), NpgsqlDbType.Bigint)
        );
        await command.ChangeManyAsync(stop);
    }

    /// <summary>The journals that wait or are dead, with the entries in them: what comes after about the same waits.</summary>
    public static async Task<IReadOnlyList<long>> HoldingAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            select journal_id from link_journal where entity_id = $1 and connection_id = $2 and state in ('waiting',
              'dead')
              and coalesce(reason, '') not in ('behind', 'in-file') order by journal_id limit 20000
            """,
            at
        );
        return await command.RowsAsync(r => r.GetInt64(0), stop);
    }

    /// <summary>Has those tried again for which it may have become possible: everything that waits.</summary>
    public static async Task WakeAsync(NpgsqlConnection db, (int Entity, int Connection) at, CancellationToken stop)
    {
        await using var command = LinkSql.Of(
            db,
            "update link_journal set state = 'received' where entity_id = $1 and connection_id = $2 and state = 'waiting'",
            at
        );
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>Has journals tried again, or sets them aside.</summary>
    public static async Task<int> ActAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        IReadOnlyCollection<long> journals,
        string state,
        string? reasons,
        bool anew,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            update link_journal set state = $4, reasons = coalesce($5::jsonb, reasons), body = case when $6 then null
              else body end,
              reason = case when $5 is null then reason else $4 end
            where entity_id = $1 and connection_id = $2 and journal_id = any($3) and state in ('waiting', 'dead')
              and (state = 'dead' or reason is distinct from 'in-file')
            """,
            at,
            journals.ToArray(),
            state,
            reasons,
            anew
        );
        return await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>Has the journals of a day read back, and sent again where they are not there.</summary>
    public static async Task<int> ResendAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        DateOnly day,
        CancellationToken stop
    )
    {
        await using var command = LinkSql.Of(
            db,
            """
            update link_journal set state = 'received', tries = greatest(tries, 1) where entity_id = $1 and
              connection_id = $2
              and date = $3 and state in ('sent', 'waiting', 'dead')
            """,
            at,
            LinkSql.Maybe(day, NpgsqlDbType.Date)
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
            select state, count(*), sum(amount) from link_journal where entity_id = $1 and connection_id = $2 group by
              state order by state
            """,
            at
        );
        return await command.RowsAsync(r => (r.GetString(0), new Waits(r.GetInt64(1), r.GetDecimal(2))), stop);
    }

    /// <summary>Journals that wait or are dead by reason and what of, the most money first.</summary>
    public static async Task<
        IReadOnlyList<(string State, string Reason, string Subject, Waits Waits, long First)>
    > GroupsAsync(NpgsqlConnection db, (int Entity, int Connection) at, int limit, CancellationToken stop)
    {
        await using var command = LinkSql.Of(
            db,
            """
            select state, coalesce(reason, ''), coalesce(subject, ''), count(*), sum(amount), min(journal_id) from
              link_journal
            where entity_id = $1 and connection_id = $2 and state in ('waiting', 'dead') group by 1, 2, 3 order by 5
              desc, 4 desc limit $3
            """,
            at,
            limit
        );
        return await command.RowsAsync(
            r =>
                (
                    r.GetString(0),
                    r.GetString(1),
                    r.GetString(2),
                    new Waits(r.GetInt64(3), r.GetDecimal(4)),
                    r.GetInt64(5)
                ),
            stop
        );
    }
}
