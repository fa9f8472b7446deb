using Assignum.Core.Chart;

namespace Assignum.Core.Entries.Kinds;

/// <summary>Payments on account and credit notes are applied to documents later: open items move, money does not.</summary>
public sealed class Allocation : EventKind
{
    public override string Name => "allocation";
    public override string Explain => "Payments on account and credit notes are applied to documents.";
    public override IReadOnlyList<string> Takes { get; } = ["party", "side"];
    public override IReadOnlyList<string> Needs { get; } = ["party", "side"];
    public override Control SettledSubledger => Control.Receivables;
    public override bool MayLeaveNoLine => true;
    public override bool NeedsNoRate => true;

    public override Control SubledgerOf(Events.BusinessEvent source) =>
        source.Side == "supplier" ? Control.Payables : Control.Receivables;

    public override void Write(EntrySheet sheet)
    {
        if (sheet.Event.Settles.Count < 2)
            sheet.Fail("missing-field", "An allocation names at least two documents.", "settles");
        else
            Paying.Allocate(sheet, SubledgerOf(sheet.Event));
    }
}
