using Assignum.Core.Coverage;
using Assignum.Core.Landing;
using Assignum.Core.SetUps;

namespace Assignum.Core.Checks;

/// <summary>A needed purpose without a default, its own or borrowed.</summary>
public sealed class NoDefault() : Check("no-default", "No default")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.All;

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input)
    {
        foreach (var purpose in input.Needed.OrderBy(p => p.Index))
        {
            var landings = input.Compiled.Landings;
            if (
                new[] { purpose, landings.BorrowOf(purpose) }
                    .OfType<Purpose>()
                    .Any(p => landings.AssignmentsOf(p).Any(a => a.Key.Count == 0))
            )
                continue;
            var coverage = PurposeCoverage.Of(input.Compiled, purpose);
            if (coverage.By["none"] > 0)
                continue;
            yield return OnPurpose(
                input,
                purpose,
                coverage.Combinations == 0 ? FindingSeverity.Info : FindingSeverity.Warning,
                null,
                coverage.Combinations,
                $"{purpose.Title} has no default.",
                coverage.Combinations == 0
                    ? "Nothing can reach it yet; the first record that does will not post."
                    : "All that there is lands today; the next record of a new kind will not post."
            );
        }
    }
}

/// <summary>Combinations of a needed purpose that nothing decides.</summary>
public sealed class Unresolved() : Check("unresolved", "Lands nowhere")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.All;

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input)
    {
        foreach (var purpose in input.Needed.OrderBy(p => p.Index))
        {
            var none = PurposeCoverage.Of(input.Compiled, purpose).By["none"];
            if (none > 0)
                yield return OnPurpose(
                    input,
                    purpose,
                    FindingSeverity.Error,
                    null,
                    none,
                    $"{CheckInput.Some(none, "combination")} of {purpose.Title} {(none == 1 ? "lands" : "land")} nowhere.",
                    "Documents that come to one of them are refused."
                );
        }
    }
}

/// <summary>Combinations of a needed purpose that fall to a tripwire.</summary>
public sealed class TripwireReached() : Check("tripwire-reached", "Falls to a tripwire")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.All;

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input)
    {
        foreach (var purpose in input.Needed.OrderBy(p => p.Index))
        {
            var reached = PurposeCoverage.Of(input.Compiled, purpose).By["tripwire"];
            if (reached == 0)
                continue;
            var account = Default(input, purpose)?.Account;
            yield return OnPurpose(
                input,
                purpose,
                FindingSeverity.Warning,
                account,
                reached,
                $"{CheckInput.Some(reached, "combination")} of {purpose.Title} {(reached == 1 ? "falls" : "fall")} to "
                    + $"the tripwire{(account is null ? "" : " " + input.Said(account))}.",
                "What lands there was meant to land elsewhere and has to be moved by hand."
            );
        }
    }

    internal static Assignment? Default(CheckInput input, Purpose purpose) =>
        new[] { purpose, input.Compiled.Landings.BorrowOf(purpose) }
            .OfType<Purpose>()
            .SelectMany(input.Compiled.Landings.AssignmentsOf)
            .FirstOrDefault(a => a.Key.Count == 0);

    /// <summary>The combinations that a finding of this code or of <c>unresolved</c> is about, as groups and records that an
    /// assignment could name; empty of any other.</summary>
    public static IReadOnlyList<string> Combinations(CompiledSetUp setUp, Finding finding) =>
        finding.Code is not ("unresolved" or "tripwire-reached")
            ? []
            : Boxes(setUp, Purposes.Find(finding.Purpose!)!, finding.Code == "unresolved" ? "none" : "tripwire");

    private static IReadOnlyList<string> Boxes(CompiledSetUp setUp, Purpose purpose, string to) =>
        [
            .. Uncovered
                .Of(setUp, purpose)
                .Where(u => u.To == to)
                .Select(u =>
                    u.Key is null
                        ? $"{Words.Of(u.Dimension)}: none ({CheckInput.Some(u.Combinations, "combination")})"
                        : $"{Words.Of(u.Dimension)} {u.Key} ({CheckInput.Some(u.Combinations, "combination")})"
                )
                .Take(50),
        ];
}

/// <summary>A purpose that opens on one account and may clear on another, because where a document is of says which.</summary>
public sealed class BetweenSplit() : Check("between-split", "Opens here, clears there")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.Accounts | Reads.Assignments | Reads.Ladders | Reads.Books;

    private static readonly Purpose[] Between =
    [
        Purposes.GiftCards,
        Purposes.Clearing,
        Purposes.CustomerDeposits,
        Purposes.SupplierDeposits,
        Purposes.StockInTransit,
        Purposes.ProductionWip,
    ];

    private static readonly Dimension[] Places =
    [
        Dimension.Location,
        Dimension.Channel,
        Dimension.Method,
        Dimension.Project,
    ];

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input)
    {
        foreach (var purpose in Between)
        {
            var own = input.Compiled.Landings.AssignmentsOf(purpose);
            var byDefault = own.FirstOrDefault(a => a.Key.Count == 0)?.Account;
            var accounts = own.Where(a =>
                    !input.IsMiss(a) && a.Key.Any(k => Places.Contains(k.Dimension)) && a.Account != byDefault
                )
                .Select(a => a.Account)
                .Distinct(StringComparer.Ordinal)
                .Order(StringComparer.Ordinal)
                .ToList();
            if (accounts.Count > 1)
                yield return OnPurpose(
                    input,
                    purpose,
                    FindingSeverity.Warning,
                    accounts[0],
                    accounts.Count,
                    $"{purpose.Title} lands on {string.Join(", ", accounts)} by place, channel, method or project.",
                    "What opens on one of them may be cleared on another: neither comes to zero."
                );
        }
    }
}
