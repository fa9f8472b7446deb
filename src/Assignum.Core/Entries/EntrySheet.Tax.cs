using Assignum.Core.Calendar;
using Assignum.Core.Landing;
using Assignum.Core.SetUps;
using Assignum.Core.Tax;

namespace Assignum.Core.Entries;

/// <summary>A tax code's amounts on their way into the entry. Amounts signed, in the event's currency.</summary>
/// <param name="Rate">Exchange rate at which the amounts become base currency.</param>
/// <param name="Capital">Whether it feeds the boxes for capital goods.</param>
/// <param name="Reclaimed">What is reclaimed in base currency, where it is a share of one leg; null: by itself.</param>
internal sealed record TaxPosting(
    DecidedCode Decided,
    decimal Base,
    decimal Tax,
    decimal NonDeductible,
    decimal Rate,
    bool Capital,
    decimal? Reclaimed
);

public sealed partial class EntrySheet
{
    /// <summary>Whether tax plays a part at all in this direction: an unregistered entity charges none.</summary>
    public bool Taxed(TaxDirection direction) => direction == TaxDirection.Input || SetUp.Entity.TaxRegistered;

    /// <summary>
    /// The tax code of a line: its own, else the matrix's, else the default of the account its main leg lands on. Null
    /// where that account admits no tax (the line is outside tax), when there is none (an error, unless the entity is
    /// not
    /// registered) or when the one found does not serve (an error).
    /// </summary>
    /// <param name="category">Tax category that the matrix is asked with; null skips it.</param>
    public DecidedCode? DecideTax(
        TaxDirection direction,
        string? ownCode,
        string? category,
        Purpose main,
        LegContext context,
        string path
    )
    {
        if (!Taxed(direction))
            return null;
        var by = TaxDecider.Line;
        var found = ownCode;
        if (found is null && (found = CorrectedCode(direction, context)) is not null)
            by = TaxDecider.Document;
        if (found is null && (found = SetUp.Taxes.Matrix(Standing, category, direction)) is not null)
            by = TaxDecider.Matrix;
        var account = found is null ? AccountOf(main, context) : null;
        if (found is null && (found = account?.TaxCode) is not null)
            by = TaxDecider.Account;
        if (found is null)
        {
            if (account?.TaxAdmits == Chart.TaxAdmits.None)
                return null;
            if (SetUp.Entity.TaxRegistered)
                Fail(
                    "no-tax-code",
                    $"No tax code for {(path.Length == 0 ? "the document" : path)}: name one, fill the matrix cell "
                        + $"of standing '{Standing ?? "–"}' and category '{category ?? "–"}', or give the account of "
                        + $"{main.Name} a default code, or mark it as outside tax.",
                    path,
                    main
                );
            return null;
        }
        if (SetUp.Taxes.Code(found) is not { } code)
        {
            Fail("unknown-record", $"Tax code {found} is unknown.", path + ".taxCode");
            return null;
        }
        if (code.Direction != direction)
        {
            Fail(
                "tax-direction",
                $"Tax code {found} is for {Words.Of(code.Direction)} tax and cannot serve here; use an "
                    + $"{Words.Of(direction)} code.",
                path,
                main
            );
            return null;
        }
        if (SetUp.Taxes.Rate(found, RatesOn) is not { } rate)
        {
            Fail(
                "no-tax-rate",
                $"Tax code {found} has no rate on {WrittenDay.Say(RatesOn)}: add one that begins on or before that day.",
                path,
                main
            );
            return null;
        }
        return new DecidedCode(code, rate, by);
    }

    /// <summary>The calculation for this event's currency and policies.</summary>
    public TaxCalculation TaxCalculation(bool taxIncluded) =>
        new(SetUp.Rounding, Decimals, taxIncluded, Policies.TaxRoundedByLine, SetUp.Entity.TaxRegistered);

    /// <summary>Records a tax line; amounts as for the unswapped document.</summary>
    /// <param name="reclaimed">Its share of the leg of what is reclaimed, in base currency; null: it is that leg.</param>
    public void RecordTax(TaxPart part, decimal? rate = null, decimal? reclaimed = null)
    {
        var sign = Swapped ? -1 : 1;
        Taxes.Add(
            new TaxPosting(
                part.Decided,
                sign * part.Base,
                sign * part.Tax,
                sign * part.NonDeductible,
                rate ?? Rate,
                part.Capital,
                sign * reclaimed
            )
        );
    }

    /// <summary>Whether what a purpose is for lands on an account marked capital.</summary>
    public bool OnCapital(Purpose purpose, LegContext context) => AccountOf(purpose, context) is { Capital: true };

    /// <summary>Legs and tax lines of tax charged on a sale.</summary>
    public void OutputTax(IReadOnlyList<TaxTotal> totals)
    {
        foreach (var total in totals)
        {
            Credit(Purposes.OutputTax, Amount(total.Tax), Document.ForTax(SetUp.Index, total.Decided.Code.Code));
            foreach (var part in total.Parts)
                RecordTax(part);
        }
    }

    /// <summary>
    /// Legs and tax lines of tax on a purchase: what is reclaimed is debited; under reverse charge the whole tax is
    /// owed
    /// as output tax too. What is not reclaimed is for the lines to bear.
    /// </summary>
    /// <returns>The tax that the supplier charged.</returns>
    public decimal InputTax(IReadOnlyList<TaxTotal> totals)
    {
        var charged = 0m;
        foreach (var total in totals)
        {
            var context = Document.ForTax(SetUp.Index, total.Decided.Code.Code);
            var leg = Amount(total.Deductible);
            Debit(Purposes.InputTax, leg, context);
            if (total.Decided.Code.ReverseCharge)
                Credit(Purposes.OutputTax, Amount(total.Tax), context);
            else
                charged += total.Tax;
            // Of two parts each has its own rounding, and the last what is left of the leg.
            var rest = leg.Base;
            for (var i = 0; i < total.Parts.Count; i++)
            {
                var part = total.Parts[i];
                var own = i == total.Parts.Count - 1 ? rest : Amount(part.Tax - part.NonDeductible).Base;
                rest -= own;
                RecordTax(part, reclaimed: own);
            }
        }
        return charged;
    }

    private Chart.Account? AccountOf(Purpose purpose, LegContext context) =>
        SetUp.Landings.Resolve(purpose, context.Values, context.Written).Account is { } number
            ? SetUp.Account(number)
            : null;
}
