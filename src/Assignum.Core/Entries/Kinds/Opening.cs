namespace Assignum.Core.Entries.Kinds;

/// <summary>Opening balances, open items and opening stock: a hand entry that control accounts admit.</summary>
public sealed class Opening : HandEntry
{
    public override string Name => "opening";
    public override string Title => "Opening balances";
    public override string Explain => "Balances, open documents and stock carried in from before.";
    public override bool AdmitsControlAccounts => true;
}
