using Assignum.Core.Calendar;
using Assignum.Core.Landing;

namespace Assignum.Core.Entries.Kinds;

/// <summary>Balances in foreign currency are brought to a closing rate, in base currency only.</summary>
/// <remarks>A missing party on a control account of receivables or payables is warned of; see
/// docs/decisions/0004.</remarks>
public sealed class CurrencyRevalued : EventKind
{
    public override string Name => "currency-revalued";
    public override string Title => "Foreign balances revalued";
    public override string Explain => "Balances in foreign currency are brought to the closing rate.";
    public override IReadOnlyList<string> Takes { get; } = ["reverseOn"];
    public override IReadOnlyList<string> LineTakes { get; } = ["account", "currency", "amount", "party"];
    public override IReadOnlyList<string> LineNeeds { get; } = ["account", "currency", "amount"];

    public override void Write(EntrySheet sheet)
    {
        if (sheet.Event.ReverseOn is { } day && day <= sheet.Event.Date)
            sheet.Fail("bad-date", $"reverseOn is {WrittenDay.Say(day)}; it must come after the date.", "reverseOn");
        foreach (var line in sheet.Lines)
        {
            var account = sheet.Number(line.Source.Account)!;
            var values = line.Context.Values;
            values[Dimension.Currency] = sheet.SetUp.Index.Of(Dimension.Currency, line.Source.Currency);
            var context = sheet.HandContext(line) with { Values = values };
            if (
                context.Party is null
                && sheet.SetUp.Account(account) is { Control: Chart.Control.Receivables or Chart.Control.Payables }
            )
                sheet.Warn(
                    "party-needed",
                    $"{line.Path}: account {account} belongs to parties; name the one revalued.",
                    account,
                    null,
                    line.Number
                );
            if (
                sheet.Event.ReverseOn is null
                && sheet.SetUp.Account(account) is { Control: Chart.Control.Receivables or Chart.Control.Payables }
            )
                sheet.Warn(
                    "not-reversed",
                    $"{line.Path}: documents on account {account} are revalued for good, and each is settled at the rate it "
                        + "was booked at: give reverseOn.",
                    account,
                    null,
                    line.Number
                );
            var amount = line.Source.Amount!.Value;
            sheet.ByHand(Side.Debit, new LegAmount(amount, null), context, account, null);
            sheet.Exchange(amount, context);
        }
    }
}
