using Assignum.Core.SetUps;
using Assignum.Core.Tax;

namespace Assignum.Core.Statements;

/// <summary>Revenue of one tax code and rate held against the tax charged on it; base currency.</summary>
/// <param name="Code">Empty: revenue without a tax code.</param>
/// <param name="Revenue">What the revenue accounts have of the code.</param>
/// <param name="Base">What was taxed.</param>
/// <param name="Tax">What was charged.</param>
public sealed record RevenueByRate(string Code, decimal Rate, decimal Revenue, decimal Base, decimal Tax)
{
    /// <summary>Tax charged less what the rate gives.</summary>
    public decimal Difference => Tax - decimal.Round(Base * Rate, 2, MidpointRounding.AwayFromZero);
}

/// <summary>An account that moved and fed no box.</summary>
/// <param name="Amount">Debit less credit.</param>
public sealed record UnboxedAccount(string Account, decimal Amount, long Lines);

/// <summary>A code on documents where the matrix names another.</summary>
/// <param name="Matrix">What the matrix gives; null: nothing.</param>
public sealed record CodeAgainstMatrix(
    string Standing,
    string Category,
    string Code,
    string? Matrix,
    decimal Amount,
    long Lines,
    string Example
);

/// <summary>Something bought that is kept.</summary>
public sealed record CapitalPurchase(
    string Number,
    DateOnly TaxDate,
    string? Party,
    string Code,
    decimal Base,
    decimal Tax
);

/// <summary>What a return is looked through for.</summary>
public sealed record TaxChecks(
    IReadOnlyList<RevenueByRate> Revenue,
    IReadOnlyList<UnboxedAccount> Unboxed,
    IReadOnlyList<CodeAgainstMatrix> AgainstMatrix,
    IReadOnlyList<CapitalPurchase> Capital
);

/// <summary>Codes used on lines of one party and item.</summary>
/// <param name="Standing">That of the event, where it names no party.</param>
/// <param name="Example">An entry that has it.</param>
public sealed record CodeUse(
    string? Party,
    string? Standing,
    string? Item,
    string Code,
    decimal Amount,
    long Lines,
    string Example
);

/// <summary>Holds codes that documents used against the matrix.</summary>
public static class MatrixChecks
{
    /// <summary>Those that differ, the largest first.</summary>
    public static IReadOnlyList<CodeAgainstMatrix> Of(CompiledSetUp setUp, IEnumerable<CodeUse> uses) =>
        [
            .. uses.Select(u =>
                {
                    var standing = u.Party is null ? u.Standing : setUp.Party(u.Party)?.Party.TaxStanding;
                    var category = (u.Item is null ? null : setUp.Item(u.Item)?.Item.TaxCategory) ?? "standard";
                    var direction = setUp.Taxes.Code(u.Code)?.Direction;
                    return (
                        Use: u,
                        Standing: standing,
                        Category: category,
                        Matrix: standing is null || direction is null
                            ? u.Code
                            : setUp.Taxes.Matrix(standing, category, direction.Value)
                    );
                })
                .Where(u => u.Matrix != u.Use.Code)
                .GroupBy(u => (u.Standing, u.Category, u.Use.Code, u.Matrix))
                .Select(g => new CodeAgainstMatrix(
                    g.Key.Standing ?? "",
                    g.Key.Category,
                    g.Key.Code,
                    g.Key.Matrix,
                    g.Sum(u => u.Use.Amount),
                    g.Sum(u => u.Use.Lines),
                    g.First().Use.Example
                ))
                .OrderByDescending(c => Math.Abs(c.Amount)),
        ];
}
