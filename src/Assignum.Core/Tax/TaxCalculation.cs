using Assignum.Core.Money;

namespace Assignum.Core.Tax;

/// <summary>What decided the tax code of a line.</summary>
public enum TaxDecider
{
    Line,
    Matrix,
    Account,

    /// <summary>The document that is corrected.</summary>
    Document,
}

/// <summary>The code of a line and what decided it.</summary>
public readonly record struct DecidedCode(TaxCode Code, decimal Rate, TaxDecider By);

/// <summary>A line as the tax calculation sees it, and what the calculation makes of it.</summary>
/// <remarks>All amounts in the document's currency, rounded to its minor unit.</remarks>
/// <param name="capital">Whether it lands on an account marked capital.</param>
public sealed class TaxableLine(DecidedCode decided, decimal amount, bool capital = false)
{
    public DecidedCode Decided { get; } = decided;

    /// <summary>The line's amount after discount, with tax where prices include it.</summary>
    public decimal Amount { get; } = amount;

    /// <summary>Whether it feeds the boxes for capital goods.</summary>
    public bool Capital { get; } = capital;

    /// <summary>The amount without tax.</summary>
    public decimal Net { get; internal set; } = amount;

    /// <summary>Its own tax, where tax is rounded line by line; otherwise zero.</summary>
    public decimal OwnTax { get; internal set; }

    /// <summary>The part of the tax that is not reclaimed and becomes part of this line's cost.</summary>
    public decimal NonDeductible { get; internal set; }
}

/// <summary>What of a code's total one row of the return takes: its lines on capital accounts, or the others.</summary>
public sealed record TaxPart(DecidedCode Decided, bool Capital, decimal Base, decimal Tax, decimal NonDeductible);

/// <summary>One tax code's total on a document. Amounts in the document's currency.</summary>
/// <param name="Parts">One, or two where some lines land on capital accounts and others do not; they add up to the
/// total.</param>
public sealed record TaxTotal(
    DecidedCode Decided,
    decimal Base,
    decimal Tax,
    decimal NonDeductible,
    IReadOnlyList<TaxPart> Parts
)
{
    /// <summary>The part of the tax that is reclaimed.</summary>
    public decimal Deductible => Tax - NonDeductible;
}

/// <summary>Tax of a document: by code, rounded once a document or once a line.</summary>
/// <param name="TaxIncluded">The lines' amounts include tax. Under reverse charge nothing is taken out.</param>
/// <param name="ByLine">Tax is rounded line by line; otherwise once for each code of the document.</param>
/// <param name="Registered">An entity that is not registered deducts nothing; its sales must not come here at
/// all.</param>
public sealed record TaxCalculation(Rounding Rounding, int Decimals, bool TaxIncluded, bool ByLine, bool Registered)
{
    /// <summary>Fills the lines' net amounts and returns a total for each code, in order of first use.</summary>
    public IReadOnlyList<TaxTotal> Run(IReadOnlyList<TaxableLine> lines)
    {
        if (lines.Count == 0)
            return [];
        var totals = new List<TaxTotal>(2);
        foreach (var line in lines)
        {
            if (totals.Any(t => t.Decided.Code == line.Decided.Code))
                continue;
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
        return new TaxTotal(decided with { Rate = rate }, net, tax, kept, Divide(rate, tax, lines));
    }

    // Each part takes its lines' shares of the tax by net.
    private TaxPart[] Divide(decimal rate, decimal tax, TaxableLine[] lines)
    {
        var shares = Array.TrueForAll(lines, l => l.Capital == lines[0].Capital)
            ? null
            : Allocation.ByLargestRemainder(tax, [.. lines.Select(l => l.Net)], Decimals);
        return
        [
            .. lines
                .Select((line, i) => (Line: line, Share: shares?[i] ?? 0))
                .GroupBy(x => x.Line.Capital)
                .Select(g => new TaxPart(
                    g.First().Line.Decided with
                    {
                        Rate = rate,
                    },
                    g.Key,
                    g.Sum(x => x.Line.Net),
                    shares is null ? tax : g.Sum(x => x.Share),
                    g.Sum(x => x.Line.NonDeductible)
                )),
        ];
    }

    private decimal Add(TaxableLine[] lines, decimal rate)
    {
        if (!ByLine)
            return Rounding.Round(lines.Sum(l => l.Net) * rate, Decimals);
        foreach (var line in lines)
            line.OwnTax = Rounding.Round(line.Net * rate, Decimals);
        return lines.Sum(l => l.OwnTax);
    }

    private decimal TakeOut(TaxableLine[] lines, decimal rate)
    {
        if (ByLine)
        {
            foreach (var line in lines)
                line.Net = line.Amount - (line.OwnTax = Included(line.Amount, rate));
            return lines.Sum(l => l.OwnTax);
        }
        var tax = Included(lines.Sum(l => l.Amount), rate);
        var shares = Allocation.ByLargestRemainder(tax, [.. lines.Select(l => l.Amount)], Decimals);
        for (var i = 0; i < lines.Length; i++)
            lines[i].Net = lines[i].Amount - shares[i];
        return tax;
    }

    /// <summary>The tax inside an amount that includes it.</summary>
    public decimal Included(decimal amount, decimal rate) => Rounding.Round(amount * rate / (1 + rate), Decimals);

    private decimal Keep(TaxCode code, decimal tax, TaxableLine[] lines)
    {
        var share = Registered ? 1 - code.Deductible : 1;
        if (ByLine)
        {
            foreach (var line in lines)
                line.NonDeductible = Rounding.Round(line.OwnTax * share, Decimals);
            return lines.Sum(l => l.NonDeductible);
        }
        var kept = Rounding.Round(tax * share, Decimals);
        var shares = Allocation.ByLargestRemainder(kept, [.. lines.Select(l => l.Net)], Decimals);
        for (var i = 0; i < lines.Length; i++)
            lines[i].NonDeductible = shares[i];
        return kept;
    }
}
