using Assignum.Core.Coverage;
using Assignum.Core.Landing;
using Assignum.Core.Tables;
using Assignum.Core.Tax;

namespace Assignum.Core.Checks;

/// <summary>An empty cell of the tax matrix that documents can come to.</summary>
public sealed class MatrixGap() : Check("matrix-gap", "Empty cell of the tax matrix", "tax")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.Tax | Reads.Items | Reads.Parties;

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input)
    {
        if (!input.Registered)
            yield break;
        foreach (var direction in Enum.GetValues<TaxDirection>())
        foreach (var standing in input.Standings(direction))
        foreach (var category in input.Categories(direction))
            if (input.Compiled.Taxes.Matrix(standing, category, direction) is null)
                yield return new Finding(
                    Code,
                    FindingSeverity.Warning,
                    [
                        CheckInput.Place(
                            Parts.TaxMatrix,
                            ("standing", standing),
                            ("category", category),
                            ("direction", Words.Of(direction))
                        ),
                    ],
                    null,
                    null,
                    null,
                    1,
                    0,
                    $"The tax matrix has no {Words.Of(direction)} code for {standing} and {category}.",
                    "Such a line takes the account's own code, or is refused where it has none."
                );
    }
}

/// <summary>A tax code whose tax lands nowhere.</summary>
public sealed class TaxUnplaced() : Check("tax-unplaced", "Tax that lands nowhere", "tax")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.All;

    private const int Codes = 7;

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input)
    {
        foreach (var code in input.SetUp.TaxCodes.Where(c => RateMissing.Taxes(input, c)))
        {
            var purposes = new List<Purpose>();
            if (code.Direction == TaxDirection.Output && !code.ReverseCharge && input.Registered)
                purposes.Add(Purposes.OutputTax);
            if (code.Direction == TaxDirection.Input)
            {
                if (input.Registered && code.Deductible > 0)
                    purposes.Add(Purposes.InputTax);
                if (code.ReverseCharge)
                    purposes.Add(Purposes.OutputTax);
            }
            var lost = purposes
                .Select(p => (Purpose: p, None: Nowhere(input, p, code)))
                .Where(l => l.None > 0)
                .ToList();
            if (lost.Count == 0)
                continue;
            var none = lost.Aggregate(Int128.Zero, (sum, l) => sum + l.None);
            yield return new Finding(
                Code,
                FindingSeverity.Error,
                [CheckInput.Place(Parts.TaxCodes, ("code", code.Code))],
                null,
                null,
                lost[0].Purpose.Name,
                none,
                0,
                $"The tax of {code.Code} {code.Name} lands nowhere: "
                    + $"{string.Join(" and ", lost.Select(l => l.Purpose.Title))} has no account for it.",
                "Documents with this code are refused."
            );
        }
    }

    private static Int128 Nowhere(CheckInput input, Purpose purpose, TaxCode code)
    {
        var number = input.Compiled.Index.Of(Dimension.TaxCode, code.Code);
        var axes = input.Compiled.Memory.TakingPart.Of(purpose);
        var dims = PurposeCoverage.Dimensions(input.Compiled.Landings, purpose);
        if ((dims & 1 << Codes) == 0)
            return PurposeCoverage.Of(input.Compiled, purpose).By["none"];
        var only = axes.Select(a =>
                a.Kind == Codes
                    ? a.Only(Enumerable.Range(0, a.Leaves.Count).Where(i => a.Leaves[i].Single == number))
                    : a
            )
            .ToList();
        return PurposeCoverage.Tally(input.Compiled, purpose, only, input.Compiled.Memory.Boxes(purpose).Boxes).By[
            "none"
        ];
    }
}

/// <summary>A code in use that has no rate today.</summary>
public sealed class RateMissing() : Check("rate-missing", "No rate today", "tax")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.Accounts | Reads.Assignments | Reads.Tax | Reads.Books;

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input)
    {
        foreach (var code in Used(input))
            if (input.Compiled.Taxes.Rate(code.Code, input.Today) is null)
                yield return On(
                    Code,
                    FindingSeverity.Error,
                    code,
                    $"{code.Code} {code.Name} has no rate in force today.",
                    "Lines with it are refused."
                );
    }

    // The codes that a cell of the matrix names, or an account in use.
    internal static IEnumerable<TaxCode> Used(CheckInput input)
    {
        var named = input
            .SetUp.TaxMatrix.Select(c => c.Code)
            .Concat(input.SetUp.Accounts.Where(a => a.TaxCode is not null && input.InUse(a)).Select(a => a.TaxCode!))
            .ToHashSet(StringComparer.Ordinal);
        return input.SetUp.TaxCodes.Where(c => named.Contains(c.Code));
    }

    // A rate above nought in force today, or coming.
    internal static bool Taxes(CheckInput input, TaxCode code) =>
        input.Compiled.Taxes.Rate(code.Code, input.Today) > 0
        || input.SetUp.TaxRates.Any(r => r.Code == code.Code && r.From > input.Today && r.Rate > 0);

    internal static Finding On(string code, FindingSeverity severity, TaxCode of, string message, string consequence) =>
        new(
            code,
            severity,
            [CheckInput.Place(Parts.TaxCodes, ("code", of.Code))],
            null,
            null,
            null,
            1,
            0,
            message,
            consequence
        );
}

/// <summary>A code in use that a box of the return is missing for.</summary>
public sealed class BoxMissing() : Check("box-missing", "No box of the return", "tax")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.Accounts | Reads.Assignments | Reads.Tax | Reads.Books;

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input)
    {
        foreach (var code in RateMissing.Used(input))
        {
            var missing =
                code.BaseBox is null ? "its base"
                : input.Compiled.Taxes.Rate(code.Code, input.Today) > 0 && code.TaxBox is null ? "its tax"
                : code.ReverseCharge && (code.ReverseBaseBox is null || code.ReverseTaxBox is null)
                    ? "the other side of its reverse charge"
                : null;
            if (missing is not null)
                yield return RateMissing.On(
                    Code,
                    FindingSeverity.Warning,
                    code,
                    $"{code.Code} {code.Name} has no box of the return for {missing}.",
                    "The return leaves out what is posted with it."
                );
        }
    }
}
