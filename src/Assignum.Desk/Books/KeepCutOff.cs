using System.Globalization;
using System.Text.Json.Nodes;
using Assignum.Core.Books;
using Assignum.Core.Entries.Kinds;
using Assignum.Desk.Access;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using Assignum.Formats.Json;
using Assignum.Storage;

namespace Assignum.Desk.Books;

/// <summary>A cut-off that is proposed or posted.</summary>
/// <param name="Entry">Null: there is nothing to put elsewhere.</param>
/// <param name="Number">The entry's number; null: proposed.</param>
/// <param name="Unpriced">Shipped goods that nothing says a price of: they are left out.</param>
public sealed record CutOffProposal(EntryDocument? Entry, string? Number, IReadOnlyList<CutOffRow> Unpriced);

/// <summary>Shows what stands across the end of a month, and puts it where it belongs.</summary>
public sealed class KeepCutOff(DeskContext desk, ViewSetUp view, OwnEvents own)
{
    /// <summary>What stands across a day.</summary>
    public async Task<Outcome<CutOffs>> ShowAsync(Visit visit, DateOnly at, CancellationToken stop)
    {
        var looked = await view.OnAsync(visit, at, stop);
        if (looked.Result is not { SetUp: var setUp })
            return looked.Pass<CutOffs>();
        await using var db = await desk.Database.OpenAsync(stop);
        var stocked = setUp.SetUp.Items.Where(i => i.IsStockItem).Select(i => i.Code).ToHashSet(StringComparer.Ordinal);
        var lines = await GoodsStore.LinesAsync(db, visit.State.Id, at, stop);
        return CutOffs.Of(at, [.. lines.Where(l => stocked.Contains(l.Item))], setUp.Policies.CostAtInvoice);
    }

    /// <summary>Whether a cut-off was posted on a day.</summary>
    public async Task<bool> PostedAsync(Visit visit, DateOnly at, CancellationToken stop)
    {
        await using var db = await desk.Database.OpenAsync(stop);
        return await GoodsStore.CutOffsAsync(db, visit.State.Id, at, false, stop) > 0;
    }

    /// <summary>Proposes or posts the cut-off of a day.</summary>
    public async Task<Outcome<CutOffProposal>> RunAsync(Visit visit, DateOnly at, bool apply, CancellationToken stop)
    {
        var (actor, state) = visit;
        if (apply && DeskContext.Refused(actor, state.Code, Role.Reviewer) is { } refused)
            return Outcome<CutOffProposal>.No(refused.Why, [refused.Fault]);
        var looked = await view.OnAsync(visit, at, stop);
        if (looked.Result is not { SetUp: var setUp })
            return looked.Pass<CutOffProposal>();
        if (!setUp.Policies.CutOff)
            return Outcome<CutOffProposal>.No(
                Refusal.Conflict,
                "cut-off-off",
                "The policy cut-off is off: turn it on in a draft, and publish that, before a cut-off is posted.",
                "cut-off"
            );
        var shown = await ShowAsync(visit, at, stop);
        if (shown.Result is not { } cut)
            return shown.Pass<CutOffProposal>();
        long before,
            ever;
        await using (var db = await desk.Database.OpenAsync(stop))
        {
            before = await GoodsStore.CutOffsAsync(db, state.Id, at, false, stop);
            ever = await GoodsStore.CutOffsAsync(db, state.Id, at, true, stop);
        }
        if (apply && before > 0)
            return Outcome<CutOffProposal>.No(
                Refusal.Conflict,
                "cut-off-posted",
                "A cut-off was posted on that day already: turn it back before another is.",
                "at"
            );
        var lines = new JsonArray();
        void Add(CutOffRow row, string what, decimal amount, decimal cost)
        {
            if (amount == 0 && cost == 0)
                return;
            var line = new JsonObject
            {
                ["what"] = what,
                ["item"] = row.Item,
                ["amount"] = amount,
            };
            void Text(string name, string? value)
            {
                if (value is not null)
                    line[name] = value;
            }
            Text("party", row.Party);
            Text("order", row.Order);
            Text("location", row.Location);
            if (what == CutOff.InvoicedNotShipped)
                Text("account", row.Account);
            if (cost != 0)
            {
                line["cost"] = cost;
                if (what == CutOff.InvoicedNotShipped)
                    Text("costAccount", row.CostAccount);
            }
            lines.Add(line);
        }
        var costed = setUp.Policies is { CostAtInvoice: true, Perpetual: true };
        foreach (var row in cut.InvoicedNotShipped)
            Add(row, CutOff.InvoicedNotShipped, row.Amount ?? 0, costed ? row.Cost : 0);
        foreach (var row in cut.ShippedNotInvoiced)
            if (row.Amount is { } amount)
                Add(row, CutOff.ShippedNotInvoicedYet, amount, costed ? row.Cost : 0);
        if (setUp.Policies is { ReceiptAccrual: false, Perpetual: true })
            foreach (var row in cut.ReceivedNotInvoiced)
                Add(row, CutOff.ReceivedNotInvoicedYet, row.Amount ?? row.Cost, 0);
        IReadOnlyList<CutOffRow> unpriced = [.. cut.ShippedNotInvoiced.Where(r => r.Amount is null)];
        if (lines.Count == 0)
            return new CutOffProposal(null, null, unpriced);
        var day = at.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);
        var made = await own.RunAsync(
            actor,
            state.Code,
            new JsonObject
            {
                ["id"] = ever == 0 ? $"cut-off-{day}" : $"cut-off-{day}-{ever + 1}",
                ["kind"] = "cut-off",
                ["date"] = day,
                ["reference"] = $"CUT-OFF-{day}",
                ["reverseOn"] = at.AddDays(1).ToString("yyyy-MM-dd", CultureInfo.InvariantCulture),
                ["lines"] = lines,
            },
            apply,
            stop
        );
        return made.Result is { } of ? new CutOffProposal(of.Entry, of.Number, unpriced) : made.Pass<CutOffProposal>();
    }
}
