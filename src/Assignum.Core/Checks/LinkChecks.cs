using Assignum.Core.Tables;

namespace Assignum.Core.Checks;

/// <summary>What stands in the way between us and a connected system, as the connections say it.</summary>
/// <param name="Code">Of the check that tells it.</param>
/// <param name="Record">The kind of record.</param>
/// <param name="Theirs">Their id; of a ledger our account.</param>
/// <param name="Events">How many events wait for it.</param>
/// <param name="Amount">What they come to.</param>
/// <param name="Says">In words.</param>
public sealed record LinkFact(
    string Code,
    string Connection,
    string Record,
    string Theirs,
    long Events,
    decimal Amount,
    string Says
);

/// <summary>A check of what connections say.</summary>
public abstract class LinkCheck(string code, string title) : Check(code, title, "connections")
{
    /// <summary>What it looks at comes with the books, see <see cref="PostedFacts.Links"/>.</summary>
    public override Reads Reads => Reads.Books;

    private protected abstract string Consequence { get; }

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input) =>
        input
            .Posted.Links.Where(l => l.Code == Code)
            .Select(l => new Finding(
                Code,
                l.Events > 0 ? FindingSeverity.Error : FindingSeverity.Warning,
                [
                    CheckInput.Place(
                        Parts.Pairings,
                        ("connection", l.Connection),
                        ("record", l.Record),
                        ("theirs", l.Theirs)
                    ),
                ],
                null,
                null,
                null,
                Math.Max(1, l.Events),
                l.Amount,
                l.Says,
                Consequence
            ));
}

/// <summary>A record that events or entries wait for and that is not paired.</summary>
public sealed class Unpaired() : LinkCheck("unpaired", "Not paired")
{
    private protected override string Consequence =>
        "What names it waits until it is paired, made, or said not to be needed.";
}

/// <summary>A paired tax code with another rate, direction or authority there.</summary>
public sealed class RateDiffers() : LinkCheck("rate-differs", "Tax code that differs")
{
    private protected override string Consequence => "Tax that they reckon and tax that is posted here come apart.";
}

/// <summary>A paired record that was renamed, archived, merged or deleted there since.</summary>
public sealed class ChangedThere() : LinkCheck("changed-there", "Changed there")
{
    private protected override string Consequence => "What it stands for there may be another thing now.";
}

/// <summary>A journal made by hand in the general ledger on an account that is paired with a control account.</summary>
public sealed class ForeignOnControl() : LinkCheck("foreign-on-control", "Made there by hand on a control account")
{
    private protected override string Consequence => "The ledger and the documents here come apart by it.";
}
