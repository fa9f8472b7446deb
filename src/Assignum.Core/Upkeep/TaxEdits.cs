using System.Globalization;
using Assignum.Core.Money;
using Assignum.Core.Tables;
using Assignum.Core.Tax;

namespace Assignum.Core.Upkeep;

/// <summary>Changes of the tax set-up as they are entered: a rate for many codes at once, a cell of the matrix.</summary>
public static class TaxEdits
{
    /// <summary>Largest rate that is taken, in percent.</summary>
    public const decimal LargestPercent = 1000;

    /// <summary>A rate from a day on, once for each code.</summary>
    /// <param name="percent">In percent, with a point.</param>
    /// <param name="from">The first day, as YYYY-MM-DD; the rules of the set-up say what is wrong with it.</param>
    /// <returns>The changes, or what is wrong.</returns>
    public static (IReadOnlyList<RowChange> Changes, Fault? Fault) Rate(
        IReadOnlyCollection<string> codes,
        string? percent,
        string? from
    )
    {
        if (codes.Count == 0)
            return ([], new Fault("no-code", "Choose at least one tax code that the rate is for.", "codes"));
        if (
            WrittenNumber.Of((percent ?? "").TrimEnd('%', ' '), out _) is not { } rate
            || rate is < 0 or > LargestPercent
        )
            return ([], new Fault("bad-number", "Write the rate in percent with a point, such as 13.5.", "percent"));
        var cell = (rate / 100).ToString("0.##########", CultureInfo.InvariantCulture);
        return (
            [
                .. codes.Select(c => new RowChange(
                    Parts.TaxRates,
                    ChangeKind.Added,
                    c + "\u001f" + from,
                    null,
                    [c, from, cell]
                )),
            ],
            null
        );
    }

    /// <summary>A rate that is taken away.</summary>
    public static RowChange WithoutRate(string code, string from, string rate) =>
        new(Parts.TaxRates, ChangeKind.Removed, code + "\u001f" + from, [code, from, rate], null);

    /// <summary>A cell of the matrix that gets another code; empty: none.</summary>
    /// <returns>Null where nothing changes.</returns>
    public static RowChange? Cell(string standing, string category, TaxDirection side, string was, string now)
    {
        if (was == now)
            return null;
        string?[]? Row(string code) => code.Length == 0 ? null : [standing, category, Words.Of(side), code];
        var (before, after) = (Row(was), Row(now));
        return new RowChange(Parts.TaxMatrix, Parts.TaxMatrix.KeyOf((before ?? after)!), before, after);
    }
}
