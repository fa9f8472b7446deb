namespace Assignum.Core.Tax;

/// <summary>Output tax is charged on sales, input tax is borne on purchases.</summary>
public enum TaxDirection
{
    Output,
    Input,
}

/// <summary>A tax code. The category is one of EN 16931's codes (S, Z, E, AE, K, G, O).</summary>
/// <param name="Deductible">Share of input tax that is reclaimed, 0 to 1.</param>
/// <param name="BaseBox">Box of the return that takes the base; the reverse boxes take the other side of a reverse
/// charge.</param>
/// <param name="CapitalBaseBox">Takes the base in place of <paramref name="BaseBox"/> for lines that land on capital
/// accounts; null: the same box.</param>
public sealed record TaxCode(
    string Code,
    string Name,
    TaxDirection Direction,
    string Category,
    bool ReverseCharge = false,
    decimal Deductible = 1,
    string? BaseBox = null,
    string? TaxBox = null,
    string? ReverseBaseBox = null,
    string? ReverseTaxBox = null,
    string? CapitalBaseBox = null,
    string? CapitalTaxBox = null,
    string? Authority = null
);

/// <summary>A code's rate from a day on (inclusive), until the next row's day. 0.23 is 23 %.</summary>
public sealed record TaxRate(string Code, DateOnly From, decimal Rate);

/// <summary>A cell of the tax matrix.</summary>
public sealed record TaxMatrixCell(string Standing, string Category, TaxDirection Direction, string Code);
