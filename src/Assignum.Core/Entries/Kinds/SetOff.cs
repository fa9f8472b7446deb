using Assignum.Core.Chart;
using Assignum.Core.Records;
using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.Entries.Kinds;

/// <summary>What a party owes is set off against what it is owed: its documents on both sides are settled, no money
/// moves.</summary>
public sealed class SetOff : EventKind
{
    public override string Name => "set-off";
    public override string Explain =>
        "What a party that is customer and supplier owes is set off against what it is owed.";
    public override IReadOnlyList<string> Takes { get; } = ["party", "location"];
    public override IReadOnlyList<string> Needs { get; } = ["party"];
    public override Control SettledSubledger => Control.Receivables;
    public override bool SettlesPayables => true;

    public override void Write(EntrySheet sheet)
    {
        var e = sheet.Event;
        if (sheet.Party!.Party.Kind != PartyKind.Both)
            sheet.Fail(
                "party-kind",
                $"{e.Party} is not both customer and supplier: there is nothing to set off.",
                "party"
            );
        var (owed, owing) = (e.Settles.Sum(s => s.Amount), e.SettlesPayables.Sum(s => s.Amount));
        if (e.Settles.Count == 0 || e.SettlesPayables.Count == 0)
            sheet.Fail(
                "missing-field",
                "A set-off needs documents on both sides: what is owed and what is owing.",
                e.Settles.Count == 0 ? "settles" : "settlesPayables"
            );
        else if (owed != owing)
            sheet.Fail(
                "unequal",
                $"The documents owed come to {owed} and those owing to {owing}: a set-off takes as much of both.",
                "settlesPayables"
            );
        if (sheet.Errors.Count > 0)
            return;
        var payables = Paying.Settle(sheet, Chart.Control.Payables, e.SettlesPayables, "settlesPayables");
        var receivables = Paying.Settle(sheet, Chart.Control.Receivables, e.Settles, "settles");
        // What is beyond what was open stands on account on its side.
        Paying.OnAccount(sheet, Chart.Control.Payables, owing - payables.Taken);
        Paying.OnAccount(sheet, Chart.Control.Receivables, owed - receivables.Taken);
        sheet.Exchange(receivables.Exchange - payables.Exchange, sheet.Document);
    }
}
