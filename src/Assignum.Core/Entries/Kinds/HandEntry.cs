using Assignum.Core.Chart;
using Assignum.Core.Events;
using Assignum.Core.Landing;

namespace Assignum.Core.Entries.Kinds;

/// <summary>Lines written by hand, each a debit or a credit; every guard applies.</summary>
public class HandEntry : EventKind
{
    public override string Name => "hand-entry";
    public override string Explain => "An entry written by hand, account by account.";
    public override bool ByHand => true;
    public override IReadOnlyList<string> Takes { get; } =
    ["party", "location", "project", "taxDate", "order", "due", "channel", "method", "counterparty", "reverseOn"];
    public override IReadOnlyList<string> LineTakes { get; } =
    [
        "account",
        "debit",
        "credit",
        "party",
        "document",
        "due",
        "item",
        "quantity",
        "location",
        "project",
        "order",
        "channel",
        "method",
        "currency",
        "currencyAmount",
        "rate",
        "taxCode",
        "because",
    ];
    public override IReadOnlyList<string> LineNeeds { get; } = ["account"];

    public override void Write(EntrySheet sheet)
    {
        foreach (var line in sheet.Lines)
        {
            var source = line.Source;
            if (source.Debit is null == source.Credit is null)
            {
                sheet.Fail(
                    "one-side",
                    $"{EventPlace.InWords(line.Path)} needs either 'debit' or 'credit', not both and not neither.",
                    line.Path
                );
                continue;
            }
            var account = sheet.Number(source.Account)!;
            var context = sheet.HandContext(line) with { TaxCode = source.TaxCode };
            if (NeedsKey(sheet.SetUp.Account(account)?.Control ?? Control.None, context) is { } missing)
                sheet.Fail(
                    "control-key",
                    $"{EventPlace.InWords(line.Path)} is on a control account and needs {missing}.",
                    $"{line.Path}.{missing}",
                    null,
                    account
                );
            var control = sheet.SetUp.Account(account)?.Control ?? Control.None;
            if (Money(sheet, line, context) is not { } told)
                continue;
            sheet.ByHand(
                source.Debit is null ? Side.Credit : Side.Debit,
                sheet.Amount(source.Debit ?? source.Credit!.Value),
                Named(control, source, told),
                account,
                source.TaxCode is null ? null : sheet.SetUp.Taxes.Code(source.TaxCode),
                source.Rate
            );
        }
    }

    // What the line is in a currency of its own, where it says so.
    private static LegContext? Money(EntrySheet sheet, SheetLine line, LegContext context)
    {
        var source = line.Source;
        if (source.CurrencyAmount is not { } amount)
            return context;
        var currency = source.Currency ?? sheet.Currency;
        var decimals = Core.Money.Currencies.Decimals(currency) ?? sheet.SetUp.BaseDecimals;
        if (decimal.Round(amount, decimals) == amount)
            return context with { Settled = (currency, amount) };
        sheet.Fail(
            "too-many-decimals",
            $"{EventPlace.InWords(line.Path)}: currencyAmount is {amount}; {currency} has {decimals} decimals.",
            line.Path + ".currencyAmount"
        );
        return null;
    }

    // On the side that a document grows by, a line opens it; on the other it takes of it.
    private static LegContext Named(Control control, EventLine line, LegContext context)
    {
        if (line.Document is null)
            return context;
        var debit = (line.Debit ?? -line.Credit!.Value) > 0;
        var grows = control is Control.Receivables or Control.Intercompany or Control.None ? debit : !debit;
        return grows ? context : context with { Opened = null, Reference = line.Document };
    }

    // A subledger must know whose line it is.
    private static string? NeedsKey(Control control, LegContext context) =>
        control switch
        {
            Control.Receivables or Control.Payables when context.Party is null => "party",
            Control.Stock when context.Item is null => "item",
            Control.Projects when context.Project is null => "project",
            _ => null,
        };
}
