using Assignum.Core.Chart;
using Assignum.Core.Coverage;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tax;

namespace Assignum.Core.Checks;

/// <summary>What is to be done next in a stage.</summary>
/// <param name="Says">In words.</param>
/// <param name="Place">The place where it is done: a page of the entity, with its query.</param>
/// <param name="Finding">The finding that asks for it; null: something is not there yet.</param>
/// <param name="Amount">What passed there lately and lands wrong, in base currency.</param>
public sealed record NextAction(string Says, string Place, Finding? Finding, decimal Amount);

/// <summary>A stage of the work.</summary>
/// <param name="Done">What is there, in words.</param>
/// <param name="Missing">What its checks still find; empty: nothing.</param>
public sealed record Stage(
    string Code,
    string Title,
    string Done,
    IReadOnlyList<Finding> Missing,
    NextAction? Next,
    bool Begun
)
{
    /// <summary>Open errors of the stage.</summary>
    public int Errors => Missing.Count(f => f.Severity == FindingSeverity.Error);

    /// <summary>Open warnings of the stage.</summary>
    public int Warnings => Missing.Count(f => f.Severity == FindingSeverity.Warning);
}

/// <summary>The order of the work: from the chart to the books, each stage with what is done, what is missing and what
/// to do next.</summary>
public static class Stages
{
    /// <summary>The stages, in order.</summary>
    /// <param name="open">The findings that nobody has accepted.</param>
    /// <param name="published">Whether an edition is in force.</param>
    /// <param name="posted">How many entries there are.</param>
    public static IReadOnlyList<Stage> All(
        CompiledSetUp compiled,
        IReadOnlyList<Finding> open,
        bool published,
        long posted
    )
    {
        var setUp = compiled.SetUp;
        var by = open.ToLookup(f => Findings.Find(f.Code)!.Stage, StringComparer.Ordinal);
        var accounts = setUp.Accounts.Count(a => a.Kind == AccountKind.Posting && a.Status == RecordStatus.Active);
        var items = setUp.Items.Count(i => i.Status == RecordStatus.Active);
        var parties = setUp.Parties.Count(p => p.Status == RecordStatus.Active);
        var grouped = setUp.Items.Count(i => i is { Status: RecordStatus.Active, Group: not null });
        Stage Made(string code, string title, string done, bool begun, NextAction? first)
        {
            var missing = by[code].ToList();
            return new Stage(code, title, done, missing, first ?? Next(missing), begun);
        }
        var needed = accounts == 0 ? [] : PurposeCoverage.Of(compiled);
        var whole = needed.Count(c => c.By["none"] == 0);
        return
        [
            Made(
                "chart",
                "Chart of accounts",
                $"{CheckInput.Some(accounts, "account")} that take amounts",
                accounts > 0,
                accounts == 0 ? new("Bring in the chart you have, or start with one of ours", "chart", null, 0) : null
            ),
            Made(
                "groups",
                "Records and groups",
                $"{CheckInput.Some(items, "item")}, {grouped} of them in groups, {Parties(parties)}",
                items + parties > 0,
                items + parties == 0 ? new("Bring in items and parties", "files", null, 0) : null
            ),
            Made(
                "tax",
                "Tax",
                !compiled.Entity.TaxRegistered
                    ? "not registered for tax"
                    : $"{CheckInput.Some(setUp.TaxCodes.Count, "code")}, {setUp.TaxMatrix.Count} cells of the matrix",
                !compiled.Entity.TaxRegistered || setUp.TaxCodes.Count > 0,
                compiled.Entity.TaxRegistered && setUp.TaxCodes.Count == 0
                    ? new("Enter the tax codes with their rates", "tax?show=codes", null, 0)
                    : null
            ),
            Made(
                "assignments",
                "Assignments",
                $"{CheckInput.Some(setUp.Assignments.Count, "assignment")}; {whole} of {needed.Count} needed purposes "
                    + "lack nothing",
                setUp.Assignments.Count > 0,
                accounts > 0 && setUp.Assignments.Count == 0
                    ? new("Give every needed purpose a default", "ladders", null, 0)
                    : null
            ),
            Made(
                "connections",
                "Connections",
                setUp.Pairings.Count == 0
                    ? "no record of another system is paired"
                    : $"{CheckInput.Some(setUp.Pairings.Count, "record")} of other systems paired",
                setUp.Pairings.Count > 0,
                null
            ),
            Made(
                "proof",
                "Proof",
                published ? "an edition is in force" : "nothing is published yet",
                published,
                published ? null
                    : setUp.Assignments.Count == 0 ? null
                    : new("Rehearse a document, then review and publish", "rehearse", null, 0)
            ),
            Made(
                "books",
                "Books",
                posted == 0
                    ? "nothing is posted yet"
                    : $"{posted.ToString("N0", System.Globalization.CultureInfo.InvariantCulture)} entries",
                posted > 0,
                null
            ),
        ];
    }

    private static string Parties(int parties) => parties == 1 ? "1 party" : $"{parties} parties";

    /// <summary>What to do next of some findings: what is refused first, then by what lands wrong in money, then by
    /// effort (what is of few places first); what is only worth knowing last.</summary>
    public static NextAction? Next(IEnumerable<Finding> missing) =>
        missing
            // What is refused waits whole, whatever passed before.
            .OrderBy(f =>
                f.Severity == FindingSeverity.Error ? 0
                : f.Severity == FindingSeverity.Warning ? 1
                : 2
            )
            .ThenByDescending(f => f.Amount)
            .ThenBy(f => f.Places.Count)
            .ThenBy(f => f.Identity, StringComparer.Ordinal)
            .Select(f => new NextAction(f.Message, $"findings?finding={Uri.EscapeDataString(f.Identity)}", f, f.Amount))
            .FirstOrDefault();

    /// <summary>The one thing to do next over all stages: a stage that is not begun first, in their order, save that proof
    /// waits for errors; then as <see cref="Next(IEnumerable{Finding})"/> says.</summary>
    public static NextAction? Next(IReadOnlyList<Stage> stages, IReadOnlyList<Finding> open)
    {
        // Nobody publishes what is refused: proof comes once no error is left.
        var errors = open.Any(f => f.Severity == FindingSeverity.Error);
        return stages
            .Where(s => !s.Begun && s.Next is { Finding: null } && !(errors && s.Code == "proof"))
            .Select(s => s.Next)
            .FirstOrDefault()
            ?? Next(open);
    }
}
