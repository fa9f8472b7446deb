using Assignum.Core.Entries;

namespace Assignum.Core.Books;

/// <summary>A line of a stock item that went out, was invoiced, came in or was billed.</summary>
/// <param name="Named">The shipment or receipt that it names; null: none.</param>
/// <param name="Document">What its own document is called.</param>
/// <param name="Quantity">Units; negative where it is turned round.</param>
/// <param name="Amount">Net revenue or price in base currency, signed like the quantity.</param>
/// <param name="Account">The account of revenue; null: none landed.</param>
/// <param name="Cost">Cost of sales that it recognised, or what it is worth in stock; base currency.</param>
/// <param name="UnitPrice">What the goods will be invoiced at, for one unit in base currency; null: it does not say.</param>
public sealed record GoodsLine(
    GoodsFact Fact,
    long Event,
    DateOnly Date,
    string? Party,
    string? Order,
    string Item,
    string? Named,
    string Document,
    decimal Quantity,
    decimal Amount,
    string? Account,
    decimal Cost,
    string? CostAccount,
    decimal? UnitPrice,
    string? Location
);

/// <summary>Goods that are on one side only at a day.</summary>
/// <param name="Order">Null: they belong to no order.</param>
/// <param name="Amount">Net of what was invoiced, or what will be; of receipts what they cost. Base currency; null where
/// nothing says it.</param>
/// <param name="Cost">What they cost us; base currency.</param>
/// <param name="Since">The day of the oldest of them.</param>
public sealed record CutOffRow(
    string? Party,
    string? Order,
    string Item,
    decimal Quantity,
    decimal? Amount,
    decimal Cost,
    DateOnly Since,
    IReadOnlyList<string> Documents,
    string? Account,
    string? CostAccount,
    string? Location
);

/// <summary>Goods whose revenue and whose cost fall into different months.</summary>
/// <param name="Effect">On the gross profit of the month of the revenue: the cost that it lacks, or, where the cost came
/// first, what the other month has too much.</param>
public sealed record AcrossRow(
    string? Party,
    string? Order,
    string Item,
    decimal Quantity,
    DateOnly RevenueMonth,
    DateOnly CostMonth,
    decimal Revenue,
    decimal Cost,
    IReadOnlyList<string> Documents
)
{
    /// <summary>What the gross profit of the month of the revenue is too high by.</summary>
    public decimal Effect => Cost;
}

/// <summary>What stands across a day.</summary>
public sealed record CutOffs(
    DateOnly At,
    IReadOnlyList<CutOffRow> ShippedNotInvoiced,
    IReadOnlyList<CutOffRow> InvoicedNotShipped,
    IReadOnlyList<CutOffRow> ReceivedNotInvoiced,
    IReadOnlyList<AcrossRow> AcrossMonths
)
{
    /// <summary>Units that went out and units that were invoiced, by month, the last six up to the day.</summary>
    public IReadOnlyList<(DateOnly Month, decimal Shipped, decimal Invoiced)> ByMonth { get; init; } = [];

    /// <summary>Sets what went out against what was invoiced, and what came in against what was billed, by party, order
    /// and item, else by party and item; the oldest against the oldest.</summary>
    /// <param name="lines">Up to and with the day.</param>
    /// <param name="costAtInvoice">The cost is recognised when goods are invoiced, so it never is in another
    /// month.</param>
    public static CutOffs Of(DateOnly at, IReadOnlyList<GoodsLine> lines, bool costAtInvoice)
    {
        var known = Ordered(lines);
        var (shipped, invoiced, received, across) = (
            new List<CutOffRow>(),
            new List<CutOffRow>(),
            new List<CutOffRow>(),
            new List<AcrossRow>()
        );
        foreach (var of in known.Where(l => l.Fact is GoodsFact.Shipped or GoodsFact.Invoiced).GroupBy(KeyOf))
        {
            var pairs = new Pairing(of, GoodsFact.Shipped, GoodsFact.Invoiced);
            Add(shipped, of.ToList(), pairs.LeftOver, true);
            Add(invoiced, of.ToList(), pairs.RightOver, false);
            if (costAtInvoice)
                continue;
            across.AddRange(
                pairs
                    .Met.Where(m => Month(m.Left.Date) != Month(m.Right.Date))
                    .GroupBy(m => (Month(m.Right.Date), Month(m.Left.Date)))
                    .Select(g => new AcrossRow(
                        g.First().Right.Party ?? g.First().Left.Party,
                        g.First().Left.Order ?? g.First().Right.Order,
                        g.First().Left.Item,
                        g.Sum(m => m.Quantity),
                        g.Key.Item1,
                        g.Key.Item2,
                        g.Sum(m => Share(m.Right.Amount, m.Quantity, m.Right.Quantity)),
                        g.Sum(m => Share(m.Left.Cost, m.Quantity, m.Left.Quantity)),
                        [.. g.SelectMany(m => new[] { m.Right.Document, m.Left.Document }).Distinct()]
                    ))
            );
        }
        foreach (var of in known.Where(l => l.Fact is GoodsFact.Received or GoodsFact.Billed).GroupBy(KeyOf))
            Add(received, of.ToList(), new Pairing(of, GoodsFact.Received, GoodsFact.Billed).LeftOver, true);
        return new CutOffs(
            at,
            Sorted(shipped),
            Sorted(invoiced),
            Sorted(received),
            [
                .. across
                    .OrderByDescending(a => a.RevenueMonth)
                    .ThenBy(a => a.Party, StringComparer.Ordinal)
                    .ThenBy(a => a.Order, StringComparer.Ordinal)
                    .ThenBy(a => a.Item, StringComparer.Ordinal),
            ]
        )
        {
            ByMonth =
            [
                .. Enumerable
                    .Range(-5, 6)
                    .Select(i => Month(at).AddMonths(i))
                    .Select(m =>
                        (
                            m,
                            known.Where(l => l.Fact == GoodsFact.Shipped && Month(l.Date) == m).Sum(l => l.Quantity),
                            known.Where(l => l.Fact == GoodsFact.Invoiced && Month(l.Date) == m).Sum(l => l.Quantity)
                        )
                    ),
            ],
        };
    }

    private static DateOnly Month(DateOnly day) => new(day.Year, day.Month, 1);

    private static decimal Share(decimal amount, decimal of, decimal all) =>
        of == all ? amount : decimal.Round(amount * of / all, 4);

    private static IReadOnlyList<CutOffRow> Sorted(List<CutOffRow> rows) =>
        [
            .. rows.OrderByDescending(r => Math.Abs(r.Amount ?? r.Cost))
                .ThenBy(r => r.Party, StringComparer.Ordinal)
                .ThenBy(r => r.Order, StringComparer.Ordinal)
                .ThenBy(r => r.Item, StringComparer.Ordinal),
        ];

    // A line's order is that of the shipment or receipt that it names; a sale of nobody is of whoever the order is of.
    private static List<GoodsLine> Ordered(IReadOnlyList<GoodsLine> lines)
    {
        var orders = lines
            .Where(l => l.Fact is GoodsFact.Shipped or GoodsFact.Received && l.Order is not null)
            .GroupBy(l => (l.Document, l.Item, l.Fact))
            .ToDictionary(g => g.Key, g => g.First().Order);
        var parties = lines
            .Where(l => l is { Fact: GoodsFact.Shipped, Order: not null, Party: not null })
            .GroupBy(l => l.Order!)
            .ToDictionary(g => g.Key, g => g.First().Party, StringComparer.Ordinal);
        return
        [
            .. lines.Select(l =>
            {
                if (l.Named is { } named)
                    l = l with
                    {
                        Order = orders.GetValueOrDefault(
                            (named, l.Item, l.Fact == GoodsFact.Invoiced ? GoodsFact.Shipped : GoodsFact.Received),
                            l.Order
                        ),
                    };
                return l is { Party: null, Order: { } order, Fact: GoodsFact.Invoiced }
                    ? l with
                    {
                        Party = parties.GetValueOrDefault(order),
                    }
                    : l;
            }),
        ];
    }

    private static (string?, string?, string) KeyOf(GoodsLine line) => (line.Party, line.Order, line.Item);

    private static void Add(
        List<CutOffRow> rows,
        List<GoodsLine> all,
        List<(GoodsLine Line, decimal Quantity)> over,
        bool left
    )
    {
        var quantity = over.Sum(o => o.Quantity);
        if (quantity == 0)
            return;
        var first = over[0].Line;
        // What went out is worth what its line or its order says it will be invoiced at.
        var price = all.Select(l => l.UnitPrice).FirstOrDefault(p => p is not null);
        decimal? amount =
            !left ? over.Sum(o => Share(o.Line.Amount, o.Quantity, o.Line.Quantity))
            : first.Fact == GoodsFact.Received ? over.Sum(o => Share(o.Line.Cost, o.Quantity, o.Line.Quantity))
            : over.TrueForAll(o => (o.Line.UnitPrice ?? price) is not null)
                ? over.Sum(o => o.Quantity * (o.Line.UnitPrice ?? price)!.Value)
            : null;
        rows.Add(
            new CutOffRow(
                first.Party,
                first.Order,
                first.Item,
                quantity,
                amount is { } worth ? decimal.Round(worth, 2, MidpointRounding.AwayFromZero) : null,
                decimal.Round(
                    over.Sum(o => Share(o.Line.Cost, o.Quantity, o.Line.Quantity)),
                    2,
                    MidpointRounding.AwayFromZero
                ),
                over.Min(o => o.Line.Date),
                [.. over.Select(o => o.Line.Document).Distinct()],
                over.Select(o => o.Line.Account).FirstOrDefault(a => a is not null),
                over.Select(o => o.Line.CostAccount).FirstOrDefault(a => a is not null),
                over.Select(o => o.Line.Location).FirstOrDefault(l => l is not null)
            )
        );
    }

    /// <summary>Lines of two sides set against each other, those that name each other first, then the oldest.</summary>
    private sealed class Pairing
    {
        public List<(GoodsLine Left, GoodsLine Right, decimal Quantity)> Met { get; } = [];
        public List<(GoodsLine Line, decimal Quantity)> LeftOver { get; }
        public List<(GoodsLine Line, decimal Quantity)> RightOver { get; }

        public Pairing(IEnumerable<GoodsLine> lines, GoodsFact left, GoodsFact right)
        {
            var of = lines.OrderBy(l => l.Date).ThenBy(l => l.Event).ToList();
            var lefts = Net(of.Where(l => l.Fact == left));
            var rights = Net(of.Where(l => l.Fact == right));
            Meet(lefts, rights, (l, r) => r.Named == l.Document);
            Meet(lefts, rights, (_, _) => true);
            LeftOver = [.. lefts.Where(l => l.Quantity != 0)];
            RightOver = [.. rights.Where(r => r.Quantity != 0)];
        }

        // What is turned round is taken off the newest of what it turns.
        private static List<(GoodsLine Line, decimal Quantity)> Net(IEnumerable<GoodsLine> lines)
        {
            var open = new List<(GoodsLine Line, decimal Quantity)>();
            foreach (var line in lines)
            {
                var rest = line.Quantity;
                for (var i = open.Count - 1; i >= 0 && rest != 0; i--)
                {
                    if (Math.Sign(open[i].Quantity) == Math.Sign(rest) || open[i].Quantity == 0)
                        continue;
                    var part = Math.Min(Math.Abs(open[i].Quantity), Math.Abs(rest)) * Math.Sign(open[i].Quantity);
                    open[i] = (open[i].Line, open[i].Quantity - part);
                    rest += part;
                }
                if (rest != 0)
                    open.Add((line, rest));
            }
            return open;
        }

        private void Meet(
            List<(GoodsLine Line, decimal Quantity)> lefts,
            List<(GoodsLine Line, decimal Quantity)> rights,
            Func<GoodsLine, GoodsLine, bool> may
        )
        {
            for (var r = 0; r < rights.Count; r++)
            for (var l = 0; l < lefts.Count && rights[r].Quantity != 0; l++)
            {
                var (there, asked) = (lefts[l].Quantity, rights[r].Quantity);
                if (there == 0 || Math.Sign(there) != Math.Sign(asked) || !may(lefts[l].Line, rights[r].Line))
                    continue;
                var part = Math.Min(Math.Abs(there), Math.Abs(asked)) * Math.Sign(there);
                Met.Add((lefts[l].Line, rights[r].Line, part));
                lefts[l] = (lefts[l].Line, there - part);
                rights[r] = (rights[r].Line, asked - part);
            }
        }
    }
}
