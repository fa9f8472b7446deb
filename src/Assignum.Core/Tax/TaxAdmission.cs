using Assignum.Core.Chart;

namespace Assignum.Core.Tax;

/// <summary>Which tax an account takes.</summary>
public static class TaxAdmission
{
    /// <summary>Whether lines with a tax code of this direction may land on an account.</summary>
    public static bool Admits(this Account account, TaxDirection direction) =>
        account.TaxAdmits switch
        {
            TaxAdmits.Both => true,
            TaxAdmits.None => false,
            TaxAdmits.Input => direction == TaxDirection.Input,
            _ => direction == TaxDirection.Output,
        };
}
