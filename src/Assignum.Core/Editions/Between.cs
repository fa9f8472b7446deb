using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;

namespace Assignum.Core.Editions;

/// <summary>A value that stands on an account between two steps of a document's life, for one item, place, project and
/// party.</summary>
/// <param name="Purpose">The between-purpose it was posted for.</param>
/// <param name="Amount">Debit less credit in base currency.</param>
public sealed record HeldValue(
    string Account,
    string Purpose,
    string? Party,
    string? Item,
    string? Location,
    string? Project,
    decimal Amount
);

/// <summary>A policy that a draft changes and that moves value between accounts.</summary>
/// <param name="Between">The purposes whose accounts are left with what no later event clears; empty where none
/// are.</param>
/// <param name="Says">What is to be thought of, in a sentence.</param>
public sealed record ValueMove(string Policy, string From, string To, IReadOnlyList<Purpose> Between, string Says);

/// <summary>A line of the entry that empties between-accounts.</summary>
/// <param name="Amount">Debit less credit in base currency.</param>
/// <param name="Purpose">The between-purpose that is emptied, or the purpose whose account takes the value.</param>
public sealed record BetweenLine(
    string Account,
    string? Party,
    string? Item,
    string? Location,
    string? Project,
    decimal Amount,
    string Purpose
);

/// <summary>The entry that empties the between-accounts.</summary>
/// <param name="Unplaced">What no account takes, with the reason; it stays where it is.</param>
public sealed record BetweenEntry(
    IReadOnlyList<BetweenLine> Lines,
    IReadOnlyList<(HeldValue Held, string Why)> Unplaced
);

/// <summary>
/// Policies that decide when value moves leave something behind when they change: what was received under the old way
/// and is
/// never cleared under the new. This says what it is and proposes the entry that empties it.
/// </summary>
/// <remarks>
/// The value goes where the documents that cleared it would have sent it in the edition it was made in: goods received
/// and not
/// invoiced back out of stock, because their invoice brings them in under the new way; shipped and not invoiced to the
/// cost of
/// sales; unfinished production and stock on its way to stock. The entry is an <c>opening</c>: control accounts admit
/// it.
/// </remarks>
public static class Between
{
    /// <summary>The value-moving policies that differ between the live edition and the draft.</summary>
    public static IReadOnlyList<ValueMove> Moves(Policies live, Policies draft)
    {
        var moves = new List<ValueMove>();
        void Add(
            string policy,
            bool was,
            bool now,
            string on,
            string off,
            Purpose[] leaving,
            string leavingSays,
            string comingSays
        )
        {
            if (was != now)
                moves.Add(
                    was
                        ? new ValueMove(policy, on, off, leaving, leavingSays)
                        : new ValueMove(policy, off, on, [], comingSays)
                );
        }
        Add(
            "stock-method",
            live.Perpetual,
            draft.Perpetual,
            "perpetual",
            "periodic",
            [
                Purposes.ReceivedNotInvoiced,
                Purposes.ShippedNotInvoiced,
                Purposes.ProductionWip,
                Purposes.StockInTransit,
            ],
            "Receipts, shipments, movements and production make no entries any more: what stands between them is "
                + "never cleared.",
            "Receipts and shipments make entries from here on: value the stock on hand with stock-revalued or an "
                + "opening, item by item."
        );
        Add(
            "receipt-accrual",
            live.ReceiptAccrual,
            draft.ReceiptAccrual,
            "on",
            "off",
            [Purposes.ReceivedNotInvoiced],
            "Supplier invoices debit stock themselves: what was received before and not invoiced is never cleared.",
            "Goods received before this date made no entry: their invoices must not give receiptCost."
        );
        Add(
            "cost-timing",
            live.CostAtInvoice,
            draft.CostAtInvoice,
            "invoice",
            "shipment",
            [Purposes.ShippedNotInvoiced],
            "Shipments debit the cost of sales themselves: what was shipped before and not invoiced is never cleared.",
            "Goods shipped before this date are in the cost of sales already: their invoices must not give unitCost."
        );
        Add(
            "production",
            !live.DirectProduction,
            !draft.DirectProduction,
            "through-wip",
            "direct",
            [Purposes.ProductionWip],
            "Orders issued before this date keep their value in production: completing them no longer takes it out.",
            "Orders issued before this date have their value in stock already: their completion must give no "
                + "issuedCost."
        );
        return moves;
    }

    /// <summary>The entry that empties what is held.</summary>
    /// <param name="live">The edition it was made in, which says where it goes.</param>
    public static BetweenEntry Empty(IEnumerable<HeldValue> held, CompiledSetUp live)
    {
        var lines = new List<BetweenLine>();
        var unplaced = new List<(HeldValue, string)>();
        foreach (
            var value in held.Where(h => h.Amount != 0)
                .OrderBy(h => h.Account, StringComparer.Ordinal)
                .ThenBy(h => h.Item, StringComparer.Ordinal)
                .ThenBy(h => h.Location, StringComparer.Ordinal)
        )
        {
            var to = To(value, live);
            var landed = live.Landings.Resolve(to, Values(value, live));
            if (landed.Account is null)
            {
                unplaced.Add((value, $"{to.Name} has no account for it"));
                continue;
            }
            if (to.Control == Chart.Control.Stock && value.Item is null)
            {
                unplaced.Add((value, "it names no item, which a line on stock must"));
                continue;
            }
            lines.Add(
                new BetweenLine(
                    value.Account,
                    value.Party,
                    value.Item,
                    value.Location,
                    value.Project,
                    -value.Amount,
                    value.Purpose
                )
            );
            lines.Add(
                new BetweenLine(
                    landed.Account,
                    value.Party,
                    value.Item,
                    value.Location,
                    value.Project,
                    value.Amount,
                    to.Name
                )
            );
        }
        return new BetweenEntry(lines, unplaced);
    }

    private static Purpose To(HeldValue value, CompiledSetUp live)
    {
        if (value.Purpose == Purposes.ShippedNotInvoiced.Name)
            return Purposes.CostOfSales;
        if (
            value.Purpose != Purposes.ReceivedNotInvoiced.Name
            || value.Item is not null && live.Item(value.Item)?.Item.IsStockItem == true
        )
            return Purposes.Stock;
        if (value.Project is not null && live.Project(value.Project) is { } project)
            return project.Recognise == Recognise.AsBilled ? Purposes.ProjectCost : Purposes.ProjectWip;
        return Purposes.NonStockCost;
    }

    private static LegValues Values(HeldValue value, CompiledSetUp live)
    {
        var values = default(LegValues);
        if (value.Item is not null && live.Item(value.Item) is { } item)
            (values[Dimension.Item], values[Dimension.ItemGroup]) = (item.Number, item.Group);
        if (value.Party is not null && live.Party(value.Party) is { } party)
            (values[Dimension.Party], values[Dimension.PartyGroup]) = (
                party.Number,
                value.Purpose == Purposes.ReceivedNotInvoiced.Name ? party.SupplierGroup : party.CustomerGroup
            );
        if (value.Project is not null && live.Project(value.Project) is { } project)
            (values[Dimension.Project], values[Dimension.ProjectGroup]) = (project.Number, project.Group);
        values[Dimension.Location] = live.Index.Of(Dimension.Location, value.Location);
        values[Dimension.Currency] = live.Index.Of(Dimension.Currency, live.Entity.Currency);
        return values;
    }
}
