using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.Entries.Kinds;

/// <summary>Money went from one of our accounts to another.</summary>
public sealed class MoneyMoved : EventKind
{
    public override string Name => "money-moved";
    public override string Explain => "Money went from one of our own accounts to another.";
    public override IReadOnlyList<string> Takes { get; } = ["fromMethod", "toMethod", "amount", "fee"];
    public override IReadOnlyList<string> Needs { get; } = ["fromMethod", "toMethod", "amount"];

    public override void Write(EntrySheet sheet)
    {
        var e = sheet.Event;
        var from = sheet.Document.AtMethod(sheet.SetUp.Index, e.FromMethod);
        sheet.Debit(Bank, sheet.Amount(e.Amount!.Value), sheet.Document.AtMethod(sheet.SetUp.Index, e.ToMethod));
        sheet.Debit(PaymentFee, sheet.Amount(e.Fee ?? 0), from);
        sheet.Credit(Bank, sheet.Amount(e.Amount.Value + (e.Fee ?? 0)), from);
    }
}
