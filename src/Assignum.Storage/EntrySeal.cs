using System.Security.Cryptography;
using System.Text;
using Assignum.Core.Access;
using Npgsql;

namespace Assignum.Storage;

/// <summary>What an entry's seal is taken over, field by field, the same when it is written and when it is read
/// again.</summary>
/// <remarks>Texts are led by their length, amounts are without trailing zeros, so that nothing can be moved from one
/// field to the next and a scale changes nothing.</remarks>
internal sealed class EntryContent
{
    // What is next to nothing to add is most of it: a room of its own is a third of the work of a general writer's.
    private byte[] bytes = new byte[2_048];
    private int at;

    public EntryContent Text(string? value)
    {
        if (value is null)
            return Whole(-1);
        var length = Encoding.UTF8.GetByteCount(value);
        Whole(length);
        Reserve(length);
        at += Encoding.UTF8.GetBytes(value, bytes.AsSpan(at));
        return this;
    }

    // Seven bits a byte, the lowest first; what is next to nothing takes one byte.
    public EntryContent Whole(long value)
    {
        var rest = (ulong)(value << 1 ^ value >> 63);
        Reserve(10);
        for (; rest >= 0x80; rest >>= 7)
            bytes[at++] = (byte)(rest | 0x80);
        bytes[at++] = (byte)rest;
        return this;
    }

    public EntryContent Day(DateOnly value) => Whole(value.DayNumber);

    // By its value alone, whatever its scale, and the sign of nothing is none: so the database gives it back.
    public EntryContent Amount(decimal? value)
    {
        if (value is not { } number)
            return Whole(-1);
        if (Math.Abs(number) < Wide && number * Millionths is var whole && decimal.Truncate(whole) == whole)
            return Whole(0).Whole((long)whole);
        Span<int> bits = stackalloc int[4];
        decimal.GetBits(number / 1.0000000000000000000000000000m, bits);
        Whole(1);
        foreach (var part in bits)
            Whole(part);
        return this;
    }

    private const decimal Wide = 9_000_000_000_000m,
        Millionths = 1_000_000m;

    private void Reserve(int room)
    {
        if (at + room > bytes.Length)
            Array.Resize(ref bytes, Math.Max(bytes.Length * 2, at + room));
    }

    /// <summary>The digest of all that was added; it is empty afterwards.</summary>
    public byte[] Digest()
    {
        var digest = SHA256.HashData(bytes.AsSpan(0, at));
        at = 0;
        return digest;
    }
}

/// <summary>Each entry's seal is the SHA-256 of the seal of the entry before it in the same books and of its own
/// content.</summary>
public static class EntrySeal
{
    private const int AtOnce = 2_000;

    /// <summary>The seal of an entry after another.</summary>
    public static byte[] After(ReadOnlySpan<byte> before, ReadOnlySpan<byte> digest)
    {
        Span<byte> both = stackalloc byte[64];
        before.CopyTo(both);
        digest.CopyTo(both[before.Length..]);
        return SHA256.HashData(both[..(before.Length + digest.Length)]);
    }

    /// <summary>Checks the books of an entity from the first entry on.</summary>
    public static async Task<SealCheck> VerifyAsync(NpgsqlConnection db, int entity, CancellationToken stop)
    {
        byte[] head;
        await using (var command = new NpgsqlCommand("select seal from posting where entity_id = $1", db))
        {
            command.Parameters.Add(new() { Value = entity });
            head = (byte[])(await command.ExecuteScalarAsync(stop))!;
        }
        var (last, checkedNow) = (Array.Empty<byte>(), 0L);
        await foreach (var (_, number, seal, digest) in ReadAsync(db, entity, 0, stop))
        {
            var mine = After(last, digest);
            if (seal is null || !mine.AsSpan().SequenceEqual(seal))
                return new(
                    checkedNow,
                    Convert.ToHexStringLower(last),
                    new(
                        number,
                        $"Entry {number} is not what was posted, or one before it is gone: its seal is not that of its "
                            + "content and the entry before."
                    )
                );
            (last, checkedNow) = (seal, checkedNow + 1);
        }
        return new(
            checkedNow,
            Convert.ToHexStringLower(last),
            last.AsSpan().SequenceEqual(head)
                ? null
                : new("the end", "The last entries are gone: the books end with another seal than was noted.")
        );
    }

    /// <summary>Seals what was posted before there were seals. Needs the owner's right to change entries.</summary>
    internal static async Task SealOldAsync(NpgsqlConnection db, CancellationToken stop)
    {
        var entities = new List<int>();
        await using (
            var command = new NpgsqlCommand(
                "select entity_id from posting p where seal = '' and exists (select from entry e where e.entity_id = "
                    + "p.entity_id)",
                db
            )
        )
        await using (var reader = await command.ExecuteReaderAsync(stop))
            while (await reader.ReadAsync(stop))
                entities.Add(reader.GetInt32(0));
        foreach (var entity in entities)
        {
            var last = Array.Empty<byte>();
            var (ids, seals) = (new List<long>(), new List<byte[]>());
            await using var all = await db.BeginTransactionAsync(stop);
            async Task WriteAsync()
            {
                await using var command = new NpgsqlCommand(
                    "update entry e set seal = s.seal from unnest($2, $3) as s(id, seal) where e.entity_id = $1 and "
                        + "e.entry_id = s.id",
                    db
                );
                command.Parameters.Add(new() { Value = entity });
                command.Parameters.Add(new() { Value = ids.ToArray() });
                command.Parameters.Add(new() { Value = seals.ToArray() });
                await command.ExecuteNonQueryAsync(stop);
                ids.Clear();
                seals.Clear();
            }
            for (var from = 0L; ; )
            {
                await foreach (var (id, _, _, digest) in ReadAsync(db, entity, from, stop, AtOnce * 5))
                {
                    last = After(last, digest);
                    ids.Add(id);
                    seals.Add(last);
                    from = id;
                }
                if (ids.Count == 0)
                    break;
                await WriteAsync();
            }
            await using var noted = new NpgsqlCommand("update posting set seal = $2 where entity_id = $1", db);
            noted.Parameters.Add(new() { Value = entity });
            noted.Parameters.Add(new() { Value = last });
            await noted.ExecuteNonQueryAsync(stop);
            await all.CommitAsync(stop);
        }
    }

    /// <summary>An entry's own fields, in the order in which they are sealed.</summary>
    internal static EntryContent Entry(
        EntryContent into,
        (int Entity, long Id, string Number, int Year, int Sequence) what,
        (int Entity, string Source, string Id, string Kind, string Body) e,
        (string Role, DateOnly Date, int Edition, string Kind, string Currency, decimal Rate) how,
        string? reference,
        string? party,
        decimal total,
        string who
    ) =>
        into.Whole(what.Entity)
            .Whole(what.Id)
            .Text(what.Number)
            .Whole(what.Year)
            .Whole(what.Sequence)
            .Whole(e.Entity)
            .Text(e.Source)
            .Text(e.Id)
            .Text(e.Kind)
            .Text(e.Body)
            .Text(how.Role)
            .Day(how.Date)
            .Whole(how.Edition)
            .Text(how.Kind)
            .Text(how.Currency)
            .Amount(how.Rate)
            .Text(reference)
            .Text(party)
            .Amount(total)
            .Text(who);

    // Entries in order, with the digest of what stands there now.
    private static async IAsyncEnumerable<(long Id, string Number, byte[]? Seal, byte[] Digest)> ReadAsync(
        NpgsqlConnection db,
        int entity,
        long after,
        [System.Runtime.CompilerServices.EnumeratorCancellation] CancellationToken stop,
        int most = int.MaxValue
    )
    {
        var (content, given) = (new EntryContent(), 0);
        while (given < most)
        {
            var some = new List<(long Id, string Number, byte[]? Seal, EntryContent Content)>();
            await using var batch = new NpgsqlBatch(db);
            foreach (var sql in Queries)
            {
                var command = new NpgsqlBatchCommand(sql);
                command.Parameters.Add(new() { Value = entity });
                command.Parameters.Add(new() { Value = after });
                command.Parameters.Add(new() { Value = AtOnce });
                batch.BatchCommands.Add(command);
            }
            await using (var reader = await batch.ExecuteReaderAsync(stop))
            {
                while (await reader.ReadAsync(stop))
                {
                    string? Text(int i) => reader.IsDBNull(i) ? null : reader.GetString(i);
                    some.Add(
                        (
                            reader.GetInt64(0),
                            reader.GetString(1),
                            reader.IsDBNull(2) ? null : reader.GetFieldValue<byte[]>(2),
                            Entry(
                                new EntryContent(),
                                (
                                    entity,
                                    reader.GetInt64(0),
                                    reader.GetString(1),
                                    reader.GetInt32(3),
                                    reader.GetInt32(4)
                                ),
                                (reader.GetInt32(5), Text(6) ?? "", Text(7) ?? "", Text(8) ?? "", Text(9) ?? ""),
                                (
                                    reader.GetString(10),
                                    reader.GetFieldValue<DateOnly>(11),
                                    reader.GetInt32(12),
                                    reader.GetString(13),
                                    reader.GetString(14),
                                    reader.GetDecimal(15)
                                ),
                                Text(16),
                                Text(17),
                                reader.GetDecimal(18),
                                reader.GetString(19)
                            )
                        )
                    );
                }
                // Lines, tax and movements follow their entries; each row's first column says whose it is.
                while (await reader.NextResultAsync(stop))
                {
                    var at = 0;
                    while (await reader.ReadAsync(stop))
                    {
                        while (at < some.Count && some[at].Id < reader.GetInt64(0))
                            at++;
                        // Of an entry that is gone: the next one's seal tells.
                        if (at == some.Count || some[at].Id != reader.GetInt64(0))
                            continue;
                        for (var i = 1; i < reader.FieldCount; i++)
                            _ = reader.IsDBNull(i)
                                ? some[at].Content.Text(null)
                                : reader.GetValue(i) switch
                                {
                                    decimal amount => some[at].Content.Amount(amount),
                                    string text => some[at].Content.Text(text),
                                    DateOnly day => some[at].Content.Day(day),
                                    DateTime day => some[at].Content.Day(DateOnly.FromDateTime(day)),
                                    bool yes => some[at].Content.Whole(yes ? 1 : 0),
                                    var number => some[at]
                                        .Content.Whole(
                                            Convert.ToInt64(number, System.Globalization.CultureInfo.InvariantCulture)
                                        ),
                                };
                    }
                }
            }
            foreach (var (id, number, seal, own) in some)
            {
                yield return (id, number, seal, own.Digest());
                after = id;
                given++;
            }
            if (some.Count < AtOnce)
                yield break;
        }
    }

    private const string Some =
        "select entry_id from entry where entity_id = $1 and entry_id > $2 order by entry_id limit $3";

    private static string Of(string columns, string table) =>
        $"""
            select entry_id, {columns} from {table} where entity_id = $1 and entry_id > $2 and entry_id <=
              (select max(entry_id) from ({Some}) s)
            order by entry_id, line_no
            """;

    private static readonly string[] Queries =
    [
        """
            select n.entry_id, n."number", n.seal, n.year, n.sequence, n.event_entity_id, e.source, e.external_id,
              e.kind,
              e.body, n.role, n.date, n.edition, n.kind, n.currency, n.rate, n.reference, n.party, n.total, n.posted_by
            from entry n left join event e on e.entity_id = n.event_entity_id and e.event_id = n.event_id
            where n.entity_id = $1 and n.entry_id > $2 order by n.entry_id limit $3
            """,
        Of(
            "line_no, account_id, account, debit, credit, currency_debit, currency_credit, rate, purpose, party, item, "
                + "location, channel, method, project, reason, counterparty, tax_code, text, event_line",
            "entry_line"
        ),
        Of("line_no, code, base, rate, tax, entity_base, entity_tax, tax_date", "entry_tax"),
        Of(
            "line_no, control, account_id, party, reference, settles, amount, currency, currency_amount",
            "subledger_movement"
        ),
        // Those of before had no keys to be sealed.
        Of("line_no, quantity, order_ref, due", "(select * from subledger_movement where keyed) keyed"),
    ];

    /// <summary>Adds a line as <see cref="ReadAsync"/> finds it.</summary>
    internal static void Line(EntryContent into, int no, long account, Core.Entries.EntryLine l)
    {
        var c = l.Context;
        into.Whole(no)
            .Whole(account)
            .Text(l.Account)
            .Amount(l.Debit)
            .Amount(l.Credit)
            .Amount(l.CurrencyDebit)
            .Amount(l.CurrencyCredit)
            .Amount(l.Rate)
            .Text(l.Purpose?.Name)
            .Text(c.Party)
            .Text(c.Item)
            .Text(c.Location)
            .Text(c.Channel)
            .Text(c.Method)
            .Text(c.Project)
            .Text(c.Reason)
            .Text(c.Counterparty)
            .Text(l.TaxCode)
            .Text(l.Text);
        _ = l.EventLine is { } line ? into.Whole(line) : into.Text(null);
    }

    /// <summary>Adds what the entry does to tax and subledgers, as <see cref="ReadAsync"/> finds it.</summary>
    internal static void Effects(
        EntryContent into,
        Core.Entries.JournalEntry entry,
        IReadOnlyList<Core.Ledger.SubledgerMovement> movements,
        Func<string, long> idOf
    )
    {
        for (var i = 0; i < entry.Tax.Count; i++)
        {
            var t = entry.Tax[i];
            into.Whole(i + 1)
                .Text(t.Code)
                .Amount(t.Base)
                .Amount(t.Rate)
                .Amount(t.Tax)
                .Amount(t.EntityBase)
                .Amount(t.EntityTax)
                .Day(t.TaxDate);
        }
        foreach (var m in movements)
            into.Whole(m.Line!.Value + 1)
                .Text(Core.Words.Of(m.Control))
                .Whole(idOf(m.Account!))
                .Text(m.Party)
                .Text(m.Reference)
                .Whole(m.Kind == Core.Ledger.MovementKind.Clears ? 1 : 0)
                .Amount(m.Amount)
                .Text(m.Currency)
                .Amount(m.CurrencyAmount);
        foreach (var m in movements)
        {
            into.Whole(m.Line!.Value + 1).Amount(m.Quantity).Text(m.Context.Order);
            _ = m.Context.Due is { } due ? into.Day(due) : into.Text(null);
        }
    }
}
