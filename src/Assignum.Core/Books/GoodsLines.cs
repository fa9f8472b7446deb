using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.Landing;

namespace Assignum.Core.Books;

/// <summary>What an event says of goods between us and others, line by line, with what its entry made of them.</summary>
public static class GoodsLines
{
    private static readonly HashSet<Purpose> Revenue =
    [
        Purposes.SalesRevenue,
        Purposes.SalesReturns,
        Purposes.SalesDiscount,
        Purposes.ProjectRevenue,
        Purposes.ProjectBillings,
    ];

    /// <summary>Its lines of items with their places in the event, from 0; those that move value alone are left
    /// out.</summary>
    public static IReadOnlyList<(int Place, GoodsLine Line)> Of(BusinessEvent source, EntryResult result)
    {
        if (EventKinds.Find(source.Kind)?.Goods is not { } goods)
            return [];
        var rate = result.Entry?.Rate ?? source.Rate ?? 1;
        var legs = (result.Entry?.Lines ?? [])
            .Where(l => l is { EventLine: not null, Purpose: not null })
            .ToLookup(l => l.EventLine!.Value);
        var lines = new List<(int, GoodsLine)>();
        for (var i = 0; i < source.Lines.Count; i++)
        {
            var line = source.Lines[i];
            if (line.Item is null || line.Quantity == 0)
                continue;
            var quantity = line.Quantity ?? 1;
            var (revenue, cost, held) = (0m, 0m, (decimal?)null);
            var (account, costAccount) = ((string?)null, (string?)null);
            foreach (var leg in legs[i])
            {
                if (Revenue.Contains(leg.Purpose!))
                    revenue -= leg.Signed;
                if (leg.Purpose == Purposes.SalesRevenue || leg.Purpose == Purposes.SalesReturns)
                    account ??= leg.Account;
                if (leg.Purpose == Purposes.CostOfSales)
                    costAccount ??= leg.Account;
                if (
                    leg.Purpose == Purposes.CostOfSales
                    || goods.Fact == GoodsFact.Shipped && leg.Purpose == Purposes.ShippedNotInvoiced
                )
                    cost += leg.Signed;
                if (leg.Purpose == Purposes.Stock)
                    held = (held ?? 0) + leg.Signed;
            }
            lines.Add(
                (
                    i,
                    new GoodsLine(
                        goods.Fact,
                        0,
                        source.Date,
                        source.Party,
                        line.Order ?? source.Order,
                        line.Item,
                        line.Shipment ?? line.Receipt,
                        source.Reference ?? $"{source.Source}/{source.Id}",
                        goods.Turned ? -quantity : quantity,
                        revenue,
                        account,
                        goods.Fact == GoodsFact.Received
                            ? held
                                ?? decimal.Round(
                                    (line.UnitCost ?? 0) * quantity * rate,
                                    2,
                                    MidpointRounding.AwayFromZero
                                )
                            : cost,
                        costAccount,
                        line.UnitPrice * rate,
                        line.Location ?? source.Location
                    )
                )
            );
        }
        return lines;
    }
}
