namespace Assignum.Core.Statements;

/// <summary>Why the movement of the tax accounts and the lines of the return differ.</summary>
public enum TaxTieCause
{
    /// <summary>Posted in the period and taxed in another, or the other way round.</summary>
    OtherPeriod,

    /// <summary>Written by hand on a tax account without a tax code.</summary>
    HandEntry,

    /// <summary>An automatic line that landed there and is for something else.</summary>
    OtherPurpose,

    /// <summary>Tax that landed on an account that is no tax account.</summary>
    LandedElsewhere,
    Opening,

    /// <summary>Paid to or by the authority.</summary>
    TaxSettled,
    Reclassified,
    Rounding,
}

/// <summary>A box of the return.</summary>
/// <param name="Amount">Base currency.</param>
public sealed record ReturnBox(string Box, decimal Amount);

/// <summary>What a tax code comes to over tax dates, in base currency.</summary>
/// <param name="Capital">Whether of lines on capital accounts.</param>
/// <param name="Tax">What of it is not deductible with it.</param>
public sealed record ReturnCode(
    string Code,
    string Direction,
    bool Capital,
    decimal Base,
    decimal Tax,
    decimal NonDeductible,
    long Entries
);

/// <summary>What one cause explains of the tie.</summary>
public sealed record TaxTieSum(TaxTieCause Cause, decimal Amount, long Count);

/// <summary>The movement of the tax accounts held against the tax lines of the return; debit less credit.</summary>
/// <param name="Causes">They add up to the difference, always.</param>
public sealed record TaxTie(decimal Ledger, decimal TaxLines, IReadOnlyList<TaxTieSum> Causes)
{
    /// <summary>The ledger less the tax lines.</summary>
    public decimal Difference => Ledger - TaxLines;
}

/// <summary>The tax return over tax dates.</summary>
public sealed record TaxReturn(
    DateOnly From,
    DateOnly To,
    IReadOnlyList<ReturnBox> Boxes,
    IReadOnlyList<ReturnCode> Codes,
    TaxTie Tie
);

/// <summary>An entry that changes a return after it was filed.</summary>
/// <param name="Base">Base currency; negative on credit notes.</param>
public sealed record ReturnChange(string Entry, DateOnly Date, string Code, decimal Base, decimal Tax);

/// <summary>A return that was filed: what it said then, and what has come into its days since.</summary>
public sealed record FiledReturn(
    DateOnly From,
    DateOnly To,
    IReadOnlyList<ReturnBox> Boxes,
    string Who,
    DateTime At,
    IReadOnlyList<ReturnChange> Later
);

/// <summary>Tax of one code as the journal has it, in one stretch of tax dates.</summary>
/// <param name="Base">Base currency; negative on credit notes.</param>
/// <param name="Reclaimed">Tax that is reclaimed, or owed on sales.</param>
public sealed record TaxSum(
    string Code,
    bool Capital,
    string? BaseBox,
    string? TaxBox,
    string? ReverseBaseBox,
    string? ReverseTaxBox,
    decimal Base,
    decimal Tax,
    decimal Reclaimed,
    long Entries
);

/// <summary>A hand-written line that names a tax code.</summary>
/// <param name="OnTax">It stands on a tax account: it is tax; otherwise what was taxed.</param>
/// <param name="Amount">Debit less credit, base currency.</param>
public sealed record HandTax(string Code, bool OnTax, bool Capital, DateOnly Date, DateOnly TaxDate, decimal Amount);

/// <summary>Adds up a return.</summary>
public static class TaxReturns
{
    /// <summary>The boxes and codes.</summary>
    /// <param name="codes">The codes of the edition in force at the end, for what is written by hand.</param>
    public static (IReadOnlyList<ReturnBox> Boxes, IReadOnlyList<ReturnCode> Codes) Of(
        IReadOnlyList<TaxSum> sums,
        IReadOnlyList<HandTax> byHand,
        IReadOnlyDictionary<string, Tax.TaxCode> codes
    )
    {
        var boxes = new SortedDictionary<string, decimal>(StringComparer.Ordinal);
        void Box(string? box, decimal amount)
        {
            if (box is not null)
                boxes[box] = boxes.GetValueOrDefault(box) + amount;
        }
        var rows = new Dictionary<(string, bool), ReturnCode>();
        void Code(string code, bool capital, decimal amount, decimal tax, decimal kept, long entries)
        {
            var row = rows.GetValueOrDefault((code, capital))
                ?? new ReturnCode(
                    code,
                    codes.TryGetValue(code, out var known) ? Words.Of(known.Direction) : "",
                    capital,
                    0,
                    0,
                    0,
                    0
                );
            rows[(code, capital)] = row with
            {
                Base = row.Base + amount,
                Tax = row.Tax + tax,
                NonDeductible = row.NonDeductible + kept,
                Entries = row.Entries + entries,
            };
        }
        foreach (var sum in sums)
        {
            Box(sum.BaseBox, sum.Base);
            Box(sum.TaxBox, sum.Reclaimed);
            Box(sum.ReverseBaseBox, sum.Base);
            Box(sum.ReverseTaxBox, sum.Tax);
            Code(sum.Code, sum.Capital, sum.Base, sum.Tax, sum.Tax - sum.Reclaimed, sum.Entries);
        }
        foreach (var line in byHand)
        {
            if (!codes.TryGetValue(line.Code, out var code))
                continue;
            var amount = code.Direction == Core.Tax.TaxDirection.Output ? -line.Amount : line.Amount;
            Code(line.Code, line.Capital, line.OnTax ? 0 : amount, line.OnTax ? amount : 0, 0, 1);
            if (!line.OnTax)
            {
                Box(line.Capital ? code.CapitalBaseBox ?? code.BaseBox : code.BaseBox, amount);
                Box(code.ReverseBaseBox, amount);
            }
            // Under reverse charge what is owed and what is reclaimed stand on either side.
            else if (code.ReverseCharge && line.Amount < 0)
                Box(code.ReverseTaxBox, -line.Amount);
            else
                Box(code.TaxBox, amount);
        }
        // A2 stands before A10.
        static string Letters(string box) => new([.. box.TakeWhile(c => !char.IsAsciiDigit(c))]);
        return (
            [
                .. boxes
                    .OrderBy(b => Letters(b.Key), StringComparer.Ordinal)
                    .ThenBy(b => b.Key.Length)
                    .ThenBy(b => b.Key, StringComparer.Ordinal)
                    .Select(b => new ReturnBox(b.Key, b.Value)),
            ],
            [.. rows.Values.OrderBy(r => r.Code, StringComparer.Ordinal).ThenBy(r => r.Capital)]
        );
    }
}
