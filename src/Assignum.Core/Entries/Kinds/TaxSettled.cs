using Assignum.Core.Tax;
using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.Entries.Kinds;

/// <summary>A tax authority is paid what the return says, or refunds it with a negative amount.</summary>
public sealed class TaxSettled : EventKind
{
    public override string Name => "tax-settled";
    public override string Title => "Tax settled";
    public override string Explain => "A tax authority is paid what is owed by the return, or refunds it.";
    public override IReadOnlyList<string> Takes { get; } = ["authority", "amount", "method", "location"];
    public override IReadOnlyList<string> Needs { get; } = ["authority", "amount"];
    public override IReadOnlyList<string> LineTakes { get; } = ["taxCode", "amount"];
    public override IReadOnlyList<string> LineNeeds { get; } = ["taxCode", "amount"];
    public override bool LinesMayBeNone => true;

    public override void Write(EntrySheet sheet)
    {
        var e = sheet.Event;
        var amount = e.Amount!.Value;
        var cleared = 0m;
        void Clear(TaxCode code, decimal cleared)
        {
            var context = sheet.Document.ForTax(sheet.SetUp.Index, code.Code);
            if (code.Direction == TaxDirection.Output)
                sheet.Debit(OutputTax, sheet.Amount(cleared), context);
            else
                sheet.Credit(InputTax, sheet.Amount(cleared), context);
        }
        foreach (var line in sheet.Lines)
        {
            var code = sheet.SetUp.Taxes.Code(line.Source.TaxCode!)!;
            if (code.Direction == TaxDirection.Input && !sheet.SetUp.Entity.TaxRegistered)
            {
                sheet.Fail(
                    "not-registered",
                    $"{line.Path}: {code.Code} reclaims tax, and the entity is not registered for it: there is nothing "
                        + "to clear.",
                    line.Path + ".taxCode"
                );
                continue;
            }
            Clear(code, line.Source.Amount!.Value);
            cleared += (code.Direction == TaxDirection.Output ? 1 : -1) * line.Source.Amount.Value;
        }
        if (sheet.Lines.Count > 0 && cleared != amount)
            sheet.Fail(
                "unequal",
                $"The lines clear {cleared}, and {amount} is paid: output tax less input tax is what is paid.",
                "amount"
            );
        if (sheet.Lines.Count == 0)
        {
            // Without lines the account is that of the authority's first output code by name.
            var first = sheet
                .SetUp.SetUp.TaxCodes.Where(c => c.Direction == TaxDirection.Output && c.Authority == e.Authority)
                .OrderBy(c => c.Name, StringComparer.Ordinal)
                .ThenBy(c => c.Code, StringComparer.Ordinal)
                .FirstOrDefault();
            if (first is null)
            {
                sheet.Fail(
                    "unknown-authority",
                    $"No output tax code names {e.Authority} as its authority: name it there, or give lines by tax code.",
                    "authority"
                );
                return;
            }
            Clear(first, amount);
        }
        sheet.Credit(Bank, sheet.Amount(amount), sheet.Document);
    }
}
