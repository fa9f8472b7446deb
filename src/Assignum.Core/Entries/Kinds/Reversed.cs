namespace Assignum.Core.Entries.Kinds;

/// <summary>What a posted event did is turned back by a new one, line by line on the accounts on which it stands:
/// documents, goods and tax with it. The old one stays as it is.</summary>
/// <remarks>Once an event; what turned it back can be turned back in its place. A charge between entities is turned back
/// in both. What turns itself back on a later day is turned back before that day, and the new one turns itself back on
/// it too.</remarks>
public sealed class Reversed : EventKind
{
    public override string Name => "reversed";
    public override string Title => "Entry turned back";
    public override string Explain => "What was posted by mistake is turned back: the same lines on the other side.";
    public override bool MadeHere => true;
    public override bool TurnsBack => true;
    public override bool ChargesAnother => true;
    public override bool NeedsNoRate => true;
    public override IReadOnlyList<string> Takes { get; } =
    ["reverses", "party", "counterparty", "taxDate", "reverseOn"];
    public override IReadOnlyList<string> Needs { get; } = ["reverses"];

    public override void Write(EntrySheet sheet) { }
}
