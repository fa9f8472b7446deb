namespace Assignum.Core.Chart;

/// <summary>What the class of an account says of its amounts.</summary>
public static class AccountClasses
{
    /// <summary>Whether an amount of a class grows by debits.</summary>
    public static bool GrowsByDebits(this AccountClass of) =>
        of
            is AccountClass.Asset
                or AccountClass.CostOfSales
                or AccountClass.OperatingCost
                or AccountClass.OtherCost
                or AccountClass.IncomeTax;

    /// <summary>Whether a class is of the profit and loss account.</summary>
    public static bool IsResult(this AccountClass of) => of >= AccountClass.Revenue;
}
