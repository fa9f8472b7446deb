using System.Globalization;
using Assignum.Core.Chart;
using Assignum.Core.SetUps;
using Assignum.Core.Tax;

namespace Assignum.Core.Tables.Foreign;

/// <summary>What the words of somebody else's tax columns mean in ours: a tax code, or the direction that an account
/// admits.</summary>
public static class TaxWords
{
    /// <summary>The columns whose words are translated.</summary>
    public static IReadOnlyList<string> Fields { get; } = ["tax_code", "tax_admits"];

    /// <summary>What a word is taken to mean where nobody said: our word or code, and how surely; an empty meaning
    /// leaves the cell empty.</summary>
    public static (string Meaning, double Sure) Of(string field, string word, SetUp current) =>
        field == "tax_code" ? Code(word, current) : Direction(word);

    private static (string, double) Code(string word, SetUp current)
    {
        var plain = ForeignFields.Plain(word);
        if (
            current.TaxCodes.FirstOrDefault(c => string.Equals(c.Code, word, StringComparison.OrdinalIgnoreCase)) is
            { } own
        )
            return (own.Code, 1);
        if (plain is "none" or "no" or "n a" or "na" or "no tax" or "no vat" or "out of scope" or "exempt from return")
            return ("", 0.7);
        if (current.TaxCodes.FirstOrDefault(c => ForeignFields.Plain(c.Name) == plain) is { } named)
            return (named.Code, 0.7);
        // By its percentage, where one code of the direction that the word says has that rate.
        var direction = Says(plain);
        if (Percent(word) is not { } rate)
            return ("", 0);
        var newest = current
            .TaxRates.GroupBy(r => r.Code)
            .ToDictionary(g => g.Key, g => g.MaxBy(r => r.From)!.Rate, StringComparer.Ordinal);
        var fits = current
            .TaxCodes.Where(c =>
                newest.TryGetValue(c.Code, out var its)
                && its == rate
                && !c.ReverseCharge
                && c.Deductible == 1
                && (direction is null || c.Direction == direction)
            )
            .ToList();
        return fits.Count == 1 ? (fits[0].Code, 0.7) : ("", 0);
    }

    private static (string, double) Direction(string word)
    {
        var plain = ForeignFields.Plain(word);
        if (Words.TryParse<TaxAdmits>(plain, out var own))
            return (Words.Of(own), 1);
        return plain switch
        {
            "all" or "any" or "sales and purchases" => ("both", 0.7),
            "no" or "no tax" or "exempt" or "out of scope" or "outside" or "n a" => ("none", 0.7),
            _ => Says(plain) is { } direction ? (Words.Of(direction), 0.7) : ("", 0),
        };
    }

    private static TaxDirection? Says(string plain)
    {
        var tokens = plain.Split(' ');
        if (
            tokens.Any(t =>
                t
                    is "sale"
                        or "sales"
                        or "output"
                        or "out"
                        or "ust"
                        or "umsatzsteuer"
                        or "collectee"
                        or "verkoop"
                        or "repercutido"
            )
        )
            return TaxDirection.Output;
        return tokens.Any(t =>
            t
                is "purchase"
                    or "purchases"
                    or "input"
                    or "in"
                    or "vst"
                    or "vorsteuer"
                    or "deductible"
                    or "inkoop"
                    or "soportado"
        )
            ? TaxDirection.Input
            : null;
    }

    private static decimal? Percent(string word)
    {
        var at = word.IndexOf('%', StringComparison.Ordinal);
        var text = new string([
            .. (at < 0 ? word : word[..at])
                .Reverse()
                .SkipWhile(char.IsWhiteSpace)
                .TakeWhile(c => char.IsAsciiDigit(c) || c is '.' or ',')
                .Reverse(),
        ]).Replace(',', '.');
        return
            decimal.TryParse(text, NumberStyles.AllowDecimalPoint, CultureInfo.InvariantCulture, out var number)
            && number <= 100
            ? number / 100
            : null;
    }
}
