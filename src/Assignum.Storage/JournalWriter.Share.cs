using System.Text.Json;
using Assignum.Core;
using Assignum.Core.Chart;
using Assignum.Core.Entries;
using Assignum.Core.Landing;
using Assignum.Core.Ledger;
using Npgsql;

namespace Assignum.Storage;

public sealed partial class JournalWriter
{
    /// <summary>What a batch writes into the books of one entity.</summary>
    private sealed class Share : IDisposable
    {
        private static readonly Dimension[] Nested =
        [
            Dimension.ItemGroup,
            Dimension.PartyGroup,
            Dimension.Project,
            Dimension.ProjectGroup,
        ];

        private readonly JournalWriter writer;
        private readonly List<EntryToPost> posted;
        private readonly Func<string, long> idOf;
        private readonly List<LandingPattern> patterns;
        private readonly IReadOnlyCollection<IReadOnlyList<string>> chains;
        private readonly Sums byDay,
            byMonth;
        private readonly LandedSums landed = new();
        private CopyRows? lines;
        private bool linesWritten;

        public int Of { get; }
        public Uses Uses { get; }
        public CopyRows Taxes { get; }

        public Share(JournalWriter writer, int of, List<EntryToPost> posted, Func<string, long> idOf)
        {
            (this.writer, Of, this.posted, this.idOf) = (writer, of, posted, idOf);
            var ids = writer.idsOf(of);
            Uses = new Uses(ids);
            patterns = new(posted.Count * 4);
            var differing = new HashSet<IReadOnlyList<string>>(ReferenceEqualityComparer.Instance);
            (byDay, byMonth) = (new Sums("account_day", "date"), new Sums("account_month", "month"));
            var rows = new HashSet<(long, string?, string?, StockState?)>();
            foreach (var e in posted)
            {
                var (day, month) = (e.Entry.Date, new DateOnly(e.Entry.Date.Year, e.Entry.Date.Month, 1));
                rows.Clear();
                var moved = 0;
                for (var i = 0; i < e.Entry.Lines.Count; i++)
                {
                    var line = e.Entry.Lines[i];
                    while (moved < e.Movements.Count && e.Movements[moved].Line < i)
                        moved++;
                    var stock =
                        moved < e.Movements.Count
                        && e.Movements[moved] is { Control: Control.Stock, State: not StockState.Shipped } movement
                        && movement.Line == i
                            ? movement
                            : null;
                    patterns.Add(line.Pattern(e.Entry.Currency));
                    foreach (var dimension in Nested)
                        if (line.Landing.Chain(dimension) is { Count: > 0 } chain)
                            differing.Add(chain);
                    Uses.Add(line.Context);
                    var account = idOf(line.Account);
                    byDay.Add(day, account, line);
                    byMonth.Add(month, account, line);
                    var first =
                        stock is not null
                        && rows.Add((account, stock.Context.Item, stock.Context.Location, stock.State));
                    landed.Add((month, account), e.Entry.CountsAs ?? e.Kind, line, stock, first, day);
                }
            }
            chains = differing;
            Taxes = TaxRows();
            if (ids.Known(patterns, chains) is { } known)
                MakeLines(known);
        }

        /// <summary>The lines, where the ids of all their patterns are known.</summary>
        public async Task WriteLinesAsync(NpgsqlConnection db, CancellationToken stop)
        {
            if (lines is null || linesWritten)
                return;
            linesWritten = true;
            await lines.SendAsync(db, stop);
        }

        public async Task WriteAsync(NpgsqlConnection db, CancellationToken stop)
        {
            if (lines is null)
            {
                var known = await writer.idsOf(Of).ForAsync(db, Of, patterns, writer.bodyOf, chains, stop);
                writer.committed.Add(known.Committed);
                MakeLines(known);
            }
            await WriteLinesAsync(db, stop);
            await byDay.WriteAsync(db, Of, stop);
            await byMonth.WriteAsync(db, Of, stop);
            await landed.WriteAsync(db, Of, stop);
        }

        public void Dispose() => lines?.Dispose();

        private void MakeLines(JournalIds.Batch known)
        {
            lines = LineRows(known);
            posted.Clear();
            patterns.Clear();
        }

        private CopyRows LineRows(JournalIds.Batch known)
        {
            var made = new CopyRows(
                "entry_line (entity_id, entry_id, line_no, account_id, account, debit, credit, currency_debit, "
                    + "currency_credit, rate, purpose, party, item, location, channel, method, project, reason, "
                    + "counterparty, tax_code, text, dimensions, event_line, date, pattern_id, item_chain, "
                    + "party_chain, project_chain, project_group_chain, landing_note, sub_control, sub_document, "
                    + "sub_reference, sub_settles, sub_currency, sub_amount, sub_event, sub_event_entity, sub_kind, "
                    + "sub_state, sub_order, sub_quantity, sub_due, sub_default)"
            );
            int? Chain(EntryLine line, Dimension dimension) =>
                line.Landing.Chain(dimension) is { Count: > 0 } chain ? known.Of(chain) : null;
            var place = 0;
            foreach (var e in posted)
            {
                var moved = 0;
                for (var i = 0; i < e.Entry.Lines.Count; i++)
                {
                    var l = e.Entry.Lines[i];
                    var c = l.Context;
                    made.Row()
                        .Int(Of)
                        .Big(e.Id)
                        .Int(i + 1)
                        .Big(idOf(l.Account))
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
                        .Day(e.Entry.Date)
                        .Int(known.Of(patterns[place++]))
                        .Int(Chain(l, Dimension.ItemGroup))
                        .Int(Chain(l, Dimension.PartyGroup))
                        .Int(Chain(l, Dimension.Project))
                        .Int(Chain(l, Dimension.ProjectGroup))
                        .Text(l.Landing.Note);
                    // Movements are in the order of their lines, one of a line at most.
                    var moves = moved < e.Movements.Count && e.Movements[moved].Line == i;
                    Moved(made, e, moves ? e.Movements[moved++] : null);
                }
            }
            return made;
        }

        // What the line does to a subledger: what the line does not say itself.
        private static void Moved(CopyRows to, EntryToPost e, SubledgerMovement? m)
        {
            if (m is null)
                to.Nulls(14);
            else
                to.Text(Words.Of(m.Control))
                    .Text(DocumentOf(m))
                    .Text(m.Reference)
                    .Bool(m.Kind == MovementKind.Clears)
                    .Text(m.Currency)
                    .Num(m.CurrencyAmount)
                    .Big(e.EventId)
                    .Int(e.EventEntity)
                    .Text(e.Entry.CountsAs ?? e.Kind)
                    .Text(StateOf(m))
                    .Text(m.Context.Order)
                    .Num(m.Quantity == 0 ? null : m.Quantity)
                    .Day(m.Context.Due)
                    .Bool(m.ByDefault ? true : null);
        }

        private CopyRows TaxRows()
        {
            var made = new CopyRows(
                "entry_tax (entity_id, entry_id, line_no, code, base, rate, tax, decided_by, entity_base, entity_tax, "
                    + "non_deductible, base_box, tax_box, reverse_base_box, reverse_tax_box, tax_date, capital, "
                    + "entity_reclaimed)"
            );
            foreach (var e in posted)
                for (var i = 0; i < e.Entry.Tax.Count; i++)
                {
                    var t = e.Entry.Tax[i];
                    made.Row()
                        .Int(Of)
                        .Big(e.Id)
                        .Int(i + 1)
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
                }
            return made;
        }
    }
}
