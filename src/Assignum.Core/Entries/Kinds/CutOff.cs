using Assignum.Core.Calendar;
using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.Entries.Kinds;

/// <summary>At the end of a month: what is invoiced and not shipped is no revenue yet, what is shipped and not invoiced
/// is, and what is received and not invoiced is owed. Turned back the day after. Amounts in base currency.</summary>
public sealed class CutOff : EventKind
{
    public const string InvoicedNotShipped = "invoiced-not-shipped",
        ShippedNotInvoicedYet = "shipped-not-invoiced",
        ReceivedNotInvoicedYet = "received-not-invoiced";

    /// <summary>What a line can be.</summary>
    public static IReadOnlyList<string> Words { get; } =
    [InvoicedNotShipped, ShippedNotInvoicedYet, ReceivedNotInvoicedYet];

    public override string Name => "cut-off";
    public override string Title => "Cut off at the month's end";
    public override string Explain =>
        "Goods invoiced and not shipped, and shipped and not invoiced, are put into the right month.";
    public override bool MadeHere => true;
    public override IReadOnlyList<string> Takes { get; } = ["reverseOn"];
    public override IReadOnlyList<string> Needs { get; } = ["reverseOn"];
    public override IReadOnlyList<string> LineTakes { get; } =
    ["what", "item", "party", "order", "location", "account", "amount", "costAccount", "cost"];
    public override IReadOnlyList<string> LineNeeds { get; } = ["what", "item"];

    public override void Write(EntrySheet sheet)
    {
        if (sheet.Event.ReverseOn is { } day && day <= sheet.Event.Date)
            sheet.Fail("bad-date", $"reverseOn is {WrittenDay.Say(day)}; it must come after the date.", "reverseOn");
        // Like receipts that are not accrued: where the policy is off it makes no entry.
        if (!sheet.Policies.CutOff)
            return;
        // What the policies leave where it is is not moved.
        var costed = sheet.Policies is { CostAtInvoice: true, Perpetual: true };
        var accrued = sheet.Policies is { ReceiptAccrual: false, Perpetual: true };
        foreach (var line in sheet.Lines)
        {
            var context = sheet.HandContext(line) with { Opened = null };
            var amount = sheet.BaseAmount(line.Source.Amount ?? 0);
            var cost = sheet.BaseAmount(costed ? line.Source.Cost ?? 0 : 0);
            PostedOn? On(string? account) => account is null ? null : new PostedOn(sheet.Number(account)!, true);
            switch (line.Source.What)
            {
                case InvoicedNotShipped:
                    sheet.Debit(SalesRevenue, amount, context, bound: On(line.Source.Account));
                    sheet.Credit(DeferredRevenue, amount, context);
                    sheet.Debit(ShippedNotInvoiced, cost, context);
                    sheet.Credit(CostOfSales, cost, context, bound: On(line.Source.CostAccount));
                    break;
                case ShippedNotInvoicedYet:
                    sheet.Debit(UnbilledRevenue, amount, context);
                    sheet.Credit(SalesRevenue, amount, context);
                    sheet.Debit(CostOfSales, cost, context);
                    sheet.Credit(ShippedNotInvoiced, cost, context);
                    break;
                case ReceivedNotInvoicedYet when accrued:
                    sheet.Debit(Stock, amount, context);
                    sheet.Credit(ReceivedNotInvoiced, amount, context);
                    break;
            }
        }
    }
}
