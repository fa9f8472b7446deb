using Assignum.Core.Money;

namespace Assignum.Core.Tax;

/// <summary>What decided the tax code of a line.</summary>
public enum TaxDecider { Line, Matrix, Account }

/// <summary>The code of a line and what decided it.</summary>
public readonly record struct DecidedCode(TaxCode Code, decimal Rate, TaxDecider By);

/// <summary>A line as the tax calculation sees it, and what the calculation makes of it.</summary>
/// <remarks>All amounts in the document's currency, rounded to its minor unit.</remarks>
public sealed class TaxableLine(DecidedCode decided, decimal amount)
{
    public DecidedCode Decided { get; } = decided;

    /// <summary>The line's amount after discount, with tax where prices include it.</summary>
    public decimal Amount { get; } = amount;

    /// <summary>The amount without tax.</summary>
    public decimal Net { get; internal set; } = amount;

    /// <summary>The part of the tax that is not reclaimed and becomes part of this line's cost.</summary>
    public decimal NonDeductible { get; internal set; }
}

/// <summary>One tax code's total on a document. Amounts in the document's currency.</summary>
public sealed record TaxTotal(DecidedCode Decided, decimal Base, decimal Tax, decimal NonDeductible)
{
    /// <summary>The part of the tax that is reclaimed.</summary>
    public decimal Deductible => Tax - NonDeductible;
}

/// <summary>Tax of a document: by code, rounded once a document or once a line.</summary>
/// <param name="TaxIncluded">The lines' amounts include tax. Under reverse charge nothing is taken out.</param>
/// <param name="ByLine">Tax is rounded line by line; otherwise once for each code of the document.</param>
/// <param name="Registered">An entity that is not registered deducts nothing; its sales must not come here at all.</param>
public sealed record TaxCalculation(Rounding Rounding, int Decimals, bool TaxIncluded, bool ByLine, bool Registered)
{
    /// <summary>Fills the lines' net amounts and returns a total for each code, in order of first use.</summary>
    public IReadOnlyList<TaxTotal> Run(IReadOnlyList<TaxableLine> lines)
    {
        if (lines.Count == 0) return [];
        var totals = new List<TaxTotal>(2);
        foreach (var line in lines)
        {
            if (totals.Any(t => t.Decided.Code == line.Decided.Code)) continue;
            var code = line.Decided.Code;
            totals.Add(Total(line.Decided, [.. lines.Where(l => l.Decided.Code == code)]));
        }
        return totals;
    }

    private TaxTotal Total(DecidedCode decided, TaxableLine[] lines)
    {
        // A reverse-charge sale leaves the tax to the customer.
        var rate = decided.Code is { ReverseCharge: true, Direction: TaxDirection.Output } ? 0 : decided.Rate;
        var tax = TaxIncluded && !decided.Code.ReverseCharge ? TakeOut(lines, rate) : Add(lines, rate);
        var net = lines.Sum(l => l.Net);
        var kept = decided.Code.Direction == TaxDirection.Input ? Keep(decided.Code, tax, lines) : 0;
        return new TaxTotal(decided with { Rate = rate }, net, tax, kept);
    }

    private decimal Add(TaxableLine[] lines, decimal rate) => ByLine
        ? lines.Sum(l => Rounding.Round(l.Net * rate, Decimals))
        : Rounding.Round(lines.Sum(l => l.Net) * rate, Decimals);

    private decimal TakeOut(TaxableLine[] lines, decimal rate)
    {
        if (ByLine)
        {
            foreach (var line in lines) line.Net = line.Amount - Included(line.Amount, rate);
            return lines.Sum(l => l.Amount - l.Net);
        }
        var tax = Included(lines.Sum(l => l.Amount), rate);
        var shares = Allocation.ByLargestRemainder(tax, [.. lines.Select(l => l.Amount)], Decimals);
        for (var i = 0; i < lines.Length; i++) lines[i].Net = lines[i].Amount - shares[i];
        return tax;
    }

    /// <summary>The tax inside an amount that includes it.</summary>
    public decimal Included(decimal amount, decimal rate) => Rounding.Round(amount * rate / (1 + rate), Decimals);

    private decimal Keep(TaxCode code, decimal tax, TaxableLine[] lines)
    {
        var share = Registered ? 1 - code.Deductible : 1;
        var kept = Rounding.Round(tax * share, Decimals);
        var shares = Allocation.ByLargestRemainder(kept, [.. lines.Select(l => l.Net)], Decimals);
        for (var i = 0; i < lines.Length; i++) lines[i].NonDeductible = shares[i];
        return kept;
    }
}
