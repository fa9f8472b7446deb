using Assignum.Core.Landing;
using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.Entries.Kinds;

/// <summary>Stock went from one location to another, at once or through transit.</summary>
public sealed class StockMoved : EventKind
{
    public override string Name => "stock-moved";
    public override string Explain => "Goods went from one location to another.";
    public override bool MayLeaveNoLine => true;
    public override IReadOnlyList<string> Takes { get; } = ["fromLocation", "toLocation", "inTransit"];
    public override IReadOnlyList<string> Needs { get; } = ["fromLocation", "toLocation"];
    public override IReadOnlyList<string> LineTakes { get; } = ["item", "quantity", "unitCost"];
    public override IReadOnlyList<string> LineNeeds { get; } = ["item"];

    public override void Write(EntrySheet sheet)
    {
        foreach (var line in sheet.Lines)
        {
            if (!line.IsStock)
                continue;
            var going = sheet.Event.InTransit != "in";
            var coming = sheet.Event.InTransit != "out";
            var cost = sheet.Policies.Perpetual ? sheet.Cost(line) : null;
            if (cost is null && sheet.Policies.Perpetual)
                continue;
            if (cost is { } value)
                Value(sheet, line, value, going, coming);
            else
                Pass(sheet, line, 0, going, coming);
        }
    }

    // What passes without a line: goods from key to key, and their value on one account.
    private static void Pass(EntrySheet sheet, SheetLine line, decimal cost, bool going, bool coming)
    {
        var index = sheet.SetUp.Index;
        var from = line.Context.AtLocation(index, sheet.Event.FromLocation);
        var to = line.Context.AtLocation(index, sheet.Event.ToLocation);
        sheet.Keep(coming ? Stock : StockInTransit, to, line.Quantity, cost);
        sheet.Keep(going ? Stock : StockInTransit, going ? from : to, -line.Quantity, -cost);
    }

    private static void Value(EntrySheet sheet, SheetLine line, decimal cost, bool going, bool coming)
    {
        var index = sheet.SetUp.Index;
        var from = line.Context.AtLocation(index, sheet.Event.FromLocation) with { Quantity = line.Quantity };
        // What is on its way belongs to where it goes, when it leaves and when it comes.
        var to = line.Context.AtLocation(index, sheet.Event.ToLocation) with { Quantity = line.Quantity };
        var (debit, credit) = (coming ? Stock : StockInTransit, going ? Stock : StockInTransit);
        var creditContext = going ? from : to;
        if (Same(sheet, debit, to, credit, creditContext))
        {
            Pass(sheet, line, cost, going, coming);
            return;
        }
        sheet.Debit(debit, sheet.BaseAmount(cost), to);
        sheet.Credit(credit, sheet.BaseAmount(cost), creditContext);
    }

    // Two legs on one account by one rung and key say nothing; the movement itself is kept.
    private static bool Same(EntrySheet sheet, Purpose debit, LegContext to, Purpose credit, LegContext from)
    {
        var a = sheet.SetUp.Landings.TraceOf(debit, to.Values);
        var b = sheet.SetUp.Landings.TraceOf(credit, from.Values);
        return a.Account is not null && a.Account == b.Account && a.Rung == b.Rung && a.Key.SequenceEqual(b.Key);
    }
}
