using Assignum.Core.Records;
using System.Text.Json;
using Assignum.Core;
using Assignum.Core.Chart;
using Assignum.Core.Entries;
using Assignum.Core.Landing;
using Npgsql;

namespace Assignum.Storage;

/// <summary>A trace as it is stored, once an entity.</summary>
/// <param name="Id">The first half of the SHA-256 of its text.</param>
public sealed record TraceRow(Guid Id, string Json)
{
    private volatile bool stored;

    /// <summary>Known to be stored and durable; spares asking the database again.</summary>
    public bool Stored
    {
        get => stored;
        set => stored = value;
    }
}

/// <summary>Writes a batch of posted events of one entity, and of others that charges mirror into: all of it in the
/// caller's transaction.</summary>
/// <remarks>Rows go by binary COPY; measured in docs/performance.md.</remarks>
public sealed class JournalWriter(NpgsqlConnection db, int entity, string who, Func<Trace, TraceRow> traceOf)
{
    private readonly List<EventRow> events = [];
    private readonly List<(long Event, int Line, StockMove Move)> moves = [];
    private readonly List<EntryToPost> entries = [];

    /// <summary>Adds an event and the goods it moved.</summary>
    public void Add(EventRow row, IReadOnlyList<StockMove> stock)
    {
        events.Add(row);
        for (var i = 0; i < stock.Count; i++)
            moves.Add((row.Id, i + 1, stock[i]));
    }

    /// <summary>Adds an entry of an event added before.</summary>
    public void Add(EntryToPost entry) => entries.Add(entry);

    /// <summary>To be called after the commit: what was written need not be written again.</summary>
    public void Committed()
    {
        foreach (var line in entries.SelectMany(e => e.Entry.Lines))
            traceOf(line.Landing).Stored = true;
    }

    /// <summary>Writes everything added.</summary>
    public async Task WriteAsync(CancellationToken stop)
    {
        await CopyAsync(
            "event (entity_id, event_id, source, external_id, kind, date, body, outcome, edition, received_by)",
            events,
            (w, e) =>
                w.Int(entity)
                    .Big(e.Id)
                    .Text(e.Source)
                    .Text(e.ExternalId)
                    .Text(e.Kind)
                    .Day(e.Date)
                    .Text(e.Body)
                    .Text(e.Outcome)
                    .Int(e.Edition)
                    .Text(who),
            stop
        );
        await CopyAsync(
            "stock_movement (entity_id, event_id, line_no, item, location, quantity, value)",
            moves,
            (w, m) =>
                w.Int(entity)
                    .Big(m.Event)
                    .Int(m.Line)
                    .Text(m.Move.Item)
                    .Text(m.Move.Location)
                    .Num(m.Move.Quantity)
                    .Num(m.Move.Value),
            stop
        );
        await CopyAsync(
            "entry (entity_id, entry_id, number, year, sequence, event_id, role, event_entity_id, date, edition, "
                + "kind, currency, rate, reference, party, total, remarks, posted_by)",
            entries,
            (w, e) =>
                w.Int(e.Entity)
                    .Big(e.Id)
                    .Text(e.Number)
                    .Int(e.Year)
                    .Int(e.Sequence)
                    .Big(e.EventId)
                    .Text(e.Role)
                    .Int(e.EventEntity)
                    .Day(e.Entry.Date)
                    .Int(e.Edition)
                    .Text(e.Kind)
                    .Text(e.Entry.Currency)
                    .Num(e.Entry.Rate)
                    .Text(e.Entry.Reference)
                    .Text(e.Party)
                    .Num(e.Entry.Total)
                    .Json(e.RemarksJson)
                    .Text(who),
            stop
        );
        await TracesAsync(stop);
        foreach (var of in entries.GroupBy(e => e.Entity))
            await LinesAsync(of.Key, [.. of], stop);
    }

    private async Task TracesAsync(CancellationToken stop)
    {
        foreach (var of in entries.GroupBy(e => e.Entity))
        {
            var traces = of.SelectMany(e => e.Entry.Lines)
                .Select(l => traceOf(l.Landing))
                .Where(t => !t.Stored)
                .DistinctBy(t => t.Id)
                .OrderBy(t => t.Id)
                .ToList();
            if (traces.Count == 0)
                continue;
            await using var command = new NpgsqlCommand(
                """
                insert into trace (entity_id, trace_id, body)
                select $1, t.id, t.body::jsonb from unnest($2, $3) as t(id, body)
                on conflict do nothing
                """,
                db
            )
            {
                Parameters =
                {
                    new() { Value = of.Key },
                    new() { Value = traces.Select(t => t.Id).ToArray() },
                    new() { Value = traces.Select(t => t.Json).ToArray() },
                },
            };
            await command.ExecuteNonQueryAsync(stop);
        }
    }

    private async Task LinesAsync(int of, List<EntryToPost> posted, CancellationToken stop)
    {
        var ids = await AccountIdsAsync(
            of,
            [.. posted.SelectMany(e => e.Entry.Lines).Select(l => l.Account).Distinct()],
            stop
        );
        var lines = posted.SelectMany(e => e.Entry.Lines.Select((l, i) => (Entry: e, Number: i + 1, Line: l))).ToList();
        await CopyAsync(
            "entry_line (entity_id, entry_id, line_no, account_id, account, debit, credit, currency_debit, "
                + "currency_credit, rate, purpose, party, item, location, channel, method, project, reason, "
                + "counterparty, tax_code, text, dimensions, event_line, trace_id)",
            lines,
            (w, x) =>
            {
                var (l, c) = (x.Line, x.Line.Context);
                w.Int(of)
                    .Big(x.Entry.Id)
                    .Int(x.Number)
                    .Big(ids[l.Account])
                    .Text(l.Account)
                    .Num(l.Debit)
                    .Num(l.Credit)
                    .Num(l.CurrencyDebit)
                    .Num(l.CurrencyCredit)
                    .Num(l.Rate)
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
                    .Text(l.Text)
                    .Json(c.Dimensions is null ? null : JsonSerializer.Serialize(c.Dimensions))
                    .Int(l.EventLine)
                    .Uuid(traceOf(l.Landing).Id);
            },
            stop
        );
        var controls = lines
            .Where(x => x.Line.AccountRecord is { Control: not Control.None } || x.Line.Document != Control.None)
            .ToList();
        await CopyAsync(
            "subledger_movement (entity_id, entry_id, line_no, control, account_id, account, party, reference, item, "
                + "location, project, channel, method, settles, amount, currency, currency_amount, rate, document)",
            controls,
            (w, x) =>
            {
                var (l, c) = (x.Line, x.Line.Context);
                w.Int(of)
                    .Big(x.Entry.Id)
                    .Int(x.Number)
                    .Text(Words.Of(l.AccountRecord?.Control ?? Control.None))
                    .Big(ids[l.Account])
                    .Text(l.Account)
                    .Text(c.Party)
                    .Text(c.Reference ?? x.Entry.Entry.Reference)
                    .Text(c.Item)
                    .Text(c.Location)
                    .Text(c.Project)
                    .Text(c.Channel)
                    .Text(c.Method)
                    .Bool(c.Reference is not null)
                    .Num(l.Signed)
                    .Text(l.DocumentCurrency(x.Entry.Entry.Currency))
                    .Num(l.DocumentSigned)
                    .Num(l.Rate)
                    .Text(l.Document == Control.None ? null : Words.Of(l.Document));
            },
            stop
        );
        var taxes = posted.SelectMany(e => e.Entry.Tax.Select((t, i) => (Entry: e, Number: i + 1, Tax: t))).ToList();
        await CopyAsync(
            "entry_tax (entity_id, entry_id, line_no, code, base, rate, tax, decided_by, entity_base, entity_tax, "
                + "non_deductible, base_box, tax_box, reverse_base_box, reverse_tax_box, tax_date, capital)",
            taxes,
            (w, x) =>
            {
                var t = x.Tax;
                w.Int(of)
                    .Big(x.Entry.Id)
                    .Int(x.Number)
                    .Text(t.Code)
                    .Num(t.Base)
                    .Num(t.Rate)
                    .Num(t.Tax)
                    .Text(t.DecidedBy)
                    .Num(t.EntityBase)
                    .Num(t.EntityTax)
                    .Num(t.NonDeductible)
                    .Text(t.BaseBox)
                    .Text(t.TaxBox)
                    .Text(t.ReverseBaseBox)
                    .Text(t.ReverseTaxBox)
                    .Day(t.TaxDate)
                    .Bool(t.Capital);
            },
            stop
        );
        await SumAsync(of, "account_day", "date", lines, ids, d => d, stop);
        await SumAsync(of, "account_month", "month", lines, ids, d => new DateOnly(d.Year, d.Month, 1), stop);
    }

    // In the order of the key: two batches that meet the same rows do not wait for each other crosswise.
    private async Task SumAsync(
        int of,
        string table,
        string column,
        IEnumerable<(EntryToPost Entry, int Number, EntryLine Line)> lines,
        Dictionary<string, long> ids,
        Func<DateOnly, DateOnly> when,
        CancellationToken stop
    )
    {
        var sums = new Dictionary<(DateOnly, long), (decimal Debit, decimal Credit)>();
        foreach (var (entry, _, line) in lines)
        {
            var key = (when(entry.Entry.Date), ids[line.Account]);
            var sum = sums.GetValueOrDefault(key);
            sums[key] = (sum.Debit + line.Debit, sum.Credit + line.Credit);
        }
        var rows = sums.OrderBy(s => s.Key).ToList();
        await using var command = new NpgsqlCommand(
            $"""
            insert into {table} as d (entity_id, {column}, account_id, debit, credit)
            select $1, x.day, x.account, x.debit, x.credit from unnest($2, $3, $4, $5) as x(day, account, debit, credit)
            on conflict (entity_id, {column}, account_id) do update set debit = d.debit + excluded.debit, credit =
              d.credit + excluded.credit
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = of },
                new() { Value = rows.Select(r => r.Key.Item1).ToArray() },
                new() { Value = rows.Select(r => r.Key.Item2).ToArray() },
                new() { Value = rows.Select(r => r.Value.Debit).ToArray() },
                new() { Value = rows.Select(r => r.Value.Credit).ToArray() },
            },
        };
        await command.ExecuteNonQueryAsync(stop);
    }

    private async Task<Dictionary<string, long>> AccountIdsAsync(int of, string[] numbers, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand(
            "select \"number\", account_id from accounts where entity_id = $1 and \"number\" = any($2)",
            db
        )
        {
            Parameters =
            {
                new() { Value = of },
                new() { Value = numbers },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var ids = new Dictionary<string, long>(StringComparer.Ordinal);
        while (await reader.ReadAsync(stop))
            ids[reader.GetString(0)] = reader.GetInt64(1);
        return ids;
    }

    private async Task CopyAsync<T>(
        string target,
        IReadOnlyCollection<T> rows,
        Action<CopyStream, T> write,
        CancellationToken stop
    )
    {
        if (rows.Count == 0)
            return;
        var fields = target.Count(c => c == ',') + 1;
        await using var copy = await CopyStream.BeginAsync(db, target, stop);
        foreach (var item in rows)
        {
            await copy.RowAsync(fields, stop);
            write(copy, item);
        }
        await copy.CompleteAsync(stop);
    }
}
