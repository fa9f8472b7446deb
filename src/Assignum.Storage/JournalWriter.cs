using System.Text.Json;
using Assignum.Core;
using Assignum.Core.Chart;
using Assignum.Core.Entries;
using Assignum.Core.Landing;
using Assignum.Core.Ledger;
using Assignum.Core.Records;
using Npgsql;

namespace Assignum.Storage;

/// <summary>Writes a batch of posted events of one entity, and of others that charges mirror into: all of it in the
/// caller's transaction. What entries do is decided before; this writes it.</summary>
/// <param name="idsOf">The ids of an entity's patterns and chains.</param>
/// <param name="bodyOf">A pattern as it is stored.</param>
/// <remarks>Rows go by binary COPY; measured in docs/performance.md.</remarks>
public sealed class JournalWriter(
    NpgsqlConnection db,
    int entity,
    string who,
    Func<int, JournalIds> idsOf,
    Func<LandingPattern, string> bodyOf
)
{
    private readonly List<(EventRow Row, IReadOnlyList<(string Written, string Now)> Accounts)> events = [];
    private readonly List<(EventRow Event, int Line, StockMove Move)> moves = [];
    private readonly List<EntryToPost> entries = [];
    private readonly List<Action> committed = [];

    /// <summary>Adds an event and the goods it moved.</summary>
    /// <param name="accounts">The accounts that it names, as they are written and by the numbers of today.</param>
    public void Add(EventRow row, IReadOnlyList<StockMove> stock, IReadOnlyList<(string Written, string Now)> accounts)
    {
        events.Add((row, accounts));
        for (var i = 0; i < stock.Count; i++)
            moves.Add((row, i + 1, stock[i]));
    }

    /// <summary>Adds an entry of an event added before.</summary>
    public void Add(EntryToPost entry) => entries.Add(entry);

    /// <summary>To be called after the commit: what was written need not be written again.</summary>
    public void Committed()
    {
        foreach (var remember in committed)
            remember();
    }

    /// <summary>Writes everything added.</summary>
    public async Task WriteAsync(CancellationToken stop)
    {
        await CopyAsync(
            "event (entity_id, event_id, source, external_id, kind, date, body, outcome, edition, received_by)",
            [.. events.Select(e => e.Row)],
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
            "stock_movement (entity_id, event_id, line_no, item, location, quantity, value, date)",
            moves,
            (w, m) =>
                w.Int(entity)
                    .Big(m.Event.Id)
                    .Int(m.Line)
                    .Text(m.Move.Item)
                    .Text(m.Move.Location)
                    .Num(m.Move.Quantity)
                    .Num(m.Move.Value)
                    .Day(m.Event.Date),
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
        await AccountsNamedAsync(stop);
        await UsesAsync(entity, moves.SelectMany(m => UsesOf(m.Move)), stop);
        foreach (var of in entries.GroupBy(e => e.Entity))
            await LinesAsync(of.Key, [.. of], stop);
    }

    // Which accounts an event means, whatever their numbers become.
    private async Task AccountsNamedAsync(CancellationToken stop)
    {
        var named = events.SelectMany(e => e.Accounts.Select(a => (e.Row.Id, a.Written, a.Now))).ToList();
        if (named.Count == 0)
            return;
        var ids = await AccountIdsAsync(entity, [.. named.Select(n => n.Now).Distinct()], stop);
        await CopyAsync(
            "event_account (entity_id, event_id, number, account_id)",
            [.. named.Where(n => ids.ContainsKey(n.Now))],
            (w, n) => w.Int(entity).Big(n.Id).Text(n.Written).Big(ids[n.Now]),
            stop
        );
    }

    private static IEnumerable<(string Part, string? Key)> UsesOf(StockMove move) =>
        [("items", move.Item), ("locations", move.Location)];

    private static IEnumerable<(string Part, string? Key)> UsesOf(LegContext c) =>
        [
            ("items", c.Item),
            ("parties", c.Party),
            ("locations", c.Location),
            ("channels", c.Channel),
            ("methods", c.Method),
            ("projects", c.Project),
            ("reasons", c.Reason),
        ];

    // Which records something posted refers to, once each.
    private async Task UsesAsync(int of, IEnumerable<(string Part, string? Key)> uses, CancellationToken stop)
    {
        var ids = idsOf(of);
        var fresh = uses.Where(u => u.Key is not null && !ids.Used(u.Part, u.Key)).Distinct().Order().ToList();
        if (fresh.Count == 0)
            return;
        await using var command = new NpgsqlCommand(
            "insert into record_use select $1, u.part, u.key from unnest($2, $3) as u(part, key) on conflict do nothing",
            db
        )
        {
            Parameters =
            {
                new() { Value = of },
                new() { Value = fresh.Select(u => u.Part).ToArray() },
                new() { Value = fresh.Select(u => u.Key!).ToArray() },
            },
        };
        await command.ExecuteNonQueryAsync(stop);
        committed.Add(() => ids.Use(fresh));
    }

    private async Task LinesAsync(int of, List<EntryToPost> posted, CancellationToken stop)
    {
        var ids = await AccountIdsAsync(
            of,
            [.. posted.SelectMany(e => e.Entry.Lines).Select(l => l.Account).Distinct()],
            stop
        );
        var place = 0;
        var lines = posted
            .SelectMany(e => e.Entry.Lines.Select((l, i) => new PostedLine(e, i + 1, l, place++)))
            .ToList();
        await UsesAsync(of, lines.SelectMany(x => UsesOf(x.Line.Context)), stop);
        var patterns = lines.Select(x => x.Line.Pattern(x.Entry.Entry.Currency)).ToList();
        var known = await idsOf(of)
            .ForAsync(
                db,
                of,
                patterns,
                bodyOf,
                lines.SelectMany(x => Nested.Select(x.Line.Landing.Chain)).Where(c => c.Count > 0),
                stop
            );
        committed.Add(known.Committed);
        int? Chain(EntryLine line, Dimension dimension) =>
            line.Landing.Chain(dimension) is { Count: > 0 } chain ? known.Of(chain) : null;
        await CopyAsync(
            "entry_line (entity_id, entry_id, line_no, account_id, account, debit, credit, currency_debit, "
                + "currency_credit, rate, purpose, party, item, location, channel, method, project, reason, "
                + "counterparty, tax_code, text, dimensions, event_line, date, pattern_id, item_chain, party_chain, "
                + "project_chain, project_group_chain, landing_note)",
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
                    .Day(x.Entry.Entry.Date)
                    .Int(known.Of(patterns[x.Place]))
                    .Int(Chain(l, Dimension.ItemGroup))
                    .Int(Chain(l, Dimension.PartyGroup))
                    .Int(Chain(l, Dimension.Project))
                    .Int(Chain(l, Dimension.ProjectGroup))
                    .Text(l.Landing.Note);
            },
            stop
        );
        var movements = posted
            .SelectMany(e => EntryEffects.Of(e.Entry).Select(m => (Entry: e, Line: e.Entry.Lines[m.Line], Movement: m)))
            .ToList();
        await CopyAsync(
            "subledger_movement (entity_id, entry_id, line_no, control, account_id, account, party, reference, item, "
                + "location, project, channel, method, settles, amount, currency, currency_amount, rate, document, "
                + "event_id, event_entity_id, date)",
            movements,
            (w, x) =>
            {
                var (m, c) = (x.Movement, x.Line.Context);
                w.Int(of)
                    .Big(x.Entry.Id)
                    .Int(m.Line + 1)
                    .Text(Words.Of(m.Control))
                    .Big(ids[x.Line.Account])
                    .Text(x.Line.Account)
                    .Text(m.Party)
                    .Text(m.Reference)
                    .Text(c.Item)
                    .Text(c.Location)
                    .Text(c.Project)
                    .Text(c.Channel)
                    .Text(c.Method)
                    .Bool(m.Kind == MovementKind.Clears)
                    .Num(m.Amount)
                    .Text(m.Currency)
                    .Num(m.CurrencyAmount)
                    .Num(x.Line.Rate)
                    .Text(m.Document == Control.None ? null : Words.Of(m.Document))
                    .Big(x.Entry.EventId)
                    .Int(x.Entry.EventEntity)
                    .Day(x.Entry.Entry.Date);
            },
            stop
        );
        var taxes = posted.SelectMany(e => e.Entry.Tax.Select((t, i) => (Entry: e, Number: i + 1, Tax: t))).ToList();
        await CopyAsync(
            "entry_tax (entity_id, entry_id, line_no, code, base, rate, tax, decided_by, entity_base, entity_tax, "
                + "non_deductible, base_box, tax_box, reverse_base_box, reverse_tax_box, tax_date, capital, "
                + "entity_reclaimed)",
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
                    .Bool(t.Capital)
                    .Num(t.EntityReclaimed);
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
        IEnumerable<PostedLine> lines,
        Dictionary<string, long> ids,
        Func<DateOnly, DateOnly> when,
        CancellationToken stop
    )
    {
        var sums = new Dictionary<(DateOnly, long), (decimal Debit, decimal Credit)>();
        foreach (var (entry, _, line, _) in lines)
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

    private static readonly Dimension[] Nested =
    [
        Dimension.ItemGroup,
        Dimension.PartyGroup,
        Dimension.Project,
        Dimension.ProjectGroup,
    ];

    /// <summary>A line with its entry, its number there and its place in the batch.</summary>
    private sealed record PostedLine(EntryToPost Entry, int Number, EntryLine Line, int Place);
}
