using System.Collections.Frozen;

namespace Assignum.Core.Tax;

/// <summary>A set-up's tax codes, dated rates and matrix, ready to be asked.</summary>
public sealed class TaxTable
{
    private readonly FrozenDictionary<string, TaxCode> codes;
    private readonly FrozenDictionary<string, TaxRate[]> rates;
    private readonly FrozenDictionary<(string, string, TaxDirection), string> matrix;

    /// <summary>Indexes the rows; rates may come in any order.</summary>
    public TaxTable(IEnumerable<TaxCode> codes, IEnumerable<TaxRate> rates, IEnumerable<TaxMatrixCell> matrix)
    {
        this.codes = codes.ToFrozenDictionary(c => c.Code, StringComparer.Ordinal);
        this.rates = rates
            .GroupBy(r => r.Code)
            .ToFrozenDictionary(g => g.Key, g => g.OrderByDescending(r => r.From).ToArray(), StringComparer.Ordinal);
        this.matrix = matrix.ToFrozenDictionary(c => (c.Standing, c.Category, c.Direction), c => c.Code);
    }

    /// <summary>The code, or null when unknown.</summary>
    public TaxCode? Code(string code) => codes.GetValueOrDefault(code);

    /// <summary>The matrix's answer, or null where a coordinate is missing or the cell is empty.</summary>
    public string? Matrix(string? standing, string? category, TaxDirection direction) =>
        standing is null || category is null ? null : matrix.GetValueOrDefault((standing, category, direction));

    /// <summary>The rate in force on a day, or null when none has begun.</summary>
    public decimal? Rate(string code, DateOnly day)
    {
        if (!rates.TryGetValue(code, out var dated))
            return null;
        foreach (var rate in dated)
            if (rate.From <= day)
                return rate.Rate;
        return null;
    }
}
