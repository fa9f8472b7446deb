using Assignum.Core;
using Assignum.Core.Books;
using Assignum.Core.Chart;
using Assignum.Core.Entries;
using Assignum.Core.Landing;
using Assignum.Core.Ledger;
using Npgsql;

namespace Assignum.Storage;

/// <summary>Writes a batch of posted events of one entity, and of others that charges mirror into. What entries do is
/// decided before; this writes it.</summary>
/// <remarks>
/// In steps: the rows are made while nothing is held; details may be sent before the postings are held (docs/decisions/0026),
/// the rest in the transaction that holds them. Rows go
/// by binary COPY; measured in docs/performance.md.
/// </remarks>
/// <param name="idsOf">The ids of an entity's patterns and chains.</param>
/// <param name="bodyOf">A pattern as it is stored.</param>
public sealed partial class JournalWriter(
    int entity,
    string who,
    Func<int, JournalIds> idsOf,
    Func<LandingPattern, string> bodyOf
) : IDisposable
{
    private readonly List<(EventRow Row, IReadOnlyList<(string Written, string Now)> Accounts)> events = [];
    private readonly List<(EventRow Event, SubledgerMovement Movement)> quiet = [];
    private readonly List<(EventRow Event, EventLink Link)> links = [];
    private readonly List<(EventRow Event, int Place, GoodsLine Line)> goodsLines = [];
    private readonly List<(long By, string Name)> turned = [];
    private readonly List<EntryToPost> entries = [];
    private readonly List<CopyRows> heads = [];
    private readonly List<CopyRows> details = [];
    private bool detailsWritten;
    private readonly List<(int Entity, int Place, byte[] Digest)> seals = [];
    private CopyRows? sealedRows;
    private readonly List<Share> shares = [];
    private readonly Uses uses = new(idsOf(entity));
    private readonly List<Action> committed = [];
    private readonly HashSet<(int Entity, string Number)> accounts = [];
    private readonly Func<int, JournalIds> idsOf = idsOf;
    private readonly Func<LandingPattern, string> bodyOf = bodyOf;

    /// <summary>Adds an event.</summary>
    /// <param name="named">The accounts that it names, as they are written and by the numbers of today.</param>
    /// <param name="without">What it does to subledgers without a line.</param>
    /// <param name="about">The names under which it is found, its own among them or not.</param>
    /// <param name="goods">What it says of goods, with the places of its lines.</param>
    public void Add(
        EventRow row,
        IReadOnlyList<(string Written, string Now)> named,
        IReadOnlyList<SubledgerMovement> without,
        IReadOnlyCollection<EventLink> about,
        IReadOnlyList<(int Place, GoodsLine Line)> goods
    )
    {
        foreach (var (place, line) in goods)
            goodsLines.Add((row, place, line));
        foreach (var movement in without)
        {
            quiet.Add((row, movement));
            if (movement.Account is { } account)
                accounts.Add((entity, account));
        }
        foreach (var link in about)
            if (link != row.About)
                links.Add((row, link));
        events.Add((row, named));
        foreach (var (_, now) in named)
            accounts.Add((entity, now));
    }

    /// <summary>Adds an entry of an event added before.</summary>
    public void Add(EntryToPost entry)
    {
        entries.Add(entry);
        foreach (var line in entry.Entry.Lines)
            accounts.Add((entry.Entity, line.Account));
    }

    /// <summary>To be called after the commit: what was written need not be written again.</summary>
    public void Committed()
    {
        foreach (var remember in committed)
            remember();
    }

    /// <summary>The accounts whose ids the rows need, of each entity.</summary>
    public IReadOnlyCollection<(int Entity, string Number)> Accounts => accounts;

    /// <summary>Makes the rows of everything added, once. Nothing is written.</summary>
    /// <param name="idOf">The id of an account; null: there is none of that number.</param>
    public void Make(Func<int, string, long?> idOf)
    {
        var made = Rows(
            heads,
            "event (entity_id, event_id, source, external_id, kind, date, body, outcome, edition, received_by, party, document)"
        );
        foreach (var (e, _) in events)
            made.Row()
                .Int(entity)
                .Big(e.Id)
                .Text(e.Source)
                .Text(e.ExternalId)
                .Text(e.Kind)
                .Day(e.Date)
                .Text(e.Body)
                .Text(e.Outcome)
                .Int(e.Edition)
                .Text(who)
                .Text(e.About.Party)
                .Text(e.About.Name);
        made = Rows(
            heads,
            "entry (entity_id, entry_id, number, year, sequence, event_id, role, event_entity_id, date, edition, "
                + "kind, counts_as, currency, rate, reference, party, total, remarks, posted_by, seal)"
        );
        sealedRows = made;
        var content = new EntryContent();
        var bodies = events.ToDictionary(e => e.Row.Id, e => e.Row);
        foreach (var e in entries)
        {
            made.Row()
                .Int(e.Entity)
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
                .Text(e.Entry.CountsAs)
                .Text(e.Entry.Currency)
                .Num(e.Entry.Rate)
                .Text(e.Entry.Reference)
                .Text(e.Party)
                .Num(e.Entry.Total)
                .Json(e.RemarksJson)
                .Text(who)
                .Later(32, out var place);
            seals.Add((e.Entity, place, Digest(content, e, bodies[e.EventId], n => idOf(e.Entity, n)!.Value)));
        }
        // Which accounts an event means, whatever their numbers become.
        made = Rows(heads, "event_account (entity_id, event_id, number, account_id)");
        foreach (var (e, named) in events)
        foreach (var (written, now) in named)
            if (idOf(entity, now) is { } account)
                made.Row().Int(entity).Big(e.Id).Text(written).Big(account);
        made = Rows(details, MovementColumns);
        foreach (var (e, m) in quiet)
        {
            uses.Add(m.Context);
            Movement(
                made,
                entity,
                m,
                m.Account is { } account ? idOf(entity, account) : null,
                (e.Id, entity, e.Date, e.CountsAs)
            );
        }
        made = Rows(details, "event_name (entity_id, party, what, name, event_id)");
        foreach (var (e, link) in links)
            made.Row().Int(entity).Text(link.Party).Text(link.Order ? "order" : "document").Text(link.Name).Big(e.Id);
        made = Rows(
            details,
            "goods_line (entity_id, event_id, line_no, date, fact, party, order_ref, item, named, document, quantity, "
                + "amount, account_id, cost, cost_account_id, unit_price, location)"
        );
        foreach (var (e, place, line) in goodsLines)
            made.Row()
                .Int(entity)
                .Big(e.Id)
                .Int(place)
                .Day(line.Date)
                .Text(Words.Of(line.Fact))
                .Text(line.Party)
                .Text(line.Order)
                .Text(line.Item)
                .Text(line.Named)
                .Text(line.Document)
                .Num(line.Quantity)
                .Num(line.Amount)
                .Big(line.Account is null ? null : idOf(entity, line.Account))
                .Num(line.Cost)
                .Big(line.CostAccount is null ? null : idOf(entity, line.CostAccount))
                .Num(line.UnitPrice)
                .Text(line.Location);
        foreach (var of in entries.GroupBy(e => e.Entity))
        {
            var share = new Share(this, of.Key, [.. of], number => idOf(of.Key, number)!.Value);
            shares.Add(share);
            details.Add(share.Taxes);
        }
        turned.AddRange(events.Where(e => e.Row.Reverses is not null).Select(e => (e.Row.Id, e.Row.Reverses!)));
        // The rows say it all. What waits to be written does not keep what it was made of from being let go.
        events.Clear();
        quiet.Clear();
        links.Clear();
        goodsLines.Clear();
        entries.Clear();
    }

    /// <summary>Writes what belongs to the events and entries made, as far as it is known by now, in the caller's
    /// transaction. It waits for nobody and makes nobody wait, so the books need not be held; what turns out not to fit is
    /// taken back with the transaction.</summary>
    public async Task WriteDetailsAsync(NpgsqlConnection db, CancellationToken stop)
    {
        foreach (var table in details)
            await table.SendAsync(db, stop);
        foreach (var share in shares)
            await share.WriteLinesAsync(db, stop);
        detailsWritten = true;
    }

    /// <summary>Writes everything made that is not written yet, in the caller's transaction, which holds the postings of
    /// the entities.</summary>
    public async Task WriteAsync(NpgsqlConnection db, CancellationToken stop)
    {
        await SealAsync(db, stop);
        foreach (var table in heads)
            await table.SendAsync(db, stop);
        if (!detailsWritten)
            await WriteDetailsAsync(db, stop);
        await TurnedAsync(db, stop);
        await UsesAsync(db, entity, uses, stop);
        foreach (var share in shares)
        {
            await UsesAsync(db, share.Of, share.Uses, stop);
            await share.WriteAsync(db, stop);
        }
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        foreach (var table in heads.Concat(details))
            table.Dispose();
        foreach (var share in shares)
            share.Dispose();
    }

    private byte[] Digest(EntryContent content, EntryToPost e, EventRow of, Func<string, long> idOf)
    {
        EntrySeal.Entry(
            content,
            (e.Entity, e.Id, e.Number, e.Year, e.Sequence),
            (e.EventEntity, of.Source, of.ExternalId, of.Kind, of.Body),
            (e.Role, e.Entry.Date, e.Edition, e.Kind, e.Entry.Currency, e.Entry.Rate),
            e.Entry.Reference,
            e.Party,
            e.Entry.Total,
            who
        );
        for (var i = 0; i < e.Entry.Lines.Count; i++)
            EntrySeal.Line(content, i + 1, idOf(e.Entry.Lines[i].Account), e.Entry.Lines[i]);
        EntrySeal.Effects(content, e.Entry, e.Movements, idOf);
        return content.Digest();
    }

    // Where the books end is known only while they are held.
    private async Task SealAsync(NpgsqlConnection db, CancellationToken stop)
    {
        if (sealedRows is null || seals.Count == 0)
            return;
        var last = new Dictionary<int, byte[]>();
        await using (
            var command = new NpgsqlCommand("select entity_id, seal from posting where entity_id = any($1)", db)
            {
                Parameters = { new() { Value = seals.Select(s => s.Entity).Distinct().ToArray() } },
            }
        )
        await using (var reader = await command.ExecuteReaderAsync(stop))
            while (await reader.ReadAsync(stop))
                last[reader.GetInt32(0)] = reader.GetFieldValue<byte[]>(1);
        foreach (var (of, place, digest) in seals)
            sealedRows.Fill(place, last[of] = EntrySeal.After(last[of], digest));
        await using var noted = new NpgsqlCommand(
            "update posting p set seal = s.seal from unnest($1, $2) as s(id, seal) where p.entity_id = s.id",
            db
        )
        {
            Parameters =
            {
                new() { Value = last.Keys.ToArray() },
                new() { Value = last.Values.ToArray() },
            },
        };
        await noted.ExecuteNonQueryAsync(stop);
    }

    private const string MovementColumns =
        "quiet_movement (entity_id, control, account_id, account, party, reference, item, location, "
        + "project, channel, method, settles, amount, currency, currency_amount, rate, document, event_id, "
        + "event_entity_id, date, purpose, kind, state, order_ref, quantity, due, tax_code, counterparty, by_default, "
        + "keyed)";

    private static string? DocumentOf(SubledgerMovement m) => m.Document == Control.None ? null : Words.Of(m.Document);

    private static string? StateOf(SubledgerMovement m) => m.State is { } state ? Words.Of(state) : null;

    // Of an event, without a line.
    private static void Movement(
        CopyRows to,
        int of,
        SubledgerMovement m,
        long? account,
        (long Id, int Entity, DateOnly Date, string Kind) e
    )
    {
        var c = m.Context;
        to.Row()
            .Int(of)
            .Text(Words.Of(m.Control))
            .Big(account)
            .Text(m.Account)
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
            .Num(m.Rate)
            .Text(DocumentOf(m))
            .Big(e.Id)
            .Int(e.Entity)
            .Day(e.Date)
            .Text(m.Purpose?.Name)
            .Text(e.Kind)
            .Text(StateOf(m))
            .Text(c.Order)
            .Num(m.Quantity)
            .Day(c.Due)
            .Text(m.TaxCode)
            .Text(c.Counterparty)
            .Bool(m.ByDefault)
            .Bool(true);
    }

    private static CopyRows Rows(List<CopyRows> to, string target)
    {
        var made = new CopyRows(target);
        to.Add(made);
        return made;
    }

    // Which events are turned back by these, each once.
    private async Task TurnedAsync(NpgsqlConnection db, CancellationToken stop)
    {
        // One after the other: what is turned back may itself have turned something back in this batch.
        foreach (var (by, name) in turned)
            await TurnedAsync(db, by, name, stop);
    }

    private async Task TurnedAsync(NpgsqlConnection db, long by, string name, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand(
            """
            with turned as (
              insert into event_reversal (entity_id, event_id, by_event_id)
              select $1, v.event_id, $2 from event v where v.entity_id = $1 and v.source = $3 and v.external_id = $4
              returning event_id, by_event_id)
            insert into goods_line (entity_id, event_id, line_no, date, fact, party, order_ref, item, named, document,
              quantity,
              amount, account_id, cost, cost_account_id, unit_price, location)
            select $1, t.by_event_id, g.line_no, r.date, g.fact, g.party, g.order_ref, g.item, g.named, g.document,
              -g.quantity,
              -g.amount, g.account_id, -g.cost, g.cost_account_id, g.unit_price, g.location
            from turned t join event v on v.entity_id = $1 and v.event_id = t.event_id
            join goods_line g on g.entity_id = $1 and g.date = v.date and g.event_id = t.event_id
            join event r on r.entity_id = $1 and r.event_id = t.by_event_id
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = by },
                new() { Value = name.Split('/', 2)[0] },
                new() { Value = name.Split('/', 2)[^1] },
            },
        };
        await command.ExecuteNonQueryAsync(stop);
    }

    // Which records something posted refers to, once each.
    private async Task UsesAsync(NpgsqlConnection db, int of, Uses uses, CancellationToken stop)
    {
        var fresh = uses.Fresh();
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
                new() { Value = fresh.Select(u => u.Key).ToArray() },
            },
        };
        await command.ExecuteNonQueryAsync(stop);
        committed.Add(() => idsOf(of).Use(fresh));
    }
}
