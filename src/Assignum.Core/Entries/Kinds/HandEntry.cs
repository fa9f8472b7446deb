using Assignum.Core.Chart;
using Assignum.Core.Landing;

namespace Assignum.Core.Entries.Kinds;

/// <summary>Lines written by hand, each a debit or a credit; every guard applies.</summary>
public class HandEntry : EventKind
{
    public override string Name => "hand-entry";
    public override string Explain => "An entry written by hand, account by account.";
    public override bool ByHand => true;
    public override IReadOnlyList<string> Takes => ["party", "location", "project", "taxDate"];
    public override IReadOnlyList<string> LineTakes =>
        ["account", "debit", "credit", "party", "item", "location", "project", "taxCode", "because"];
    public override IReadOnlyList<string> LineNeeds => ["account"];

    public override void Write(EntrySheet sheet)
    {
        foreach (var line in sheet.Lines)
        {
            var source = line.Source;
            if (source.Debit is null == source.Credit is null)
            {
                sheet.Fail(
                    "one-side",
                    $"{line.Path} needs either 'debit' or 'credit', not both and not neither.",
                    line.Path
                );
                continue;
            }
            var account = sheet.Number(source.Account)!;
            var context = sheet.HandContext(line) with { TaxCode = source.TaxCode };
            if (NeedsKey(sheet.SetUp.Account(account)?.Control ?? Control.None, context) is { } missing)
                sheet.Fail(
                    "control-key",
                    $"{line.Path} is on a control account and needs {missing}.",
                    $"{line.Path}.{missing}",
                    null,
                    account
                );
            sheet.ByHand(
                source.Debit is null ? Side.Credit : Side.Debit,
                sheet.Amount(source.Debit ?? source.Credit!.Value),
                context,
                account,
                source.TaxCode is null ? null : sheet.SetUp.Taxes.Code(source.TaxCode)
            );
        }
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
