using Assignum.Core.Landing;
using Assignum.Core.Tax;

namespace Assignum.Core.Entries;

/// <summary>The pattern of supplier documents: what the invoice and the credit note have in common.</summary>
internal static class Buying
{
    /// <summary>Input tax is on what is bought, whatever account it comes to.</summary>
    public static TaxDirection? Taxed(Purpose purpose) =>
        purpose == Purposes.Stock
        || purpose == Purposes.NonStockCost
        || purpose == Purposes.ReceivedNotInvoiced
        || purpose == Purposes.ProjectWip
        || purpose == Purposes.ProjectCost
            ? TaxDirection.Input
            : null;

    /// <summary>What a line's net is debited to.</summary>
    private enum Way
    {
        Receipt,
        StockAtAverage,
        StockAtStandard,
        Cost,
    }

    private sealed record Bought(
        SheetLine? Line,
        LegContext Context,
        Way Way,
        Purpose Main,
        decimal Discount,
        TaxableLine? Tax,
        decimal Amount
    )
    {
        public decimal Net => Tax?.Net ?? Amount;
        public decimal Kept => Tax?.NonDeductible ?? 0;
    }

    public static void Write(EntrySheet sheet)
    {
        var bought = sheet.Lines.Select(l => Line(sheet, l)).ToList();
        for (var i = 0; i < sheet.Event.Charges.Count; i++)
            bought.Add(Charge(sheet, i));
        var calculation = sheet.TaxCalculation(sheet.Event.PricesIncludeTax);
        var totals = calculation.Run([.. bought.Where(b => b.Tax is not null).Select(b => b.Tax!)]);
        foreach (var line in bought)
            Bear(sheet, line, calculation);
        var charged = sheet.InputTax(totals);
        var payables = PayablesContext(sheet, bought);
        sheet.Credit(Purposes.Payables, sheet.Amount(bought.Sum(b => b.Net) + charged), payables);
        Deposit(sheet, payables);
    }

    /// <summary>A purchase that is no stock: on the project where there is one, else simply cost.</summary>
    public static Purpose CostPurpose(SheetLine line) =>
        line.Project is null ? Purposes.NonStockCost
        : line.AsBilled ? Purposes.ProjectCost
        : Purposes.ProjectWip;

    private static Bought Line(EntrySheet sheet, SheetLine line)
    {
        var (_, discount, net) = sheet.Price(line);
        var policies = sheet.Policies;
        var way =
            line.Source.ReceiptCost is not null && policies is { Perpetual: true, ReceiptAccrual: true } ? Way.Receipt
            : line.IsStock && policies.Perpetual
                ? line.AtStandard ? Way.StockAtStandard
                    : Way.StockAtAverage
            : Way.Cost;
        var main = way switch
        {
            Way.Receipt => Purposes.ReceivedNotInvoiced,
            Way.Cost => CostPurpose(line),
            _ => Purposes.Stock,
        };
        var decided = sheet.DecideTax(
            TaxDirection.Input,
            line.Source.TaxCode ?? sheet.Event.TaxCode,
            line.Item?.Item.TaxCategory,
            main,
            line.Context,
            line.Path
        );
        // What settles a receipt is capital where its cost would have landed on a capital account.
        var cost =
            way == Way.Receipt
                ? line.IsStock
                    ? Purposes.Stock
                    : CostPurpose(line)
                : main;
        return new Bought(
            line,
            line.Context,
            way,
            main,
            discount,
            decided is null ? null : new TaxableLine(decided.Value, net, sheet.OnCapital(cost, line.Context)),
            net
        );
    }

    private static Bought Charge(EntrySheet sheet, int number)
    {
        var charge = sheet.Event.Charges[number];
        var context = sheet.ChargeContext(charge, number);
        var project =
            charge.Item is null && sheet.Event.Project is null ? null
            : sheet.Event.Project is { } code ? sheet.SetUp.Project(code)
            : null;
        var main =
            project is null ? Purposes.NonStockCost
            : project.Recognise == Records.Recognise.AsBilled ? Purposes.ProjectCost
            : Purposes.ProjectWip;
        var decided = sheet.DecideTax(
            TaxDirection.Input,
            charge.TaxCode ?? sheet.Event.TaxCode,
            sheet.CategoryOf(charge),
            main,
            context,
            $"charges[{number}]"
        );
        return new Bought(
            null,
            context,
            Way.Cost,
            main,
            0,
            decided is null ? null : new TaxableLine(decided.Value, charge.Amount, sheet.OnCapital(main, context)),
            charge.Amount
        );
    }

    private static void Bear(EntrySheet sheet, Bought line, TaxCalculation calculation)
    {
        var code = line.Tax?.Decided.Code;
        var plain = line.Context with { Written = null };
        switch (line.Way)
        {
            case Way.Receipt:
                Settle(sheet, line, code);
                break;
            case Way.StockAtAverage:
                sheet.Debit(
                    Purposes.Stock,
                    sheet.Amount(line.Net + line.Kept),
                    line.Context with
                    {
                        Quantity = line.Line!.Quantity,
                    },
                    code
                );
                sheet.Move(
                    line.Line.Source.Item!,
                    line.Line.Context.Location,
                    line.Line.Quantity,
                    sheet.Amount(line.Net + line.Kept).Base
                );
                break;
            case Way.StockAtStandard:
                if (sheet.StandardCost(line.Line!) is not { } standard)
                    return;
                var net = sheet.Amount(line.Net);
                sheet.Debit(
                    Purposes.Stock,
                    net with
                    {
                        Base = standard,
                    },
                    line.Context with
                    {
                        Quantity = line.Line!.Quantity,
                    },
                    code
                );
                sheet.Debit(
                    Purposes.PurchaseVariance,
                    sheet.BaseAmount(net.Base - standard) + sheet.Amount(line.Kept),
                    plain
                );
                sheet.Move(line.Line.Source.Item!, line.Line.Context.Location, line.Line.Quantity, standard);
                break;
            default:
                var discount = sheet.Policies.SeparateDiscounts && line.Main != Purposes.ProjectWip ? line.Discount : 0;
                if (discount != 0 && line.Tax is { } tax && calculation.TaxIncluded && !tax.Decided.Code.ReverseCharge)
                    discount -= calculation.Included(discount, tax.Decided.Rate);
                sheet.Debit(line.Main, sheet.Amount(line.Net + discount + line.Kept), line.Context, code);
                sheet.Credit(Purposes.PurchaseDiscount, sheet.Amount(discount), plain, code);
                break;
        }
    }

    // What came is cleared at the rate it came in; what the invoice says beside it, and tax not reclaimed, is variance
    // or, as far as it is still on hand, stock (irrecoverable tax is a cost of purchase: IAS 2.11).
    private static void Settle(EntrySheet sheet, Bought line, TaxCode? code)
    {
        var receipt = line.Line!.Source.ReceiptCost!.Value;
        var rate = line.Line.Source.ReceiptRate ?? sheet.Rate;
        var cleared = sheet.AmountAt(receipt, rate);
        sheet.Debit(Purposes.ReceivedNotInvoiced, cleared, line.Context, code, rate);
        var plain = line.Context with { Written = null };
        var rest = line.Net + line.Kept - receipt;
        var held = line.Line is { IsStock: true, AtStandard: false }
            ? sheet.Round(rest * (line.Line.Source.HeldShare ?? 0))
            : 0;
        sheet.Debit(Purposes.Stock, sheet.Amount(held), plain);
        if (held != 0)
            sheet.Move(line.Line.Source.Item!, line.Context.Location, 0, sheet.Amount(held).Base);
        sheet.Debit(
            Purposes.PurchaseVariance,
            sheet.Amount(rest - held) + sheet.BaseAmount(sheet.Amount(receipt).Base - cleared.Base),
            plain
        );
    }

    // Payables has an item group only where the whole document shares one.
    private static LegContext PayablesContext(EntrySheet sheet, List<Bought> bought)
    {
        var values = sheet.Document.Values;
        var group = bought.Count == 0 ? 0 : bought[0].Context.Values[Dimension.ItemGroup];
        values[Dimension.ItemGroup] = bought.TrueForAll(b => b.Context.Values[Dimension.ItemGroup] == group)
            ? group
            : 0;
        return sheet.Document with { Values = values, Written = sheet.Number(sheet.Event.PayablesAccount) };
    }

    private static void Deposit(EntrySheet sheet, LegContext payables)
    {
        if (sheet.Event.DepositApplied is not { } applied)
            return;
        var rate = sheet.Event.DepositRate ?? sheet.Rate;
        sheet.Debit(Purposes.Payables, sheet.Amount(applied), payables);
        sheet.Credit(Purposes.SupplierDeposits, sheet.AmountAt(applied, rate), sheet.Document, rate: rate);
        sheet.Exchange(sheet.Amount(applied).Base - sheet.AmountAt(applied, rate).Base, sheet.Document);
    }
}
