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

    /// <summary>The side of a balance that is unusual for its account, <c>debit</c> or <c>credit</c>; null: it is usual. An
    /// account that says nothing is usually on the side of its class.</summary>
    public static string? Unusual(this Account of, decimal balance)
    {
        var debit = of.UsualSide == UsualSide.Either ? of.Class.GrowsByDebits() : of.UsualSide == UsualSide.Debit;
        return balance == 0 || debit == balance > 0 ? null
            : balance > 0 ? "debit"
            : "credit";
    }

    /// <summary>Whether a class is of the profit and loss account.</summary>
    public static bool IsResult(this AccountClass of) => of >= AccountClass.Revenue;
}
